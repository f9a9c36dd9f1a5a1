"""Builds the example project Bracken Quay with the application's own means: Extend, the catalogue, a board's schedule, states.

Run it as `python tools/make_bracken_quay.py`; a test holds the shipped file equal to a fresh run. Every name and figure is invented.
"""

from pathlib import Path

from northfell.app.data import catalogue, edits, states, way_table
from northfell.app.draw.arrange import fold, lay_out
from northfell.app.draw.extend import plan
from northfell.core.model.changes import Change, apply_change, completed
from northfell.core.model.network import NORMAL, Network, Sheet
from northfell.core.quantities import wire_size
from northfell.formats import northfell_json

TARGET = Path(__file__).parent.parent / "src/northfell/demo/bracken_quay.northfell.json"
SHEET = "Terminal"
FEEDER = "breaker 600 A “52-{0}”, relay vi {1} A tm 0.3 ct 300/5"
SUBSTATION = "tx 12.47/0.48 {0} 5.75% Dyn1 resistor 55.4 ohm “T{1}”, breaker {2} A withdrawable “52-{1}0”"
EMERGENCY = "changeover 225 A “TS1” (generator 300 kVA 0.48 kV “Emergency set”), panel “Essential panel”, load 60 kW 20 kvar “Controls and detection”"
LINES = [  # where one extends from, and what is typed there
    ("", "infeed 12.47 kV 8.2 kA “Harbour supply”"),
    ("Board 1", "breaker 600 A withdrawable “52-M”, relay vi 400 A tm 0.65 ct 400/5, bus “Quay switchgear”"),
    ("Quay switchgear", f"{FEEDER.format(1, 180)}, cable “C1” 4/0 cu xlpe 820 ft, {SUBSTATION.format('2 MVA', 1, 3200)}, bus “Compressor board”"),
    ("Quay switchgear", f"{FEEDER.format(2, 140)}, cable “C2” 4/0 cu xlpe 1150 ft, {SUBSTATION.format('1.5 MVA', 2, 2000)}, bus “Cold store board”"),
    ("Quay switchgear", f"{FEEDER.format(3, 90)}, cable “C3” 2/0 cu xlpe 640 ft, {SUBSTATION.format('1 MVA', 3, 1600)}, bus “Wharf board”"),
    ("Compressor board", "breaker 2000 A open “52-T”, cable “C10” 500 kcmil cu 4x 90 ft to “Cold store board”"),
    ("Compressor board", "breaker 630 A “52-11”, cable “C11” 500 kcmil cu 2x 140 ft, motor 350 hp soft “Ammonia compressor 1”"),
    ("Compressor board", "breaker 630 A “52-12”, cable “C12” 500 kcmil cu 2x 165 ft, motor 350 hp soft “Ammonia compressor 2”"),
    ("Compressor board", "breaker 400 A “52-13”, cable “C13” 350 kcmil cu 190 ft, motor 200 hp drive “Booster compressor”"),
    ("Compressor board", "breaker 400 A “52-14”, cable “C14” 350 kcmil cu 150 ft, mcc “Condenser MCC”"),
    ("Cold store board", "breaker 400 A “52-21”, cable “C21” 350 kcmil cu 260 ft, mcc “Evaporator MCC”"),
    ("Cold store board", "breaker 800 A “52-22”, cable “C22” 500 kcmil cu 2x 210 ft, load 420 kW 260 kvar 60% “Reefer outlets”"),
    ("Cold store board", "breaker 250 A “52-23”, cable “C23” 2/0 cu 180 ft, load 95 kW 30 kvar “Dock levellers and doors”"),
    ("Wharf board", "breaker 630 A “52-31”, cable “C31” 500 kcmil cu 2x 320 ft, rectifier 260 kW 150 kvar 12 pulses “Quay cranes”"),
    ("Wharf board", "breaker 250 A “52-32”, cable “C32” 2/0 cu 240 ft, load 110 kW 25 kvar “Yard lighting”"),
    ("Wharf board", f"breaker 250 A “52-33”, cable “C33” 2/0 cu 80 ft, {EMERGENCY}"),
    ("Wharf board", "breaker 400 A “52-34”, capacitor 3x 60 kvar “Wharf capacitors”"),
]  # fmt: skip
FANS = """Feeds\tAs\tPower [hp]\tDevice\tDevice rating\tContactor\tCable\tConductor\tLength\tDuty
Condenser fan 1\tmotor\t30\tbreaker\t70\t60\t8 AWG\tcopper\t120\tcontinuous
Condenser fan 2\tmotor\t30\tbreaker\t70\t60\t8 AWG\tcopper\t135\tcontinuous
Condenser fan 3\tmotor\t30\tbreaker\t70\t60\t8 AWG\tcopper\t150\tstandby
Spray pump 1\tmotor\t15\tbreaker\t40\t32\t10 AWG\tcopper\t110\tcontinuous
Spray pump 2\tmotor\t15\tbreaker\t40\t32\t10 AWG\tcopper\t115\tstandby
Glycol pump 1\tmotor\t40\tbreaker\t100\t80\t6 AWG\tcopper\t95\tcontinuous
Glycol pump 2\tmotor\t40\tbreaker\t100\t80\t6 AWG\tcopper\t98\tstandby
Spare\tspare\t\tbreaker\t40\t\t\t\t\t"""
EVAPORATORS = "\n".join(
    ["Feeds\tAs\tPower [hp]\tCount\tDevice\tDevice rating\tContactor\tCable\tConductor\tLength\tDuty"]
    + [f"Evaporators room {n}\tmotor\t5\t{4 if n < 5 else 6}\tbreaker\t60\t50\t8 AWG\tcopper\t{160 + 35 * n}\tcontinuous" for n in range(1, 7)]
    + ["Underfloor heating\tload\t40\t\tbreaker\t80\t\t6 AWG\tcopper\t220\tintermittent"]
)
ENCLOSURES = {
    "Quay switchgear": ("15 kV switchgear", "VCB", "52-M"), "Compressor board": ("LV switchgear", "VCB", "52-10"),
    "Cold store board": ("LV switchgear", "VCB", "52-20"), "Wharf board": ("LV switchgear", "VCB", "52-30"),
    "Condenser MCC": ("Deep LV MCC / panelboard", "VCBB", ""), "Evaporator MCC": ("Deep LV MCC / panelboard", "VCBB", ""),
    "Essential panel": ("Shallow LV MCC / panelboard", "VCBB", ""),
}  # fmt: skip
TRIPS = {  # long-time pickup, multiple of it for the short-time stage, band
    "52-10": (2600, 5, "0.4"), "52-20": (1900, 5, "0.4"), "52-30": (1250, 5, "0.4"), "52-T": (1500, 4, "0.3"), "52-11": (500, 6, "0.1"),
    "52-12": (500, 6, "0.1"), "52-13": (300, 8, "0.1"), "52-14": (300, 8, "0.2"), "52-21": (300, 8, "0.2"), "52-22": (700, 6, "0.1"),
    "52-23": (200, 8, "0.1"), "52-31": (550, 6, "0.1"), "52-32": (200, 8, "0.1"), "52-33": (200, 8, "0.1"), "52-34": (300, 8, "0.1"),
}  # fmt: skip
WAITING = ("52-10", "52-20", "52-30", "52-T", "52-14", "52-21")  # they feed boards: no stage of theirs acts at once
SETTINGS = {"frequency_hz": "60", "drawing.symbols": "IEEE 315", "units.lengths": "ft", "units.conductors": "AWG and kcmil", "short_circuit.school": "ieee"}
VALUES = {  # element: field -> what is typed on its card
    "Harbour supply": {"ik_min_ka": "5.9 kA", "r_over_x": "0.11"},
    "Reefer outlets": {"group": "Cold store", "demand_factor": "0.8", "diversity_factor": "1.1"}, "Yard lighting": {"group": "Lighting"},
    "Dock levellers and doors": {"group": "Cold store"}, "Quay cranes": {"group": "Quay", "demand_factor": "0.7"},
    "Emergency set": {"v_rated_kv": "480 V", "xd2_pct": "13", "output_levels": "exercise 0.1; full 0.24", "output_level": "full", "in_service": "false"},
    "Board 1": {"bus_kind": "junction", "name": "Point of delivery"},
    "Quay switchgear": {"note": "Isolation: open 52-M, prove dead, apply earths. Keys with the duty engineer. (Invented.)"},
    "T1": {"cooling": "ONAN/ONAF"}, "Ammonia compressor 1": {"load_factor": "0.9"}, "Ammonia compressor 2": {"load_factor": "0.85"},
}  # fmt: skip


