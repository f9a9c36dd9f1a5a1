"""Raw data as elements, and what is refused of them in the words of the declarations."""

from typing import Any

from pydantic import BaseModel, ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import ELEMENT, KINDS, NAME_ACCEPTED, Element, Load


def title_of(element: Element) -> str:
    """How a message names an element: kind and name."""
    return f"{element.TITLE} {element.name}"


def element_from(raw: Any, where: str = "") -> Element:
    """An element from raw data.

    Raises
    ------
    NetworkRefused
        With one refusal for each field, which names the element, the field, the value and what is accepted.
    """
    if not isinstance(raw, dict):
        raise NetworkRefused([InputRefused("element", raw, "an object with kind and name", where=where or "Elements")])
    kind, name = raw.get("kind"), raw.get("name")
    place = where
    if isinstance(kind, str) and kind in KINDS and isinstance(name, str) and name:
        place = f"{KINDS[kind].TITLE} {name if name.isprintable() else name.encode('unicode_escape').decode()}"[:120]
    try:
        element: Element = ELEMENT.validate_python(raw)
    except ValidationError as error:
        raise NetworkRefused(refusals_from(error, KINDS.get(kind) if isinstance(kind, str) else None, raw, place)) from None
    if breaches := own_contradictions(element):
        raise NetworkRefused([one.at(place or title_of(element)) for one in breaches])
    return element


# pairs of fields of which the first must not exceed the second; with False, must lie below it
ORDERED: tuple[tuple[str, str, str, bool], ...] = (
    ("tap_lowest_pct", "tap_highest_pct", "%", False), ("v_in_pu", "v_out_pu", "p.u.", False),
    ("q_out_mvar", "q_in_mvar", "Mvar", False), ("i_out_a", "i_in_a", "A", False), ("ik_min_ka", "ik_max_ka", "kA", True),
    ("q_min_mvar", "q_max_mvar", "Mvar", True), ("vv_v1_pu", "vv_v2_pu", "p.u.", False), ("vv_v2_pu", "vv_v3_pu", "p.u.", True),
    ("vv_v3_pu", "vv_v4_pu", "p.u.", False), ("vw_v1_pu", "vw_v2_pu", "p.u.", False), ("pfp_p1_pct", "pfp_p2_pct", "%", False),
)  # fmt: skip


def own_contradictions(element: Element) -> list[InputRefused]:
    """Values of one element that contradict each other: ranges the wrong way round."""
    found = []
    values = element.__dict__
    for low, high, unit, equal in ORDERED:
        a, b = values.get(low), values.get(high)
        if a is None or b is None or a < b or (equal and a == b):
            continue
        p = parameter(type(element), high)
        word = "at most" if equal else "below"
        found.append(InputRefused(low, a, f"{word} {p.label.lower() if p else high}, {b:g} {unit}"))
    if isinstance(element, Load):
        for field, (by_power, by_current) in zip(("share_current_pct", "share_q_current_pct"), element.shares_given, strict=True):
            if by_power + by_current > 100:
                found.append(InputRefused(field, by_current, f"at most {100 - by_power:g} %: the shares are parts of one load"))
    return found


def refusals_from(error: ValidationError, model: type[BaseModel] | None, raw: Any, where: str) -> list[InputRefused]:
    """A validation error as refusals in the words of the declarations."""
    found: list[InputRefused] = []
    for one in error.errors(include_url=False):
        path = [part for part in one["loc"] if not (isinstance(part, str) and part in KINDS)]
        declared, field, row = _innermost(model, path)
        got, p = one["input"], parameter(declared, field) if declared else None
        told = one.get("ctx", {}).get("error")
        place, where = where, f"{where}, {row}" if row else where
        if isinstance(told, InputRefused):
            found.append(told.at(where))
        elif one["type"] == "extra_forbidden":
            accepted, got = "one of " + ", ".join(declared.model_fields if declared else []), field
            found.append(InputRefused("field", got, accepted, where=where))
        elif one["type"].startswith("union_tag"):
            found.append(InputRefused("kind", raw.get("kind") if isinstance(raw, dict) else raw, "one of " + ", ".join(KINDS), where=where))
        elif one["type"] == "missing":
            found.append(InputRefused(field, None, p.accepted if p else "a value", where=where))
        elif isinstance(told, ValueError) and p is not None and p.form == "text":
            found.append(InputRefused(field, got, str(told), where=where))  # the rule of that text says what it takes
        elif field == "name":
            found.append(InputRefused(field, got, NAME_ACCEPTED, where=where))
        else:
            found.append(InputRefused(field, got, p.accepted if p else one["msg"].lower(), where=where))
        where = place
    unique = {(r.field, r.accepted, r.where): r for r in found}  # a union reports each of its members
    return list(unique.values())


def _innermost(model: type[BaseModel] | None, path: list[Any]) -> tuple[type[BaseModel] | None, str, str]:
    """The record in which a fault lies, its field, and the row of a table in words: settings are nested records, tables are lists of them."""
    declared, field, row = model, str(path[0]) if path else "kind", ""
    for step, part in enumerate(path[:-1]):
        info = declared.model_fields.get(str(part)) if declared else None
        nested = info.annotation if info else None
        p = parameter(declared, str(part)) if declared else None
        if p and p.row and isinstance(path[step + 1], int):
            row = f"{p.label.lower()}, row {path[step + 1] + 1}"
            if len(path) > step + 2:
                declared, field = p.row, str(path[step + 2])
        elif isinstance(nested, type) and issubclass(nested, BaseModel):
            declared, field = nested, str(path[step + 1])
    return declared, field, row
