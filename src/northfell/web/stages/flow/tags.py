"""What the Flow stage shows on the sheet: the quantities that were chosen, shading by voltage or loading, and the direction of power."""

import cmath
import math
from collections.abc import Callable
from functools import cached_property
from typing import NamedTuple

import numpy as np

from northfell.core.finding import VERDICTS
from northfell.core.model.by_element import LastMade
from northfell.core.model.elements import Compensation, Element, Switching
from northfell.core.model.settings import Limits
from northfell.core.quantities import MINUS, as_written, figure, fixed
from northfell.core.studies.load_flow import LoadFlow, loading_limits, loading_severity, loading_verdicts, voltage_verdicts
from northfell.drawing.words import Tag

SHADES = 4  # steps of the voltage scale on each side of nominal
TONES = 5  # steps of the loading scale up to the limit
QUANTITIES = {  # code -> what it is in words, and where it is shown
    "kv": ("voltage in kV", "buses"), "pu": ("voltage in p.u.", "buses"), "dev": ("deviation from nominal", "buses"), "ang": ("angle", "buses"),
    "p": ("active power", "elements"), "q": ("reactive power", "elements"), "s": ("apparent power", "elements"), "i": ("current", "elements"),
    "pf": ("power factor", "elements"), "load": ("loading", "elements"), "loss": ("losses", "elements"), "drop": ("voltage drop", "elements"),
}  # fmt: skip
USUAL = ("kv", "pu", "p", "load")


SEEN = 5e-4  # part of a figure by which it must have changed for the change to be told


class Value(NamedTuple):
    """One quantity of one element, with how it is written."""

    number: float
    unit: str
    decimals: int | None = None  # None: significant digits
    digits: int = 3

    @property
    def text(self) -> str:
        return fixed(self.number, self.decimals) if self.decimals is not None else figure(self.number, self.digits)

    def beside(self, other: float) -> str:
        """The difference to another number, as it is written behind this one; empty where it is none."""
        change = self.number - other
        if not math.isfinite(change) or abs(change) <= SEEN * max(abs(self.number), abs(other), 1e-9):
            return ""
        told = fixed(abs(change), self.decimals) if self.decimals is not None else figure(abs(change), 2)
        return f"{'+' if change > 0 else MINUS}{told}" if told.strip("0.") else ""


def flow_tags(flow: LoadFlow, limits: Limits, chosen: tuple[str, ...] = USUAL, shade: str = "voltage", pinned: LoadFlow | None = None) -> dict[str, Tag]:
    """The chosen quantities of every element that carries something; with a pinned result, the difference to it behind each."""
    shown, before = Quantities(flow), Quantities(pinned) if pinned is not None else None
    of_buses, of_elements = ([c for c in chosen if QUANTITIES[c][1] == what] for what in ("buses", "elements"))
    net, top, tags = flow.net, flow.net.topology, dict[str, Tag]()
    v, judged = np.abs(flow.v), voltage_verdicts(flow, limits).tolist()
    for i in np.flatnonzero(~flow.junctions & np.isfinite(v)).tolist():
        bus = net.elements[top.bus_ids[i]]
        severity, shaded = VERDICTS[judged[i]] or "", voltage_shade(100 * (float(v[i]) - 1), limits) if shade == "voltage" else ""
        given_of_bus = (shown, before, bus.id, severity, shaded, of_buses)
        beside = (shown.written_of_buses[i], severity, shaded, of_buses)
        tags[bus.id] = _bus(*given_of_bus) if before else _BUS_TAGS.of(bus, beside, _bus, *given_of_bus)
    judged = loading_verdicts(flow, limits).tolist()
    for k, (e, writes) in enumerate(zip(net.terminals.elements, shown.written, strict=True)):
        given = (shown, before, e, k, VERDICTS[judged[k]] or "", limits, of_elements, shade)
        tag = _element(*given) if before else _TAGS.of(e, (writes, judged[k], limits, of_elements, shade == "loading" and shown.pct[k]), _element, *given)
        if tag is not None:
            tags[e.id] = tag
    return tags


_TAGS: LastMade[Element, Tag | None] = LastMade()
_BUS_TAGS: LastMade[Element, Tag] = LastMade()


def _bus(shown: "Quantities", before: "Quantities | None", bus_id: str, severity: str, shaded: str, codes: list[str]) -> Tag:
    return Tag(_lines(codes, bus_id, shown.of_bus, before.of_bus if before else None), severity, shade=shaded)


def _element(
    shown: "Quantities", before: "Quantities | None", e: Element, k: int, severity: str, limits: Limits, codes: list[str], shade: str
) -> Tag | None:  # fmt: skip
    s, pct = shown.s[k], shown.pct[k]
    if not cmath.isfinite(s):
        return None
    several = len(e.TERMINALS) > 1
    known = several and math.isfinite(pct)
    tone = loading_tone(limits, e, pct) if shade == "loading" and known else ""
    toward = 0 if abs(s.real) < 1e-9 else 1 if s.real > 0 else -1
    if isinstance(e, Switching):
        lines: tuple[tuple[str, str], ...] = ((fixed(pct, 0), "%"),) if severity and known else ()
        return Tag(lines, severity, tone=tone) if lines or tone else None
    if not several:
        codes = [c for c in codes if c not in ("load", "loss", "drop")]
        if "p" in codes and "q" not in codes and (isinstance(e, Compensation) or e.ABOUT.delivers):
            codes = ["q"] if isinstance(e, Compensation) else [*codes, "q"]
    lines = _lines(codes, e.id, shown.of, before.of if before else None)
    bar = round(pct / 100, 2) if known and "load" in codes else None  # as finely as it is seen
    return Tag(lines, severity if several else "", bar, tone=tone, toward=toward)


