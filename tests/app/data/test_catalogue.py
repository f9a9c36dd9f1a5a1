"""The catalogue: shipped entries against their standards, narrowing, own versions, followers, import row by row."""

import importlib.util
import math
from pathlib import Path

import pytest
from tests.conftest import network_of

from northfell.app.data import catalogue
from northfell.core.catalogue.entries import shipped, values_for
from northfell.core.catalogue.finding import narrowed, questions
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import apply_change
from northfell.core.model.network import OwnEntry
from northfell.core.model.own_entries import entry_breaches
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json

DEMO = skerrow_water()


def do(network, change):
    return apply_change(network, change)[0]


def test_every_shipped_entry_would_be_taken_by_its_kind():
    assert len(shipped()) > 2000
    for one in shipped().values():
        assert entry_breaches(OwnEntry(name=one.name, kind=one.kind, values=dict(one.values))) == [], one.name
        assert set(one.assumed) <= set(one.values)
        assert one.source


def test_entries_carry_the_printed_figures():
    cable = shipped()["Harter Cu 4×50 C"].values  # IEC 60228: 0.387 ohm/km; IEC 60364-5-52 table B.52.5, method C: 179 A
    assert (cable["r_ohm_per_km"], cable["i_rated_a"], cable["t_end_degc"]) == (0.387, 179.0, 250.0)
    imperial = shipped()["Borrow 75 Cu 500 kcmil steel conduit"]  # NEC table 9: 0.029 ohm and 0.048 ohm per 1000 ft; 310.16 at 75 degC: 380 A
    assert imperial.values["r_ohm_per_km"] == pytest.approx(0.029 * 3.28084 * (234.5 + 20) / (234.5 + 75), rel=1e-3)
    assert imperial.values["x_ohm_per_km"] == pytest.approx(0.048 * 3.28084, rel=1e-3)
    assert imperial.values["i_rated_a"] == 380.0
    eco = shipped()["Birk 1000 kVA 11/0.42 tier 2"].values  # EU 548/2014: 7600 W and 693 W
    assert (eco["load_loss_kw"], eco["no_load_loss_kw"]) == (7.6, 0.693)
    motor = shipped()["Bell 50 hp 460 V"].values  # NEC 430.250: 65 A; 430.251(B): 363 A
    current = motor["p_rated_kw"] / (math.sqrt(3) * 0.46 * motor["efficiency_pct"] / 100 * motor["power_factor"])
    assert current == pytest.approx(65, rel=5e-3)
    assert motor["ilr_over_ir"] * 65 == pytest.approx(363, rel=2e-3)


def test_answers_narrow_from_thousands_to_one():
    entries = catalogue.entries_of(DEMO, "cable")
    chosen = {
        "sizes": "mm²",
        "v_insulation_kv": "1 kV",
        "conductor": "copper",
        "insulation": "XLPE",
        "cores": "4",
        "laid": "on a wall (C)",
        "area_mm2": "95 mm²",
    }
    left = [len(entries)]
    for n in range(1, len(chosen) + 1):
        some = dict(list(chosen.items())[:n])
        asked = {q.key: dict(q.answers) for q in questions(entries, "cable", some)}
        left.append(len(narrowed(entries, some)))
        assert asked[list(some)[-1]][list(some.values())[-1]] == left[-1]  # the count promised is the count found
    assert left == sorted(left, reverse=True)
    assert left[-1] == 1
    assert narrowed(entries, chosen, "no such words") == []


def test_an_element_takes_an_entry_with_its_origin_and_scaled_reactance():
    used = do(DEMO, catalogue.use(DEMO, "W311", "Borrow 75 Cu 500 kcmil steel conduit"))
    w = used.elements["W311"]
    assert w.x_ohm_per_km == pytest.approx(0.1575 * 50 / 60, rel=1e-3)
    assert w.origins["x_ohm_per_km"] == "catalogue: Borrow 75 Cu 500 kcmil steel conduit, reactance taken from 60 to 50 Hz"
    assert w.catalogue == "Borrow 75 Cu 500 kcmil steel conduit"
    typical = do(DEMO, catalogue.use(DEMO, "W311", "Harter Cu 4×50 C")).elements["W311"]
    assert "x_ohm_per_km" in typical.assumed
    assert "x_ohm_per_km" not in typical.origins
    with pytest.raises(NetworkRefused, match="an entry for a cable"):
        catalogue.use(DEMO, "W311", "Swirl gG 100 A")
    assert values_for(shipped()["Harter Cu 4×50 C"], 50)[0]["x_ohm_per_km"] == 0.082


def test_an_own_version_is_changed_with_or_without_its_followers():
    with pytest.raises(NetworkRefused, match="make your own version"):
        catalogue.change_own(DEMO, "Harter Cu 4×50 C", "i_rated_a", "150", False)
    own = do(DEMO, catalogue.make_own(DEMO, "Harter Cu 4×50 C", "Ours 50"))
    own = do(own, catalogue.use(own, "W411", "Ours 50"))
    assert [e.name for e in catalogue.followers(own, "Ours 50")] == ["W411"]
    alone, followed = (do(own, catalogue.change_own(own, "Ours 50", "i_rated_a", "150", follow)) for follow in (False, True))
    assert (alone.elements["W411"].i_rated_a, followed.elements["W411"].i_rated_a) == (179.0, 150.0)
    assert alone.entries[0].values["i_rated_a"] == followed.entries[0].values["i_rated_a"] == 150.0
    gone = do(followed, catalogue.remove_own(followed, "Ours 50"))
    assert (gone.entries, gone.elements["W411"].catalogue, gone.elements["W411"].i_rated_a) == ([], "", 150.0)
    with pytest.raises(NetworkRefused, match="a name that no other entry has"):
        catalogue.make_own(own, "Ours 50", "Harter Cu 4×50 C")
    kept = do(DEMO, catalogue.keep_element(DEMO, "T3", "Works transformer"))
    assert kept.entries[0].values["uk_pct"] == 6.0
    assert "neutral_lv" not in kept.entries[0].values
    assert kept.elements["T3"].catalogue == "Works transformer"


