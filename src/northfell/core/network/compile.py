"""Model and state become arrays in per unit, once per version and state. No study walks the model in its solver.

Per unit: power base of the project, voltage base of each bus its own nominal voltage. Where that is unknown the case can only
hold elements that are themselves given in per unit.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import cast

import numpy as np
from numpy.typing import NDArray

from northfell.core.errors import CannotRun
from northfell.core.model.elements import (
    Bus,
    Conductor,
    Element,
    EquivalentBranch,
    InductionMotor,
    Infeed,
    Load,
    Shunt,
    SynchronousGenerator,
    Transformer,
)  # fmt: skip
from northfell.core.model.network import Network, title_of
from northfell.core.network.impedance import transformer_per_unit
from northfell.core.network.topology import Ints, Topology, topology_of

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
FARTHEST_FROM_NOMINAL = 0.3  # of a transformer's rated voltage from its bus; more is a mistake, not a design
ALPHA_PER_K = 0.004  # of copper, aluminium and alloy lines; IEC 60909-0:2016, resistance for minimum currents


@dataclass(frozen=True)
class Branches:
    """Series branches in service: z = r + jx stands behind the ratio, which acts at the first end. All per unit unless named."""

    ids: tuple[str, ...]
    from_bus: Ints  # (branch,)
    to_bus: Ints
    r_flow: Floats  # at operating temperature
    r_cold: Floats  # at 20 degC
    r_hot: Floats  # at the end of a short circuit; nan where unknown
    x: Floats
    g: Floats  # shunt conductance of the whole branch
    b: Floats  # shunt susceptance of the whole branch
    ratio: Complexes  # at the tap in use, with phase shift
    ratio_main: Complexes  # at the main tap
    x_rated: Floats  # reactance of a transformer on its own rating; nan for other branches
    rating: Floats  # MVA of transformers and equivalent branches, A of lines and cables; nan where unknown
    rating_is_a: NDArray[np.bool_]


@dataclass(frozen=True)
class Compiled:
    """A network in one state, as arrays. Lists of elements are those in service, in the order of the network."""

    state: str
    network: Network
    elements: dict[str, Element]
    topology: Topology
    frequency_hz: float
    s_base_mva: float
    v_nominal_kv: Floats  # (bus,), nan where unknown
    branches: Branches
    infeeds: tuple[Infeed, ...]
    generators: tuple[SynchronousGenerator, ...]
    motors: tuple[InductionMotor, ...]
    loads: tuple[Load, ...]
    shunts: tuple[Shunt, ...]
    _found: dict[int, tuple[Sequence[Element], Ints]] = field(default_factory=dict, repr=False, compare=False)

    def bus_of(self, elements: Sequence[Element]) -> Ints:
        """Bus index of one-terminal elements; found once for each of the groups above."""
        key = id(elements)
        if key not in self._found:
            self._found[key] = elements, np.array([self.topology.bus_index[e.buses[0]] for e in elements], np.intp)
        return self._found[key][1]

    def node_of(self, elements: Sequence[Element]) -> Ints:
        """Node index of one-terminal elements."""
        return self.topology.node_of_bus[self.bus_of(elements)]

    def i_base_ka(self) -> Floats:
        """Current base of each bus [kA]."""
        return self.s_base_mva / (math.sqrt(3) * self.v_nominal_kv)

    def live(self) -> list[Element]:
        """The elements that take part: in service, as are their buses."""
        return [e for e in self.elements.values() if self.topology.live[e.id]]

    def name(self, element_id: str) -> str:
        return self.elements[element_id].name


def numbers(elements: Iterable[Element], field: str) -> Floats:
    """One parameter of many elements; nan where empty."""
    return np.array([math.nan if (v := getattr(e, field)) is None else v for e in elements], float)


def compile_network(network: Network, state: str, study: str = "load_flow") -> Compiled:
    """Turn a network in a state into arrays.

    Raises
    ------
    CannotRun
        Where nominal voltages contradict each other, or one that is needed is unknown; with every place.
    """
    elements = network.in_state(state)
    topology = topology_of(elements)
    buses = [cast(Bus, elements[b]) for b in topology.bus_ids]
    live = [e for e in elements.values() if topology.live[e.id]]
    v_kv = _nominal_voltages(elements, topology, numbers(buses, "v_nominal_kv"), study)
    return Compiled(
        state=state,
        network=network,
        elements=elements,
        topology=topology,
        frequency_hz=network.settings.frequency_hz,
        s_base_mva=network.settings.s_base_mva,
        v_nominal_kv=v_kv,
        branches=_branches(live, topology, v_kv, network.settings.s_base_mva, network.settings.frequency_hz, study),
        infeeds=tuple(e for e in live if isinstance(e, Infeed)),
        generators=tuple(e for e in live if isinstance(e, SynchronousGenerator)),
        motors=tuple(e for e in live if isinstance(e, InductionMotor)),
        loads=tuple(e for e in live if isinstance(e, Load)),
        shunts=tuple(e for e in live if isinstance(e, Shunt)),
    )


def _nominal_voltages(elements: dict[str, Element], topology: Topology, v_kv: Floats, study: str) -> Floats:
    """Nominal voltage of each bus; one that is unknown takes that of the buses it is switched to."""
    reasons = []
    for closed_id, a, b in zip(topology.closed_ids, topology.closed_from, topology.closed_to, strict=True):
        if abs(v_kv[a] - v_kv[b]) > 1e-3 * max(v_kv[a], v_kv[b]):  # false where one is nan
            one, other = elements[topology.bus_ids[a]].name, elements[topology.bus_ids[b]].name
            reasons.append(
                f"{title_of(elements[closed_id])} joins bus {one} of {v_kv[a]:g} kV and bus {other} of {v_kv[b]:g} kV: "
                "v_nominal_kv must be the same at both ends, or a transformer must stand between them."
            )
    if reasons:
        raise CannotRun(study, reasons)
    nodes = topology.node_of_bus
    known = ~np.isnan(v_kv) & (nodes >= 0)
    of_node = np.full(topology.n_nodes, math.nan)
    of_node[nodes[known]] = v_kv[known]
    return np.where(np.isnan(v_kv) & (nodes >= 0), of_node[nodes] if len(of_node) else v_kv, v_kv)


def _branches(live: list[Element], topology: Topology, v_kv: Floats, s_base: float, f_hz: float, study: str) -> Branches:
    reasons: list[str] = []
    rows = []
    for e in live:
        if isinstance(e, Conductor | Transformer | EquivalentBranch):
            a, b = (topology.bus_index[bus] for bus in e.buses)
            if not isinstance(e, EquivalentBranch) and (unknown := [i for i in (a, b) if math.isnan(v_kv[i])]):
                name = title_of(e)
                reasons += [f"Bus {_name(topology, live, i)}: v_nominal_kv is empty; {name} is given in ohms or kV and needs it." for i in unknown]
                continue
            if isinstance(e, Conductor) and abs(v_kv[a] - v_kv[b]) > 1e-3 * v_kv[a]:
                reasons.append(f"{title_of(e)} joins buses of {v_kv[a]:g} kV and {v_kv[b]:g} kV: v_nominal_kv must be the same at both ends.")
                continue
            if isinstance(e, Transformer) and (contradiction := _contradiction(e) or _off_its_bus(e, v_kv[a], v_kv[b])):
                reasons.append(contradiction)
                continue
            rows.append((e.id, a, b, *_branch(e, v_kv[a], v_kv[b], s_base, f_hz)))
            if rows[-1][6] == 0 and rows[-1][3] == 0:
                reasons.append(f"{title_of(e)} has neither resistance nor reactance. Enter one, or draw a closed switch.")
    if reasons:
        raise CannotRun(study, reasons)
    columns = list(zip(*rows, strict=True)) if rows else [()] * 14

    def real(i: int) -> Floats:
        return np.array(columns[i], float)

    return Branches(
        ids=tuple(columns[0]), from_bus=np.array(columns[1], np.intp), to_bus=np.array(columns[2], np.intp),
        r_flow=real(3), r_cold=real(4), r_hot=real(5), x=real(6), g=real(7), b=real(8),
        ratio=np.array(columns[9], complex), ratio_main=np.array(columns[10], complex),
        x_rated=real(11), rating=real(12), rating_is_a=np.array(columns[13], bool),
    )  # fmt: skip


def _contradiction(e: Transformer) -> str:
    """Nameplate values that cannot hold together, in words; empty if they can."""
    r, _ = transformer_per_unit(e)
    if r > _number(e.uk_pct) / 100:
        return f"{title_of(e)}: its losses give a resistive part of {r:.3%}, more than uk_pct {e.uk_pct:g} %. Accepted is at most uk_pct."
    no_load_pct = (e.no_load_loss_kw or 0) / 10 / _number(e.s_rated_mva)
    if e.no_load_current_pct is not None and no_load_pct > e.no_load_current_pct:
        return f"{title_of(e)}: no_load_loss_kw alone asks for {no_load_pct:.3g} % of current, more than no_load_current_pct {e.no_load_current_pct:g} %."
    return ""


def _off_its_bus(e: Transformer, v_hv: float, v_lv: float) -> str:
    """A rated voltage that cannot belong to its bus, in words; empty if both can. A wrong unit or swapped sides show here."""
    for name, rated, nominal in (("v_hv_kv", _number(e.v_hv_kv), v_hv), ("v_lv_kv", _number(e.v_lv_kv), v_lv)):
        if abs(rated / nominal - 1) > FARTHEST_FROM_NOMINAL:
            return (
                f"{title_of(e)}: {name} is {rated:g}, accepted is within {FARTHEST_FROM_NOMINAL:.0%} of the {nominal:g} kV of its bus. "
                "Check the unit, and which side is which."
            )
    return ""


def _name(topology: Topology, live: list[Element], bus: int) -> str:
    return next((e.name for e in live if e.id == topology.bus_ids[bus]), topology.bus_ids[bus])


def _number(value: float | None) -> float:
    return math.nan if value is None else value


def _branch(e: Conductor | Transformer | EquivalentBranch, v_a: float, v_b: float, s_base: float, f_hz: float) -> tuple:
    """r_flow, r_cold, r_hot, x, g, b, ratio, ratio_main, x_rated, rating, rating_is_a of one branch."""
    if isinstance(e, EquivalentBranch):
        k = s_base / e.s_base_mva
        ratio = e.ratio_pu * np.exp(1j * math.radians(e.shift_deg))
        r = e.r_pu * k
        return r, r, r, e.x_pu * k, 0.0, e.b_pu / k, ratio, ratio, math.nan, _number(e.s_rated_mva), False
    if isinstance(e, Transformer):
        return _transformer(e, v_a, v_b, s_base)
    km = _number(e.length_m) / 1000
    z_base = v_a**2 / s_base
    r_20 = _number(e.r_ohm_per_km) * km / e.parallel / z_base
    hot = r_20 * (1 + ALPHA_PER_K * (_number(e.t_end_degc) - 20))
    flow = r_20 if e.t_operating_degc is None else r_20 * (1 + ALPHA_PER_K * (e.t_operating_degc - 20))
    x = _number(e.x_ohm_per_km) * km / e.parallel / z_base
    b = 2 * math.pi * f_hz * (e.c_uf_per_km or 0.0) * 1e-6 * km * e.parallel * z_base
    rating = _number(e.i_rated_a) * e.parallel
    return flow, r_20, hot, x, 0.0, b, 1.0, 1.0, math.nan, rating, True


def _transformer(e: Transformer, v_hv: float, v_lv: float, s_base: float) -> tuple:
    r_own, x_own = transformer_per_unit(e)
    s = _number(e.s_rated_mva)
    to_system = (_number(e.v_lv_kv) / v_lv) ** 2 * s_base / (s * e.parallel)
    r, x = r_own * to_system, x_own * to_system
    y_base = s * e.parallel / s_base / (_number(e.v_lv_kv) / v_lv) ** 2
    g = (e.no_load_loss_kw or 0.0) / 1000 / s * y_base
    i0 = y_base * e.no_load_current_pct / 100 if e.no_load_current_pct is not None else g
    b = -math.sqrt(i0**2 - g**2)
    clock = int((e.vector_group or "0").lstrip("DYNZdynz") or 0)
    main = (_number(e.v_hv_kv) / v_hv) / (_number(e.v_lv_kv) / v_lv) * np.exp(1j * math.radians(30 * clock))
    return r, r, r, x, g, b, main * (1 + e.tap_pct / 100), main, x_own, s * e.parallel, False
