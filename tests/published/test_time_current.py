"""Relay times of IEC 60255-151 and IEEE C37.112, gates of IEC 60269-1, and the catalogue's names against the model's."""

import csv
import itertools
import math
from pathlib import Path
from typing import get_args

import numpy as np
import pytest

from northfell.core.catalogue import tables
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import GG_RATINGS_A, Breaker, Bus, Relay
from northfell.core.studies.protection import Device, Edge, gg_operating_time_s, relay_time_s

POINTS = list(csv.DictReader((Path(__file__).parent / "data/relay_test_points.csv").read_text().splitlines()))


@pytest.mark.parametrize("row", POINTS, ids=lambda r: f"{r['curve']}-{r['M']}")
def test_relay_time_is_the_published_one(row):
    t = float(relay_time_s(tables.relay_curves()[row["curve"]], float(row["M"]), float(row["TM"])))
    assert t == pytest.approx(float(row["t_s"]), rel=0.011 if "rounded" in row["source"] else 0.003)


def test_relay_rests_below_its_start_and_holds_above_its_end():
    curve = tables.relay_curves()["IEC_SI"]
    assert math.isinf(relay_time_s(curve, 1.0, 1.0))
    assert math.isinf(relay_time_s(curve, 1.2, 1.0, m_start=1.3))
    assert relay_time_s(curve, 50.0, 1.0, m_hold=20) == relay_time_s(curve, 20.0, 1.0)


@pytest.mark.parametrize("gates", tables.gg_gates().values(), ids=lambda g: f"{g.i_rated_a:g}A")
def test_fuse_meets_its_gates(gates):
    assert gg_operating_time_s(gates, gates.i_max_5s_a) == pytest.approx(5)
    assert gg_operating_time_s(gates, gates.i_max_01s_a) == pytest.approx(0.1)
    assert gg_operating_time_s(gates, gates.i_min_10s_a, "fast") == pytest.approx(10)
    assert gg_operating_time_s(gates, gates.i_min_01s_a, "fast") == pytest.approx(0.1)
    assert math.isinf(gg_operating_time_s(gates, 1.59 * gates.i_rated_a))
    currents = [gates.i_rated_a * 1.6 * 1.1**n for n in range(60)]
    slow, fast = gg_operating_time_s(gates, currents), gg_operating_time_s(gates, currents, "fast")
    assert all(a > b for a, b in itertools.pairwise(slow))  # less time with more current
    assert all(s > f for s, f in zip(slow, fast, strict=True))


def test_electronic_trip_takes_its_fastest_stage():
    settings = {"trip_ir_a": 1000, "trip_tr_s": 8, "trip_isd_a": 4000, "trip_tsd": "0.2", "trip_ii_a": 10000}
    device = Device(Breaker(id="Q", name="Q", from_bus="A", to_bus="B", trip="electronic", **settings))

    def slow(i: float, edge: Edge = "slow") -> float:
        return float(device.opens_at_s(np.float64(i), edge))

    assert math.isinf(slow(1190))
    assert slow(6 * 1000 * 0.7) == pytest.approx(8 * 36 / 4.2**2)  # 4200 A: below the slow edge of short time
    assert slow(4500) == pytest.approx(0.20)
    assert slow(11100) == pytest.approx(0.05)
    assert slow(4500, "fast") == pytest.approx(0.14)


def test_names_in_the_model_are_the_catalogues():
    assert set(parameter(Relay, "curve").choices) == set(tables.relay_curves())
    assert tuple(tables.gg_gates()) == GG_RATINGS_A
    assert list(parameter(Bus, "equipment_class").choices) == list(tables.enclosure_classes())
    assert get_args(Relay.model_fields["curve"].annotation)  # the literal is what refuses another curve
