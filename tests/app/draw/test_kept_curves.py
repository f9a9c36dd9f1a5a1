"""Sheets of curves that are kept: changed and taken back, gone with their devices, and whole in every file."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of

from northfell.app.data.workbooks import merged
from northfell.app.draw import curves
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, PutCurves, Remove, apply_change
from northfell.core.model.changes.touched import touched_by
from northfell.core.model.kept_beside import KeptCurves
from northfell.core.network import compile_network
from northfell.core.studies.coordination import kept_sheet, run
from northfell.formats import network_tables, northfell_json, northfell_zip, workbook
from northfell.formats.northfell_zip import WholeProject

TRIP = {"trip": "electronic", "trip_ir_a": 400.0, "trip_tr_s": 8.0, "trip_isd_a": 2000.0, "trip_tsd": "0.1", "trip_ii_a": 5000.0, "i_rated_a": 630.0}
C, D = ({**BUS_B, "name": n} for n in ("C", "D"))
Q1 = {"kind": "breaker", "name": "Q1", "from_bus": "A", "to_bus": "C", **TRIP}
Q2 = {"kind": "breaker", "name": "Q2", "from_bus": "B", "to_bus": "D", **TRIP, "trip_ir_a": 200.0}
APART = [{"kind": "bus", "name": n} for n in ("X", "Y")]
F3 = {"kind": "fuse", "name": "F3", "from_bus": "X", "to_bus": "Y", "i_rated_a": 100.0}
W = {**CABLE, "from_bus": "C"}
ELEMENTS = [BUS_A, BUS_B, C, D, *APART, INFEED, Q1, Q2, F3, W]
KEPT = KeptCurves(name="Feeder", devices=["Q2", "Q1"], fault="lg", v_ref_kv=11.0)


def kept(*sheets: KeptCurves):
    network = network_of(ELEMENTS)
    return apply_change(network, Change("kept", tuple(PutCurves(name="", to=one) for one in sheets)))[0]


def done(network, change: Change):
    """A change, after which taking it back is found to give what there was."""
    after, inverse = apply_change(network, change)
    assert apply_change(after, inverse)[0] == network
    return after


def test_kept_named_ordered_and_taken_away():
    network = done(kept(), curves.keep(kept(), " Feeder ", ["Q2", "Q1"], "lg"))
    network = done(network, curves.keep(network, "All", [], "3ph"))
    assert [c.name for c in network.curves] == ["Feeder", "All"]
    network = done(network, curves.stand(network, "F3", ["Feeder", "All"]))
    network = done(network, curves.stand(network, "Q1", ["All"]))
    assert {c.name: c.devices for c in network.curves} == {"Feeder": ["Q2", "F3"], "All": ["F3", "Q1"]}
    network = done(network, curves.shift(network, "All", -1))
    assert [c.name for c in network.curves] == ["All", "Feeder"]
    assert not curves.shift(network, "All", -1).acts
    network = done(network, curves.show(network, "All", "lg", "own", "400 V"))
    assert (network.curves[0].fault, network.curves[0].own_amperes, network.curves[0].v_ref_kv) == ("lg", True, 0.4)
    network = done(network, curves.rename(network, "All", "Every"))
    network = done(network, curves.remove(network, "Feeder"))
    assert [c.name for c in network.curves] == ["Every"]


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda n: curves.keep(n, "Feeder", [], "3ph"), "no other sheet of curves"),
        (lambda n: curves.keep(n, "", [], "3ph"), "name"),
        (lambda n: curves.keep(n, "W", ["W"], "3ph"), "a breaker or a fuse"),
        (lambda n: curves.keep(n, "W", ["Q1", "Q1"], "3ph"), "each device once"),
        (lambda n: curves.rename(n, "None", "Some"), "one of Feeder"),
        (lambda n: curves.show(n, "Feeder", "3ph", "one", "-4"), "above 0"),
        (lambda n: curves.show(n, "Feeder", "3ph", "one", "4 A"), "kV"),
        (lambda n: curves.show(n, "Feeder", "open", "one", ""), "3ph or lg"),
        (lambda n: curves.stand(n, "Q1", ["Nowhere"]), "one of Feeder"),
    ],
)
def test_what_cannot_be_kept_is_refused_with_what_is_accepted(change, told):
    network = kept(KEPT)
    with pytest.raises((NetworkRefused, InputRefused), match=told):
        apply_change(network, change(network))


def test_a_device_that_is_removed_leaves_its_sheets_and_comes_back_to_its_place():
    network = kept(KEPT, KeptCurves(name="Other", devices=["F3"]))
    after = done(network, Change("gone", (Remove(id="Q2"),)))
    assert [c.devices for c in after.curves] == [["Q1"], ["F3"]]


def test_two_people_meet_on_one_sheet_and_not_on_two():
    network = kept(KEPT, KeptCurves(name="Other"))
    assert touched_by(curves.rename(network, "Feeder", "Main")) == {("curves", "Feeder"), ("curves", "Main")}
    assert touched_by(curves.stand(network, "F3", ["Feeder", "Other"])) == {("curves", "Feeder"), ("curves", "Other")}


sheets = st.lists(
    st.builds(
        KeptCurves, name=st.sampled_from(["Feeder", "=1+1", "Ö x", "0400"]), devices=st.lists(st.sampled_from(["Q1", "Q2", "F3"]), unique=True),
        fault=st.sampled_from(["3ph", "lg"]), v_ref_kv=st.none() | st.floats(0.1, 1200), own_amperes=st.booleans(),
    ),
    unique_by=lambda one: one.name, max_size=3,
)  # fmt: skip


@given(sheets)
def test_they_are_whole_in_every_file(some):
    network = kept(*some)
    assert northfell_zip.read(northfell_zip.write(WholeProject(network))).network.curves == network.curves
    assert northfell_json.read(northfell_json.write(network)).curves == network.curves
    found = network_tables.read(workbook.read_xlsx(workbook.write_xlsx(network_tables.tables_of(network))))
    assert apply_change(kept(), merged(kept(), found))[0].curves == network.curves
    assert not merged(network, found).acts


def test_a_sheet_of_devices_that_are_not_fed_is_drawn_whole():
    """Connected to nothing, and with no supply at all: in its own amperes where no voltage is known."""
    network = kept(KeptCurves(name="All", devices=["F3", "Q2", "Q1"], v_ref_kv=22.0))
    net = compile_network(network, "Normal")
    with_faults, without = kept_sheet(net, run(net), network.curves[0], "Q1"), kept_sheet(net, None, network.curves[0], "Q1")
    assert [one.device.name for one in with_faults.devices] == ["F3", "Q2", "Q1"]
    assert [one.own for one in with_faults.devices] == [True, False, False]
    assert [one.factor for one in with_faults.devices] == [1.0, 0.5, 0.5]
    assert with_faults.chosen == "Q1"
    assert (without.found, without.chosen, without.pairs) == (None, "", ())
    first = without.at["Q1"]
    assert first.to_a == pytest.approx(0.5 * 100 * min(fn.curve.from_a("fast") for fn in first.device.functions))
    assert with_faults.at["Q1"].to_a != pytest.approx(first.to_a)  # ends at the greatest fault that it sees
    own = kept_sheet(net, run(net), network.curves[0].model_copy(update={"own_amperes": True}))
    assert [one.factor for one in own.devices] == [1.0, 1.0, 1.0]
    assert not any(one.own for one in own.devices)
    assert kept_sheet(net, None, KeptCurves(name="empty")) is None
