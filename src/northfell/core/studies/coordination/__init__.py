"""Coordination: the gap between protective devices, and the rules that each of them is held to."""

import math

from northfell.core.studies.coordination.code_limits import motor_limit, transformer_limit
from northfell.core.studies.coordination.intended import HeldAgainst, held_against
from northfell.core.studies.coordination.lessening import EnergyRemedy, lessen, limit_of
from northfell.core.studies.coordination.limits import category_of, conductor_s, through_fault_s
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.paths import CurveSheet, DeviceCurve, LimitCurve, amperes_of, curve_sheet, kept_sheet, path_of, starts_of
from northfell.core.studies.coordination.proposing import Arcs, Proposal, Proposed, arcs_of, propose
from northfell.core.studies.coordination.result import NOT_ASSESSED, NOT_REQUIRED, Coordination
from northfell.core.studies.coordination.rule import RULES, Rule
from northfell.core.studies.coordination.schedule import points_table, settings_table, zones_table
from northfell.core.studies.coordination.sending import devices_that_are_set, differing, to_send
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.coordination.solve import run
from northfell.core.studies.coordination.verdicts import gaps, rules, seconds
from northfell.core.studies.coordination.working import explain
from northfell.core.studies.record import Compared, Study


def _compared(found: Coordination) -> Compared:
    """By how much the gap of each pair is shorter than required, in every state; what never happens is no figure."""
    held = {key: p for key, p in found.worst_pairs.items() if found.verdict(p) != NOT_REQUIRED and math.isfinite(p.short_s)}
    return {"short_s": {pair_key(above, below): p.short_s for (above, below), p in held.items()}}


def pair_key(above: str, below: str) -> str:
    """The key of a pair among figures of all states."""
    return f"{above}\n{below}"


COORDINATION = Study[Coordination](
    key="coordination", label="coordination", settings=CoordinationSettings,
    run=lambda net, used: run(net, faults=used["short_circuit"], flow=used.get("load_flow")),
    explain=lambda found, asked: explain(found, asked.element_id, asked.part), quantities=("gap_s",), uses=("short_circuit", "load_flow"),
    checks=(gaps, rules), compared=_compared, waits=lambda found: bool(found.waits),
)  # fmt: skip

__all__ = [
    "COORDINATION", "Coordination", "CoordinationSettings", "EnergyRemedy", "lessen", "limit_of", "CurveSheet", "DeviceCurve", "LimitCurve", "NOT_ASSESSED",
    "NOT_REQUIRED", "Pair", "RULES", "Rule", "amperes_of", "Arcs", "arcs_of", "category_of", "conductor_s", "curve_sheet", "kept_sheet", "path_of",
    "Proposal", "Proposed", "pair_key", "propose", "run", "seconds", "settings_table", "points_table", "HeldAgainst", "held_against", "zones_table",
    "devices_that_are_set", "motor_limit", "transformer_limit", "differing", "to_send", "starts_of", "through_fault_s",
]  # fmt: skip
