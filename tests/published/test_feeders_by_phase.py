"""IEEE 4-node and 13-node test feeders: voltages of every conductor against their print."""

import json
import math
from pathlib import Path

import numpy as np
import pytest

from northfell.core.network.phases import CURRENT, EARTH, IMPEDANCE, POWER, Follows, Load, Pair, PhaseNetwork, bank, between, line, pairs_of, solve

DATA = Path(__file__).parent / "data"
FT_PER_MILE = 5280
MODEL = {"constant power": POWER, "constant current": CURRENT, "constant impedance": IMPEDANCE}


def at(degrees: float) -> complex:
    return complex(math.cos(math.radians(degrees)), math.sin(math.radians(degrees)))


def matrix(rows) -> np.ndarray:
    return np.array([[complex(*cell) for cell in row] for row in rows])


class Built:
    """A feeder as it is put together: nodes by bus and conductor."""

    def __init__(self) -> None:
        self.names, self.base, self.parts, self.loads, self.follows, self.known = [], [], [], [], [], {}

    def bus(self, name: str, v_ln: float, phases: str = "abc") -> None:
        self.names += [(name, p) for p in phases]
        self.base += [v_ln] * len(phases)

    def node(self, bus: str, phase: str) -> int:
        return EARTH if phase in "Nn" else self.names.index((bus, phase.lower()))

    def line(self, a: str, b: str, z, b_us=None, phases: str = "abc") -> None:
        y = None if b_us is None else 1e-6j * np.array(b_us)
        self.parts.append(line(f"{a}-{b}", [self.node(a, p) for p in phases], [self.node(b, p) for p in phases], z, y))

    def transformer(self, a: str, b: str, ends, v_high: float, v_low: float, z: complex) -> None:
        pairs = [Pair((self.node(a, h1), self.node(a, h2), self.node(b, l1), self.node(b, l2)), v_high, v_low, z) for h1, h2, l1, l2 in ends]
        self.parts.append(bank(f"{a}-{b}", pairs))

    def load(self, bus: str, kind: str, model: str, kva) -> None:
        for n, (kw, kvar) in enumerate(kva):
            if kw or kvar:
                p, q = ("abc"[n], "n") if kind == "wye" else ("abc"[n], "bca"[n])
                v = self.base[self.node(bus, p)] * (1.0 if kind == "wye" else math.sqrt(3))
                self.loads.append(Load(bus, self.node(bus, p), self.node(bus, q), 1000 * complex(kw, kvar), v, MODEL[model], MODEL[model], v_low=0.5))

    def solved(self):
        network = PhaseNetwork(tuple(self.names), np.array(self.base), tuple(self.parts), tuple(self.loads), tuple(self.follows), self.known)
        return solve(network)


FOUR = json.loads((DATA / "ieee4_node.json").read_text(encoding="utf-8"))


@pytest.mark.parametrize("case", FOUR["cases"], ids=lambda c: f"{c['connection']} {c['load']}")
def test_the_four_node_feeder(case):
    star = case["connection"] == "GrY-GrY"
    f = Built()
    high, low = 12470 / math.sqrt(3), 4160 / math.sqrt(3)
    for name, v in (("1", high), ("2", high), ("3", low), ("4", low)):
        f.bus(name, v)
    z = {k: matrix(v) for k, v in FOUR["lines"]["z_ohm_per_mile"].items()}
    f.line("1", "2", z["four_wire" if star else "three_wire"] * 2000 / FT_PER_MILE)
    f.line("3", "4", z["four_wire"] * 2500 / FT_PER_MILE)
    z_low = (0.01 + 0.06j) * low**2 / 2e6
    f.transformer("2", "3", pairs_of("YNyn0" if star else "Dyn1"), high if star else 12470, low, z_low)
    kw = FOUR["loads"]["kw_and_lagging_power_factor_abc"][case["load"]]
    f.load("4", "wye", "constant power", [(p, p * math.tan(math.acos(pf))) for p, pf in kw])
    f.known = {f.node("1", p): high * at(a) for p, a in (("a", 0), ("b", -120), ("c", 120))}
    flow = f.solved()
    v = {name: np.array([flow.v_v[f.node(name, p)] for p in "abc"]) for name in "1234"}
    found = {"V2": v["2"] if star else v["2"] - np.roll(v["2"], -1), "V3": v["3"], "V4": v["4"],
             "I12": flow.currents(f.parts[0])[:3], "I34": flow.currents(f.parts[1])[:3]}  # fmt: skip
    limit = FOUR["tolerance"]
    for name, rows in case["printed"].items():
        for value, (size, angle) in zip(found[name], rows, strict=True):
            assert abs(value) == pytest.approx(size, rel=limit["relative"])
            assert abs(math.degrees(np.angle(value / at(angle)))) < limit["deg"]


