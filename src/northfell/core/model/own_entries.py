"""Catalogue entries of an engineer's own, kept with the project: made from a shipped one, imported, or entered."""

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel, Field, ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.declare.parameters import OF_CONTROL, Parameter, parameters_of
from northfell.core.model.elements import KINDS, Name
from northfell.core.model.elements.base import RECORD, Phrase
from northfell.core.model.line_data import LINE_DATA
from northfell.core.model.validation import element_from, refusals_from

ENTRY_KINDS: Mapping[str, type[Any]] = {**KINDS, **LINE_DATA}  # of what there are catalogue entries

OF_THE_PLACE = ("length_m", "parallel", "count", "t_operating_degc")  # though they stand beside the nameplate
NOT_IN_ENTRIES = (*OF_CONTROL, "Identity", "Connection", "By phase", "Notes")  # sections that belong to the place, not to the equipment


class OwnEntry(BaseModel):
    """An entry of one's own: parameter values of one kind of element, or of what lines are made of, under a name."""

    model_config = RECORD
    name: Name
    kind: str
    family: Phrase = Field(default="", max_length=80)
    values: dict[str, Any] = Field(default_factory=dict)
    source: Phrase = ""
    made_from: Phrase = ""  # the shipped entry, where it was made from one


def entry_parameters(kind: type[BaseModel]) -> tuple[Parameter, ...]:
    """The parameters that a catalogue entry of a kind may hold: what belongs to the equipment, not to its place."""
    return tuple(p for p in parameters_of(kind) if _of_equipment(p))


def _of_equipment(p: Parameter) -> bool:
    return p.section not in NOT_IN_ENTRIES and p.name not in OF_THE_PLACE and not p.in_state and p.form in ("number", "whole number", "choice", "text", "table")


def entry_breaches(one: OwnEntry) -> list[InputRefused]:
    """What an entry holds that an element of its kind would not take."""
    where = f"Catalogue entry {one.name}"
    if one.kind not in ENTRY_KINDS:
        return [InputRefused("kind", one.kind, "one of " + ", ".join(ENTRY_KINDS), where=where)]
    allowed = [p.name for p in entry_parameters(ENTRY_KINDS[one.kind])]
    found = [InputRefused("field", name, "one of " + ", ".join(allowed), where=where) for name in one.values if name not in allowed]
    return found or value_breaches(one.kind, one.values, where)


def value_breaches(kind: str, values: Mapping[str, Any], where: str) -> list[InputRefused]:
    """What an element of a kind would refuse of some values, taken by themselves."""
    if kind in LINE_DATA:
        try:
            LINE_DATA[kind].model_validate(dict(values))
        except ValidationError as error:
            return refusals_from(error, LINE_DATA[kind], values, where)
        return []
    needed: dict[str, Any] = {}
    for p in parameters_of(KINDS[kind]):
        if KINDS[kind].model_fields[p.name].is_required() and p.name != "name":
            needed[p.name] = "elsewhere" if p.form == "reference" else 1.0
    try:
        element_from({"kind": kind, "id": "entry", "name": "entry", **needed, **values}, where)
    except NetworkRefused as error:
        return [refusal.at(where) for refusal in error.refusals]
    return []
