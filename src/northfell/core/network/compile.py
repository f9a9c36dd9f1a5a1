"""Model and state become arrays in per unit, once per version and state. No study walks the model in its solver.

Per unit: power base of the project, voltage base of each bus its own nominal voltage. Where that is unknown the case can only
hold elements that are themselves given in per unit.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from operator import attrgetter
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from northfell.core.errors import CannotRun
from northfell.core.model.base_voltage import FARTHEST
from northfell.core.model.elements import (
    Bus,
    Compensation,
    Conductor,
    Consumer,
    Element,
    EquivalentBranch,
    InductionMotor,
    Infeed,
    Inverter,
    SeriesReactor,
    StaticLoad,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
)  # fmt: skip
from northfell.core.model.elements.tap_changer import tap_ratio
from northfell.core.model.network import Network, differing, title_of
from northfell.core.network.holding import HeldBack, Why, held
from northfell.core.network.impedance import delta_of_pairs, pair_impedances, reactor_ohm, transformer_per_unit
from northfell.core.network.terminals import Terminals, terminals_of
from northfell.core.network.topology import Ints, Topology, energised, topology_of
from northfell.core.rules.completeness import Missing

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
NOT_FED = (0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 1.0, 1.0, math.nan, math.nan, False)  # stands in for what is not known and carries nothing
ALPHA_PER_K = 0.004  # of copper, aluminium and alloy lines; IEC 60909-0:2016, resistance for minimum currents


@dataclass(frozen=True)
class Branches:
    """Series branches in service: z = r + jx stands behind the ratio, which acts at the first end. All per unit unless named.

    A three-winding transformer is three of them, between its terminals; they bear the same id.
    """

    ids: tuple[str, ...]
    terminals: Ints  # (branch, 2) positions of the element's terminals at the two ends
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

    @cached_property
    def first_bus(self) -> Ints:
        """The bus at the first terminal of the element of each branch (branch,): a branch of three windings may begin at its second."""
        first = {i: bus for i, bus, terminal in zip(self.ids, self.from_bus.tolist(), self.terminals[:, 0].tolist(), strict=True) if terminal == 0}
        return np.array([first[i] for i in self.ids], np.intp)


@dataclass(frozen=True)
class Windings:
    """A three-winding transformer among the branches."""

    rows: tuple[int, int, int]  # its branches AB, AC, BC
    pairs: tuple[complex, complex, complex]  # impedances by pair on its rated voltages and the power base
    x_rated: tuple[float, float, float]  # reactance of each pair on the pair's own power
    scale: tuple[float, float, float]  # from rated voltage to the base of each branch's second end


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
    windings: tuple[Windings, ...]
    infeeds: tuple[Infeed, ...]
    generators: tuple[SynchronousGenerator, ...]
    inverters: tuple[Inverter, ...]
    induction_motors: tuple[InductionMotor, ...]
    synchronous_motors: tuple[SynchronousMotor, ...]
    loads: tuple[StaticLoad, ...]
    shunts: tuple[Compensation, ...]
    held_back: tuple[HeldBack, ...] = ()  # islands of which nothing is computed
    _found: dict[int, tuple[Sequence[Element], Ints]] = field(default_factory=dict, repr=False, compare=False)
    _factors: dict[tuple[bool, str], float] = field(default_factory=dict, repr=False, compare=False)

    @cached_property
    def machines(self) -> tuple[SynchronousGenerator | Inverter, ...]:
        """What delivers power by set points: generators, then inverters."""
        return (*self.generators, *self.inverters)

    @cached_property
    def motors(self) -> tuple[InductionMotor | SynchronousMotor, ...]:
        """Motors of both kinds."""
        return (*self.induction_motors, *self.synchronous_motors)

    @cached_property
    def terminals(self) -> Terminals:
        """Every terminal of what is in service."""
        return terminals_of(self.elements, self.topology)

    def bus_of(self, elements: Sequence[Element]) -> Ints:
        """Bus index of one-terminal elements; found once for each of the groups above."""
        key = id(elements)
        if key not in self._found or self._found[key][0] is not elements:  # in a copy that came from elsewhere ids are others'
            self._found[key] = elements, np.array([self.topology.bus_index[e.buses[0]] for e in elements], np.intp)
        return self._found[key][1]

    def node_of(self, elements: Sequence[Element]) -> Ints:
        """Node index of one-terminal elements."""
        return self.topology.node_of_bus[self.bus_of(elements)]

    def i_base_ka(self) -> Floats:
        """Current base of each bus [kA]."""
        return self.s_base_mva / (math.sqrt(3) * self.v_nominal_kv)

    @cached_property
    def taking_part(self) -> dict[str, Element]:
        """The elements under voltage, by id: what is drawn but not fed asks for no data."""
        under_voltage = energised(self.elements, self.topology)
        return {e.id: e for e in self.elements.values() if under_voltage.get(e.id, False)}

    def holding_back(self, reasons: Iterable[tuple[int, str]], why: Why = "data", lacking: Mapping[str, Missing] | None = None) -> "Compiled":
        """The same with the islands in which something stands against a result kept back: they are taken as not fed from here on."""
        names = {i: self.elements[b].name for i, b in enumerate(self.topology.bus_ids)}
        new = held(self.topology, names, reasons, why, lacking or {})
        return self.masked({b for one in new for b in one.buses}, (*self.held_back, *new))

    def masked(self, buses: Iterable[int], held_back: tuple[HeldBack, ...] | None = None) -> "Compiled":
        """The same with the islands of some buses taken as not fed; their data no longer enter anything."""
        topology = self.topology.without(buses)
        b = self.branches
        dead = ~topology.fed_node[topology.node_of_bus[b.from_bus]] if len(b.ids) else np.zeros(0, bool)

        def off(values: Any, instead: Any) -> Any:
            return np.where(dead, instead, values)

        branches = replace(
            b, r_flow=off(b.r_flow, 0.0), r_cold=off(b.r_cold, 0.0), r_hot=off(b.r_hot, 0.0), x=off(b.x, 1.0), g=off(b.g, 0.0), b=off(b.b, 0.0),
            ratio=off(b.ratio, 1.0), ratio_main=off(b.ratio_main, 1.0), x_rated=off(b.x_rated, math.nan),
        )  # fmt: skip
        windings = tuple(w for w in self.windings if not dead[w.rows[0]])
        told = self.held_back if held_back is None else held_back
        return replace(self, topology=topology, branches=branches, windings=windings, held_back=told, _found={})

    def is_held_back(self, bus: int) -> bool:
        """Whether a bus is under voltage in an island of which nothing is computed."""
        return any(bus in one.buses for one in self.held_back)

    @property
    def held_back_told(self) -> list[str]:
        return [line for one in self.held_back for line in one.told]

    def factor_of(self, element: Element) -> float:
        """What the state's factors make of the power of a source or consumer."""
        key = isinstance(element, Consumer), element.group  # few different ones, asked for at every element
        if key not in self._factors:
            self._factors[key] = self.network.factor_in(self.state, element)
        return self._factors[key]

    def name(self, element_id: str) -> str:
        return self.elements[element_id].name


