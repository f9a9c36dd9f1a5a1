"""Builds the example project Ellerdale feeder: a rural four-wire feeder with spurs of one phase, on coordinates. Every name and figure is invented.

Run it as `python tools/make_ellerdale.py`; a test holds the shipped file equal to a fresh run.
"""

import math
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from northfell.app.draw.arrange import lay_out
from northfell.core.model.changes import apply_change
from northfell.core.model.elements import Bus, Element
from northfell.core.model.network import Network, OperatingState, Placement, Sheet, check_network, element_from
from northfell.core.model.settings import ProjectSettings
from northfell.formats import northfell_json

TARGET = Path(__file__).parent.parent / "src/northfell/demo/ellerdale.northfell.json"
MV, LV, HV = 12.47, 0.24, 69.0
POLE, SPUR = "Pole with a cross-arm, four wires", "Pole with one wire and its neutral"
SETTINGS = {"frequency_hz": 60, "phase_flow": {"bands": "ANSI C84.1", "unbalance_pct": 3.0, "phase_names": "A B C"}}


@dataclass
class Feeder:
    """Collects the elements."""

    raw: list[dict[str, Any]] = field(default_factory=list)
    places: dict[str, tuple[float, float]] = field(default_factory=dict)

    def add(self, kind: str, name: str, **values: Any) -> str:
        self.raw.append({"kind": kind, "id": name, "name": name, **values})
        return name

    def pole(self, name: str, east: float, north: float, conductors: str = "abc", kv: float = MV, **more: Any) -> str:
        self.places[name] = (east, north)
        return self.add("bus", name, v_nominal_kv=kv, conductors=conductors, bus_kind="junction", east_m=round(east), north_m=round(north), **more)

    def line(self, name: str, a: str, b: str, geometry: str, i_rated_a: float, i_emergency_a: float) -> None:
        (x1, y1), (x2, y2) = self.places[a], self.places[b]
        length = round(1.03 * math.hypot(x2 - x1, y2 - y1))
        self.add("line", name, from_bus=a, to_bus=b, length_m=length, geometry=geometry, i_rated_a=i_rated_a, i_emergency_a=i_emergency_a, t_end_degc=80.0)


def spur(f: Feeder, letter: str, start: str, phase: str, way: tuple[float, float], poles: int, homes: dict[int, tuple[float, float]], fuse_a: int) -> None:
    """A spur of one phase behind its fuse: poles on a way, at some of them a transformer with homes; kilowatts of each leg's 120 V and of 240 V."""
    x, y = f.places[start]
    first = f.pole(f"{letter}0", x + 20, y + 10, phase)
    f.add("fuse", f"F{letter}", from_bus=start, to_bus=first, conductors=phase, link="K", i_rated_a=fuse_a, v_rated_kv=15.0)
    before = first
    for n in range(1, poles + 1):
        bend = 60 * math.sin(1.7 * n + ord(letter))
        here = f.pole(f"{letter}{n}", x + way[0] * n + bend * (way[1] != 0), y + way[1] * n + bend * (way[1] == 0), phase)
        f.line(f"L{letter}{n}", before, here, SPUR, 230.0, 280.0)
        if n in homes:
            service(f, f"{letter}{n}", here, phase, *homes[n])
        before = here


def service(f: Feeder, name: str, pole: str, phase: str, kw: float, heat_kw: float) -> None:
    """A centre-tapped transformer with homes, and their heat pumps between the legs."""
    x, y = f.places[pole]
    board = f.pole(f"{name} homes", x + 25, y - 15, "12n", LV)
    size = next(s for s in (25, 37.5, 50, 75, 100, 167, 250) if s >= 1.4 * (kw + heat_kw))
    unit = {"high": phase, "low": "1n2", "s_rated_mva": size / 1000, "v_high_kv": 7.2, "v_low_kv": 0.24, "uk_pct": 2.2, "ur_pct": 1.1,
            "no_load_loss_kw": round(0.0025 * size, 3), "no_load_current_pct": 0.5}  # fmt: skip
    f.add("transformer", f"T{name}", hv_bus=pole, lv_bus=board, neutral_lv="solid", bank_units=[unit])
    rows = [
        {"between": b, "p_mw": round(share * kw / 1000, 5), "q_mvar": round(0.25 * share * kw / 1000, 5)} for b, share in (("1", 0.4), ("2", 0.3), ("12", 0.3))
    ]
    f.add("load", f"Homes {name}", bus=board, by_phase=rows, characteristic="mixed", share_current_pct=30.0, share_power_pct=40.0, group="homes")
    if heat_kw:
        heat = [{"between": "12", "p_mw": round(heat_kw / 1000, 5), "q_mvar": round(0.2 * heat_kw / 1000, 5)}]
        f.add("load", f"Heat pumps {name}", bus=board, by_phase=heat, characteristic="power", group="heat pumps")


