"""Transformers as pairs of windings: vector groups, banks of one-phase units, centre taps, autotransformers, three windings."""

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from northfell.core.errors import InputRefused
from northfell.core.model.base_voltage import FARTHEST
from northfell.core.model.elements import Autotransformer, Element, ThreeWindingTransformer, Transformer, TransformerUnit
from northfell.core.model.elements.branches import VECTOR_GROUP
from northfell.core.model.elements.tap_changer import tap_ratio
from northfell.core.model.elements.three_winding import THREE_WINDING_GROUP
from northfell.core.network.impedance import pair_impedances, transformer_per_unit
from northfell.core.network.phases import EARTH, Pair, bank, centre_tapped, from_sequences, limbs_of_zigzag, pairs_of, shunt, zigzag
from northfell.core.rules.by_phase import PHASES
from northfell.core.studies.phase_flow.places import Places, Winding, known
from northfell.core.studies.short_circuit import zero_pairs

SOLID_S = 1e6  # of a neutral that is earthed solidly: 1 µohm, below every figure
CENTRE = {"interlaced": ((0.5, 0.8), (1.0, 0.4)), "not interlaced": ((0.25, -0.6), (1.5, 3.3))}  # parts of R and X: high winding, each half


def add_transformer(g: Places, e: Element) -> None:
    """The primitives of a two-winding transformer or a bank of units, with its windings.

    Raises
    ------
    InputRefused
        With the field that is missing or does not fit.
    """
    assert isinstance(e, Transformer)
    if e.bank_units:
        _of_units(g, e)
    else:
        _of_group(g, e)


@dataclass(frozen=True)
class _Grouped:
    """A transformer by its vector group."""

    group: str
    kinds: tuple[str, str]  # of both sides: D, Y or Z
    hour: int
    v_v: tuple[float, float]  # across the windings of both sides, or to the star point of a zigzag, with the tap
    i_rated_a: tuple[float, float]
    s_limb_mva: float
    z1_ohm: complex  # at the low side, as z0
    z0_ohm: complex
    y_s: complex  # of the core, at the low side
    core_ohm: complex | None  # what the zero sequence magnetises, at the low side; None: without limit


def _of_group(g: Places, e: Transformer) -> None:
    made = _grouped(g, e)
    place = dict(zip("ABC", g.nodes(e, e.hv_bus, PHASES), strict=True)) | dict(zip("abc", g.nodes(e, e.lv_bus, PHASES), strict=True)) | _stars(g, e, made.kinds)
    if "Z" in made.kinds:
        _zigzag(g, e, made, place)
        return
    ends = pairs_of(made.group)
    if ends is None:
        raise InputRefused("vector_group", made.group, "even clock numbers between two stars or two deltas, odd ones between a star and a delta")
    pairs = [Pair((place[a], place[b], place[c], place[d]), *made.v_v, made.z1_ohm, made.y_s) for a, b, c, d in ends]
    half, core = made.z0_ohm / 2, made.core_ohm
    through = np.array([[1, -1], [-1, 1]]) / made.z0_ohm
    if core is not None:
        through = np.asarray(np.linalg.inv([[half + core, core], [core, half + core]]), complex)
    g.windings[e.id] = [Winding(len(g.parts), 4 * k + 2 * t, made.i_rated_a[t], made.s_limb_mva, t, PHASES[k]) for k in range(3) for t in (0, 1)]
    g.parts.append(bank(e.id, pairs, zero_s=through))


def _grouped(g: Places, e: Transformer) -> _Grouped:
    group = "YNyn0" if isinstance(e, Autotransformer) else e.vector_group or ""
    found = VECTOR_GROUP.match(group)
    if found is None:
        raise InputRefused("vector_group", group or None, "a group such as Dyn11")
    kinds = found[1][0], found[2][0].upper()
    s_mva = known(e, "s_rated_mva")
    r, x = transformer_per_unit(e)
    if not (math.isfinite(r) and math.isfinite(x)):
        raise InputRefused("uk_pct", e.uk_pct, "impedance voltage and its resistive part")
    s_limb = s_mva * e.parallel / 3
    v_high, v_low = (1000 * known(e, f"v_{side}_kv") / (1 if kind == "D" else math.sqrt(3)) for side, kind in zip(("hv", "lv"), kinds, strict=True))
    per_pu = v_low**2 / (s_limb * 1e6)
    z1 = g.correction(e, x) * complex(r, x) * per_pu
    y = g.core(magnetising(e.no_load_loss_kw, e.no_load_current_pct, s_mva)) / 3 * e.parallel / v_low**2
    passes = [kind != "D" and (made.endswith(("N", "n")) and getattr(e, side) not in (None, "isolated"))
              for kind, made, side in zip(kinds, found.groups(), ("neutral_hv", "neutral_lv"), strict=False)]  # fmt: skip
    z0 = z1 * (g.zero_over_positive(e) if any(passes) or isinstance(e, Autotransformer) else 1.0)
    magnetises = "D" not in kinds and any(p for p, kind in zip(passes, kinds, strict=True) if kind == "Y") and not isinstance(e, Autotransformer)
    core = g.zero_core_pu(e) if magnetises else None
    return _Grouped(group, kinds, int(found[3]), (v_high * tap_ratio(e.tap_side, g.tap_pct(e)), v_low), (1e6 * s_limb / v_high, 1e6 * s_limb / v_low),
                    s_limb, z1, z0, y, None if core is None else 1j * core * per_pu)  # fmt: skip


