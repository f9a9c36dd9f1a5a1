"""Which method gives current, energy and boundary at a voltage: IEEE 1584-2018 in its range, above it Lee's equation, theoretical and marked."""

import math

from northfell.core.errors import Message
from northfell.core.studies.arc_flash import equations as eq
from northfell.core.studies.arc_flash.equations import Enclosure

V_RANGE_KV = (0.208, 15.0)  # of the model
METHOD = "IEEE 1584-2018"
LEE = "Lee's equation"
LEE_J = 2.142e6  # E = LEE_J·V·Ibf·t/D², J/cm² with kV, kA, s, mm
BEYOND = "above the range of IEEE 1584-2018"  # code
AT_THE_BOUNDARY_J_CM2 = 1.2 * eq.CAL


def by_lee(voc_kv: float) -> bool:
    """Whether a voltage is above the range of the model."""
    return voc_kv > V_RANGE_KV[1]


def outside(voc_kv: float, low_kv: float, high_kv: float) -> str:
    """What is told of a voltage that no method covers."""
    return f"outside the method's range: {voc_kv:g} kV is not between {low_kv:g} and {high_kv:g} kV"


def least_tested_ka(voc_kv: float) -> float:
    """The least bolted current for which the model was tested; above it any."""
    return 0.0 if by_lee(voc_kv) else eq.ranges(voc_kv)[0][0]


def method_at(voc_kv: float) -> str:
    """The name of the method at a voltage."""
    return LEE if by_lee(voc_kv) else METHOD


def arcing_current_ka(voc_kv: float, ibf_ka: float, box: Enclosure) -> float:
    """Arcing current [kA]; by Lee that of the bolted fault."""
    return ibf_ka if by_lee(voc_kv) else eq.arcing_current_ka(voc_kv, ibf_ka, box)


def incident_energy_j_cm2(voc_kv: float, ibf_ka: float, box: Enclosure, distance_mm: float, t_ms: float, factor: float = 1.0) -> float:
    r"""Incident energy [J/cm²].

    .. math:: E = 2.142 \cdot 10^6 \frac{V\,I_{bf}\,t}{D^2}

    by Lee, of the most power that an arc in open air can have.

    Source
    ------
    IEEE 1584-2018, 4.2; above 15 kV R. H. Lee's equation (theoretical).
    """
    if not by_lee(voc_kv):
        return eq.incident_energy_j_cm2(voc_kv, ibf_ka, box, distance_mm, t_ms, factor)
    return LEE_J * voc_kv * ibf_ka * t_ms / 1000 / distance_mm**2


def boundary_mm(voc_kv: float, ibf_ka: float, box: Enclosure, t_ms: float, factor: float = 1.0) -> float:
    """Distance at which the energy is 1.2 cal/cm² [mm]."""
    if not by_lee(voc_kv):
        return eq.boundary_mm(voc_kv, ibf_ka, box, t_ms, factor)
    return math.sqrt(LEE_J * voc_kv * ibf_ka * t_ms / 1000 / AT_THE_BOUNDARY_J_CM2)


def out_of_range(voc_kv: float, ibf_ka: float, box: Enclosure, distance_mm: float) -> list[Message]:
    """Where the inputs leave the range in which the model was tested, in words; above its voltages, what stands in its place."""
    if not by_lee(voc_kv):
        return eq.out_of_range(voc_kv, ibf_ka, box, distance_mm)
    line = f"{voc_kv:g} kV is above the range of {METHOD}: {LEE}, theoretical, for an arc in open air; the higher the voltage, the more too much"
    return [Message(line, BEYOND)]
