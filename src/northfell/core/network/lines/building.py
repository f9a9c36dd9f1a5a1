"""From a geometry and its wires, as the catalogue has them, to conductors at their places."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.line_data import SCREENED, Geometry, Place, Wire
from northfell.core.network.lines import places
from northfell.core.network.lines.places import SOLID_GMR, Hung, Screen

PER_M, MM = 1e-3, 1e-3
SCREEN = "{} screen"
NEEDED_OF = {
    "concentric neutral": ("d_mm", "strands", "d_strand_mm", "r_strand_ohm_per_km", "d_outside_mm"), "tape shield": ("d_mm", "d_shield_mm", "t_tape_mm"),
}  # fmt: skip


@dataclass(frozen=True)
class Built:
    """The conductors of a geometry, with what of them was assumed."""

    conductors: tuple[Hung, ...]
    assumed: tuple[str, ...]


def built(name: str, geometry: Geometry, wires: Mapping[str, Wire], f_hz: float, skin: bool) -> Built:
    """The conductors of a geometry: each bundle as one, each screened cable as core and screen.

    Parameters
    ----------
    wires
        By their name in the catalogue.
    skin
        Internal impedance by skin effect of a solid conductor of its direct-current resistance, with the radius as own distance; else by its GMR.

    Raises
    ------
    NetworkRefused
        With each place that has no wire, or a wire without what is needed of it.
    """
    made: list[Hung] = []
    assumed: dict[str, None] = {}
    refused: list[InputRefused] = []
    for one in geometry.conductors:
        where = f"Geometry {name}, conductor {one.name}"
        wire = wires.get(one.wire)
        if wire is None:
            refused.append(InputRefused("wire", one.wire, "the name of a wire of the catalogue", where=where))
            continue
        if faults := list(_faults(one, wire, skin)):
            refused += [fault.at(where) for fault in faults]
            continue
        try:
            made += _hung(one, wire, geometry, f_hz, skin)
        except InputRefused as error:
            refused.append(error.at(f"Wire {one.wire}"))
        if wire.gmr_mm is None and not skin:
            assumed[f"GMR of {one.wire}: that of a solid round wire"] = None
        if wire.build == "concentric neutral" and wire.gmr_strand_mm is None:
            assumed[f"GMR of the strands of {one.wire}: that of a solid round wire"] = None
    if not geometry.conductors:
        refused.append(InputRefused("conductors", "none", "at least one conductor at its place", where=f"Geometry {name}"))
    if refused:
        raise NetworkRefused(refused)
    return Built(tuple(made), tuple(assumed))


def _faults(one: Place, wire: Wire, skin: bool) -> Iterator[InputRefused]:
    needed = ["d_mm", *NEEDED_OF.get(wire.build, ()), "r_dc_ohm_per_km" if skin else "r_ohm_per_km"]
    for field in dict.fromkeys(needed):
        if getattr(wire, field) is None:
            yield InputRefused(field, None, "a value", f"{one.wire} needs it.")
    radius = (wire.d_mm or 0.0) / 2 * MM
    if wire.gmr_mm is not None and wire.d_mm is not None and wire.gmr_mm > wire.d_mm / 2 * (1 + 1e-9):
        yield InputRefused("gmr_mm", wire.gmr_mm, f"at most the radius, {wire.d_mm / 2:g} mm", where="")
    if abs(one.y_m) <= radius:
        yield InputRefused("y_m", one.y_m, "above the ground or below it, by more than its radius")
    if one.bundle > 1 and (one.spacing_mm is None or one.spacing_mm <= 2 * radius / MM):
        yield InputRefused("spacing_mm", one.spacing_mm, f"more than the diameter, {2 * radius / MM:g} mm")
    if one.bundle > 1 and wire.build in SCREENED:
        yield InputRefused("bundle", one.bundle, "1 for a cable with a screen")
    if one.y_m < 0 and wire.build not in SCREENED and one.fate == "kept":
        yield InputRefused("y_m", one.y_m, "above the ground for what is kept without a screen")


def _hung(one: Place, wire: Wire, geometry: Geometry, f_hz: float, skin: bool) -> Iterator[Hung]:
    radius = (wire.d_mm or 0.0) / 2 * MM
    if skin:
        own, r = radius, places.skin_effect_ohm_per_m((wire.r_dc_ohm_per_km or 0.0) * PER_M, radius, f_hz)
    else:
        own, r = wire.gmr_mm * MM if wire.gmr_mm is not None else SOLID_GMR * radius, complex((wire.r_ohm_per_km or 0.0) * PER_M)
    spacing = (one.spacing_mm or 0.0) * MM
    screen = _screen(wire)
    yield Hung(
        one.name, one.x_m, one.y_m, r / one.bundle, places.bundled(one.bundle, spacing, own), places.bundled(one.bundle, spacing, radius), one.fate,
        c_own_f_per_m=screen.c_f_per_m if screen else None,
    )  # fmt: skip
    if screen:
        yield Hung(SCREEN.format(one.name), one.x_m, one.y_m, complex(screen.r_ohm_per_m), screen.gmr_m, screen.around_m, geometry.screens, one.name,
                   screen.around_m)  # fmt: skip


def _screen(w: Wire) -> Screen | None:
    """The screen of a wire of which nothing is lacking."""
    eps = w.eps_r
    if w.build == "concentric neutral":
        gmr = _m(w.gmr_strand_mm) if w.gmr_strand_mm is not None else SOLID_GMR * _m(w.d_strand_mm) / 2
        return places.concentric(w.strands or 0, _m(w.d_strand_mm), (w.r_strand_ohm_per_km or 0.0) * PER_M, gmr, _m(w.d_outside_mm), _m(w.d_mm), eps)
    if w.build == "tape shield":
        return places.taped(_m(w.d_shield_mm), _m(w.t_tape_mm), w.rho_tape_ohm_m, _m(w.d_mm), eps)
    return None


def _m(mm: float | None) -> float:
    return (mm or 0.0) * MM
