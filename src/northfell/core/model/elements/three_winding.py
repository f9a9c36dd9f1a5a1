"""Three-winding transformers."""

import re
from typing import Annotated, Any, Literal

from pydantic import AfterValidator

from northfell.core.model.declare.parameters import param
from northfell.core.model.elements import tap_changer as tap
from northfell.core.model.elements.base import AF, IEC, LF, SC, About, Element, Neutral, Reference, neutral, neutral_ohm, terminal

# Declarations read as a table.
# fmt: off

CLOCK = "(0|1|2|3|4|5|6|7|8|9|10|11)"
THREE_WINDING_GROUP = re.compile(rf"^(D|YN?|ZN?)(d|yn?|zn?){CLOCK}(d|yn?|zn?){CLOCK}$")


def _group(text: str) -> str:
    if not THREE_WINDING_GROUP.match(text):
        raise ValueError("a vector group such as YNyn0d5 or Dyn11yn11")
    return text


def _s(side: str, symbol: str) -> Any:
    return param(
        None, label=f"Rated power, {side}", symbol=symbol, unit="MVA", gt=0, le=5000, needed_for=(LF, SC, AF),
        meaning=f"Rated apparent power of the {side}.",
        enters="base of the impedances of its pairs; the smaller of the two powers counts"
    )


def _v(side: str, symbol: str) -> Any:
    return param(
        None, label=f"Rated voltage, {side}", symbol=symbol, unit="kV", gt=0, le=1200, needed_for=(LF, SC, AF),
        meaning="Rated line-to-line voltage at the main tap.",
        enters="ratio of the rated voltages; Z of a pair = ukr·UrT²/SrT"
    )


def _uk(pair: str, symbol: str) -> Any:
    return param(
        None, label=f"Impedance voltage, {pair}", symbol=f"ukr {symbol}", unit="%", gt=0, le=100, section="Impedance", needed_for=(LF, SC, AF),
        meaning=f"Short-circuit voltage between {pair}, on the smaller rated power of the two; the third winding open.", source=IEC,
        enters="Z of the pair = ukr/100·UrT²/SrT, with SrT the smaller of the two"
    )


def _ur(pair: str, symbol: str) -> Any:
    return param(
        None, label=f"Resistive part, {pair}", symbol=f"uRr {symbol}", unit="%", ge=0, le=100, section="Impedance", needed_for=(LF, SC, AF),
        typical="three_winding_ur", meaning="Resistive part of that impedance voltage, on the same power.", source=IEC,
        enters="R of the pair = uRr/100·UrT²/SrT, with SrT the smaller of the two"
    )


def _z0(pair: str, symbol: str) -> Any:
    return param(
        None, label=f"Zero-sequence voltage, {pair}", symbol=f"uk0 {symbol}", unit="%", gt=0, le=200, section="Earthing",
        meaning=f"Impedance voltage in the zero sequence between {pair}, on the same power. Empty: as in the positive sequence.",
        enters="star of the zero sequence in earth faults, with the factor K of the pair"
    )


def _r0(pair: str, symbol: str) -> Any:
    return param(
        None, label=f"Its resistive part, {pair}", symbol=f"uR0 {symbol}", unit="%", ge=0, le=100, section="Earthing",
        meaning="On the same power. Empty: as in the positive sequence.", enters="R of the pair in the zero sequence"
    )