def _zigzag(g: Places, e: Transformer, made: _Grouped, place: Mapping[str, int]) -> None:
    """The side in zigzag by its phases, the other by its limbs; the zero sequence of the one is its own, that of the other magnetises the core."""
    zig, straight = (0, 1) if made.kinds[0] == "Z" else (1, 0)
    other = made.kinds[straight]
    limbs = None if other == "Z" else limbs_of_zigzag(other, made.hour if zig else -made.hour)
    if limbs is None:
        raise InputRefused("vector_group", made.group, "one side in zigzag: odd clock numbers beside a star, even ones beside a delta")
    names = ("ABCN", "abcn")
    ends = "bcan" if other == "D" else "nnn"
    windings = [(place[names[straight][k]], place[ends[k].upper() if straight == 0 else ends[k]]) for k in range(3)]
    at_zig, at_straight = ((made.v_v[side] / made.v_v[1]) ** 2 for side in (zig, straight))
    core_s = np.asarray(np.eye(3) * made.y_s / at_straight, complex)
    if made.core_ohm is not None:
        core_s = core_s + 1 / (3 * at_straight * (made.z0_ohm / 2 + made.core_ohm))
    elif other == "Y":  # a star point that is not earthed stands in the middle by its core, through which nothing flows then
        core_s = core_s + FAINT / (3 * at_straight * abs(made.z1_ohm))
    rated, part = made.i_rated_a, len(g.parts)
    a, b, c, n = (place[name] for name in names[zig])
    v = made.v_v[straight], made.v_v[zig]
    g.parts.append(zigzag(e.id, windings, (a, b, c, n), limbs, v, from_sequences(made.z1_ohm, made.z0_ohm) * at_zig, core_s, (straight, zig)))
    g.windings[e.id] = [Winding(part, first + step * k, rated[side], made.s_limb_mva, side, PHASES[k])
                        for side, first, step in ((straight, 0, 2), (zig, 6, 1)) for k in range(3)]  # fmt: skip


def _stars(g: Places, e: Transformer, kinds: tuple[str, str]) -> dict[str, int]:
    """Nodes of both star points; of an autotransformer they are one."""
    if isinstance(e, Autotransformer):
        common = star_point(g, e, e.lv_bus, e.vector_group == "YNa0", "neutral_lv", "n")
        return {"N": common, "n": common}
    group = e.vector_group or ""
    return {
        "N": EARTH if kinds[0] == "D" else star_point(g, e, e.hv_bus, "N" in group, "neutral_hv", "N"),
        "n": EARTH if kinds[1] == "D" else star_point(g, e, e.lv_bus, "n" in group, "neutral_lv", "n"),
    }


def star_point(g: Places, e: Element, bus: str, led_out: bool, side: str, name: str) -> int:
    """The node of a star point: that of the neutral of its bus, earth, one behind its earthing impedance, or one of its own that floats."""
    earthed = getattr(e, side)
    if led_out and earthed is None:
        raise InputRefused(side, None, "how the star point is earthed: solid, isolated, resistor, reactor or resonant")
    node = g.index.get((bus, "n")) if led_out else None
    if led_out and earthed == "solid":
        g.solid.update(g.at(bus).values())
        return EARTH if node is None else _earthed_solidly(g, e, node)
    if node is None:
        node = g.node((e.id, name), g.kv(bus) * 1000 / math.sqrt(3))
    if led_out and earthed in ("resistor", "reactor", "resonant"):
        ohm = getattr(e, f"{side}_ohm") or 0.0
        if not ohm:
            raise InputRefused(f"{side}_ohm", ohm, "its earthing impedance")
        zn = (complex(ohm) if earthed == "resistor" else 1j * ohm) / getattr(e, "parallel", 1)  # each of several units has its own
        g.parts.append(shunt(e.id, [node], np.array([[1 / zn]])))
    return node


def _earthed_solidly(g: Places, e: Element, node: int) -> int:
    g.parts.append(shunt(e.id, [node], np.array([[SOLID_S + 0j]])))
    return node


