"""A network by its conductors: primitive admittances over (bus, conductor), and the load flow by phase."""

from northfell.core.network.phases.dependence import Follows
from northfell.core.network.phases.ladder import earthed_along, electrodes_at
from northfell.core.network.phases.loads import CURRENT, IMPEDANCE, POWER, Load
from northfell.core.network.phases.parts import (  # fmt: skip
    EARTH,
    Pair,
    Primitive,
    bank,
    between,
    centre_tapped,
    from_sequences,
    limbs_of_zigzag,
    line,
    pairs_of,
    regulator_ratio,
    shunt,
    zigzag,
)
from northfell.core.network.phases.solver import PhaseFlow, PhaseNetwork, solve
from northfell.core.network.phases.thevenin import thevenin

__all__ = [
    "CURRENT", "EARTH", "Follows", "IMPEDANCE", "Load", "POWER", "Pair", "PhaseFlow", "PhaseNetwork", "Primitive", "bank", "between", "centre_tapped",
    "earthed_along", "electrodes_at",
    "from_sequences", "limbs_of_zigzag", "line", "pairs_of", "regulator_ratio", "shunt", "solve", "thevenin", "zigzag",
]  # fmt: skip