class ThreeWindingTransformer(Element):
    """A three-winding transformer."""

    TITLE, TERMINALS, LETTER = "Three-winding transformer", ("hv_bus", "mv_bus", "lv_bus"), "T"
    ABOUT = About(
        group="Transformers", short="Three-w.", words={"tx3": {}}, example="tx3 132/33/11 60/60/20 MVA 12/18/6% YNyn0d11",
        typed={"resistance": "neutral_mv_ohm"}, data=(("s_hv_mva", "MVA"), ("vector_group", ""))
    )
    kind: Literal["three_winding_transformer"] = "three_winding_transformer"
    hv_bus: Reference = terminal("High-voltage side", "Bus at the high-voltage terminals.")
    mv_bus: Reference = terminal("Medium-voltage side", "Bus at the medium-voltage terminals.")
    lv_bus: Reference = terminal("Low-voltage side", "Bus at the low-voltage terminals.")
    s_hv_mva: float | None = _s("high side", "SrTA")
    s_mv_mva: float | None = _s("medium side", "SrTB")
    s_lv_mva: float | None = _s("low side", "SrTC")
    v_hv_kv: float | None = _v("high side", "UrTA")
    v_mv_kv: float | None = _v("medium side", "UrTB")
    v_lv_kv: float | None = _v("low side", "UrTC")
    vector_group: Annotated[str, AfterValidator(_group)] | None = param(
        None, label="Vector group", needed_for=(LF, SC, AF), typical="three_winding_group", source="IEC 60076-1",
        meaning="Connections with the clock numbers of the medium and the low side, such as YNyn0d5.",
        enters="phase shift e^(j·30°·clock) in load flow"
    )
    uk_hv_mv_pct: float | None = _uk("high and medium side", "AB")
    uk_hv_lv_pct: float | None = _uk("high and low side", "AC")
    uk_mv_lv_pct: float | None = _uk("medium and low side", "BC")
    ur_hv_mv_pct: float | None = _ur("high and medium side", "AB")
    ur_hv_lv_pct: float | None = _ur("high and low side", "AC")
    ur_mv_lv_pct: float | None = _ur("medium and low side", "BC")
    no_load_loss_kw: float | None = param(
        None, label="No-load losses", symbol="P0", unit="kW", ge=0, le=5000, section="Impedance", meaning="Losses in the core. Empty: left out of load flow.",
        enters="magnetising branch: G = P0/UrT²"
    )
    no_load_current_pct: float | None = param(
        None, label="No-load current", symbol="i0", unit="%", ge=0, le=50, section="Impedance",
        meaning="Magnetising current in percent of the rated current of the high side. Empty: left out of load flow.",
        enters="magnetising branch: B = −√(i0² − g²)·SrT/UrT²"
    )
    tap_pct: float = tap.tap_pct()
    tap_changer: Literal["off load", "holds voltage", "holds reactive flow", "follows another"] = tap.tap_changer()
    tap_lowest_pct: float | None = tap.tap_lowest_pct()
    tap_highest_pct: float | None = tap.tap_highest_pct()
    tap_step_pct: float | None = tap.tap_step_pct()
    tap_held: Literal["low side", "medium side", "high side", "another bus"] = tap.tap_held()
    tap_bus: Reference | None = tap.tap_bus()
    tap_v_set_pu: float = tap.tap_v_set_pu()
    tap_band_pct: float = tap.tap_band_pct()
    tap_drop_r_ohm: float = tap.tap_drop_ohm("resistance", "R")
    tap_drop_x_ohm: float = tap.tap_drop_ohm("reactance", "X")
    tap_circulating_pct: float = tap.tap_circulating_pct()
    tap_q_set_mvar: float = tap.tap_q_set_mvar()
    tap_q_band_mvar: float = tap.tap_q_band_mvar()
    tap_master: Reference | None = tap.tap_master()
    neutral_hv: Neutral | None = neutral("Star point, high side", "How the high-side star point is earthed.")
    neutral_hv_ohm: float | None = neutral_ohm("Earthing impedance, high side", "neutral_hv")
    neutral_mv: Neutral | None = neutral("Star point, medium side", "How the medium-side star point is earthed.")
    neutral_mv_ohm: float | None = neutral_ohm("Earthing impedance, medium side", "neutral_mv")

    neutral_lv: Neutral | None = neutral("Star point, low side", "How the low-side star point is earthed.")
    neutral_lv_ohm: float | None = neutral_ohm("Earthing impedance, low side", "neutral_lv")
    uk0_hv_mv_pct: float | None = _z0("high and medium side", "AB")
    uk0_hv_lv_pct: float | None = _z0("high and low side", "AC")
    uk0_mv_lv_pct: float | None = _z0("medium and low side", "BC")
    ur0_hv_mv_pct: float | None = _r0("high and medium side", "AB")
    ur0_hv_lv_pct: float | None = _r0("high and low side", "AC")
    ur0_mv_lv_pct: float | None = _r0("medium and low side", "BC")

    @property
    def clocks(self) -> tuple[int, int]:
        """Clock numbers of the medium and the low side; 0 while the vector group is not known."""
        match = THREE_WINDING_GROUP.match(self.vector_group or "")
        return (int(match[3]), int(match[5])) if match else (0, 0)
