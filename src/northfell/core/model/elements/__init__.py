"""The element kinds of a network. Every parameter is declared here and nowhere else.

Terms after IEC 60050 and CIM; symbols after IEC 60909-0 where it has one. A *terminal* is a field that names a bus. Switches,
breakers and fuses join two buses; closed, they make one electrical node of them.
"""

from functools import reduce
from operator import or_
from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from northfell.core.model.elements.base import IEC, NAME_ACCEPTED, NEUTRAL, ORIGINS, Document, Element, Name, Reference
from northfell.core.model.elements.branches import Autotransformer, Cable, Conductor, EquivalentBranch, Line, SeriesReactor, Transformer, Trunking  # fmt: skip
from northfell.core.model.elements.buses import Bus
from northfell.core.model.elements.by_phase import TransformerUnit
from northfell.core.model.elements.consumers import Consumer, InductionMotor, Load, Rectifier, StaticLoad, SynchronousMotor, motor_mva
from northfell.core.model.elements.measuring import CurrentTransformer, VoltageTransformer
from northfell.core.model.elements.regulator import RegulatorUnit, StepRegulator
from northfell.core.model.elements.shunts import CapacitorBank, Compensation, EarthingTransformer, Shunt, ShuntReactor
from northfell.core.model.elements.signalling import ProtectionSignal, ZoneRelay
from northfell.core.model.elements.sources import Dispatched, Infeed, Inverter, SynchronousGenerator
from northfell.core.model.elements.switching import GG_RATINGS_A, LINK_SIZES_A, OWN, BandPoint, Breaker, Changeover, Contactor, Fuse, Relay, Switch, Switching
from northfell.core.model.elements.three_winding import ThreeWindingTransformer

CLASSES: tuple[type[Element], ...] = (
    Bus, Infeed, SynchronousGenerator, Inverter, Transformer, ThreeWindingTransformer, Autotransformer, EarthingTransformer, Cable, Line, Trunking,
    SeriesReactor, EquivalentBranch, Breaker, Switch, Fuse, Contactor, Changeover, CurrentTransformer, VoltageTransformer, Relay, ZoneRelay,
    ProtectionSignal, InductionMotor,
    SynchronousMotor, Load, Rectifier, CapacitorBank, ShuntReactor, Shunt,
    StepRegulator,
)  # fmt: skip
KINDS: dict[str, type[Element]] = {cls.model_fields["kind"].default: cls for cls in CLASSES}
AnyElement: Any = Annotated[reduce(or_, CLASSES), Field(discriminator="kind")]
PROTECTION = (Relay, ZoneRelay, ProtectionSignal)  # what stands at a breaker and opens it, or tells it to wait
DELIVERING = tuple(kind for kind, cls in KINDS.items() if cls.ABOUT.delivers)
ELEMENT: TypeAdapter[Any] = TypeAdapter(AnyElement)


__all__ = [
    "Autotransformer", "Breaker", "Bus", "Cable", "CapacitorBank", "Changeover", "Compensation", "Conductor", "Consumer", "Contactor", "CurrentTransformer",
    "DELIVERING", "Dispatched", "Document", "ELEMENT",
    "BandPoint", "OWN", "EarthingTransformer", "Element", "EquivalentBranch", "Fuse", "GG_RATINGS_A", "IEC", "LINK_SIZES_A", "InductionMotor", "Infeed",
    "Inverter", "KINDS", "Line", "Load", "NAME_ACCEPTED", "NEUTRAL", "Name", "ORIGINS", "PROTECTION",
    "ProtectionSignal", "Rectifier", "Reference", "RegulatorUnit", "Relay", "SeriesReactor", "StepRegulator",
    "Shunt",
    "ShuntReactor", "StaticLoad", "Switch", "Switching", "SynchronousGenerator", "SynchronousMotor", "ThreeWindingTransformer", "Transformer",
    "TransformerUnit", "Trunking",
    "motor_mva",
    "VoltageTransformer", "ZoneRelay",
]  # fmt: skip
