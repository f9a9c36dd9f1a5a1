"""One declaration per parameter. The card, the completeness list, the JSON schema and the refusals are all derived from it.

A field of an element or of the settings is declared once, with :func:`param`; :func:`parameters_of` reads the declarations back.
"""

import types
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel, Field

from northfell.core.model.declare.rows import MOST_ROWS, Row

Form = Literal["number", "whole number", "choice", "text", "yes or no", "reference", "table", "record"]


OF_EQUIPMENT = (
    "Rating",
    "Short-circuit rating",
    "Impedance",
    "Earthing",
    "Construction",
    "Laying",
    "Circuit",
    "Enclosure",
    "Direct current",
    "Protection",
    "Earth-fault protection",
)  # sections of elements, in the order in which they are read
OF_CONTROL = ("Operation", "Tap changer", "Volt-var", "Power factor by power", "Volt-watt")
SECTIONS = (*OF_EQUIPMENT, *OF_CONTROL, "Connection", "By phase", "Place", "Identity", "Notes")
LINE_ACCEPTED = "text of up to 200 characters on one line"
LINES_ACCEPTED = "text of up to 20000 characters"


@dataclass(frozen=True)
class When:
    """The condition under which a parameter acts: another field has one of these values (None: any value at all)."""

    field: str
    among: tuple[Any, ...] | None = None

    def holds(self, values: Mapping[str, Any]) -> bool:
        value = values.get(self.field)
        return value is not None if self.among is None else value in self.among

    def __str__(self) -> str:
        return f"{self.field} is given" if self.among is None else f"{self.field} is {' or '.join(map(str, self.among))}"


@dataclass(frozen=True)
class Parameter:
    """What a declaration says."""

    name: str
    form: Form
    label: str
    meaning: str
    unit: str
    symbol: str
    section: str
    needed_for: tuple[str, ...]
    acts_when: tuple[When, ...]  # all of them must hold
    when_ordered: bool  # needed only where something in service gives its element orders
    replaced_by: str  # the fields, parted by spaces, each of which makes this one unnecessary
    typical: str  # key of the rule in catalogue.typical, empty if there is none
    wanted_for: tuple[str, ...]  # studies that run without it, but leave something untold: filled with the others
    in_state: bool  # may differ between operating states
    refers_to: tuple[str, ...]  # kinds of element
    choices: tuple[Any, ...]
    gt: float | None
    ge: float | None
    lt: float | None
    le: float | None
    optional: bool
    default: Any
    source: str
    enters: str  # where it acts: the equation or rule in which it stands
    row: type[Row] | None = None  # of a table: the class of its rows
    row_of: str = ""  # the table of the same element of which it names a row

    @property
    def columns(self) -> tuple["Parameter", ...]:
        """The declared columns of a table; none of what is no table."""
        return parameters_of(self.row) if self.row else ()

    @property
    def accepted(self) -> str:
        """What the field takes, in words."""
        if self.form == "choice":
            text = "one of " + ", ".join(f"“{c}”" for c in self.choices)
        elif self.form == "yes or no":
            text = "true or false"
        elif self.form == "text":
            text = LINE_ACCEPTED if self.name != "note" else LINES_ACCEPTED
        elif self.form == "table":
            shown = (f"{c.label.lower()} [{c.unit}]" if c.unit else c.label.lower() for c in self.columns)
            text = f"up to {MOST_ROWS} rows of {' | '.join(shown)}, parted by “;”"
        elif self.form == "reference":
            text = "the name of a " + " or ".join(kind.replace("_", " ") for kind in self.refers_to)
        else:
            unit = f" {self.unit}" if self.unit else ""
            low = f"above {self.gt:g}{unit}" if self.gt is not None else f"{self.ge:g}{unit} or more" if self.ge is not None else ""
            high = f"below {self.lt:g}{unit}" if self.lt is not None else f"{self.le:g}{unit} or less" if self.le is not None else ""
            text = f"a {self.form}" + (f" in {self.unit}" if unit and not low and not high else "")
            text += (", " if low or high else "") + " and ".join(t for t in (low, high) if t)
        return text + (" (or empty)" if self.optional else "")

    def acts(self, values: Mapping[str, Any]) -> bool:
        """Whether the parameter has an effect beside these other values."""
        return not self.acts_when or self.idle(values) is None  # most have no condition, and this is asked very often

    def replaced(self, values: Mapping[str, Any]) -> str:
        """The field that makes this one unnecessary beside these other values; empty if none does."""
        return next((f for f in self.replaced_by.split() if values.get(f) not in (None, "", [])), "")

    def idle(self, values: Mapping[str, Any]) -> "When | None":
        """The first condition that keeps the parameter from acting beside these other values; None if it acts."""
        return next((when for when in self.acts_when if not when.holds(values)), None)