MEDIUM = {"rated_by": "IEEE symmetrical", "i_breaking_ka": "25", "v_rated_max_kv": "15"}
POWER = {"rated_by": "IEEE power breaker", "i_breaking_ka": "65"}
MOULDED, STRONGER, SMALL = ({"rated_by": "moulded case", "i_breaking_ka": ka} for ka in ("35", "50", "25"))
BOARD, MCC = ({"rated_by": "IEEE low voltage", "i_short_time_ka": ka} for ka in ("50", "42"))
RATINGS = {  # invented nameplates; two moulded-case breakers of the compressor board are too weak
    "52-M 52-1 52-2 52-3": MEDIUM, "52-10 52-20 52-30 52-T": POWER, "52-11 52-12": STRONGER,
    "52-13 52-14 52-21 52-22 52-23 52-31 52-32 52-33 52-34": MOULDED,
}  # fmt: skip
OF_BOARDS = {
    "Quay switchgear": {"rated_by": "IEEE switchgear", "i_short_time_ka": "25"}, "Compressor board": BOARD, "Cold store board": BOARD, "Wharf board": BOARD,
    "Condenser MCC": MCC, "Evaporator MCC": MCC, "Essential panel": {"rated_by": "IEEE low voltage", "i_short_time_ka": "22"},
}  # fmt: skip


