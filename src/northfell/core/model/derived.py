"""Values that follow from a nameplate by one line of arithmetic, shown beside it as it is typed."""

import math
from dataclasses import dataclass

from northfell.core.model.elements import Element, InductionMotor, Infeed, Relay, SynchronousGenerator, Transformer

SQRT3 = math.sqrt(3)


@dataclass(frozen=True)
class Derived:
    """A derived value with its symbol, unit and equation."""

    label: str
    symbol: str
    value: float
    unit: str
    equation: str


def derived_of(element: Element, v_nominal_kv: float | None = None) -> list[Derived]:
    """What follows from the parameters that are given; nothing where one of them is empty.

    Parameters
    ----------
    element : Element
    v_nominal_kv : float, optional
        Nominal voltage of the bus of a one-terminal element [kV].
    """
    if isinstance(element, Transformer) and element.s_rated_mva:
        sides = ("high", element.v_hv_kv), ("low", element.v_lv_kv)
        return [Derived(f"Rated current, {side} side", "Ir", 1000 * element.s_rated_mva / (SQRT3 * u), "A", "SrT / (√3·UrT)") for side, u in sides if u]
    if isinstance(element, InductionMotor) and element.p_rated_kw and element.v_rated_kv and element.efficiency_pct and element.power_factor:
        i = element.p_rated_kw / (SQRT3 * element.v_rated_kv * element.efficiency_pct / 100 * element.power_factor)
        return [Derived("Rated current of one motor", "IrM", i, "A", "PrM / (√3·UrM·η·cosφrM)")]
    if isinstance(element, SynchronousGenerator) and element.s_rated_mva and element.v_rated_kv:
        return [Derived("Rated current", "IrG", 1000 * element.s_rated_mva / (SQRT3 * element.v_rated_kv), "A", "SrG / (√3·UrG)")]
    if isinstance(element, Infeed) and element.ik_max_ka and v_nominal_kv:
        return [Derived("Short-circuit power, maximum", "S″kQ", SQRT3 * v_nominal_kv * element.ik_max_ka, "MVA", "√3·UnQ·I″kQmax")]
    if isinstance(element, Relay) and element.ct_primary_a:
        ratio = element.ct_secondary_a / element.ct_primary_a
        stages = ("Pickup, secondary", "I>", element.i_pickup_a), ("High stage, secondary", "I≫", element.i_high_a)
        return [Derived(label, f"{symbol},s", i * ratio, "A", f"{symbol}·Isn/Ipn") for label, symbol, i in stages if i]
    return []