def numbers(elements: Iterable[Element], field: str) -> Floats:
    """One parameter of many elements; nan where empty."""
    return np.array(list(map(attrgetter(field), elements)), float)  # an empty one is None, of which NumPy makes nan


def compile_network(
    network: Network, state: str, study: str = "load_flow", topology: Topology | None = None, elements: dict[str, Element] | None = None
) -> Compiled:  # fmt: skip
    """Turn a network in a state into arrays; its topology is found, unless it is known already.

    With `elements`, these stand for those of the state: the same, but for what is tried out.

    Raises
    ------
    CannotRun
        Where nominal voltages contradict each other, or one that is needed is unknown; with every place.
    """
    elements = network.in_state(state) if elements is None else elements
    topology = topology or topology_of(elements)
    buses = [cast(Bus, elements[b]) for b in topology.bus_ids]
    live = [e for e in elements.values() if topology.live[e.id]]
    given_kv = numbers(buses, "v_nominal_kv")
    held_back: tuple[HeldBack, ...] = ()
    while True:
        faults: list[tuple[int, str]] = []
        v_kv = _nominal_voltages(elements, topology, given_kv, faults)
        branches, windings = _branches(live, topology, v_kv, network.settings.s_base_mva, network.settings.frequency_hz, faults)
        if not faults:
            break
        held_back += held(topology, {i: bus.name for i, bus in enumerate(buses)}, faults, "data", {})
        topology = topology.without(bus for bus, _ in faults)
        if not topology.fed_node.any():
            raise CannotRun(study, [reason for one in held_back for reason in one.reasons])

    def those(kind: Any) -> Any:
        return tuple(e for e in live if isinstance(e, kind))

    return Compiled(
        state=state,
        network=network,
        elements=elements,
        topology=topology,
        frequency_hz=network.settings.frequency_hz,
        s_base_mva=network.settings.s_base_mva,
        v_nominal_kv=v_kv,
        branches=branches,
        windings=windings,
        infeeds=those(Infeed),
        generators=those(SynchronousGenerator),
        inverters=those(Inverter),
        induction_motors=those(InductionMotor),
        synchronous_motors=those(SynchronousMotor),
        loads=those(StaticLoad),
        shunts=those(Compensation),
        held_back=held_back,
    )