def magnetising(loss_kw: float | None, current_pct: float | None, s_mva: float) -> complex:
    """What the core draws, as conj(S) [VA]: no-load losses and current."""
    p = (loss_kw or 0.0) / 1000
    q = math.sqrt(max(((current_pct or 0.0) / 100 * s_mva) ** 2 - p**2, 0.0))
    return complex(p, -q) * 1e6


# --- one-phase units


def _of_units(g: Places, e: Transformer) -> None:
    found: list[Winding] = []
    pairs: list[Pair] = []
    stars: dict[str, int] = {}
    for u in e.bank_units:
        _belongs(g, e, u)
        r, x = _impedance(u)
        factor = g.correction(e, x)
        r, x = r * factor, x * factor
        ratio, s_va = tap_ratio(e.tap_side, g.tap_pct(e)), u.s_rated_mva * 1e6 * e.parallel
        v_high, v_low = 1000 * u.v_high_kv * ratio, 1000 * u.v_low_kv
        high = _ends(g, e, e.hv_bus, u.high, "neutral_hv", stars)
        core = g.core(magnetising(u.no_load_loss_kw, u.no_load_current_pct, u.s_rated_mva)) * e.parallel
        name, i_high, i_low = f"{u.high}/{u.low}", s_va / (1000 * u.v_high_kv), s_va / v_low
        if u.low == "1n2":
            at = len(g.parts)
            leg1, tap, leg2 = g.nodes(e, e.lv_bus, "1n2")
            if e.neutral_lv == "solid" and "n" not in stars:
                stars["n"] = _earthed_solidly(g, e, tap)
                g.solid.update((leg1, leg2))
                at = len(g.parts)
            z = [complex(r * part_r, x * part_x) * (v_low / 2) ** 2 / s_va for part_r, part_x in CENTRE[u.halves]]
            g.parts.append(centre_tapped(e.id, (*high, leg1, tap, leg2), v_high, v_low / 2, (z[0], z[1], z[1]), core / v_high**2))
            s_mva = s_va / 1e6
            found += [Winding(at, 0, i_high, s_mva, 0, name), Winding(at, 2, i_low, s_mva / 2, 1, "1"), Winding(at, 4, i_low, s_mva / 2, 1, "2")]
        else:
            low = g.nodes(e, e.lv_bus, "12") if u.low == "12" else _ends(g, e, e.lv_bus, u.low, "neutral_lv", stars)
            k = len(pairs)
            pairs.append(Pair((*high, low[0], low[1]), v_high, v_low, complex(r, x) * v_low**2 / s_va, core / v_low**2))
            found += [Winding(-1, 4 * k + 2 * t, i, s_va / 1e6, t, name) for t, i in ((0, i_high), (1, i_low))]
    if pairs:
        found = [Winding(len(g.parts), *_rest(w)) if w.part < 0 else w for w in found]
        g.parts.append(bank(e.id, pairs))
    g.windings[e.id] = found


def _rest(w: Winding) -> tuple[int, float, float, int, str]:
    return w.place, w.i_rated_a, w.s_rated_mva, w.terminal, w.name


def _belongs(g: Places, e: Transformer, u: TransformerUnit) -> None:
    """Windings whose rated voltage cannot belong to their bus: a wrong unit, or swapped sides, show here."""
    for bus, where, rated in ((e.hv_bus, u.high, u.v_high_kv), (e.lv_bus, u.low, u.v_low_kv)):
        across = g.kv(bus) / (math.sqrt(3) if len(where) == 1 else 1)
        if abs(rated / across - 1) > FARTHEST:
            side = "v_high_kv" if bus == e.hv_bus else "v_low_kv"
            raise InputRefused(f"bank_units, {side} of {u.high}/{u.low}", rated, f"within {FARTHEST:.0%} of {across:.4g} kV, which its bus has across it")


def _impedance(u: TransformerUnit) -> tuple[float, float]:
    if u.ur_pct > u.uk_pct:
        raise InputRefused("ur_pct", u.ur_pct, f"{u.uk_pct:g} % or less, the impedance voltage")
    return u.ur_pct / 100, math.sqrt(u.uk_pct**2 - u.ur_pct**2) / 100


def _ends(g: Places, e: Transformer, bus: str, where: str, side: str, stars: dict[str, int]) -> tuple[int, int]:
    """Nodes of a winding between two phases, or from one to the star point of its side, which is one for all units."""
    if len(where) == 2:
        first, second = g.nodes(e, bus, where)
        return first, second
    first = g.nodes(e, bus, where)[0]
    name = "N" if side == "neutral_hv" else "n"
    if name not in stars:
        bare = getattr(e, side) is None  # then the neutral of the bus is its star point, or, where it has none, earth
        stars[name] = g.index.get((bus, "n"), EARTH) if bare else star_point(g, e, bus, True, side, name)
        if stars[name] == EARTH:
            g.solid.update(g.at(bus).values())
    return first, stars[name]


