"""How a fault current came about, derived again with the study's own equations."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

from northfell.core.model.elements import (  # fmt: skip
    Conductor,
    Element,
    InductionMotor,
    Infeed,
    SeriesReactor,
    StaticLoad,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
)
from northfell.core.model.network import title_of
from northfell.core.network.impedance import feeder_impedance, transformer_per_unit
from northfell.core.quantities import figure as f
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.result import METHOD, ShortCircuit
from northfell.core.studies.short_circuit.solve import FC_OVER_F, factor_c, machine_mva, machine_power_factor, motor_rating
from northfell.core.working import Equation, Working

INITIAL = Equation("I″k", "c·Un / (√3·|Z1|)", eq.initial_current_ka, {"c": "c", "Un": "un_kv", "|Z1|": "z1_ohm"}, "kA", f"{METHOD}, three-phase short circuit")
BOTH = Equation("I″k", "I″k + I″k,PF", lambda ik_ka, added_ka: ik_ka + added_ka, {"I″k": "ik_ka", "I″k,PF": "added_ka"}, "kA", METHOD)
RATIO = Equation(
    "R/X", "(Rc/Xc)·(fc/f)", lambda rc, xc, fc_over_f: eq.r_over_x_equivalent(complex(rc, xc), fc_over_f), {"Rc": "rc", "Xc": "xc", "fc/f": "fc_over_f"}, "",
    f"{METHOD}, method (c)",
)  # fmt: skip
KAPPA = Equation("κ", "1.02 + 0.98·e^(−3·R/X)", eq.peak_factor, {"R/X": "r_over_x"}, "", f"{METHOD}, peak current")
PEAK = Equation("ip", "κ·√2·I″k", eq.peak_current_ka, {"κ": "kappa", "I″k": "ik_ka"}, "kA", f"{METHOD}, peak current")
PEAK_OF_BOTH = Equation(
    "ip", "κ·√2·I″k + √2·I″k,PF", lambda kappa, ik_ka, added_ka: eq.peak_current_ka(kappa, ik_ka) + math.sqrt(2) * added_ka,
    {"κ": "kappa", "I″k": "ik_ka", "I″k,PF": "added_ka"}, "kA", f"{METHOD}, peak current",
)  # fmt: skip
FEEDER = Equation(
    "ZQ", "c·UnQ / (√3·I″kQ)", lambda c, un_kv, ik_ka: abs(feeder_impedance(c, un_kv, ik_ka, 0.0)), {"c": "c", "UnQ": "un_kv", "I″kQ": "ik_ka"}, "ohm",
    f"{METHOD}, network feeders", 4,
)  # fmt: skip
KT = Equation("KT", "0.95·cmax/(1 + 0.6·xT)", eq.transformer_correction, {"cmax": "c_max", "xT": "x_t"}, "", f"{METHOD}, KT", 4)
SHARE_SHOWN = 0.005  # elements that carry less of the fault current are counted, not listed


def explain_fault(study: ShortCircuit, bus: int, case: str, quantity: str = "ik_ka") -> Working:
    """The working of I''k or ip at one bus. Its result equals the figure in the table."""
    net, one = study.net, study.cases[case]
    un, settings = float(net.v_nominal_kv[bus]), study.settings
    name = net.name(net.topology.bus_ids[bus])
    word = {"max": "Maximum", "min": "Minimum"}[case]
    w = Working(f"{word} {'peak' if quantity == 'ip_ka' else 'initial symmetrical'} short-circuit current at {name}, state {net.state}")
    w.given("Un", "nominal voltage", un, "kV", f"{title_of(net.elements[net.topology.bus_ids[bus]])}, nominal voltage")
    w.given("f", "nominal frequency", float(net.frequency_hz), "Hz", "project setting")
    c = float(factor_c(settings, un, case))
    if settings.prefault == "own factors":
        w.given("c", f"own voltage factor, {case}imum", c, "", f"study settings “{net.network.settings.set_name}”")
    else:
        tolerance = float(settings.lv_tolerance_pct)
        w.given("tolerance", "voltage tolerance of low-voltage networks", tolerance, "%", f"study settings “{net.network.settings.set_name}”")
        w.step("Voltage factor", "c", f"c{case}(Un)", f"Un = {f(un)} kV", c, "", f"{METHOD}, Table 1")
    _elements_in_path(study, bus, case, w)
    z1 = w.step(
        "Impedance at the fault", "Z1", "Zkk of the inverse nodal admittance matrix", f"{net.topology.n_nodes} nodes, impedances above",
        complex(one.z1_ohm[bus]), "ohm", f"{METHOD}, equivalent voltage source at the fault",
        note="Loads, shunts and line charging are left out; tap changers stand on the main tap."
        + (" Motors are left out; lines have their end-of-fault temperature." if case == "min" else " Motors take part; lines have 20 °C."),
    )  # fmt: skip
    added = float(one.i_converters_ka[bus])
    ik = INITIAL.note(w, "Initial symmetrical short-circuit current" + (" without converters" if added else ""), c=c, un_kv=un, z1_ohm=z1)
    if added:
        units = ", ".join(f"{e.name} {f(e.ik_over_ir)}{'~' if 'ik_over_ir' in e.assumed else ''} × Ir" for e in one.inverters)
        w.step("Added by full converters", "I″k,PF", "Σ |Zkj/Zkk|·IskPFj", units, added, "kA", f"{METHOD}, units with full-size converter",
               "Added by magnitude, in phase with the rest: the highest sum.")  # fmt: skip
    w.result, w.unit = ik + added, "kA"
    if added and quantity == "ik_ka":
        BOTH.note(w, "Initial symmetrical short-circuit current", ik_ka=ik, added_ka=added)
    if quantity == "ip_ka":
        zc = w.step(
            "Impedance at the equivalent frequency", "Zc", "Zkk with every reactance times fc/f", f"fc/f = {FC_OVER_F:g}", complex(one.zc_ohm[bus]), "ohm",
            f"{METHOD}, peak current, method (c)",
        )  # fmt: skip
        ratio = RATIO.note(w, "Ratio at the fault", rc=zc.real, xc=zc.imag, fc_over_f=FC_OVER_F)
        kappa = KAPPA.note(w, "Peak factor", r_over_x=ratio)
        if added:
            w.result = PEAK_OF_BOTH.note(w, "Peak short-circuit current", kappa=kappa, ik_ka=ik, added_ka=added)
        else:
            w.result = PEAK.note(w, "Peak short-circuit current", kappa=kappa, ik_ka=ik)
    return w


def _elements_in_path(study: ShortCircuit, bus: int, case: str, w: Working) -> None:
    """Impedances, with their corrections, of the elements through which the fault current comes."""
    net, one = study.net, study.cases[case]
    flows = study.flows([bus], case)
    fault_mva = abs(flows.ik_ka[0]) * float(net.v_nominal_kv[bus])
    z_of = dict(zip(net.branches.ids, one.z_branch_pu, strict=True))
    z_of |= {net.branches.ids[w.rows[0]]: one.z_branch_pu[w.rows[0]] for w in net.windings}  # of three, the one between high and medium side
    z_of |= {e.id: z for e, z in zip(net.infeeds, one.z_infeed_pu, strict=True)}
    z_of |= {e.id: z for e, z in zip(one.machines, one.z_machine_pu, strict=True)}
    z_of |= {e.id: z for e, z in zip(one.motors, one.z_motor_pu, strict=True)}
    small = 0
    for element_id, currents in flows.terminals.items():
        e = net.elements[element_id]
        if element_id not in z_of:
            continue
        mva = [abs(i) * float(net.v_nominal_kv[net.topology.bus_index[b]]) for i, b in zip(currents[:, 0], e.buses, strict=True)]
        share = max(mva) / fault_mva
        if share < SHARE_SHOWN:
            small += 1
            continue
        at = net.topology.bus_index[e.buses[1 if isinstance(e, ThreeWindingTransformer) else -1]]
        un = float(net.v_nominal_kv[at])
        z_ohm = complex(z_of[element_id]) * un**2 / net.s_base_mva
        title, equation, substituted, source = _Impedance(study, case, un).of(e)
        w.step(title, f"Z({e.name})", equation, substituted, z_ohm, "ohm", source, f"At {f(un)} kV; brings {share:.1%} of the fault power.")
    if small:
        w.given("n", "elements that bring less than 0.5 % each, in the matrix but not listed", float(small), "", "network")


Told = tuple[str, str, str, str]  # title, equation, numbers put in, source


@dataclass(frozen=True)
class _Impedance:
    """What is told of the impedance of one element, at the nominal voltage of its bus [kV] in one case."""

    study: ShortCircuit
    case: str
    un: float

    @property
    def c_max(self) -> float:
        return float(factor_c(self.study.settings, self.un, "max"))

    def of(self, e: Element) -> Told:
        """By its kind; what is no kind of ours is given in per unit."""
        told = next((how for kind, how in self.BY_KIND.items() if isinstance(e, kind)), type(self)._per_unit)
        found: Told = told(self, e)
        return found

    def _infeed(self, e: Infeed) -> Told:
        field = "ik_max_ka" if self.case == "max" else "ik_min_ka"
        given = {"c": float(factor_c(self.study.settings, self.un, self.case)), "un_kv": self.un, "ik_ka": getattr(e, field)}
        numbers = FEEDER.put_in({"ik_ka": "~"} if field in e.assumed else {}, **given)
        return title_of(e), f"{FEEDER.text}, R/X as given", f"{numbers} = {f(FEEDER.value(**given))}, R/X = {_told(e, 'r_over_x')}", FEEDER.source

    def _transformer(self, e: Transformer) -> Told:
        r, x = transformer_per_unit(e)
        numbers = (
            f"KT = {KT.put_in(c_max=self.c_max, x_t=x)} = {f(KT.value(c_max=self.c_max, x_t=x))}; "
            f"ukr = {_told(e, 'uk_pct')} %, uRr = {f(100 * r)} %, UrTLV = {_told(e, 'v_lv_kv')} kV, "
            f"SrT = {_told(e, 's_rated_mva')} MVA" + (f", {e.parallel} in parallel" if e.parallel > 1 else "")
        )
        return title_of(e), "KT·(uRr + j·√(ukr² − uRr²))·UrTLV²/SrT", numbers, f"{METHOD}, network transformers and KT"

    def _factor(self, e: SynchronousGenerator | SynchronousMotor) -> str:
        """KG of a machine without unit transformer."""
        sin_phi = math.sqrt(1 - (machine_power_factor(e) or 1) ** 2)
        return f(float(eq.generator_correction(self.un, e.v_rated_kv or math.nan, self.c_max, (e.xd2_pct or math.nan) / 100, sin_phi)))

    def _generator(self, e: SynchronousGenerator) -> Told:
        numbers = (
            f"KG = {self._factor(e)}; RG = {_told(e, 'r_stator_ohm')} ohm, x″d = {_told(e, 'xd2_pct')} %, UrG = {_told(e, 'v_rated_kv')} kV, "
            f"SrG = {_told(e, 's_rated_mva')} MVA"
        )
        return title_of(e), "KG·(RG + jX″d)", numbers, f"{METHOD}, synchronous generators and KG"

    def _synchronous_motor(self, e: SynchronousMotor) -> Told:
        numbers = (
            f"KG = {self._factor(e)}; RM = {_told(e, 'r_stator_ohm')} ohm, x″d = {_told(e, 'xd2_pct')} %, UrM = {_told(e, 'v_rated_kv')} kV, "
            f"SrM = {f(machine_mva(e))} MVA, count {e.count}"
        )
        return title_of(e), "KG·(RM + jX″d), SrM = PrM/(η·cosφ)", numbers, f"{METHOD}, synchronous motors as generators"

    def _three_windings(self, e: ThreeWindingTransformer) -> Told:
        pairs = (("AB", "hv_mv"), ("AC", "hv_lv"), ("BC", "mv_lv"))
        numbers = ", ".join(f"ukr {pair} = {_told(e, f'uk_{field}_pct')} %" for pair, field in pairs)
        how = "KT by pair, star of the three windings, then branches between its terminals"
        return f"{title_of(e)}, high to medium side", how, numbers, f"{METHOD}, three-winding transformers"

    def _reactor(self, e: SeriesReactor) -> Told:
        numbers = f"{_told(e, 'uk_pct')} % · {f(self.un)} kV / (√3 · {_told(e, 'i_rated_a')} A), R/X = {_told(e, 'r_over_x')}"
        return title_of(e), "ukR·Un/(√3·IrR)", numbers, f"{METHOD}, reactors"

    def _motor(self, e: InductionMotor) -> Told:
        if e.starter != "direct":
            return self._group(e)
        numbers = (
            f"UrM = {_told(e, 'v_rated_kv')} kV, PrM = {_told(e, 'p_rated_kw')} kW, η = {_told(e, 'efficiency_pct')} %, cosφ = {_told(e, 'power_factor')}, "
            f"ILR/IrM = {_told(e, 'ilr_over_ir')}, R/X = {_told(e, 'r_over_x')}, count {e.count}"
        )
        return title_of(e), "UrM²/SrM / (ILR/IrM), SrM = PrM/(η·cosφ)", numbers, f"{METHOD}, asynchronous motors"

    def _group(self, e: InductionMotor | StaticLoad) -> Told:
        sr, ur, ilr, ratio = motor_rating(e)
        numbers = f"UrM = {f(self.un if math.isnan(ur) else ur)} kV, SrM = {f(sr)} MVA, ILR/IrM = {f(ilr)}, R/X = {f(ratio)}"
        what = "regenerative drives" if getattr(e, "starter", "") == "regenerative drive" else "groups of asynchronous motors"
        return title_of(e), "UrM²/SrM / (ILR/IrM)", numbers, f"{METHOD}, {what}"

    def _conductor(self, e: Conductor) -> Told:
        heat = f" · [1 + 0.004·({_told(e, 't_end_degc')} − 20)]" if self.case == "min" else ""
        numbers = f"({_told(e, 'r_ohm_per_km')}{heat} + j{_told(e, 'x_ohm_per_km')}) · {_told(e, 'length_m')} m"
        numbers += f" / {e.parallel}" if e.parallel > 1 else ""
        law = "(R′L + jX′L)·l" if self.case == "max" else "(R′L·[1 + α(θe − 20 °C)] + jX′L)·l"
        return title_of(e), law, numbers, f"{METHOD}, lines and cables"

    def _per_unit(self, e: Element) -> Told:
        return title_of(e), "r + jx on the power base", f"r = {_told(e, 'r_pu')}, x = {_told(e, 'x_pu')} p.u.", "as entered"

    BY_KIND: ClassVar[dict[type[Element], Callable[..., Told]]] = {
        Infeed: _infeed, Transformer: _transformer, SynchronousGenerator: _generator, SynchronousMotor: _synchronous_motor,
        ThreeWindingTransformer: _three_windings, SeriesReactor: _reactor, InductionMotor: _motor, StaticLoad: _group, Conductor: _conductor,
    }  # fmt: skip


def _told(e: Element, field: str) -> str:
    """A value as it is put in, marked where it is assumed."""
    return f(getattr(e, field)) + ("~" if field in e.assumed else "")
