"""Short circuits by two schools: initial, peak, breaking and steady-state currents of balanced and unbalanced faults, and what flows meanwhile."""

from northfell.core.errors import NotFound
from northfell.core.network import Compiled
from northfell.core.network.sequences import as_phases
from northfell.core.studies.record import Asked, OnRequest, Study, Told
from northfell.core.studies.short_circuit.along import PLACES, Along, along, resistance_for
from northfell.core.studies.short_circuit.at_own_bus import at_own_buses
from northfell.core.studies.short_circuit.case import FAULTS, TO_EARTH, Case
from northfell.core.studies.short_circuit.decay import decrement_pu, falls, left_of, most_left
from northfell.core.studies.short_circuit.equations import (
    Floats,
    direct_current_ka,
    heat_of_direct_part,
    peak_current_ka,
    peak_factor,
    transformer_correction,
    voltage_factor,
)
from northfell.core.studies.short_circuit.flowing import Flows
from northfell.core.studies.short_circuit.given import Given
from northfell.core.studies.short_circuit.iec import factor_c
from northfell.core.studies.short_circuit.iec import given as iec_given
from northfell.core.studies.short_circuit.iec_case import IecCase
from northfell.core.studies.short_circuit.ieee import IeeeCase
from northfell.core.studies.short_circuit.ieee_equations import LV_SOURCE, PARTING_CYCLES, crest_multiplier, remote_multiplier, rms_factor, rms_multiplier
from northfell.core.studies.short_circuit.ieee_equations import SOURCE as IEEE_SOURCE
from northfell.core.studies.short_circuit.open_conductors import OpenConductors, open_conductors
from northfell.core.studies.short_circuit.result import CASES, FAULT_WORDS, ShortCircuit, by_component, without_motors
from northfell.core.studies.short_circuit.settings import SCHOOLS, ShortCircuitSettings
from northfell.core.studies.short_circuit.solve import run
from northfell.core.studies.short_circuit.working import explain_fault
from northfell.core.studies.short_circuit.zero import MAGNETISING_PU, zero_pairs
from northfell.core.working import Working


def _explain(faults: ShortCircuit, asked: Asked) -> Working:
    at = faults.net.topology.bus_index.get(asked.element_id) if asked.faulted is None else asked.faulted
    if at is None or at not in faults.fed_buses():
        raise NotFound("There is no fed bus selected.")
    if asked.fault in TO_EARTH and (lacking := faults.earth_faults_lack(at)):
        raise NotFound(f"There are no earth-fault currents here. {lacking[0]}")
    return explain_fault(faults, at, asked.case, asked.quantity, asked.fault)


def _along(net: Compiled, element_id: str, told: Told | None) -> Along:
    return along(run(net), element_id)


ALONG = OnRequest(
    key="along", flag="--along", of="a cable or line", needs="a name", help="faults at every tenth of its length", doing="Faulting places along a conductor",
    run=_along, tables=lambda state, made: [made.table()], at_once=True,
)  # fmt: skip
OPEN = OnRequest(
    key="open", flag="--open", of="a cable or line", needs="a name", help="one, then two of its conductors open, as load flow runs",
    doing="Opening conductors", run=lambda net, element_id, told: open_conductors(run(net).cases["max"], element_id),
    tables=lambda state, made: made.tables(), at_once=True,
)  # fmt: skip
SHORT_CIRCUIT = Study[ShortCircuit](
    key="short_circuit", label="short circuit", settings=ShortCircuitSettings, run=lambda net, _: run(net), explain=_explain,
    unlike="by another",
    quantities=("ik_ka", "ip_ka", "ib_ka", "ik_steady_ka", "ith_ka", "i_earth_ka"), tables_at=lambda faults, buses: faults.tables_at(buses),
    compared=lambda faults: _compared(faults), on_request=(ALONG, OPEN),
)  # fmt: skip


def _compared(faults: ShortCircuit) -> dict[str, dict[str, float]]:
    """Currents that are looked at over all states, by the id of the bus; of earth faults where they are known."""
    ids, fed = faults.net.topology.bus_ids, faults.fed_buses()
    high = faults.cases["max"]
    made = {"ik_ka": high.ik_ka, "ip_ka": high.ip_ka}
    return {what: {ids[b]: float(values[b]) for b in fed} for what, values in made.items()}


__all__ = [
    "ALONG", "Along", "CASES", "Case", "FAULTS", "FAULT_WORDS", "Floats", "Flows", "Given", "IEEE_SOURCE", "IecCase", "IeeeCase", "LV_SOURCE", "MAGNETISING_PU",
    "OPEN", "OpenConductors",
    "PARTING_CYCLES", "PLACES", "SCHOOLS", "SHORT_CIRCUIT", "ShortCircuit", "ShortCircuitSettings", "TO_EARTH", "as_phases", "at_own_buses", "by_component",
    "crest_multiplier", "decrement_pu", "direct_current_ka", "explain_fault", "factor_c", "falls", "heat_of_direct_part", "iec_given", "left_of", "most_left",
    "peak_current_ka", "peak_factor", "remote_multiplier",
    "resistance_for", "rms_factor", "rms_multiplier", "run", "transformer_correction", "voltage_factor", "without_motors", "zero_pairs",
]  # fmt: skip