def param(
    default: Any = ...,
    *,
    label: str,
    meaning: str,
    unit: str = "",
    symbol: str = "",
    section: str = "Rating",
    needed_for: Iterable[str] = (),
    acts_when: When | tuple[When, ...] = (),
    when_ordered: bool = False,
    replaced_by: str = "",
    typical: str = "",
    wanted_for: Iterable[str] = (),
    in_state: bool = False,
    refers_to: Iterable[str] = (),
    choices: Iterable[Any] = (),
    gt: float | None = None,
    ge: float | None = None,
    lt: float | None = None,
    le: float | None = None,
    source: str = "",
    enters: str = "",
    row_of: str = "",
) -> Any:
    """Declare a parameter. `choices` is for lists that come from data; a Literal type needs none.

    Give it a range, a unit and a meaning that a student can read; `needed_for` names the studies that cannot run without it.
    """
    conditions = (acts_when,) if isinstance(acts_when, When) else acts_when
    told: dict[str, Any] = {
        "unit": unit,
        "symbol": symbol,
        "section": section,
        "needed_for": list(needed_for),
        "acts_when": " and ".join(map(str, conditions)),
        "when_ordered": when_ordered,
        "replaced_by": replaced_by,
        "typical": typical,
        "wanted_for": list(wanted_for),
        "in_state": in_state,
        "refers_to": list(refers_to),
        "source": source,
        "enters": enters,
        "row_of": row_of,
    }
    extra: dict[str, Any] = {f"x-{key.replace('_', '-')}": value for key, value in told.items() if value}
    if choices:
        extra["enum"] = [*choices, None] if default is None else [*choices]
    if conditions:
        extra["x-conditions"] = [{"field": when.field, "among": list(when.among) if when.among else None} for when in conditions]
    return Field(default, title=label, description=meaning, gt=gt, ge=ge, lt=lt, le=le, json_schema_extra=extra)


@cache
def parameters_of(model: type[BaseModel]) -> tuple[Parameter, ...]:
    """All declared parameters of an element kind or settings class, in the order of declaration."""
    return tuple(_read(model, name) for name, info in model.model_fields.items() if info.title)


def parameter(model: type[BaseModel], name: str) -> Parameter | None:
    """One declared parameter by its name, or None."""
    return _by_name(model).get(name)


@cache
def _by_name(model: type[BaseModel]) -> dict[str, Parameter]:
    return {p.name: p for p in parameters_of(model)}


def _read(model: type[BaseModel], name: str) -> Parameter:
    info = model.model_fields[name]
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}

    def told(key: str, otherwise: Any = "") -> Any:
        return extra.get(f"x-{key}", otherwise)

    bounds = {key: next((getattr(m, key) for m in info.metadata if hasattr(m, key)), None) for key in ("gt", "ge", "lt", "le")}
    listed = [choice for choice in extra.get("enum", []) if choice is not None]  # type: ignore[union-attr]
    form, choices, optional = _form(info.annotation)
    if listed:
        form, choices = "choice", tuple(listed)
    if told("refers-to", None):
        form = "reference"
    return Parameter(
        name=name,
        form=form,
        label=info.title or name,
        meaning=info.description or "",
        unit=told("unit"),
        symbol=told("symbol"),
        section=told("section"),
        needed_for=tuple(told("needed-for", [])),
        acts_when=tuple(When(c["field"], tuple(c["among"]) if c["among"] else None) for c in told("conditions", [])),
        when_ordered=bool(told("when-ordered", False)),
        replaced_by=told("replaced-by"),
        typical=told("typical"),
        wanted_for=tuple(told("wanted-for", [])),
        in_state=bool(told("in-state", False)),
        refers_to=tuple(told("refers-to", [])),
        choices=choices,
        optional=optional,
        default=None if info.is_required() else info.get_default(call_default_factory=True),
        source=told("source"),
        enters=told("enters"),
        row=_row_class(info.annotation),
        row_of=told("row-of"),
        **bounds,
    )


def _form(annotation: Any) -> tuple[Form, tuple[Any, ...], bool]:
    """Form of entry, choices and whether the field may be empty, from the type."""
    if get_origin(annotation) is Annotated:
        return _form(get_args(annotation)[0])
    if get_origin(annotation) in (Union, types.UnionType):
        inner = [a for a in get_args(annotation) if a is not type(None)]
        form, choices, _ = _form(inner[0])
        return form, choices, True
    if get_origin(annotation) is Literal:
        return "choice", get_args(annotation), False
    if _row_class(annotation):
        return "table", (), False
    forms: dict[Any, Form] = {float: "number", int: "whole number", str: "text", bool: "yes or no"}
    return forms.get(annotation, "record"), (), False


def _row_class(annotation: Any) -> type[Row] | None:
    """The class of the rows, of a list of them."""
    inner = get_args(annotation)[0] if get_origin(annotation) is list else None
    return inner if isinstance(inner, type) and issubclass(inner, Row) else None
