"""How a fault current came about, derived again with the study's own equations."""

import math

from northfell.core.model.elements import Element, InductionMotor, Infeed, SynchronousGenerator, Transformer
from northfell.core.model.network import title_of
from northfell.core.network.impedance import feeder_impedance, transformer_per_unit
from northfell.core.quantities import figure as f
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.result import METHOD, ShortCircuit
from northfell.core.studies.short_circuit.solve import FC_OVER_F
from northfell.core.working import Working

SHARE_SHOWN = 0.005  # elements that carry less of the fault current are counted, not listed


def explain_fault(study: ShortCircuit, bus: int, case: str, quantity: str = "ik_ka") -> Working:
    """The working of I''k or ip at one bus. Its result equals the figure in the table."""
    net, one = study.net, study.cases[case]
    un, tolerance = float(net.v_nominal_kv[bus]), study.settings.lv_tolerance_pct
    name = net.name(net.topology.bus_ids[bus])
    word = {"max": "Maximum", "min": "Minimum"}[case]
    w = Working(f"{word} {'peak' if quantity == 'ip_ka' else 'initial symmetrical'} short-circuit current at {name}, state {net.state}")
    w.given("Un", "nominal voltage", un, "kV", f"{title_of(net.elements[net.topology.bus_ids[bus]])}, nominal voltage")
    w.given("f", "nominal frequency", float(net.frequency_hz), "Hz", "project setting")
    w.given("tolerance", "voltage tolerance of low-voltage networks", float(tolerance), "%", "study setting")
    c = float(eq.voltage_factor(un, case, tolerance))
    w.step("Voltage factor", "c", f"c{case}(Un)", f"Un = {f(un)} kV", c, "", f"{METHOD}, Table 1")
    _elements_in_path(study, bus, case, w)
    z1 = w.step(
        "Impedance at the fault", "Z1", "Zkk of the inverse nodal admittance matrix", f"{net.topology.n_nodes} nodes, impedances above",
        complex(one.z1_ohm[bus]), "ohm", f"{METHOD}, equivalent voltage source at the fault",
        note="Loads, shunts and line charging are left out; tap changers stand on the main tap."
        + (" Motors are left out; lines have their end-of-fault temperature." if case == "min" else " Motors take part; lines have 20 °C."),
    )  # fmt: skip
    ik = float(eq.initial_current_ka(c, un, z1))
    w.step(
        "Initial symmetrical short-circuit current", "I″k", "c·Un / (√3·|Z1|)", f"{f(c)} · {f(un)} / (√3 · {f(abs(z1), 5)})", ik, "kA",
        f"{METHOD}, three-phase short circuit",
    )  # fmt: skip
    w.result, w.unit = ik, "kA"
    if quantity == "ip_ka":
        zc = w.step(
            "Impedance at the equivalent frequency", "Zc", "Zkk with every reactance times fc/f", f"fc/f = {FC_OVER_F:g}", complex(one.zc_ohm[bus]), "ohm",
            f"{METHOD}, peak current, method (c)",
        )  # fmt: skip
        ratio = float(eq.r_over_x_equivalent(zc, FC_OVER_F))
        w.step("Ratio at the fault", "R/X", "(Rc/Xc)·(fc/f)", f"{f(zc.real, 5)} / {f(zc.imag, 5)} · {FC_OVER_F:g}", ratio, "", f"{METHOD}, method (c)")
        kappa = float(eq.peak_factor(ratio))
        w.step("Peak factor", "κ", "1.02 + 0.98·e^(−3·R/X)", f"1.02 + 0.98·e^(−3·{f(ratio)})", kappa, "", f"{METHOD}, peak current")
        ip = float(eq.peak_current_ka(kappa, ik))
        w.step("Peak short-circuit current", "ip", "κ·√2·I″k", f"{f(kappa)} · √2 · {f(ik, 5)}", ip, "kA", f"{METHOD}, peak current")
        w.result = ip
    return w


