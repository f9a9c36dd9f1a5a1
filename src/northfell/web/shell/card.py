"""The card of the selected element: its data by section, from the declarations, and what the stage knows of it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from northfell.app.data.catalogue import kind_for, kinds_with_entries
from northfell.core.errors import NorthfellError
from northfell.core.model.base_voltage import CARRIED, carried_voltages
from northfell.core.model.declare.parameters import SECTIONS, Parameter, parameter, parameters_of
from northfell.core.model.declare.rows import Row
from northfell.core.model.elements import Bus, Changeover, CurrentTransformer, Element, ProtectionSignal, Relay, Switching, ZoneRelay
from northfell.core.model.network import NORMAL, Network
from northfell.core.model.showing import text_shown, unit_shown
from northfell.core.quantities import entry
from northfell.core.rules.completeness import lacking_in, missing_of
from northfell.core.rules.derived import Derived, derived_of
from northfell.core.rules.typical import can_fill, waits_for
from northfell.core.rules.ways import ways_of
from northfell.core.studies import STUDIES
from northfell.core.verdicts import Finding
from northfell.web.shell.figures import Figure, Section
from northfell.web.shell.naming import Ends
from northfell.web.shell.stage import STAGES, Look
from northfell.web.shell.view import View

HIDDEN = {"id", "kind"}


@dataclass(frozen=True)
class CellShown:
    """A parameter as an entry: a cell of a table, or what a field is beside more."""

    p: Parameter
    value: str
    choices: tuple[tuple[str, str], ...] = ()
    unit: str = ""  # that of the project
    missing: bool = False
    acts: bool = True


@dataclass(frozen=True)
class FieldShown(CellShown):
    """One parameter as an entry on the card."""

    assumed: str = ""
    idle_because: str = ""
    fixed: bool = False  # its element's data are locked
    normal: str = ""  # what it is in Normal, where the state shown differs
    origin: str = ""  # where the value was read
    typical: bool = False  # a rule gives a typical value
    rows: Sequence[Sequence[CellShown]] = ()  # of a table
    waits: Sequence[str] = ()  # what its rule waits for, where the field is empty and asked for


@dataclass(frozen=True)
class Card:
    """All that the card of an element shows."""

    element: Element
    subtitle: str
    state: str
    figures: list[Section]
    derived: list[Derived]
    sections: list[tuple[str, list[FieldShown]]]
    findings: list[Finding]
    missing_for: list[str]
    can_fill: bool
    operable: str = ""  # "Open" or "Close"
    references: dict[str, tuple[str, ...]] = field(default_factory=dict)
    energised: bool = True
    placed: bool = True  # on the sheet shown
    words_moved: bool = False
    ways: int = 0  # that a board could keep as a schedule
    folded: bool = False
    sheets: tuple[str, ...] = ()  # others on which it is drawn
    in_catalogue: bool = False


def card_of(look: Look, findings: list[Finding]) -> Card | None:
    """The card, or None where nothing is selected."""
    network, results, view = look.network, look.results, look.view
    if view.selected not in network.elements:
        return None
    normal = network.elements[view.selected]
    element = results.at(view.state).elements[view.selected]
    lacking = {(m.parameter.name, study.label) for study in STUDIES for m in missing_of(network.elements, element, study.key)}
    empty = {name for name, _ in lacking}
    asked = (p for p in parameters_of(type(element)) if p.name not in HIDDEN and p.form != "record" and not _idle_table(element, p))
    shown_fields = [_field(network, element, normal, p, empty) for p in asked]
    sections: dict[str, list[FieldShown]] = {}
    for one in shown_fields:
        sections.setdefault(one.p.section, []).append(one)
    return Card(
        element=element,
        subtitle=Ends(network.elements, network.adjacency).of(element) if element.TERMINALS else _trips(network, element),
        state=view.state,
        figures=figures_of(look, element),
        derived=derived_of_card(network, element),
        sections=sorted(sections.items(), key=lambda s: SECTIONS.index(s[0])),
        findings=[f for f in findings if f.element_id == element.id and f.state == view.state],
        missing_for=sorted({label for _, label in lacking}),
        can_fill=_can_fill(network, view.state, element, empty),
        operable=_operable(element),
        references=_names_of({kind for one in shown_fields for kind in one.p.refers_to}, network),
        energised=results.at(view.state).energised.get(element.id, True),
        in_catalogue=kind_for(element) in kinds_with_entries(network),
        **_drawn(network, view, element),
    )


def _names_of(kinds: set[str], network: Network) -> dict[str, tuple[str, ...]]:
    """The names of the elements of some kinds."""
    found: dict[str, list[str]] = {kind: [] for kind in sorted(kinds)}
    for e in network.elements.values() if found else ():
        if (names := found.get(e.kind)) is not None:
            names.append(e.name)
    return {kind: tuple(names) for kind, names in found.items()}


def figures_of(look: Look, element: Element) -> list[Section]:
    """What the stage shown knows of an element; a study that cannot run says why instead."""
    try:
        return STAGES[look.view.stage].figures(look, element)
    except NorthfellError as error:
        return [Section("No result in this state", message=str(error).splitlines()[0])]


def _can_fill(network: Network, state: str, element: Element, empty: set[str]) -> bool:
    """Whether some rule gives a value for what is empty and asked for, or would be judged by."""
    elements, hz = network.in_state(state), network.settings.frequency_hz
    asked = [p for p in parameters_of(type(element)) if p.typical and (p.name in empty or (p.wanted_for and getattr(element, p.name) is None))]
    return any(can_fill(elements, element, p.name, hz) for p in asked)


def derived_of_card(network: Network, element: Element) -> list[Derived]:
    """What follows from the nameplate of an element where it stands."""
    return derived_of(element, getattr(network.elements.get(element.buses[0]), "v_nominal_kv", None) if element.buses else None)


def _drawn(network: Network, view: View, element: Element) -> dict[str, Any]:
    """Where an element is drawn, and what its drawing offers."""
    sheet = network.sheet(view.sheet)
    p = sheet.placements.get(element.id)
    others = tuple(s.name for s in network.sheets if s is not sheet and element.id in s.placements)
    if p is None or view.stage != "network":
        return {"placed": p is not None, "sheets": others}
    board = isinstance(element, Bus) and p.width > 0 and not p.schedule
    ways = [w for w in ways_of(network.elements, element.id) if any(i in sheet.placements for i in w.elements)] if board else []
    return {"sheets": others, "words_moved": bool(p.tag_x or p.tag_y), "ways": len(ways), "folded": p.schedule}


def _operable(element: Element) -> str:
    """What operating a switching device would do."""
    if isinstance(element, Changeover):
        return f"Change over to {'second' if element.position == 'first' else 'first'} side"
    return ("Open" if element.closed else "Close") if isinstance(element, Switching) else ""


def _trips(network: Network, element: Element) -> str:
    if isinstance(element, CurrentTransformer):
        return f"measures {network.elements[element.measures].name}{f', bounds zone {element.zone}' if element.zone else ''}"
    if isinstance(element, ProtectionSignal):
        sender = network.elements[element.sender].name if element.sender else "no breaker yet"
        return (
            f"from {sender}: {element.does.replace('trips', 'trips ' + network.elements[element.breaker].name, 1)}"
            if element.orders
            else (f"from {sender}: restrains {network.elements[element.breaker].name}")
        )
    return f"trips {network.elements[element.breaker].name}" if isinstance(element, Relay | ZoneRelay) else ""


def _idle_table(element: Element, p: Parameter) -> bool:
    """A table that has no rows, and would have no effect: it comes with what it acts beside."""
    return p.form == "table" and not getattr(element, p.name) and not p.acts(element.__dict__)


def _field(network: Network, element: Element, normal: Element, p: Parameter, lacking: set[str]) -> FieldShown:
    value, base = getattr(element, p.name), getattr(normal, p.name)
    idle = _because(element, p)
    choices = _choices(network, p)
    if p.row_of:
        choices = (("", "–"), *((row.name_shown, row.name_shown) for row in getattr(element, p.row_of)))
    return FieldShown(
        p=p,
        value=_text(network, p, value),
        choices=((("", "–"), *choices) if p.optional and choices else choices),
        assumed=element.assumed.get(p.name, ""),
        missing=p.name in lacking,
        acts=not idle,
        idle_because=idle,
        fixed=element.locked and not p.in_state and p.name != "locked",
        normal=_text(network, p, base) if value != base else "",
        unit=unit_shown(p, network.settings.units),
        origin=_origin(network, element, p),
        rows=[_cells(network, p, row) for row in value] if p.form == "table" else (),
        typical=bool(p.typical) and can_fill(network.elements, element, p.name, network.settings.frequency_hz),
        waits=waits_for(network.elements, element, p.name, network.settings.frequency_hz) if p.name in lacking else [],
    )


def _choices(network: Network, p: Parameter) -> tuple[tuple[str, str], ...]:
    """The choices of an entry with their texts; none where it is typed."""
    if p.form == "yes or no":
        return ("true", "yes"), ("false", "no")
    return tuple((_text(network, p, c), _label(p, c)) for c in p.choices) if p.form == "choice" else ()


def _cells(network: Network, p: Parameter, row: Row) -> list[CellShown]:
    lacking = lacking_in(p, row)
    return [
        CellShown(
            c, _text(network, c, getattr(row, c.name)), ((("", "–"),) if c.optional and c.choices else ()) + _choices(network, c),
            unit_shown(c, network.settings.units), c.name in lacking, c.acts(row.__dict__)
        )
        for c in p.columns
    ]  # fmt: skip


def _because(element: Element, p: Parameter) -> str:
    """Why a parameter does not act in the present mode, in the words of the card; empty if it acts."""
    if p.replaced_by and (by := p.replaced(element.__dict__)):
        instead = parameter(type(element), by)
        return f"not used: {instead.label.lower()} are given" if instead else ""
    when = p.idle(element.__dict__)
    other = parameter(type(element), when.field) if when else None
    if when is None or other is None:
        return ""
    wanted = " or ".join(str(value) or "empty" for value in when.among) if when.among else "any value"
    return f"acts only with {other.label.lower()}: {wanted}"


CURVE_NAMES = {
    "IEC_SI": "IEC standard inverse", "IEC_VI": "IEC very inverse", "IEC_EI": "IEC extremely inverse", "IEEE_MI": "IEEE moderately inverse",
    "IEEE_VI": "IEEE very inverse", "IEEE_EI": "IEEE extremely inverse", "LTI": "long-time inverse", "STI": "short-time inverse",
}  # fmt: skip


def _label(p: Parameter, choice: Any) -> str:
    return CURVE_NAMES.get(choice, choice) if p.name == "curve" else entry(choice) if isinstance(choice, float | int) else str(choice)


def _text(network: Network, p: Parameter, value: Any) -> str:
    if p.form == "reference" and value is not None:
        return network.elements[value].name if value in network.elements else str(value)
    return text_shown(p, value, network.settings.units)


def _origin(network: Network, element: Element, p: Parameter) -> str:
    """Where a value was read, in words."""
    origin = element.origins.get(p.name, "")
    if origin != CARRIED:
        return origin
    found = carried_voltages(network.elements).get(element.id)
    return f"carried from {network.elements[found.origin].name} through {network.elements[found.through].name}" if found else "carried"


def state_note(view: View) -> str:
    """What an edit of a state's value changes, in words."""
    return "" if view.state == NORMAL else f"Values marked ◆ are set for {view.state} only."


__all__ = ["Card", "FieldShown", "Figure", "Section", "card_of", "figures_of", "state_note"]
