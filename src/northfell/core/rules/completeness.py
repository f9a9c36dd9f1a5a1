"""What is still missing, for which study."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache

from northfell.core.model.by_element import ByElement
from northfell.core.model.declare.parameters import Parameter, parameters_of
from northfell.core.model.declare.rows import Row
from northfell.core.model.elements import Element
from northfell.core.model.network import title_of


@dataclass(frozen=True)
class Missing:
    """A parameter that a study needs and an element lacks; of a table, what a row of it lacks."""

    element: Element
    parameter: Parameter
    row: int | None = None
    column: Parameter | None = None

    @property
    def key(self) -> str:
        """The field, and for a table its row and column: by which the card finds its entry."""
        return self.parameter.name if self.column is None else f"{self.parameter.name}.{self.row}.{self.column.name}"

    @property
    def label(self) -> str:
        return self.parameter.label if self.column is None else f"{self.parameter.label}, row {(self.row or 0) + 1}: {self.column.label.lower()}"

    def __str__(self) -> str:
        p = self.column or self.parameter
        place = "" if self.column is None else f", {self.parameter.label.lower()}, row {(self.row or 0) + 1}"
        return f"{title_of(self.element)}{place}: {p.name} is empty, accepted is {p.accepted.removesuffix(' (or empty)')}."


def needed(elements: Mapping[str, Element], element: Element, study: str) -> Iterable[Parameter]:
    """The parameters without which this element cannot take part in the study, beside the others of the network."""
    return (p for p in _asked_for(type(element), study) if _is_needed(elements, element, p))


def _is_needed(elements: Mapping[str, Element], element: Element, p: Parameter, ordered: frozenset[str] | None = None) -> bool:
    return _acts(element, p) and _is_ordered(elements, element, p, ordered)


def _acts(element: Element, p: Parameter) -> bool:
    """Whether a parameter takes part beside the other values of its element."""
    values = element.__dict__
    return p.acts(values) and not (p.replaced_by and p.replaced(values))


def _is_ordered(elements: Mapping[str, Element], element: Element, p: Parameter, ordered: frozenset[str] | None = None) -> bool:
    """Whether something in service opens this element, where the parameter is needed for that alone; `ordered`: all that are opened, where many are asked."""
    if not p.when_ordered:
        return True
    return element.id in (_all_ordered(elements) if ordered is None else ordered)


def _all_ordered(elements: Mapping[str, Element]) -> frozenset[str]:
    """The devices that something in service opens."""
    return frozenset(e.orders for e in elements.values() if e.ORDERS and e.in_service and e.orders)


@cache
def _asked_for(kind: type[Element], study: str) -> tuple[Parameter, ...]:
    return tuple(p for p in parameters_of(kind) if study in p.needed_for)


@cache
def _tables_asked(kind: type[Element], study: str) -> tuple[Parameter, ...]:
    return tuple(p for p in parameters_of(kind) if any(study in c.needed_for for c in p.columns))


def lacking_in(p: Parameter, row: Row, study: str | None = None) -> list[str]:
    """The columns that a row of a table lacks for a study, or for any."""
    asked = (c for c in p.columns if (study in c.needed_for if study else c.needed_for))
    return [c.name for c in asked if getattr(row, c.name) is None and c.acts(row.__dict__)]


@cache
def _asked_by_study(kind: type[Element]) -> tuple[tuple[str, tuple[Parameter, ...]], ...]:
    """Each study that asks for something of a kind, with the fields that it asks for."""
    studies = {study for p in parameters_of(kind) for study in (*p.needed_for, *(s for c in p.columns for s in c.needed_for))}
    return tuple((s, _asked_for(kind, s)) for s in sorted(studies))


def _may_lack(element: Element) -> dict[str, tuple[Parameter, ...]]:
    """The studies for which something may be missing, with the parameters that are empty and act; those that ask for rows of a table among them."""
    held, found = element.__dict__, dict[str, tuple[Parameter, ...]]()
    for study, asked in _asked_by_study(type(element)):
        empty = tuple([p for p in asked if held[p.name] in (None, []) and _acts(element, p)])
        if empty or _tables_asked(type(element), study):
            found[study] = empty
    return found


_MAY_LACK: ByElement[Element, dict[str, tuple[Parameter, ...]]] = ByElement(_may_lack)


def missing_of(elements: Mapping[str, Element], element: Element, study: str, ordered: frozenset[str] | None = None) -> list[Missing]:
    """What one element lacks for the study; an element out of service lacks nothing."""
    empty = _MAY_LACK.of(element).get(study)
    if empty is None or not element.in_service:
        return []
    found = [Missing(element, p) for p in empty if _is_ordered(elements, element, p, ordered)]
    for p in _tables_asked(type(element), study):
        if _is_needed(elements, element, p, ordered):
            columns = {c.name: c for c in p.columns}
            found += [Missing(element, p, n, columns[name]) for n, row in enumerate(getattr(element, p.name)) for name in lacking_in(p, row, study)]
    return found


def all_lacking(elements: Mapping[str, Element]) -> dict[str, list[str]]:
    """The studies for which elements lack something, by the id of each that does."""
    asked, found = list(elements.values()), dict[str, list[str]]()
    for e, may_lack in zip(asked, _MAY_LACK.each(asked), strict=True):
        if studies := [study for study in may_lack if missing_of(elements, e, study)]:
            found[e.id] = studies
    return found


def missing(elements: Mapping[str, Element], study: str, among: Iterable[Element] | None = None) -> list[Missing]:
    """What the elements (or some `among` them) lack for the study, in the order of the network."""
    asked = list(elements.values() if among is None else among)
    those = [e for e, may_lack in zip(asked, _MAY_LACK.each(asked), strict=True) if study in may_lack]  # of tens of thousands next to none lack anything
    ordered = _all_ordered(elements) if those else frozenset()
    return [one for e in those for one in missing_of(elements, e, study, ordered)]


def assumed_count(elements: Mapping[str, Element], study: str) -> int:
    """On how many assumed values the study rests."""
    return assumed_counts(elements, [study])[0]


def assumed_counts(elements: Mapping[str, Element], studies: Iterable[str]) -> list[int]:
    """The same for several."""
    resting = [e for e in elements.values() if e.assumed and e.in_service]
    return [_assumed_among(resting, elements, study) for study in studies]


def _assumed_among(resting: list[Element], elements: Mapping[str, Element], study: str) -> int:
    return sum(
        1
        for element in resting
        for p in (*_asked_for(type(element), study), *_wanted_for(type(element), study))
        if p.name in element.assumed and _is_needed(elements, element, p)
    )


@cache
def _wanted_for(kind: type[Element], study: str) -> tuple[Parameter, ...]:
    return tuple(p for p in parameters_of(kind) if study in p.wanted_for)
