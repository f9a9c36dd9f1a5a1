"""The equations of IEEE 1584-2002 beside those of 2018, where a project asks for a comparison. Superseded: no label goes by them."""

import math
from dataclasses import dataclass

import numpy as np

from northfell.core.model.elements import Bus
from northfell.core.network import Compiled
from northfell.core.studies.arc_flash.by_voltage import V_RANGE_KV
from northfell.core.studies.arc_flash.equations import BURN_J_CM2, CAL, IN_BOX
from northfell.core.studies.arc_flash.result import ArcFlash, Location, finite
from northfell.core.studies.arc_flash.settings import exposure_s
from northfell.core.studies.protection import Zones, devices_of, lacking_of, through_devices, wanted_by
from northfell.core.studies.short_circuit import CASES, ShortCircuit
from northfell.core.tables import Table, build

EDITION = "IEEE 1584-2002"
K_OPEN, K_BOX = -0.153, -0.097
K1_OPEN, K1_BOX = -0.792, -0.555
K2_GROUNDED = -0.113
CF_LOW, LOW_KV = 1.5, 1.0  # calculation factor up to and including 1 kV; 1 above
REDUCED = 0.85  # of the arcing current, below 1 kV
SWITCHGEAR, PANEL, SWITCHGEAR_MV, OPEN_AIR = 1.473, 1.641, 0.973, 2.0  # exponents of distance
IBF_KA, GAP_MM = (0.7, 106.0), (13.0, 152.0)  # in which the equations were tested
SOLIDLY = 0.25  # of the three-phase fault: an earth fault of as much is one of a grounded system
AT_MM, AT_S = 610.0, 0.2  # to which the normalized energy is


def arcing_current_ka(voc_kv: float, ibf_ka: float, gap_mm: float, in_box: bool) -> float:
    r"""Arcing current [kA].

    .. math:: \lg I_a = K + 0.662 \lg I_{bf} + 0.0966 V + 0.000526 G + 0.5588 V \lg I_{bf} - 0.00304 G \lg I_{bf}

    below 1 kV; above, :math:`\lg I_a = 0.00402 + 0.983 \lg I_{bf}`.

    Source
    ------
    IEEE 1584-2002, 5.2 (not verified by a worked example).
    """
    lg = math.log10(ibf_ka)
    if voc_kv >= LOW_KV:
        return math.pow(10, 0.00402 + 0.983 * lg)
    k = K_BOX if in_box else K_OPEN
    return math.pow(10, k + 0.662 * lg + 0.0966 * voc_kv + 0.000526 * gap_mm + 0.5588 * voc_kv * lg - 0.00304 * gap_mm * lg)


def normalized_j_cm2(i_arc_ka: float, gap_mm: float, in_box: bool, grounded: bool) -> float:
    r"""Energy at 610 mm in 0.2 s [J/cm²], :math:`\lg E_n = K_1 + K_2 + 1.081 \lg I_a + 0.0011 G`.

    Source
    ------
    IEEE 1584-2002, 5.3 (not verified by a worked example).
    """
    return math.pow(10, (K1_BOX if in_box else K1_OPEN) + (K2_GROUNDED if grounded else 0.0) + 1.081 * math.log10(i_arc_ka) + 0.0011 * gap_mm)


def incident_energy_j_cm2(voc_kv: float, normalized: float, distance_mm: float, t_s: float, x: float) -> float:
    """Energy at the working distance [J/cm²], E = 4.184·Cf·En·(t/0.2)·(610/D)^x."""
    return CAL * (CF_LOW if voc_kv <= LOW_KV else 1.0) * normalized * t_s / AT_S * math.pow(AT_MM / distance_mm, x)


def boundary_mm(voc_kv: float, normalized: float, t_s: float, x: float) -> float:
    """Distance at which the energy is 1.2 cal/cm² [mm]."""
    return float((incident_energy_j_cm2(voc_kv, normalized, AT_MM, t_s, x) / BURN_J_CM2) ** (1 / x) * AT_MM)


def exponents_of(bus: Bus) -> tuple[float, ...]:
    """Exponents of distance that may hold at a board, by its class; where that is not known, all of its voltage."""
    if bus.electrode_configuration not in IN_BOX or bus.equipment_class == "Cable junction box":
        return (OPEN_AIR,)
    if (bus.v_nominal_kv or 0.0) > LOW_KV:
        return (SWITCHGEAR_MV,)
    if bus.equipment_class is None:
        return SWITCHGEAR, PANEL
    return (PANEL,) if "MCC" in bus.equipment_class else (SWITCHGEAR,)


@dataclass(frozen=True)
class ByEarlier:
    """A place by the earlier edition: the worst of full and reduced current, maximum and minimum case."""

    location: Location
    i_arc_ka: float
    part: float  # of the arcing current of the equation
    case: str
    opens_at_s: float
    arc_time_s: float
    energy_j_cm2: float
    boundary_mm: float
    earthing: str
    exponent: float
    told: tuple[str, ...]


