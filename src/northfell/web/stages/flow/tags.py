"""What the Flow stage shows on the sheet: the quantities that were chosen, shading by voltage or loading, and the direction of power."""

import cmath
import math
from dataclasses import dataclass

from northfell.core.model.elements import Bus, Compensation, Element, Switching
from northfell.core.model.settings import Limits
from northfell.core.quantities import MINUS, figure, fixed
from northfell.core.studies.load_flow import LoadFlow, loading_limits, loading_severity, voltage_severity
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


@dataclass(frozen=True)
class Value:
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
    tags: dict[str, Tag] = {}
    for e in flow.net.elements.values():
        tag = _bus(flow, e, limits, chosen, shade, pinned) if isinstance(e, Bus) else _element(flow, e, limits, chosen, shade, pinned)
        if tag is not None:
            tags[e.id] = tag
    return tags


def _bus(flow: LoadFlow, bus: Bus, limits: Limits, chosen: tuple[str, ...], shade: str, pinned: LoadFlow | None) -> Tag | None:
    v = flow.voltage(bus.id)
    if bus.bus_kind == "junction" or cmath.isnan(v):
        return None
    deviation = 100 * (abs(v) - 1)
    severity = voltage_severity(limits, bus, abs(v))
    lines = _lines([c for c in chosen if QUANTITIES[c][1] == "buses"], lambda c, f: bus_value(f, bus, c), flow, pinned)
    return Tag(lines, severity, shade=voltage_shade(deviation, limits) if shade == "voltage" else "")


def _element(flow: LoadFlow, e: Element, limits: Limits, chosen: tuple[str, ...], shade: str, pinned: LoadFlow | None) -> Tag | None:
    power = flow.terminal_power.get(e.id)
    if power is None or not cmath.isfinite(power[0]):
        return None
    one = flow.loading(e) if len(e.TERMINALS) > 1 else None
    pct = one.pct if one else None
    severity = loading_severity(limits, e, pct)
    tone = loading_tone(limits, e, pct) if shade == "loading" and pct is not None else ""
    toward = 0 if abs(power[0].real) < 1e-9 else 1 if power[0].real > 0 else -1
    if isinstance(e, Switching):
        lines: tuple[tuple[str, str], ...] = ((fixed(pct, 0), "%"),) if severity and pct is not None else ()
        return Tag(lines, severity, tone=tone) if lines or tone else None
    codes = [c for c in chosen if QUANTITIES[c][1] == "elements"]
    if len(e.TERMINALS) == 1:
        codes = [c for c in codes if c not in ("load", "loss", "drop")]
        if "p" in codes and "q" not in codes and (isinstance(e, Compensation) or e.ABOUT.delivers):
            codes = ["q"] if isinstance(e, Compensation) else [*codes, "q"]
    lines = _lines(codes, lambda c, f: value_of(f, e, c), flow, pinned)
    bar = round(pct / 100, 2) if pct is not None and "load" in codes else None  # as finely as it is seen
    return Tag(lines, severity, bar, tone=tone, toward=toward)


def _lines(codes, value, flow: LoadFlow, pinned: LoadFlow | None) -> tuple[tuple[str, str], ...]:  # type: ignore[no-untyped-def]
    lines = []
    for code in codes:
        one: Value | None = value(code, flow)
        if one is None:
            continue
        before: Value | None = value(code, pinned) if pinned is not None else None
        change = one.beside(before.number) if before is not None else "new" if pinned is not None else ""
        lines.append((one.text, f"{one.unit} {change}".strip()))
    return tuple(lines)


def bus_value(flow: LoadFlow, bus: Bus, code: str) -> Value | None:
    """A quantity of a bus; None where it has none."""
    at = flow.net.topology.bus_index.get(bus.id)
    if at is None or cmath.isnan(complex(flow.v[at])):
        return None
    v = complex(flow.v[at])
    kv = abs(v) * float(flow.net.v_nominal_kv[at])
    if code == "kv":
        return Value(kv, "kV", digits=4) if math.isfinite(kv) else None
    return {"pu": Value(abs(v), "p.u.", 3), "dev": Value(100 * (abs(v) - 1), "%", 1), "ang": Value(math.degrees(cmath.phase(v)), "deg", 1)}[code]


def value_of(flow: LoadFlow, e: Element, code: str) -> Value | None:
    """A quantity of what is not a bus, at its first terminal; of sources as delivered, of all others as drawn. None where there is none."""
    power = flow.terminal_power.get(e.id)
    if power is None or e.id not in flow.net.elements or not cmath.isfinite(power[0]):
        return None
    one_terminal = len(e.TERMINALS) == 1
    s = -power[0] if one_terminal and e.ABOUT.delivers else power[0]
    if code == "p":
        return Value(abs(s.real) if not one_terminal else s.real, "MW")
    if code == "q":
        return Value(abs(s.imag) if isinstance(e, Compensation) else s.imag, "Mvar")
    if code == "s":
        return Value(abs(s), "MVA")
    if code == "i":
        currents = [i for i in flow.current_a(flow.net.elements[e.id]) if i is not None]
        return Value(max(currents), "A") if currents else None
    if code == "pf":
        return Value(abs(s.real) / abs(s), "", 3) if abs(s) > 0 else None
    if code == "load":
        pct = flow.loading(flow.net.elements[e.id]).pct
        return Value(pct, "%", 1) if pct is not None else None
    if code == "loss":
        return Value(sum(power).real * 1000, "kW")
    return Value(100 * (abs(flow.voltage(e.buses[0])) - abs(flow.voltage(e.buses[-1]))), "% drop", 2)


def voltage_shade(deviation_pct: float, limits: Limits) -> str:
    """Class of a board's band: steps toward the low or the high end of the scale."""
    step = min(SHADES, round(SHADES * abs(deviation_pct) / limits.voltage_breach_pct))
    return "" if step == 0 else f"{'high' if deviation_pct > 0 else 'low'}-{step}"


def loading_tone(limits: Limits, e: Element, pct: float) -> str:
    """Class of a loaded element: from mist to ink up to where it is near its limit, beyond that the verdict."""
    severity = loading_severity(limits, e, pct)
    return f"tone-{severity}" if severity else f"tone-{1 + min(TONES - 1, int(TONES * pct / loading_limits(limits, type(e))[0]))}"
