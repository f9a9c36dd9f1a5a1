"""Each element out in turn: what the rest of the network then carries, and which loss is worst."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.elements import Changeover, Element, Infeed, Inverter, Switching, SynchronousGenerator
from northfell.core.model.network import Network
from northfell.core.network import compile_network, without_one
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.solve import run
from northfell.core.tables import Cell, Table, build


@dataclass(frozen=True)
class Outage:
    """The network with one element out of service."""

    element: Element
    outcome: str  # empty where solved, else why there is no result
    loaded: str = ""  # name of what is loaded most, of the emergency rating where there is one
    loading_pct: float | None = None
    rating_basis: str = ""
    lowest: str = ""
    v_lowest_pu: float | None = None
    highest: str = ""
    v_highest_pu: float | None = None
    not_fed: tuple[str, ...] = ()  # consumers that lose their supply
    lost_mw: float = 0.0


def candidates(network: Network, state: str) -> list[Element]:
    """What may fail: branches and sources that take part in the state. Switching devices fail with what they feed."""
    elements = network.in_state(state)
    kinds = (Infeed, SynchronousGenerator, Inverter)
    return [
        e for e in elements.values()
        if e.in_service and ((len(e.TERMINALS) > 1 and not isinstance(e, Switching | Changeover)) or isinstance(e, kinds))
    ]  # fmt: skip


def each_out(network: Network, state: str, told: Callable[[int, int], None] | None = None, part: int = 0, parts: int = 1) -> Iterator[Outage]:
    """Take each element out, solve, and say what is worst. `told` is given how many are done, of how many.

    Of several parts each takes every so many-th element: they stand in the order of the network once they are joined by turns.
    """
    base = run(compile_network(network, state))
    those = [e for e in candidates(network, state) if e.id in base.net.taking_part][part::parts]
    for n, element in enumerate(those):
        yield outage(network, state, element, base)
        if told:
            told(n + 1, len(those))


def outage(network: Network, state: str, element: Element, base: LoadFlow) -> Outage:
    """The network with one element out, beside the solution with it."""
    try:
        net = without_one(base.net, element)
        if net is None:
            out = {element.id: element.model_copy(update={"in_service": False})}
            net = compile_network(network, state, elements={**network.in_state(state), **out})
        flow = run(net)
    except NoSolution as error:
        return Outage(element, str(error))
    except CannotRun as error:
        return Outage(element, "; ".join(error.reasons))
    loaded = flow.most_loaded(emergency=True)
    worst = flow.loading(loaded, emergency=True) if loaded else None
    v = np.abs(flow.v)
    judged = np.flatnonzero(np.isfinite(v) & ~flow.junctions)
    low, high = (int(judged[of(v[judged])]) if len(judged) else None for of in (np.argmin, np.argmax))
    lost = _lost(base, flow)
    ids = flow.net.topology.bus_ids
    return Outage(
        element, "", loaded.name if loaded else "", worst.pct if worst else None, worst.basis if worst else "",
        flow.net.name(ids[low]) if low is not None else "", float(v[low]) if low is not None else None,
        flow.net.name(ids[high]) if high is not None else "", float(v[high]) if high is not None else None,
        tuple(e.name for e, _ in lost), sum(p for _, p in lost),
    )  # fmt: skip


def _lost(base: LoadFlow, flow: LoadFlow) -> list[tuple[Element, float]]:
    """Consumers that were fed before and are not now, with what they drew [MW]."""
    consumers = (*base.net.loads, *base.net.motors)  # the same without a branch or a source
    drawn, now = (np.concatenate([one.s_load, one.s_motor]).real * base.net.s_base_mva for one in (base, flow))
    return [(consumers[k], float(drawn[k])) for k in np.flatnonzero((drawn > 0) & ~np.isfinite(now)).tolist()]


def outages_table(state: str, outages: list[Outage]) -> Table:
    """One row for each element out."""
    rows: list[tuple[Cell, ...]] = [
        (
            state, o.element.name, o.element.kind, not o.outcome, o.loaded, o.loading_pct, o.rating_basis, o.lowest, o.v_lowest_pu, o.highest, o.v_highest_pu,
            len(o.not_fed), o.lost_mw, ", ".join(o.not_fed[:6]), o.outcome,
        )
        for o in outages
    ]  # fmt: skip
    columns = (
        ("state", "", "State"), ("element", "", "Out"), ("kind", "", "Kind"), ("solved", "", "Solved"), ("loaded", "", "Loaded most"),
        ("loading_pct", "%", "Loading"), ("rating_basis", "", "Basis"), ("lowest", "", "Lowest bus"), ("v_lowest_pu", "p.u.", "Lowest"),
        ("highest", "", "Highest bus"), ("v_highest_pu", "p.u.", "Highest"), ("not_fed", "", "Consumers lost"), ("lost_mw", "MW", "Load lost"),
        ("lost", "", "Which"), ("outcome", "", "Outcome"),
    )  # fmt: skip
    return build("outages", columns, rows)