def regulator(f: Feeder, name: str, a: str, b: str, v_set: float, r: float, x: float, delay_s: float) -> None:
    units = [{"phase": p, "v_set_v": v_set, "drop_r_v": r, "drop_x_v": x} for p in "abc"]
    f.add("step_regulator", name, from_bus=a, to_bus=b, control="each phase", regulator_units=units, band_v=2.0, pt_ratio=60.0, ct_primary_a=300.0,
          delay_s=delay_s, i_rated_a=328.0)  # fmt: skip


def farm(f: Feeder, name: str, pole: str, kw: float, kvar: float, parts: dict[str, float]) -> None:
    """A consumer of three phases with a transformer of its own, whose phases are not alike."""
    x, y = f.places[pole]
    board = f.pole(f"{name} board", x + 30, y + 25, "abc", 0.48)
    f.add("transformer", f"T {name}", hv_bus=pole, lv_bus=board, vector_group="Dyn1",
          s_rated_mva=0.5 if kw < 260 else 0.75, v_hv_kv=MV, v_lv_kv=0.48, uk_pct=4.5,
          ur_pct=1.1, neutral_lv="solid", z0_over_z1=1.0)  # fmt: skip
    rows = [{"between": b, "p_mw": round(kw * s / 1000, 5), "q_mvar": round(kvar * s / 1000, 5)} for b, s in parts.items()]
    f.add("load", name, bus=board, by_phase=rows, characteristic="power", group="farms")


def ellerdale() -> Network:
    """The network with its states and one sheet."""
    f = Feeder()
    f.pole("Grid end", -150, 20, "abc", HV)
    f.pole("Ellerdale substation", 0, 0)
    f.raw[-1]["bus_kind"] = "switchboard"
    f.add("infeed", "Fell grid", bus="Grid end", v_set_pu=1.02, ik_max_ka=5.2, ik_min_ka=4.1, r_over_x=0.12,
          neutral="solid", x0_over_x1=1.4, r0_over_x0=0.25)  # fmt: skip
    f.add("transformer", "T1", hv_bus="Grid end", lv_bus="Ellerdale substation", vector_group="Dyn1",
          s_rated_mva=7.5, v_hv_kv=HV, v_lv_kv=MV, uk_pct=7.5, ur_pct=0.55,
          neutral_lv="solid", z0_over_z1=1.0, tap_pct=0.0)  # fmt: skip
    f.pole("P0", 40, 0)
    f.add("breaker", "52-E", from_bus="Ellerdale substation", to_bus="P0", i_rated_a=600.0)
    trunk(f)
    spurs(f)
    far_end(f)
    return made(f)


def trunk(f: Feeder) -> None:
    before = "P0"
    for n in range(1, 27):
        x, y = 40 + 520 * n, 260 * math.sin(0.33 * n) + 14 * n
        f.pole(f"P{n}", x, y)
        if n in (8, 17):
            name = "VR1" if n == 8 else "VR2"
            f.pole(f"{name} in", x - 25, y - 4)
            f.line(f"L{n}", before, f"{name} in", POLE, 380.0, 440.0)
            regulator(f, name, f"{name} in", f"P{n}", 126.0 if n == 8 else 117.0, 0.0, 0.0, 30.0 if n == 8 else 45.0)  # VR2 is set against VR1
        else:
            f.line(f"L{n}", before, f"P{n}", POLE, 380.0, 440.0)
        before = f"P{n}"
    f.add("capacitor_bank", "CB1", bus="P6", q_step_mvar=0.45, steps=1)
    f.add("capacitor_bank", "CB2", bus="P20", q_step_mvar=0.1, step_by_phase=[{"between": "a", "q_mvar": 0.1}, {"between": "b", "q_mvar": 0.05}])
    farm(f, "Low Fold dairy", "P5", 210, 90, {"ab": 0.42, "bc": 0.33, "ca": 0.25})
    farm(f, "Tarn Head sawmill", "P14", 330, 190, {"ab": 0.34, "bc": 0.33, "ca": 0.33})
    farm(f, "Ellerdale school", "P22", 140, 40, {"a": 0.45, "b": 0.25, "c": 0.30})


