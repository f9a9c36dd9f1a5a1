"""How a rule came to what it asks for: derived again by the same function that held the size, noting each step."""

import math

from northfell.core.errors import NotFound
from northfell.core.studies.sizing.frame import Applied, Held, Try
from northfell.core.studies.sizing.result import Sized, Sizing
from northfell.core.working import Working


def explain(found: Sizing, element_id: str, rule: str) -> Working:
    """The working of one rule of a circuit: of what stands there, and of the size that it asks for by itself.

    Raises
    ------
    NotFound
        If the element is no circuit, or the rule was not applied to it.
    """
    one = found.of.get(element_id)
    if one is None:
        raise NotFound("There is no circuit to size here.")
    applied = one.decision.of(rule or (one.decision.deciding[0] if one.decision.deciding else ""))
    if applied is None or not applied.acts:
        raise NotFound(f"{rule} asks nothing of {one.circuit.name}.")
    w = Working(f"{one.circuit.name}: {applied.rule.id}, {applied.rule.clause}")
    held = _held(one, applied, one.entered, w, "as entered") if one.entered else None
    if applied.alone is not None and (one.entered is None or applied.alone.size != one.entered.size or applied.alone.sets != one.entered.sets):
        alone = _held(one, applied, applied.alone, w, "the smallest that satisfies it")
        held = held or alone
    if held and math.isfinite(held.value):
        w.result, w.unit = held.value, held.unit
    return w


def _held(one: Sized, applied: Applied, t: Try, w: Working, told: str) -> Held | None:
    w.step(f"Size held against the rule: {told}", "S", "", "", f"{t.sets} × {t.size.label}")
    held = applied.rule.hold(one.circuit, t, w)
    if held is None:
        w.step("Not in the tables", "S", "", "", "this rule says nothing of such a size")
        return None
    sign = "≤" if held.at_most else "≥"
    w.step(
        "Held against the limit",
        "",
        f"value {sign} limit",
        "",
        f"{held.value:.5g} {held.unit} {sign} {held.limit:.5g} {held.unit}: {'kept' if held.ok else 'broken'}",
    )
    return held