def recompiled(before: Compiled, network: Network, elements: dict[str, Element], topology: Topology) -> Compiled | None:
    """The arrays after an edit that changed no connection, from those before it: what it did not touch is taken over.

    None where everything must be looked at: where the topology is another, something was held back or contradicts itself now, nominal
    voltages, the bases or a transformer of three windings changed.
    """
    settings = network.settings
    if before.topology is not topology or before.held_back or (before.s_base_mva, before.frequency_hz) != (settings.s_base_mva, settings.frequency_hz):
        return None
    pairs = differing(elements, before.elements)
    if pairs is None or any(isinstance(e, ThreeWindingTransformer) for e, _ in pairs):
        return None
    if any(isinstance(e, Bus) and isinstance(was, Bus) and e.v_nominal_kv != was.v_nominal_kv for e, was in pairs):
        return None
    changed = {e.id: e for e, _ in pairs if topology.live[e.id]}
    faults: list[tuple[int, str]] = []
    some, _ = _branches(list(changed.values()), topology, before.v_nominal_kv, before.s_base_mva, before.frequency_hz, faults)
    if faults:
        return None
    groups: dict[str, Any] = {group: _with_those(getattr(before, group), changed) for group in GROUPS}
    branches = _with_rows(before.branches, some)
    after = replace(before, network=network, elements=elements, branches=branches, _found={}, _factors={}, **groups)
    for group in GROUPS:
        was, now = getattr(before, group), getattr(after, group)
        if (found := before._found.get(id(was))) is not None and found[0] is was:
            after._found[id(now)] = now, found[1]
    if "terminals" in before.__dict__:
        after.__dict__["terminals"] = replace(before.terminals, elements=_with_those(before.terminals.elements, changed))
    if "taking_part" in before.__dict__:
        after.__dict__["taking_part"] = {i: elements[i] for i in before.taking_part}
    return after


GROUPS = ("infeeds", "generators", "inverters", "induction_motors", "synchronous_motors", "loads", "shunts")


def _with_those(group: tuple[Any, ...], changed: Mapping[str, Element]) -> tuple[Any, ...]:
    """A group with the elements that changed in their places; the same one where none of it did."""
    return tuple([changed.get(e.id, e) for e in group]) if any(e.id in changed for e in group) else group


