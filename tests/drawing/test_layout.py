"""Automatic layout: everything is placed, nothing lies on anything else, trees hang below what feeds them."""

import itertools
import random

import pytest
from hypothesis import given
from tests.conftest import network_of
from tests.core.random_networks import networks

from northfell.core.model.elements import Bus
from northfell.core.model.network import Sheet
from northfell.core.rules.ways import ways_of
from northfell.demo import bracken_quay
from northfell.drawing.layout import hung, laid_out
from northfell.drawing.routing import Obstacles
from northfell.drawing.shapes import Group, Rect
from northfell.drawing.sheet import draw
from northfell.formats import northfell_json


def imported(buses: int, loops: int) -> dict:
    """A network as it comes from a file: boards that feed boards, relays, ends, and some branches that close loops."""
    dice, raw, boards = random.Random(buses + loops), [], ["S"]
    raw += [{"kind": "bus", "name": "S", "v_nominal_kv": 33.0}, {"kind": "infeed", "name": "G", "bus": "S"}]
    while sum(r["kind"] == "bus" for r in raw) < buses:
        n, at = len(raw), dice.choice(boards[-12:])
        raw += [{"kind": "bus", "name": f"a{n}", "bus_kind": "junction"}, {"kind": "breaker", "name": f"Q{n}", "from_bus": at, "to_bus": f"a{n}"}]
        raw += [{"kind": "relay", "name": f"B{n}", "breaker": f"Q{n}"}] if dice.random() < 0.5 else []
        raw += [{"kind": "bus", "name": f"Board {n}"}]
        raw += [{"kind": "cable", "name": f"W{n}", "from_bus": f"a{n}", "to_bus": f"Board {n}", "length_m": 120.0, "area_mm2": 240.0}]
        boards.append(f"Board {n}")
        raw += [{"kind": dice.choice(["load", "induction_motor"]), "name": f"E{n}-{k}", "bus": f"Board {n}"} for k in range(dice.randint(0, 3))]
    for n in range(loops):
        a, b = dice.sample(boards, 2)
        raw.append({"kind": dice.choice(["line", "breaker"]), "name": f"X{n}", "from_bus": a, "to_bus": b})
    return network_of(raw).elements


def boxes_of(group: Group, drawing) -> list:
    stand = drawing.standing.stands.get(group.element)
    return ([stand.box] if stand else []) + [Group([word]).extent for word in group.words]


def lying_on_each_other(elements, places, tags=None) -> list:
    drawing = draw(elements, Sheet(name="s", placements=places), {}, tags or {})
    bars = sorted((g.bar[0], g.bar[1], g.bar[0] + g.bar[2], g.element) for g in drawing.groups if g.bar and g.bar[2])
    found = [(a[3], b[3]) for n, a in enumerate(bars) for b in bars[n + 1 :] if b[0] < a[2] and abs(a[1] - b[1]) < 20]
    boxes = sorted((box, g.element) for g in drawing.groups for box in boxes_of(g, drawing))
    for n, (a, one) in enumerate(boxes):
        for b, other in boxes[n + 1 :]:
            if b[0] >= a[2] - 1:
                break
            if one != other and a[0] + 1 < b[2] and a[1] + 1 < b[3] and b[1] + 1 < a[3]:
                found.append((one, other))
    return found


@pytest.mark.parametrize(("buses", "loops"), [(20, 0), (60, 3), (200, 0), (200, 12)])
def test_nothing_lies_on_anything_else_and_wires_pass_clear(buses, loops):
    elements = imported(buses, loops)
    places = laid_out(elements)
    assert set(places) == set(elements)
    assert lying_on_each_other(elements, places) == []
    standing = draw(elements, Sheet(name="s", placements=places), {}, {}).standing
    obstacles = Obstacles({i: stand.box for i, stand in standing.stands.items()})
    assert [key for key, way in standing.ways.items() for a, b in itertools.pairwise(way) if obstacles.crossed(a, b, key[0])] == []


@given(networks())
def test_any_network_is_placed_whole_and_apart(network):
    places = laid_out(network.elements)
    assert set(places) == set(network.elements)
    assert lying_on_each_other(network.elements, places) == []


def test_what_a_board_feeds_stands_below_it():
    elements = imported(60, 0)
    places = laid_out(elements)
    for e in elements.values():
        if e.kind in ("breaker", "cable"):
            assert places[e.from_bus].y < places[e.id].y < places[e.to_bus].y


def test_ways_drawn_out_find_room_below_their_board():
    elements = imported(40, 0)
    places = laid_out(elements)
    board = max((i for i, e in elements.items() if isinstance(e, Bus)), key=lambda b: sum(len(w.elements) for w in ways_of(elements, b)))
    ways = [way.elements for way in ways_of(elements, board)]
    left = {i: p for i, p in places.items() if not any(i in way for way in ways)}
    again = {**left, **hung(elements, board, ways, left)}
    assert set(again) == set(places)
    assert lying_on_each_other(elements, again) == []


def test_what_hangs_on_a_board_stands_beside_its_schedule():
    network = northfell_json.read(bracken_quay())
    sheet = network.sheets[0]
    drawing = draw(network.elements, sheet, {}, {}, units=network.settings.units)
    frames = [s for g in drawing.groups for s in g.shapes if isinstance(s, Rect) and s.style.cls == "schedule"]
    assert len(frames) == 4
    for g in drawing.groups:
        for hit in (s for s in g.shapes if isinstance(s, Rect) and s.style.cls == "hit"):
            assert not any(f.x < hit.x + hit.w and hit.x < f.x + f.w and f.y < hit.y + hit.h and hit.y < f.y + f.h for f in frames), g.element


def test_planned_and_leaving_elements_and_the_projects_units_show():
    network = northfell_json.read(bracken_quay())
    groups = {g.element: g for g in draw(network.elements, network.sheets[0], {}, {}, units=network.settings.units).groups}
    assert "planned" in groups["Ammonia compressor 3"].cls.split()
    assert "planned" in groups["Ammonia compressor 3"].title
    assert "4/0 AWG · 820 ft" in groups["C1"].svg
    leaving = network.elements["C11"].model_copy(update={"status": "to be removed"})
    (group,) = [g for g in draw({**network.elements, "C11": leaving}, network.sheets[0], {}, {}).groups if g.element == "C11"]
    assert sum(s.style.cls == "s hatch" for s in group.shapes) == 4
    assert "to-be-removed" in group.cls.split()


def test_a_wide_network_takes_the_shape_of_a_sheet():
    """A board with many long ways hangs them in columns, the line of each clear of what stands above it."""
    raw = [{"kind": "bus", "name": "S", "v_nominal_kv": 33.0}, {"kind": "infeed", "name": "G", "bus": "S"}]
    for n in range(12):
        raw += [{"kind": "bus", "name": f"B{n}"}, {"kind": "cable", "name": f"W{n}", "from_bus": "S", "to_bus": f"B{n}"}]
        raw += [{"kind": "load", "name": f"E{n}-{k}", "bus": f"B{n}"} for k in range(9)]
    elements = network_of(raw).elements
    places = laid_out(elements)
    assert lying_on_each_other(elements, places) == []
    drawing = draw(elements, Sheet(name="s", placements=places), {}, {})
    obstacles = Obstacles({i: stand.box for i, stand in drawing.standing.stands.items()})
    assert [key for key, way in drawing.standing.ways.items() for a, b in itertools.pairwise(way) if obstacles.crossed(a, b, key[0])] == []
    assert 1.2 < drawing.view[2] / drawing.view[3] < 2.4
    assert len({places[f"B{n}"].y for n in range(12)}) > 2
