"""A state as faults by phase see it: what feeds them, and what their current goes through."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np

from northfell.core.errors import InputRefused
from northfell.core.model.elements import (
    Compensation,
    Conductor,
    Element,
    InductionMotor,
    Infeed,
    Inverter,
    StaticLoad,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
)  # fmt: skip
from northfell.core.network.impedance import feeder_impedance
from northfell.core.network.lines.constants import FORTESCUE
from northfell.core.network.phases import PhaseNetwork, Primitive, from_sequences, shunt
from northfell.core.network.phases.parts import Complexes
from northfell.core.network.phases.solver import parts_of
from northfell.core.rules.by_phase import PHASES, conductors_of
from northfell.core.studies.phase_flow import Gathered, Gathering, known, named
from northfell.core.studies.short_circuit import Given, ShortCircuitSettings, factor_c, iec_given, transformer_correction

CASES: tuple["Which", ...] = ("max", "min")
Which = Literal["max", "min"]
TURN = {"a": 1 + 0j, "b": complex(-0.5, -math.sqrt(3) / 2), "c": complex(-0.5, math.sqrt(3) / 2), "n": 0j, "1": 1 + 0j, "2": -1 + 0j}
PASSING = (InductionMotor, SynchronousMotor, StaticLoad, Inverter)
GOES_BY = ("p_rated_kw", "s_rated_mva", "v_rated_kv", "efficiency_pct", "power_factor", "power_factor_rated", "ilr_over_ir", "r_over_x", "xd2_pct",
           "r_stator_ohm")  # fmt: skip


@dataclass
class FaultGathering(Gathering):
    """A state as faults see it: equivalent source at the fault, corrected impedances, no loads (IEC 60909-0)."""

    case: Which = "max"
    lasting: bool = False  # without what motors bring, which is gone within cycles, and converters, which follow the network
    uncounted: dict[str, None] = field(default_factory=dict)  # what gives a current too
    cold: dict[str, None] = field(default_factory=dict)  # lines whose temperature at the end of a fault is not entered
    as_given: dict[str, None] = field(default_factory=dict)  # lines by matrix
    injections: list[Mapping[int, complex]] = field(default_factory=list)  # of converters [A]
    charges: list[tuple[str, list[int], list[int], complex]] = field(default_factory=list)  # of lines: phases at both ends, admittance to earth [S]

    @cached_property
    def given(self) -> Given:
        """What the standard puts into the case: corrected impedances of machines and motors, factors of transformers."""
        return iec_given(self.net, self.net.network.settings.of(ShortCircuitSettings), self.case)

    @cached_property
    def _factors(self) -> Mapping[str, float]:
        rated = ~np.isnan(self.net.branches.x_rated)
        return {i: float(k) for i, k, known in zip(self.net.branches.ids, self.given.factors.branch, rated, strict=True) if known}

    @cached_property
    def _source_of(self) -> Mapping[str, int]:
        return {e.id: k for k, e in enumerate(self.given.sources.elements)}

    def all(self) -> Gathered:
        """As load flow has it; where no star point of a part is earthed solidly, capacitances to earth carry the current there."""
        found = super().all()
        charged, parts = list(self._charging(found.network)), found.network.primitives
        return replace(found, network=replace(found.network, primitives=(*parts, *charged))) if charged else found

    def _charging(self, network: PhaseNetwork) -> Iterator[Primitive]:
        part = parts_of(network)
        solid = {int(part[n]) for n in self.solid}
        loose = [one for one in self.charges if int(part[one[1][0]]) not in solid]
        if bare := [self.net.name(name) for name, _, _, y in loose if y == 0]:
            self.told[f"Capacitance to earth is not entered: {named(bare)}; currents to earth may be more by that."] = None
        for name, near, far, y in loose:
            half = np.full((len(near),) * 2, y / 2 / len(near) ** 2, complex)
            yield from (shunt(name, end, half) for end in (near, far))

    def c_of(self, un_kv: float, case: str) -> float:
        settings = self.net.network.settings.of(ShortCircuitSettings)
        return float(factor_c(settings, un_kv, case))

    def leaves_out(self, e: Element) -> bool:
        return super().leaves_out(e) or isinstance(e, Compensation) or (self.lasting and isinstance(e, PASSING))

    # --- what feeds a fault

    def _machine(self, e: Element) -> None:
        if isinstance(e, Inverter):
            self._converter(e)
        else:
            self._rotates(e)

    def _motor(self, e: Element) -> None:
        self._rotates(e)

    def _load(self, e: Element) -> None:
        """Draws nothing here; its share of motors brings a current where it stands evenly on three phases."""
        assert isinstance(e, StaticLoad)
        if not getattr(e, "motor_part", 0):
            return
        if e.by_phase or e.along or self._phases(e, e.bus) != PHASES:
            self.uncounted[e.name] = None
        else:
            self._rotates(e)

    def _rotates(self, e: Element) -> None:
        """A machine or motor behind its impedances, of which the standard says whether it counts; of drives all phases alike or nothing."""
        sources, at = self.given.sources, self._source_of.get(e.id)
        if at is None or not np.isfinite(sources.z[at]):
            if at is not None and math.isnan(abs(sources.z[at])):
                empty = next((name for name in GOES_BY if getattr(e, name, 0) is None), "s_rated_mva")
                raise InputRefused(empty, None, "a value: its current in a fault goes by that")
            return
        if sources.balanced_only[at]:
            self.uncounted[e.name] = None
            return
        nodes = self.nodes(e, e.buses[0], PHASES)
        base = float(self.net.v_nominal_kv[sources.bus[at]]) ** 2 / self.net.s_base_mva
        z1, z2 = complex(sources.z[at]) * base, complex(sources.z2[at]) * base
        y0 = self._earthed(e, z1) if isinstance(e, SynchronousGenerator) else 0j
        y = np.asarray(FORTESCUE @ np.diag([y0, 1 / z1, 1 / z2]) @ np.linalg.inv(FORTESCUE))
        self.behind_impedance(e, nodes, y, [0j] * 3, y0 != 0)

    def _earthed(self, e: SynchronousGenerator, z1: complex) -> complex:
        """Its zero sequence, with three times what earths its star point [S]."""
        if e.neutral is None:
            raise InputRefused("neutral", None, "how its star point is earthed: solid, isolated, resistor, reactor or resonant")
        if e.neutral == "isolated":
            return 0j
        if e.neutral == "solid":
            self.solid.update(self.nodes(e, e.buses[0], PHASES))
        zn = 0j if e.neutral == "solid" else complex(known(e, "neutral_ohm")) * (1 if e.neutral == "resistor" else 1j)
        return 1 / (complex(z1.real, z1.imag * known(e, "x0_pct") / known(e, "xd2_pct")) + 3 * zn)

    def _converter(self, e: Inverter) -> None:
        """A source of current into its phases, in step with them, or between its legs."""
        if self.case == "min":
            return
        s_va = 1e6 * (e.s_rated_mva or 0.0) * e.count * (e.ik_over_ir or 0.0)
        if e.ik_over_ir is None or e.s_rated_mva is None or e.i2_over_ir:
            self.uncounted[e.name] = None
        if (e.bus, "1") in self.index:
            leg1, leg2 = self.nodes(e, e.bus, "12")
            self.injections.append({leg1: s_va / (2 * self.base[leg1]), leg2: -s_va / (2 * self.base[leg1])})
            return
        phases = self._phases(e, e.bus)
        nodes, neutral = self.nodes(e, e.bus, phases), self.index.get((e.bus, "n"))
        i = {n: s_va / len(nodes) / self.base[n] * TURN[p] for p, n in zip(phases, nodes, strict=True)}
        if neutral is not None and len(nodes) < len(PHASES):
            i[neutral] = -sum(i.values())
        self.injections.append(i)

    # --- what the current goes through

    def _line(self, e: Element) -> None:
        super()._line(e)
        assert isinstance(e, Conductor)
        conductors = conductors_of(e, self.net.elements)
        phases = [c for c in conductors if c != "n"]
        near, far = self.nodes(e, e.from_bus, "".join(phases)), self.nodes(e, e.to_bus, "".join(phases))
        at = [conductors.index(c) for c in phases]
        if e.matrix or e.geometry:
            y_per_km = complex(super()._matrices(e, conductors)[1][np.ix_(at, at)].sum())
        elif e.c0_uf_per_km is None:
            y_per_km = 0j  # told where it counts
        else:
            c0 = e.c0_uf_per_km
            y_per_km = 2j * math.pi * self.net.frequency_hz * 1e-6 * complex(from_sequences(e.c_uf_per_km or c0, c0)[np.ix_(at, at)].sum())
        self.charges.append((e.id, near, far, y_per_km * known(e, "length_m") / 1000 * e.parallel))

    def temperature_degc(self, e: Conductor) -> float:
        """20 °C for the greatest currents, that at the end of the fault for the least."""
        return 20.0 if self.case == "max" or e.t_end_degc is None else e.t_end_degc

    def correction(self, e: Element, x_pu: float) -> float:
        assert isinstance(e, Transformer | ThreeWindingTransformer)
        if isinstance(e, Transformer) and not e.bank_units and e.id in self._factors:
            return self._factors[e.id]
        return float(transformer_correction(self.c_of(self.kv(e.buses[-1]), "max"), x_pu))

    def zero_core_pu(self, e: Transformer) -> float | None:
        if e.core is None:
            raise InputRefused("core", None, "how its core is built: without a winding in delta the zero sequence goes by that")
        return super().zero_core_pu(e)

    def without_delta(self, e: ThreeWindingTransformer) -> None:
        raise InputRefused("vector_group", e.vector_group, "one with a winding in delta: without any, earth faults are not computed")

    def core(self, drawn: complex) -> complex:
        return 0j

    def tap_pct(self, e: Transformer | ThreeWindingTransformer) -> float:
        return 0.0  # the main tap

    def _matrices(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        if e.matrix:
            self.as_given[e.name] = None
        elif self.case == "min" and e.t_end_degc is None:
            self.cold[e.name] = None
        z, y = super()._matrices(e, conductors)
        return z, np.zeros_like(y)

    def is_ideal(self, e: Infeed) -> bool:
        return False

    def behind(self, e: Infeed) -> complex:
        kv = self.kv(e.bus)
        return feeder_impedance(self.c_of(kv, self.case), kv, known(e, f"ik_{self.case}_ka"), known(e, "r_over_x"))
