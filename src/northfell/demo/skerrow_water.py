"""Skerrow Water: an invented raw-water intake and treatment works. Every name and figure is made up."""

from typing import Any

from northfell.core.model.network import Network, OperatingState, Placement, Sheet, check_network, element_from
from northfell.core.model.settings import ProjectSettings
from northfell.core.rules.typical import typical_for_missing

# a transformer's feeder and its low-voltage main stand in series: whichever opens, the same hall is without supply
SETTINGS = {
    "frequency_hz": 50, "coordination": {"in_series": "not required"}, "sizing": {"drop_feeder_pct": 4.0, "drop_total_pct": 8.0, "drop_lighting_pct": 6.0},
}  # fmt: skip


class _Drawing:
    """Collects elements with their places on the sheet."""

    def __init__(self) -> None:
        self.raw: list[dict[str, Any]] = []
        self.places: dict[str, Placement] = {}

    def add(self, kind: str, name: str, x: float | None = None, y: float = 0.0, width: float = 0.0, **values: Any) -> None:
        self.raw.append({"kind": kind, "id": name, "name": name, **values})
        if x is not None:
            self.places[name] = Placement(x=x, y=y, width=width)

    def junction(self, name: str, kv: float, x: float, y: float) -> str:
        self.add("bus", name, x, y, v_nominal_kv=kv, bus_kind="junction")
        return name


def skerrow_water() -> Network:
    """The network with its five states and one sheet."""
    d = _Drawing()
    _intake(d)
    _board_11kv(d)
    _pumps(d)
    _filter_hall(d)
    _ozone_hall(d)
    _standby(d)
    _solar(d)
    elements = {raw["id"]: element_from(raw) for raw in d.raw}
    for element_id, element in list(elements.items()):  # what no nameplate carries is typical, and marked so
        found = typical_for_missing(elements, element)
        values = {field: one.value for field, one in found.items()}
        elements[element_id] = element.model_copy(update={**values, "assumed": {field: one.source for field, one in found.items()}})
    network = Network(
        name="Skerrow Water", states=STATES, sheets=[Sheet(name="Whole works", placements=d.places)], settings=ProjectSettings.model_validate(SETTINGS)
    ).model_copy(update={"elements": elements})
    check_network(network)
    return network


# Invented nameplates; board A is older than the standby set, and too weak while that runs beside the public network.
AT_33_KV: dict[str, Any] = {"rated_by": "IEC 62271-100", "i_breaking_ka": 25.0, "i_short_time_ka": 25.0, "t_short_time_s": 3.0}
AT_11_KV: dict[str, Any] = {"rated_by": "IEC 62271-100", "i_breaking_ka": 8.0, "i_short_time_ka": 8.0, "t_short_time_s": 3.0}
OLD_BOARD: dict[str, Any] = {"rated_by": "IEC", "i_short_time_ka": 6.56, "t_short_time_s": 1.0, "i_peak_ka": 16.4}


def _icu(ka: float) -> dict[str, Any]:
    return {"rated_by": "IEC 60947-2", "i_breaking_ka": ka}


def _icw(ka: float, peak_ka: float) -> dict[str, Any]:
    return {"rated_by": "IEC", "i_short_time_ka": ka, "i_peak_ka": peak_ka}


OFF: dict[str, Any] = {"closed": False}
ON: dict[str, Any] = {"closed": True}
RUNNING: dict[str, Any] = {"in_service": True}
STATES = [
    OperatingState(name="Tie closed, T2 out", differences={"Q10": ON, "Q2": OFF, "Q12": OFF, "C1": {"steps_in": 1}}),
    OperatingState(
        name="Standby generator alone",
        differences={
            "Q1": OFF, "Q11": OFF, "Q2": OFF, "Q12": OFF, "Q10": ON, "Q27": ON, "Standby set": {**RUNNING, "mode": "reference"}, "Q22": OFF, "Q23": OFF,
            "Q28": OFF, "Solar roof": {"in_service": False}, "C1": {"steps_in": 0}, "Q312": OFF, "Hall services": {"load_factor": 0.2},
            "Ozone plant": {"load_factor": 0.4},
        },
    ),
    OperatingState(name="Generator in parallel", differences={"Q27": ON, "Standby set": {**RUNNING, "mode": "voltage", "p_mw": 1.6}}),
    OperatingState(
        name="Night filling",
        differences={
            "P4": RUNNING, "Solar roof": {"p_mw": 0.0}, "Hall services": {"load_factor": 0.4}, "Ozone plant": {"load_factor": 0.6},
            "Blowers": {"load_factor": 0.6},
        },
    ),
]  # fmt: skip


