"""The tap changer of a transformer: what it holds, in which steps, and how far it goes. Both kinds of transformer declare it with these."""

import math
from typing import Any

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.elements.base import LF

# Declarations read as a table.
# fmt: off

HOLDS_VOLTAGE = When("tap_changer", ("holds voltage",))
HOLDS_FLOW = When("tap_changer", ("holds reactive flow",))
FOLLOWS = When("tap_changer", ("follows another",))
ON_LOAD = When("tap_changer", ("holds voltage", "holds reactive flow", "follows another"))


def tap_pct() -> Any:
    return param(
        0.0, label="Tap", unit="%", ge=-30, le=30, section="Operation", in_state=True,
        meaning="Change of the voltage of the side with the taps at the tap in use; where the tap changer regulates, the position it starts from. "
        "Faults take the main tap.",
        enters="ratio t = (UrTHV/UrTLV)·(1 + tap/100), load flow"
    )


def tap_side() -> Any:
    return param(
        "high side", label="Taps on the", section="Tap changer", meaning="The winding whose voltage a tap changes.",
        enters="t·(1 + tap/100) with taps on the high side, t/(1 + tap/100) on the low side"
    )


def tap_ratio(side: str, tap_pct: float) -> float:
    """What a tap makes of the ratio of high to low side."""
    return 1 + tap_pct / 100 if side == "high side" else 1 / (1 + tap_pct / 100)


def positions_of(e: Any) -> tuple[int, int, int] | None:
    """Lowest position of a tap changer, the one it starts from, and the highest, in steps from the main tap; None where they are not entered."""
    if None in (e.tap_lowest_pct, e.tap_highest_pct, e.tap_step_pct):
        return None
    low, high = math.ceil(e.tap_lowest_pct / e.tap_step_pct - 1e-9), math.floor(e.tap_highest_pct / e.tap_step_pct + 1e-9)
    return low, min(max(round(e.tap_pct / e.tap_step_pct), low), high), high


def tap_changer() -> Any:
    return param(
        "off load", label="Tap changer", section="Tap changer", in_state=True,
        meaning="Off load: stays where it is set. On load it steps until the voltage, or the reactive flow into the high side, stands within its band; "
        "or it follows the position of another, beside which it runs in parallel.",
        enters="whether load flow steps the tap"
    )


def _position(label: str, meaning: str, typical: str) -> Any:
    return param(
        None, label=label, unit="%", ge=-40, le=40, section="Tap changer", needed_for=(LF,), acts_when=ON_LOAD, typical=typical, meaning=meaning,
        enters="positions between lowest and highest, a step apart, counted from the main tap"
    )


def tap_lowest_pct() -> Any:
    return _position("Lowest position", "Change of the high-side voltage at the lowest position.", "tap_lowest")


def tap_highest_pct() -> Any:
    return _position("Highest position", "Change of the high-side voltage at the highest position.", "tap_highest")


def tap_step_pct() -> Any:
    return param(
        None, label="Step", unit="%", gt=0, le=10, section="Tap changer", needed_for=(LF,), acts_when=ON_LOAD, typical="tap_step",
        meaning="Change of the high-side voltage from one position to the next.", enters="positions between lowest and highest, a step apart"
    )


def tap_held() -> Any:
    return param(
        "low side", label="Holds the voltage of", section="Tap changer", acts_when=HOLDS_VOLTAGE, meaning="Where the voltage is measured.",
        enters="the bus whose voltage is held"
    )


def tap_bus() -> Any:
    return param(
        None, label="That bus", section="Tap changer", refers_to=("bus",), needed_for=(LF,),
        acts_when=(HOLDS_VOLTAGE, When("tap_held", ("another bus",))), meaning="A bus elsewhere whose voltage is held.",
        enters="the bus whose voltage is held"
    )


def tap_v_set_pu() -> Any:
    return param(
        1.0, label="Voltage held", symbol="U", unit="p.u.", gt=0.5, lt=1.5, section="Tap changer", in_state=True, acts_when=HOLDS_VOLTAGE,
        meaning="Middle of the band, of the nominal voltage of that bus.", enters="steps while |U − U held| is beyond the band"
    )


def tap_band_pct() -> Any:
    return param(
        1.0, label="Band", unit="%", gt=0, le=20, section="Tap changer", acts_when=HOLDS_VOLTAGE,
        meaning="To either side of the voltage held. Narrower than a step, the changer may find no place to rest; load flow says so.",
        enters="steps while |U − U held| is beyond the band"
    )


def tap_drop_ohm(part: str, symbol: str) -> Any:
    return param(
        0.0, label=f"Line-drop compensation, {part}", symbol=symbol, unit="ohm", ge=-100, le=100, section="Tap changer",
        acts_when=(HOLDS_VOLTAGE, When("tap_held", ("high side", "medium side", "low side"))),
        meaning=f"{part.capitalize()} of the line to the place whose voltage matters, at the voltage of the held side; 0: none.",
        enters="held is |U − √3·(R + jX)·I|, I the current out of that side"
    )


def tap_master() -> Any:
    return param(
        None, label="Follows", section="Tap changer", refers_to=("transformer", "three_winding_transformer", "autotransformer"), needed_for=(LF,),
        acts_when=FOLLOWS, meaning="The transformer whose position it takes, counted in steps from the main tap, as far as its own range goes.",
        enters="position = that of the other"
    )


def tap_circulating_pct() -> Any:
    return param(
        0.0, label="Against circulating current", unit="%", ge=0, le=50, section="Tap changer",
        acts_when=(HOLDS_VOLTAGE, When("tap_held", ("high side", "medium side", "low side"))),
        meaning="What it reads beside the voltage: this much of nominal for a circulating current as large as its rated one, so that tap changers that hold "
        "the same bus come together. Share by rated power among those at the bus that have it. 0: it does not act.",
        enters="held is |U| + k·(reactive current given beside its share)/Ir"
    )


def tap_q_set_mvar() -> Any:
    return param(
        0.0, label="Reactive flow held", symbol="Q", unit="Mvar", ge=-5000, le=5000, section="Tap changer", in_state=True, acts_when=HOLDS_FLOW,
        meaning="Into the high side; negative: out of it.", enters="steps while |Q − Q held| is beyond the band"
    )


def tap_q_band_mvar() -> Any:
    return param(
        0.5, label="Band of that flow", unit="Mvar", gt=0, le=5000, section="Tap changer", acts_when=HOLDS_FLOW, meaning="To either side of the flow held.",
        enters="steps while |Q − Q held| is beyond the band"
    )


__all__ = [
    "positions_of",
    "tap_band_pct", "tap_bus", "tap_changer", "tap_circulating_pct", "tap_drop_ohm", "tap_held", "tap_highest_pct", "tap_lowest_pct", "tap_master",
    "tap_pct", "tap_q_band_mvar", "tap_q_set_mvar", "tap_ratio", "tap_side", "tap_step_pct", "tap_v_set_pu",
]  # fmt: skip
