"""Applying a change set: each act is done on a draft and gives the acts that take it back."""

from collections.abc import Iterable
from dataclasses import dataclass
from dataclasses import field as dataclass_field
from typing import Any

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.base_voltage import CARRIED, carried_voltages
from northfell.core.model.changes.acts import (
    Acknowledge,
    Add,
    Attach,
    Change,
    Connect,
    Differ,
    Move,
    Propose,
    PutAcknowledged,
    PutCurves,
    PutEntry,
    PutProposal,
    PutProposals,
    PutRow,
    PutSetting,
    PutSettings,
    PutSheet,
    PutState,
    PutStates,
    Remove,
    Scale,
    Set,
    Switch,
    Unpropose,
)
from northfell.core.model.changes.setting_paths import setting_at, settings_with
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.declare.rows import at as row_at
from northfell.core.model.declare.rows import plain, with_row
from northfell.core.model.elements import Element
from northfell.core.model.kept_beside import MOST_CHANGES, Acknowledged, KeptCurves, Proposal
from northfell.core.model.network import NORMAL, Network, OperatingState, Placement, Sheet, after, check_network, element_from, title_of
from northfell.core.model.own_entries import OwnEntry, entry_breaches
from northfell.core.model.settings import ProjectSettings


@dataclass
class _Draft:
    """The parts of a network while a change set is applied to them."""

    elements: dict[str, Element]
    states: list[OperatingState]
    sheets: list[Sheet]
    settings: ProjectSettings
    entries: list[OwnEntry]
    proposals: list[Proposal]
    acknowledged: list[Acknowledged]
    curves: list[KeptCurves]
    own: set[int] = dataclass_field(default_factory=set)  # positions of the sheets whose placements were copied already

    def placements(self, at: int) -> dict[str, Placement]:
        """The placements of a sheet, to be changed: copied once for a change set."""
        if at not in self.own:
            self.sheets[at] = self.sheets[at].model_copy(update={"placements": dict(self.sheets[at].placements)})
            self.own.add(at)
        return self.sheets[at].placements


def apply_change(network: Network, change: Change) -> tuple[Network, Change]:
    """Apply a change set whole.

    Returns
    -------
    The changed network and the change set that takes it back.

    Raises
    ------
    NetworkRefused, NotFound
        Nothing is changed then.
    """
    draft = _Draft(
        dict(network.elements), list(network.states), list(network.sheets), network.settings, list(network.entries), list(network.proposals),
        list(network.acknowledged), list(network.curves),
    )  # fmt: skip
    inverse: list[Any] = []
    for act in change.acts:
        inverse = [*_DO[type(act)](draft, act), *inverse]
    changed = Network.model_construct(
        name=network.name, elements=draft.elements, states=draft.states, sheets=draft.sheets, settings=draft.settings, entries=draft.entries,
        proposals=draft.proposals, acknowledged=draft.acknowledged, curves=draft.curves,
    )  # fmt: skip
    check_network(changed, network)
    return after(changed, network), Change(change.title, tuple(inverse))


def _element(draft: _Draft, element_id: str) -> Element:
    if element_id not in draft.elements:
        raise NotFound(f"There is no element “{element_id}” (any more).")
    return draft.elements[element_id]


def _add(draft: _Draft, act: Add) -> Iterable[Any]:
    element = element_from(act.element)
    if element.id in draft.elements:
        raise NetworkRefused([InputRefused("id", element.id, "an id that is not in use", where=title_of(element))])
    if act.at is None or act.at >= len(draft.elements):
        draft.elements[element.id] = element
    else:
        items = list(draft.elements.items())
        items.insert(act.at, (element.id, element))
        draft.elements = dict(items)
    return [Remove(id=element.id)]


def _remove(draft: _Draft, act: Remove) -> Iterable[Any]:
    element = _element(draft, act.id)
    _unlocked(element)
    at = list(draft.elements).index(act.id)
    back: list[Any] = [Add(element=element.model_dump(), at=at)]
    for i, state in enumerate(draft.states):
        if act.id in state.differences:
            back.append(Differ(state=state.name, id=act.id, values=state.differences[act.id]))
            draft.states[i] = state.model_copy(update={"differences": {k: v for k, v in state.differences.items() if k != act.id}})
    for i, sheet in enumerate(draft.sheets):
        if act.id in sheet.placements:
            back.append(Move(sheet=sheet.name, id=act.id, to=draft.placements(i).pop(act.id)))
    for i, kept in enumerate(draft.curves):
        if act.id in kept.devices:
            back.append(PutCurves(name=kept.name, to=kept))
            draft.curves[i] = kept.without(act.id)
    del draft.elements[act.id]
    return back


