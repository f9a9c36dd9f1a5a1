r"""Direct-current arcs by two published methods, of which the worse counts. IEEE 1584 does not cover them.

Maximum power: an arc takes at most :math:`U I_k/4`, at half of the bolted current. Stokes and Oppenlander: the arc's voltage by gap and current.

Source
------
NFPA 70E, annex D.5 (D. R. Doan, maximum power). Stokes and Oppenlander, with the reflection of boxes after Wilkins: constants recalled, unverified.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

from scipy.optimize import brentq

from northfell.core.finding import Finding
from northfell.core.model.elements import Element
from northfell.core.model.elements.direct import DirectSide
from northfell.core.model.settings import Limits
from northfell.core.network import Compiled
from northfell.core.quantities import figure as f
from northfell.core.studies.arc_flash.equations import CAL
from northfell.core.studies.arc_flash.result import finite
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.arc_flash.verdicts import energy_severity
from northfell.core.tables import Cell, Table, build
from northfell.core.working import Working

BURN_CAL = 1.2
IN_A_BOX = 3.0  # times more, by the maximum power method
REFLECTION = {"panelboard": (100.0, 0.127), "low-voltage switchgear": (400.0, 0.312), "medium-voltage switchgear": (950.0, 0.416)}  # a [mm], k
MOST_V = 1000.0  # of the maximum power method
POWER, STOKES = "maximum power", "Stokes and Oppenlander"
STATUS = "not covered by IEEE 1584: maximum power after NFPA 70E, D.5; Stokes and Oppenlander with recalled constants, unverified; the worse counts"
NEEDED = {"v_dc_v": "direct voltage", "ik_dc_ka": "short-circuit current, DC", "dc_gap_mm": "conductor gap, DC", "dc_distance_mm": "working distance, DC"}


def maximum_power_cal_cm2(v_v: float, i_arc_a: float, t_s: float, distance_mm: float, boxed: bool) -> float:
    r"""Incident energy of the most power that an arc may take [cal/cm²].

    .. math:: E = 0.01\,\frac{U I_{arc} t}{D^2}\,(\times 3 \text{ in a box}), \qquad I_{arc} = I_k/2

    with D in cm.
    """
    return 0.01 * v_v * i_arc_a * t_s / (distance_mm / 10) ** 2 * (IN_A_BOX if boxed else 1.0)


def least_a(gap_mm: float) -> float:
    """Current below which the equation of Stokes and Oppenlander does not hold [A]."""
    return 10 + 0.2 * gap_mm


def arc_resistance_ohm(i_a: float, gap_mm: float) -> float:
    r"""Resistance of an arc: :math:`R_{arc} = (20 + 0.534\,G)/I_{arc}^{0.88}`, with G in mm."""
    return float((20 + 0.534 * gap_mm) / i_a**0.88)


def arcing_current_a(v_v: float, ik_a: float, gap_mm: float) -> float | None:
    """The current at which the source's voltage, less that of its resistance, is the arc's; None where no arc holds by the equation."""

    def over(i_a: float) -> float:
        return v_v - i_a * (v_v / ik_a + arc_resistance_ohm(i_a, gap_mm))

    least = least_a(gap_mm)
    if ik_a <= least or over(least) <= 0:
        return None
    return float(brentq(over, least, ik_a, xtol=1e-9, rtol=1e-12))


def by_resistance_cal_cm2(i_a: float, gap_mm: float, t_s: float, distance_mm: float, board: str) -> float:
    r"""Incident energy of an arc of known resistance [cal/cm²].

    .. math:: W = I^2 R_{arc}\,t, \qquad E = \frac{W}{4\pi D^2} \text{ in the open}, \quad \frac{k\,W}{a^2 + D^2} \text{ in a box}
    """
    joules = i_a**2 * arc_resistance_ohm(i_a, gap_mm) * t_s
    a, k = REFLECTION.get(board, (0.0, 1 / (4 * math.pi)))
    return 100 * k * joules / (a**2 + distance_mm**2) / CAL


def reach_mm(energy_cal_cm2: float, distance_mm: float, a_mm: float = 0.0) -> float:
    """Distance at which an energy that falls with a² + D² is 1.2 cal/cm²; nothing where it is less everywhere."""
    return math.sqrt(max(energy_cal_cm2 / BURN_CAL * (a_mm**2 + distance_mm**2) - a_mm**2, 0.0))


@dataclass(frozen=True)
class DirectPlace:
    """A board on a direct-current side, by both methods."""

    element: DirectSide
    lacks: tuple[str, ...] = ()
    t_s: float = math.nan
    i_power_a: float = math.nan
    power_cal: float = math.nan
    i_stokes_a: float | None = None
    stokes_cal: float | None = None
    boundary_mm: float = math.nan
    told: tuple[str, ...] = ()

    @property
    def energy_cal_cm2(self) -> float:
        return max(self.power_cal, self.stokes_cal or 0.0)

    @property
    def governs(self) -> str:
        return STOKES if (self.stokes_cal or 0.0) > self.power_cal else POWER


def place_of(e: Element, settings: ArcFlashSettings) -> DirectPlace | None:
    """The place of work on the direct-current side of an element, if it has one."""
    if not isinstance(e, DirectSide) or e.dc_board == "none" or not e.in_service:
        return None
    if lacks := tuple(words for field, words in NEEDED.items() if getattr(e, field) is None):
        return DirectPlace(e, lacks, told=(f"waits for data: {', '.join(lacks)}",))
    v, ik_a, gap, distance = (float(x or math.nan) for x in (e.v_dc_v, 1000 * (e.ik_dc_ka or math.nan), e.dc_gap_mm, e.dc_distance_mm))
    opens_s = math.inf if e.t_dc_s is None else e.t_dc_s
    t = min(opens_s, settings.max_exposure_s) if settings.two_second_rule else opens_s
    told = [STATUS]
    if e.t_dc_s is None:
        told.append("no device is counted on" + (f": exposure taken as {settings.max_exposure_s:g} s" if settings.two_second_rule else ""))
    elif t < opens_s:
        told.append(f"cleared in {opens_s:g} s; exposure taken as {settings.max_exposure_s:g} s")
    if v > MOST_V:
        told.append(f"{v:g} V is above the {MOST_V:g} V up to which the maximum power method is given")
    boxed, i_stokes = e.dc_board != "open air", arcing_current_a(v, ik_a, gap)
    power = maximum_power_cal_cm2(v, ik_a / 2, t, distance, boxed)
    stokes = None if i_stokes is None else by_resistance_cal_cm2(i_stokes, gap, t, distance, e.dc_board)
    if i_stokes is None:
        told.append(f"by Stokes and Oppenlander no arc holds across {gap:g} mm: the maximum power alone")
    a = REFLECTION.get(e.dc_board, (0.0, 0.0))[0]
    boundary = max(reach_mm(power, distance), reach_mm(stokes or 0.0, distance, a)) if math.isfinite(t) else math.inf
    return DirectPlace(e, (), t, ik_a / 2, power, i_stokes, stokes, boundary, tuple(told))


@dataclass(frozen=True)
class Direct:
    """All places of work on direct-current sides."""

    net: Compiled
    places: tuple[DirectPlace, ...]

    def table(self) -> Table:
        rows: list[tuple[Cell, ...]] = []
        for p in self.places:
            e, known = p.element, not p.lacks
            rows.append((
                self.net.state, e.name, e.dc_board, e.v_dc_v, e.ik_dc_ka, e.dc_gap_mm, e.dc_distance_mm, finite(p.t_s), finite(p.i_power_a / 1000),
                finite(p.power_cal), None if p.i_stokes_a is None else p.i_stokes_a / 1000, None if p.stokes_cal is None else finite(p.stokes_cal),
                p.governs if known else None, finite(p.energy_cal_cm2) if known else None, finite(p.boundary_mm), "; ".join(p.told),
            ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("name", "", "At"), ("board", "", "Board"), ("v_dc_v", "V", "Voltage"), ("ik_dc_ka", "kA", "Bolted"),
            ("gap_mm", "mm", "Gap"), ("distance_mm", "mm", "Distance"), ("arc_time_s", "s", "Arc lasts"), ("i_power_ka", "kA", "Maximum power, arcing"),
            ("power_cal_cm2", "cal/cm²", "Maximum power"), ("i_stokes_ka", "kA", "By resistance, arcing"), ("stokes_cal_cm2", "cal/cm²", "By resistance"),
            ("governs", "", "Governs"), ("energy_cal_cm2", "cal/cm²", "Energy"), ("boundary_mm", "mm", "Boundary"), ("told", "", "Told"),
        )  # fmt: skip
        return build("direct_current", columns, rows)


def study_direct(net: Compiled) -> Direct:
    """Every board on a direct-current side that is in service; no supply of the network is needed, batteries hold on."""
    settings = net.network.settings.of(ArcFlashSettings)
    return Direct(net, tuple(p for e in net.elements.values() if (p := place_of(e, settings)) is not None))


def findings_of(direct: Direct, limits: Limits) -> Iterator[Finding]:
    """Energies beyond the site's limits, and places that lack data."""
    for p in direct.places:
        e, at = p.element, f"{p.element.name}, direct-current side"
        if p.lacks:
            yield Finding("arc_flash", direct.net.state, e.id, e.name, "missing", f"{at}: {p.told[0]}", check="direct current")
            continue
        if severity := energy_severity(limits, p.energy_cal_cm2):
            known = math.isfinite(p.energy_cal_cm2)
            text = f"{at}: {f(p.energy_cal_cm2, 3)} cal/cm² at {f(e.dc_distance_mm)} mm" if known else f"{at}: the arc is never cut off"
            limit = limits.energy_breach_cal_cm2
            yield Finding("arc_flash", direct.net.state, e.id, e.name, severity, f"{text}.", p.energy_cal_cm2, limit, "cal/cm²", check="direct current")