Asked = Callable[[str, str], "Value | None"]  # of an element's id and a quantity


def _lines(codes: list[str], of: str, now: Asked, before: Asked | None) -> tuple[tuple[str, str], ...]:
    lines = []
    for code in codes:
        one = now(of, code)
        if one is None:
            continue
        was = before(of, code) if before else None
        change = one.beside(was.number) if was is not None else "new" if before else ""
        lines.append((one.text, f"{one.unit} {change}".strip()))
    return tuple(lines)


class Quantities:
    """The quantities of a solved state, by element and code."""

    def __init__(self, flow: LoadFlow) -> None:
        at = flow.net.terminals
        s, first, last = flow.s_terminal, at.first, at.first + at.count - 1
        self._flow, self._at, self._bus_at = flow, at.at, flow.net.topology.bus_index
        self.s: list[complex] = s[first].tolist()
        self.pct: list[float] = flow.loadings().pct.tolist()
        self._i = (np.fmax.reduceat(flow.i_terminal_a, first) if len(first) else np.zeros(0)).tolist()
        self._loss = (np.add.reduceat(s, first).real * 1000 if len(first) else np.zeros(0)).tolist()
        v = np.abs(flow.v)
        self._v: list[complex] = flow.v.tolist()
        self._kv: list[float] = flow.u_kv.tolist()
        self._drop = (100 * (v[at.bus[first]] - v[at.bus[last]])).tolist()

    @cached_property
    def written_of_buses(self) -> list[list[float]]:
        """The numbers of each bus as far as any of them is written."""
        v, angle = np.abs(np.array(self._v)), np.degrees(np.angle(np.array(self._v)))
        columns = (as_written(np.array(self._kv)), as_written(v, 3), as_written(100 * (v - 1), 1), as_written(angle, 1))
        found: list[list[float]] = np.stack(columns, axis=1).tolist()
        return found

    @cached_property
    def written(self) -> list[list[float]]:
        """The numbers of each element as far as any of them is written: what is the same here has the same tag."""
        s, pct = np.array(self.s), np.array(self.pct)
        columns = [as_written(one, digits=3) for one in (s.real, s.imag, np.abs(s), np.array(self._i), np.array(self._loss))]
        factor = np.divide(np.abs(s.real), np.abs(s), out=np.full(len(s), np.nan), where=np.abs(s) > 0)
        columns += [as_written(pct, 0), as_written(pct, 1), as_written(pct / 100, 2), as_written(factor, 3), as_written(np.array(self._drop), 2)]
        found: list[list[float]] = np.stack([*columns, np.abs(s.real) < 1e-9], axis=1).tolist()
        return found

    def of_bus(self, bus_id: str, code: str) -> Value | None:
        """A quantity of a bus; None where it has none."""
        at = self._bus_at.get(bus_id)
        if at is None or cmath.isnan(v := self._v[at]):
            return None
        if code == "kv":
            kv = self._kv[at]
            return Value(kv, "kV", digits=4) if math.isfinite(kv) else None
        if code == "pu":
            return Value(abs(v), "p.u.", 3)
        return Value(100 * (abs(v) - 1), "%", 1) if code == "dev" else Value(math.degrees(cmath.phase(v)), "deg", 1)

    def of(self, element_id: str, code: str) -> Value | None:
        """A quantity of what is not a bus, at its first terminal; of sources as delivered, of all others as drawn. None where there is none."""
        k = self._at.get(element_id)
        if k is None or not cmath.isfinite(self.s[k]):
            return None
        e = self._flow.net.terminals.elements[k]
        one_terminal = len(e.TERMINALS) == 1
        s = -self.s[k] if one_terminal and e.ABOUT.delivers else self.s[k]
        if code == "p":
            return Value(abs(s.real) if not one_terminal else s.real, "MW")
        if code == "q":
            return Value(abs(s.imag) if isinstance(e, Compensation) else s.imag, "Mvar")
        if code == "s":
            return Value(abs(s), "MVA")
        if code == "i":
            return Value(self._i[k], "A") if math.isfinite(self._i[k]) else None
        if code == "pf":
            return Value(abs(s.real) / abs(s), "", 3) if abs(s) > 0 else None
        if code == "load":
            return Value(self.pct[k], "%", 1) if math.isfinite(self.pct[k]) else None
        return Value(self._loss[k], "kW") if code == "loss" else Value(self._drop[k], "% drop", 2)


def voltage_shade(deviation_pct: float, limits: Limits) -> str:
    """Class of a board's band: steps toward the low or the high end of the scale."""
    step = min(SHADES, round(SHADES * abs(deviation_pct) / limits.voltage_breach_pct))
    return "" if step == 0 else f"{'high' if deviation_pct > 0 else 'low'}-{step}"


def loading_tone(limits: Limits, e: Element, pct: float) -> str:
    """Class of a loaded element: from mist to ink up to where it is near its limit, beyond that the verdict."""
    severity = loading_severity(limits, e, pct)
    return f"tone-{severity}" if severity else f"tone-{1 + min(TONES - 1, int(TONES * pct / loading_limits(limits, type(e))[0]))}"