# --- three windings

LIMBS = {"Y": ("AN", "BN", "CN"), "D": ("AB", "BC", "CA")}
FAINT = 1e-6  # of the admittance of a transformer: enough for a star point to have a place
Impedances = tuple[complex, complex, complex]
LEAST = 1e-9  # of the greatest impedance: what a leg of none has


def add_three_windings(g: Places, e: Element) -> None:
    """Each limb as three windings about a point of its own at 1 V, with the legs of the star of its pairs.

    Raises
    ------
    InputRefused
        With the field that is missing or does not fit.
    """
    assert isinstance(e, ThreeWindingTransformer)
    found = THREE_WINDING_GROUP.match(e.vector_group or "")
    if not found or "z" in found[0].lower():
        raise InputRefused("vector_group", e.vector_group, "a group of stars and deltas such as YNyn0d5; zigzag windings are not taken by phase yet")
    if "D" not in found[0].upper():
        g.without_delta(e)
    s_hv = known(e, "s_hv_mva")
    own = pair_impedances(e, s_hv)
    if not math.isfinite(abs(sum(own))):
        raise InputRefused("uk_hv_mv_pct", e.uk_hv_mv_pct, "impedance voltages of all three pairs with their resistive parts")
    legs, legs_zero = (_legs(g, e, own, pairs) for pairs in (own, zero_pairs(e, own)))
    inner = [g.node((e.id, f"limb {p}"), 1.0) for p in PHASES]
    core = g.core(magnetising(e.no_load_loss_kw, e.no_load_current_pct, s_hv)) / 3
    for t, (side, made) in enumerate((("hv", found[1]), ("mv", found[2]), ("lv", found[4]))):
        bus, is_star, rated_v, s_mva = e.buses[t], made[0] in "Yy", 1000 * known(e, f"v_{side}_kv"), known(e, f"s_{side}_mva") / 3
        rated_v /= math.sqrt(3) if is_star else 1
        place = dict(zip("abc", g.nodes(e, bus, PHASES), strict=True))
        place["n"] = star_point(g, e, bus, "n" in made.lower(), f"neutral_{side}", f"{side} n") if is_star else EARTH
        v, y = rated_v * (1 + g.tap_pct(e) / 100 if t == 0 else 1), core if t == 0 else 0j
        z1, z0 = (each[t] / (s_hv * 1e6 / 3) for each in (legs, legs_zero))
        g.windings.setdefault(e.id, []).extend(Winding(len(g.parts), 4 * k, 1e6 * s_mva / rated_v, s_mva, t, PHASES[k]) for k in range(3))
        pairs = [Pair((place[a], place[b], inner[k], EARTH), v, 1.0, z1, y) for k, (a, b) in enumerate(_on_limbs(found, t))]
        g.parts.append(bank(e.id, pairs, t, np.array([[1, -1], [-1, 1]]) / z0))


def _legs(g: Places, e: ThreeWindingTransformer, own: Impedances, pairs: Impedances) -> list[complex]:
    """Legs of the star of some pairs, each with the factor of its own impedance [p.u. of the high side]; a leg of none has a billionth."""
    s_hv, s_mv, s_lv = known(e, "s_hv_mva"), known(e, "s_mv_mva"), known(e, "s_lv_mva")
    ab, ac, bc = (z * g.correction(e, z1.imag * min(s) / s_hv) for z, z1, s in zip(pairs, own, ((s_hv, s_mv), (s_hv, s_lv), (s_mv, s_lv)), strict=True))
    least = LEAST * max(abs(ab), abs(ac), abs(bc)) * 1j
    return [leg if abs(leg) > abs(least) else least for leg in ((ab + ac - bc) / 2, (ab + bc - ac) / 2, (ac + bc - ab) / 2)]


def _on_limbs(found: re.Match[str], t: int) -> list[tuple[str, str]]:
    """From where to where the winding of a side goes on each limb of the high side, in phase with it."""
    high = found[1][0]
    if t == 0:
        return [(limb[0].lower(), limb[1].lower()) for limb in LIMBS[high]]
    ends = pairs_of(f"{'YN' if high == 'Y' else 'D'}{found[2 * t]}{found[2 * t + 1]}")
    if ends is None:
        raise InputRefused("vector_group", found[0], "even clock numbers between two stars or two deltas, odd ones between a star and a delta")
    made = {LIMBS[high].index(a + b if a + b in LIMBS[high] else b + a): (c, d) if a + b in LIMBS[high] else (d, c) for a, b, c, d in ends}
    return [made[k] for k in range(3)]
