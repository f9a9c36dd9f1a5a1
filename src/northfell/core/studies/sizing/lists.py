"""Lists that go with a sizing: cables to order, raceways, loads with their totals, ways of each board."""

import math
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from northfell.core.model.elements import Bus, Cable, Element, InductionMotor, StaticLoad, Switching, SynchronousMotor
from northfell.core.network import Compiled
from northfell.core.quantities import wire_size
from northfell.core.rules.by_phase import PHASES
from northfell.core.rules.ways import Connections, ways_of
from northfell.core.studies.sizing.demands import of_element
from northfell.core.studies.sizing.ways import Ways
from northfell.core.tables import Table, build

if TYPE_CHECKING:
    from northfell.core.studies.sizing.result import Sized

Load = StaticLoad | InductionMotor | SynchronousMotor
_CABLES = (
    ("state", "", "State"), ("element", "", "Cable"), ("from_bus", "", "From"), ("to_bus", "", "To"), ("conductor", "", "Conductor"),
    ("insulation", "", "Insulation"), ("cores", "", "Cores"), ("area_mm2", "mm²", "Cross-section"), ("size", "", "Size"), ("sets", "", "Sets"),
    ("pe_mm2", "mm²", "Protective"), ("laid", "", "Laid"), ("route", "", "Route"), ("length_m", "m", "Route length"), ("order_m", "m", "To order"),
    ("catalogue", "", "Catalogue"),
)  # fmt: skip
_RACEWAYS = (
    ("state", "", "State"), ("element", "", "Circuit"), ("raceway", "", "Raceway"), ("count", "", "Count"), ("as_entered", "", "As entered"),
    ("required", "", "Required"), ("length_m", "m", "Length"), ("order_m", "m", "To order"), ("fill", "", "Fill"),
)  # fmt: skip
_LOADS = (
    ("state", "", "State"), ("element", "", "Load"), ("bus", "", "Board"), ("kind", "", "Kind"), ("duty", "", "Duty"), ("priority", "", "Priority"),
    ("installed_kw", "kW", "Installed"), ("demand_factor", "", "Demand"), ("diversity_factor", "", "Diversity"), ("p_kw", "kW", "P"), ("q_kvar", "kvar", "Q"),
    ("i_a", "A", "I"),
)  # fmt: skip
_PANELS = (
    ("state", "", "State"), ("board", "", "Board"), ("way", "", "Way"), ("feeds", "", "Feeds"), ("device", "", "Device"), ("device_a", "A", "In"),
    ("conductors", "", "Conductors"), ("il1_a", "A", "L1"), ("il2_a", "A", "L2"), ("il3_a", "A", "L3"),
)  # fmt: skip
TOTAL = "Total"


def cables_table(net: Compiled) -> Table:
    """Every cable: between what, how made and laid, how much to order (a set each)."""
    rows = []
    for e in net.elements.values():
        if isinstance(e, Cable):
            order = e.length_m * e.parallel if e.length_m is not None else None
            rows.append((
                net.state, e.name, *(net.name(b) for b in e.buses), e.conductor, e.insulation, e.cores, e.area_mm2,
                wire_size(e.area_mm2) if e.area_mm2 else None,
                e.parallel, e.pe_mm2, e.method or e.raceway, e.route or None, e.length_m, order, e.catalogue or None,
            ))  # fmt: skip
    return build("cables", _CABLES, rows)


def raceways_table(net: Compiled, circuits: Mapping[str, "Sized"]) -> Table:
    """Raceways by circuit, one for each set, with the size that the fill asks for. One that circuits share stands once for ordering, with the longest."""
    rows = []
    listed: set[str] = set()
    for i, one in circuits.items():
        e = net.elements[i]
        part = next((p for p in one.beside if p.quantity == "raceway"), None)
        if part is None or not isinstance(e, Cable):
            continue
        count = one.chosen.sets if one.chosen else e.parallel
        shared = one.circuit.laying.sharing
        along = [x for x in net.elements.values() if isinstance(x, Cable) and x.route == e.route] if shared and shared.names else [e]
        lengths = [x.length_m for x in along]
        whole = max(x for x in lengths if x is not None) if None not in lengths else None
        again = any(x.id in listed for x in along)
        listed.add(i)
        order = None if again or whole is None else whole * count
        told = f"the one of {next(x.name for x in along if x.id in listed)}; {part.note}" if again else part.note
        rows.append((net.state, e.name, e.raceway, 0 if again else count, part.entered, part.required, e.length_m, order, told))
    return build("raceways", _RACEWAYS, rows)


