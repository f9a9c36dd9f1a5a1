"""Findings: what stands there and breaks a rule of the code, and what cannot be said for want of data."""

import math
from collections.abc import Iterator

from northfell.core.finding import Finding
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.studies.sizing.result import BREACH, LINE, Sized, Sizing

STUDY = "sizing"


DUTIES = ("breaking capacity", "short-circuit rating")  # told by the duties of equipment


def circuits(found: Sizing, limits: Limits) -> Iterator[Finding]:
    """Each quantity of a circuit that breaks a rule, and circuits of which too little is known."""
    for one in found.circuits:
        yield from _of(found, one)


def equipment(found: Sizing, limits: Limits) -> Iterator[Finding]:
    """Transformers and boards that break a rule, once somebody sizes in this project."""
    if not any(one.circuit.begun for one in found.circuits):
        return
    for piece in found.equipment:
        e = found.net.elements[piece.element_id]
        for p in piece.parts:
            if p.ok is False and p.quantity not in DUTIES:
                text = f"{title_of(e)}: {p.quantity} {_amount(p.entered, p.unit)}, {p.demand}.{_told(p.note)}"
                value = float(p.entered) if isinstance(p.entered, int | float) else None
                limit = float(p.required) if isinstance(p.required, int | float) else None
                yield Finding(STUDY, found.net.state, e.id, e.name, "breach", text, value, limit, p.unit, f"Rule {p.rule}, {p.clause}.", p.quantity,
                              falls=value is not None and limit is not None and value < limit)  # fmt: skip


def _of(found: Sizing, one: Sized) -> Iterator[Finding]:
    if not one.circuit.begun:
        return
    e, state = found.net.elements[one.circuit.element_id], found.net.state
    for p in one.parts:
        verdict = one.verdict_of(p)
        if verdict == BREACH and p.quantity not in DUTIES:
            worst = one.decision.broken[0] if p.quantity == LINE and one.decision.broken else None
            held = worst.entered if worst else None
            text = f"{title_of(e)}: {p.quantity} {_amount(p.entered, p.unit)}, {p.demand or 'by ' + (worst.rule.id if worst else p.rule)}."
            value, limit = (held.value, held.limit) if held and math.isfinite(held.limit) else (None, None)
            help_ = f"Rule {worst.rule.id if worst else p.rule}, {worst.rule.clause if worst else p.clause}." + (
                f" {_amount(p.chosen, p.unit)} would do." if p.chosen is not None and p.chosen != p.entered else ""
            )
            yield Finding(STUDY, state, e.id, e.name, "breach", text + _told(p.note), value, limit, held.unit if held else "", help_, p.quantity,
                          falls=bool(held and not held.at_most))  # fmt: skip
    if one.decision.refused:
        yield Finding(STUDY, state, e.id, e.name, "breach", one.decision.refused, help="Lay it otherwise, or split the circuit.", check="no size")
    if one.lacking:
        text = f"{title_of(e)} cannot be sized whole: {'; '.join(one.lacking)} is not known."
        yield Finding(STUDY, state, e.id, e.name, "missing", text, help="Enter it on the card, under Laying or Circuit.", check="lacking")


def _told(note: str) -> str:
    return f" {note[0].upper()}{note[1:]}." if note else ""


def _amount(value: float | str | None, unit: str) -> str:
    return "none" if value is None else f"{value:g} {unit}".strip() if isinstance(value, int | float) else value
