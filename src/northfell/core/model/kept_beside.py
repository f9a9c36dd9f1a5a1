"""What is kept beside a network: proposals, which are changes not made yet, and findings that someone has taken note of."""

from typing import Any

from pydantic import BaseModel, Field

from northfell.core.model.elements import Name
from northfell.core.model.elements.base import RECORD, Prose

MOST_CHANGES = 500  # in one proposal


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