class Session:
    """A project at work: each act is a change of it, as from the screen."""

    def __init__(self) -> None:
        self.network = Network(name="Bracken Quay", sheets=[Sheet(name=SHEET)])

    def do(self, change: Change) -> None:
        self.network, _ = apply_change(self.network, completed(self.network, change))

    def id_of(self, name: str) -> str:
        return self.network.id_of_name[name]

    def type(self, at: str, line: str) -> None:
        made = plan(self.network, SHEET, self.id_of(at) if at else "", line)
        assert made.change is not None, (at, line, made.problems)
        self.do(made.change)

    def card(self, name: str, field: str, typed: str, origin: str = "nameplate") -> None:
        self.do(edits.set_field(self.network, NORMAL, self.id_of(name), field, typed, origin))

    def schedule(self, board: str, text: str) -> None:
        pasted = way_table.pasted(self.network, SHEET, [self.id_of(board)], text, [], [], True)
        assert not pasted.made.errors, pasted.made.errors
        self.do(pasted.made.change)


def bracken_quay() -> Network:
    """The whole project, from nothing."""
    s = Session()
    for path, typed in (
        ("frequency_hz", "60"),
        ("drawing.symbols", "IEEE 315"),
        ("units.lengths", "ft"),
        ("units.conductors", "AWG and kcmil"),
        ("short_circuit.school", "ieee"),
        ("coordination.in_series", "not required"),
        ("sizing.code", "NEC 2023"),
        ("sizing.largest_mm2", "500 kcmil"),
    ):
        s.do(edits.set_setting(s.network, path, typed))
    for at, line in LINES:
        s.type(at, line)
    for name, fields in VALUES.items():
        for field, typed in fields.items():
            s.card(name, field, typed)
    s.schedule("Condenser MCC", FANS)
    s.schedule("Evaporator MCC", EVAPORATORS)
    s.card("Underfloor heating", "q_mvar", "0")
    for name, (ir, times, band) in TRIPS.items():
        for field, typed in (
            ("trip", "electronic"),
            ("trip_ir_a", ir),
            ("trip_tr_s", 8),
            ("trip_isd_a", ir * times),
            ("trip_tsd", band),
            *((("trip_ii_a", ir * 12),) if name not in WAITING else ()),
        ):
            s.card(name, field, str(typed), "test report: settings as found")
    for name, (cls, configuration, main) in ENCLOSURES.items():
        for field, typed in (("equipment_class", cls), ("electrode_configuration", configuration), ("main", main)):
            if typed:
                s.card(name, field, typed, "own")
    _ratings(s)
    _cables(s)
    _planned(s)
    s.do(edits.fill_all_typical(s.network))
    _states(s)
    for name in ("Cold store board", "Wharf board"):
        s.do(fold(s.network, SHEET, s.id_of(name)))
    s.do(lay_out(s.network, SHEET))
    return s.network


