"""The acts of which a change set is made, and the change set itself."""

import json
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from northfell.core.model.declare.rows import MOST_ROWS
from northfell.core.model.elements import Document, Reference
from northfell.core.model.kept_beside import Acknowledged, KeptCurves, Proposal, ProposedChange
from northfell.core.model.network import OperatingState, Placement, Sheet
from northfell.core.model.own_entries import OwnEntry
from northfell.core.model.settings import ProjectSettings


class _Act(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, defer_build=True)  # the studies join the settings later


class Add(_Act):
    """Put an element into the network, at a place in its order (None: at the end)."""

    act: Literal["add"] = "add"
    element: dict[str, Any]
    at: int | None = None


class Remove(_Act):
    """Take an element out, with what states and sheets hold of it."""

    act: Literal["remove"] = "remove"
    id: Reference


class Set(_Act):
    """Set parameters of an element for all states. `assumed` names the source of those values that are typical ones."""

    act: Literal["set"] = "set"
    id: Reference
    values: dict[str, Any]
    assumed: dict[str, str] = Field(default_factory=dict)
    origins: dict[str, str] = Field(default_factory=dict)  # where values were read, by field
    catalogue: str | None = None  # the entry that the element follows from now on; None leaves it as it is


class PutRow(_Act):
    """Put a row of a table in the place of that at a place; `new` puts it before that instead, and None takes the row away."""

    act: Literal["row"] = "row"
    id: Reference
    field: str
    at: int = Field(ge=0, le=MOST_ROWS)
    to: dict[str, Any] | None
    new: bool = False


class Attach(_Act):
    """Put the documents of an element."""

    act: Literal["attach"] = "attach"
    id: Reference
    documents: list[Document]


class Connect(_Act):
    """Take a terminal to another bus."""

    act: Literal["connect"] = "connect"
    id: Reference
    terminal: str
    bus: Reference


class Move(_Act):
    """Place an element on a sheet, or take it off (None)."""

    act: Literal["move"] = "move"
    sheet: str
    id: Reference
    to: Placement | None


class Switch(_Act):
    """Set what an operating state may hold: switch position, in service, set points. None takes a state's difference back."""

    act: Literal["switch"] = "switch"
    state: str
    id: Reference
    values: dict[str, Any]


class Differ(_Act):
    """Set exactly what an operating state holds of an element; how a switch act is taken back, whatever Normal holds by then."""

    act: Literal["differ"] = "differ"
    state: str
    id: Reference
    values: dict[str, Any]


class PutState(_Act):
    """Put an operating state in the place of the one of that name, at a place in the list; add one (name empty), or take it away (to None)."""

    act: Literal["state"] = "state"
    name: str
    to: OperatingState | None
    at: int | None = None


class Scale(_Act):
    """Set the factor by which an operating state scales the load or generation of a group (“”: all). None takes it back."""

    act: Literal["scale"] = "scale"
    state: str
    of: Literal["load_factors", "generation_factors"]
    group: str
    factor: float | None


class PutStates(_Act):
    """Replace the list of operating states: as older histories hold it."""

    act: Literal["states"] = "states"
    states: list[OperatingState]


class PutSheet(_Act):
    """Put a sheet in the place of the one of that name, at a place in the list; add one (name empty), or take it away (to None)."""

    act: Literal["sheet"] = "sheet"
    name: str
    to: Sheet | None
    at: int | None = None


class PutEntry(_Act):
    """Put a catalogue entry of one's own in the place of that of a name; add one (name empty), or take it away (to None)."""

    act: Literal["entry"] = "entry"
    name: str
    to: OwnEntry | None
    at: int | None = None


class PutSetting(_Act):
    """Put one setting by its path ("limits.loading_close_pct"); how names of a kind begin by "name_starts.cable", None takes that back."""

    act: Literal["setting"] = "setting"
    path: str
    value: Any


class PutSettings(_Act):
    """Replace the settings of the project: what another set of study settings comes into use with."""

    act: Literal["settings"] = "settings"
    settings: ProjectSettings


class PutProposal(_Act):
    """Put a proposal in the place of the one of that name, at a place in the list; add one (name empty), or take it away (to None)."""

    act: Literal["proposal"] = "proposal"
    name: str
    to: Proposal | None
    at: int | None = None


class Propose(_Act):
    """Put one more change into a proposal."""

    act: Literal["propose"] = "propose"
    name: str
    change: ProposedChange


class Unpropose(_Act):
    """Take the newest change out of a proposal."""

    act: Literal["unpropose"] = "unpropose"
    name: str


class PutProposals(_Act):
    """Replace the list of proposals: as older histories hold it."""

    act: Literal["proposals"] = "proposals"
    proposals: list[Proposal]


class Acknowledge(_Act):
    """Take note of the finding of a key, or no more (to None)."""

    act: Literal["acknowledge"] = "acknowledge"
    key: str
    to: Acknowledged | None
    at: int | None = None


class PutAcknowledged(_Act):
    """Replace the list of findings that were acknowledged: as older histories hold it."""

    act: Literal["acknowledged"] = "acknowledged"
    acknowledged: list[Acknowledged]


class PutCurves(_Act):
    """Put a sheet of curves in the place of the one of that name, at a place in the list; add one (name empty), or take it away (to None)."""

    act: Literal["curves"] = "curves"
    name: str
    to: KeptCurves | None
    at: int | None = None


Act = Annotated[
    Add
    | Remove
    | Set
    | PutRow
    | Attach
    | Connect
    | Move
    | Switch
    | Differ
    | PutState
    | Scale
    | PutStates
    | PutSheet
    | PutEntry
    | PutSetting
    | PutSettings
    | PutProposal
    | Propose
    | Unpropose
    | PutProposals
    | Acknowledge
    | PutAcknowledged
    | PutCurves,
    Field(discriminator="act"),
]
ACTS: TypeAdapter[list[Act]] = TypeAdapter(list[Act], config=ConfigDict(defer_build=True))


def acts_of(raw: list[dict[str, Any]]) -> list[Any]:
    """Acts from plain records, as files and proposals hold them."""
    return ACTS.validate_json(json.dumps(raw))


@dataclass(frozen=True)
class Change:
    """A change set with the line that history shows for it."""

    title: str
    acts: tuple[Any, ...]

    def to_json(self) -> str:
        return ACTS.dump_json(list(self.acts)).decode()

    @classmethod
    def from_json(cls, title: str, text: str | bytes) -> "Change":
        return cls(title, tuple(ACTS.validate_json(text)))