def loads_table(net: Compiled) -> Table:
    """Loads and motors in service with their demand, and the total of what runs."""
    rows: list[tuple[Any, ...]] = []
    whole, ways = 0j, Ways(net.network, net.elements)
    for e in net.elements.values():
        if not isinstance(e, StaticLoad | InductionMotor | SynchronousMotor) or not e.in_service:
            continue
        demand, installed = _demand_mva(e), _installed_kw(e)
        bus = net.elements[e.buses[0]]
        board = net.elements.get(ways.ends_at(bus.id, e)) or bus
        kv = bus.v_nominal_kv if isinstance(bus, Bus) else None
        i_a = abs(demand) * 1000 / (math.sqrt(3) * kv) if kv and demand is not None else None
        p, q = (None, None) if demand is None else (1000 * demand.real, 1000 * demand.imag)
        rows.append((net.state, e.name, board.name, e.kind, e.duty, e.priority, installed, e.demand_factor, e.diversity_factor, p, q, i_a))
        whole += demand or 0j
    installed = sum(row[6] for row in rows if row[6] is not None)
    rows.append((net.state, TOTAL, None, None, None, None, installed, None, None, 1000 * whole.real, 1000 * whole.imag, None))
    return build("loads", _LOADS, rows)


def _demand_mva(e: Load) -> complex | None:
    """What it draws at most, its demand and diversity factor counted; nothing of what stands by."""
    if not e.runs:
        return 0j
    if isinstance(e, StaticLoad) and e.by_phase:
        return sum((complex(row.p_mw, row.q_mvar) for row in e.by_phase), 0j) * e.demand_factor / e.diversity_factor
    one = of_element(e)
    if one is None or one.lacks:
        return None
    return one.s_mva * (1.0 if isinstance(e, StaticLoad) else e.demand_factor) / e.diversity_factor


def _installed_kw(e: Load) -> float | None:
    if isinstance(e, StaticLoad):
        if e.by_phase:
            return 1000 * sum(row.p_mw for row in e.by_phase)
        return None if e.p_mw is None else 1000 * e.p_mw
    return None if e.p_rated_kw is None else e.p_rated_kw * e.count


def panels_table(net: Compiled, circuits: Mapping[str, "Sized"]) -> Table:
    """The ways of each board with what they carry in each phase: of what is given by phase, or stands at fewer phases, each its own."""
    connections = Connections(net.elements, net.network.adjacency)
    rows: list[tuple[Any, ...]] = []
    for board in net.elements.values():
        if isinstance(board, Bus) and board.bus_kind != "junction":
            rows += _of_board(net, board, connections, circuits)
    return build("panels", _PANELS, rows)


def _of_board(net: Compiled, board: Bus, connections: Connections, circuits: Mapping[str, "Sized"]) -> Iterator[tuple[Any, ...]]:
    total, any_ways = np.zeros(3), False
    for n, way in enumerate(ways_of(net.elements, board.id, connections), 1):
        inner = [net.elements[i] for i in way.elements]
        fed = [e for e in inner if isinstance(e, StaticLoad | InductionMotor | SynchronousMotor)]
        one = next((circuits[e.id] for e in inner if e.id in circuits), None)
        i_a = _carried_a(net, fed, board)
        device = one.circuit.device if one else None
        size = (
            None if one is None or one.entered is None else f"{one.entered.sets} × {one.entered.size.label}" if one.entered.sets > 1 else one.entered.size.label
        )
        first = net.elements[way.first]
        feeds = ", ".join(e.name for e in fed) or None
        at = first.name if isinstance(first, Switching) else None
        yield net.state, board.name, n, feeds, at, device.i_set_a if device and math.isfinite(device.i_set_a) else None, size, *i_a
        total, any_ways = total + [i or 0.0 for i in i_a], True
    if any_ways:
        yield net.state, board.name, None, TOTAL, None, None, None, *total.tolist()


def _carried_a(net: Compiled, fed: list[Load], board: Element) -> tuple[float | None, float | None, float | None]:
    """Current of each phase [A]: the powers of what is alike in all added, and beside it the currents of what is not, as numbers.

    Not known where a part stands behind a centre tap: its legs are no phases.
    """
    kv = board.v_nominal_kv if isinstance(board, Bus) else None
    if not kv:
        return None, None, None
    alike = [e for e in fed if not (isinstance(e, StaticLoad) and e.by_phase) and _phases_at(net, e) == PHASES]
    even = abs(sum((_demand_mva(e) or 0j for e in alike), 0j)) * 1000 / (math.sqrt(3) * kv)
    i = dict.fromkeys(PHASES, even)
    for e in fed:
        if e in alike or not e.runs:
            continue
        for where, s in _parts_of(net, e):
            if not set(where) <= set(PHASES):
                return None, None, None
            for p in where:
                i[p] += abs(s) * 1000 / (kv if len(where) == 2 else kv / math.sqrt(3))
    return i["a"], i["b"], i["c"]


def _phases_at(net: Compiled, e: Load) -> str:
    bus = net.elements[e.buses[0]]
    return "".join(p for p in PHASES if not isinstance(bus, Bus) or p in bus.conductors)


def _parts_of(net: Compiled, e: Load) -> Iterator[tuple[str, complex]]:
    """Where the parts of a load stand that is not alike in all phases, with their demand [MVA]."""
    if isinstance(e, StaticLoad) and e.by_phase:
        yield from ((row.between, complex(row.p_mw, row.q_mvar) * e.demand_factor / e.diversity_factor) for row in e.by_phase)
        return
    phases, whole = _phases_at(net, e), _demand_mva(e) or 0j
    yield from ((p, whole / len(phases)) for p in phases)
