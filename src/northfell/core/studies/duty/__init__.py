"""Equipment duty: breakers, fuses, switches, boards and cables against what the network asks of them, in the terms of the standard that rates each."""

from northfell.core.studies.duty.cables import AT_ONCE_S, withstands_ka
from northfell.core.studies.duty.equations import k_of_cable
from northfell.core.studies.duty.result import NOT_ASSESSED, Duties, Duty, worst_over_states
from northfell.core.studies.duty.settings import DutySettings
from northfell.core.studies.duty.solve import JUDGED, run
from northfell.core.studies.duty.verdicts import duty
from northfell.core.studies.duty.working import explain
from northfell.core.studies.record import Study

DUTY = Study[Duties](
    key="duty", label="equipment duty", settings=DutySettings, run=lambda net, used: run(net, faults=used["short_circuit"]),
    explain=lambda duties, asked: explain(duties, asked.element_id, asked.part), quantities=("duty",), uses=("short_circuit",), checks=(duty,),
    over_states=worst_over_states,
    compared=lambda duties: {"duty_pct": {i: float(rows[0].pct) for i, rows in duties.of.items() if rows[0].pct is not None}},
)  # fmt: skip

__all__ = ["AT_ONCE_S", "DUTY", "Duties", "Duty", "DutySettings", "JUDGED", "k_of_cable", "NOT_ASSESSED", "run", "withstands_ka"]
