"""The record of how a figure came about: inputs with their origin, equations, substituted numbers, results, sources.

A study that is asked for one figure derives it again with the *same* equation functions that filled its table, and notes each
step here as it goes. Nothing is written a second time for display.
"""

import cmath
import math
from dataclasses import dataclass, field
from typing import TypeVar

from northfell.core.quantities import MINUS, figure

Value = TypeVar("Value", float, complex, str)


@dataclass(frozen=True)
class Input:
    """A value that entered the calculation, and where it comes from."""

    symbol: str
    meaning: str
    value: float | complex | str
    unit: str = ""
    origin: str = ""  # "Cable W23, length", "typical: IEC 60909-0", "study setting"
    assumed: bool = False


@dataclass(frozen=True)
class Step:
    """One equation with its numbers put in and its result."""

    title: str
    symbol: str
    equation: str
    substituted: str
    value: float | complex | str
    unit: str = ""
    source: str = ""
    note: str = ""


@dataclass
class Working:
    """An ordered record. `given` and `step` return the value they note, so that they read as part of the calculation."""

    title: str
    entries: list[Input | Step] = field(default_factory=list)
    result: float | None = None
    unit: str = ""

    def given(self, symbol: str, meaning: str, value: Value, unit: str = "", origin: str = "", assumed: bool = False) -> Value:
        """Note an input."""
        self.entries.append(Input(symbol, meaning, value, unit, origin, assumed))
        return value

    def step(self, title: str, symbol: str, equation: str, substituted: str, value: Value, unit: str = "", source: str = "", note: str = "") -> Value:
        """Note an equation, the numbers put into it, and what came out."""
        self.entries.append(Step(title, symbol, equation, substituted, value, unit, source, note))
        return value

    @property
    def inputs(self) -> list[Input]:
        return [e for e in self.entries if isinstance(e, Input)]

    @property
    def steps(self) -> list[Step]:
        return [e for e in self.entries if isinstance(e, Step)]

    def to_text(self) -> str:
        """The whole record as plain text, for the clipboard."""
        lines = [self.title, "=" * len(self.title), "", "Inputs"]
        for one in self.inputs:
            mark = "~" if one.assumed else ""
            lines.append(f"  {one.symbol} = {given_text(one.value)}{mark} {one.unit}".rstrip() + f"   {one.meaning}; {one.origin}")
        for number, step in enumerate(self.steps, 1):
            lines += ["", f"{number}. {step.title}", f"  {step.symbol} = {step.equation}"]
            if step.substituted:
                lines.append(f"    = {step.substituted}")
            lines.append(f"    = {value_text(step.value)} {step.unit}".rstrip())
            if step.note:
                lines.append(f"    {step.note}")
            if step.source:
                lines.append(f"    [{step.source}]")
        return "\n".join(lines) + "\n"


def given_text(value: float | complex | str) -> str:
    """An input as it was given, without trailing zeros."""
    if isinstance(value, int | float) and math.isfinite(value) and 1e-4 <= abs(value) < 1e7:
        return f"{value:.6g}".replace("-", MINUS)
    return value_text(value)


def value_text(value: float | complex | str) -> str:
    """A value as the working shows it: complex ones in rectangular and in polar form."""
    if isinstance(value, str):
        return value
    if isinstance(value, complex):
        sign = MINUS if value.imag < 0 else "+"
        polar = f"{figure(abs(value), 5)} ∠ {figure(math.degrees(cmath.phase(value)), 4)}°"
        return f"{figure(value.real, 5)} {sign} j{figure(abs(value.imag), 5)} ({polar})"
    return figure(value, 5) if math.isfinite(value) else "never"
