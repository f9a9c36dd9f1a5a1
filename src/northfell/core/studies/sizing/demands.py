"""What a circuit must carry: design currents of consumers, boards, transformers and sources, and the same as the NEC counts it."""

import math
from collections.abc import Iterable
from dataclasses import dataclass

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.model.elements import (  # fmt: skip
    CapacitorBank,
    Compensation,
    Element,
    InductionMotor,
    Inverter,
    StaticLoad,
    SynchronousGenerator,
    SynchronousMotor,
    Transformer,
)
from northfell.core.model.elements.consumers import Consumer, motor_mva
from northfell.core.studies.sizing.circuit import NecLoad

SQRT3 = math.sqrt(3)
CAPACITOR_IEC, CAPACITOR_NEC = 1.3 * 1.1, 1.35  # IEC 60831-1: harmonics and tolerance; NEC 460.8
HP_KW = 0.7457
Motor = InductionMotor | SynchronousMotor
DRIVES = ("drive", "regenerative drive", "soft starter")


@dataclass(frozen=True)
class Demand:
    """What is drawn, or delivered, at a place, for which it is sized."""

    s_mva: complex  # active and reactive part together
    told: str
    lacks: str = ""

    def i_a(self, u_v: float) -> float:
        return abs(self.s_mva) * 1e6 / (SQRT3 * u_v)

    @property
    def cosphi(self) -> float:
        return abs(self.s_mva.real) / abs(self.s_mva) if abs(self.s_mva) else 1.0


def at_nameplate(m: Motor, u_v: float) -> float:
    """What makes of a power at the nominal voltage the current of the nameplate, which is at the motor's own; no less than at the nominal one."""
    return max(u_v / (1000 * m.v_rated_kv), 1.0) if m.v_rated_kv else 1.0


def motor_rated_mva(m: Motor) -> complex | None:
    """Rated power of all motors of a symbol [MVA]; None where something of it is not given."""
    s = motor_mva(m)
    if s is None or not m.power_factor:
        return None
    return complex(s * m.power_factor, s * math.sqrt(1 - m.power_factor**2)) * m.count


def of_element(e: Element, u_v: float | None = None, nec: bool = False) -> Demand | None:
    """The design demand of one element by its nameplate; None of what draws and delivers nothing.

    With a nominal voltage motors are taken as so much power there as gives their nameplate's current.
    """
    if isinstance(e, InductionMotor | SynchronousMotor):
        s = motor_rated_mva(e)
        part = at_nameplate(e, u_v) if u_v else 1.0
        return Demand(s * part, f"{e.name}, rated current{_times(e.count)}") if s is not None else _lacks(e, "its rated power, efficiency and power factor")
    if isinstance(e, StaticLoad):
        if e.by_phase:
            return _lacks(e, "a power of three phases alike: it is given by phase")
        if e.p_mw is None or e.q_mvar is None:
            return _lacks(e, "its power")
        return Demand(complex(e.p_mw, e.q_mvar) * e.demand_factor, f"{e.name}, power at nominal voltage, demand factor {e.demand_factor:g}")
    if isinstance(e, Compensation):
        factor = CAPACITOR_NEC if nec else CAPACITOR_IEC
        q = abs(e.drawn_with(e.steps).imag) if isinstance(e, CapacitorBank) else abs(e.s_drawn_mva.imag)
        return Demand(complex(0, q * factor), f"{e.name}, {factor:g} times its rated current")
    if isinstance(e, Transformer):
        s_max = max((s for s in (e.s_rated_mva, e.s_forced_mva) if s), default=None)
        return Demand(complex(s_max * e.parallel), f"{e.name}, rated current") if s_max else _lacks(e, "its rated power")
    if isinstance(e, SynchronousGenerator | Inverter):
        return Demand(complex(e.s_rated_mva * getattr(e, "count", 1)), f"{e.name}, rated current") if e.s_rated_mva else _lacks(e, "its rated power")
    return None


def _same(m: Motor, u_v: float | None) -> bool:
    """Whether a motor stands at about a nominal voltage, not behind a transformer."""
    return bool(u_v and m.v_rated_kv and 0.8 < 1000 * m.v_rated_kv / u_v < 1.25)


