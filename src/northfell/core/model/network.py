"""A network with its operating states and sheets, and the rules that hold for it as a whole."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.adjacency import Adjacency
from northfell.core.model.declare.parameters import Parameter, parameter, parameters_of
from northfell.core.model.elements import ELEMENT, ORIGINS, Breaker, Consumer, Element, Fuse, Name
from northfell.core.model.kept_beside import Acknowledged, KeptCurves, Proposal
from northfell.core.model.own_entries import OwnEntry
from northfell.core.model.settings import ProjectSettings
from northfell.core.model.validation import element_from, refusals_from, title_of

NORMAL = "Normal"
MOST_ELEMENTS = 200_000
MOST_SHEETS, MOST_STATES, MOST_ENTRIES = 1000, 500, 20_000
FARTHEST = 50_000.0  # steps of the grid from the middle of a sheet


class _Record(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False, defer_build=True)  # the studies join the settings later


Factor = Annotated[float, Field(ge=0, le=100)]


class OperatingState(_Record):
    """A way of running the network, as differences from the network as drawn."""

    name: Name
    differences: dict[str, dict[str, Any]] = Field(default_factory=dict)  # element id -> field -> value
    load_factors: dict[str, Factor] = Field(default_factory=dict)  # group ("": all) -> factor on what its consumers draw
    generation_factors: dict[str, Factor] = Field(default_factory=dict)  # group ("": all) -> factor on what its sources deliver

    @property
    def count(self) -> int:
        """How many elements and factors it sets apart from Normal."""
        return len(self.differences) + len(self.load_factors) + len(self.generation_factors)


class Placement(_Record):
    """Where an element's symbol stands on a sheet, in sheet units of one grid step each (x right, y down)."""

    x: float = Field(ge=-FARTHEST, le=FARTHEST)
    y: float = Field(ge=-FARTHEST, le=FARTHEST)
    turn: int = Field(default=0, ge=0, le=3)  # quarter turns: an odd one lays the symbol across, 2 and 3 turn it away from its buses
    width: float = Field(default=0.0, ge=0, le=2 * FARTHEST)  # of a bus drawn as a bar
    flip: bool = False  # its words stand on the other side
    tag_x: float = Field(default=0.0, ge=-1000, le=1000)  # how far its words were dragged from where they would stand
    tag_y: float = Field(default=0.0, ge=-1000, le=1000)
    schedule: bool = False  # a board whose ways are kept as a schedule inside its symbol


class Sheet(_Record):
    """One drawing of the network."""

    name: Name
    placements: dict[str, Placement] = Field(default_factory=dict)  # element id -> placement


class Network(_Record):
    """Elements in the order of the file, states, sheets and settings. `Normal` is the network as drawn."""

    name: Name
    elements: dict[str, Element] = Field(default_factory=dict)
    states: list[OperatingState] = Field(default_factory=list)
    sheets: list[Sheet] = Field(default_factory=list)
    settings: ProjectSettings = Field(default_factory=ProjectSettings)
    entries: list[OwnEntry] = Field(default_factory=list)  # catalogue entries of the project's own
    proposals: list[Proposal] = Field(default_factory=list)  # changes kept beside the network
    acknowledged: list[Acknowledged] = Field(default_factory=list)  # findings that were taken note of
    curves: list[KeptCurves] = Field(default_factory=list)  # sheets of curves, in their order

    @property
    def state_names(self) -> list[str]:
        return [NORMAL, *(state.name for state in self.states)]

    def state(self, name: str) -> OperatingState:
        """An operating state by name; `Normal` has no differences."""
        if name == NORMAL:
            return OperatingState(name=NORMAL)
        for state in self.states:
            if state.name == name:
                return state
        raise NotFound(f"There is no operating state “{name}”. Accepted are {', '.join(self.state_names)}.")

    def in_state(self, name: str) -> dict[str, Element]:
        """The elements as they are in a state."""
        elements = dict(self.elements)
        for element_id, values in self.state(name).differences.items():
            elements[element_id] = elements[element_id].model_copy(update=values)
        return elements

    def factor_in(self, name: str, element: Element) -> float:
        """What the state's factors, and for consumers the settings, make of the power of an element."""
        state = self.state(name)
        consumer = isinstance(element, Consumer)
        factors = state.load_factors if consumer else state.generation_factors
        own = factors.get(element.group, 1.0) if element.group else 1.0
        return factors.get("", 1.0) * own * (self.settings.scale_of_consumers if consumer else 1.0)

    def sheet(self, name: str) -> Sheet:
        """A sheet by name, else the first."""
        return next((s for s in self.sheets if s.name == name), self.sheets[0])

    def element(self, element_id: str) -> Element:
        try:
            return self.elements[element_id]
        except KeyError:
            raise NotFound(f"There is no element “{element_id}” in {self.name} (any more).") from None

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> "Network":
        """A copy; what was found of elements that it has others of is not taken along."""
        copied = super().model_copy(update=update, deep=deep)
        if update and "elements" in update:
            for found in ("adjacency", "id_of_name"):
                copied.__dict__.pop(found, None)
        return copied

    def __getstate__(self) -> dict[Any, Any]:
        """What is sent to another process: what it was made of, not what was found since, which another thread may be finding now."""
        return {**super().__getstate__(), "__dict__": {name: self.__dict__[name] for name in type(self).model_fields}}

    @cached_property
    def adjacency(self) -> Adjacency:
        """Which elements stand at which bus."""
        return Adjacency(self.elements)

    @cached_property
    def id_of_name(self) -> Mapping[str, str]:
        return {element.name: element_id for element_id, element in self.elements.items()}


