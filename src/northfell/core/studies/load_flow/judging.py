"""The limits of load flow, each applied here and nowhere else: card, ledger, tags, findings, comparisons and remedies ask."""

import math
from collections.abc import Callable
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from northfell.core.finding import severity_of, verdicts_of
from northfell.core.model.elements import Bus, Element
from northfell.core.model.settings import Limits
from northfell.core.studies.load_flow.loading import loading_limits
from northfell.core.studies.load_flow.solved import Solved

Verdicts = NDArray[np.int8]
Verdict = Literal["breach", "close", ""]


def loading_verdicts(flow: Solved, limits: Limits, emergency: bool = False) -> Verdicts:
    """The verdicts on the loading of everything with terminals, in their order: 0 within limits or not known, 1 close, 2 a breach."""
    bounds = limits_by_kind(limits)
    close, breach = np.array([bounds(type(e)) for e in flow.net.terminals.elements], float).reshape(-1, 2).T
    return verdicts_of(flow.loadings(emergency).pct, close, breach)


def bar_verdicts(flow: Solved, limits: Limits) -> Verdicts:
    """The verdicts on what the bars of each bus carry."""
    return verdicts_of(flow.bar_loading_pct, *loading_limits(limits, Bus))


def voltage_verdicts(flow: Solved, limits: Limits) -> Verdicts:
    """The verdicts on the voltage of each bus; a junction is not judged."""
    found = verdicts_of(np.abs(100 * (np.abs(flow.v) - 1)), limits.voltage_close_pct, limits.voltage_breach_pct)
    found[flow.junctions] = 0
    return found


def numbered(verdicts: Verdicts) -> list[tuple[int, int]]:
    """Where something stands near or beyond its limit, with the verdict's number."""
    at = np.flatnonzero(verdicts)
    return list(zip(at.tolist(), verdicts[at].tolist(), strict=True))


def limits_by_kind(limits: Limits) -> Callable[[type[Element]], tuple[float, float]]:
    """The limits of loading of a kind, each looked up once."""
    return cache(lambda kind: loading_limits(limits, kind))


def loading_severity(limits: Limits, e: Element, pct: float | None) -> Verdict:
    """The verdict on a loading; empty where it is within limits or not known."""
    return "" if pct is None else severity_of(pct, *loading_limits(limits, type(e))) or ""


def voltage_severity(limits: Limits, bus: Element, v_pu: float | None) -> Verdict:
    """The verdict on the voltage of a bus; empty within limits, where it is not known, and for a junction, which is not judged."""
    if v_pu is None or not math.isfinite(v_pu) or getattr(bus, "bus_kind", "") == "junction":
        return ""
    return severity_of(abs(100 * (v_pu - 1)), limits.voltage_close_pct, limits.voltage_breach_pct) or ""


def low_severity(limits: Limits, v_pu: float | None) -> Verdict:
    """The verdict on how far a voltage stands below nominal; empty within limits and where it is not known."""
    return "" if v_pu is None else severity_of(100 * (1 - v_pu), limits.voltage_close_pct, limits.voltage_breach_pct) or ""


def start_severity(limits: Limits, at_motor: bool, v_during_pct: float, dip_pct: float) -> Verdict:
    """The verdict on a voltage while a motor starts: at its terminals by what is left, elsewhere by the fall; empty within limits."""
    return "breach" if (v_during_pct < limits.start_voltage_pct if at_motor else dip_pct > limits.start_dip_pct) else ""
