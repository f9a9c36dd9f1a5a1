"""Currents of IEC 60909-0 at their instants: peak, breaking, steady-state, thermal equivalent."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from northfell.core.model.elements import InductionMotor, Infeed, StaticLoad, SynchronousGenerator
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.selected import BLOCK
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.case import TO_EARTH, Case, Shared, without
from northfell.core.studies.short_circuit.iec import FC_OVER_F, decay_of, rated_current_pu
from northfell.core.studies.short_circuit.machines import sin_phi_of

NOTHING_KA = 1e-9
CAPS = (1.8, 2.0)  # of 1.15·κ, low voltage and above
RATIO_WITHOUT_MARGIN = 0.3  # R/X below which in every branch method (b) needs no factor


@dataclass
class IecCase(Case):
    """A case with the currents that follow from its initial ones."""

    _of_type: dict[tuple[str, str], Floats] = field(default_factory=dict)

    def _kept(self, what: str, fault: str, made: Callable[[], Floats]) -> Floats:
        if (what, fault) not in self._of_type:
            self._of_type[what, fault] = np.asarray(made())
        return self._of_type[what, fault]

    # --- peak

    def _ratio_at(self, fc_over_f: float, z: Complexes) -> Complexes:
        """Impedance at every bus with every reactance times fc/f [p.u.]."""
        network = self.network_of(_scaled(z, fc_over_f), self.wires.scaled(fc_over_f))
        return self.diagonal(network)

    @cached_property
    def zc_pu(self) -> Complexes:
        """At the equivalent frequency of the peak, with the fictitious resistances of machines."""
        return self._with_inside(self._ratio_at(FC_OVER_F, self.given.sources.z_peak), "zc_pu")

    def of_parts(self, buses: Sequence[int], terminals: Sequence[int]) -> tuple[Floats, Floats]:
        r"""R/X of what some terminals carry into a three-phase fault at their buses, for the peak and at the least time delay.

        It is that of the impedance which the fault sees behind each: :math:`Z_c = c U_n/(\sqrt 3 I_c)` of the part :math:`I_c` at the equivalent
        frequency, so that peaks of branches which meet at the fault add up (IEC 60909-0:2016, peak current, methods (c) and of non-meshed networks).
        Nan inside a power station unit, and of what carries nothing.
        """
        late, s = eq.equivalent_frequency(self.net.frequency_hz, self.settings.t_min_s), self.given.sources
        return self._parts_at(FC_OVER_F, s.z_peak, buses, terminals), self._parts_at(late, s.z, buses, terminals)

    def _parts_at(self, fc_over_f: float, z: Complexes, buses: Sequence[int], terminals: Sequence[int]) -> Floats:
        """R/X of parts from the network with every reactance times fc/f, without the converters, whose currents have no direct part."""
        c = self.given.converters
        bare = replace(c, i1=np.zeros_like(c.i1), i2=np.zeros_like(c.i2))
        given = replace(self.given, converters=bare, inside=(), sources=replace(self.given.sources, z=_scaled(z, fc_over_f)))
        one = Case(self.net, self.settings, given, Shared(self.net))
        one.__dict__["wires"] = self.wires.scaled(fc_over_f)
        inside = {int(b) for unit in self.given.inside for b in unit.buses}
        found = np.full(len(terminals), np.nan)
        by: dict[int, list[int]] = {}
        for k, b in enumerate(buses):
            if int(b) not in inside:
                by.setdefault(int(b), []).append(k)
        places = list(by)
        for start in range(0, len(places), BLOCK):
            some = places[start : start + BLOCK]
            flows = one.flows(some)
            for at, b in enumerate(some):
                for k in by[b]:
                    i = complex(flows.terminals[terminals[k], at, 0])
                    if abs(i) > NOTHING_KA:
                        behind = 1 / i
                        found[k] = float(eq.r_over_x_equivalent(np.array([behind if behind.imag > 0 else -behind]), fc_over_f)[0])
        return np.asarray(np.maximum(found, 0.0))

    @cached_property
    def r_over_x(self) -> Floats:
        """By the method that is chosen."""
        if self.settings.peak == "c":
            return np.asarray(eq.r_over_x_equivalent(self.zc_pu, FC_OVER_F))
        if self.settings.peak == "b":
            z = self._with_inside(self._ratio_at(1.0, self.given.sources.z_peak), "_z_peak_pu")
            return np.asarray(z.real / z.imag)
        return self._least_ratio

    @cached_property
    def _z_peak_pu(self) -> Complexes:
        return self._ratio_at(1.0, self.given.sources.z_peak)

    @cached_property
    def kappa(self) -> Floats:
        kappa = np.asarray(eq.peak_factor(self.r_over_x))
        if self.settings.peak != "b":
            return kappa
        cap = np.where(self.net.v_nominal_kv <= 1.0, *CAPS)
        return np.where(self._all_below(RATIO_WITHOUT_MARGIN), kappa, np.maximum(np.minimum(1.15 * kappa, cap), kappa))

    def _ratios(self) -> tuple[Floats, np.ndarray, Floats]:
        """R/X of every branch and source that is fed, the island of each, and the nominal voltage at its low side."""
        w, s, top = self.wires, self.given.sources, self.net.topology
        node = np.concatenate([w.nodes[:, 0], top.node_of_bus[s.bus]])
        z = np.concatenate([w.z, s.z_peak])
        bus = np.concatenate([np.where(w.buses[:, 1] >= 0, w.buses[:, 1], w.buses[:, 0]), s.bus])
        good = np.isfinite(z) & (np.abs(z) > 0)
        good &= self.nodes.alive[node]
        with np.errstate(invalid="ignore", divide="ignore"):
            ratio = np.where(z.imag > 0, z.real / z.imag, np.inf)
        return ratio[good], top.island_of_node[node[good]], self.net.v_nominal_kv[bus[good]]

    def _all_below(self, limit: float) -> np.ndarray:
        ratio, island, _ = self._ratios()
        over = set(island[ratio >= limit].tolist())
        top = self.net.topology
        return np.array([n >= 0 and int(top.island_of_node[n]) not in over for n in top.node_of_bus])

    @cached_property
    def _least_ratio(self) -> Floats:
        """Least R/X of what stands at the voltage of each bus in its island, transformers to it with them: it gives the highest peak."""
        ratio, island, v = self._ratios()
        least: dict[tuple[int, float], float] = {}
        for key, r in zip(zip(island.tolist(), v.tolist(), strict=True), ratio.tolist(), strict=True):
            least[key] = min(least.get(key, np.inf), max(r, 0.0))
        top = self.net.topology
        keys = [(int(top.island_of_node[n]) if n >= 0 else -1, float(v)) for n, v in zip(top.node_of_bus, self.net.v_nominal_kv, strict=True)]
        return np.array([least.get(key, 0.0) for key in keys])

    def without_converters_ka(self, fault: str) -> Floats:
        """Initial current as it were without the converters: their part has no direct current."""
        if not len(self.given.converters.i1):
            return self.of(fault).ik_ka

        def made() -> Floats:
            bare = replace(self.given.converters, i1=np.zeros_like(self.given.converters.i1), i2=np.zeros_like(self.given.converters.i2))
            none = IecCase(self.net, self.settings, replace(self.given, converters=bare), self.shared)
            for name in ("positive", "unbalanced_positive", "negative", "z1_pu", "z1_unbalanced_pu", "z2_pu"):
                none.__dict__[name] = getattr(self, name)
            if fault in TO_EARTH:
                none.__dict__["zero"], none.__dict__["z0_pu"] = self.zero, self.z0_pu
            return none.of(fault).ik_ka

        return self._kept("without", fault, made)

    def peak_ka(self, fault: str = "3ph") -> Floats:
        """Peak current."""

        def made() -> Floats:
            own = self.without_converters_ka(fault)
            return np.asarray(eq.peak_current_ka(self.kappa, own) + np.sqrt(2) * (self.of(fault).ik_ka - own))

        return self._kept("ip", fault, made)

    # --- breaking

    def breaking_ka(self, fault: str = "3ph") -> Floats:
        """Symmetrical breaking current; of unbalanced faults the initial one."""
        return self.of(fault).ik_ka if fault != "3ph" else self._ib_ka

    @cached_property
    @np.errstate(invalid="ignore", divide="ignore")
    def _ib_ka(self) -> Floats:
        s, nodes = self.given.sources, self.net.topology.node_of_bus
        decaying = [k for k, e in enumerate(s.elements) if not isinstance(e, Infeed) and np.isfinite(s.z[k])]
        i_k = (self.e_pu + self.converters_pu[0]) / self.z1_pu
        lost = np.zeros(len(nodes), complex)
        rated = np.array([rated_current_pu(self.net, s.elements[k], int(s.bus[k])) for k in decaying])
        for start in range(0, len(decaying), BLOCK):
            some = decaying[start : start + BLOCK]
            at, y = nodes[s.bus[some]], 1 / s.z[some]
            to_fault = self.at_bus_of(self.positive.columns(at)) / self.z1_pu  # (source, bus)
            i = self.e_pu * self.at_bus_of(self.positive.rows(at)) / self.z1_pu * y[:, None]
            i_over_ir = np.abs(np.nan_to_num(i)) / rated[start : start + BLOCK][:, None]
            left = decay_of(self.net, s, i_over_ir, some, self.settings.t_min_s)
            lost += np.nansum((1j * s.z[some].imag * y)[:, None] * to_fault * (1 - left) * i, axis=0)
        ib = np.minimum(np.abs(i_k - lost), np.abs(i_k)) * self.net.i_base_ka()
        return np.asarray(self._with_inside(ib, "_ib_ka"), float)

    def at_bus_of(self, of_nodes: Complexes) -> Complexes:
        """(node, k) to (k, bus), nan where a bus has no node."""
        nodes = self.net.topology.node_of_bus
        return np.asarray(np.where(nodes[:, None] >= 0, of_nodes[nodes], np.nan).T)

    @cached_property
    def r_over_x_breaking(self) -> Floats:
        """R/X for the direct-current part at the least time delay, with the true resistances of machines."""
        ratio = eq.equivalent_frequency(self.net.frequency_hz, self.settings.t_min_s)
        z = self._with_inside(self._ratio_at(ratio, self.given.sources.z), "_z_breaking_pu")
        return np.asarray(eq.r_over_x_equivalent(z, ratio))

    @cached_property
    def _z_breaking_pu(self) -> Complexes:
        return self._ratio_at(eq.equivalent_frequency(self.net.frequency_hz, self.settings.t_min_s), self.given.sources.z)

    def dc_ka(self, fault: str = "3ph") -> Floats:
        """Direct-current part at the least time delay."""
        f_hz, t_s = self.net.frequency_hz, self.settings.t_min_s
        return self._kept("dc", fault, lambda: eq.direct_current_ka(self.without_converters_ka(fault), f_hz, t_s, self.r_over_x_breaking))

    # --- steady state and heat

    @cached_property
    def machine_fed(self) -> dict[int, SynchronousGenerator | None]:
        """Islands without a public network: the one generator that feeds each, or none where several do."""
        s, top = self.given.sources, self.net.topology
        by: dict[int, list[object]] = {}
        for e, bus, z in zip(s.elements, s.bus, s.z, strict=True):
            if np.isfinite(z) and isinstance(e, Infeed | SynchronousGenerator):
                by.setdefault(int(top.island_of_node[top.node_of_bus[bus]]), []).append(e)
        return {
            island: (found[0] if len(found) == 1 and isinstance(found[0], SynchronousGenerator) else None)
            for island, found in by.items()
            if not any(isinstance(e, Infeed) for e in found)
        }

    @cached_property
    def _without_motors(self) -> Complexes:
        """Impedance at every bus without asynchronous motors [p.u.]."""
        s = self.given.sources
        motors = np.array([isinstance(e, InductionMotor | StaticLoad) for e in s.elements], bool)
        return self._with_inside(self.diagonal(self.network_of(without(s.z, motors))), "_without_motors") if motors.any() else self.z1_pu

    def steady_ka(self, fault: str = "3ph") -> Floats:
        """Steady-state current; of unbalanced faults the initial one."""
        return self.of(fault).ik_ka if fault != "3ph" else self._steady_ka

    @cached_property
    def _steady_ka(self) -> Floats:
        own = (self.e_pu + self.converters_pu[0]) / np.abs(self._without_motors) * self.net.i_base_ka()
        top, s = self.net.topology, self.given.sources
        island = np.where(top.node_of_bus >= 0, top.island_of_node[top.node_of_bus], -1)
        for of, g in self.machine_fed.items():
            if g is None:
                continue
            here = np.flatnonzero(island == of)
            if g.xd_pct is None:
                own[here] = np.nan
                continue
            k = s.elements.index(g)
            node = top.node_of_bus[s.bus[[k]]]
            through = self.e_pu * self.at_bus_of(self.positive.rows(node))[0] / self.z1_pu / s.z[k]
            rated = rated_current_pu(self.net, g, int(s.bus[k]))
            r = np.abs(through[here]) / rated
            c = float(self.e_pu[here].max()) if self.case == "max" else float(self.e_pu[here].min())
            most, least = eq.steady_state_factors(g.xd_pct / 100, (g.xd2_pct or 0.0) / 100, r, c, sin_phi_of(g), g.field_ceiling)
            static = g.excitation != "rotating" and here[0] >= 0
            near = top.node_of_bus[here] == int(node[0])
            factor = least if self.case == "min" else np.where(near & static, least, most)
            with np.errstate(invalid="ignore", divide="ignore"):
                own[here] = np.where(r > 0, factor / r * own[here], own[here])
        return np.asarray(own)

    def heat(self, fault: str = "3ph") -> tuple[Floats, Floats]:
        """m and n of the thermal equivalent current. The alternating part is taken as not decaying but where generators alone feed."""
        m = eq.heat_of_direct_part(self.kappa, self.net.frequency_hz, self.settings.t_k_s)
        n = np.ones(len(m))
        if fault == "3ph" and any(g is not None for g in self.machine_fed.values()):
            top = self.net.topology
            alone = [island for island, g in self.machine_fed.items() if g is not None]
            here = (top.node_of_bus >= 0) & np.isin(top.island_of_node[top.node_of_bus], alone)
            with np.errstate(invalid="ignore", divide="ignore"):
                a = self.of(fault).ik_ka / self._steady_ka
                n = np.where(here & np.isfinite(a), eq.heat_of_alternating_part(np.maximum(a, 1.0), self.settings.t_k_s), n)
        return m, n

    def thermal_ka(self, fault: str = "3ph") -> Floats:
        """Thermal equivalent current for the duration in the settings."""
        return self._kept("ith", fault, lambda: eq.thermal_current_ka(self.of(fault).ik_ka, *self.heat(fault)))

    def x_over_r(self, fault: str = "3ph") -> Floats:
        """X/R of the impedance that limits the current."""

        def made() -> Floats:
            z = self.z1_pu if fault == "3ph" else self.z1_unbalanced_pu + self.z2_pu + (self.z0_pu if fault in TO_EARTH else 0)
            with np.errstate(invalid="ignore", divide="ignore"):
                return np.where(z.real != 0, z.imag / z.real, np.nan)

        return self._kept("x/r", fault, made)


def _scaled(z: Complexes, fc_over_f: float) -> Complexes:
    return np.where(np.isfinite(z), z.real + 1j * fc_over_f * np.nan_to_num(z.imag), z)