def _intake(d: _Drawing) -> None:
    d.add("bus", "33 kV intake", 12, 7, 60, v_nominal_kv=33.0, rated_by="IEC", i_short_time_ka=25.0, t_short_time_s=3.0, i_peak_ka=62.5)
    for letter, x, closed in (("A", 34.0, True), ("B", 50.0, False)):  # the second infeed stands by, its breaker open
        at = d.junction(f"Infeed {letter} end", 33.0, x, 1)
        d.add("infeed", f"Infeed {letter}", x, -2.5, bus=at, ik_max_ka=10.8, ik_min_ka=7.6, r_over_x=0.12, v_set_pu=1.01)
        d.add("breaker", f"Q0{letter}", x, 4, from_bus=at, to_bus="33 kV intake", i_rated_a=630.0, closed=closed, design="withdrawable", **AT_33_KV)
    for n, x in ((1, 20.0), (2, 64.0)):
        hv, lv = d.junction(f"T{n} HV", 33.0, x, 12), d.junction(f"T{n} LV", 11.0, x, 18)
        d.add("breaker", f"Q{n}", x, 10, from_bus="33 kV intake", to_bus=hv, i_rated_a=630.0, **AT_33_KV)
        d.add(
            "transformer", f"T{n}", x, 15, hv_bus=hv, lv_bus=lv, s_rated_mva=10.0, v_hv_kv=33.0, v_lv_kv=11.0, vector_group="Dyn11", uk_pct=10.0,
            load_loss_kw=54.0, no_load_loss_kw=8.0, no_load_current_pct=0.4, neutral_lv="resistor", neutral_lv_ohm=16.0,
        )  # fmt: skip
        board = "11 kV board A" if n == 1 else "11 kV board B"
        d.add("breaker", f"Q1{n}", x, 20, from_bus=lv, to_bus=board, i_rated_a=800.0, t_break_s=0.06, **AT_11_KV)
        d.add(
            "relay", f"B{n}", x - 4, 10, breaker=f"Q{n}", ct_primary_a=300.0, curve="IEC_SI", i_pickup_a=240.0, time_multiplier=0.25, i_high_a=3600.0,
            t_high_s=0.05,
        )  # fmt: skip
        d.add("relay", f"B1{n}", x - 4, 20, breaker=f"Q1{n}", ct_primary_a=800.0, curve="IEC_SI", i_pickup_a=660.0, time_multiplier=0.18)


def _board_11kv(d: _Drawing) -> None:
    box = {"v_nominal_kv": 11.0, "equipment_class": "15 kV switchgear", "electrode_configuration": "VCB", **OLD_BOARD}
    d.add("bus", "11 kV board A", -11, 23, 51, main="Q11", **box)
    d.add("bus", "11 kV board B", 48, 23, 61, main="Q12", **box)
    d.add("breaker", "Q10", 44, 23, from_bus="11 kV board A", to_bus="11 kV board B", closed=False, i_rated_a=800.0, **AT_11_KV)
    d.places["Q10"] = Placement(x=44, y=23, turn=1)
    d.add("capacitor_bank", "C1", 73, 28, bus="11 kV board B", q_step_mvar=0.3, steps=2)
    for letter, x in (("A", 22.0), ("B", 66.5)):
        d.add("voltage_transformer", f"BV{letter}", x, 27, bus=f"11 kV board {letter}", v_primary_kv=11.0, accuracy_class="0.5 3P")


def _pumps(d: _Drawing) -> None:
    for n, board, x in ((1, "A", 7.0), (2, "A", 16.0), (3, "B", 52.0), (4, "B", 61.0)):
        at = d.junction(f"P{n} feeder", 11.0, x, 28)
        d.add("breaker", f"Q2{n}", x, 26, from_bus=f"11 kV board {board}", to_bus=at, i_rated_a=630.0, t_break_s=0.06, **AT_11_KV)
        d.add(
            "relay", f"B2{n}", x - 4, 26, breaker=f"Q2{n}", ct_primary_a=100.0, curve="IEC_VI", i_pickup_a=75.0,
            time_multiplier=0.3, i_high_a=700.0, t_high_s=0.05,
        )  # fmt: skip
        d.add(
            "induction_motor", f"P{n}", x, 31, bus=at, p_rated_kw=900.0, v_rated_kv=11.0, efficiency_pct=95.4, power_factor=0.87, pole_pairs=2,
            t_start_s=1.0, t_stall_s=8.0, ilr_over_ir=5.5, load_factor=0.92, **({"in_service": False} if n == 4 else {}),
        )  # fmt: skip


