"""Three-phase bolted short circuits after IEC 60909-0:2016: initial symmetrical and peak current, maximum and minimum."""

from northfell.core.errors import NotFound
from northfell.core.studies.record import Asked, Study
from northfell.core.studies.short_circuit.result import CASES, Flows, ShortCircuit
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings
from northfell.core.studies.short_circuit.solve import run
from northfell.core.studies.short_circuit.working import explain_fault
from northfell.core.working import Working


def _explain(faults: ShortCircuit, asked: Asked) -> Working:
    at = faults.net.topology.bus_index.get(asked.element_id) if asked.faulted is None else asked.faulted
    if at is None or at not in faults.fed_buses():
        raise NotFound("There is no fed bus selected.")
    return explain_fault(faults, at, asked.case, asked.quantity)


SHORT_CIRCUIT = Study[ShortCircuit](
    key="short_circuit", label="short circuit", settings=ShortCircuitSettings, run=lambda net, _: run(net), explain=_explain, quantities=("ik_ka", "ip_ka"),
)  # fmt: skip

__all__ = ["CASES", "Flows", "SHORT_CIRCUIT", "ShortCircuit", "explain_fault", "run"]
