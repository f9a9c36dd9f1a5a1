"""Sizing of circuits by an installation code: what each rule asks for, which decides, and whether what stands there keeps it."""

import math

from northfell.core.studies.record import Compared, Study
from northfell.core.studies.sizing.circuit import Circuit, Entered, Heat, Laying, Loop, NecLoad, Preferences, Protective, Start
from northfell.core.studies.sizing.equipment import Equipment
from northfell.core.studies.sizing.frame import Applied, Decision, Held, Size, Try, decide
from northfell.core.studies.sizing.lists import TOTAL, cables_table, loads_table, panels_table, raceways_table
from northfell.core.studies.sizing.parts import Part
from northfell.core.studies.sizing.proposing import SizeProposal, SizeRow, in_all_states, propose
from northfell.core.studies.sizing.result import (
    BREACH,
    LINE,
    MISSING,
    NOT_ASSESSED,
    REFUSED,
    SETS,
    WITHIN,
    Sized,
    Sizing,
    told,
    verdict_of_part,
    worst_over_states,
)
from northfell.core.studies.sizing.settings import SizingSettings
from northfell.core.studies.sizing.solve import CODES, run, sized
from northfell.core.studies.sizing.verdicts import circuits, equipment
from northfell.core.studies.sizing.working import explain


def _compared(found: Sizing) -> Compared:
    """How much of what its most pressing rule allows each circuit uses."""
    return {"used_pct": {i: s.used_pct for i, s in found.of.items() if math.isfinite(s.used_pct)}}


SIZING = Study[Sizing](
    key="sizing", label="sizing", settings=SizingSettings,
    run=lambda net, used: run(net, flow=used.get("load_flow"), faults=used.get("short_circuit"), duties=used.get("duty")),
    explain=lambda found, asked: explain(found, asked.element_id, asked.part), quantities=("rule",), uses=("load_flow", "short_circuit", "duty"),
    checks=(circuits, equipment), compared=_compared, over_states=worst_over_states,
)  # fmt: skip

__all__ = [
    "TOTAL", "verdict_of_part", "Equipment", "cables_table", "loads_table", "panels_table", "raceways_table",
    "Applied", "BREACH", "CODES", "Circuit", "Decision", "Entered", "Heat", "Held", "LINE", "Laying", "Loop", "MISSING", "NOT_ASSESSED", "NecLoad",
    "Part", "Preferences", "Protective", "REFUSED", "SETS", "SIZING", "Size", "SizeProposal", "SizeRow", "Sized", "Sizing", "SizingSettings", "Start",
    "Try", "WITHIN", "decide", "explain", "in_all_states", "propose", "run", "sized", "told",
]  # fmt: skip
