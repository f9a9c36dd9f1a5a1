"""Sizing of circuits, as a ratio to load flow and faults of the same network in the same run; all states, and sizes proposed for all of them.

Run with `python -m benchmarks.sizing`.
"""

from benchmarks.load_flow import seconds
from northfell.core.model.elements import Cable
from northfell.core.model.network import Network, OperatingState, check_network, element_from
from northfell.core.model.settings import ProjectSettings
from northfell.core.network import compile_network
from northfell.core.studies import duty, load_flow, short_circuit
from northfell.core.studies.sizing import propose, run

STATES = 4


def works(boards: int, ways: int) -> Network:
    """Low-voltage boards, each behind its transformer, with ways of breaker, cable and load or motor; a third of the cables is too small."""
    raw: list[dict[str, object]] = [
        {"kind": "bus", "name": "Main", "v_nominal_kv": 11.0},
        {"kind": "infeed", "name": "G", "bus": "Main", "ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1, "neutral": "solid", "x0_over_x1": 1.0,
         "r0_over_x0": 0.1},
    ]  # fmt: skip
    for b in range(boards):
        raw += [
            {"kind": "bus", "name": f"B{b}", "v_nominal_kv": 0.4},
            {"kind": "transformer", "name": f"T{b}", "hv_bus": "Main", "lv_bus": f"B{b}", "s_rated_mva": 1.6, "v_hv_kv": 11.0, "v_lv_kv": 0.4,
             "vector_group": "Dyn11", "uk_pct": 6.0, "load_loss_kw": 15.0, "neutral_lv": "solid", "z0_over_z1": 0.95},
        ]  # fmt: skip
        for n in range(ways):
            k, kw = f"{b}.{n}", 5.0 + 7 * (n % 9)
            ir = round(2.0 * kw)
            area = {0: 6.0, 1: 35.0, 2: 95.0}[n % 3]
            raw += [
                {"kind": "bus", "name": f"N{k}", "v_nominal_kv": 0.4, "bus_kind": "junction"},
                {"kind": "bus", "name": f"F{k}", "v_nominal_kv": 0.4, "bus_kind": "junction"},
                {"kind": "breaker", "name": f"Q{k}", "from_bus": f"B{b}", "to_bus": f"N{k}", "i_rated_a": 250.0, "trip": "electronic", "trip_ir_a": float(ir),
                 "trip_tr_s": 4.0, "trip_ii_a": 10.0 * ir, "rated_by": "IEC 60947-2", "i_breaking_ka": 50.0},
                {"kind": "cable", "name": f"W{k}", "from_bus": f"N{k}", "to_bus": f"F{k}", "length_m": 20.0 + 3 * (n % 20), "conductor": "copper",
                 "insulation": "XLPE", "cores": "4", "area_mm2": area, "method": "E", "arrangement": "single layer on perforated tray",
                 "route": f"R{b}.{n // 5}",
                 "ambient_degc": 35.0, "r_ohm_per_km": 18.4 / area, "x_ohm_per_km": 0.09, "r0_ohm_per_km": 73.6 / area, "x0_ohm_per_km": 0.36,
                 "t_end_degc": 250.0},
            ]  # fmt: skip
            if n % 2:
                raw.append({"kind": "load", "name": f"E{k}", "bus": f"F{k}", "p_mw": kw / 1000, "q_mvar": kw / 2500})
            else:
                raw.append({"kind": "induction_motor", "name": f"M{k}", "bus": f"F{k}", "p_rated_kw": kw, "v_rated_kv": 0.4, "efficiency_pct": 93.0,
                            "power_factor": 0.86, "ilr_over_ir": 6.5, "r_over_x": 0.42})  # fmt: skip
    elements = [element_from({"id": e["name"], **e}) for e in raw]
    states = [OperatingState(name=f"State {s}", differences={f"Q{b}.{s}": {"closed": False} for b in range(boards)}) for s in range(1, STATES)]
    network = Network(name="Works", states=states, settings=ProjectSettings()).model_copy(update={"elements": {e.id: e for e in elements}})
    check_network(network)
    return network


def main() -> None:
    print("circuits  load flow + faults s  duties s  sizing s  sizing/(flow + faults)  states  all states proposed s")
    for boards in (5, 50):
        network = works(boards, 20)
        net = compile_network(network, "Normal")
        flow = load_flow.run(net)
        faults = short_circuit.run(compile_network(network, "Normal", "short_circuit"))
        base = seconds(lambda net=net: (load_flow.run(net), [c.ik_ka for c in short_circuit.run(net).cases.values()]), 3)  # type: ignore[misc]
        judged = seconds(lambda faults=faults: duty.run(faults.net, faults=faults), 1)  # type: ignore[misc]
        sized = seconds(lambda net=net, flow=flow, faults=faults: run(net, flow=flow, faults=faults), 3)  # type: ignore[misc]
        cables = [e.id for e in network.elements.values() if isinstance(e, Cable)]
        whole = seconds(lambda network=network, cables=cables: propose(network, cables), 1)  # type: ignore[misc]
        print(f"{len(cables):8d}  {base:20.3f}  {judged:8.2f}  {sized:8.2f}  {sized / base:22.1f}  {len(network.state_names):6d}  {whole:21.2f}", flush=True)


if __name__ == "__main__":
    main()
