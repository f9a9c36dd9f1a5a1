"""Relay times of IEC 60255-151 and IEEE C37.112, gates of IEC 60269-1, links of IEEE C37.42, and the catalogue's names against the model's."""

import csv
import itertools
import math
from pathlib import Path
from typing import get_args

import numpy as np
import pytest
from tests.conftest import BUS_A, BUS_B, network_of

from northfell.app.data.edits import set_field
from northfell.core.catalogue import tables
from northfell.core.catalogue.links import band_of, sizes_of
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import apply_change
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import LINK_SIZES_A, OWN, Breaker, Bus, Relay
from northfell.core.studies.protection import Device, Edge, link_time_s, relay_time_s

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
    band = band_of("gG", gates.i_rated_a)
    assert link_time_s(band, gates.i_max_5s_a) == pytest.approx(5)
    assert link_time_s(band, gates.i_max_01s_a) == pytest.approx(0.1)
    assert link_time_s(band, gates.i_min_10s_a, "fast") == pytest.approx(10)
    assert link_time_s(band, gates.i_min_01s_a, "fast") == pytest.approx(0.1)
    assert link_time_s(band, 10 * gates.i_max_01s_a) == pytest.approx(gates.i2t_max_a2s / (10 * gates.i_max_01s_a) ** 2)
    assert math.isinf(link_time_s(band, 1.59 * gates.i_rated_a))


@pytest.mark.parametrize(("link", "size"), [(link, size) for link, sizes in LINK_SIZES_A.items() for size in sizes])
def test_every_link_is_a_band_that_falls_and_is_never_inside_out(link, size):
    band = band_of(link, float(size))
    currents = np.geomspace(band.fast[0][0], 200 * size, 200)
    slow, fast = link_time_s(band, currents), link_time_s(band, currents, "fast")
    assert all(a > b for a, b in itertools.pairwise(fast))
    assert all(a > b for a, b in itertools.pairwise(slow[np.isfinite(slow)]))
    assert all(s > f for s, f in zip(slow, fast, strict=True))


@pytest.mark.parametrize(
    ("link", "size", "long", "ten", "tenth"), [("K", 25, (50, 60, 300), (60, 90), (350, 420)), ("T", 140, (310, 372, 600), (520, 775), (4000, 4800))]
)
def test_an_expulsion_link_melts_at_its_points_and_then_arcs(link, size, long, ten, tenth):
    """IEEE C37.42: least and greatest melting currents at 300 or 600 s, 10 s and 0.1 s; then at least 0.8 cycle of arcing."""
    band = band_of(link, float(size))
    for (least, most), t in ((long[:2], long[2]), (ten, 10), (tenth, 0.1)):
        assert link_time_s(band, least, "fast") == pytest.approx(t)
        assert link_time_s(band, most) == pytest.approx(t + 0.0133)
    assert link_time_s(band, 100 * tenth[1]) == pytest.approx(0.0133 + 1e-5)
    assert math.isinf(link_time_s(band, 0.999 * long[1]))


def test_a_motor_link_leaves_small_currents_to_others():
    band = band_of("aM", 100.0)
    assert math.isinf(link_time_s(band, 399, "fast"))
    assert math.isinf(link_time_s(band, 629))
    assert link_time_s(band, [630, 1250, 1900]) == pytest.approx([60.01, 0.51, 0.11])
    assert link_time_s(band, [400, 800, 1000], "fast") == pytest.approx([60, 0.5, 0.2])


@pytest.mark.parametrize(("link", "size"), [("K", 65), ("T", 100), ("aM", 100), ("E", 100)])
def test_beyond_its_points_no_link_is_credited_with_more_than_its_table_says(link, size):
    """It may melt sooner than at constant I²t, on along its last line; it has melted for certain at constant I²t, and arcs then."""
    band = band_of(link, float(size))
    (i, t), (last_a, last_s) = band.fast[-2:]
    on = last_a**2 / i  # as far again in the logarithm
    assert link_time_s(band, on, "fast") == pytest.approx(last_s**2 / t)
    assert link_time_s(band, on, "fast") < last_s * (last_a / on) ** 2
    assert link_time_s(band, 3 * band.slow[-1][0]) == pytest.approx(band.slow[-1][1] / 9 + band.arcing_s)
    assert band.arcing_s >= 0.01


def test_a_size_is_one_of_its_class():
    assert band_of("K", 63.0) is None
    fuse = {"kind": "fuse", "name": "F", "from_bus": "A", "to_bus": "B", "i_rated_a": 65.0}
    with pytest.raises(NetworkRefused, match="a size of a gG link: 16, 20"):
        network_of([BUS_A, BUS_B, fuse])
    network = network_of([BUS_A, BUS_B, {**fuse, "link": "K"}])
    back = apply_change(network, set_field(network, "Normal", "F", "link", "gG"))[0].elements["F"]
    assert (back.link, back.i_rated_a) == ("gG", None)  # it is missing, and asked for
    kept = apply_change(network, set_field(network, "Normal", "F", "link", "T"))[0].elements["F"]
    assert (kept.link, kept.i_rated_a) == ("T", 65.0)
    with pytest.raises(NetworkRefused, match="a size of a K link: 6, 8"):
        apply_change(network, set_field(network, "Normal", "F", "i_rated_a", "63"))


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
    assert set(parameter(Relay, "curve").choices) == {*tables.relay_curves(), OWN}
    assert set(parameter(Relay, "earth_curve").choices) == set(tables.relay_curves())
    assert {link: tuple(sizes_of(link)) for link in LINK_SIZES_A} == LINK_SIZES_A
    assert list(parameter(Bus, "equipment_class").choices) == list(tables.enclosure_classes())
    assert get_args(Relay.model_fields["curve"].annotation)  # the literal is what refuses another curve