def spurs(f: Feeder) -> None:
    home = {2: (34.0, 12.0), 4: (28.0, 10.0), 6: (42.0, 18.0)}
    spur(f, "A", "P3", "a", (30, 330), 7, home, 30)
    spur(f, "B", "P4", "b", (20, -340), 7, {2: (38.0, 14.0), 5: (45.0, 16.0), 7: (30.0, 10.0)}, 40)
    spur(f, "C", "P7", "c", (40, 300), 8, {1: (26.0, 8.0), 4: (38.0, 14.0), 8: (52.0, 20.0)}, 40)
    spur(f, "D", "P10", "a", (10, -360), 8, {2: (70.0, 36.0), 4: (76.0, 44.0), 6: (64.0, 40.0), 8: (72.0, 46.0)}, 50)  # loaded beyond its fuse
    spur(f, "E", "P12", "b", (50, 310), 6, home, 30)
    spur(f, "G", "P15", "c", (30, -320), 7, {1: (30.0, 10.0), 3: (44.0, 16.0), 6: (36.0, 14.0)}, 40)
    spur(f, "H", "P18", "b", (25, 340), 9, {3: (40.0, 14.0), 6: (36.0, 16.0), 9: (48.0, 20.0)}, 40)
    spur(f, "K", "P19", "a", (20, -330), 6, {2: (32.0, 12.0), 5: (40.0, 14.0)}, 40)
    spur(f, "M", "P21", "b", (190, 260), 6, {2: (30.0, 10.0), 4: (34.0, 14.0), 6: (38.0, 12.0)}, 40)
    spur(f, "N", "P24", "c", (40, -310), 7, {2: (28.0, 12.0), 5: (42.0, 18.0), 7: (36.0, 14.0)}, 40)
    f.add("switch", "Tie H–M", from_bus="H9", to_bus="M6", conductors="b", closed=False, i_rated_a=100.0)


def far_end(f: Feeder) -> None:
    """Solar behind the last pole, and on the roofs of a spur."""
    board = f.pole("Far Moor solar", 40 + 520 * 26 + 60, 400, "abc", 0.48)
    f.add("transformer", "T Far Moor", hv_bus="P26", lv_bus=board, vector_group="Dyn1", s_rated_mva=4.5, v_hv_kv=MV, v_lv_kv=0.48, uk_pct=5.75, ur_pct=0.8,
          neutral_lv="solid", z0_over_z1=1.0)  # fmt: skip
    f.add("inverter", "Far Moor array", bus=board, mode="power", p_mw=0.38, s_rated_mva=3.6, ik_over_ir=1.1, group="solar")
    for name in ("N5", "N7"):
        f.add("inverter", f"Roofs {name}", bus=f"{name} homes", mode="power", p_mw=0.004, s_rated_mva=0.04, ik_over_ir=1.2, group="solar")


def made(f: Feeder) -> Network:
    elements = {raw["id"]: element_from(raw) for raw in f.raw}
    assert len(elements) == len(f.raw), "a name stands twice"
    states = [
        OperatingState(name="Sunny noon", load_factors={"homes": 0.35, "heat pumps": 0.1, "farms": 0.5}, generation_factors={"solar": 9.0}),
        OperatingState(name="Cold evening", load_factors={"homes": 1.0, "heat pumps": 1.35, "farms": 0.7}, generation_factors={"solar": 0.0}),
        OperatingState(name="Tie closed", differences={"Tie H–M": {"closed": True}}),
    ]
    network = Network(name="Ellerdale feeder", states=states, settings=ProjectSettings.model_validate(SETTINGS))
    network = network.model_copy(update={"elements": elements})
    check_network(network)
    return laid_out(network)


SHEETS = {"Trunk": "", "Spurs A to E": "ABCDE", "Spurs G to N": "GHKMN"}


def laid_out(network: Network) -> Network:
    """The trunk on one sheet and its spurs on two, as the application lays them out."""
    spur_of = {i: owner(e) for i, e in network.elements.items()}
    for name, letters in SHEETS.items():
        there = {i for i, letter in spur_of.items() if (letter in letters if letter else not letters)}
        if letters:  # with the poles at which they begin
            there |= {b for i in there for b in network.elements[i].buses}
        sheet = Sheet(name=name, placements={i: Placement(x=0, y=0) for i in network.elements if i in there})
        network = network.model_copy(update={"sheets": [*network.sheets, sheet]})
        network = apply_change(network, lay_out(network, name))[0]
    return network


def owner(e: Element) -> str:
    """The letter of the spur on which an element stands; empty for the trunk."""
    buses = [e.id] if isinstance(e, Bus) else [b for b in e.buses if not b.startswith(("P", "Grid", "Ellerdale", "VR"))] or list(e.buses)
    first = buses[0]
    return first[0] if first[0] in "ABCDEGHKMN" and (first[1:2].isdigit()) else ""


if __name__ == "__main__":
    TARGET.write_text(northfell_json.write(ellerdale()), encoding="utf-8", newline="\n")
    print(f"Wrote {TARGET.name}")