THIRTEEN = json.loads((DATA / "ieee13_node.json").read_text(encoding="utf-8"))


def thirteen() -> Built:
    d, f = THIRTEEN, Built()
    ln = 4160 / math.sqrt(3)
    for name, phases in d["printed_v_pu_deg"].items():
        f.bus(name, 480 / math.sqrt(3) if name == "634" else ln, "".join(phases))
    for s in d["segments"]:
        c, miles = d["configurations"][s["configuration"]], s["length_ft"] / FT_PER_MILE
        f.line(s["f"], s["t"], matrix(c["z_ohm_per_mile"]) * miles, np.array(c["b_us_per_mile"]) * miles, c["phases"])
    t = d["transformer"]
    low = 480 / math.sqrt(3)
    f.transformer(t["f"], t["t"], pairs_of("YNyn0"), ln, low, complex(t["r_pct"], t["x_pct"]) / 100 * 480**2 / 500e3)
    for bus, kvar in d["capacitors_kvar_per_phase"].items():
        if bus != "note":
            f.parts.append(between(f"C{bus}", [(f.node(bus, p), EARTH) for p in kvar], [1000j * q / ln**2 for q in kvar.values()]))
    for one in d["spot_loads"]:
        f.load(one["node"], one["connection"], one["model"], one["kw_kvar"])
    spread = d["distributed_load"]
    for bus in spread["along"]:
        f.load(bus, spread["connection"], spread["model"], [(p / 2, q / 2) for p, q in spread["kw_kvar"]])
    f.follows = [Follows("regulator", f.node("RG60", p), ((f.node("650", p), 1 + 0.00625 * tap),)) for p, tap in d["regulator"]["taps"].items()]
    f.follows += [Follows("switch", f.node("692", p), ((f.node("671", p), 1.0),)) for p in "abc"]
    f.known = {f.node("650", p): ln * at(a) for p, a in (("a", 0), ("b", -120), ("c", 120))}
    return f


def test_the_thirteen_node_feeder():
    f = thirteen()
    flow = f.solved()
    limit = THIRTEEN["tolerance"]
    count = 0
    for bus, phases in THIRTEEN["printed_v_pu_deg"].items():
        for p, (size, angle) in phases.items():
            v = flow.v_v[f.node(bus, p)] / f.base[f.node(bus, p)]
            assert abs(v) == pytest.approx(size, abs=limit["v_pu"])
            assert abs(math.degrees(np.angle(v / at(angle)))) < limit["deg"]
            count += 1
    assert count == 35
    s = {p: flow.v_v[f.node("650", p)] * np.conj(flow.sources[f.node("650", p)]) / 1000 for p in "abc"}
    for p, kw, kvar in zip("abc", THIRTEEN["printed_source"]["kw"], THIRTEEN["printed_source"]["kvar"], strict=True):
        assert s[p].real == pytest.approx(kw, abs=limit["kw"])
        assert s[p].imag == pytest.approx(kvar, abs=limit["kvar"])
    taken = sum(one.real for one in flow.load_power) / 1000
    lost = sum(flow.power(one).sum().real for one in f.parts) / 1000
    assert sum(one.real for one in s.values()) == pytest.approx(taken + lost, rel=1e-9)
    assert lost == pytest.approx(THIRTEEN["printed_source"]["losses_kw"], abs=0.15)
    beyond = flow.through[f.node("692", "a")]  # through the switch: what the line to 675 and the delta load behind it take
    (to_675,) = (one for one in f.parts if one.element == "692-675")
    load = sum(
        i * (1 if one.p == f.node("692", "a") else -1)
        for one, i in zip(flow.loads.parts, flow.load_currents, strict=True)
        if f.node("692", "a") in (one.p, one.q)
    )
    assert beyond == pytest.approx(flow.currents(to_675)[0] + load, rel=1e-9)
