"""From model to arrays: topology, supply and per unit, by hand."""

import math

import numpy as np
import pytest
from hypothesis import given
from scipy.sparse import csc_array
from tests.conftest import BUS_A, BUS_B, BUS_C, CABLE, INFEED, LOAD, network_of
from tests.core.random_networks import networks
from tests.core.studies.load_flow.test_load_flow import TRANSFORMER

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.network import OperatingState
from northfell.core.network import Factorised, branch_two_ports, compile_network, energised, linear, node_admittance, topology_of
from northfell.core.network.linear import SingularMatrix, solve_once
from northfell.core.studies.load_flow import LOAD_FLOW

SWITCH = {"kind": "switch", "name": "Q", "from_bus": "B", "to_bus": "C"}


def test_closed_switches_make_one_node_and_open_ones_do_not():
    for closed, nodes in ((True, 2), (False, 3)):
        top = topology_of(network_of([BUS_A, BUS_B, BUS_C, INFEED, CABLE, {**SWITCH, "closed": closed}]).elements)
        assert top.n_nodes == nodes
        assert [top.fed_bus(i) for i in range(3)] == [True, True, closed]


def test_what_is_energised():
    elements = network_of([BUS_A, BUS_B, BUS_C, INFEED, CABLE, {**SWITCH, "closed": False}, LOAD, {**LOAD, "name": "E2", "bus": "C"}]).elements
    state = energised(elements, topology_of(elements))
    assert state == {"A": True, "B": True, "C": False, "G": True, "W": True, "Q": True, "E": True, "E2": False}


def test_a_bus_out_of_service_takes_what_hangs_on_it_with_it():
    elements = network_of([BUS_A, {**BUS_B, "in_service": False}, BUS_C, INFEED, CABLE, SWITCH, LOAD]).elements
    top = topology_of(elements)
    assert top.node_of_bus[1] == -1
    assert not top.live["W"]
    assert not top.live["E"]
    assert energised(elements, top)["B"] is False
    compile_network(network_of([BUS_A, {**BUS_B, "in_service": False}, BUS_C, INFEED, CABLE, SWITCH, LOAD]), "Normal")


def test_a_state_is_its_differences():
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD], [OperatingState(name="Half", differences={"E": {"load_factor": 0.5}})])
    assert network.in_state("Half")["E"].load_factor == 0.5
    assert network.in_state("Normal")["E"].load_factor == 1.0
    assert network.state_names == ["Normal", "Half"]


def test_transformer_in_per_unit():
    """10 MVA, 10 % on 100 MVA is 1 p.u.; taps and vector group stand in the ratio, at the high side."""
    hv = {**BUS_A, "v_nominal_kv": 33.0}
    net = compile_network(network_of([hv, BUS_B, INFEED, {**TRANSFORMER, "tap_pct": 5.0, "v_lv_kv": 11.55}]), "Normal")
    b = net.branches
    base = (11.55 / 11) ** 2 * 10
    assert (b.r_flow[0], b.x[0]) == (pytest.approx(0.005 * base), pytest.approx(math.sqrt(0.1**2 - 0.005**2) * base))
    assert b.x_rated[0] == pytest.approx(math.sqrt(0.1**2 - 0.005**2))
    assert b.ratio_main[0] == pytest.approx(1 / 1.05 * np.exp(1j * math.radians(330)))
    assert b.ratio[0] == pytest.approx(1.05 * b.ratio_main[0])
    assert (b.rating[0], bool(b.rating_is_a[0])) == (10.0, False)


def test_load_losses_give_the_resistive_part():
    hv = {**BUS_A, "v_nominal_kv": 33.0}
    by_loss = compile_network(network_of([hv, BUS_B, INFEED, {**TRANSFORMER, "ur_pct": None, "load_loss_kw": 50.0}]), "Normal")
    by_ur = compile_network(network_of([hv, BUS_B, INFEED, TRANSFORMER]), "Normal")
    assert by_loss.branches.r_flow == pytest.approx(by_ur.branches.r_flow)


def test_magnetising_branch_draws_its_no_load_power():
    from northfell.app.results.studies import StateResults

    hv = {**BUS_A, "v_nominal_kv": 33.0}
    flow = StateResults(network_of([hv, BUS_B, INFEED, {**TRANSFORMER, "no_load_loss_kw": 10.0, "no_load_current_pct": 1.0}]), "Normal").result(LOAD_FLOW)
    s = flow.terminal_power["T"][0]
    assert s.real == pytest.approx(0.010, rel=1e-3)
    assert abs(s) == pytest.approx(0.1, rel=1e-3)