def _with_rows(branches: Branches, some: Branches) -> Branches:
    """Branches with the rows of some of them in the place of theirs."""
    if not some.ids:
        return branches
    at_id = {i: n for n, i in enumerate(branches.ids)}
    at = [at_id[i] for i in some.ids]
    columns: dict[str, Any] = {}
    for one in fields(Branches):
        if one.name != "ids":
            columns[one.name] = getattr(branches, one.name).copy()
            columns[one.name][at] = getattr(some, one.name)
    return Branches(ids=branches.ids, **columns)


def _nominal_voltages(elements: dict[str, Element], topology: Topology, v_kv: Floats, faults: list[tuple[int, str]]) -> Floats:
    """Nominal voltage of each bus; one that is unknown takes that of the buses it is switched to. Where they contradict each other is noted."""
    for closed_id, a, b in zip(topology.closed_ids, topology.closed_from, topology.closed_to, strict=True):
        if topology.fed_bus(a) and abs(v_kv[a] - v_kv[b]) > 1e-3 * max(v_kv[a], v_kv[b]):  # false where one is nan
            one, other = elements[topology.bus_ids[a]].name, elements[topology.bus_ids[b]].name
            told = f"{title_of(elements[closed_id])} joins bus {one} of {v_kv[a]:g} kV and bus {other} of {v_kv[b]:g} kV: "
            faults.append((int(a), told + "v_nominal_kv must be the same at both ends, or a transformer must stand between them."))
    nodes = topology.node_of_bus
    known = ~np.isnan(v_kv) & (nodes >= 0)
    of_node = np.full(topology.n_nodes, math.nan)
    of_node[nodes[known]] = v_kv[known]
    return np.where(np.isnan(v_kv) & (nodes >= 0), of_node[nodes] if len(of_node) else v_kv, v_kv)


def _branches(
    live: list[Element], topology: Topology, v_kv: Floats, s_base: float, f_hz: float, faults: list[tuple[int, str]]
) -> tuple[Branches, tuple[Windings, ...]]:  # fmt: skip
    rows: list[tuple[Any, ...]] = []
    windings: list[Windings] = []
    for e in live:
        if not isinstance(e, Conductor | Transformer | EquivalentBranch | SeriesReactor | ThreeWindingTransformer):
            continue
        at = [topology.bus_index[bus] for bus in e.buses]
        v = [float(v_kv[i]) for i in at]
        if not any(topology.fed_bus(i) for i in at):  # not fed: its data need not be there, and no figure comes of it
            pairs = ((0, 1), (0, 2), (1, 2)) if len(at) > 2 else ((0, 1),)
            rows += [(e.id, a, b, at[a], at[b], *NOT_FED) for a, b in pairs]
        elif not isinstance(e, EquivalentBranch) and (unknown := [i for i in at if math.isnan(v_kv[i])]):
            name = title_of(e)
            faults += [(i, f"Bus {_name(topology, live, i)}: v_nominal_kv is empty; {name} is given in ohms or kV and needs it.") for i in unknown]
        elif isinstance(e, Conductor | SeriesReactor) and abs(v[0] - v[1]) > 1e-3 * v[0]:
            faults.append((at[0], f"{title_of(e)} joins buses of {v[0]:g} kV and {v[1]:g} kV: v_nominal_kv must be the same at both ends."))
        elif contradiction := _contradiction(e, v):
            faults.append((at[0], contradiction))
        elif isinstance(e, ThreeWindingTransformer):
            made, windings_of_it = _three_branches(e, at, v, s_base, len(rows))
            rows += made
            windings.append(windings_of_it)
        else:
            rows.append((e.id, 0, 1, at[0], at[1], *_branch(e, v[0], v[1], s_base, f_hz)))
            if rows[-1][8] == 0 and rows[-1][5] == 0:
                faults.append((at[0], f"{title_of(e)} has neither resistance nor reactance. Enter one, or draw a closed switch."))
    columns = list(zip(*rows, strict=True)) if rows else [()] * 16

    def real(i: int) -> Floats:
        return np.array(columns[i], float)

    branches = Branches(
        ids=tuple(columns[0]), terminals=np.array([columns[1], columns[2]], np.intp).T, from_bus=np.array(columns[3], np.intp),
        to_bus=np.array(columns[4], np.intp), r_flow=real(5), r_cold=real(6), r_hot=real(7), x=real(8), g=real(9), b=real(10),
        ratio=np.array(columns[11], complex), ratio_main=np.array(columns[12], complex),
        x_rated=real(13), rating=real(14), rating_is_a=np.array(columns[15], bool),
    )  # fmt: skip
    return branches, tuple(windings)