def _substation(d: _Drawing, *, x: float, board: str, feeder: str, cable: str, tx: str, main: str, lv_board: str, s_mva: float, length_m: float) -> None:
    """From an 11 kV feeder through a cable and a transformer to the main of a low-voltage board."""
    a, b, c = (d.junction(f"{cable} {end}", 11.0, x, y) for end, y in (("near", 28.0), ("far", 35.0), ("LV", 43.0)))
    d.raw[-1]["v_nominal_kv"] = 0.4
    i_n = s_mva / (3**0.5 * 11) * 1000
    d.add("breaker", feeder, x, 26, from_bus=f"11 kV board {board}", to_bus=a, i_rated_a=630.0, t_break_s=0.06, **AT_11_KV)
    d.add(
        "relay", f"B{feeder[1:]}", x - 4, 26, breaker=feeder, ct_primary_a=150.0, curve="IEC_EI", i_pickup_a=round(1.3 * i_n), time_multiplier=0.35,
        i_high_a=round(15 * i_n, -1), t_high_s=0.05,
    )  # fmt: skip
    d.add(
        "cable", cable, x, 31.5, from_bus=a, to_bus=b, length_m=length_m, conductor="aluminium", area_mm2=95.0, insulation="XLPE", x_ohm_per_km=0.112,
        c_uf_per_km=0.29, i_rated_a=195.0, t_operating_degc=70.0,
    )  # fmt: skip
    d.add(
        "transformer", tx, x, 39, hv_bus=b, lv_bus=c, s_rated_mva=s_mva, v_hv_kv=11.0, v_lv_kv=0.42, vector_group="Dyn11", uk_pct=6.0,
        load_loss_kw={2.0: 18.0, 1.0: 10.5}[s_mva], no_load_loss_kw={2.0: 1.45, 1.0: 0.77}[s_mva], neutral_lv="solid",
    )  # fmt: skip
    ir = {2.0: 2750.0, 1.0: 1375.0}[s_mva]
    d.add(
        "breaker", main, x, 45, from_bus=c, to_bus=lv_board, i_rated_a={2.0: 3200.0, 1.0: 1600.0}[s_mva], trip="electronic", trip_ir_a=ir,
        trip_tr_s=8.0, trip_isd_a=ir * 4, trip_tsd="0.4" if s_mva == 2.0 else "0.3", trip_ii_a=ir * 15, **_icu(65.0 if s_mva == 2.0 else 36.0),
    )  # fmt: skip


TRAY: dict[str, Any] = {"method": "E", "arrangement": "single layer on perforated tray", "route": "Filter hall, tray 1", "ambient_degc": 35.0}
LV_BOARD = {"v_nominal_kv": 0.4, "equipment_class": "LV switchgear", "electrode_configuration": "VCB"}
MCC = {"v_nominal_kv": 0.4, "bus_kind": "motor control centre", "equipment_class": "Deep LV MCC / panelboard", "electrode_configuration": "VCBB"}


def _filter_hall(d: _Drawing) -> None:
    _substation(d, x=31, board="A", feeder="Q25", cable="W25", tx="T3", main="Q31", lv_board="Filter hall", s_mva=2.0, length_m=640.0)
    d.add("bus", "Filter hall", 7, 48, 46, main="Q31", **LV_BOARD, **_icw(50.0, 105.0))
    for n, mcc, x, length, area in ((311, "Blower MCC", 9.0, 60.0, 240.0), (312, "Backwash MCC", 34.0, 85.0, 185.0)):
        at = d.junction(f"W{n} near", 0.4, x, 53)
        d.add(
            "breaker", f"Q{n}", x, 51, from_bus="Filter hall", to_bus=at, i_rated_a=800.0, trip="electronic", trip_ir_a=640.0, trip_tr_s=4.0,
            trip_isd_a=3200.0, trip_tsd="0.2", trip_ii_a=9000.0, **_icu(50.0),
        )  # fmt: skip
        d.add(
            "cable", f"W{n}", x, 57, from_bus=at, to_bus=mcc, length_m=length, parallel=2, conductor="copper", area_mm2=area, insulation="XLPE",
            i_rated_a={240.0: 430.0, 185.0: 370.0}[area], t_operating_degc=70.0, cores="4", pe_mm2=area / 2 if area == 240 else 95.0, **TRAY,
        )  # fmt: skip
        d.add("bus", mcc, x - 2, 63.5, 23, **MCC, **_icw(35.0, 73.5))
    d.add("induction_motor", "Blowers", 13, 67.5, bus="Blower MCC", p_rated_kw=110.0, v_rated_kv=0.4, count=3)
    d.add("load", "Blower aux", 24, 67.5, bus="Blower MCC", p_mw=0.04, q_mvar=0.02)
    d.add("induction_motor", "Backwash", 38, 67.5, bus="Backwash MCC", p_rated_kw=75.0, v_rated_kv=0.4, count=4, load_factor=0.8)
    d.add("load", "Filter valves", 49, 67.5, bus="Backwash MCC", p_mw=0.03, q_mvar=0.015)
    d.add("load", "Hall services", 50, 52, bus="Filter hall", p_mw=0.65, q_mvar=0.26, characteristic="impedance")


