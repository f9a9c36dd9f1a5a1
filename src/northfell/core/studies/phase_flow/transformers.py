"""Transformers as pairs of windings: vector groups, banks of one-phase units, centre taps, autotransformers, three windings."""

import math
import re

import numpy as np

from northfell.core.errors import InputRefused
from northfell.core.model.base_voltage import FARTHEST
from northfell.core.model.elements import Autotransformer, Element, ThreeWindingTransformer, Transformer, TransformerUnit
from northfell.core.model.elements.tap_changer import tap_ratio
from northfell.core.model.elements.three_winding import THREE_WINDING_GROUP
from northfell.core.network.impedance import pair_impedances, transformer_per_unit
from northfell.core.network.phases import EARTH, Pair, bank, centre_tapped, pairs_of, shunt
from northfell.core.rules.by_phase import PHASES
from northfell.core.studies.phase_flow.places import Places, Winding, known

SOLID_S = 1e3  # of a neutral that is earthed solidly: 1 mohm
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


def _of_group(g: Places, e: Transformer) -> None:
    group = "YNyn0" if isinstance(e, Autotransformer) else e.vector_group or ""
    ends = pairs_of(group)
    if ends is None:
        raise InputRefused("vector_group", group or None, "a group of stars and deltas such as Dyn11; zigzag windings are not taken by phase yet")
    s_mva, hv, lv = known(e, "s_rated_mva"), known(e, "v_hv_kv"), known(e, "v_lv_kv")
    r, x = transformer_per_unit(e)
    if not (math.isfinite(r) and math.isfinite(x)):
        raise InputRefused("uk_pct", e.uk_pct, "impedance voltage and its resistive part")
    star = _stars(g, e, group)
    v_high = 1000 * hv * tap_ratio(e.tap_side, g.tap_pct(e)) / (math.sqrt(3) if group.startswith("Y") else 1)
    v_low = 1000 * lv / (math.sqrt(3) if "y" in group else 1)
    z = g.correction(e, x) * complex(r, x) * v_low**2 / (s_mva * 1e6 / 3 * e.parallel)
    y = g.core(magnetising(e.no_load_loss_kw, e.no_load_current_pct, s_mva)) / 3 * e.parallel / v_low**2
    place = dict(zip("ABC", g.nodes(e, e.hv_bus, PHASES), strict=True)) | dict(zip("abc", g.nodes(e, e.lv_bus, PHASES), strict=True)) | star
    pairs = [Pair((place[a], place[b], place[c], place[d]), v_high, v_low, z, y) for a, b, c, d in ends]
    s_limb = s_mva * e.parallel / 3
    rated = [1e6 * s_limb / (1000 * kv / (math.sqrt(3) if is_star else 1)) for kv, is_star in ((hv, group.startswith("Y")), (lv, "y" in group))]
    g.windings[e.id] = [Winding(len(g.parts), 4 * k + 2 * t, rated[t], s_limb, t, "abc"[k]) for k in range(3) for t in (0, 1)]
    g.parts.append(bank(e.id, pairs))


def _stars(g: Places, e: Transformer, group: str) -> dict[str, int]:
    """Nodes of both star points; of an autotransformer they are one."""
    if isinstance(e, Autotransformer):
        common = star_point(g, e, e.lv_bus, e.vector_group == "YNa0", "neutral_lv", "n")
        return {"N": common, "n": common}
    return {
        "N": star_point(g, e, e.hv_bus, "N" in group, "neutral_hv", "N") if group.startswith("Y") else EARTH,
        "n": star_point(g, e, e.lv_bus, "n" in group, "neutral_lv", "n") if "y" in group else EARTH,
    }


def star_point(g: Places, e: Element, bus: str, led_out: bool, side: str, name: str) -> int:
    """The node of a star point: that of the neutral of its bus, earth, one behind its earthing impedance, or one of its own that floats."""
    earthed = getattr(e, side)
    if led_out and earthed is None:
        raise InputRefused(side, None, "how the star point is earthed: solid, isolated, resistor, reactor or resonant")
    node = g.index.get((bus, "n")) if led_out else None
    if led_out and earthed == "solid":
        return EARTH if node is None else _earthed_solidly(g, e, node)
    if node is None:
        node = g.node((e.id, name), g.kv(bus) * 1000 / math.sqrt(3))
    if led_out and earthed in ("resistor", "reactor", "resonant"):
        ohm = getattr(e, f"{side}_ohm") or 0.0
        if not ohm:
            raise InputRefused(f"{side}_ohm", ohm, "its earthing impedance")
        g.parts.append(shunt(e.id, [node], np.array([[1 / (complex(ohm) if earthed == "resistor" else 1j * ohm)]])))
    return node


def _earthed_solidly(g: Places, e: Element, node: int) -> int:
    g.parts.append(shunt(e.id, [node], np.array([[SOLID_S + 0j]])))
    g.told["Star points that are earthed solidly at a neutral which their bus carries stand there behind 1 mohm."] = None
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
    return first, stars[name]


# --- three windings

LIMBS = {"Y": ("AN", "BN", "CN"), "D": ("AB", "BC", "CA")}
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
    if any(getattr(e, f"uk0_{pair}_pct") is not None for pair in ("hv_mv", "hv_lv", "mv_lv")):
        g.told[f"{e.name}: by phase the zero sequence has the impedances of the positive one; what is entered for it does not enter."] = None
    s_hv = known(e, "s_hv_mva")
    ab, ac, bc = pair_impedances(e, s_hv)
    if not math.isfinite(abs(ab + ac + bc)):
        raise InputRefused("uk_hv_mv_pct", e.uk_hv_mv_pct, "impedance voltages of all three pairs with their resistive parts")
    ab, ac, bc = (z * g.correction(e, z.imag * min(a, b) / s_hv) for z, a, b in zip(
        (ab, ac, bc), (s_hv, s_hv, known(e, "s_mv_mva")), (known(e, "s_mv_mva"), known(e, "s_lv_mva"), known(e, "s_lv_mva")), strict=True))  # fmt: skip
    legs = [(ab + ac - bc) / 2, (ab + bc - ac) / 2, (ac + bc - ab) / 2]
    inner = [g.node((e.id, f"limb {p}"), 1.0) for p in PHASES]
    core = g.core(magnetising(e.no_load_loss_kw, e.no_load_current_pct, s_hv)) / 3
    for t, (side, made) in enumerate((("hv", found[1]), ("mv", found[2]), ("lv", found[4]))):
        bus, is_star, rated_v, s_mva = e.buses[t], made[0] in "Yy", 1000 * known(e, f"v_{side}_kv"), known(e, f"s_{side}_mva") / 3
        rated_v /= math.sqrt(3) if is_star else 1
        place = dict(zip("abc", g.nodes(e, bus, PHASES), strict=True))
        place["n"] = star_point(g, e, bus, "n" in made.lower(), f"neutral_{side}", f"{side} n") if is_star else EARTH
        leg = legs[t] if abs(legs[t]) > LEAST * abs(ab) else LEAST * abs(ab) * 1j
        v, z_ohm, y = rated_v * (1 + g.tap_pct(e) / 100 if t == 0 else 1), leg / (s_hv * 1e6 / 3), core if t == 0 else 0j
        g.windings.setdefault(e.id, []).extend(Winding(len(g.parts), 4 * k, 1e6 * s_mva / rated_v, s_mva, t, PHASES[k]) for k in range(3))
        g.parts.append(bank(e.id, [Pair((place[a], place[b], inner[k], EARTH), v, 1.0, z_ohm, y) for k, (a, b) in enumerate(_on_limbs(found, t))], t))


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