def _set(draft: _Draft, act: Set) -> Iterable[Any]:
    element = _element(draft, act.id)
    _unlocked(element, act.values)
    unknown = [field for field in act.values if parameter(type(element), field) is None]
    if unknown:
        raise NetworkRefused([InputRefused("field", unknown[0], f"a parameter of a {element.TITLE.lower()}", where=title_of(element))])
    # a value that was assumed is assumed no more once it is set without a source
    assumed = {k: v for k, v in element.assumed.items() if k not in act.values} | act.assumed
    origins = {k: v for k, v in element.origins.items() if k not in act.values} | act.origins
    entry = element.catalogue if act.catalogue is None else act.catalogue
    raw = {**element.model_dump(), **act.values, "assumed": assumed, "origins": origins, "catalogue": entry}
    draft.elements[act.id] = element_from(raw, title_of(element))
    old = {field: plain(getattr(element, field)) for field in act.values}
    before = [{k: v for k, v in told.items() if k in act.values} for told in (element.assumed, element.origins)]
    return [Set(id=act.id, values=old, assumed=before[0], origins=before[1], catalogue=None if act.catalogue is None else element.catalogue)]


def _put_row(draft: _Draft, act: PutRow) -> Iterable[Any]:
    element = _element(draft, act.id)
    p = parameter(type(element), act.field)
    if p is None or p.form != "table":
        raise NetworkRefused([InputRefused("field", act.field, f"a table of a {element.TITLE.lower()}", where=title_of(element))])
    _unlocked(element, (act.field,))
    rows = plain(getattr(element, act.field))
    old = None if act.new else row_at(rows, act.at)
    try:
        changed = with_row(rows, act.at, act.to, act.new)
    except IndexError:
        raise NotFound(f"{title_of(element)} has no row {act.at + 1} of {p.label.lower()} (any more).") from None
    draft.elements[act.id] = element_from({**element.model_dump(), act.field: changed}, title_of(element))
    return [PutRow(id=act.id, field=act.field, at=act.at, to=old, new=act.to is None)]


def _unlocked(element: Element, values: Iterable[str] = ("connection",)) -> None:
    """Refuse to change the data of a locked element; what a state may hold can still be set, and the lock itself."""
    if not element.locked:
        return
    fixed = [v for v in values if v != "locked" and not ((p := parameter(type(element), v)) and p.in_state)]
    if fixed:
        accepted = "its data as they are"
        raise NetworkRefused([InputRefused(fixed[0], "a new value", accepted, "Its data are locked: unlock them first.", title_of(element))])


def _attach(draft: _Draft, act: Attach) -> Iterable[Any]:
    element = _element(draft, act.id)
    draft.elements[act.id] = element.model_copy(update={"documents": list(act.documents)})
    return [Attach(id=act.id, documents=element.documents)]


def _connect(draft: _Draft, act: Connect) -> Iterable[Any]:
    element = _element(draft, act.id)
    if act.terminal not in element.TERMINALS:
        accepted = "one of " + ", ".join(element.TERMINALS)
        raise NetworkRefused([InputRefused("terminal", act.terminal, accepted, where=title_of(element))])
    _unlocked(element)
    draft.elements[act.id] = element_from({**element.model_dump(), act.terminal: act.bus}, title_of(element))
    return [Connect(id=act.id, terminal=act.terminal, bus=getattr(element, act.terminal))]


def _move(draft: _Draft, act: Move) -> Iterable[Any]:
    _element(draft, act.id)
    for i, sheet in enumerate(draft.sheets):
        if sheet.name == act.sheet:
            placements = draft.placements(i)
            old = placements.get(act.id)
            if act.to is None:
                placements.pop(act.id, None)
            else:
                placements[act.id] = act.to
            return [Move(sheet=act.sheet, id=act.id, to=old)]
    raise NotFound(f"There is no sheet “{act.sheet}” (any more).")


