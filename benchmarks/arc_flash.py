"""Arc flash at many places, as a ratio to the all-bus fault study of the same network in the same run; and of eight states from the network on.

Run with `python -m benchmarks.arc_flash`. The network is made up: an 11 kV board, transformers, low-voltage boards with breakers to panels.
"""

from typing import Any

from benchmarks.load_flow import seconds
from northfell.core.model.elements import ELEMENT
from northfell.core.model.network import Network, OperatingState
from northfell.core.network import compile_network
from northfell.core.studies import arc_flash, short_circuit

TRIP = {"trip": "electronic", "trip_ir_a": 300.0, "trip_tr_s": 8.0, "trip_isd_a": 2000.0, "trip_tsd": "0.2"}
BOX = {"electrode_configuration": "VCB", "gap_mm": 25.0, "working_distance_mm": 457.0, "box_height_mm": 508.0, "box_width_mm": 508.0, "box_depth_mm": 400.0}


def plant(boards: int, panels: int, supplies: int = 1) -> Network:
    """Boards of panels: places of work at all of them. With two supplies a board is cut off in two steps."""
    raw: list[dict[str, Any]] = [{"kind": "bus", "name": "HV", "v_nominal_kv": 11.0}]
    raw.append({"kind": "infeed", "name": "G", "bus": "HV", "ik_max_ka": 20.0, "ik_min_ka": 12.0, "r_over_x": 0.1})
    for b in range(boards):
        raw.append({"kind": "bus", "name": f"B{b}", "v_nominal_kv": 0.4, "bus_kind": "switchboard", **BOX})
        for n, short_time in ((f"{b}{'x' * k}", ("0.2", "0.3")[k]) for k in range(supplies)):
            raw += [
                {"kind": "bus", "name": f"A{n}", "v_nominal_kv": 11.0},
                {"kind": "bus", "name": f"L{n}", "v_nominal_kv": 0.4},
                {"kind": "breaker", "name": f"QH{n}", "from_bus": "HV", "to_bus": f"A{n}", "t_break_s": 0.06},
                {"kind": "relay", "name": f"R{n}", "breaker": f"QH{n}", "ct_primary_a": 100.0, "curve": "IEC_VI", "i_pickup_a": 80.0, "time_multiplier": 0.3,
                 "time_tolerance_pct": 5.0},
                {"kind": "transformer", "name": f"T{n}", "hv_bus": f"A{n}", "lv_bus": f"L{n}", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4,
                 "uk_pct": 6.0, "ur_pct": 1.0, "vector_group": "Dyn11"},
                {"kind": "breaker", "name": f"QL{n}", "from_bus": f"L{n}", "to_bus": f"B{b}", "t_break_s": 0.06, **TRIP, "trip_ir_a": 1500.0,
                 "trip_isd_a": 9000.0, "trip_tsd": short_time},
            ]  # fmt: skip
        for p in range(panels):
            n = f"{b}-{p}"
            raw += [
                {"kind": "bus", "name": f"E{n}", "v_nominal_kv": 0.4},
                {"kind": "bus", "name": f"P{n}", "v_nominal_kv": 0.4, "bus_kind": "switchboard", **BOX},
                {"kind": "breaker", "name": f"Q{n}", "from_bus": f"B{b}", "to_bus": f"E{n}", "t_break_s": 0.05, **TRIP},
                {"kind": "cable", "name": f"W{n}", "from_bus": f"E{n}", "to_bus": f"P{n}", "length_m": 40.0, "r_ohm_per_km": 0.2, "x_ohm_per_km": 0.08,
                 "t_end_degc": 250.0},
                {"kind": "induction_motor", "name": f"M{n}", "bus": f"P{n}", "p_rated_kw": 22.0, "v_rated_kv": 0.4, "efficiency_pct": 92.0,
                 "power_factor": 0.86, "ilr_over_ir": 6.5, "r_over_x": 0.42},
            ]  # fmt: skip
    elements = {r["name"]: ELEMENT.validate_python({**r, "id": r["name"]}) for r in raw}
    return Network(name=f"{boards * (panels + 1)} places").model_copy(update={"elements": elements})


def in_states(network: Network, states: int) -> Network:
    """With operating states, in each of which a board has lost its supply and a panel of another one is off."""
    off = [{f"QL{k}": {"closed": False}, f"Q{k + states}-1": {"closed": False}} for k in range(1, states)]
    return network.model_copy(update={"states": [OperatingState(name=f"S{k}", differences=one) for k, one in enumerate(off, 1)]})


def faults_of(network: Network, state: str) -> short_circuit.ShortCircuit:
    """The fault study of a state, from the network on."""
    faults = short_circuit.run(compile_network(network, state, "short_circuit"))
    assert all(len(case.ik_ka) == len(case.ip_ka) for case in faults.cases.values())
    return faults


def arc_flash_of(network: Network, state: str) -> arc_flash.ArcFlash:
    """The arc-flash study of a state, from the network on."""
    faults = faults_of(network, state)
    return arc_flash.run(faults.net, faults=faults)


def main() -> None:
    print("places  buses  supplies  faults at all buses s  arc flash s  arc flash/faults")
    for boards, panels, supplies in ((10, 9, 1), (50, 9, 1), (10, 9, 2), (50, 9, 2)):
        net = compile_network(plant(boards, panels, supplies), "Normal", "short_circuit")
        faults = short_circuit.run(net)
        alone = seconds(lambda net=net: [(case.ik_ka, case.ip_ka) for case in short_circuit.run(net).cases.values()], 3)  # type: ignore[misc]
        arc = seconds(lambda net=net, faults=faults: arc_flash.run(net, faults=faults), 3)  # type: ignore[misc]
        buses = len(net.topology.bus_ids)
        print(f"{boards * (panels + 1):6d}  {buses:5d}  {supplies:8d}  {alone:21.3f}  {arc:11.3f}  {arc / alone:16.1f}", flush=True)
    print("places  states  supplies  fault study s  arc-flash study s  ratio, both from the network on")
    for supplies in (1, 2):
        network = in_states(plant(50, 9, supplies), 8)
        alone = seconds(lambda network=network: [faults_of(network, state) for state in network.state_names], 3)  # type: ignore[misc]
        whole = seconds(lambda network=network: [arc_flash_of(network, state) for state in network.state_names], 3)  # type: ignore[misc]
        print(f"{500:6d}  {len(network.state_names):6d}  {supplies:8d}  {alone:13.3f}  {whole:17.3f}  {whole / alone:5.1f}", flush=True)


if __name__ == "__main__":
    main()