def _elements_in_path(study: ShortCircuit, bus: int, case: str, w: Working) -> None:
    """Impedances, with their corrections, of the elements through which the fault current comes."""
    net, one = study.net, study.cases[case]
    flows = study.flows([bus], case)
    fault_mva = abs(flows.ik_ka[0]) * float(net.v_nominal_kv[bus])
    z_of = dict(zip(net.branches.ids, one.z_branch_pu, strict=True))
    z_of |= {e.id: z for e, z in zip(net.infeeds, one.z_infeed_pu, strict=True)}
    z_of |= {e.id: z for e, z in zip(net.generators, one.z_generator_pu, strict=True)}
    z_of |= {e.id: z for e, z in zip(one.motors, one.z_motor_pu, strict=True)}
    small = 0
    for element_id, currents in flows.terminals.items():
        e = net.elements[element_id]
        if element_id not in z_of:
            continue
        at = net.topology.bus_index[e.buses[-1]]
        share = abs(currents[-1, 0]) * float(net.v_nominal_kv[at]) / fault_mva
        if share < SHARE_SHOWN:
            small += 1
            continue
        un = float(net.v_nominal_kv[at])
        z_ohm = complex(z_of[element_id]) * un**2 / net.s_base_mva
        title, equation, substituted, source = _impedance(study, e, case, un)
        w.step(title, f"Z({e.name})", equation, substituted, z_ohm, "ohm", source, f"At {f(un)} kV; brings {share:.1%} of the fault power.")
    if small:
        w.given("n", "elements that bring less than 0.5 % each, in the matrix but not listed", float(small), "", "network")


def _impedance(study: ShortCircuit, e: Element, case: str, un: float) -> tuple[str, str, str, str]:
    """Title, equation, substituted numbers and source of one element's impedance."""
    tolerance = study.settings.lv_tolerance_pct
    c_max = float(eq.voltage_factor(un, "max", tolerance))

    def told(field: str) -> str:
        value = getattr(e, field)
        return f(value) + ("~" if field in e.assumed else "")

    if isinstance(e, Infeed):
        c = float(eq.voltage_factor(un, case, tolerance))
        field = "ik_max_ka" if case == "max" else "ik_min_ka"
        z = abs(feeder_impedance(c, un, getattr(e, field), e.r_over_x or 0.0))
        return (
            title_of(e),
            "c·UnQ / (√3·I″kQ), R/X as given",
            f"{f(c)} · {f(un)} / (√3 · {told(field)}) = {f(z)}, R/X = {told('r_over_x')}",
            f"{METHOD}, network feeders",
        )
    if isinstance(e, Transformer):
        r, x = transformer_per_unit(e)
        k = float(eq.transformer_correction(c_max, x))
        numbers = (
            f"KT = 0.95·{f(c_max)}/(1 + 0.6·{f(x)}) = {f(k)}; ukr = {told('uk_pct')} %, uRr = {f(100 * r)} %, UrTLV = {told('v_lv_kv')} kV, "
            f"SrT = {told('s_rated_mva')} MVA" + (f", {e.parallel} in parallel" if e.parallel > 1 else "")
        )
        return title_of(e), "KT·(uRr + j·√(ukr² − uRr²))·UrTLV²/SrT", numbers, f"{METHOD}, network transformers and KT"
    if isinstance(e, SynchronousGenerator):
        sin_phi = math.sqrt(1 - (e.power_factor_rated or 1) ** 2)
        k = float(eq.generator_correction(un, e.v_rated_kv or math.nan, c_max, (e.xd2_pct or math.nan) / 100, sin_phi))
        numbers = f"KG = {f(k)}; RG = {told('r_stator_ohm')} ohm, x″d = {told('xd2_pct')} %, UrG = {told('v_rated_kv')} kV, SrG = {told('s_rated_mva')} MVA"
        return title_of(e), "KG·(RG + jX″d)", numbers, f"{METHOD}, synchronous generators and KG"
    if isinstance(e, InductionMotor):
        numbers = (
            f"UrM = {told('v_rated_kv')} kV, PrM = {told('p_rated_kw')} kW, η = {told('efficiency_pct')} %, cosφ = {told('power_factor')}, "
            f"ILR/IrM = {told('ilr_over_ir')}, R/X = {told('r_over_x')}, count {e.count}"
        )
        return title_of(e), "UrM²/SrM / (ILR/IrM), SrM = PrM/(η·cosφ)", numbers, f"{METHOD}, asynchronous motors"
    if hasattr(e, "r_ohm_per_km"):
        heat = f" · [1 + 0.004·({told('t_end_degc')} − 20)]" if case == "min" else ""
        numbers = f"({told('r_ohm_per_km')}{heat} + j{told('x_ohm_per_km')}) · {told('length_m')} m" + (
            f" / {getattr(e, 'parallel', 1)}" if getattr(e, "parallel", 1) > 1 else ""
        )
        return (title_of(e), "(R′L + jX′L)·l" if case == "max" else "(R′L·[1 + α(θe − 20 °C)] + jX′L)·l", numbers, f"{METHOD}, lines and cables")
    return title_of(e), "r + jx on the power base", f"r = {told('r_pu')}, x = {told('x_pu')} p.u.", "as entered"
