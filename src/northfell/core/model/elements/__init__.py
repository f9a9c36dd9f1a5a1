"""The element kinds of a network. Every parameter is declared here and nowhere else.

Terms after IEC 60050 and CIM; symbols after IEC 60909-0 where it has one. A *terminal* is a field that names a bus. Switches,
breakers and fuses join two buses; closed, they make one electrical node of them.
"""

from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from northfell.core.model.elements.base import IEC, NAME_ACCEPTED, Element, Name, Reference
from northfell.core.model.elements.branches import Cable, Conductor, EquivalentBranch, Line, Transformer
from northfell.core.model.elements.buses import Bus
from northfell.core.model.elements.consumers import InductionMotor, Load, Shunt
from northfell.core.model.elements.sources import Infeed, SynchronousGenerator
from northfell.core.model.elements.switching import GG_RATINGS_A, Breaker, Fuse, Relay, Switch, Switching

AnyElement = Annotated[
    Bus | Infeed | SynchronousGenerator | Transformer | Cable | Line | EquivalentBranch | Switch | Breaker | Fuse | Relay | InductionMotor | Load | Shunt,
    Field(discriminator="kind"),
]
KINDS: dict[str, type[Element]] = {
    cls.model_fields["kind"].default: cls
    for cls in (
        Bus, Infeed, SynchronousGenerator, Transformer, Cable, Line, EquivalentBranch, Switch, Breaker, Fuse, Relay, InductionMotor, Load, Shunt,
    )
}  # fmt: skip
ELEMENT: TypeAdapter[Any] = TypeAdapter(AnyElement)


__all__ = [
    "AnyElement",
    "Breaker",
    "Bus",
    "Cable",
    "Conductor",
    "ELEMENT",
    "Element",
    "EquivalentBranch",
    "Fuse",
    "GG_RATINGS_A",
    "IEC",
    "InductionMotor",
    "Infeed",
    "KINDS",
    "Line",
    "Load",
    "NAME_ACCEPTED",
    "Name",
    "Reference",
    "Relay",
    "Shunt",
    "Switch",
    "Switching",
    "SynchronousGenerator",
    "Transformer",
]
