"""Balanced load flow: voltages, flows, loadings and losses of one operating state."""

from northfell.core.errors import NotFound
from northfell.core.studies.load_flow.injections import Following, asked_mvar, follows_voltage, most_mvar, one_motor
from northfell.core.studies.load_flow.judging import loading_severity, loading_verdicts, low_severity, start_severity, voltage_severity, voltage_verdicts
from northfell.core.studies.load_flow.loading import Loading, loading_limits, rating_of, stages_of
from northfell.core.studies.load_flow.maximum import curve_table, maximum_loading, maximum_table
from northfell.core.studies.load_flow.motor_start import drawn_at_start, start
from northfell.core.studies.load_flow.outages import each_out, outages_table
from northfell.core.studies.load_flow.result import LoadFlow, compared
from northfell.core.studies.load_flow.settings import LoadFlowSettings
from northfell.core.studies.load_flow.solve import run
from northfell.core.studies.load_flow.verdicts import CHECKS, start_findings
from northfell.core.studies.load_flow.working import QUANTITIES, explain_flow
from northfell.core.studies.record import Asked, OnRequest, Study
from northfell.core.working import Working


def _explain(flow: LoadFlow, asked: Asked) -> Working:
    element = flow.net.elements.get(asked.element_id)
    if element is None:
        raise NotFound("There is no such element (any more).")
    return explain_flow(flow, element, asked.quantity)


OUTAGES = OnRequest(
    "outages", "--each-out", "", "nothing", "also take each branch and source out in turn (table outages)", "Taking each element out",
    lambda net, _, told: list(each_out(net.network, net.state, told)), lambda state, made: [outages_table(state, made)],
    share=lambda net, _, told, part, parts: list(each_out(net.network, net.state, told, part, parts)),
)  # fmt: skip
START = OnRequest(
    "start", "--start", "a motor", "a name", "also start a motor, by its name (table start)", "Starting a motor",
    lambda net, motor, _: start(net, motor), lambda _, made: [made.table()], start_findings, at_once=True,
)  # fmt: skip
MAXIMUM = OnRequest(
    "maximum", "--most-load", "a load, a motor or a bus", "a name or nothing",
    "also raise the load until no more is drawn: all of it, or that of a consumer or at a bus (tables maximum, loading_curve)", "Raising the load",
    lambda net, of, _: maximum_loading(net, of), lambda state, made: [maximum_table(state, made), curve_table(state, made)],
)  # fmt: skip
LOAD_FLOW = Study[LoadFlow](
    key="load_flow", label="load flow", settings=LoadFlowSettings, run=lambda net, _: run(net), explain=_explain, quantities=QUANTITIES, checks=CHECKS,
    unlike="by another",
    on_request=(OUTAGES, START, MAXIMUM), compared=compared,
)  # fmt: skip

__all__ = [
    "Following", "LOAD_FLOW", "LoadFlow", "LoadFlowSettings", "Loading", "MAXIMUM", "OUTAGES", "START", "asked_mvar", "drawn_at_start", "follows_voltage",
    "loading_limits", "loading_severity", "loading_verdicts",
    "low_severity", "most_mvar", "one_motor", "rating_of", "run", "stages_of", "start_severity", "voltage_severity", "voltage_verdicts",
]  # fmt: skip