def _ozone_hall(d: _Drawing) -> None:
    _substation(d, x=82, board="B", feeder="Q26", cable="W26", tx="T4", main="Q41", lv_board="Ozone hall", s_mva=1.0, length_m=410.0)
    d.add("bus", "Ozone hall", 57, 48, 38, main="Q41", **LV_BOARD, **_icw(30.0, 63.0))
    at = d.junction("W411 near", 0.4, 62, 53)
    d.add("fuse", "F411", 62, 51, from_bus="Ozone hall", to_bus=at, i_rated_a=250.0, rated_by="IEC 60269-1", i_breaking_ka=100.0)
    d.add(
        "cable", "W411", 62, 57, from_bus=at, to_bus="Dosing MCC", length_m=95.0, conductor="copper", area_mm2=50.0, insulation="XLPE", i_rated_a=153.0,
        t_operating_degc=70.0, cores="4", pe_mm2=25.0, **{**TRAY, "route": "Ozone hall, tray 2"},
    )  # fmt: skip
    d.add("bus", "Dosing MCC", 60, 63.5, 23, **{**MCC, "equipment_class": "Shallow LV MCC / panelboard"}, **_icw(10.0, 17.0))
    d.add("induction_motor", "Dosing", 66, 67.5, bus="Dosing MCC", p_rated_kw=15.0, v_rated_kv=0.4, count=5)
    d.add("load", "Dosing aux", 77, 67.5, bus="Dosing MCC", p_mw=0.02, q_mvar=0.01)
    d.add("rectifier", "Ozone plant", 79, 52, bus="Ozone hall", p_mw=0.42, q_mvar=0.2, pulses=12)
    d.add("load", "Ultraviolet", 90, 52, bus="Ozone hall", p_mw=0.16, q_mvar=0.05, characteristic="current")


def _standby(d: _Drawing) -> None:
    """The standby set; it is out of service in Normal and may run alone or in parallel."""
    at = d.junction("Standby end", 11.0, -6, 28)
    d.add("breaker", "Q27", -6, 26, from_bus="11 kV board A", to_bus=at, i_rated_a=630.0, t_break_s=0.06, closed=False, **AT_11_KV)
    d.add(
        "relay", "B27", -10, 26, breaker="Q27", ct_primary_a=200.0, curve="IEC_VI", i_pickup_a=160.0, time_multiplier=0.15, i_high_a=900.0, t_high_s=0.3,
    )  # fmt: skip
    d.add(
        "synchronous_generator", "Standby set", -6, 31, bus=at, s_rated_mva=2.5, v_rated_kv=11.0, power_factor_rated=0.8, xd2_pct=14.0, p_mw=1.6,
        v_set_pu=1.0, q_min_mvar=-0.8, q_max_mvar=1.5, neutral="resistor", neutral_ohm=32.0, in_service=False,
    )  # fmt: skip


def _solar(d: _Drawing) -> None:
    """Solar on the roofs, through a transformer of its own."""
    a, b, c = (d.junction(f"Solar {end}", kv, 100, y) for end, kv, y in (("near", 11.0, 28.0), ("far", 11.0, 35.0), ("LV", 0.4, 43.0)))
    d.add("breaker", "Q28", 100, 26, from_bus="11 kV board B", to_bus=a, i_rated_a=630.0, t_break_s=0.06, **AT_11_KV)
    d.add(
        "relay", "B28", 96, 26, breaker="Q28", ct_primary_a=150.0, curve="IEC_VI", i_pickup_a=105.0, time_multiplier=0.2, i_high_a=1200.0, t_high_s=0.05,
    )  # fmt: skip
    d.add(
        "cable", "W28", 100, 31.5, from_bus=a, to_bus=b, length_m=280.0, conductor="aluminium", area_mm2=95.0, insulation="XLPE", x_ohm_per_km=0.112,
        c_uf_per_km=0.29, i_rated_a=195.0, t_operating_degc=70.0,
    )  # fmt: skip
    d.add(
        "transformer", "T5", 100, 39, hv_bus=b, lv_bus=c, s_rated_mva=1.6, v_hv_kv=11.0, v_lv_kv=0.42, vector_group="Dyn11", uk_pct=6.0,
        load_loss_kw=15.0, no_load_loss_kw=1.2, neutral_lv="solid",
    )  # fmt: skip
    d.add("inverter", "Solar roof", 100, 46.5, bus=c, source="solar", s_rated_mva=0.125, count=10, p_mw=1.2, power_factor_set=1.0)