def _switch(draft: _Draft, act: Switch) -> Iterable[Any]:
    element = _element(draft, act.id)
    for field in act.values:
        p = parameter(type(element), field)
        if p is None or not p.in_state:
            raise NetworkRefused([InputRefused("field", field, "a field that an operating state may hold", where=title_of(element))])
    if act.state == NORMAL:
        return _set(draft, Set(id=act.id, values=act.values))
    for state in draft.states:
        if state.name == act.state:
            new = {k: v for k, v in {**state.differences.get(act.id, {}), **act.values}.items() if v is not None}
            new = {k: v for k, v in new.items() if v != getattr(element, k)}  # what equals Normal is no difference
            return _differ(draft, Differ(state=act.state, id=act.id, values=new))
    raise NotFound(f"There is no operating state “{act.state}” (any more).")


def _differ(draft: _Draft, act: Differ) -> Iterable[Any]:
    _element(draft, act.id)
    for i, state in enumerate(draft.states):
        if state.name == act.state:
            held = state.differences.get(act.id, {})
            differences = {k: v for k, v in state.differences.items() if k != act.id} | ({act.id: act.values} if act.values else {})
            draft.states[i] = state.model_copy(update={"differences": differences})
            return [Differ(state=act.state, id=act.id, values=held)]
    raise NotFound(f"There is no operating state “{act.state}” (any more).")


def _item(items: list[Any], what: str, act: Any, key: str = "name") -> tuple[Any, int]:
    """Put one item of a list in the place of that of a name: what stood there, and where. A name that is taken is for the network's rules to refuse."""
    names = [getattr(one, key) for one in items]
    named = getattr(act, key)
    if named and named not in names and not (key == "key" and act.to is not None):
        raise NotFound(f"There is no {what} “{named}” (any more).")
    at = names.index(named) if named in names else len(names)
    old = items.pop(at) if named in names else None
    if act.to is not None:
        items.insert(at if act.at is None else act.at, act.to)
    return old, at


def _put_state(draft: _Draft, act: PutState) -> Iterable[Any]:
    old, at = _item(draft.states, "operating state", act)
    return [PutState(name=act.to.name if act.to else "", to=old, at=at)]


def _scale(draft: _Draft, act: Scale) -> Iterable[Any]:
    for i, state in enumerate(draft.states):
        if state.name == act.state:
            held = getattr(state, act.of)
            factors = {g: f for g, f in held.items() if g != act.group} | ({} if act.factor is None else {act.group: act.factor})
            try:
                draft.states[i] = OperatingState.model_validate({**state.model_dump(), act.of: factors})
            except ValidationError:
                raise NetworkRefused([InputRefused("factor", act.factor, "a number, 0 or more and 100 or less", where=f"State {act.state}")]) from None
            return [Scale(state=act.state, of=act.of, group=act.group, factor=held.get(act.group))]
    raise NotFound(f"There is no operating state “{act.state}” (any more).")


def _put_states(draft: _Draft, act: PutStates) -> Iterable[Any]:
    old, draft.states = draft.states, list(act.states)
    return [PutStates(states=old)]


def _put_sheet(draft: _Draft, act: PutSheet) -> Iterable[Any]:
    """Sheets are few: each is replaced whole, and those copied before are copied anew."""
    names = [s.name for s in draft.sheets]
    if act.name and act.name not in names:
        raise NotFound(f"There is no sheet “{act.name}” (any more).")
    if act.to is not None and act.to.name != act.name and act.to.name in names:
        raise NetworkRefused([InputRefused("name", act.to.name, "a name that no other sheet has", where="Sheets")])
    at = names.index(act.name) if act.name else len(names)
    old = draft.sheets.pop(at) if act.name else None
    if act.to is not None:
        draft.sheets.insert(at if act.at is None else act.at, act.to)
    if not draft.sheets:
        raise NetworkRefused([InputRefused("sheets", "none", "at least one sheet", where="Sheets")])
    draft.own.clear()
    return [PutSheet(name=act.to.name if act.to else "", to=old, at=at)]


def _put_entry(draft: _Draft, act: PutEntry) -> Iterable[Any]:
    if act.to is not None and (breaches := entry_breaches(act.to)):
        raise NetworkRefused(breaches)
    old, at = _item(draft.entries, "catalogue entry of your own", act)
    return [PutEntry(name=act.to.name if act.to else "", to=old, at=at)]


def _put_setting(draft: _Draft, act: PutSetting) -> Iterable[Any]:
    group, _, field = act.path.rpartition(".")
    old = setting_at(draft.settings, act.path)
    if group == "name_starts":
        starts = {k: v for k, v in draft.settings.name_starts.items() if k != field} | ({} if act.value is None else {field: act.value})
        draft.settings = draft.settings.model_copy(update={"name_starts": starts})
    else:
        draft.settings = settings_with(draft.settings, act.path, act.value)
    return [PutSetting(path=act.path, value=old)]


