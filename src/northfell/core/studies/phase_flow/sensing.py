"""What the control of a step-voltage regulator sees: the way that power takes, and the voltage at its relay."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from northfell.core.model.elements import RegulatorUnit, StepRegulator
from northfell.core.network.phases import PhaseFlow
from northfell.core.studies.phase_flow.wide import NEXT

BACK_FROM = 0.01  # of the primary current of its transformer, or of the rated one: active current from which power flows back, our own convention
Regulated = Literal["load side", "source side", "locked"]


@dataclass(frozen=True)
class Relay:
    """The relay of a unit."""

    v_v: complex  # across the side that it regulates
    i_a: complex  # leaving that side
    drop_v: complex  # of its compensator, turned where the unit stands between phases
    pt_ratio: float
    ct_primary_a: float | None
    v_set_v: float | None
    back: bool  # power flows toward the source side
    regulates: Regulated

    @property
    def volts(self) -> float:
        """|V/PT − (R + jX)·I/CT|."""
        dropped = self.drop_v * self.i_a / self.ct_primary_a if self.ct_primary_a else 0
        return float(abs(self.v_v / self.pt_ratio - dropped))

    @property
    def short_v(self) -> float | None:
        """What the relay is short of the voltage that it is to hold; None where it moves no taps."""
        return None if self.v_set_v is None or self.regulates == "locked" else self.v_set_v - self.volts


def relay_of(flow: PhaseFlow, index: Mapping[tuple[str, str], int], e: StepRegulator, u: RegulatorUnit) -> Relay | None:
    """The relay of a unit; None where nothing feeds it or the ratio of its voltage transformer is not entered.

    In delta V stands between two phases and I is that of the first, so that the compensator is turned by the 30° between them.
    """
    n = index.get((e.to_bus, u.phase))
    if n is None or e.pt_ratio is None or not flow.fed[n]:
        return None
    turn = 0.0 if e.connection == "wye" else -30.0 if e.connection == "open delta" and u.phase == "c" else 30.0
    turned = complex(np.exp(1j * math.radians(turn)))
    v, i = _across(flow, index, e, u, e.to_bus), complex(flow.through[n])
    active_a = (v * np.conj(i * turned)).real / abs(v) if v else 0.0
    back = bool(active_a < -BACK_FROM * (e.ct_primary_a or e.i_rated_a or 0.0) and active_a < 0)
    mode = e.reverse if back else "as forward"
    drop = complex(u.drop_r_v, u.drop_x_v) if mode in ("as forward", "locked") else complex(u.drop_r_reverse_v, u.drop_x_reverse_v)
    if mode == "other side":
        v_source = _across(flow, index, e, u, e.from_bus)
        return Relay(v_source, -i, drop * turned, e.pt_ratio, e.ct_primary_a, u.v_set_reverse_v, back, "source side")
    return Relay(v, i, drop * turned, e.pt_ratio, e.ct_primary_a, u.v_set_v, back, "locked" if mode == "locked" else "load side")


def _across(flow: PhaseFlow, index: Mapping[tuple[str, str], int], e: StepRegulator, u: RegulatorUnit, bus: str) -> complex:
    """The voltage at a side that the unit stands across: to the neutral in wye, else to the next phase."""
    other = index.get((bus, "n" if e.connection == "wye" else "b" if e.connection == "open delta" else NEXT[u.phase]))
    v = complex(flow.v_v[index[bus, u.phase]])
    return v - complex(flow.v_v[other]) if other is not None else v
