"""What is kept beside a network: proposals, which are changes not made yet, findings that someone has taken note of, and sheets of curves."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from northfell.core.model.elements import Name, Reference
from northfell.core.model.elements.base import RECORD, Prose

MOST_CHANGES = 500  # in one proposal
MOST_DEVICES = 40  # on one sheet of curves


class ProposedChange(BaseModel):
    """One change of a proposal, as its acts; `found` are the acts that took it back when it was proposed."""

    model_config = RECORD
    title: Prose = Field(max_length=400)
    acts: list[dict[str, Any]]
    found: list[dict[str, Any]]


class Proposal(BaseModel):
    """A named list of changes upon the network."""

    model_config = RECORD
    name: Name
    note: Prose = Field(default="", max_length=2000)
    changes: list[ProposedChange] = Field(default_factory=list, max_length=MOST_CHANGES)


class Acknowledged(BaseModel):
    """A finding that is known and accepted for a reason, until its figure grows."""

    model_config = RECORD
    key: Prose = Field(max_length=600)  # of the finding: study, element, check
    reason: Prose = Field(min_length=1, max_length=500)
    beyond: float = 0.0  # how far the figure stood when it was acknowledged, in parts of its limit
    severity: str = Field(default="close", max_length=20)
    told: Prose = Field(default="", max_length=400)  # what the finding said then


class MovedName(BaseModel):
    """Where the name of a device was put on a sheet of curves: the upper left corner of its plate, in parts of the frame from there."""

    model_config = RECORD
    device: Reference
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


class KeptCurves(BaseModel):
    """A sheet of time-current curves that is kept under a name: its devices, from below to the source."""

    model_config = RECORD
    name: Name
    devices: list[Reference] = Field(default_factory=list, max_length=MOST_DEVICES)  # ids of breakers and fuses
    fault: Literal["3ph", "lg"] = "3ph"  # between phases, or to earth
    v_ref_kv: float | None = Field(default=None, gt=0, le=1200)  # voltage of the axis of currents; None: that of the last device
    own_amperes: bool = False  # each device in its own amperes, whatever the voltage
    moved: list[MovedName] = Field(default_factory=list, max_length=MOST_DEVICES)  # names that were put elsewhere by hand

    def without(self, device: str) -> "KeptCurves":
        """The same without a device."""
        return self.model_copy(update={"devices": [d for d in self.devices if d != device], "moved": [m for m in self.moved if m.device != device]})