def references_of(kind: type[Element]) -> tuple[Parameter, ...]:
    """The parameters of a kind that name another element."""
    return tuple(p for p in parameters_of(kind) if p.refers_to)


def differing(one: Mapping[str, Element], other: Mapping[str, Element]) -> list[tuple[Element, Element]] | None:
    """The elements that differ between two versions of a network, of the first and of the other; None where not the same stand in the same order."""
    if len(one) != len(other):
        return None
    pairs = [(a, b) for a, b in zip(one.values(), other.values(), strict=True) if a is not b]
    return pairs if all(a.id == b.id and type(a) is type(b) for a, b in pairs) else None


def after(network: Network, since: Network) -> Network:
    """A network that an edit made of another takes over what was found of elements that it did not change. Returns the network."""
    pairs = differing(network.elements, since.elements)
    if pairs is not None:
        if "adjacency" in since.__dict__ and all(a.buses == b.buses and a.holder == b.holder for a, b in pairs):
            network.__dict__["adjacency"] = since.adjacency
        if "id_of_name" in since.__dict__ and all(a.name == b.name for a, b in pairs):
            network.__dict__["id_of_name"] = since.id_of_name
    return network


def _still_holds(network: Network, since: Network) -> bool:
    """Whether a network keeps the rules for certain, since what differs from one that kept them breaks none."""
    pairs = differing(network.elements, since.elements)
    if pairs is None or len(network.states) != len(since.states) or any(a is not b for a, b in zip(network.states, since.states, strict=True)):
        return False
    in_states = {element_id for state in network.states for element_id in state.differences}
    if any(e.name != before.name or e.id in in_states for e, before in pairs):
        return False
    return not any(True for e, _ in pairs for _ in _breaches(network, e)) and not any(True for _ in _list_breaches(network))


def check_network(network: Network, since: Network | None = None) -> None:
    """The rules between elements: unique names, references that exist and are of the right kind, states that name what is there.

    Of a network that an edit made of one that keeps the rules, `since`, only what differs is looked at, unless that breaks one.

    Raises
    ------
    NetworkRefused
        With every breach found.
    """
    if since is not None and _still_holds(network, since):
        return
    found: list[InputRefused] = []
    seen: dict[str, Element] = {}
    for element_id, element in network.elements.items():
        if element.id != element_id:
            found.append(InputRefused("id", element.id, f"the key it stands under, {element_id}", where=title_of(element)))
        if element.name in seen:
            taken = f"{title_of(seen[element.name])} has it already."
            found.append(InputRefused("name", element.name, "a name that no other element has", taken, title_of(element)))
        seen[element.name] = element
        found += _breaches(network, element)
    found += _state_breaches(network)
    found += _list_breaches(network)
    if found:
        raise NetworkRefused(found)


def _breaches(network: Network, element: Element) -> Iterator[InputRefused]:
    """The rules that one element breaks by itself or by what it refers to."""
    yield from _reference_breaches(network, element)
    if element.status == "planned" and element.in_service:
        yield InputRefused("in_service", True, "false in Normal", "It is planned: an operating state may include it.", title_of(element))
    if element.origins or element.assumed:
        yield from _mark_breaches(element)


