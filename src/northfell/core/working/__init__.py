"""How a figure came about: the record of its working, and equations that are declared once and note themselves."""

from northfell.core.working.equation import Equation
from northfell.core.working.record import Input, Step, Working, given_text, value_text

__all__ = ["Equation", "Input", "Step", "Working", "given_text", "value_text"]
