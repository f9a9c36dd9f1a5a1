"""What a change set writes, as paths: (“element”, id, field), (“state”, name, …), (“sheet”, name, …). Two people's edits meet where paths meet.

A path stands for all that lies below it: taking an element away touches every field of it.
"""

from collections.abc import Iterable

from northfell.core.model import changes as act
from northfell.core.model.changes import Change
from northfell.core.model.network import NORMAL

Path = tuple[str, ...]


def touched_by(change: Change) -> frozenset[Path]:
    """All that a change set writes."""
    return frozenset(path for one in change.acts for path in _of(one))


def _of(a: act.Act) -> Iterable[Path]:  # noqa: C901  one case for each act
    match a:
        case act.Add():
            return [("element", str(a.element.get("id", "")))]
        case act.Remove():
            return [("element", a.id)]
        case act.Set():
            return [("element", a.id, field) for field in a.values] + ([("element", a.id, "catalogue")] if a.catalogue is not None else [])
        case act.PutRow():  # a row that comes or goes moves those below it
            return [("element", a.id, a.field)]
        case act.Attach():
            return [("element", a.id, "documents")]
        case act.Connect():
            return [("element", a.id, a.terminal)]
        case act.Move():
            return [("sheet", a.sheet, "placement", a.id)]
        case act.Switch() if a.state == NORMAL:
            return [("element", a.id, field) for field in a.values]
        case act.Switch() | act.Differ():
            return [("state", a.state, a.id, field) for field in a.values] or [("state", a.state, a.id)]
        case act.Scale():
            return [("state", a.state, "factor", a.of, a.group)]
        case act.PutState():
            return [("state", name) for name in {a.name, a.to.name if a.to else a.name} - {""}]
        case act.PutStates():
            return [("state",)]
        case act.PutSheet():
            return [("sheet", name) for name in {a.name, a.to.name if a.to else a.name} - {""}]
        case act.PutEntry():
            return [("entry", name) for name in {a.name, a.to.name if a.to else a.name} - {""}]
        case act.PutSetting():
            return [("setting", *a.path.split("."))]
        case act.PutSettings():
            return [("setting",)]
        case act.PutProposal():
            return [("proposal", name) for name in {a.name, a.to.name if a.to else a.name} - {""}]
        case act.Propose():
            inner = Change(a.change.title, tuple(act.acts_of(a.change.acts)))
            return [("proposal", a.name, "change", *path) for path in touched_by(inner)]
        case act.Unpropose():
            return [("proposal", a.name)]
        case act.PutProposals():
            return [("proposal",)]
        case act.Acknowledge():
            return [("acknowledged", a.key)]
        case act.PutCurves():
            return [("curves", name) for name in {a.name, a.to.name if a.to else a.name} - {""}]
        case act.PutAcknowledged():
            return [("acknowledged",)]
    raise TypeError(type(a))  # a defect: every act says what it touches


def needed_by(change: Change) -> frozenset[Path]:
    """What a change set reads: that what it refers to is there."""
    paths: set[Path] = set()
    for a in change.acts:
        match a:
            case act.Add():
                references = {value for key, value in a.element.items() if isinstance(value, str) and key not in ("id", "name", "kind")}
                paths |= {("element", reference, "there") for reference in references}
            case act.Connect():
                paths.add(("element", a.bus, "there"))
    return frozenset(paths)


def meeting(one: frozenset[Path], other: frozenset[Path]) -> set[Path]:
    """The paths of one that are, lie below, or hold a path of the other."""
    below = {path[:n] for path in other for n in range(1, len(path))}  # what holds a path of the other
    return {path for path in one if path in below or any(path[:n] in other for n in range(1, len(path) + 1))}
