"""Faults part-way along a line or cable, and faults through the resistance that gives a wanted current."""

from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from northfell.core.errors import CannotRun, InputRefused
from northfell.core.model.elements import Conductor
from northfell.core.model.network import title_of
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.sequences import SequenceNetwork, as_phases
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.case import FAULTS, TO_EARTH, Case
from northfell.core.studies.short_circuit.result import CASES, ShortCircuit
from northfell.core.tables import Table, build

PLACES = tuple(k / 10 for k in range(11))  # parts of the length
_COLUMNS = (
    ("state", "", "State"), ("element", "", "Element"), ("position_pct", "%", "From its first end"), ("length_m", "m", "Length to there"),
    ("fault", "", "Fault"),
    ("case", "", "Case"), ("method", "", "Method"), ("ik_ka", "kA", "I″k"), ("i_earth_ka", "kA", "Earth"),
)  # fmt: skip


@dataclass(frozen=True)
class Along:
    """Currents of faults along a conductor, (place,) for each fault and case; nan where they are not known."""

    study: ShortCircuit
    conductor: Conductor
    ik_ka: dict[tuple[str, str], Floats]
    i_earth_ka: dict[tuple[str, str], Floats]

    def table(self) -> Table:
        rows = []
        for fault in FAULTS:
            for case in CASES:
                ik, earth = self.ik_ka[fault, case], self.i_earth_ka[fault, case]
                for k, p in enumerate(PLACES):
                    known = bool(np.isfinite(ik[k]))
                    rows.append((
                        self.study.net.state, self.conductor.name, 100 * p, p * (self.conductor.length_m or 0.0), fault, case, self.study.method,
                        float(ik[k]) if known else None, float(earth[k]) if known and fault in TO_EARTH else None,
                    ))  # fmt: skip
        return build("along", _COLUMNS, rows)


def along(study: ShortCircuit, element_id: str) -> Along:
    r"""Faults along a line or cable, without a network of its own for each place.

    Between two nodes of which the impedances are known, with z the conductor's own:

    .. math:: Z_{pp} = (1-p)^2 Z_{ff} + p^2 Z_{tt} + p(1-p)(Z_{ft} + Z_{tf} + z)

    in every sequence.

    Raises
    ------
    CannotRun
        If it is no conductor that is fed.
    """
    e, net = study.net.elements.get(element_id), study.net
    if not isinstance(e, Conductor) or not net.topology.live.get(e.id, False) or not net.topology.fed_bus(net.topology.bus_index[e.from_bus]):
        raise CannotRun("short_circuit", ["Faults part-way are computed along a cable, line or trunking that is in service and fed."])
    ends = np.array([net.topology.bus_index[b] for b in e.buses], np.intp)
    ik: dict[tuple[str, str], Floats] = {}
    earth: dict[tuple[str, str], Floats] = {}
    p = np.array(PLACES)
    for case in CASES:
        one = study.cases[case]
        base = float(one.z_base_ohm[ends[0]])
        e_pu = one.e_pu[ends[0]] + (1 - p) * one.converters_pu[0][ends[0]] + p * one.converters_pu[0][ends[1]]
        lacks = bool(one.lacking_zero[ends].any())
        networks = {"1": one.positive, "u": one.unbalanced_positive, "2": one.negative, "0": one.zero.network}
        z = {key: _between(one, network, ends, e.id, p) for key, network in networks.items()}
        for fault in FAULTS:
            first, second = (z["1"], z["1"]) if fault == "3ph" else (z["u"], z["2"])
            with np.errstate(invalid="ignore", divide="ignore"):
                zf, ze = complex(study.settings.fault_r_ohm, study.settings.fault_x_ohm) / base, study.settings.earth_r_ohm / base
                i = eq.sequence_currents(fault, e_pu, np.zeros(len(p)), first, second, z["0"], zf, ze)
            if fault in TO_EARTH and one.loose[ends[0]]:
                i[:, 2] = 0
                i = i * 0 if fault == "lg" else i
            known = np.nan if fault in TO_EARTH and lacks else 1.0
            ik[fault, case] = np.abs(as_phases(i)).max(axis=1) * net.i_base_ka()[ends[0]] * known
            earth[fault, case] = 3 * np.abs(i[:, 2]) * net.i_base_ka()[ends[0]] * known
    return Along(study, e, ik, earth)


def _between(one: Case, network: SequenceNetwork, ends: np.ndarray, element_id: str, p: Floats) -> Complexes:
    """Impedance at some places of a conductor [p.u.]."""
    nodes = one.net.topology.node_of_bus[ends]
    column = network.columns(nodes)[nodes]
    own = complex(network.wires.z[network.wires.ids.index(element_id)])
    return np.asarray((1 - p) ** 2 * column[0, 0] + p**2 * column[1, 1] + p * (1 - p) * (column[0, 1] + column[1, 0] + own))


def resistance_for(study: ShortCircuit, bus: int, wanted_ka: float, fault: str = "3ph", case: str = "max") -> float:
    """The fault resistance that gives a wanted current at a bus [ohm].

    Raises
    ------
    InputRefused
        If that current is more than the bolted one, or none.
    """
    one, un = study.cases[case], float(study.net.v_nominal_kv[bus])
    z1, z2, z0 = (one.z1_pu if fault == "3ph" else one.z1_unbalanced_pu)[bus], one.z2_pu[bus], one.z0_pu[bus] if fault in TO_EARTH else 0.0
    e, i_base, base = one.e_pu[bus] + one.converters_pu[0][bus], float(study.net.i_base_ka()[bus]), float(one.z_base_ohm[bus])

    def current(ohm: float) -> float:
        i = eq.sequence_currents(fault, np.array([e]), np.zeros(1), np.array([z1]), np.array([z2]), np.array([z0]), ohm / base)
        return float(np.abs(as_phases(i)).max()) * i_base

    bolted = current(0.0)
    if not 0 < wanted_ka <= bolted:
        where = title_of(study.net.elements[study.net.topology.bus_ids[bus]])
        raise InputRefused("wanted current", f"{wanted_ka:g} kA", f"above 0 and at most the bolted {bolted:.4g} kA", where=where)
    if wanted_ka == bolted:
        return 0.0
    return float(brentq(lambda ohm: current(ohm) - wanted_ka, 0.0, 100 * un / wanted_ka, xtol=1e-12, rtol=1e-12))
