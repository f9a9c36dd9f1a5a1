"""What lessens the incident energy at a place: each remedy is what the studies find of the changed network."""

from dataclasses import replace

import pytest
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, breaker, infeed, lv
from tests.core.studies.coordination.test_coordination import relay

from northfell.app.results.studies import StateResults
from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.model.network import OperatingState
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.coordination import COORDINATION, lessen, lessening
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.demo import skerrow_water


def board(**main) -> list[dict]:
    """A main of 0.5 s in front of a feeder of 0.2 s: 20 cal/cm² and more at the board between them."""
    return [
        *(lv(n) for n in ("S", "F")), lv("B", **BOX), infeed("G", "S"),
        breaker("QM", "S", "B", "0.4", trip_ir_a=2500.0, trip_isd_a=8000.0, trip_tr_s=20.0, **main), breaker("QF", "B", "F", "0.2"),
    ]  # fmt: skip


def helped(network, bus: str = "B", side: str = "load", state: str = "Normal"):
    one = StateResults(network, state)
    return lessen(network, one.result(ARC_FLASH), one.result(COORDINATION), one.result(LOAD_FLOW), bus, side)


def gaps(one: StateResults) -> set[tuple[str, str]]:
    found = one.result(COORDINATION)
    return {key for key, p in found.worst_pairs.items() if found.verdict(p) == "breach"}


def held(network, remedies, bus: str, side: str, state: str = "Normal") -> None:
    """Every remedy gives what the studies find when its change is made, and breaks just the gaps that it tells."""
    before = StateResults(network, state)
    for one in remedies:
        after = StateResults(apply_change(network, one.change)[0], state)
        found = after.result(ARC_FLASH).location(bus, side).worst
        assert found.energy_cal_cm2 == pytest.approx(one.after_cal), one.title
        assert len([line for line in one.broken if " above " in line]) == len(gaps(after) - gaps(before)), one.title
        assert one.before_cal == before.result(ARC_FLASH).location(bus, side).worst.energy_cal_cm2
        assert one.after_cal < one.before_cal


def test_each_remedy_is_what_the_studies_find_of_the_changed_network():
    network = network_of(board())
    made = helped(network)
    held(network, made, "B", "load")
    of = {
        what: [r for r in made if what in r.title]
        for what in ("instantaneous", "short-time", "maintenance", "Zone interlocking", "Light of an arc at B opens QM")
    }
    assert sum(map(len, of.values())) == len(made)
    assert [r.broken for r in of["instantaneous"]] == [("QM above QF",)]  # at once, above a feeder that waits 0.2 s
    assert [(r.cures, r.broken, "0.4 → 0.3" in r.title) for r in of["short-time"]] == [
        (True, ("QM above QF",), False),
        (False, (), True),
    ]  # and what costs nothing
    by = {what: those[0] for what, those in of.items()}
    at_once = StateResults(apply_change(network, by["instantaneous"].change)[0], "Normal").result(ARC_FLASH).location("B", "load")
    assert {v.opens_at_s for v in at_once.variants} == {0.05}  # at the least arcing current too
    above = apply_change(network, Change("", (Set(id="QM", values={"trip_ii_a": by["instantaneous"].change.acts[0].values["trip_ii_a"] + 1250.0}),)))[0]
    assert {v.opens_at_s for v in StateResults(above, "Normal").result(ARC_FLASH).location("B", "load").variants} != {0.05}  # one step more would not do
    assert by["Zone interlocking"].broken == ()
    assert by["Zone interlocking"].clears == "QM opens in 0.140 s"
    assert by["Light of an arc at B opens QM"].clears == "QM opens in 0.0700 s"
    assert [r.equipment for r in made if r.note] == [True] * 3
    ranks = [r.rank for r in made]
    assert ranks == sorted(ranks)


