"""Pictures of a feeder: its plan, with line width by what flows, and its voltages against the distance from the source."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from html import escape

from northfell.core.quantities import figure, fixed
from northfell.drawing.shapes import Circle, Line, Point, Polygon, Rect, Shape, Style, Text, number

LEAST, MOST = 1.0, 9.0  # widths of a line
PLAN_W, PLAN_H, EDGE = 900.0, 370.0, 34.0
ROUND = (1.0, 2.0, 5.0)


@dataclass(frozen=True)
class Stretch:
    """A line, or anything else that joins two places."""

    id: str
    name: str
    a: str
    b: str
    phases: str
    value: float | None  # by which it is drawn wide; None where it is not known
    told: str  # what stands in its title
    way: int = 0  # of power: 1 from a to b
    is_open: bool = False
    loop: bool = False


@dataclass(frozen=True)
class Spot:
    """A place with its class of voltage, and what stands there."""

    id: str
    name: str
    east: float
    north: float
    told: str
    voltage: str = ""  # class: low, high, very low, very high
    kinds: tuple[str, ...] = ()  # of what is marked there
    generation_mva: float = 0.0


@dataclass(frozen=True)
class Group:
    """One element of a picture."""

    element: str
    title: str
    shapes: tuple[Shape, ...]
    cls: str = ""

    def svg(self) -> str:
        inner = "".join(s.svg() for s in self.shapes)
        return f'<g class="fd {self.cls}" data-element="{escape(self.element)}"><title>{escape(self.title)}</title>{inner}</g>'


@dataclass(frozen=True)
class Picture:
    """Groups on a ground, in a box."""

    label: str
    size: tuple[float, float]
    groups: tuple[Group, ...]
    ground: tuple[Shape, ...] = ()
    over: tuple[Shape, ...] = ()
    legend: tuple[Shape, ...] = field(default=())

    def svg(self, key: str, styled: bool = False) -> str:
        """The whole; with its own style where it leaves the screen."""
        w, h = self.size
        ground, over, legend = ("".join(s.svg() for s in shapes) for shapes in (self.ground, self.over, self.legend))
        return (
            f'<svg xmlns="http://www.w3.org/2000/svg" class="feeder" id="{key}" data-fit="0 0 {number(w)} {number(h)}" viewBox="0 0 {number(w)} {number(h)}" '
            f'role="group" aria-label="{escape(self.label)}">{STYLE if styled else ""}<g class="fd-ground">{ground}</g>{"".join(g.svg() for g in self.groups)}'
            f'<g class="fd-over">{over}</g><g class="fd-legend">{legend}</g></svg>'
        )


def scale_found(values: Iterable[float]) -> float:
    """The value drawn at the greatest width where none is asked for: that below which nineteen of twenty are, on a round figure."""
    sizes = sorted(abs(v) for v in values if v and math.isfinite(v))
    return _rounded_up(sizes[min(len(sizes) - 1, int(0.95 * len(sizes)))]) if sizes else 1.0


def _rounded_up(value: float) -> float:
    decade = 10.0 ** math.floor(math.log10(value))
    return next((step * decade for step in (*ROUND, 10.0) if step * decade >= value * (1 - 1e-9)), 10.0 * decade)


def width_for(value: float | None, most: float) -> float:
    """Width of a line: by the root of its value, at most that of the greatest."""
    return LEAST if not value or not math.isfinite(value) else LEAST + (MOST - LEAST) * math.sqrt(min(abs(value) / most, 1.0))


# the tokens of the screen, for files
STYLE = (
    "<style>.fd-hit{stroke:none;fill:none}.fd-line{fill:none;stroke:#18262B}.line-two{stroke-dasharray:9 3}.line-one{stroke-dasharray:4 3}"
    ".fd-loop{fill:none;stroke:#94590A;stroke-opacity:.3;stroke-width:14}.fd-open{fill:none;stroke:#A9B3B3;stroke-dasharray:2 3}"
    ".fd-gap,.fd-mark{fill:#FFFEFB;stroke:#18262B}.fd-mark-line,.fd-beyond,.fd-scale{fill:none;stroke:#18262B}.fd-arrow{fill:#18262B}"
    ".fd-sun{fill:#5A7028;fill-opacity:.22;stroke:#5A7028}.fd-spot{fill:#18262B}.fd-spot.low,.fd-spot.very-low{fill:#2B6C94}"
    ".fd-spot.high,.fd-spot.very-high{fill:#74508C}.fd-v{fill:none;stroke:#18262B;stroke-width:2}.phase-b{stroke-dasharray:7 3;stroke:#1E5F5A}"
    ".phase-c{stroke-dasharray:2 3;stroke:#74508C}.phase-1,.phase-2{stroke:#5B6A6E;stroke-width:1}.minor{stroke-width:1}.grid{stroke:#D9D4C7}"
    ".limit{stroke:#A3263F;stroke-dasharray:6 3}.d{fill:#5B6A6E;font-family:sans-serif}</style>"
)
DASH = {1: "one", 2: "two", 3: "three"}


def plan(stretches: Sequence[Stretch], spots: Sequence[Spot], most: float, unit: str, what: str) -> Picture:
    """The feeder on its coordinates: north is up, both axes have one scale, a bar tells it."""
    at, per_m = _placed(spots)
    groups = [_stretch(one, at[one.a], at[one.b], most) for one in stretches if one.a in at and one.b in at]
    groups += [_spot(one, at[one.id]) for one in spots]
    legend = (*_scale_bar(per_m), *(_width_legend(most, unit, what) if what else ()))
    return Picture("Plan of the feeder", (PLAN_W, PLAN_H), tuple(groups), legend=legend)


def _placed(spots: Sequence[Spot]) -> tuple[dict[str, Point], float]:
    if not spots:
        return {}, 1.0
    easts, norths = [s.east for s in spots], [s.north for s in spots]
    wide, high = max(max(easts) - min(easts), 1.0), max(max(norths) - min(norths), 1.0)
    per_m = min((PLAN_W - 2 * EDGE) / wide, (PLAN_H - 2 * EDGE - 40) / high)
    left, top = (PLAN_W - wide * per_m) / 2, (PLAN_H - 40 - high * per_m) / 2
    return {s.id: (left + (s.east - min(easts)) * per_m, top + (max(norths) - s.north) * per_m) for s in spots}, per_m


def _stretch(one: Stretch, a: Point, b: Point, most: float) -> Group:
    wide = width_for(one.value, most)
    cls = f"line-{DASH.get(len([p for p in one.phases if p in 'abc']) or 1, 'one')}"
    shapes: list[Shape] = [Line((a, b), Style("fd-hit"))]
    if one.loop:
        shapes.append(Line((a, b), Style("fd-loop")))
    if one.is_open:
        middle = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
        shapes += [Line((a, b), Style("fd-open")), Circle(*middle, 3.2, Style("fd-gap"))]
        return Group(one.id, one.told, tuple(shapes))
    shapes.append(Line((a, b), Style(f"fd-line {cls}", width=wide)))
    length = math.hypot(b[0] - a[0], b[1] - a[1])
    if one.way and length > 16:
        shapes.append(_arrow(a, b, one.way, wide))
    if one.value and abs(one.value) > most * (1 + 1e-9):  # beyond the scale: told by a stroke across
        shapes.append(_across(a, b, wide))
    return Group(one.id, one.told, tuple(shapes))


def _unit(a: Point, b: Point) -> tuple[float, float]:
    length = math.hypot(b[0] - a[0], b[1] - a[1]) or 1.0
    return (b[0] - a[0]) / length, (b[1] - a[1]) / length


def _arrow(a: Point, b: Point, way: int, wide: float) -> Polygon:
    (ux, uy), size = _unit(a, b), 3.0 + wide / 2
    ux, uy = ux * way, uy * way
    x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
    tip = (x + ux * size, y + uy * size)
    return Polygon((tip, (x - ux * size - uy * size, y - uy * size + ux * size), (x - ux * size + uy * size, y - uy * size - ux * size)), Style("fd-arrow"))


def _across(a: Point, b: Point, wide: float) -> Line:
    ux, uy = _unit(a, b)
    x, y, half = a[0] + 0.3 * (b[0] - a[0]), a[1] + 0.3 * (b[1] - a[1]), wide / 2 + 4
    return Line(((x - uy * half, y + ux * half), (x + uy * half, y - ux * half)), Style("fd-beyond"))


def _spot(one: Spot, at: Point) -> Group:
    x, y = at
    shapes: list[Shape] = []
    if one.generation_mva > 0:
        shapes.append(Circle(x, y, 4 + 9 * math.sqrt(one.generation_mva), Style("fd-sun")))
    r = 2.2 if not one.voltage else 4.6
    if one.voltage.startswith("very"):
        up = one.voltage.endswith("high")
        tip, foot = (y - 7, y + 5) if up else (y + 7, y - 5)
        shapes.append(Polygon(((x, tip), (x - 6.5, foot), (x + 6.5, foot)), Style(f"fd-spot {one.voltage.replace(' ', '-')}")))
    else:
        shapes.append(Circle(x, y, r, Style(f"fd-spot {one.voltage}".strip())))
    for k, kind in enumerate(one.kinds):
        shapes += _mark(kind, x + 9 + 13 * k, y - 9)
    return Group(one.id, one.told, tuple(shapes))


def _mark(kind: str, x: float, y: float) -> list[Shape]:
    """The sign of a kind of equipment: as plain as its figure in the legend of kinds."""
    style = Style("fd-mark")
    if kind == "regulator":
        return [Circle(x, y, 5, style), Line(((x - 4, y + 4), (x + 5, y - 5)), Style("fd-mark-line"))]
    if kind == "capacitor":
        return [Line(((x - 4, y - 1.5), (x + 4, y - 1.5)), Style("fd-mark-line")), Line(((x - 4, y + 1.5), (x + 4, y + 1.5)), Style("fd-mark-line"))]
    if kind == "transformer":
        return [Circle(x - 2, y, 3, style), Circle(x + 2, y, 3, style)]
    if kind == "switch":
        return [Rect(x - 3.5, y - 3.5, 7, 7, style)]
    return [Polygon(((x - 4, y - 3), (x + 4, y - 3), (x, y + 4)), style)]


def _scale_bar(per_m: float) -> list[Shape]:
    metres = next((m for m in (50000.0, 20000.0, 10000.0, 5000.0, 2000.0, 1000.0, 500.0, 200.0, 100.0, 50.0, 20.0, 10.0) if m * per_m <= 160), 10.0)
    x, y = EDGE, PLAN_H - 18
    told = f"{metres / 1000:g} km" if metres >= 1000 else f"{metres:g} m"
    ends = Line(((x, y - 5), (x, y), (x + metres * per_m, y), (x + metres * per_m, y - 5)), Style("fd-scale"))
    return [ends, Text(x + metres * per_m + 6, y, told, Style("d"), 12), Text(x, y - 12, "north up", Style("d"), 11)]


def _width_legend(most: float, unit: str, what: str) -> list[Shape]:
    """Three widths with their numbers."""
    x, y, shapes = PLAN_W - 350.0, PLAN_H - 18.0, list[Shape]()
    shapes.append(Text(x, y - 22, f"{what}, {unit}; a stroke across: more", Style("d"), 11))
    for k, part in enumerate((0.1, 0.4, 1.0)):
        shapes.append(Line(((x + 112 * k, y - 4), (x + 112 * k + 34, y - 4)), Style("fd-line line-three", width=width_for(part * most, most))))
        shapes.append(Text(x + 112 * k + 40, y, figure(part * most, 2), Style("d"), 12))
    return shapes


# --- voltage against distance


@dataclass(frozen=True)
class Fall:
    """A phase of an element from one place to the next, by distance [km] and voltage [p.u.]."""

    id: str
    told: str
    phase: str
    km: tuple[float, float]
    v_pu: tuple[float, float]
    minor: bool = False  # behind a transformer, or of a branch off


PROFILE_W, PROFILE_H, LEFT, RIGHT, TOP, BOTTOM = 900.0, 250.0, 56.0, 120.0, 18.0, 34.0


def profile(falls: Sequence[Fall], limits: Mapping[str, float], names: Mapping[str, str], what: str) -> Picture:
    """Voltage over the distance from the source; a regulator is a step, limits are lines with their numbers."""
    values = [v for f in falls for v in f.v_pu] or [1.0]
    low, high = min(*values, *limits.values(), 1.0) - 0.008, max(*values, *limits.values(), 1.0) + 0.008
    far = max((km for f in falls for km in f.km), default=1.0) or 1.0

    def at(km: float, v: float) -> Point:
        return LEFT + (PROFILE_W - LEFT - RIGHT) * km / far, TOP + (PROFILE_H - TOP - BOTTOM) * (high - v) / (high - low)

    ground: list[Shape] = []
    for v in _ticks(low, high):
        y = at(0, v)[1]
        ground += [Line(((LEFT, y), (PROFILE_W - RIGHT, y)), Style("grid")), Text(LEFT - 6, y + 4, fixed(v, 2), Style("d"), 11, "end", mono=True)]
    for km in _ticks(0, far):
        x = at(km, low)[0]
        ground += [Line(((x, TOP), (x, PROFILE_H - BOTTOM)), Style("grid")), Text(x, PROFILE_H - BOTTOM + 14, f"{km:g}", Style("d"), 11, "middle", mono=True)]
    ground += [Text(PROFILE_W - RIGHT, PROFILE_H - 6, "km from the source", Style("d"), 11, "end"), Text(LEFT - 44, TOP - 6, f"{what}, p.u.", Style("d"), 11)]
    ground += _limits(limits, at, far)
    groups = []
    for f in falls:
        a, b = at(f.km[0], f.v_pu[0]), at(f.km[1], f.v_pu[1])
        cls = f"fd-v phase-{f.phase}" + (" minor" if f.minor else "")
        groups.append(Group(f.id, f.told, (Line((a, b), Style("fd-hit")), Line((a, b), Style(cls)))))
    legend: list[Shape] = []
    for k, (p, name) in enumerate(names.items()):
        x, y = LEFT + 84.0 * k, PROFILE_H - 6
        legend += [Line(((x, y - 4), (x + 30, y - 4)), Style(f"fd-v phase-{p}")), Text(x + 36, y, name, Style("d"), 12)]
    return Picture("Voltage against distance", (PROFILE_W, PROFILE_H), tuple(groups), tuple(ground), legend=tuple(legend))


def _limits(limits: Mapping[str, float], at: object, far: float) -> list[Shape]:
    assert callable(at)
    shapes: list[Shape] = []
    taken: list[float] = []
    for told, v in sorted(limits.items(), key=lambda one: -one[1]):
        y = at(far, v)[1]
        shapes.append(Line(((LEFT, y), (PROFILE_W - RIGHT, y)), Style("limit")))
        y_text = max(y + 4, *(t + 12 for t in taken)) if taken else y + 4
        taken.append(y_text)
        shapes.append(Text(PROFILE_W - RIGHT + 6, y_text, f"{fixed(v, 3)} {told}", Style("d"), 10.5))
    return shapes


def _ticks(low: float, high: float) -> list[float]:
    """Round figures, at most ten of them."""
    step = _rounded_up((high - low) / 8)
    first = math.ceil(low / step)
    return [round(k * step, 9) for k in range(first, int(high / step + 1e-9) + 1)]