def _ratings(s: Session) -> None:
    """What equipment withstands and breaks."""
    of = {**OF_BOARDS, **{name: fields for names, fields in RATINGS.items() for name in names.split()}}
    for e in list(s.network.elements.values()):
        if e.kind == "breaker" and e.name not in of:  # the small ones of the motor control centres
            trip = {"trip": "electronic", "trip_ir_a": f"{e.i_rated_a:g}", "trip_tr_s": "8", "trip_ii_a": f"{10 * e.i_rated_a:g}"}
            of[e.name] = {**SMALL, **trip, "let_through_ka2s": "0.3" if e.i_rated_a <= 40 else "0.6"}
        if e.kind == "contactor":
            of[e.name] = {"i_conditional_ka": "25"}
    for name, fields in of.items():
        for field, typed in fields.items():
            s.card(name, field, typed)


def _cables(s: Session) -> None:
    """Low-voltage cables from the catalogue, medium-voltage ones from an entry of the project's own."""
    s.do(catalogue.make_own(s.network, "Harter MV Cu 1×95 15 kV", "Quay cable 15 kV 4/0 AWG"))
    for field, typed in (("area_mm2", "4/0"), ("r_ohm_per_km", "0.164"), ("x_ohm_per_km", "0.14"), ("i_rated_a", "290")):
        s.do(catalogue.change_own(s.network, "Quay cable 15 kV 4/0 AWG", field, typed, False))
    s.do(catalogue.make_own(s.network, "Quay cable 15 kV 4/0 AWG", "Quay cable 15 kV 2/0 AWG"))
    for field, typed in (("area_mm2", "2/0"), ("r_ohm_per_km", "0.261"), ("x_ohm_per_km", "0.147"), ("i_rated_a", "225")):
        s.do(catalogue.change_own(s.network, "Quay cable 15 kV 2/0 AWG", field, typed, False))
    for name, size in (("C1", "4/0"), ("C2", "4/0"), ("C3", "2/0")):
        s.do(catalogue.use(s.network, s.id_of(name), f"Quay cable 15 kV {size} AWG"))
    for e in list(s.network.elements.values()):
        if e.kind == "cable" and not e.catalogue:
            s.do(catalogue.use(s.network, e.id, f"Harter 90 Cu {wire_size(e.area_mm2)} steel conduit"))


def _planned(s: Session) -> None:
    """A compressor that is planned, and a load that goes."""
    s.type("Compressor board", "breaker 630 A “52-15”, cable “C15” 500 kcmil cu 2x 180 ft, motor 350 hp soft “Ammonia compressor 3”")
    for field, typed in (
        ("trip", "electronic"),
        ("trip_ir_a", "500"),
        ("trip_tr_s", "8"),
        ("trip_isd_a", "3000"),
        ("trip_tsd", "0.1"),
        ("rated_by", "moulded case"),
        ("i_breaking_ka", "50"),
    ):
        s.card("52-15", field, typed, "own")
    s.do(catalogue.use(s.network, s.id_of("C15"), "Harter 90 Cu 500 kcmil steel conduit"))
    for name in ("52-15", "C15", "Ammonia compressor 3"):
        s.card(name, "status", "planned", "")
    s.card("Yard lighting", "status", "to be removed", "")
    s.card("52-M", "locked", "true", "")


def _states(s: Session) -> None:
    s.do(edits.copy_state(s.network, NORMAL, "T1 out, tie closed"))
    for name, position in (("52-1", "false"), ("52-10", "false"), ("52-T", "true")):
        s.do(states.set_in_state(s.network, "T1 out, tie closed", s.id_of(name), "closed", position))
    s.do(states.set_in_state(s.network, "T1 out, tie closed", s.id_of("Ammonia compressor 2"), "duty", "standby"))
    s.do(edits.copy_state(s.network, NORMAL, "Emergency set runs"))
    for name, field, typed in (("TS1", "position", "second"), ("Emergency set", "in_service", "true"), ("Emergency set", "mode", "reference")):
        s.do(states.set_in_state(s.network, "Emergency set runs", s.id_of(name), field, typed))
    s.do(edits.copy_state(s.network, NORMAL, "Empty quay at night"))
    for group, factor in (("Quay", "0.1"), ("Cold store", "0.6")):
        s.do(states.set_factor(s.network, "Empty quay at night", "load", group, factor))
    s.do(edits.copy_state(s.network, NORMAL, "Third compressor"))
    s.do(states.include_planned(s.network, "Third compressor"))


if __name__ == "__main__":
    TARGET.write_text(northfell_json.write(bracken_quay()), encoding="utf-8")
    print(f"Wrote {TARGET.name}")