def test_cable_in_per_unit_cold_hot_and_operating():
    net = compile_network(network_of([BUS_A, BUS_B, INFEED, {**CABLE, "t_operating_degc": 70.0, "parallel": 2, "c_uf_per_km": 0.4}]), "Normal")
    b, z_base = net.branches, 1.21
    assert b.r_cold[0] == pytest.approx(0.16 / z_base)
    assert b.r_flow[0] == pytest.approx(0.16 * 1.2 / z_base)
    assert b.r_hot[0] == pytest.approx(0.16 * (1 + 0.004 * 230) / z_base)
    assert b.x[0] == pytest.approx(0.05 / z_base)
    assert b.b[0] == pytest.approx(2 * math.pi * 50 * 0.4e-6 * 2 * z_base)


def test_frequency_is_the_projects():
    given = [BUS_A, BUS_B, INFEED, {**CABLE, "c_uf_per_km": 0.4}]
    fifty, sixty = (compile_network(network_of(given, frequency_hz=f), "Normal").branches.b[0] for f in (50, 60))
    assert sixty == pytest.approx(1.2 * fifty)


def test_an_unknown_voltage_is_that_of_the_buses_it_is_switched_to():
    net = compile_network(network_of([BUS_A, BUS_B, {**BUS_C, "v_nominal_kv": None}, INFEED, CABLE, SWITCH]), "Normal")
    assert net.v_nominal_kv.tolist() == [11, 11, 11]


def test_two_port_by_hand():
    """A branch of 1 + j1 behind a ratio of 2: open at the second end it draws nothing; fed from there it sees V/2."""
    port = branch_two_ports(np.array([1.0]), np.array([1.0]), np.zeros(1), np.zeros(1), np.array([2.0 + 0j]))[0]
    i = port @ np.array([1.0, 0.5])
    assert np.allclose(i, 0)
    i = port @ np.array([1.0, 0.0])
    assert i[0] == pytest.approx(1 / (1 + 1j) / 4)
    assert i[1] == pytest.approx(-1 / (1 + 1j) / 2)


@given(networks(shift=False))
def test_admittance_rows_without_shunts_sum_to_nothing_where_no_ratio_stands(network):
    net = compile_network(network, "Normal")
    plain = np.abs(net.branches.ratio_main - 1) < 1e-12
    zeros = np.zeros(int(plain.sum()))
    port = branch_two_ports(net.branches.r_flow[plain], net.branches.x[plain], zeros, zeros, np.ones(int(plain.sum()), complex))
    f, t = (net.topology.node_of_bus[b[plain]] for b in (net.branches.from_bus, net.branches.to_bus))
    y = node_admittance(net.topology.n_nodes, port, f, t, np.zeros(net.topology.n_nodes, complex))
    assert np.abs(np.asarray(y.sum(axis=1))).max() < 1e-9 * max(1.0, np.abs(y.data).max())


@pytest.mark.parametrize("solver", [linear.KLU, None], ids=["KLU where it is there", "SuperLU"])
def test_a_singular_matrix_is_told(solver, monkeypatch):
    monkeypatch.setattr(linear, "KLU", solver)
    matrix = csc_array(np.array([[1.0, 1.0], [1.0, 1.0]]))
    for rhs in (np.array([1.0, 2.0]), np.array([1.0, 1.0])):  # KLU answers with the right-hand side, which by chance may be near to a solution
        with pytest.raises(SingularMatrix):
            Factorised(matrix).solve(rhs)
        with pytest.raises(SingularMatrix):
            solve_once(matrix, rhs)


@given(networks())
def test_both_solvers_find_the_same(network):
    found = []
    for solver in (linear.KLU, None):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(linear, "KLU", solver)
            try:
                found.append(LOAD_FLOW.run(compile_network(network, "Normal"), {}).v)
            except (CannotRun, NoSolution) as error:
                found.append(np.array([len(str(error))]))
    np.testing.assert_allclose(found[0], found[1], rtol=0, atol=1e-9)