def _lacks(e: Element, what: str) -> Demand:
    return Demand(0j, "", f"{e.name}: {what}")


def _times(count: int) -> str:
    return f", {count} of them" if count > 1 else ""


def of_board(below: Iterable[Element], u_v: float | None = None) -> Demand:
    """The sum of the demands of what runs, each with its demand factor over its diversity factor; or of what delivers, where that is more."""
    drawn, given, lacks, count = 0j, 0.0, "", 0
    for e in below:
        one = of_element(e, u_v if isinstance(e, InductionMotor | SynchronousMotor) and _same(e, u_v) else None)
        if one is None or isinstance(e, Transformer | Compensation):
            continue
        if isinstance(e, Consumer):
            if e.runs:
                part = 1.0 if isinstance(e, StaticLoad) else e.demand_factor  # of a load it is in its own demand
                drawn += one.s_mva * part / e.diversity_factor
                lacks, count = lacks or one.lacks, count + 1
        else:
            given += abs(one.s_mva)
            lacks, count = lacks or one.lacks, count + 1
    told = f"sum of {count} demands, each with its demand and diversity factor" if count != 1 else "the one demand, with its factors"
    return Demand(drawn if abs(drawn) >= given else complex(given), told, lacks)


# --- as the NEC counts


def table_amperes(m: Motor, u_v: float) -> float | None:
    """Full-load current of one motor by NEC 430.250, at the next rated power; None where it has no row, or is a motor of another kind."""
    if m.p_rated_kw is None or isinstance(m, SynchronousMotor) or m.starter in DRIVES:
        return None
    column = _column(u_v)
    hp = m.p_rated_kw / HP_KW
    row = next((a for rated, a in tables.nec_motor_amperes() if rated >= hp * 0.995), None)  # 37.3 kW are 50 hp
    return row.get(column) if row and column else None


def _column(u_v: float) -> int | None:
    """Rated voltage of motors on a system of a nominal voltage."""
    for most, column in ((205, 200), (215, 208), (250, 230), (500, 460), (610, 575)):
        if u_v <= most:
            return column if u_v >= 190 else None
    return 2300 if 2100 <= u_v <= 2500 else None


def nec_motor(m: Motor, u_v: float) -> tuple[float | None, float | None, str]:
    """Current by which one motor is sized, its nameplate current, and where the first is from."""
    s = motor_mva(m)
    nameplate = s * 1e6 / (SQRT3 * u_v) * (at_nameplate(m, u_v) if _same(m, u_v) else 1.0) if s else None
    listed = table_amperes(m, u_v)
    if listed is not None:
        return listed, nameplate, "NEC 430.250"
    why = "through a drive or soft starter" if isinstance(m, InductionMotor) and m.starter in DRIVES else "no row of NEC 430.250"
    return nameplate, nameplate, f"nameplate current ({why})"


def nec_load(below: Iterable[Element], u_v: float, alone: bool) -> tuple[NecLoad, str]:
    """Continuous, other and motor load of what hangs on a circuit, and what of it is not known.

    What stands by counts where the circuit feeds it `alone`, not among others.
    """
    continuous = other = 0.0
    motors: list[float] = []
    nameplate: float | None = None
    lacks = ""
    for e in below:
        if isinstance(e, Consumer) and not e.runs and not alone:
            continue
        if isinstance(e, InductionMotor | SynchronousMotor):
            amperes, nameplate, _ = nec_motor(e, u_v)
            if amperes is None:
                lacks = lacks or f"{e.name}: its rated power, efficiency and power factor"
                continue
            motors += [amperes] * e.count
            nameplate = nameplate * e.count if nameplate is not None else None
        elif isinstance(e, StaticLoad):
            one = of_element(e)
            if one is None or one.lacks:
                lacks = lacks or (one.lacks if one else "")
                continue
            a = one.i_a(u_v) / e.diversity_factor
            share = (100.0 if e.continuous_pct is None else e.continuous_pct) / 100
            continuous, other = continuous + a * share, other + a * (1 - share)
    motors.sort(reverse=True)
    largest = motors[0] if motors else 0.0
    return NecLoad(continuous, other, largest, sum(motors[1:]), nameplate), lacks
