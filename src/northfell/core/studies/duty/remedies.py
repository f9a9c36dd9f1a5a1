"""What would bring a duty within its rating: every remedy is a change of the network, and its effect is found by solving with it.

What is switched comes first, then what needs equipment: a series reactor, a transformer of higher impedance, switchgear of the next rating, a
current-limiting fuse.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from northfell.core.errors import NorthfellError
from northfell.core.model.changes import Add, Change, Connect, Move, Remove, Set, Switch, apply_completed
from northfell.core.model.elements import Breaker, Bus, Element, Infeed, Transformer
from northfell.core.model.elements.switching import GG_RATINGS_A, OF_IEEE_LV
from northfell.core.model.elements.switching import Switch as SwitchElement
from northfell.core.model.network import Network, Placement
from northfell.core.network import compile_network
from northfell.core.quantities import figure
from northfell.core.studies.duty.result import NOT_ASSESSED, Duties
from northfell.core.studies.duty.solve import run

R10_KA = (4.0, 5.0, 6.3, 8.0, 10.0, 12.5, 16.0, 20.0, 25.0, 31.5, 40.0, 50.0, 63.0, 80.0, 100.0, 125.0, 160.0, 200.0)  # IEC 60059
REACTORS_PCT = (3.0, 5.0, 8.0, 12.0)
REACTOR_A = 630.0  # where what it stands before has no rated current
STEPS_OF_UK = (1.25, 1.5, 2.0)
TRIED = "a figure to try the remedy with: replace it"
WORTH_TRYING = 0.03  # part of the fault current that something must bring


@dataclass(frozen=True)
class DutyRemedy:
    """A change with its effect on the worst duty of an element."""

    title: str
    change: Change
    before_pct: float
    after_pct: float
    cures: bool
    new_breaches: tuple[str, ...]
    costs: bool
    alone: bool = False  # the public network no longer feeds it

    @property
    def rank(self) -> tuple[bool, bool, bool, float]:
        return not self.cures, bool(self.new_breaches) or self.alone, self.costs, self.after_pct


def remedies(network: Network, duties: Duties, element_id: str) -> list[DutyRemedy]:
    """Remedies for the worst duty of an element, each solved; what cures and costs nothing first."""
    worst = duties.worst(element_id)
    if worst is None or worst.pct is None:
        return []
    found = []
    for costs, attempts in _tried(network, duties, element_id, worst.bus):
        best: DutyRemedy | None = None
        for title, change in attempts:
            one = _solved(network, duties, element_id, title, change, costs)
            if one is not None and (best is None or one.rank < best.rank):
                best = one
            if one is not None and one.cures and not one.new_breaches:
                break
        if best is not None and best.after_pct < best.before_pct - 0.05:
            found.append(best)
    return sorted(found, key=lambda one: one.rank)


Attempts = Iterator[tuple[str, Change]]


def _solved(network: Network, duties: Duties, element_id: str, title: str, change: Change, costs: bool) -> DutyRemedy | None:
    try:
        changed = apply_completed(network, change)[0]
        after = run(compile_network(changed, duties.net.state, "short_circuit"))
    except NorthfellError:
        return None
    before = duties.worst(element_id)
    now = after.worst(element_id)
    if before is None or before.pct is None or now is None:
        return None
    if now.pct is None and element_id in after.net.elements and after.verdict(now) == NOT_ASSESSED:
        return None
    if any(_board(duties.net.elements[b]) for b in _fed(duties) - _fed(after)):  # what takes the supply away is no remedy
        return None
    new = tuple(after.net.name(i) for i in sorted(_beyond(after) - _beyond(duties)) if i != element_id)
    pct = now.pct if now.pct is not None else 0.0
    alone = _on_public_network(duties, before.bus) and not _on_public_network(after, before.bus)
    return DutyRemedy(title, change, before.pct, pct, pct <= duties.settings.breach_pct * (1 + 1e-9), new, costs, alone)


def _on_public_network(duties: Duties, bus: int) -> bool:
    """Whether an infeed stands in the island of a bus."""
    top = duties.net.topology
    at = top.bus_index.get(duties.net.topology.bus_ids[bus], bus)
    island = int(top.island_of_node[top.node_of_bus[at]])
    return any(int(top.island_of_node[n]) == island for n in duties.net.node_of(duties.net.infeeds) if n >= 0)


def _fed(duties: Duties) -> set[str]:
    return {duties.net.topology.bus_ids[b] for b in duties.faults.fed_buses()}


def _board(e: Element) -> bool:
    return isinstance(e, Bus) and e.bus_kind != "junction"


def _beyond(duties: Duties) -> set[str]:
    return {i for i, rows in duties.of.items() if duties.verdict(rows[0]) == "breach"}


def _tried(network: Network, duties: Duties, element_id: str, bus: int) -> Iterator[tuple[bool, Attempts]]:
    """What is worth trying, with whether it needs equipment."""
    net = duties.net
    flows = duties.faults.flows([bus], "max")
    total = abs(complex(flows.ik_ka[0, 0])) * float(net.v_nominal_kv[bus])

    def share(e: Element) -> float:
        currents = flows.largest_of(e.id)
        at = [net.topology.bus_index[b] for b in e.buses]
        return max((float(i) * float(net.v_nominal_kv[b]) for i, b in zip(currents[:, 0], at, strict=False)), default=0.0) / total

    brings = sorted(((share(e), e) for e in net.terminals.elements if not isinstance(e, Bus)), key=lambda one: -one[0])
    brings = [(part, e) for part, e in brings if part >= WORTH_TRYING]
    for _, e in brings:
        if isinstance(e, Breaker | SwitchElement) and e.id != element_id:
            change = Change(f"{e.name} open", (Switch(state=net.state, id=e.id, values={"closed": False}),))
            yield False, iter([(f"Open {e.name}", change)])
    at_bus = [(e, terminal) for e, terminal, i in duties.faults.contributions(bus, "max") if abs(complex(i[0])) * float(net.v_nominal_kv[bus]) >= 0.1 * total]
    for e, terminal in at_bus:
        if not isinstance(e, Infeed):
            yield True, _reactors(network, net.topology.bus_ids[bus], e, terminal)
    for _, e in brings:
        if isinstance(e, Transformer) and e.uk_pct is not None:
            yield True, _impedances(e)
    yield True, _next_ratings(network, duties, element_id)
    element = net.elements[element_id]
    if isinstance(element, Breaker) and element.rated_by in ("IEC 60947-2", *OF_IEEE_LV):
        yield True, _fuse(network, element)


def _reactors(network: Network, bus_id: str, e: Element, terminal: str) -> Attempts:
    """A reactor between a bus and what brings current into it."""
    own = getattr(e, "i_rated_a", None)
    i_rated = own or REACTOR_A
    assumed = {"r_over_x": TRIED} | ({} if own else {"i_rated_a": TRIED})
    taken = set(network.id_of_name)
    name, junction = _free("Reactor", taken), _free(f"{e.name} reactor end", taken)
    kv = getattr(network.elements[bus_id], "v_nominal_kv", None)
    for uk in REACTORS_PCT:
        acts: list[Any] = [
            Add(element={"kind": "bus", "id": junction, "name": junction, "v_nominal_kv": kv, "bus_kind": "junction"}),
            Add(element={"kind": "series_reactor", "id": name, "name": name, "from_bus": bus_id, "to_bus": junction, "i_rated_a": float(i_rated), "uk_pct": uk,
                         "r_over_x": 0.03, "assumed": assumed}),
            Connect(id=e.id, terminal=terminal, bus=junction),
        ]  # fmt: skip
        for sheet in network.sheets:
            p = sheet.placements.get(e.id)
            if p is not None:
                below = p.y > (sheet.placements[bus_id].y if bus_id in sheet.placements else p.y - 1)
                step = -1 if below else 1
                acts += [Move(sheet=sheet.name, id=name, to=Placement(x=p.x + 5, y=p.y + 2 * step)),
                         Move(sheet=sheet.name, id=junction, to=Placement(x=p.x + 5, y=p.y + 5 * step))]  # fmt: skip
        told = f"A series reactor of {uk:g} % at {figure(float(i_rated), 3)} A between {network.elements[bus_id].name} and {e.name}"
        yield told, Change(told, tuple(acts))


def _impedances(t: Transformer) -> Attempts:
    for factor in STEPS_OF_UK:
        uk = round((t.uk_pct or 0.0) * factor, 2)
        change = Change(f"{t.name} of {uk:g} %", (Set(id=t.id, values={"uk_pct": uk}),))
        yield f"{t.name} with an impedance of {uk:g} % instead of {t.uk_pct:g} %", change


def _next_ratings(network: Network, duties: Duties, element_id: str) -> Attempts:
    """The same equipment of higher preferred ratings."""
    e = duties.net.elements[element_id]
    rated = [(f, v) for f in ("i_breaking_ka", "i_short_time_ka") if (v := getattr(e, f, None)) is not None]
    peak = next(((f, v) for f in ("i_making_ka", "i_peak_ka") if (v := getattr(e, f, None)) is not None), None)
    base = max((v for _, v in rated), default=None)
    if base is None:
        return
    for ka in [r for r in R10_KA if r > base * (1 + 1e-9)][:4]:
        values: dict[str, Any] = dict.fromkeys((f for f, _ in rated), ka)
        if peak is not None:
            values[peak[0]] = float(f"{peak[1] * ka / base:.4g}")
        title = f"{e.name} of {ka:g} kA instead of {base:g} kA"
        yield title, Change(title, (Set(id=e.id, values=values),))


def _fuse(network: Network, e: Breaker) -> Attempts:
    """A current-limiting fuse in the place of a low-voltage breaker, of the next size."""
    size = next((r for r in GG_RATINGS_A if r >= (e.i_rated_a or 0.0)), None)
    if size is None or any(getattr(other, "breaker", None) == e.id or getattr(other, "main", None) == e.id for other in network.elements.values()):
        return
    fuse = {
        "kind": "fuse", "id": e.id, "name": e.name, "from_bus": e.from_bus, "to_bus": e.to_bus, "closed": e.closed, "i_rated_a": float(size),
        "i_breaking_ka": 100.0,
        "rated_by": "IEC 60269-1" if e.rated_by == "IEC 60947-2" else "IEEE low-voltage fuse",
    }  # fmt: skip
    places = [Move(sheet=s.name, id=e.id, to=s.placements[e.id]) for s in network.sheets if e.id in s.placements]
    title = f"A gG fuse of {size:g} A, 100 kA, in the place of {e.name}"
    yield title, Change(title, (Remove(id=e.id), Add(element=fuse), *places))


def _free(base: str, taken: set[str]) -> str:
    return next(n for n in (base, *(f"{base} {k}" for k in range(2, 1000))) if n not in taken)