def test_a_state_has_its_maintenance_switch_to_itself():
    network = network_of(board(i_maintenance_a=3000.0), [OperatingState(name="Works", differences={})])
    made = helped(network, state="Works")
    held(network, made, "B", "load", "Works")
    one = next(r for r in made if "maintenance" in r.title)
    changed = apply_change(network, one.change)[0]
    assert changed.elements["QM"].maintenance is False
    assert changed.in_state("Works")["QM"].maintenance is True


def test_relays_and_fuses_are_set_in_their_steps_and_what_is_not_cured_says_so():
    relayed = [{**e, "trip": "none", "t_break_s": 0.06} if e["name"] == "QM" else e for e in board()]
    relayed = [{k: v for k, v in e.items() if not (e["name"] == "QM" and k.startswith("trip_"))} for e in relayed]
    network = network_of([*relayed, relay("R", "QM", 3000, 0.5)])
    made = helped(network)
    held(network, made, "B", "load")
    assert {s.id for r in made for s in r.change.acts if hasattr(s, "values")} <= {"R", "QM"}
    assert any("high stage" in r.title for r in made)
    assert any("time multiplier" in r.title for r in made)
    fused = [{"kind": "fuse", "name": "QM", "from_bus": "S", "to_bus": "B", "i_rated_a": 1250.0} if e["name"] == "QM" else e for e in board()]
    network = network_of(fused)
    made = helped(network)
    held(network, made, "B", "load")
    assert all("rated current" in r.title for r in made)


@pytest.mark.parametrize(("bus", "side"), [("Filter hall", "line"), ("Ozone hall", "line"), ("11 kV board A", "load")])
def test_the_demos_places_are_helped_by_what_the_studies_find(bus, side):
    network = skerrow_water()
    made = helped(network, bus, side)
    assert made
    held(network, made, bus, side)
    if (bus, side) == ("Filter hall", "line"):  # above the site limit
        assert made[0].cures
        assert made[0].broken == ()
        assert not made[0].equipment


def test_a_remedy_cures_where_it_does_in_every_state():
    """On the standby generator the high stage of B25 is out of reach: what is well in Normal leaves 43.8 cal/cm² there, above the site limit."""
    network = skerrow_water()
    arcs = {state: StateResults(network, state).result(ARC_FLASH) for state in ("Normal", "Standby generator alone")}
    one = StateResults(network, "Normal")
    asked = one.result(ARC_FLASH), one.result(COORDINATION), one.result(LOAD_FLOW), "Filter hall", "line"
    alone, both = lessen(network, *asked), lessen(network, *asked, [arcs["Standby generator alone"]])
    high = next(r for r in both if "high stage" in r.title)
    assert next(r for r in alone if "high stage" in r.title).cures
    assert (high.cures, high.worst_state) == (False, "Standby generator alone")
    changed = apply_change(network, high.change)[0]
    left = StateResults(changed, "Standby generator alone").result(ARC_FLASH).location("Filter hall", "line").worst
    assert high.worst_cal == pytest.approx(left.energy_cal_cm2)
    assert high.worst_cal > network.settings.limits.energy_breach_cal_cm2
    light = next(r for r in both if "Light" in r.title)
    assert light.cures  # whatever the current


def test_a_change_of_which_nothing_is_known_in_another_state_does_not_cure(monkeypatch):
    network = network_of(board(), [OperatingState(name="Other", differences={})])
    one, other = StateResults(network, "Normal"), StateResults(network, "Other").result(ARC_FLASH)
    asked = network, one.result(ARC_FLASH), one.result(COORDINATION), one.result(LOAD_FLOW), "B", "load", [other]
    assert any(r.cures for r in lessen(*asked))
    as_it_is = lessening.again

    def without(arc, net, only):
        found = as_it_is(arc, net, only)
        return found if net.state == "Normal" else replace(found, locations=())

    monkeypatch.setattr(lessening, "again", without)
    made = lessen(*asked)
    assert made
    assert not any(r.cures for r in made)
    assert {r.worst_state for r in made} == {"Other"}
