"""Symbols: what a position, a star point, a starter and a standard change; terminals that face their buses; arcs that stay arcs."""

import math

import pytest
from tests.conftest import network_of

from northfell.core.model.elements import KINDS
from northfell.core.model.network import Placement, Sheet, element_from
from northfell.drawing.shapes import Arc, Circle, Line, svg_of
from northfell.drawing.sheet import draw
from northfell.drawing.symbols import IEC_60617, Transform, moved
from northfell.drawing.symbols_ieee import IEEE_315, symbol_of


def element(kind, **values):
    given = {"q_mvar": 1.0, "q_step_mvar": 0.1, "r_pu": 0.0, "x_pu": 0.1, "breaker": "Q", "measures": "Q", **dict.fromkeys(KINDS[kind].TERMINALS, "A")}
    return element_from({"kind": kind, "id": "x", "name": "x", **{k: v for k, v in given.items() if k in KINDS[kind].model_fields}, **values})


def drawn(kind, standard="IEC 60617", **values):
    return svg_of(symbol_of(element(kind, **values), standard).shapes)


@pytest.mark.parametrize("standard", ["IEC 60617", "IEEE 315"])
@pytest.mark.parametrize(
    ("kind", "one", "other"),
    [
        ("breaker", {"closed": True}, {"closed": False}), ("switch", {"closed": True}, {"closed": False}), ("fuse", {"closed": True}, {"closed": False}),
        ("contactor", {"closed": True}, {"closed": False}), ("changeover", {"position": "first"}, {"position": "second"}),
        ("changeover", {"position": "first"}, {"position": "off"}), ("breaker", {"design": "fixed"}, {"design": "withdrawable"}),
        ("switch", {"function": "disconnector"}, {"function": "load switch"}), ("transformer", {}, {"neutral_lv": "resistor"}),
        ("transformer", {"neutral_lv": "solid"}, {"neutral_lv": "reactor"}), ("synchronous_generator", {}, {"neutral": "resistor"}),
        ("earthing_transformer", {}, {"neutral": "resistor"}), ("three_winding_transformer", {}, {"neutral_mv": "solid"}),
        ("induction_motor", {"starter": "direct"}, {"starter": "drive"}), ("load", {}, {"motor_share_pct": 50.0}),
        ("inverter", {"source": "solar"}, {"source": "battery"}), ("shunt", {"q_mvar": 1.0}, {"q_mvar": -1.0}), ("relay", {}, {"i_high_a": 100.0}),
        ("transformer", {"neutral_lv": "isolated"}, {"neutral_lv": "solid"}),
    ],
)  # fmt: skip
def test_what_is_different_looks_different(standard, kind, one, other):
    assert drawn(kind, standard, **one) != drawn(kind, standard, **other)


def test_all_kinds_differ_and_the_standards_differ_where_they_should():
    every = {kind: drawn(kind) for kind in KINDS if kind not in ("bus", "shunt")}
    assert len(set(every.values())) == len(every)
    assert set(IEEE_315) == set(IEC_60617) == set(KINDS.values()) - {KINDS["bus"]}
    differing = {kind for kind in every if drawn(kind) != drawn(kind, "IEEE 315")}
    assert differing == {"breaker", "switch", "contactor", "fuse", "transformer", "capacitor_bank", "series_reactor"}


def test_vector_groups_stand_in_their_windings():
    assert drawn("transformer", vector_group="Dyn11") != drawn("transformer", vector_group="Yyn0")
    assert drawn("transformer", vector_group="Dyn11") == drawn("transformer", vector_group="Dy1")  # the clock is told in words
    assert len(symbol_of(element("three_winding_transformer", vector_group="YNyn0d5"), "IEC 60617").shapes) > len(
        symbol_of(element("three_winding_transformer"), "IEC 60617").shapes
    )


@pytest.mark.parametrize("flip", [False, True])
@pytest.mark.parametrize("mirror", [False, True])
@pytest.mark.parametrize("turn", [0, 1, 2, 3])
def test_a_symbol_keeps_its_form_when_it_is_turned_and_mirrored(turn, flip, mirror):
    """An arc's curve, turned as points, is the curve of the turned arc."""
    to = Transform(7, -3, turn, flip, mirror)
    for arc in (Arc((0, 0), (0, 6), 3), Arc((-10, 0), (0, -10), 10)):
        turned = moved(arc, to)
        direct = {(round(x, 6), round(y, 6)) for x, y in map(to, arc.curve())}
        assert {(round(x, 6), round(y, 6)) for x, y in turned.curve()} == direct
    assert moved(Circle(1, 2, 5), to).r == 5


def test_the_curve_of_an_arc_lies_on_its_circle():
    for arc, centre in ((Arc((0, 0), (0, 6), 3), (0, 3)), (Arc((-10, 0), (0, -10), 10), (0, 0)), (Arc((0, 10), (-10, 0), 10), (0, 0))):
        points = arc.curve()
        assert points[0] == pytest.approx(arc.start)
        assert points[-1] == pytest.approx(arc.end)
        for n in (0, 3, 6):
            assert math.dist(points[n], centre) == pytest.approx(arc.r)
        for a, b, c, d in (points[0:4], points[3:7]):
            middle = [(p + 3 * q + 3 * r + s) / 8 for p, q, r, s in zip(a, b, c, d, strict=True)]
            assert math.dist(middle, centre) == pytest.approx(arc.r, rel=1e-3)


def test_three_terminals_are_mirrored_to_face_their_buses():
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 0.4} for n in "ABC"]
    over = {"kind": "changeover", "name": "Q", "bus": "C", "first_bus": "A", "second_bus": "B"}
    network = network_of([*buses, over])
    for a_x, b_x, up in ((0, 20, False), (20, 0, False), (0, 20, True)):
        ys = (20, 0) if up else (0, 20)
        places = {"A": Placement(x=a_x, y=ys[0]), "B": Placement(x=b_x, y=ys[0]), "C": Placement(x=10, y=ys[1]), "Q": Placement(x=10, y=10)}
        standing = draw(network.elements, Sheet(name="s", placements=places), {}, {}).standing
        (cx, cy), (ax, ay), (bx, by) = (at for at, _ in standing.stands["Q"].terminals)
        assert (ax < bx) == (a_x < b_x)
        assert (cy > ay) == (ys[1] > ys[0])
        assert (cx, ay) == (100, by)
        wires = [way for way in standing.ways.values() if way]
        assert len(wires) == 3
        assert all(len(way) <= 4 for way in wires)


def test_a_turned_symbol_lies_across_and_one_turned_twice_looks_away():
    network = network_of([{"kind": "bus", "name": n, "v_nominal_kv": 0.4} for n in "AB"] + [{"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "B"}])

    def terminals(turn):
        places = {"A": Placement(x=0, y=0), "B": Placement(x=0, y=20), "Q": Placement(x=0, y=10, turn=turn)}
        return [at for at, _ in draw(network.elements, Sheet(name="s", placements=places), {}, {}).standing.stands["Q"].terminals]

    (a, b), (across_a, across_b), (away_a, away_b) = terminals(0), terminals(1), terminals(2)
    assert a[1] < b[1]
    assert across_a[1] == pytest.approx(across_b[1])
    assert away_a[1] > away_b[1]


def test_lines_of_symbols_are_never_of_one_point():
    for kind in KINDS:
        if kind != "bus":
            for standard in ("IEC 60617", "IEEE 315"):
                for shape in symbol_of(element(kind), standard).shapes:
                    assert not isinstance(shape, Line) or len(shape.points) > 1
