"""Static motor start: the voltage everywhere while one motor starts and the others run."""

import math
from dataclasses import dataclass

import numpy as np

from northfell.core.errors import CannotRun
from northfell.core.model.elements import InductionMotor, SynchronousMotor
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.network import Compiled
from northfell.core.studies.load_flow.carried import carried
from northfell.core.studies.load_flow.controls import Controls, ReactiveLimits
from northfell.core.studies.load_flow.injections import one_motor
from northfell.core.studies.load_flow.judging import start_severity
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.solve import case_of
from northfell.core.studies.load_flow.sources import STUDY
from northfell.core.tables import Cell, Table, build

Motor = InductionMotor | SynchronousMotor


@dataclass(frozen=True)
class Drawn:
    """What a motor asks for at rated voltage while it starts, and how that depends on the voltage."""

    s_mva: complex
    exponent: int  # 0 constant power, 1 constant current, 2 constant impedance
    by: str  # in words


@dataclass(frozen=True)
class MotorStart:
    """The network before and while a motor starts."""

    motor: Motor
    drawn: Drawn
    before: LoadFlow
    during: LoadFlow

    @property
    def terminal_pct(self) -> float:
        """Voltage at the motor while it starts, of nominal."""
        return 100 * abs(self.during.voltage(self.motor.bus))

    def worst_dip(self) -> tuple[str, float]:
        """The other bus whose voltage falls most, and by how much of nominal [%]."""
        dips = {bus: dip for bus, dip in self.dips().items() if bus != self.motor.bus}
        worst = max(dips, key=lambda bus: dips[bus], default="")
        return worst, dips.get(worst, 0.0)

    def dips(self) -> dict[str, float]:
        """Fall of the voltage of each fed bus, of nominal [%]."""
        ids = self.before.net.topology.bus_ids
        fall = 100 * (np.abs(self.before.v) - np.abs(self.during.v))
        return {bus: float(dip) for bus, dip in zip(ids, fall, strict=True) if math.isfinite(dip)}

    def accepted(self, limits: Limits) -> list[str]:
        """What speaks against the start, in words; empty where it is within the limits."""
        told = []
        if start_severity(limits, True, self.terminal_pct, 0.0):
            told.append(f"{self.motor.name} has {self.terminal_pct:.1f} % at its terminals, accepted is {limits.start_voltage_pct:g} % or more.")
        bus, dip = self.worst_dip()
        if start_severity(limits, False, 100.0, dip):
            told.append(f"The voltage of {self.before.net.name(bus)} falls by {dip:.1f} %, accepted is at most {limits.start_dip_pct:g} %.")
        return told

    def table(self) -> Table:
        """Voltages before and during the start."""
        net = self.before.net
        rows: list[tuple[Cell, ...]] = [
            (net.state, self.motor.name, net.name(bus), abs(self.before.voltage(bus)), abs(self.during.voltage(bus)), dip) for bus, dip in self.dips().items()
        ]
        columns = (
    ("state", "", "State"), ("motor", "", "Motor that starts"), ("bus", "", "Bus"), ("v_before_pu", "p.u.", "Before"),
            ("v_during_pu", "p.u.", "During"), ("dip_pct", "%", "Fall"),
        )  # fmt: skip
        return build("start", columns, rows)


def start(net: Compiled, motor_id: str) -> MotorStart:
    """Start one motor; where its symbol stands for several that run, the others keep running.

    Taps and capacitor steps stay where they stood before: they are too slow to help. Machines hold their voltage within their reactive limits.

    Raises
    ------
    CannotRun
        If the element is no motor, is not fed, or lacks what its start needs.
    NoSolution
        If there are no voltages at which it could start.
    """
    motor = net.elements.get(motor_id)
    if not isinstance(motor, InductionMotor | SynchronousMotor):
        raise CannotRun(STUDY, [f"{title_of(motor) if motor else motor_id} is no motor; accepted is an induction or synchronous motor."])
    if motor_id not in net.taking_part:
        raise CannotRun(STUDY, [f"{title_of(motor)} is not fed in this state: it cannot start."])
    drawn = drawn_at_start(motor)
    case = case_of(net)
    if motor_id not in case.net.taking_part:
        raise CannotRun(STUDY, case.net.held_back_told)
    net = case.net
    at = next(i for i, m in enumerate(net.motors) if m.id == motor_id)
    runs = motor.drawn_factor * net.factor_of(motor)
    if runs > 0:
        case.motors_draw[at, 0] -= one_motor(motor) * runs / net.s_base_mva  # before it starts it does not run
    v = Controls(case).settled()
    before = carried(case, v)
    over_rated = float(net.v_nominal_kv[net.topology.bus_index[motor.bus]]) / (motor.v_rated_kv or math.nan)
    case.motors_draw[at, drawn.exponent] += drawn.s_mva * over_rated**drawn.exponent / net.s_base_mva
    during = ReactiveLimits(case).from_where_it_stood(v)  # voltage regulators are quick enough to act, within their limits
    return MotorStart(motor, drawn, before, carried(case, during))


def drawn_at_start(m: Motor) -> Drawn:
    r"""What one motor asks for at its rated voltage when it starts.

    .. math:: S = S_{rM}\,I_{LR}/I_{rM}, \quad \cos\varphi = \frac{R_M/X_M}{\sqrt{1 + (R_M/X_M)^2}}

    Star-delta draws a third of it, an autotransformer the square of its tap; a soft starter holds its current; a drive draws the
    rated power. A synchronous motor is taken with its subtransient reactance.

    Raises
    ------
    CannotRun
        If the locked-rotor current, the ratio R/X or the rated voltage is not known.
    """
    lacking = [] if m.v_rated_kv is not None else ["v_rated_kv"]
    rated = one_motor(m)
    if isinstance(m, SynchronousMotor):
        lacking += ["xd2_pct"] if m.xd2_pct is None else []
        ilr, r_over_x, by = 100 / (m.xd2_pct or math.nan), 0.1, "direct, through its subtransient reactance"
        scale, exponent = 1.0, 2
    else:
        if m.starter in ("drive", "regenerative drive"):
            return Drawn(complex(rated.real, 0.0), 0, "through a drive: the rated power")
        lacking += [f for f in ("ilr_over_ir", "r_over_x") if getattr(m, f) is None]
        ilr, r_over_x = m.ilr_over_ir or math.nan, m.r_over_x or 0.0
        scale, exponent, by = {
            "direct": (1.0, 2, "direct on line"),
            "star-delta": (1 / 3, 2, "in star: a third of the direct current"),
            "autotransformer": ((m.start_tap_pct / 100) ** 2, 2, f"autotransformer at {m.start_tap_pct:g} %"),
            "soft starter": (m.start_current / ilr, 1, f"soft starter that holds {m.start_current:g} times the rated current"),
        }[m.starter]
        if m.starter == "soft starter" and scale >= 1:  # it never comes to hold anything back
            told = f"soft starter set to {m.start_current:g} times the rated current, above the locked-rotor current of {ilr:g}: as direct on line"
            scale, exponent, by = 1.0, 2, told
    if lacking:
        raise CannotRun(STUDY, [f"{title_of(m)}: {field} is empty; a start needs it. A typical value can be filled in." for field in lacking])
    cos = r_over_x / math.hypot(1.0, r_over_x)
    s = abs(rated) * ilr * scale
    return Drawn(complex(s * cos, s * math.sqrt(1 - cos**2)), exponent, by)
