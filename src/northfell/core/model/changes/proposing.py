"""Proposals at work: the network as it would be with one, changes put into it, and what happens when the network moves on.

A proposal holds its changes as acts with what they found. Upon a network that has moved on, each act is applied to what is there now:
one that cannot be applied is left out and named, one that finds another value than when it was proposed is applied and named.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Literal

from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, NotFound
from northfell.core.model.changes import (
    ACTS,
    Change,
    Connect,
    Differ,
    Propose,
    PutProposal,
    PutRow,
    PutSetting,
    PutSettings,
    PutState,
    PutStates,
    Scale,
    Set,
    Switch,
    acts_of,
    apply_change,
    apply_completed,
    setting_at,
)  # fmt: skip
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.declare.rows import at as row_at
from northfell.core.model.declare.rows import plain
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.kept_beside import Proposal, ProposedChange
from northfell.core.model.network import NORMAL, Network
from northfell.core.model.validation import refusals_from


@dataclass(frozen=True)
class Conflict:
    """A place where a proposal and the network as it stands now do not meet."""

    change: int  # position of the change in the proposal
    kind: Literal["cannot be applied", "found otherwise"]
    told: str


@dataclass(frozen=True)
class Inside:
    """The network with a proposal upon it."""

    network: Network
    conflicts: tuple[Conflict, ...]
    applied: tuple[tuple[Change, Change], ...]  # each change as it could be applied, with what takes it back


def proposal_of(network: Network, name: str) -> Proposal:
    """A proposal by name."""
    for one in network.proposals:
        if one.name == name:
            return one
    raise NotFound(f"There is no proposal “{name}” (any more).")


def inside(network: Network, name: str) -> Inside:
    """The network as it would be with a proposal; whatever cannot be applied is left out and named."""
    conflicts: list[Conflict] = []
    applied: list[tuple[Change, Change]] = []
    at = network
    for n, kept in enumerate(proposal_of(network, name).changes):
        acts, found = acts_of(kept.acts), acts_of(kept.found)
        conflicts += [Conflict(n, "found otherwise", told) for told in _found_otherwise(at, acts, found)]
        try:
            at, inverse, change = apply_completed(at, Change(kept.title, tuple(acts)))
        except NorthfellError as whole:
            at, change, inverse, refused = _act_by_act(at, kept.title, acts)
            conflicts += [Conflict(n, "cannot be applied", told) for told in refused or [str(whole)]]
        applied.append((change, inverse))
    return Inside(at, tuple(conflicts), tuple(applied))


def _act_by_act(network: Network, title: str, acts: Iterable[Any]) -> tuple[Network, Change, Change, list[str]]:
    """What of a change can still be applied."""
    done: list[Any] = []
    back: list[Any] = []
    refused = []
    for act in acts:
        try:
            network, inverse = apply_change(network, Change(title, (act,)))
        except NorthfellError as error:
            refused.append(str(error))
            continue
        done.append(act)
        back = [*inverse.acts, *back]
    return network, Change(title, tuple(done)), Change(title, tuple(back)), refused


def _key(act: Any, back: bool = False) -> tuple[Any, ...]:
    """What an act and the one that takes it `back` have in common."""
    if isinstance(act, PutState):  # the name before it was changed
        name, other = act.name, act.to.name if act.to else ""
        return type(act), (other or name) if back else (name or other)
    return type(act), *(getattr(act, part, "") for part in ("id", "state", "of", "group", "path", "field", "at"))


def _found_otherwise(network: Network, acts: Iterable[Any], found: Iterable[Any]) -> list[str]:
    """Values that stand otherwise than when they were proposed to be changed."""
    told: list[str] = []
    was = {_key(a, back=True): a for a in found}
    for act in acts:
        if isinstance(act, Switch):
            told += _switched_otherwise(network, act, was)
        elif (before := was.get(_key(act))) is not None and type(act) in _OTHERWISE:
            told += _OTHERWISE[type(act)](network, act, before)
    return told


def _set_otherwise(network: Network, act: Set, before: Set) -> Iterable[str]:
    element = network.elements.get(act.id)
    for field, old in before.values.items() if element else ():
        now = plain(getattr(element, field, None))
        if element and field in act.values and now != plain(old):
            p = parameter(type(element), field)
            label, wanted = p.label.lower() if p else field, _word(act.values[field])
            yield f"{element.name}: {label} was {_word(old)} when this was proposed and is {_word(now)} now; proposed is {wanted}."


def _row_otherwise(network: Network, act: PutRow, before: PutRow) -> Iterable[str]:
    if not act.new and row_at(getattr(network.elements.get(act.id), act.field, []), act.at) != before.to:
        yield f"Row {act.at + 1} of {act.field} of {act.id} stands otherwise than when this was proposed."


def _states_otherwise(network: Network, act: PutStates, before: PutStates) -> Iterable[str]:
    if before.states != network.states:
        yield "The operating states were changed since; the proposal puts its own list in their place."


def _state_otherwise(network: Network, act: PutState, before: PutState) -> Iterable[str]:
    if before.to is not None and before.to != next((s for s in network.states if s.name == act.name), None):
        yield f"State {act.name} was changed since; the proposal puts its own in its place."


def _factor_otherwise(network: Network, act: Scale, before: Scale) -> Iterable[str]:
    if act.state in network.state_names and before.factor != getattr(network.state(act.state), act.of).get(act.group):
        yield f"A factor of {act.state} was changed since: {act.group or 'all'}."


def _setting_otherwise(network: Network, act: PutSetting, before: PutSetting) -> Iterable[str]:
    now = setting_at(network.settings, act.path)
    if before.path == act.path and before.value != now:
        yield f"{act.path} was {_word(before.value)} when this was proposed and is {_word(now)} now."


def _settings_otherwise(network: Network, act: PutSettings, before: PutSettings) -> Iterable[str]:
    if before.settings != network.settings:
        yield "The settings were changed since; the proposal puts its own in their place."


def _connected_otherwise(network: Network, act: Connect, before: Connect) -> Iterable[str]:
    if act.id in network.elements and getattr(network.elements[act.id], act.terminal, None) != before.bus:
        yield f"{network.elements[act.id].name} was connected elsewhere since."


_OTHERWISE: dict[type, Callable[[Network, Any, Any], Iterable[str]]] = {
    Set: _set_otherwise, PutRow: _row_otherwise, PutStates: _states_otherwise, PutState: _state_otherwise, Scale: _factor_otherwise,
    PutSetting: _setting_otherwise, PutSettings: _settings_otherwise, Connect: _connected_otherwise,
}  # fmt: skip


def _switched_otherwise(network: Network, act: Switch, was: dict[tuple[Any, ...], Any]) -> list[str]:
    """Values of an operating state that stand otherwise than when they were proposed to be changed."""
    before = was.get(_key(Set(id=act.id, values={}))) if act.state == NORMAL else was.get(_key(Differ(state=act.state, id=act.id, values={})))
    if before is None or act.id not in network.elements or act.state not in network.state_names:
        return []
    element = network.elements[act.id]
    now = element.__dict__ if act.state == NORMAL else network.state(act.state).differences.get(act.id, {})
    return [
        f"{element.name}: {field} was {_word(before.values.get(field))} in {act.state} when this was proposed and is {_word(now.get(field))} there now."
        for field in act.values
        if before.values.get(field) != now.get(field)
    ]


def _word(value: Any) -> str:
    return "empty" if value is None or value == "" else f"{value:g}" if isinstance(value, float) else str(value)


def new_proposal(network: Network, name: str, note: str = "", changes: Iterable[Change] = ()) -> Change:
    """Keep a new proposal beside the network.

    Raises
    ------
    NetworkRefused
        If the name is none, or taken, or a change cannot be made.
    """
    proposal = _named(network, name.strip(), Proposal(name="new", note=note))
    at = network
    kept = []
    for change in changes:
        at, inverse, whole = apply_completed(at, change)
        kept.append(_kept(whole, inverse))
    return Change(f"Proposal {proposal.name}", (PutProposal(name="", to=proposal.model_copy(update={"changes": kept})),))


def _named(network: Network, name: str, proposal: Proposal) -> Proposal:
    if any(p.name == name for p in network.proposals if p is not proposal):
        raise NetworkRefused([InputRefused("name", name, "a name that no other proposal has", where="Proposals")])
    try:
        return Proposal.model_validate({**proposal.model_dump(), "name": name})
    except ValueError:
        raise NetworkRefused([InputRefused("name", name, NAME_ACCEPTED, where="Proposals")]) from None


def _kept(change: Change, inverse: Change) -> ProposedChange:
    return ProposedChange(
        title=change.title[:400], acts=ACTS.dump_python(list(change.acts), mode="json"), found=ACTS.dump_python(list(inverse.acts), mode="json")
    )  # fmt: skip


def put_inside(name: str, within: Network, change: Change) -> tuple[Change, Network]:
    """Put a change, made of the network inside a proposal, into that proposal.

    Returns
    -------
    The change of the network that keeps it, and the network inside the proposal afterwards.
    """
    after, inverse, whole = apply_completed(within, change)
    return Change(f"In proposal {name}: {change.title}", (Propose(name=name, change=_kept(whole, inverse)),)), after


def without(network: Network, name: str, positions: Iterable[int]) -> Change:
    """Take changes out of a proposal."""
    proposal, gone = proposal_of(network, name), set(positions)
    kept = [c for n, c in enumerate(proposal.changes) if n not in gone]
    titles = ", ".join(c.title for n, c in enumerate(proposal.changes) if n in gone)
    return _with(network, proposal, f"Taken out of proposal {name}: {titles}"[:400], changes=kept)


def renamed(network: Network, name: str, to: str, note: str) -> Change:
    """Another name or note for a proposal."""
    proposal = proposal_of(network, name)
    new = _named(network, to.strip(), proposal)
    if len(note) > 2000:
        raise NetworkRefused([InputRefused("note", f"{len(note)} characters", "up to 2000 characters", where=f"Proposal {name}")])
    return _with(network, proposal, f"Proposal {name} renamed {new.name}" if new.name != name else f"Note of proposal {name}", name=new.name, note=note)


def dropped(network: Network, name: str) -> Change:
    """Drop a proposal; undo brings it back."""
    proposal_of(network, name)
    return Change(f"Proposal {name} dropped", (PutProposal(name=name, to=None),))


def rebased(network: Network, name: str) -> Change:
    """Bring a proposal up to the network as it stands: what it finds now is what it is based on, what cannot be applied leaves it."""
    proposal = proposal_of(network, name)
    changes = [_kept(change, inverse) for change, inverse in inside(network, name).applied if change.acts]
    return _with(network, proposal, f"Proposal {name} rebased", changes=changes)


def accepted(network: Network, name: str, positions: Iterable[int] | None = None) -> Change:
    """Make the changes of a proposal, or some of them; what is left stays in the proposal, and with nothing left it goes.

    Raises
    ------
    NetworkRefused, NotFound
        If one of them cannot be made of the network as it stands now.
    """
    proposal = proposal_of(network, name)
    chosen = range(len(proposal.changes)) if positions is None else sorted(set(positions))
    if not chosen:
        raise NetworkRefused([InputRefused("changes", "none", "at least one change of the proposal", where=f"Proposal {name}")])
    acts = [act for n in chosen if n < len(proposal.changes) for act in acts_of(proposal.changes[n].acts)]
    left = [c for n, c in enumerate(proposal.changes) if n not in set(chosen)]
    rest = PutProposal(name=name, to=proposal.model_copy(update={"changes": left}) if left else None)
    part = "" if not left else f", {len(list(chosen))} of {len(proposal.changes)} changes"
    return Change(f"Accepted proposal {name}{part}", (*acts, rest))


def _with(network: Network, proposal: Proposal, title: str, **values: Any) -> Change:
    try:
        new = Proposal.model_validate({**proposal.model_dump(), **{k: [c.model_dump() for c in v] if k == "changes" else v for k, v in values.items()}})
    except ValueError as error:
        raise NetworkRefused(refusals_from(error, Proposal, values, f"Proposal {proposal.name}")) from None  # type: ignore[arg-type]
    return Change(title, (PutProposal(name=proposal.name, to=new),))