def _contradiction(e: Element, v: list[float]) -> str:
    """Values that cannot hold together or cannot belong to their buses, in words; empty if they can."""
    if isinstance(e, ThreeWindingTransformer):
        for pair in ("hv_mv", "hv_lv", "mv_lv"):
            uk, ur = _number(getattr(e, f"uk_{pair}_pct")), _number(getattr(e, f"ur_{pair}_pct"))
            if ur > uk:
                return f"{title_of(e)}: ur_{pair}_pct is {ur:g}, accepted is at most uk_{pair}_pct, {uk:g} %."
    elif isinstance(e, Transformer):
        r, _ = transformer_per_unit(e)
        if r > _number(e.uk_pct) / 100:
            return f"{title_of(e)}: its losses give a resistive part of {r:.3%}, more than uk_pct {e.uk_pct:g} %. Accepted is at most uk_pct."
    else:
        return ""
    no_load_pct = (e.no_load_loss_kw or 0) / 10 / _number(e.s_hv_mva if isinstance(e, ThreeWindingTransformer) else e.s_rated_mva)
    if e.no_load_current_pct is not None and no_load_pct > e.no_load_current_pct:
        return f"{title_of(e)}: no_load_loss_kw alone asks for {no_load_pct:.3g} % of current, more than no_load_current_pct {e.no_load_current_pct:g} %."
    return _off_its_bus(e, v)


def _off_its_bus(e: Element, v: list[float]) -> str:
    """A rated voltage that cannot belong to its bus, in words; empty if all can. A wrong unit or swapped sides show here."""
    for terminal, nominal in zip(e.TERMINALS, v, strict=True):
        name = f"v_{terminal.removesuffix('_bus')}_kv"
        rated = _number(getattr(e, name))
        if abs(rated / nominal - 1) > FARTHEST:
            return (
                f"{title_of(e)}: {name} is {rated:g}, accepted is within {FARTHEST:.0%} of the {nominal:g} kV of its bus. "
                "Check the unit, and which side is which."
            )
    return ""


def _name(topology: Topology, live: list[Element], bus: int) -> str:
    return next((e.name for e in live if e.id == topology.bus_ids[bus]), topology.bus_ids[bus])


def _number(value: float | None) -> float:
    return math.nan if value is None else value


def _branch(e: Conductor | Transformer | EquivalentBranch | SeriesReactor, v_a: float, v_b: float, s_base: float, f_hz: float) -> tuple[Any, ...]:
    """r_flow, r_cold, r_hot, x, g, b, ratio, ratio_main, x_rated, rating, rating_is_a of one branch."""
    if isinstance(e, EquivalentBranch):
        k = s_base / e.s_base_mva
        ratio = e.ratio_pu * np.exp(1j * math.radians(e.shift_deg))
        r = e.r_pu * k
        return r, r, r, e.x_pu * k, 0.0, e.b_pu / k, ratio, ratio, math.nan, _number(e.s_rated_mva), False
    if isinstance(e, Transformer):
        return _transformer(e, v_a, v_b, s_base)
    if isinstance(e, SeriesReactor):
        z = reactor_ohm(v_a, _number(e.uk_pct), _number(e.i_rated_a), _number(e.r_over_x)) / (v_a**2 / s_base)
        return z.real, z.real, z.real, z.imag, 0.0, 0.0, 1.0, 1.0, math.nan, _number(e.i_rated_a), True
    km = _number(e.length_m) / 1000
    z_base = v_a**2 / s_base
    r_20 = _number(e.r_ohm_per_km) * km / e.parallel / z_base
    hot = r_20 * (1 + ALPHA_PER_K * (_number(e.t_end_degc) - 20))
    flow = r_20 if e.t_operating_degc is None else r_20 * (1 + ALPHA_PER_K * (e.t_operating_degc - 20))
    x = _number(e.x_ohm_per_km) * km / e.parallel / z_base
    b = 2 * math.pi * f_hz * (e.c_uf_per_km or 0.0) * 1e-6 * km * e.parallel * z_base
    rating = _number(e.i_rated_a) * e.parallel
    return flow, r_20, hot, x, 0.0, b, 1.0, 1.0, math.nan, rating, True


