"""From a network in a state to its conductors: which nodes there are, and what stands between them."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import pairwise

import numpy as np

from northfell.core.errors import CannotRun, InputRefused, NetworkRefused
from northfell.core.model.elements import (  # fmt: skip
    PROTECTION,
    Bus,
    CapacitorBank,
    Changeover,
    Compensation,
    Conductor,
    CurrentTransformer,
    EarthingTransformer,
    Element,
    InductionMotor,
    Infeed,
    Inverter,
    Load,
    SeriesReactor,
    StaticLoad,
    StepRegulator,
    Switching,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
    VoltageTransformer,
)
from northfell.core.model.line_data import Geometry, Wire
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.impedance import feeder_impedance, reactor_ohm
from northfell.core.network.lacking import bus_at, fed
from northfell.core.network.lines import built, constants_of
from northfell.core.network.phases import EARTH, POWER, Follows, PhaseNetwork, between, earthed_along, electrodes_at, from_sequences, line, shunt
from northfell.core.network.phases import Load as PhaseLoad
from northfell.core.network.phases.parts import NO_PAIRS, Complexes, through
from northfell.core.rules.by_phase import CONDUCTORS, PHASES, conductors_of
from northfell.core.studies.line_constants import LineConstantsSettings, geometry_named, wires_of
from northfell.core.studies.load_flow import asked_mvar, one_motor
from northfell.core.studies.phase_flow.machines import first_mva, is_sought
from northfell.core.studies.phase_flow.places import ALL, Places, Winding, known, named
from northfell.core.studies.phase_flow.transformers import add_three_windings, add_transformer

IDLE = (Switching, Changeover, CurrentTransformer, VoltageTransformer, *PROTECTION)  # they carry nothing, or stand open
ANGLES = {"a": 0.0, "b": -120.0, "c": 120.0}
ALPHA_PER_K = 0.004
SPREAD_AT = (1 / 6, 5 / 6)  # half at each: the fall of voltage and the losses of what is drawn evenly
C_OF_FLOW = 1.1  # of the fault level, as the balanced study has it


@dataclass
class Gathered:
    """The network by its conductors, with what was left as it stands and what was assumed."""

    net: Compiled
    network: PhaseNetwork
    index: Mapping[tuple[str, str], int]
    messages: tuple[str, ...]
    windings: Mapping[str, Sequence[Winding]]


@dataclass
class Gathering(Places):
    """A state as its conductors are gathered from it."""

    loads: list[PhaseLoad] = field(default_factory=list)
    follows: list[Follows] = field(default_factory=list)
    known: dict[int, complex] = field(default_factory=dict)
    refused: list[tuple[int, str]] = field(default_factory=list)  # a bus of each element that cannot be taken, and why
    matrices: dict[tuple[str, str, float | None], tuple[Complexes, Complexes]] = field(default_factory=dict)  # by geometry, conductors, temperature
    spread: set[str] = field(default_factory=set)  # lines along which a load is spread

    def all(self) -> Gathered:
        """Everything under voltage; islands with something that cannot be taken are among `refused`."""
        part = self.net.taking_part
        for e in part.values():
            if isinstance(e, Bus):
                self._bus(e)
            elif isinstance(e, StaticLoad) and e.along:
                self.spread.add(e.along)
        for e in part.values():
            if not isinstance(e, Bus):
                try:
                    self._element(e)
                except InputRefused as error:
                    self._refuse(e, str(error.at(title_of(e))))
                except NetworkRefused as error:
                    for one in error.refusals:
                        self._refuse(e, str(one))
        if self.alike_in_zero:
            self.told[f"Z0/Z1 is not entered and taken as 1, assumed: {named(self.alike_in_zero)}."] = None
        network = PhaseNetwork(tuple(self.index), np.array(self.base), tuple(self.parts), tuple(self.loads), tuple(self.follows), self.known)
        return Gathered(self.net, network, self.index, tuple(self.told), self.windings)

    def _refuse(self, e: Element, why: str) -> None:
        self.refused.append((bus_at(self.net, e) or 0, why))

    def _bus(self, e: Bus) -> None:
        at = self.net.topology.bus_index[e.id]
        kv = float(self.net.v_nominal_kv[at])
        if not math.isfinite(kv):
            self._refuse(e, f"{title_of(e)}: v_nominal_kv is empty; by phase every bus needs it.")
            kv = 1.0
        for c in e.conductors:
            self.node((e.id, c), 1000 * kv / (2 if "1" in e.conductors else math.sqrt(3)))

    def leaves_out(self, e: Element) -> bool:
        """Whether an element that is under voltage does not enter."""
        return isinstance(e, IDLE) and not e.joined

    def _element(self, e: Element) -> None:
        if self.leaves_out(e):
            return
        if e.joined:
            self._closed(e)
            return
        makers: tuple[tuple[type[Element] | tuple[type[Element], ...], Callable[[Element], None]], ...] = (
            (Conductor, self._line), (StepRegulator, self._regulator), (SeriesReactor, self._reactor),
            (ThreeWindingTransformer, partial(add_three_windings, self)), (Transformer, partial(add_transformer, self)), (Infeed, self._infeed),
            ((SynchronousGenerator, Inverter), self._machine), ((InductionMotor, SynchronousMotor), self._motor), (StaticLoad, self._load),
            (Compensation, self._shunt), (EarthingTransformer, self._earthing),
        )  # fmt: skip
        for kind, make in makers:
            if isinstance(e, kind):
                make(e)
                return
        raise InputRefused("kind", e.kind, "what load flow by phase takes: lines, transformers, reactors, switches, loads, sources")

    # --- what joins without impedance

    def _closed(self, e: Element) -> None:
        near, far = (e.buses[k] for k in e.joined or (0, 1))
        shut = getattr(e, "open_poles", None) or ""
        conductors = "".join(c for c in self._joined(e, near, far) if c not in shut)
        for a, b in zip(self.nodes(e, near, conductors), self.nodes(e, far, conductors), strict=True):
            self.follows.append(Follows(e.id, b, ((a, 1.0),)))

    def _joined(self, e: Element, near: str, far: str) -> str:
        own = getattr(e, "conductors", None)
        if own:
            return str(own)
        return "".join(c for c in CONDUCTORS if (near, c) in self.index and (far, c) in self.index)

    def _regulator(self, e: Element) -> None:
        assert isinstance(e, StepRegulator)
        conductors = conductors_of(e, self.net.elements)
        near, far = (dict(zip(conductors, self.nodes(e, bus, conductors), strict=True)) for bus in e.buses)
        self.follows += regulated(e, conductors, near, far, self.taps.get(e.id))

    # --- lines

    def _line(self, e: Element) -> None:
        assert isinstance(e, Conductor)
        conductors = conductors_of(e, self.net.elements)
        if not conductors:
            raise InputRefused("conductors", "none", "at least one conductor that both its buses have")
        if e.length_m is None:
            raise InputRefused("length_m", None, "a length")
        near, far = self.nodes(e, e.from_bus, conductors), self.nodes(e, e.to_bus, conductors)
        z, y = self._matrices(e, conductors)
        ends = [near, *(self._along(e, k, near, conductors) for k in range(len(SPREAD_AT)) if e.id in self.spread), far]
        at = [0.0, *(SPREAD_AT if e.id in self.spread else ()), 1.0]
        electrodes, earth_s = self._electrodes(e, conductors)
        for (one, other), (first, last) in zip(pairwise(ends), pairwise(e.length_m / 1000 * part for part in at), strict=True):
            there = [km for km in electrodes if first <= km < last]
            y_line = earthed_along(z / e.parallel, y * e.parallel, first, last, there, earth_s)
            self.parts.append(through(e.id, one, other, y_line))

    def _electrodes(self, e: Conductor, conductors: str) -> tuple[list[float], Complexes]:
        """Where electrodes stand along its neutral [km], and the admittance of one."""
        earth_s = np.zeros((len(conductors),) * 2, complex)
        if e.electrode_ohm is None:
            return [], earth_s
        if "n" not in conductors:
            self.told[f"{e.name} carries no neutral here: its electrodes do not enter."] = None
            return [], earth_s
        earth_s[conductors.index("n"), conductors.index("n")] = 1 / e.electrode_ohm
        return electrodes_at(known(e, "length_m") / 1000, known(e, "electrode_every_m") / 1000), earth_s

    def _along(self, e: Conductor, k: int, near: Sequence[int], conductors: str) -> list[int]:
        """The nodes of a place along a line at which a part of what is spread along it stands."""
        for n, c in zip(near, conductors, strict=True):
            if (within(e.id, k), c) not in self.index:
                self.node((within(e.id, k), c), self.base[n])
        return [self.index[within(e.id, k), c] for c in conductors]

    def _matrices(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        """Impedance [ohm/km] and admittance [S/km] of its conductors: its own matrix, else its geometry, else its sequence values."""
        if e.matrix:
            return _of_cells(e, conductors)
        if e.geometry:
            return self._of_geometry(e, conductors)
        return self._of_sequences(e, conductors)

    def _of_geometry(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        key = e.geometry, conductors, self.temperature_degc(e)
        if key not in self.matrices:
            self.matrices[key] = self._by_poles(e, conductors)
        return self.matrices[key]

    def _by_poles(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        network = self.net.network
        geometry, settings = geometry_named(network, e.geometry), network.settings.of(LineConstantsSettings)
        if geometry is None:
            raise InputRefused("geometry", e.geometry, "the name of a geometry of the catalogue")
        f_hz = self.net.frequency_hz
        wires = _at_temperature(wires_of(network), geometry, self.temperature_degc(e))
        found = built(e.geometry, geometry, wires, f_hz, settings.internal == "skin effect")
        one = constants_of(found.conductors, f_hz, geometry.rho_ohm_m or settings.rho_ohm_m, settings.earth)
        for told in found.assumed:
            self.told[f"{e.geometry}: {told}, assumed."] = None
        kept = one.kept
        if len(kept) == len(conductors) and set(kept) != set(conductors) and "n" not in set(kept) ^ set(conductors):
            kept = tuple(conductors) if list(kept) == sorted(kept) else kept  # the same places, of other phases: a pole of one phase serves any
        if set(kept) != set(conductors):
            raise InputRefused("geometry", f"{e.geometry} with {', '.join(kept)}", f"one with the conductors that it joins, {', '.join(conductors)}")
        at = np.ix_(*[[kept.index(c) for c in conductors]] * 2)
        z, c = one.reduced_ohm_per_m, one.reduced_c_f_per_m
        if geometry.order == "transposed":
            z, c = one.transposed(z), one.transposed(c).real
        return z[at] * 1000, np.asarray(2j * math.pi * f_hz * c[at] * 1000, complex)

    def _of_sequences(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        if "n" in conductors:
            raise InputRefused("matrix", "none", "a matrix or a geometry, where it carries a neutral: sequence values do not hold it")
        missing = [f for f in ("r_ohm_per_km", "x_ohm_per_km", "r0_ohm_per_km", "x0_ohm_per_km") if getattr(e, f) is None]
        if missing:
            raise InputRefused(missing[0], None, "a value, or a matrix or a geometry of the line")
        hot = self.hot(e)
        z1, z0 = complex((e.r_ohm_per_km or 0.0) * hot, e.x_ohm_per_km or 0.0), complex((e.r0_ohm_per_km or 0.0) * hot, e.x0_ohm_per_km or 0.0)
        c1 = e.c_uf_per_km or 0.0
        if c1 and e.c0_uf_per_km is None:
            self.told[f"{e.name}: its capacitance to earth is not entered and taken as the positive-sequence one, assumed."] = None
        c0 = c1 if e.c0_uf_per_km is None or not c1 else e.c0_uf_per_km
        at = np.ix_(*[[PHASES.index(c) for c in conductors]] * 2)
        y = 2j * math.pi * self.net.frequency_hz * 1e-6 * from_sequences(c1, c0)
        return from_sequences(z1, z0)[at], y[at]

    def temperature_degc(self, e: Conductor) -> float | None:
        """The temperature of its conductors; None: resistances as they are given."""
        return e.t_operating_degc

    def hot(self, e: Conductor) -> float:
        """Resistance at its temperature, of that at 20 °C."""
        t = self.temperature_degc(e)
        return 1.0 if t is None else 1 + ALPHA_PER_K * (t - 20)

    def _reactor(self, e: Element) -> None:
        assert isinstance(e, SeriesReactor)
        kv = self.kv(e.buses[0])
        z = reactor_ohm(kv, known(e, "uk_pct"), known(e, "i_rated_a"), known(e, "r_over_x"))
        near, far = self.nodes(e, e.buses[0], PHASES), self.nodes(e, e.buses[1], PHASES)
        self.parts.append(line(e.id, near, far, np.asarray(np.eye(3) * z, complex)))

    # --- sources

    def _infeed(self, e: Element) -> None:
        assert isinstance(e, Infeed)
        nodes = self.nodes(e, e.bus, PHASES)
        v = e.v_set_pu * self.base[nodes[0]]
        emf = [v * np.exp(1j * math.radians(e.angle_deg + ANGLES[p])) for p in PHASES]
        if self.is_ideal(e):
            self._hold(e, nodes, emf)
            return
        z1 = self.behind(e)
        y0 = 0j
        if e.neutral == "solid":
            x0 = known(e, "x0_over_x1") * z1.imag
            y0 = 1 / complex(known(e, "r0_over_x0") * x0, x0)
        elif e.neutral is None:
            raise InputRefused("neutral", None, "solid or isolated: its zero sequence counts by phase")
        self.behind_impedance(e, nodes, from_sequences(1 / z1, y0), emf, y0 != 0)
        if y0:
            self.solid.update(nodes)

    def behind_impedance(self, e: Element, nodes: Sequence[int], y: Complexes, emf: Sequence[complex], to_earth: bool) -> None:
        """A source behind an admittance over its phases; without a way for the zero sequence it ties nothing to earth."""
        inner = [self.node((e.id, p), self.base[nodes[0]]) for p in PHASES]
        one = through(e.id, inner, nodes, np.block([[y, -y], [-y, y]]))
        self.parts.append(one if to_earth else replace(one, metal=NO_PAIRS, coupled=one.metal))
        self.known.update(zip(inner, emf, strict=True))

    def is_ideal(self, e: Infeed) -> bool:
        """Whether it holds the voltage of its bus."""
        return e.flow_model == "ideal"

    def behind(self, e: Infeed) -> complex:
        """The impedance of an infeed in the positive sequence [ohm]."""
        return feeder_impedance(C_OF_FLOW if self.kv(e.bus) > 1 else 1.05, self.kv(e.bus), known(e, "ik_max_ka"), known(e, "r_over_x"))

    def _hold(self, e: Element, nodes: Sequence[int], emf: Sequence[complex]) -> None:
        """An ideal source; of several at one electrical node the first holds the voltage and delivers all."""
        here = self.net.topology.node_of_bus[self.net.topology.bus_index[e.buses[0]]]
        names = list(self.index)
        for n in self.known:
            bus = names[n][0]
            at = self.net.topology.bus_index.get(bus)
            if at is not None and self.net.topology.node_of_bus[at] == here:
                self.told[f"{e.name} stands beside another ideal source: what both deliver is shown at the first."] = None
                return
        self.known.update(zip(nodes, emf, strict=True))

    def _machine(self, e: Element) -> None:
        assert isinstance(e, SynchronousGenerator | Inverter)
        legs = (e.buses[0], "1") in self.index
        nodes = self.nodes(e, e.buses[0], "12" if legs else self._phases(e, e.buses[0]))
        if e.mode == "reference":
            if len(nodes) != len(PHASES):
                raise InputRefused("mode", e.mode, "power or another mode that follows the network, where its bus has not all three phases")
            v = e.v_set_pu * self.base[nodes[0]]
            self._hold(e, nodes, [v * np.exp(1j * math.radians(ANGLES[p])) for p in PHASES])
            return
        scale = self.net.factor_of(e)
        s = first_mva(self.net, e) if is_sought(e) else complex(e.p_set_mw * scale, asked_mvar(e, scale))
        if legs:
            self._part(e, nodes[0], nodes[1], -s, 2 * self.base[nodes[0]])
        else:
            self._even(e, e.buses[0], nodes, -s)

    # --- what draws

    def _even(self, e: Element, bus: str, nodes: Sequence[int], s_mva: complex, active: object = POWER, reactive: object = POWER, wye: bool = False) -> None:
        """Equal parts to the neutral; of three phases without one between these, unless it is told to be in wye; else to earth."""
        back = self.index.get((bus, "n"), EARTH)
        between_phases = len(nodes) == 3 and back == EARTH and not wye
        for k, n in enumerate(nodes):
            q, v = (nodes[(k + 1) % 3], self.base[n] * math.sqrt(3)) if between_phases else (back, self.base[n])
            self._part(e, n, q, s_mva / len(nodes), v, active, reactive)

    def _part(self, e: Element, p: int, q: int, s_mva: complex, v: float, active: object = POWER, reactive: object = POWER) -> None:
        low = getattr(e, "v_impedance_pu", None) or 0.0
        self.loads.append(PhaseLoad(e.id, p, q, 1e6 * s_mva, v, active, reactive, low))  # type: ignore[arg-type]

    def _motor(self, e: Element) -> None:
        assert isinstance(e, InductionMotor | SynchronousMotor)
        s = one_motor(e) * e.count * e.drawn_factor * self.net.factor_of(e)
        nodes = self.nodes(e, e.bus, PHASES)
        for k, p in enumerate(nodes):  # no way to earth
            self._part(e, p, nodes[(k + 1) % 3], s / 3, self.base[p] * math.sqrt(3))

    def _load(self, e: Element) -> None:
        assert isinstance(e, StaticLoad)
        factor = e.drawn_factor * self.net.factor_of(e)
        if not e.along:
            self._load_at(e, e.bus, factor)
            return
        carrier = self.net.elements.get(e.along)
        if not isinstance(carrier, Conductor) or e.bus not in carrier.buses:
            raise InputRefused("along", carrier.name if carrier else e.along, f"a line that ends at bus {self.net.name(e.bus)}")
        if carrier.id not in self.net.taking_part:
            raise InputRefused("along", carrier.name, "a line that is in service")
        conductors = conductors_of(carrier, self.net.elements)
        near = self.nodes(carrier, carrier.from_bus, conductors)
        for k in range(len(SPREAD_AT)):
            self._along(carrier, k, near, conductors)
            self._load_at(e, within(carrier.id, k), factor / len(SPREAD_AT))

    def _load_at(self, e: StaticLoad, bus: str, factor: float) -> None:
        active, reactive = _terms(e)
        if e.by_phase:
            for row in e.by_phase:
                p, q, v = self._ends(e, bus, row.between)
                self._part(e, p, q, complex(row.p_mw, row.q_mvar) * factor, v, active, reactive)
            return
        s = complex(known(e, "p_mw"), known(e, "q_mvar")) * factor
        phases = self._phases(e, bus)
        if e.connection == "delta":
            if len(phases) < 2:
                raise InputRefused("connection", "delta", "wye on a bus of one phase")
            ends = ["ab", "bc", "ca"] if len(phases) == 3 else ["ca" if phases == "ac" else phases]
            for one in ends:
                p, q, v = self._ends(e, bus, one)
                self._part(e, p, q, s / len(ends), v, active, reactive)
            return
        self._even(e, bus, self.nodes(e, bus, phases), s, active, reactive, e.connection == "wye")

    def _phases(self, e: Element, bus: str) -> str:
        """Phases of a bus over which something without parts stands.

        Raises
        ------
        InputRefused
            If it has legs instead.
        """
        phases = "".join(c for c in PHASES if (bus, c) in self.index)
        if not phases:
            raise InputRefused("by_phase" if isinstance(e, StaticLoad) else "conductors", "none", "parts between 1, 2 and the neutral: its bus has no phases")
        return phases

    def _ends(self, e: Element, bus: str, where: str) -> tuple[int, int, float]:
        """Nodes and nominal voltage of a part between conductors."""
        p = self.nodes(e, bus, where)[0]
        if len(where) == 2:
            return p, self.nodes(e, bus, where)[1], self.base[p] * (2 if where == "12" else math.sqrt(3))
        return p, self.index.get((bus, "n"), EARTH), self.base[p]

    def _steps(self, e: CapacitorBank) -> int:
        given = e.steps if e.steps_in is None else e.steps_in
        return self.taps[e.id][ALL] if e.id in self.taps else given

    def _drawn(self, e: Compensation) -> complex:
        return e.drawn_with(self._steps(e)) if isinstance(e, CapacitorBank) else e.s_drawn_mva

    def _earthing(self, e: Element) -> None:
        """A zigzag winding: it carries the zero sequence alone, J/(3·(Z0 + 3·Zn))."""
        assert isinstance(e, EarthingTransformer)
        if e.neutral is None:
            raise InputRefused("neutral", None, "how its star point is earthed: solid, isolated, resistor, reactor or resonant")
        if e.neutral == "isolated":
            return
        zn = 0j if e.neutral == "solid" else complex(known(e, "neutral_ohm")) * (1 if e.neutral == "resistor" else 1j)
        if e.neutral == "solid":
            self.solid.update(self.nodes(e, e.bus, PHASES))
        y = np.full((3, 3), 1 / (3 * (1j * known(e, "z0_ohm") + 3 * zn)), complex)
        self.parts.append(shunt(e.id, self.nodes(e, e.bus, PHASES), y))

    def _senses(self, e: CapacitorBank) -> None:
        """Refuse a phase of its controller that is not there where it measures."""
        where = e.bus if e.switching == "by voltage" else e.measured_at
        measures = self.net.elements.get(where or "")
        if e.switching == "fixed" or e.sensed_phase is None or measures is None:
            return
        sides = measures.buses if isinstance(measures, Transformer | ThreeWindingTransformer) else ()
        there = "".join(c for b in sides for c in self.at(b)) or conductors_of(measures, self.net.elements)
        if e.sensed_phase not in there:
            raise InputRefused("sensed_phase", e.sensed_phase, f"a phase that is there where it measures, at {measures.name}, or empty")

    def _shunt(self, e: Element) -> None:
        assert isinstance(e, Compensation)
        if isinstance(e, CapacitorBank):
            self._senses(e)
        parts: list[tuple[int, int, float, complex]] = []
        if isinstance(e, CapacitorBank) and e.step_by_phase:
            steps = self._steps(e)
            for row in e.step_by_phase:
                p, q, v = self._ends(e, e.bus, row.between)
                parts.append((p, q, v, complex(row.q_mvar * e.loss_pct / 100, -row.q_mvar) * steps))
        else:
            phases = self._phases(e, e.bus)
            nodes, back = self.nodes(e, e.bus, phases), self.index.get((e.bus, "n"), EARTH)
            joined = [nodes[(k + 1) % 3] if len(nodes) == 3 and back == EARTH else back for k in range(len(nodes))]
            parts = [(p, q, self.base[p] * (1.0 if q == back else math.sqrt(3)), self._drawn(e) / len(nodes)) for p, q in zip(nodes, joined, strict=True)]
        self.parts.append(between(e.id, [(p, q) for p, q, _, _ in parts], [np.conj(s) * 1e6 / v**2 for _, _, v, s in parts]))


def _at_temperature(wires: Mapping[str, Wire], geometry: Geometry, t_degc: float | None) -> Mapping[str, Wire]:
    """The wires of a geometry with their resistances at a temperature, from that at which these are stated, else from 20 °C."""
    if t_degc is None:
        return wires
    found = dict(wires)
    for name in {c.wire for c in geometry.conductors if c.wire in wires}:
        w = wires[name]
        factor = (1 + ALPHA_PER_K * (t_degc - 20)) / (1 + ALPHA_PER_K * ((20 if w.t_degc is None else w.t_degc) - 20))
        scaled = {field: r * factor for field in ("r_ohm_per_km", "r_dc_ohm_per_km") if (r := getattr(w, field)) is not None}
        found[name] = w.model_copy(update=scaled)
    return found


def _of_cells(e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
    """A matrix from its cells: one triangle, or both alike.

    Raises
    ------
    InputRefused
        If a pair is missing, stands there twice with other figures, or is of a conductor that is not joined.
    """
    z, y = np.full((len(conductors),) * 2, np.nan, complex), np.zeros((len(conductors),) * 2, complex)
    for cell in e.matrix:
        pair = f"{cell.row}{cell.column}"
        if cell.row not in conductors or cell.column not in conductors:
            raise InputRefused("matrix", pair, f"pairs of the conductors that it joins, {conductors}")
        i, j = conductors.index(cell.row), conductors.index(cell.column)
        value, b = complex(cell.r_ohm_per_km, cell.x_ohm_per_km), 1e-6j * cell.b_us_per_km
        if not np.isnan(z[i, j]) and not (np.isclose(z[i, j], value, rtol=1e-3) and np.isclose(y[i, j], b, rtol=1e-3)):
            raise InputRefused("matrix", pair, "one figure for each pair: a line's matrix is symmetrical")
        z[i, j] = z[j, i] = value
        y[i, j] = y[j, i] = b
    missing = [f"{conductors[i]}{conductors[j]}" for i, j in zip(*np.nonzero(np.isnan(z)), strict=True) if i <= j]
    if missing:
        raise InputRefused("matrix", f"without {', '.join(missing)}", f"each pair of {conductors}, of one triangle at least")
    return z, y


def _terms(e: StaticLoad) -> tuple[tuple[tuple[float, float], ...], tuple[tuple[float, float], ...]]:
    """(exponent, share) of the active and of the reactive power."""
    found = [tuple((float(n), share) for n, share in enumerate(shares) if share) for shares in e.shares]
    if isinstance(e, Load) and e.characteristic == "by exponents":
        rest = 1 - e.motor_part
        found = [(*terms, (exponent or 0.0, rest)) for terms, exponent in zip(found, (e.exponent_p, e.exponent_q), strict=True)]
    return found[0], found[1]


def gathered(net: Compiled, taps: Mapping[str, Mapping[str, int]] | None = None) -> Gathered:
    """The network of a state by its conductors, regulators at some taps; islands with something that cannot be taken are held back.

    Raises
    ------
    CannotRun
        If nothing remains, with each element that cannot be taken, and why.
    """
    gathering = Gathering(net, taps=taps or {})
    found = gathering.all()
    if gathering.refused:
        return gathered(fed(net.holding_back(gathering.refused), "phase_flow"), taps)
    if not gathering.known:
        raise CannotRun("phase_flow", ["There is no supply: no infeed and no generator as reference is in service."])
    return found


def retapped(found: Gathered, taps: Mapping[str, Mapping[str, int]]) -> Gathered:
    """The same with its regulators at other taps: of what was gathered only what they let follow changes."""
    net, follows = found.net, [f for f in found.network.follows if f.element not in taps]
    for e in net.taking_part.values():
        if isinstance(e, StepRegulator) and e.id in taps:
            conductors = conductors_of(e, net.elements)
            near, far = ({c: found.index[bus, c] for c in conductors} for bus in e.buses)
            follows += regulated(e, conductors, near, far, taps[e.id])
    return replace(found, network=replace(found.network, follows=tuple(follows)))


def regulated(e: StepRegulator, conductors: str, near: Mapping[str, int], far: Mapping[str, int], taps: Mapping[str, int] | None) -> list[Follows]:
    """The outputs of a regulator by its inputs: in wye about the neutral, in open delta about phase b, in closed delta by the next phase.

    Raises
    ------
    InputRefused
        If its units cannot stand so.
    """
    taps = taps or {u.phase: u.tap for u in e.regulator_units}
    ratio = {p: ratio_of(e, taps.get(p, 0)) for p in PHASES}
    if wrong := [u.phase for u in e.regulator_units if u.phase not in conductors or abs(taps[u.phase]) > e.most_taps]:
        raise InputRefused("regulator_units", wrong[0], f"units of {conductors}, at most {e.most_taps} steps each way")
    if e.connection == "open delta" and "b" in taps:
        raise InputRefused("regulator_units", "b", "units a and c in open delta: they stand between a and b, c and b")
    if e.connection != "wye" and not conductors.startswith(PHASES):
        raise InputRefused("connection", e.connection, "wye where not all three phases are joined")
    made = []
    for c in conductors:
        m, k = ratio.get(c, 1.0), PHASES.find(c)
        of: tuple[tuple[int, float], ...] = ((near[c], m),)
        if c != "n" and e.connection == "wye" and "n" in near and m != 1:
            of = ((near[c], m), (near["n"], 1 - m))
        elif c in "ac" and e.connection == "open delta":
            of = ((near[c], m), (near["b"], 1 - m))
        elif c in PHASES and e.connection == "closed delta":
            of = ((near[c], m), (near[PHASES[(k + 1) % 3]], 1 - m))
        elif e.connection == "open delta":
            of = ((near[c], 1.0),)
        made.append(Follows(e.id, far[c], of))
    return made


def within(line_id: str, k: int) -> str:
    """The name of a place along a line."""
    return f"{line_id} at {k}"


def ratio_of(e: StepRegulator, tap: int) -> float:
    """Output over input voltage of a unit at a tap (IEEE C57.15): 1 + step·t, or 1/(1 − step·t) of type B."""
    part = e.step_pct / 100 * tap
    return 1 + part if e.design == "A" else 1 / (1 - part)


def conductors_at(index: Mapping[tuple[str, str], int], bus: str) -> Iterator[tuple[str, int]]:
    """The conductors of a bus with their nodes, in their order."""
    for c in CONDUCTORS:
        if (bus, c) in index:
            yield c, index[bus, c]
