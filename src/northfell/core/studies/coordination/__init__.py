"""Coordination: the gap between protective devices, and the rules that each of them is held to."""

from northfell.core.studies.coordination.limits import category_of, conductor_s, through_fault_s
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.result import NOT_ASSESSED, NOT_REQUIRED, Coordination
from northfell.core.studies.coordination.rules import RULES, Rule
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.coordination.solve import run
from northfell.core.studies.coordination.verdicts import gaps, rules
from northfell.core.studies.coordination.working import explain
from northfell.core.studies.record import Compared, Study


def _compared(found: Coordination) -> Compared:
    """The gap beyond what is required of each pair, in every state; what never happens is no figure."""
    return {"spare_s": {f"{above} {below}": -p.short_s for (above, below), p in found.worst_pairs.items() if abs(p.short_s) < 1e6 and not p.in_series}}


COORDINATION = Study[Coordination](
    key="coordination", label="coordination", settings=CoordinationSettings,
    run=lambda net, used: run(net, faults=used["short_circuit"], flow=used.get("load_flow")),
    explain=lambda found, asked: explain(found, asked.element_id, asked.part), quantities=("gap_s",), uses=("short_circuit", "load_flow"),
    checks=(gaps, rules), compared=_compared, waits=lambda found: bool(found.waits),
)  # fmt: skip

__all__ = [
    "COORDINATION", "Coordination", "CoordinationSettings", "NOT_ASSESSED", "NOT_REQUIRED", "Pair", "RULES", "Rule", "category_of", "conductor_s", "run",
    "through_fault_s",
]  # fmt: skip