def test_every_contradiction_is_told_at_once():
    wrong = [{**CABLE, "name": n, "to_bus": "C"} for n in ("W1", "W2")]
    with pytest.raises(CannotRun) as error:
        compile_network(network_of([BUS_A, {**BUS_C, "v_nominal_kv": 0.4}, INFEED, *wrong]), "Normal")
    assert len(error.value.reasons) == 2
    assert "joins buses of 11 kV and 0.4 kV" in error.value.reasons[0]


THREE = {
    "kind": "three_winding_transformer", "name": "T", "hv_bus": "A", "mv_bus": "B", "lv_bus": "C", "s_hv_mva": 20.0, "s_mv_mva": 15.0, "s_lv_mva": 8.0,
    "v_hv_kv": 33.0, "v_mv_kv": 11.0, "v_lv_kv": 11.0, "uk_hv_mv_pct": 9.0, "uk_hv_lv_pct": 12.0, "uk_mv_lv_pct": 5.0, "ur_hv_mv_pct": 0.5,
    "ur_hv_lv_pct": 0.6, "ur_mv_lv_pct": 0.4, "vector_group": "YNyn0yn0",
}  # fmt: skip


def test_three_windings_at_no_load_draw_the_no_load_power_and_in_pairs_their_impedance():
    """Magnetising: 30 kW and 0.8 % of 20 MVA. Each pair alone: its uk on the smaller power of the two, at the transformer's rated voltages."""
    from northfell.app.results.studies import StateResults

    hv = {**BUS_A, "v_nominal_kv": 33.0}
    given = network_of([hv, BUS_B, BUS_C, INFEED, {**THREE, "no_load_loss_kw": 30.0, "no_load_current_pct": 0.8}])
    s = StateResults(given, "Normal").result(LOAD_FLOW).terminal_power["T"][0]
    assert s.real == pytest.approx(0.030, rel=2e-3)
    assert s.imag == pytest.approx(math.sqrt((0.008 * 20) ** 2 - 0.030**2), rel=2e-3)
    net = compile_network(given, "Normal")
    ab, ac, bc = net.windings[0].pairs
    assert ab == pytest.approx(complex(0.005, math.sqrt(0.09**2 - 0.005**2)) * 100 / 15)
    assert ac == pytest.approx(complex(0.006, math.sqrt(0.12**2 - 0.006**2)) * 100 / 8)
    assert bc == pytest.approx(complex(0.004, math.sqrt(0.05**2 - 0.004**2)) * 100 / 8)
    assert net.windings[0].x_rated == pytest.approx([math.sqrt(0.09**2 - 0.005**2), math.sqrt(0.12**2 - 0.006**2), math.sqrt(0.05**2 - 0.004**2)])
    assert net.windings[0].scale == pytest.approx([1.0, 1.0, 1.0])


def test_three_windings_that_magnetise_by_more_than_their_current_are_told():
    given = [{**BUS_A, "v_nominal_kv": 33.0}, BUS_B, BUS_C, INFEED, {**THREE, "no_load_loss_kw": 170.0, "no_load_current_pct": 0.8}]
    with pytest.raises(CannotRun, match=r"no_load_loss_kw alone asks for 0[.]85 %"):
        compile_network(network_of(given), "Normal")


def test_a_reactor_by_hand():
    """5 % at 400 A on 11 kV: X = 0.05·11/(√3·0.4) ohm, R a thirtieth of it."""
    reactor = {"kind": "series_reactor", "name": "L", "from_bus": "A", "to_bus": "B", "i_rated_a": 400.0, "uk_pct": 5.0, "r_over_x": 0.03}
    b = compile_network(network_of([BUS_A, BUS_B, INFEED, reactor]), "Normal").branches
    x_ohm = 0.05 * 11 / (math.sqrt(3) * 0.4)
    assert complex(b.r_cold[0], b.x[0]) * 1.21 == pytest.approx(complex(0.03 * x_ohm, x_ohm))


def test_what_is_kept_back_has_no_data_left():
    """An island taken as not fed enters nothing: unit reactance, no shunt, ratio one, no rating."""
    net = compile_network(network_of([BUS_A, BUS_B, INFEED, {**CABLE, "c_uf_per_km": 0.4}]), "Normal").masked([0])
    b = net.branches
    assert (b.r_flow[0], b.r_cold[0], b.r_hot[0], b.x[0], b.g[0], b.b[0], b.ratio[0], b.ratio_main[0]) == (0, 0, 0, 1, 0, 0, 1, 1)
    assert math.isnan(b.x_rated[0])