def _transformer(e: Transformer, v_hv: float, v_lv: float, s_base: float) -> tuple[Any, ...]:
    r_own, x_own = transformer_per_unit(e)
    s = _number(e.s_rated_mva)
    to_system = (_number(e.v_lv_kv) / v_lv) ** 2 * s_base / (s * e.parallel)
    r, x = r_own * to_system, x_own * to_system
    y_base = s * e.parallel / s_base / (_number(e.v_lv_kv) / v_lv) ** 2
    g = (e.no_load_loss_kw or 0.0) / 1000 / s * y_base
    i0 = y_base * e.no_load_current_pct / 100 if e.no_load_current_pct is not None else g
    b = -math.sqrt(i0**2 - g**2)
    clock = int((e.vector_group or "0").lstrip("DYNZadynz") or 0)
    main = (_number(e.v_hv_kv) / v_hv) / (_number(e.v_lv_kv) / v_lv) * np.exp(1j * math.radians(30 * clock))
    return r, r, r, x, g, b, main * tap_ratio(e.tap_side, e.tap_pct), main, x_own, s * e.parallel, False


def _three_branches(e: ThreeWindingTransformer, at: list[int], v: list[float], s_base: float, row: int) -> tuple[list[tuple[Any, ...]], Windings]:
    """The three branches between the terminals of a three-winding transformer; its magnetising branch stands on the first."""
    sides = ("hv", "mv", "lv")
    off = [_number(getattr(e, f"v_{side}_kv")) / nominal for side, nominal in zip(sides, v, strict=True)]  # rated over nominal voltage
    s = [_number(getattr(e, f"s_{side}_mva")) for side in sides]
    clock = (0, *e.clocks)
    places = ((0, 1), (0, 2), (1, 2))
    pairs = pair_impedances(e, s_base)
    y_base = s[0] / s_base / off[1] ** 2
    g = (e.no_load_loss_kw or 0.0) / 1000 / s[0] * y_base
    i0 = y_base * e.no_load_current_pct / 100 if e.no_load_current_pct is not None else g
    rows: list[tuple[Any, ...]] = []
    for (a, b), z in zip(places, delta_of_pairs(*pairs), strict=True):
        z_b = z * off[b] ** 2
        main = off[a] / off[b] * np.exp(1j * math.radians(30 * (clock[b] - clock[a])))
        ratio = main * (1 + e.tap_pct / 100) if a == 0 else main
        magnetising = (g, -math.sqrt(i0**2 - g**2)) if (a, b) == (0, 1) else (0.0, 0.0)
        rows.append((e.id, a, b, at[a], at[b], z_b.real, z_b.real, z_b.real, z_b.imag, *magnetising, ratio, main, math.nan, math.nan, False))
    x_rated = [float(z.imag) * min(s[a], s[b]) / s_base for (a, b), z in zip(places, pairs, strict=True)]
    windings = Windings((row, row + 1, row + 2), pairs, (x_rated[0], x_rated[1], x_rated[2]), (off[1] ** 2, off[2] ** 2, off[2] ** 2))
    return rows, windings
