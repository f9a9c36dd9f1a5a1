"""How a fault current came about, derived again with the study's own equations."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from northfell.core.errors import NotFound
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
from northfell.core.studies.short_circuit import ieee_equations as ie
from northfell.core.studies.short_circuit.case import TO_EARTH, Case
from northfell.core.studies.short_circuit.iec import FC_OVER_F, factor_c
from northfell.core.studies.short_circuit.iec_case import IecCase
from northfell.core.studies.short_circuit.ieee import IeeeCase, machine_reactance, motor_multiplier
from northfell.core.studies.short_circuit.machines import machine_mva, motor_rating, sin_phi_of
from northfell.core.studies.short_circuit.result import FAULT_WORDS, ShortCircuit
from northfell.core.studies.short_circuit.settings import SCHOOLS
from northfell.core.working import Equation, Working

METHOD = SCHOOLS["iec"]
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
THERMAL = Equation("Ith", "I″k·√(m + n)", eq.thermal_current_ka, {"I″k": "ik_ka", "m": "m", "n": "n"}, "kA", f"{METHOD}, Joule integral")
IEEE_CURRENT = Equation("I", "E / (√3·|Z1|)", lambda e_kv, z1_ohm: e_kv / (math.sqrt(3) * abs(z1_ohm)), {"E": "e_kv", "|Z1|": "z1_ohm"}, "kA", ie.SOURCE)
CREST = Equation("F", "√2·(1 + e^(−π/(X/R)))", ie.crest_factor, {"X/R": "x_over_r"}, "", ie.SOURCE)
SHARE_SHOWN = 0.005  # elements that carry less of the fault current are counted, not listed
LAWS = {
    "3ph": "E1/(Z1 + ZF)", "ll": "I1 = −I2 = E1/(Z1 + Z2 + ZF)", "lg": "I1 = I2 = I0 = E1/(Z1 + Z2 + Z0 + 3·ZF)",
    "llg": "I1 = E1/(Z1′ + Z2′·Z0′/(Z2′ + Z0′)), I2 and I0 by division",
}  # fmt: skip
QUANTITIES = {
    "ik_ka": "initial symmetrical", "ip_ka": "peak", "ib_ka": "symmetrical breaking", "ik_steady_ka": "steady-state", "ith_ka": "thermal equivalent",
    "i_earth_ka": "earth",
}  # fmt: skip


def explain_fault(study: ShortCircuit, bus: int, case: str, quantity: str = "ik_ka", fault: str = "3ph") -> Working:
    """The working of one figure at one bus. Its result equals the figure in the table."""
    net, one = study.net, study.cases[case]
    un = float(net.v_nominal_kv[bus])
    name = net.name(net.topology.bus_ids[bus])
    word = {"max": "Maximum", "min": "Minimum"}[case]
    what = QUANTITIES[quantity]
    if isinstance(one, IeeeCase):
        what = {"ik_ka": "first-cycle symmetrical", "ip_ka": "first-cycle crest", "ib_ka": "interrupting", "ik_steady_ka": "30-cycle"}.get(quantity, what)
    of = "" if fault == "3ph" else f", {FAULT_WORDS[fault].lower()},"
    w = Working(f"{word} {what} short-circuit current{of} at {name}, state {net.state}")
    w.given("Un", "nominal voltage", un, "kV", f"{title_of(net.elements[net.topology.bus_ids[bus]])}, nominal voltage")
    w.given("f", "nominal frequency", float(net.frequency_hz), "Hz", "project setting")
    told = _Told(study, bus, case, fault, quantity, w)
    return told.ieee(one) if isinstance(one, IeeeCase) else told.iec(one)


@dataclass(frozen=True)
class _Told:
    """One figure, step by step."""

    study: ShortCircuit
    bus: int
    case: str
    fault: str
    quantity: str
    w: Working

    def iec(self, one: IecCase) -> Working:
        net, w, settings, bus = self.study.net, self.w, self.study.settings, self.bus
        un = float(net.v_nominal_kv[bus])
        c = float(one.e_pu[bus])
        if settings.prefault == "own factors":
            w.given("c", f"own voltage factor, {self.case}imum", c, "", f"study settings “{net.network.settings.set_name}”")
        else:
            w.given("tolerance", "voltage tolerance of low-voltage networks", float(settings.lv_tolerance_pct), "%", self._of_set)
            w.step("Voltage factor", "c", f"c{self.case}(Un)", f"Un = {f(un)} kV", c, "", f"{METHOD}, Table 1",
                   "Inside a power station unit: of the rated voltage of its generator." if self._inside else "")  # fmt: skip
        _elements_in_path(self.study, bus, self.case, w)
        z1 = complex(one.z1_ohm[bus])
        w.step(
            "Impedance at the fault", "Z1", "Zkk of the inverse nodal admittance matrix", f"{net.topology.n_nodes} nodes, impedances above",
            z1, "ohm", f"{METHOD}, equivalent voltage source at the fault",
            note="Loads, shunts and line charging are left out; tap changers stand on the main tap."
            + (" Motors are left out; lines have their end-of-fault temperature." if self.case == "min" else " Motors take part; lines have 20 °C."),
        )  # fmt: skip
        own = float(one.without_converters_ka(self.fault)[bus])
        added = float(one.of(self.fault).ik_ka[bus]) - own if len(one.given.converters.i1) else 0.0
        ik = self._initial(one, c, un, z1, own, added)
        w.result, w.unit = ik + added, "kA"
        if added and self.quantity == "ik_ka":
            BOTH.note(w, "Initial symmetrical short-circuit current", ik_ka=ik, added_ka=added)
        if self.quantity in ("ip_ka", "ith_ka"):
            self._peak(one, ik, added)
        if self.quantity == "ith_ka":
            self._heat(one, ik + added)
        if self.quantity == "ib_ka":
            self._breaking(one, ik + added)
        if self.quantity == "ik_steady_ka":
            self._steady(one)
        if self.quantity == "i_earth_ka":
            self._earth(one)
        return w

    @property
    def _of_set(self) -> str:
        return f"study settings “{self.study.net.network.settings.set_name}”"

    @property
    def _inside(self) -> bool:
        return any(self.bus in inside.buses for inside in self.study.cases[self.case].given.inside)

    def _initial(self, one: IecCase, c: float, un: float, z1: complex, own: float, added: float) -> float:
        w = self.w
        bolted = self.fault == "3ph" and not one.fault_pu[self.bus]
        if bolted:
            ik = INITIAL.note(w, "Initial symmetrical short-circuit current" + (" without converters" if added else ""), c=c, un_kv=un, z1_ohm=z1)
        else:
            self._sequences(one)
            ik = w.step("Largest phase current", "I″k", "from the sequences, largest of a, b, c", f"{FAULT_WORDS[self.fault].lower()}", own, "kA", METHOD)
        if added:
            units = ", ".join(f"{e.name} {f(e.ik_over_ir)}{'~' if 'ik_over_ir' in e.assumed else ''} × Ir" for e in one.given.converters.elements)
            w.step("Added by full converters", "I″k,PF", "Σ |Zkj/Zkk|·IskPFj", units, added, "kA", f"{METHOD}, units with full-size converter",
                   "Added by magnitude, in phase with the rest: the highest sum.")  # fmt: skip
        return float(ik)

    def _sequences(self, one: Case) -> None:
        """The other impedances, and the currents of the sequences."""
        w, bus, base = self.w, self.bus, float(one.z_base_ohm[self.bus])
        symbols = ["Z1"]
        if self.fault != "3ph":
            w.step(
                "Impedance of the negative sequence", "Z2", "Zkk", "machines with x2, phase shifts the other way", complex(one.z2_pu[bus]) * base, "ohm", METHOD
            )
            symbols.append("Z2")
        if self.fault in TO_EARTH:
            w.step(
                "Impedance of the zero sequence", "Z0", "Zkk", "by vector groups, star points and their earthing", complex(one.z0_pu[bus]) * base, "ohm", METHOD
            )
            symbols.append("Z0")
        if one.fault_pu[bus]:
            w.given("ZF", "fault impedance", complex(one.fault_pu[bus]) * base, "ohm", self._of_set)
        i1 = complex(one.of(self.fault).sequences_pu[bus, 0]) * float(one.net.i_base_ka()[bus])
        w.step(
            "Current of the positive sequence",
            "I1",
            LAWS[self.fault],
            ", ".join(symbols) + " above, E1 = c·Un/√3",
            i1,
            "kA",
            f"{METHOD}, symmetrical components",
        )

    def _peak(self, one: IecCase, ik: float, added: float) -> None:
        w = self.w
        if self.study.settings.peak == "c":
            zc = w.step(
                "Impedance at the equivalent frequency", "Zc", "Zkk with every reactance times fc/f", f"fc/f = {FC_OVER_F:g}",
                complex(one.zc_pu[self.bus] * one.z_base_ohm[self.bus]), "ohm", f"{METHOD}, peak current, method (c)",
            )  # fmt: skip
            ratio = RATIO.note(w, "Ratio at the fault", rc=zc.real, xc=zc.imag, fc_over_f=FC_OVER_F)
            kappa = KAPPA.note(w, "Peak factor", r_over_x=ratio)
        else:
            how = {"b": "R/X of the impedance at the fault", "a": "least R/X at this voltage in the island"}[self.study.settings.peak]
            ratio = w.step("Ratio", "R/X", how, "", float(one.r_over_x[self.bus]), "", f"{METHOD}, peak current, method ({self.study.settings.peak})")
            plain = KAPPA.note(w, "Peak factor", r_over_x=ratio)
            kappa = float(one.kappa[self.bus])
            if kappa != plain:
                w.step("With the factor of method (b)", "κ", "min(1.15·κ, cap)", f"κ = {f(float(plain))}", kappa, "", f"{METHOD}, peak current, method (b)")
        if added:
            w.result = PEAK_OF_BOTH.note(w, "Peak short-circuit current", kappa=kappa, ik_ka=ik, added_ka=added)
        else:
            w.result = PEAK.note(w, "Peak short-circuit current", kappa=kappa, ik_ka=ik)

    def _heat(self, one: IecCase, ik: float) -> None:
        w, settings = self.w, self.study.settings
        t = w.given("Tk", "duration of the short circuit", settings.t_k_s, "s", self._of_set)
        kappa = float(one.kappa[self.bus])
        m = w.step("Heat of the direct-current part", "m", "(e^(4·f·Tk·ln(κ − 1)) − 1)/(2·f·Tk·ln(κ − 1))", f"κ = {f(kappa)}, Tk = {f(t)} s",
                   float(one.heat(self.fault)[0][self.bus]), "", f"{METHOD}, Joule integral")  # fmt: skip
        n = w.step("Heat of the alternating part", "n", "by I″k/Ik and Tk", "1 where a public network feeds", float(one.heat(self.fault)[1][self.bus]), "",
                   f"{METHOD}, Joule integral")  # fmt: skip
        w.result = THERMAL.note(w, "Thermal equivalent current", ik_ka=ik, m=m, n=n)

    def _breaking(self, one: IecCase, ik: float) -> None:
        w, settings = self.w, self.study.settings
        w.given("tmin", "least time delay", settings.t_min_s, "s", self._of_set)
        ib = float(one.breaking_ka(self.fault)[self.bus])
        law = "I″k − Σ (ΔU″/(c·Un/√3))·(1 − μ·q)·I″kM" if self.fault == "3ph" else "I″k: decay is not taken of unbalanced faults"
        w.result = w.step("Symmetrical breaking current", "Ib", law, f"I″k = {f(ik)} kA", ib, "kA", f"{METHOD}, symmetrical breaking current, meshed networks")

    def _steady(self, one: IecCase) -> None:
        value = float(one.steady_ka(self.fault)[self.bus])
        if math.isnan(value):
            raise NotFound("The steady-state current is not known: the generator's synchronous reactance xd is empty.")
        law = "I″k without asynchronous motors" if self.case == "max" else "I″k of the minimum case"
        alone = [g for g in one.machine_fed.values() if g is not None]
        law = "λ·IrG by the machine's equation where one generator feeds alone, else " + law if alone else law
        self.w.result = self.w.step("Steady-state short-circuit current", "Ik", law, "", value, "kA", f"{METHOD}, steady-state short-circuit current")

    def _earth(self, one: Case) -> None:
        value = float(one.of(self.fault).i_earth_ka[self.bus])
        self.w.result = self.w.step("Current to earth", "IE", "3·|I0|", "", value, "kA", f"{METHOD}, symmetrical components")

    def ieee(self, one: IeeeCase) -> Working:
        """By the network of the instant that the figure is of."""
        net, w, bus = self.study.net, self.w, self.bus
        at = {"ib_ka": one.interrupting, "ik_steady_ka": one.thirty}.get(self.quantity, one) if self.quantity in ("ib_ka", "ik_steady_ka") else one
        un, w.unit = float(net.v_nominal_kv[bus]), "kA"
        e_kv = w.step("Pre-fault voltage", "E", "E p.u.·Un", f"{f(float(at.e_pu[bus]))}·{f(un)} kV", float(at.e_pu[bus]) * un, "kV", ie.SOURCE)
        _elements_in_path(self.study, bus, self.case, w, at)
        z1 = complex(at.z1_ohm[bus])
        w.step(f"Impedance at the fault, {at.instant} network", "Z1", "Zkk of the inverse nodal admittance matrix", f"{net.topology.n_nodes} nodes", z1, "ohm",
               ie.SOURCE, "Loads, shunts and charging are left out; no correction factors.")  # fmt: skip
        found = float(at.of(self.fault).ik_ka[bus])
        if self.fault == "3ph" and not one.fault_pu[bus] and self.study.settings.current == "E/Z" and not len(one.given.converters.i1):
            i = IEEE_CURRENT.note(w, "Symmetrical current", e_kv=e_kv, z1_ohm=z1)
        else:
            self._sequences(at)
            i = w.step("Symmetrical current, largest phase", "I", f"{self.study.settings.current} and what converters add", "", found, "kA", ie.SOURCE)
        w.result = i
        if self.quantity == "ip_ka":
            ratio = w.step("X/R by separate reductions", "X/R", "X/R, each network by itself", f"X1 = {f(one.x1_pu[bus])}, R1 = {f(one.r1_pu[bus])} p.u.",
                           float(one.x_over_r(self.fault)[bus]), "", ie.SOURCE)  # fmt: skip
            factor = CREST.note(w, "Crest factor at half a cycle", x_over_r=ratio)
            w.result = w.step("First-cycle crest", "ip", "F·I", f"{f(float(factor))}·{f(float(i))} kA", float(factor) * float(i), "kA", ie.SOURCE)
        if self.quantity == "i_earth_ka":
            self._earth(at)
        if self.quantity == "ith_ka":
            raise NotFound("A thermal equivalent current belongs to the school of IEC 60909-0.")
        return w


def _elements_in_path(study: ShortCircuit, bus: int, case: str, w: Working, at: Case | None = None) -> None:
    """Impedances, with their corrections, of the elements through which the fault current comes."""
    net, one = study.net, at or study.cases[case]
    groups = one._groups([bus])
    one = groups[0][0]
    flows = one.flows([bus])
    fault_mva = abs(flows.ik_ka[0, 0]) * float(net.v_nominal_kv[bus])
    z_of = {i: complex(z) for i, z, (_, b) in zip(one.wires.ids, one.wires.z, one.wires.buses.tolist(), strict=True) if b >= 0}
    for k, winding in enumerate(net.windings):  # of three, the pair of high and medium side
        z_of[net.branches.ids[winding.rows[0]]] = winding.pairs[0] * one.given.factors.windings[k][0] * winding.scale[0]
    z_of |= {e.id: complex(z) for e, z in zip(one.given.sources.elements, one.given.sources.z, strict=True) if np.isfinite(z)}
    small = 0
    for e in net.terminals.elements:
        if e.id not in z_of:
            continue
        currents = flows.of(e.id)[:, 0, 0]
        mva = [abs(i) * float(net.v_nominal_kv[net.topology.bus_index[b]]) for i, b in zip(currents, e.buses, strict=True)]
        share = max(mva) / fault_mva if fault_mva else 0.0
        if share < SHARE_SHOWN:
            small += share > 0
            continue
        at_bus = net.topology.bus_index[e.buses[1 if isinstance(e, ThreeWindingTransformer) else -1]]
        un = float(net.v_nominal_kv[at_bus])
        z_ohm = z_of[e.id] * un**2 / net.s_base_mva
        teller = _Impedance(study, case, un, one) if isinstance(one, IecCase) else _IeeeImpedance(study, case, un, one)
        title, equation, substituted, source = teller.of(e)
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
    one: Case

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
        c = float(self.one.given.e_pu[self.study.net.topology.bus_index[e.bus]])
        given = {"c": c, "un_kv": self.un, "ik_ka": getattr(e, field)}
        numbers = FEEDER.put_in({"ik_ka": "~"} if field in e.assumed else {}, **given)
        return title_of(e), f"{FEEDER.text}, R/X as given", f"{numbers} = {f(FEEDER.value(**given))}, R/X = {_told(e, 'r_over_x')}", self._source(FEEDER.source)

    def _source(self, of_iec: str) -> str:
        return of_iec

    def _transformer(self, e: Transformer) -> Told:
        r, x = transformer_per_unit(e)
        row = self.study.net.branches.ids.index(e.id)
        k, plain = self.one.given.factors.of(row), float(KT.value(c_max=self.c_max, x_t=x))
        factor = f"KT = {KT.put_in(c_max=self.c_max, x_t=x)} = {f(plain)}"
        if not math.isclose(k, plain, rel_tol=1e-9):
            factor = f"K = {f(k)}, of the power station unit"
        numbers = f"{factor}; ukr = {_told(e, 'uk_pct')} %, uRr = {f(100 * r)} %, UrTLV = {_told(e, 'v_lv_kv')} kV, SrT = {_told(e, 's_rated_mva')} MVA" + (
            f", {e.parallel} in parallel" if e.parallel > 1 else ""
        )
        return title_of(e), "KT·(uRr + j·√(ukr² − uRr²))·UrTLV²/SrT", numbers, f"{METHOD}, network transformers and KT"

    def _factor(self, e: SynchronousGenerator | SynchronousMotor) -> str:
        """KG of a machine, or the factor of the power station unit to which it belongs."""
        k = self.one.given.sources.elements.index(e)
        x_ohm = (e.xd2_pct or math.nan) / 100 * (e.v_rated_kv or math.nan) ** 2 / machine_mva(e) / getattr(e, "count", 1)
        return f(float(self.one.given.sources.z[k].imag) * self.un**2 / self.study.net.s_base_mva / x_ohm)

    def _generator(self, e: SynchronousGenerator) -> Told:
        numbers = (
            f"KG = {self._factor(e)}; RG = {_told(e, 'r_stator_ohm')} ohm, x″d = {_told(e, 'xd2_pct')} %, UrG = {_told(e, 'v_rated_kv')} kV, "
            f"SrG = {_told(e, 's_rated_mva')} MVA, sinφrG = {f(sin_phi_of(e))}"
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
        return f"{title_of(e)}, high to medium side", "KT by pair; star of the three windings", numbers, self._source(f"{METHOD}, three-winding transformers")

    def _reactor(self, e: SeriesReactor) -> Told:
        numbers = f"{_told(e, 'uk_pct')} % · {f(self.un)} kV / (√3 · {_told(e, 'i_rated_a')} A), R/X = {_told(e, 'r_over_x')}"
        return title_of(e), "ukR·Un/(√3·IrR)", numbers, self._source(f"{METHOD}, reactors")

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
        return title_of(e), law, numbers, self._source(f"{METHOD}, lines and cables")

    def _per_unit(self, e: Element) -> Told:
        return title_of(e), "r + jx on the power base", f"r = {_told(e, 'r_pu')}, x = {_told(e, 'x_pu')} p.u.", "as entered"

    BY_KIND: ClassVar[dict[type[Element], Callable[..., Told]]] = {
        Infeed: _infeed, Transformer: _transformer, SynchronousGenerator: _generator, SynchronousMotor: _synchronous_motor,
        ThreeWindingTransformer: _three_windings, SeriesReactor: _reactor, InductionMotor: _motor, StaticLoad: _group, Conductor: _conductor,
    }  # fmt: skip


@dataclass(frozen=True)
class _IeeeImpedance(_Impedance):
    """The same by North-American practice: no correction factors, multipliers of machines by their size."""

    @property
    def _instant(self) -> str:
        return self.one.instant if isinstance(self.one, IeeeCase) else ""

    def _source(self, of_iec: str) -> str:
        return ie.SOURCE

    def of(self, e: Element) -> Told:
        if isinstance(e, Transformer):
            r, _ = transformer_per_unit(e)
            numbers = f"Z = {_told(e, 'uk_pct')} %, R = {f(100 * r)} %, {_told(e, 'v_lv_kv')} kV, {_told(e, 's_rated_mva')} MVA"
            return title_of(e), "(R + j·√(Z² − R²))·U²/S", numbers, ie.SOURCE
        if isinstance(e, SynchronousGenerator | SynchronousMotor):
            times = 1.5 if isinstance(e, SynchronousMotor) and self._instant == "interrupting" else 1.0
            numbers = f"{f(times)}·{f(100 * machine_reactance(e, self._instant))} %, {f(machine_mva(e))} MVA, {_told(e, 'v_rated_kv')} kV"
            return title_of(e), "multiplier·x·U²/S", numbers, ie.SOURCE
        if isinstance(e, InductionMotor | StaticLoad):
            sr, _, ilr, ratio = motor_rating(e)
            numbers = f"{f(motor_multiplier(e, self._instant))}·1/{f(ilr)}, {f(sr)} MVA, R/X = {f(ratio)}"
            size = ie.size_class(e.p_rated_kw or math.nan) if isinstance(e, InductionMotor) else "share of motors"
            return f"{title_of(e)}, {size}", "multiplier·(1/ILR)·U²/S", numbers, ie.SOURCE
        return super().of(e)


def _told(e: Element, field: str) -> str:
    """A value as it is put in, marked where it is assumed."""
    return f(getattr(e, field)) + ("~" if field in e.assumed else "")