def explain_direct(state: str, p: DirectPlace) -> Working:
    """How the energy of a direct-current arc came about, by both methods."""
    e = p.element
    w = Working(f"Incident energy on the direct-current side of {e.name}, state {state}")
    v, ik_a = w.given("Udc", "direct voltage", e.v_dc_v or math.nan, "V", e.name), 1000 * (e.ik_dc_ka or math.nan)
    w.given("Ik,dc", "current of a bolted fault", ik_a / 1000, "kA", e.name)
    gap, d = w.given("G", "conductor gap", e.dc_gap_mm or math.nan, "mm", e.name), w.given("D", "working distance", e.dc_distance_mm or math.nan, "mm", e.name)
    t = w.given("t", "arc lasts", p.t_s, "s", "; ".join(p.told[1:]) or f"{e.name}, cleared in")
    w.step("Arcing current at the most power", "Iarc,1", "Ik,dc/2", f"{f(ik_a / 1000)} kA/2", p.i_power_a / 1000, "kA", "NFPA 70E, D.5")
    boxed = e.dc_board != "open air"
    numbers = f"0.01·{f(v)} V·{f(p.i_power_a)} A·{f(t)} s/({f(d / 10)} cm)²" + ("·3" if boxed else "")
    w.step("Energy by the most power", "E1", "0.01·Udc·Iarc,1·t/D²" + ("·3 in a box" if boxed else ""), numbers, p.power_cal, "cal/cm²", "NFPA 70E, D.5")
    if p.i_stokes_a is not None and p.stokes_cal is not None:
        resistance = arc_resistance_ohm(p.i_stokes_a, gap)
        source = "Stokes and Oppenlander, constants recalled, unverified"
        equation = "Udc/(Udc/Ik,dc + (20 + 0.534·G)/Iarc^0.88)"
        w.step("Arcing current by the arc's resistance", "Iarc,2", equation, f"solved with Rarc = {f(resistance)} Ω", p.i_stokes_a / 1000, "kA", source)
        a, k = REFLECTION.get(e.dc_board, (0.0, 1 / (4 * math.pi)))
        form = "Iarc,2²·Rarc·t·k/(a² + D²)" if boxed else "Iarc,2²·Rarc·t/(4π·D²)"
        w.step("Energy by the arc's resistance", "E2", form, f"a = {f(a)} mm, k = {f(k)}, t = {f(t)} s", p.stokes_cal, "cal/cm²", source)
    w.result = w.step("Incident energy", "E", "max(E1, E2)", p.governs, p.energy_cal_cm2, "cal/cm²", "", "The worse of both counts. Not covered by IEEE 1584.")
    w.unit = "cal/cm²"
    return w