@dataclass(frozen=True)
class Earlier:
    """All places of a state by the earlier edition."""

    arc: ArcFlash
    places: tuple[ByEarlier, ...]

    def table(self) -> Table:
        rows = []
        for one in self.places:
            worst = one.location.worst
            rows.append((
                self.arc.net.state, self.arc.bus(one.location).name, one.location.side, finite(worst.energy_cal_cm2) if worst else None,
                finite(one.energy_j_cm2 / CAL), one.i_arc_ka, one.part, one.case, finite(one.opens_at_s), finite(one.arc_time_s), finite(one.boundary_mm),
                one.earthing, one.exponent, "; ".join(one.told),
            ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("bus", "", "Location"), ("side", "", "Side"), ("energy_cal_cm2", "cal/cm²", "Energy, 2018"),
            ("energy_2002_cal_cm2", "cal/cm²", "Energy, 2002"), ("i_arc_ka", "kA", "Arcing, 2002"), ("part", "", "Of it"), ("case", "", "Case"),
            ("opens_at_s", "s", "Opens at"), ("arc_time_s", "s", "Arc lasts"), ("boundary_mm", "mm", "Boundary"), ("earthing", "", "Earthing"),
            ("exponent", "", "x"), ("told", "", "Told"),
        )  # fmt: skip
        return build("earlier_edition", columns, rows)


def compare(arc: ArcFlash) -> Earlier:
    """Every place of three phases that has a result up to 15 kV by the earlier edition, with its own arcing currents and what clears them.

    Currents are held constant; those of motors, or none of them, by what clears later.
    """
    faults, net = arc.faults, arc.faults.net
    every, lacking = devices_of(net.elements), lacking_of(net, "arc_flash")
    devices = {d: one for d, one in every.items() if d in net.taking_part and d not in lacking}
    zones, wanted = Zones(net, every), wanted_by(devices.values())
    carried = [d for d in devices if d in set(net.topology.closed_ids)]
    those = [one for one in arc.locations if one.worst and not one.fault and V_RANGE_KV[0] <= (arc.bus(one).v_nominal_kv or 0.0) <= V_RANGE_KV[1]]
    found: dict[int, ByEarlier] = {}
    for case in CASES if those else ():
        sets = []  # what flows at first, and without motors
        for given in (faults, *([arc.bare] if arc.bare else [])):
            flows = given.flows([one.faulted for one in those], case)
            sets.append((np.abs(flows.ik_ka[:, 0]), through_devices(flows, carried, wanted.more, wanted.elsewhere)))
        for k, one in enumerate(those):
            bus, ibf_ka = arc.bus(one), float(sets[0][0][k])
            voc, gap, distance = (float(v or math.nan) for v in (bus.v_nominal_kv, bus.gap_mm, bus.working_distance_mm))
            in_box, (grounded, earthing) = bus.electrode_configuration in IN_BOX, earthing_of(faults, one.faulted)
            for part in (1.0, REDUCED) if voc < LOW_KV else (1.0,):
                i_arc_ka = part * arcing_current_ka(voc, ibf_ka, gap, in_box)
                interest = zones.devices_of_interest(one.faulted)
                t_s = 0.0
                for i_bolted_ka, through in sets:
                    share = part * arcing_current_ka(voc, float(i_bolted_ka[k]), gap, in_box) / float(i_bolted_ka[k])
                    seen = {d: through.at((n, k)).times(share, arc=True) for n, d in enumerate(carried) if d in interest}
                    t_s = max(t_s, zones.isolate(one.faulted, {d: float(devices[d].interrupts_at_s(i)) for d, i in seen.items()}).t_s)
                lasts_s, normalized = exposure_s(arc.settings, t_s), normalized_j_cm2(i_arc_ka, gap, in_box, grounded)
                energy, x = max((incident_energy_j_cm2(voc, normalized, distance, lasts_s, x), x) for x in exponents_of(bus))
                boundary = max(boundary_mm(voc, normalized, lasts_s, x) for x in exponents_of(bus))
                before = found.get(k)
                widest = max(boundary, before.boundary_mm) if before else boundary
                if before is None or energy > before.energy_j_cm2:
                    told = _told(net, bus, ibf_ka, gap)
                    before = ByEarlier(one, i_arc_ka, part, case, t_s, lasts_s, energy, widest, earthing, x, told)
                found[k] = ByEarlier(**{**vars(before), "boundary_mm": widest})
    return Earlier(arc, tuple(found[k] for k in range(len(those))))


def earthing_of(faults: ShortCircuit, bus: int) -> tuple[bool, str]:
    """Whether the system is grounded where a fault is, as found in the state: by how much its earth fault is of the one of three phases."""
    if faults.earth_faults_lack(bus):
        return False, "not known: taken as ungrounded"
    case = faults.cases["max"]
    if float(case.of("lg").ik_ka[bus]) >= SOLIDLY * float(case.of("3ph").ik_ka[bus]):
        return True, "grounded"
    return False, "ungrounded, or by an impedance"


def _told(net: Compiled, bus: Bus, ibf_ka: float, gap_mm: float) -> tuple[str, ...]:
    told = []
    if not IBF_KA[0] <= ibf_ka <= IBF_KA[1]:
        told.append(f"bolted current {ibf_ka:.4g} kA is outside {IBF_KA[0]:g} to {IBF_KA[1]:g} kA")
    if not GAP_MM[0] <= gap_mm <= GAP_MM[1]:
        told.append(f"gap {gap_mm:g} mm is outside {GAP_MM[0]:g} to {GAP_MM[1]:g} mm")
    if len(exponents_of(bus)) > 1:
        told.append("no equipment class: the worse exponent of distance")
    if len(bus.configurations) > 1:
        told.append(f"by {bus.electrode_configuration}, which governs in 2018")
    return tuple(told)
