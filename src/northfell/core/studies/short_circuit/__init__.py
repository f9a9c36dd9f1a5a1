"""Three-phase bolted short circuits after IEC 60909-0:2016: initial symmetrical and peak current, maximum and minimum."""

from northfell.core.studies.short_circuit.result import CASES, Flows, ShortCircuit
from northfell.core.studies.short_circuit.solve import run
from northfell.core.studies.short_circuit.working import explain_fault

__all__ = ["CASES", "Flows", "ShortCircuit", "explain_fault", "run"]
