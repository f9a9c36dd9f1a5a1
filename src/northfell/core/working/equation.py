"""An equation declared once: its text, its source, and the function that computes it. The declaration computes, puts the numbers in, and notes both.

The text is written as people read it: `c·Un / (√3·|Z1|)`, `1.02 + 0.98·e^(−3·R/X)`. A test evaluates it against the function, so that what is
shown and what is computed cannot drift apart.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from northfell.core.quantities import MINUS, figure
from northfell.core.working.record import Working

SIGNS = {"·": "*", "−": "-", "²": "**2", "^": "**", "√3": "sqrt(3)", "√2": "sqrt(2)", "√(": "sqrt(", "[": "(", "]": ")"}


@dataclass(frozen=True)
class Equation:
    """One equation.

    Parameters
    ----------
    symbol : str
        What it gives.
    text : str
        The right side, in the notation of the trade.
    of : callable
        The function; its arguments by name.
    symbols : mapping of str to str
        Each symbol of the text, to the argument that it stands for. One between bars stands for the magnitude.
    unit, source : str
    digits : int
        Significant digits of the numbers put in.
    """

    symbol: str
    text: str
    of: Callable[..., Any]
    symbols: Mapping[str, str]
    unit: str = ""
    source: str = ""
    digits: int = 5
    shown: Mapping[str, float] = field(default_factory=dict)  # argument -> factor from the argument's unit to that of the text

    def value(self, **given: Any) -> Any:
        """What the function gives; complex or real."""
        found = self.of(**given)
        return complex(found) if isinstance(found, complex) else float(found)

    def put_in(self, marks: Mapping[str, str] | None = None, **given: Any) -> str:
        """The text with the numbers of its symbols; `marks` are put behind those of some arguments, such as ~ behind an assumed value."""
        return self._replaced(lambda symbol, name: self._number(symbol, given[name] * self.shown.get(name, 1)) + (marks or {}).get(name, ""))

    def expression(self) -> str:
        """The text as an expression of Python, with the arguments as names: for the test that evaluates it."""
        names = self._replaced(lambda symbol, name: f"abs({name})" if symbol.startswith("|") else f"({name})")
        for sign, instead in SIGNS.items():
            names = names.replace(sign, instead)
        return re.sub(r"\be\*\*\(", "exp(", names)

    def _replaced(self, put: Callable[[str, str], str]) -> str:
        longest = sorted(self.symbols, key=len, reverse=True)
        pattern = "|".join(re.escape(symbol) for symbol in longest)
        return re.sub(rf"(?<![\w″′])(?:{pattern})(?![\w″′])", lambda m: put(m[0], self.symbols[m[0]]), self.text)

    def _number(self, symbol: str, value: Any) -> str:
        if symbol.startswith("|"):
            return figure(abs(value), self.digits)
        if isinstance(value, complex):
            sign = MINUS if value.imag < 0 else "+"
            return f"({figure(value.real, self.digits)} {sign} j{figure(abs(value.imag), self.digits)})"
        return figure(value, self.digits)

    def note(self, w: Working, title: str, note: str = "", marks: Mapping[str, str] | None = None, **given: Any) -> Any:
        """Compute, and note it with its numbers; the value."""
        value = self.value(**given)
        w.step(title, self.symbol, self.text, self.put_in(marks, **given), value, self.unit, self.source, note)
        return value
