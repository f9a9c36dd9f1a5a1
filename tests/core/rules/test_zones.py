"""Protection zones between current transformers, against zones drawn by hand."""

import pytest
from tests.conftest import network_of

from northfell.core.rules.consistency import contradictions
from northfell.core.rules.zones import gaps, uncovered, zones_of

BUSES = [
    {"kind": "bus", "name": n, "v_nominal_kv": 11.0, "bus_kind": k}
    for n, k in (("M", "switchboard"), ("H", "junction"), ("L", "junction"), ("N", "switchboard"))
]
WAY = [
    {"kind": "infeed", "name": "G", "bus": "M"}, {"kind": "breaker", "name": "Q1", "from_bus": "M", "to_bus": "H"},
    {"kind": "cable", "name": "W", "from_bus": "H", "to_bus": "L"}, {"kind": "breaker", "name": "Q2", "from_bus": "L", "to_bus": "N"},
    {"kind": "load", "name": "E", "bus": "N"},
]  # fmt: skip


def ct(name: str, device: str, mounted: str, lies: str, zone: str, **more) -> dict:
    return {
        "kind": "current_transformer",
        "name": name,
        "measures": device,
        "mounted": f"{mounted} terminal",
        "zone_lies": f"{lies} terminal",
        "zone": zone,
        **more,
    }


def elements(*cts: dict):
    return network_of([*BUSES, *WAY, *cts]).elements


# the cable between the outer sides of its two breakers; either board with its breakers, from their far sides
CABLE = ct("C1", "Q1", "first", "second", "cable"), ct("C2", "Q2", "second", "first", "cable")
BOARDS = ct("C3", "Q1", "second", "first", "board M"), ct("C4", "Q2", "first", "second", "board N")


def test_zones_that_overlap_at_their_breakers_cover_all():
    made = elements(*CABLE, *BOARDS)
    found = {zone.name: zone.covers for zone in zones_of(made)}
    assert found == {"cable": {"Q1", "H", "W", "L", "Q2"}, "board M": {"Q1", "M", "G"}, "board N": {"Q2", "N", "E"}}
    assert uncovered(made, zones_of(made)) == []
    assert not contradictions(made)


@pytest.mark.parametrize(("instead", "gap"), [(ct("C1", "Q1", "second", "second", "cable"), {"Q1"}), (ct("C1", "Q1", "first", "second", "cable"), set())])
def test_transformers_on_the_near_sides_leave_their_breaker_between_zones(instead, gap):
    made = elements(instead, CABLE[1], ct("C3", "Q1", "first", "first", "board M"), BOARDS[1])
    found = zones_of(made)
    assert {e.id for e, _, _ in gaps(made, found)} == gap
    told = [c.text for c in contradictions(made)]
    assert told == ([f"Breaker {q} stands between zones board M and cable, whose current transformers do not overlap at it: no zone covers it." for q in gap])


def test_a_zone_may_be_a_breaker_alone():
    alone = ct("C1", "Q1", "first", "second", "Q1"), ct("C2", "Q1", "second", "first", "Q1")
    assert zones_of(elements(*alone))[0].covers == {"Q1"}


def test_what_is_in_no_zone_is_told_in_one_line_and_without_zones_nothing_is():
    made = elements(*CABLE)
    assert [e.id for e in uncovered(made, zones_of(made))] == ["M", "N", "E"]  # boards and what hangs on them; the supply is no equipment of ours
    assert [c.text for c in contradictions(made)] == ["3 elements are covered by no protection zone: M, N, E."]
    none = elements(
        ct("C1", "Q1", "first", "second", ""), {**CABLE[1], "in_service": False}, {**ct("C5", "Q2", "first", "first", "earth"), "mounted": "neutral"}
    )
    assert zones_of(none) == []
    assert zones_of(elements(*({**one, "units": "single"} for one in CABLE))) == []  # in one phase it is at no edge
    assert not contradictions(none)


def test_a_single_transformer_reaches_as_far_as_the_network_goes():
    """An overcurrent zone has one edge alone. A ring leads back to it from behind, and no further."""
    back = {"kind": "cable", "name": "W2", "from_bus": "N", "to_bus": "M"}
    one = ct("C1", "Q1", "first", "second", "feeder")
    assert zones_of(elements(one))[0].covers == {"Q1", "H", "W", "L", "Q2", "N", "E"}
    ring = network_of([*BUSES, *WAY, back, one]).elements
    assert zones_of(ring)[0].covers == {"Q1", "H", "W", "L", "Q2", "N", "E", "W2", "M", "G"}
