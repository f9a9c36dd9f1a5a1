"""Rules of transformers, for both codes: rated power with diversity, growth and harmonics, motor starting, devices, bonding.

Harmonics: IEC by EN 50464-3 (a factor on the load), IEEE C57.110 (what is left of the rating). Standing as each says.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from northfell.core.catalogue import sizing_tables as tables

Q_OF_WINDING = {"wire": 1.7, "foil": 1.5}  # exponent of the order by the low-voltage winding (unverified)
SQRT3 = math.sqrt(3)


@dataclass(frozen=True)
class Spectrum:
    """Harmonic currents of a load, of its fundamental; the fundamental itself is 1."""

    pu: Mapping[int, float]

    @property
    def rms_pu(self) -> float:
        """Rms current over the fundamental."""
        return math.sqrt(1 + sum(i**2 for i in self.pu.values()))


def en_factor(spectrum: Spectrum, eddy_over_ohmic: float, q: float) -> float:
    r"""Factor by which the load of a transformer counts more for its harmonics.

    .. math:: K = \sqrt{1 + \frac{e}{1+e} \left(\frac{I_1}{I}\right)^2 \sum_{h>1} h^q \left(\frac{I_h}{I_1}\right)^2}

    Parameters
    ----------
    eddy_over_ohmic : float
        Eddy losses at the fundamental over the ohmic ones, e.
    q : float
        1.7 for round or rectangular wire, 1.5 for foil.

    Source
    ------
    EN 50464-3 (recalled twice alike; q uncertain).
    """
    weighed = sum(float(h) ** q * i**2 for h, i in spectrum.pu.items())
    return math.sqrt(1 + eddy_over_ohmic / (1 + eddy_over_ohmic) * weighed / spectrum.rms_pu**2)


def loss_factor(spectrum: Spectrum, exponent: float = 2.0) -> float:
    """Harmonic loss factor FHL of windings, or with 0.8 that of other stray losses, FHL-STR (IEEE C57.110)."""
    whole = 1 + sum(i**2 for i in spectrum.pu.values())
    weighed: float = sum(float(h) ** exponent * i**2 for h, i in spectrum.pu.items())
    return (1 + weighed) / whole


def greatest_load_pu(spectrum: Spectrum, eddy_pu: float, other_stray_pu: float = 0.0) -> float:
    r"""Rms current that a transformer may carry with such harmonics, of its rated one (IEEE C57.110).

    .. math:: I_{max} = \sqrt{\frac{1 + P_{EC} + P_{OSL}}{1 + F_{HL} P_{EC} + F_{HL-STR} P_{OSL}}}

    Parameters
    ----------
    eddy_pu : float
        Rated eddy-current losses at the hottest place, of the ohmic ones.
    other_stray_pu : float
        Other stray losses of liquid-filled transformers; 0 for dry ones.
    """
    above = 1 + eddy_pu + other_stray_pu
    below = 1 + loss_factor(spectrum) * eddy_pu + loss_factor(spectrum, 0.8) * other_stray_pu
    return math.sqrt(above / below)


def next_rating_kva(asked_kva: float, school: str) -> float | None:
    """The next rated power on offer ("IEC", "ANSI"); None beyond them."""
    return next((s for s in tables.transformer_rows(school) if s >= asked_kva * (1 - 1e-9)), None)


def dip_pct(z_source_ohm: complex, u_v: float, s_locked_kva: float, cosphi: float) -> float:
    r"""Fall of the voltage while a motor starts [%]: the motor as an impedance behind that of the source.

    .. math:: 100 (1 - |Z_M/(Z_M + Z_S)|), \qquad Z_M = U^2/S_{LR}
    """
    z_motor = u_v**2 / (1000 * s_locked_kva) * complex(cosphi, math.sqrt(1 - cosphi**2))
    return 100 * (1 - abs(z_motor / (z_motor + z_source_ohm)))


def secondary_least_a(device_a: float, primary_by_ratio_a: float, part: float = 3.0) -> float:
    """Least ampacity of secondary conductors: that of their device, and a third of the primary one by the ratio of voltages, up to 10 ft a tenth.

    The next standard device above an ampacity is not allowed here. NEC 240.21(C)(2), (C)(6).
    """
    return max(device_a, primary_by_ratio_a / part)