def _mark_breaches(element: Element) -> Iterator[InputRefused]:
    """What is said of the values of fields that are not there, or are from nowhere."""
    for field, origin in element.origins.items():
        if parameter(type(element), field) is None or origin.split(":")[0] not in ORIGINS:
            yield InputRefused("origins", f"{field}: {origin}", f"its own fields, from {', '.join(ORIGINS)}", where=title_of(element))
    for field in element.assumed:
        if parameter(type(element), field) is None:
            yield InputRefused("assumed", field, "names of its own fields", where=title_of(element))


def _list_breaches(network: Network) -> Iterator[InputRefused]:
    """Names that stand twice among sheets and entries, lists that are too long, and places of what is not there."""
    yield from (InputRefused("name", n, "a name that no other entry has", where="Catalogue") for n in _twice(one.name for one in network.entries))
    yield from (InputRefused("name", n, "a name that no other sheet has", where="Sheets") for n in _twice(s.name for s in network.sheets))
    for what, held, most in (
        ("sheets", network.sheets, MOST_SHEETS), ("states", network.states, MOST_STATES), ("entries", network.entries, MOST_ENTRIES),
        ("curves", network.curves, MOST_SHEETS),
    ):  # fmt: skip
        if len(held) > most:
            yield InputRefused(what, len(held), f"at most {most}", where="Network")
    for sheet in network.sheets:
        for element_id in sheet.placements.keys() - network.elements.keys():
            yield InputRefused("placements", element_id, "an element of the network", where=f"Sheet {sheet.name}")
    yield from _curve_breaches(network)


def _curve_breaches(network: Network) -> Iterator[InputRefused]:
    yield from (InputRefused("name", n, "a name that no other sheet of curves has", where="Curves") for n in _twice(c.name for c in network.curves))
    for kept in network.curves:
        for device in kept.devices:
            e = network.elements.get(device)
            if e is None or not isinstance(e, Breaker | Fuse):
                yield InputRefused("devices", e.name if e else device, "a breaker or a fuse of the network", where=f"Curves {kept.name}")
        yield from (InputRefused("devices", device, "each device once", where=f"Curves {kept.name}") for device in _twice(kept.devices))


def _twice(names: Iterable[str]) -> list[str]:
    return [name for name, count in Counter(names).items() if count > 1]


def _reference_breaches(network: Network, element: Element) -> Iterator[InputRefused]:
    for p in references_of(type(element)):
        target_id = getattr(element, p.name)
        if target_id is None:
            continue
        target = network.elements.get(target_id)
        if target is None:
            yield InputRefused(p.name, target_id, p.accepted, "No element of that name is in the network.", title_of(element))
        elif target.kind not in p.refers_to:
            yield InputRefused(p.name, target.name, p.accepted, f"{target.name} is a {target.TITLE.lower()}.", title_of(element))
    if len(set(element.buses)) < len(element.buses):
        bus = network.elements.get(element.buses[0])
        field = element.TERMINALS[-1]
        yield InputRefused(field, bus.name if bus else element.buses[0], "another bus than at its first terminal", where=title_of(element))


def _state_breaches(network: Network) -> Iterator[InputRefused]:
    names: set[str] = {NORMAL}
    for state in network.states:
        where = f"State {state.name}"
        if state.name in names:
            yield InputRefused("name", state.name, "a name that no other state has", where=where)
        names.add(state.name)
        for element_id, values in state.differences.items():
            element = network.elements.get(element_id)
            if element is None:
                yield InputRefused("differences", element_id, "an element of the network", where=where)
                continue
            for field in values:
                p = parameter(type(element), field)
                if p is None or not p.in_state:
                    allowed = ", ".join(q.name for q in parameters_of(type(element)) if q.in_state)
                    yield InputRefused("differences", field, f"a field that a state may hold: {allowed}", where=f"{where}, {title_of(element)}")
            try:
                ELEMENT.validate_python({**element.model_dump(), **values})
            except ValidationError as error:
                yield from refusals_from(error, type(element), values, f"{where}, {title_of(element)}")


__all__ = [
    "MOST_ELEMENTS", "NORMAL", "Network", "OperatingState", "OwnEntry", "Placement", "Sheet", "after", "check_network", "differing", "element_from",
    "references_of", "refusals_from", "title_of",
]  # fmt: skip
