"""Impedance and capacitance of lines from their conductors and where these hang, or lie."""

from northfell.core.network.lines.building import Built, built
from northfell.core.network.lines.constants import LineConstants, constants_of
from northfell.core.network.lines.earth_return import EARTH_METHODS, EarthMethod
from northfell.core.network.lines.places import Hung

__all__ = ["Built", "built", "EARTH_METHODS", "EarthMethod", "Hung", "LineConstants", "constants_of"]