def _put_settings(draft: _Draft, act: PutSettings) -> Iterable[Any]:
    old, draft.settings = draft.settings, act.settings
    return [PutSettings(settings=old)]


def _put_proposal(draft: _Draft, act: PutProposal) -> Iterable[Any]:
    old, at = _item(draft.proposals, "proposal", act)
    return [PutProposal(name=act.to.name if act.to else "", to=old, at=at)]


def _propose(draft: _Draft, act: Propose) -> Iterable[Any]:
    at, proposal = _proposal(draft, act.name)
    if len(proposal.changes) >= MOST_CHANGES:
        accepted = f"up to {MOST_CHANGES} changes in a proposal"
        raise NetworkRefused([InputRefused("changes", len(proposal.changes) + 1, accepted, "Accept or split it first.", f"Proposal {act.name}")])
    draft.proposals[at] = proposal.model_copy(update={"changes": [*proposal.changes, act.change]})
    return [Unpropose(name=act.name)]


def _unpropose(draft: _Draft, act: Unpropose) -> Iterable[Any]:
    at, proposal = _proposal(draft, act.name)
    if not proposal.changes:
        raise NotFound(f"Proposal {act.name} holds no change (any more).")
    draft.proposals[at] = proposal.model_copy(update={"changes": proposal.changes[:-1]})
    return [Propose(name=act.name, change=proposal.changes[-1])]


def _proposal(draft: _Draft, name: str) -> tuple[int, Proposal]:
    for at, one in enumerate(draft.proposals):
        if one.name == name:
            return at, one
    raise NotFound(f"There is no proposal “{name}” (any more).")


def _put_proposals(draft: _Draft, act: PutProposals) -> Iterable[Any]:
    old, draft.proposals = draft.proposals, list(act.proposals)
    return [PutProposals(proposals=old)]


def _acknowledge(draft: _Draft, act: Acknowledge) -> Iterable[Any]:
    old, at = _item(draft.acknowledged, "acknowledged finding", act, "key")
    return [Acknowledge(key=act.key, to=old, at=at)]


def _put_acknowledged(draft: _Draft, act: PutAcknowledged) -> Iterable[Any]:
    old, draft.acknowledged = draft.acknowledged, list(act.acknowledged)
    return [PutAcknowledged(acknowledged=old)]


def _put_curves(draft: _Draft, act: PutCurves) -> Iterable[Any]:
    old, at = _item(draft.curves, "sheet of curves", act)
    return [PutCurves(name=act.to.name if act.to else "", to=old, at=at)]


_DO: dict[type, Any] = {
    Add: _add, Remove: _remove, Set: _set, PutRow: _put_row, Attach: _attach,
    Connect: _connect, Move: _move, Switch: _switch, Differ: _differ, PutState: _put_state,
    Scale: _scale, PutStates: _put_states, PutSheet: _put_sheet, PutEntry: _put_entry, PutSetting: _put_setting, PutSettings: _put_settings,
    PutProposal: _put_proposal, Propose: _propose, Unpropose: _unpropose, PutProposals: _put_proposals, Acknowledge: _acknowledge,
    PutAcknowledged: _put_acknowledged, PutCurves: _put_curves,
}  # fmt: skip


def apply_completed(network: Network, change: Change) -> tuple[Network, Change, Change]:
    """Apply a change with what follows from it: voltages carried on to buses that have none of their own.

    Returns
    -------
    The changed network, the change set that takes it back, and the change as it was applied.
    """
    changed, inverse = apply_change(network, change)
    more = []
    for bus_id, v in carried_voltages(changed.elements).items():
        bus = changed.elements[bus_id]
        if bus.__dict__["v_nominal_kv"] != v.v_kv and not bus.locked:  # a lock on one bus refuses no change of another element
            usual = {"v_nominal_kv": "usual nominal voltage of the network at that rated voltage"} if v.usual else {}
            more.append(Set(id=bus_id, values={"v_nominal_kv": v.v_kv}, assumed=usual, origins={"v_nominal_kv": CARRIED}))
    if not more:
        return changed, inverse, change
    whole = Change(change.title, (*change.acts, *more))
    return *apply_change(network, whole), whole


def completed(network: Network, change: Change) -> Change:
    """The change with what follows from it."""
    return apply_completed(network, change)[2]
