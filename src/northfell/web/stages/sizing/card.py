"""What the Sizing stage knows of one cable: the ladder of its rules as a picture and as figures that open their working."""

import math
from collections.abc import Sequence
from urllib.parse import urlencode

from northfell.core.model.elements import Cable, Element
from northfell.core.quantities import figure
from northfell.core.studies.sizing import SIZING, Applied, Part, Sized, Sizing, told
from northfell.drawing.shapes import Line, Rect, Shape, Style, Text
from northfell.web.shell.figures import Figure, Section, by_state
from northfell.web.shell.stage import Look
from northfell.web.stages.sizing.tags import size_text

WIDTH, ROW, TOP, LEFT, RIGHT = 264.0, 19.0, 18.0, 104.0, 44.0
BACK, BAR, DECIDES, BROKEN, ENTERED = (Style(cls=c) for c in ("bar-back", "rung", "rung decides", "rung breach", "rung-entered"))
SMALL, STRONG, WORDS = (Style(cls=c) for c in ("d", "v", "rung-words"))


def sizing_figures(look: Look, e: Element) -> list[Section]:
    """The rules of a cable's circuit, what they decide, and what goes with it."""
    found: Sizing = look.result(SIZING)
    piece = next((one for one in found.equipment if one.element_id == e.id), None)
    if piece is not None:
        return [Section("What the code asks", [_part(p) for p in piece.parts], found.settings.code)]
    if not isinstance(e, Cable):
        return [Section("Sizing", message="Select a cable, a transformer or a board. Of a cable the whole circuit is sized, with what goes with it.")]
    one = found.of.get(e.id)
    if one is None:
        why = next((left.why for left in found.left if left.element_id == e.id), "not fed in this state")
        return [Section("Sizing", message=f"Not sized: {why}.")]
    return [_ladder(one), _demand(one), _rules(one), _beside(one), _by_state(look, e)]


def _ladder(one: Sized) -> Section:
    """Each rule a bar as long as the least cross-section that satisfies it; where there is none, the bar runs off the scale."""
    rungs = [a for a in one.decision.applied if a.acts]
    message = one.decision.refused or ("; ".join(f"needs {t}" for t in one.lacking) if one.lacking else "")
    shapes = ladder_shapes(one, rungs) if any(a.alone for a in rungs) else []
    height = TOP + ROW * len(rungs) + 22
    title = f"What decides, by {'IEC 60364' if one.metric else 'NEC 2023'}"
    return Section(title, aside=size_text(one.chosen), message=message, picture=shapes, size=(WIDTH, height))


def ladder_shapes(one: Sized, rungs: Sequence[Applied]) -> list[Shape]:
    """The rungs on a common scale of cross-section, in log, of all in parallel together; what stands there is a line across."""
    areas = [a.alone.size.area_mm2 * a.alone.sets for a in rungs if a.alone]
    entered = one.entered.size.area_mm2 * one.entered.sets if one.entered else None
    low, high = min(areas + ([entered] if entered else [])) / 1.6, max(areas + ([entered] if entered else [])) * 1.25
    span = WIDTH - LEFT - RIGHT

    def x(area: float) -> float:
        return LEFT + span * math.log(area / low) / math.log(high / low)

    shapes: list[Shape] = []
    if entered:
        at, foot = x(entered), TOP + ROW * len(rungs)
        anchor = "end" if at > WIDTH - 80 else "middle"
        shapes += [Line(((at, TOP - 4), (at, foot + 2)), ENTERED), Text(at, foot + 14, f"entered {size_text(one.entered)}", SMALL, 10, anchor)]
    for n, a in enumerate(rungs):
        y = TOP + ROW * n
        decides = a.rule.id in one.decision.deciding
        broken = a.entered is not None and not a.entered.ok
        style = BROKEN if broken else DECIDES if decides else BAR
        end = x(a.alone.size.area_mm2 * a.alone.sets) if a.alone else WIDTH - RIGHT
        shapes += [
            Text(0, y + 11, a.rule.id, STRONG if decides else SMALL, 11),
            Rect(LEFT, y + 2, max(end - LEFT, 1.0), 10, style),
            Text(end + 4, y + 11, a.alone.size.label if a.alone else "none", WORDS, 10, mono=True),
        ]
    return shapes


def _demand(one: Sized) -> Section:
    c = one.circuit
    figures = [Figure("Carries", figure(c.i_b_a) if c.i_b_a is not None else "–", "A", note=c.i_b_told)]
    if c.device:
        asked = figure(c.device.i_set_a) if math.isfinite(c.device.i_set_a) else "–"
        figures.append(Figure(f"Protected by {c.device.name}", asked, "A", note=c.device.kind))
    if c.heat and math.isfinite(c.heat.a2s):
        figures.append(Figure("Heat of a fault", figure(c.heat.a2s / 1e6), "kA²s", note=c.heat.told))
    elif c.heat:
        figures.append(Figure("Heat of a fault", "∞", "kA²s", "breach", note=c.heat.told))
    if c.loop:
        figures.append(Figure("Must open within", figure(c.loop.t_s), "s", note=f"{c.loop.system}, an earth fault at its end"))
    assumed = [told for yes, told in ((c.laying.ambient_degc is None or c.laying.temperature_assumed, "ambient temperature"),
                                      (c.laying.alone_assumed, "laid alone"), (c.h3_assumed and c.neutral, "no third harmonic")) if yes]  # fmt: skip
    figures += [Figure("Not assessed", "–", note=told) for told in c.notes]
    if assumed:
        figures.append(Figure("Assumed", "~", note=", ".join(assumed)))
    return Section("The circuit", figures, c.purpose)


def _rules(one: Sized) -> Section:
    return Section("Rules", [_rule(one, a) for a in one.decision.applied], "as entered")


def _rule(one: Sized, a: Applied) -> Figure:
    severity = "breach" if a.entered is not None and not a.entered.ok else "missing" if a.lacks and one.circuit.begun else ""
    working = urlencode({"study": "sizing", "quantity": "rule", "part": a.rule.id}) if a.acts else ""
    held = a.entered or a.chosen
    text, unit = (figure(held.value, 3), held.unit) if held else ("–", "")
    notes = [f"{a.rule.says}; {a.rule.clause}"]
    if held:
        notes.append(told(held).split(", ", 1)[1] if ", " in told(held) else "")
    if a.alone:
        notes.append(f"asks for {a.alone.size.label}{' and decides' if a.rule.id in one.decision.deciding else ''}")
    notes += [a.idle] if a.idle else [f"needs {a.lacks}"] if a.lacks else []
    return Figure(a.rule.id, text, unit, severity, working, "; ".join(n for n in notes if n))


def _beside(one: Sized) -> Section:
    return Section("What goes with it", [_part(p) for p in one.beside], "as entered")


def _part(p: Part) -> Figure:
    severity = "breach" if p.ok is False else ""
    shown = "–" if p.entered is None else figure(p.entered) if isinstance(p.entered, int | float) else p.entered
    note = "; ".join(t for t in (f"{p.rule}, {p.clause}", p.demand, p.note) if t)
    return Figure(p.quantity.capitalize(), shown, p.unit if p.entered is not None else "", severity, note=note)


def _by_state(look: Look, e: Cable) -> Section:
    figures = by_state(look.over(SIZING), "used_pct", e.id, "%", lambda v: "breach" if v > 100 + 1e-6 else "", 0)
    return Section("In every state", figures, "used of what the most pressing rule allows")