def test_import_takes_good_rows_and_tells_the_others():
    text = "\n".join(
        ["Name;Cross-section [mm²];Resistance at 20 °C;Current-carrying capacity [kA];Colour", "A1;95;0,193;0,25;red", "A2;ninety;0,1;0,2;", ";95;0,1;0,2;",
         "A1;50;0,3;0,1;", "A3;95;-1;0,2;", "=A4;95;0,2;1e400;"]
    )  # fmt: skip
    change, refused = catalogue.imported(DEMO, "cable", text)
    made = do(DEMO, change)
    assert [(e.name, e.values) for e in made.entries] == [("A1", {"area_mm2": 95.0, "r_ohm_per_km": 0.193, "i_rated_a": 250.0})]
    assert [line.split(":")[0] for line in refused] == ["Column colour", "Row 3", "Row 4", "Row 5", "Row 6", "Row 7"]
    with pytest.raises(NetworkRefused, match="a row of heads with Name"):
        catalogue.imported(DEMO, "cable", "Size\n95")


def test_bracken_quay_is_what_a_fresh_build_with_the_applications_means_gives():
    spec = importlib.util.spec_from_file_location("make", Path(__file__).parents[3] / "tools/make_bracken_quay.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    assert northfell_json.write(module.bracken_quay()).encode() == bracken_quay()


def test_a_curve_by_points_is_kept_as_an_entry_changed_and_used_again():
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 0.4} for n in "AB"]
    points = [{"i_a": 100.0, "t_fast_s": 100.0, "t_slow_s": 400.0}, {"i_a": 1000.0, "t_fast_s": 0.1, "t_slow_s": 0.4}]
    fuses = [{"kind": "fuse", "name": n, "from_bus": "A", "to_bus": "B"} for n in ("F1", "F2")]
    network = network_of([*buses, {**fuses[0], "link": "own points", "points": points}, fuses[1]])
    kept = do(network, catalogue.keep_element(network, "F1", "Test link"))
    changed = do(kept, catalogue.change_own(kept, "Test link", "points", "100 | 50 | 300; 1 kA | 0.1 | 0.4", follow=True))
    used = do(changed, catalogue.use(changed, "F2", "Test link"))
    assert used.elements["F1"].points == used.elements["F2"].points
    assert [p.model_dump() for p in used.elements["F2"].points] == [{**points[0], "t_fast_s": 50.0, "t_slow_s": 300.0}, points[1]]
    assert used.elements["F2"].link == "own points"
    with pytest.raises(NetworkRefused, match="currents that rise"):
        do(used, catalogue.change_own(used, "Test link", "points", "1 kA | 0.1 | 0.4; 100 | 50 | 300", follow=True))


POLE = "Pole with a cross-arm, four wires"
BUSES = [{"kind": "bus", "name": "A", "v_nominal_kv": 11.0}, {"kind": "bus", "name": "B", "v_nominal_kv": 11.0}]


def test_a_line_takes_its_data_from_a_geometry_and_follows_its_changes():
    network = network_of([*BUSES, {"kind": "line", "name": "L", "from_bus": "A", "to_bus": "B", "length_m": 900.0}])
    line = do(network, catalogue.use(network, "L", POLE)).elements["L"]
    shown = catalogue.geometries.shown(network, catalogue.entry_named(network, POLE)).constants
    z = shown.constants.in_sequences(shown.z_ohm_per_m) * 1e3
    assert line.x_ohm_per_km == pytest.approx(z[1, 1].imag, rel=1e-5)
    assert line.r_ohm_per_km == pytest.approx(z[1, 1].real / 1.12, rel=1e-3)  # at 20 °C; the wires' is stated at 50 °C
    assert line.r0_ohm_per_km > line.r_ohm_per_km
    assert (line.i_rated_a, line.catalogue) == (299.0, POLE)
    assert line.origins["x0_ohm_per_km"] == f"catalogue: {POLE}, ρ 100 ohm·m, series"
    network = do(network, catalogue.make_own(network, POLE, "Mine"))
    network = do(network, catalogue.use(network, "L", "Mine"))
    before = network.elements["L"].x0_ohm_per_km
    network = do(network, catalogue.change_own(network, "Mine", "rho_ohm_m", "1000", follow=True))
    assert network.elements["L"].x0_ohm_per_km > before  # a deeper return
    rows = "a | 0 | 9 | Fell AAC 4/0 AWG 7 | kept | 1 |; b | 0.001 | 9 | Fell AAC 4/0 AWG 7 | kept | 1 |"
    with pytest.raises(NetworkRefused, match="more than"):
        catalogue.change_own(network, "Mine", "conductors", rows, follow=True)
    with pytest.raises(NetworkRefused, match="three conductors a, b, c"):
        catalogue.use(network, "L", "Pole with one wire and its neutral")
    with pytest.raises(NetworkRefused, match="an entry for a bus"):
        catalogue.use(network, "A", POLE)
