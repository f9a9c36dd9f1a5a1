"""From a network in a state to its conductors: which nodes there are, and what stands between them."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from northfell.core.catalogue.entries import shipped
from northfell.core.errors import CannotRun, InputRefused, NetworkRefused
from northfell.core.model.elements import (  # fmt: skip
    PROTECTION,
    Bus,
    CapacitorBank,
    Changeover,
    Compensation,
    Conductor,
    CurrentTransformer,
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
    Transformer,
    VoltageTransformer,
)
from northfell.core.model.elements.tap_changer import tap_ratio
from northfell.core.model.line_data import Geometry
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.impedance import feeder_impedance, reactor_ohm, transformer_per_unit
from northfell.core.network.lines import built, constants_of
from northfell.core.network.phases import EARTH, POWER, Follows, Pair, PhaseNetwork, Primitive, bank, between, from_sequences, line, pairs_of, shunt
from northfell.core.network.phases import Load as PhaseLoad
from northfell.core.network.phases.parts import Complexes, through
from northfell.core.rules.by_phase import PHASES, conductors_of
from northfell.core.studies.line_constants import LineConstantsSettings, wires_of
from northfell.core.studies.load_flow.injections import asked_mvar, one_motor

IDLE = (Switching, Changeover, CurrentTransformer, VoltageTransformer, *PROTECTION)  # they carry nothing, or stand open
ANGLES = {"a": 0.0, "b": -120.0, "c": 120.0}
ALPHA_PER_K = 0.004
C_OF_FLOW = 1.1  # of the fault level, as the balanced study has it


@dataclass
class Gathered:
    """The network by its conductors, with what was left as it stands and what was assumed."""

    net: Compiled
    network: PhaseNetwork
    index: Mapping[tuple[str, str], int]
    messages: tuple[str, ...]


@dataclass
class Gathering:
    """A state as its conductors are gathered from it."""

    net: Compiled
    index: dict[tuple[str, str], int] = field(default_factory=dict)
    base: list[float] = field(default_factory=list)
    parts: list[Primitive] = field(default_factory=list)
    loads: list[PhaseLoad] = field(default_factory=list)
    follows: list[Follows] = field(default_factory=list)
    known: dict[int, complex] = field(default_factory=dict)
    refused: list[str] = field(default_factory=list)
    told: dict[str, None] = field(default_factory=dict)
    taps: Mapping[str, Mapping[str, int]] = field(default_factory=dict)  # of regulators, where their controls have moved them

    def all(self) -> Gathered:
        """Everything under voltage.

        Raises
        ------
        CannotRun
            With each element that cannot be taken, and why.
        """
        part = self.net.taking_part
        for e in part.values():
            if isinstance(e, Bus):
                self._bus(e)
        for e in part.values():
            if not isinstance(e, Bus):
                try:
                    self._element(e)
                except InputRefused as error:
                    self.refused.append(str(error.at(title_of(e))))
                except NetworkRefused as error:
                    self.refused += [str(one) for one in error.refusals]
        if self.refused:
            raise CannotRun("load_flow", list(dict.fromkeys(self.refused)))
        if not self.known:
            raise CannotRun("load_flow", ["There is no supply: no infeed and no generator as reference is in service."])
        network = PhaseNetwork(tuple(self.index), np.array(self.base), tuple(self.parts), tuple(self.loads), tuple(self.follows), self.known)
        return Gathered(self.net, network, self.index, tuple(self.told))

    def _bus(self, e: Bus) -> None:
        at = self.net.topology.bus_index[e.id]
        kv = float(self.net.v_nominal_kv[at])
        if not math.isfinite(kv):
            self.refused.append(f"{title_of(e)}: v_nominal_kv is empty; by phase every bus needs it.")
            kv = 1.0
        for c in e.conductors:
            self._node((e.id, c), 1000 * kv / math.sqrt(3))

    def _node(self, name: tuple[str, str], v_base_v: float) -> int:
        self.index[name] = len(self.index)
        self.base.append(v_base_v)
        return self.index[name]

    def nodes(self, e: Element, bus: str, conductors: str) -> list[int]:
        """Nodes of conductors at a bus.

        Raises
        ------
        InputRefused
            If the bus has not all of them.
        """
        has = self.net.elements[bus]
        missing = [c for c in conductors if (bus, c) not in self.index]
        if missing:
            own = has.conductors if isinstance(has, Bus) else ""
            raise InputRefused("conductors", conductors, f"of what bus {has.name} has, {own}")
        return [self.index[bus, c] for c in conductors]

    def _element(self, e: Element) -> None:
        if e.joined:
            self._closed(e)
            return
        makers: tuple[tuple[type[Element] | tuple[type[Element], ...], Callable[[Element], None]], ...] = (
            (Conductor, self._line), (StepRegulator, self._regulator), (SeriesReactor, self._reactor), (Transformer, self._transformer), (Infeed, self._infeed),
            ((SynchronousGenerator, Inverter), self._machine), ((InductionMotor, SynchronousMotor), self._motor), (StaticLoad, self._load),
            (Compensation, self._shunt),
        )  # fmt: skip
        for kind, make in makers:
            if isinstance(e, kind):
                make(e)
                return
        if not isinstance(e, IDLE):
            raise InputRefused("kind", e.kind, "what load flow by phase takes: lines, two-winding transformers, reactors, switches, loads, sources")

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
        return "".join(c for c in "abcn" if (near, c) in self.index and (far, c) in self.index)

    def _regulator(self, e: Element) -> None:
        """Its outputs by its inputs: in wye about the neutral, in open delta about phase b, in closed delta by the next phase."""
        assert isinstance(e, StepRegulator)
        conductors = conductors_of(e, self.net.elements)
        near, far = (dict(zip(conductors, self.nodes(e, bus, conductors), strict=True)) for bus in e.buses)
        taps = self.taps.get(e.id) or {u.phase: u.tap for u in e.regulator_units}
        ratio = {p: ratio_of(e, taps.get(p, 0)) for p in PHASES}
        if wrong := [u.phase for u in e.regulator_units if u.phase not in conductors or abs(taps[u.phase]) > e.most_taps]:
            raise InputRefused("regulator_units", wrong[0], f"units of {conductors}, at most {e.most_taps} steps each way")
        if e.connection == "open delta" and "b" in taps:
            raise InputRefused("regulator_units", "b", "units a and c in open delta: they stand between a and b, c and b")
        if e.connection != "wye" and not conductors.startswith(PHASES):
            raise InputRefused("connection", e.connection, "wye where not all three phases are joined")
        if e.connection != "wye" and e.control != "locked":
            raise InputRefused("control", e.control, "locked: controls of units in delta are not taken yet")
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
            self.follows.append(Follows(e.id, far[c], of))

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
        km = e.length_m / 1000
        self.parts.append(line(e.id, near, far, z * km / e.parallel, y * km * e.parallel))

    def _matrices(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        """Impedance [ohm/km] and admittance [S/km] of its conductors: its own matrix, else its geometry, else its sequence values."""
        if e.matrix:
            return _of_cells(e, conductors)
        if e.geometry:
            return self._of_geometry(e, conductors)
        return self._of_sequences(e, conductors)

    def _of_geometry(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        network = self.net.network
        entry = next((one.values for one in network.entries if one.name == e.geometry and one.kind == "geometry"), None)
        shipped_one = shipped().get(e.geometry)
        values = entry if entry is not None else shipped_one.values if shipped_one and shipped_one.kind == "geometry" else None
        if values is None:
            raise InputRefused("geometry", e.geometry, "the name of a geometry of the catalogue")
        geometry, settings = Geometry.model_validate(dict(values)), network.settings.of(LineConstantsSettings)
        f_hz = self.net.frequency_hz
        found = built(e.geometry, geometry, wires_of(network), f_hz, settings.internal == "skin effect")
        one = constants_of(found.conductors, f_hz, geometry.rho_ohm_m or settings.rho_ohm_m, settings.earth)
        for told in found.assumed:
            self.told[f"{e.geometry}: {told}, assumed."] = None
        if set(one.kept) != set(conductors):
            raise InputRefused("geometry", f"{e.geometry} with {', '.join(one.kept)}", f"one with the conductors that it joins, {', '.join(conductors)}")
        at = np.ix_(*[[one.kept.index(c) for c in conductors]] * 2)
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
        hot = 1.0 if e.t_operating_degc is None else 1 + ALPHA_PER_K * (e.t_operating_degc - 20)
        z1, z0 = complex((e.r_ohm_per_km or 0.0) * hot, e.x_ohm_per_km or 0.0), complex((e.r0_ohm_per_km or 0.0) * hot, e.x0_ohm_per_km or 0.0)
        c1 = e.c_uf_per_km or 0.0
        if c1 and e.c0_uf_per_km is None:
            self.told[f"{e.name}: its capacitance to earth is not entered and taken as the positive-sequence one, assumed."] = None
        c0 = c1 if e.c0_uf_per_km is None or not c1 else e.c0_uf_per_km
        at = np.ix_(*[[PHASES.index(c) for c in conductors]] * 2)
        y = 2j * math.pi * self.net.frequency_hz * 1e-6 * from_sequences(c1, c0)
        return from_sequences(z1, z0)[at], y[at]

    def _reactor(self, e: Element) -> None:
        assert isinstance(e, SeriesReactor)
        kv = self._kv(e.buses[0])
        z = reactor_ohm(kv, _known(e, "uk_pct"), _known(e, "i_rated_a"), _known(e, "r_over_x"))
        near, far = self.nodes(e, e.buses[0], PHASES), self.nodes(e, e.buses[1], PHASES)
        self.parts.append(line(e.id, near, far, np.asarray(np.eye(3) * z, complex)))

    def _kv(self, bus: str) -> float:
        return float(self.net.v_nominal_kv[self.net.topology.bus_index[bus]])

    # --- transformers

    def _transformer(self, e: Element) -> None:
        assert isinstance(e, Transformer)
        group = e.vector_group or ""
        ends = pairs_of(group)
        if ends is None:
            raise InputRefused("vector_group", group or None, "a group of stars and deltas such as Dyn11; zigzag windings are not taken by phase yet")
        s_mva, hv, lv = _known(e, "s_rated_mva"), _known(e, "v_hv_kv"), _known(e, "v_lv_kv")
        r, x = transformer_per_unit(e)
        if not (math.isfinite(r) and math.isfinite(x)):
            raise InputRefused("uk_pct", e.uk_pct, "impedance voltage and its resistive part")
        if e.tap_changer != "off load":
            self.told[f"{e.name}: its tap stands as entered, {e.tap_pct:g} %; tap changers do not act by phase yet."] = None
        star = {"N": self._star(e, e.hv_bus, "N" in group, e.neutral_hv, e.neutral_hv_ohm, group.startswith("Y"), "N"),
                "n": self._star(e, e.lv_bus, "n" in group, e.neutral_lv, e.neutral_lv_ohm, "y" in group, "n")}  # fmt: skip
        v_high = 1000 * hv * tap_ratio(e.tap_side, e.tap_pct) / (math.sqrt(3) if group.startswith("Y") else 1)
        v_low = 1000 * lv / (math.sqrt(3) if "y" in group else 1)
        z = complex(r, x) * v_low**2 / (s_mva * 1e6 / 3 * e.parallel)
        y = self._magnetising(e, s_mva, v_low)
        place = dict(zip("ABC", self.nodes(e, e.hv_bus, PHASES), strict=True)) | dict(zip("abc", self.nodes(e, e.lv_bus, PHASES), strict=True)) | star
        pairs = [Pair((place[a], place[b], place[c], place[d]), v_high, v_low, z, y) for a, b, c, d in ends]
        self.parts.append(bank(e.id, pairs))

    def _star(self, e: Transformer, bus: str, led_out: bool, neutral: str | None, ohm: float | None, is_star: bool, name: str) -> int:
        """The node of a star point: that of the neutral of its bus, earth, one behind its earthing impedance, or one of its own that floats."""
        if not is_star:
            return EARTH
        if led_out and neutral is None:
            side = "neutral_hv" if name == "N" else "neutral_lv"
            raise InputRefused(side, None, "how the star point is earthed: solid, isolated, resistor, reactor or resonant")
        node = self.index.get((bus, "n")) if led_out else None
        if led_out and neutral == "solid":
            if node is not None:
                self.parts.append(shunt(e.id, [node], np.array([[1e3 + 0j]])))
                self.told[f"{e.name}: its star point stands at the neutral of its bus, earthed through 1 mohm."] = None
                return node
            return EARTH
        if node is None:
            node = self._node((e.id, name), self.base[self.index[bus, "a"]])
        if led_out and neutral in ("resistor", "reactor", "resonant"):
            z = complex(ohm or 0.0) if neutral == "resistor" else 1j * (ohm or 0.0)
            if not z:
                raise InputRefused("neutral_ohm", ohm, "its earthing impedance")
            self.parts.append(shunt(e.id, [node], np.array([[1 / z]])))
        return node

    def _magnetising(self, e: Transformer, s_mva: float, v_low: float) -> complex:
        """Across one low winding, as half at each end: no-load losses and current."""
        p = (e.no_load_loss_kw or 0.0) / 1000
        q = math.sqrt(max(((e.no_load_current_pct or 0.0) / 100 * s_mva) ** 2 - p**2, 0.0))
        return complex(p, -q) * 1e6 / 3 * e.parallel / v_low**2

    # --- sources

    def _infeed(self, e: Element) -> None:
        assert isinstance(e, Infeed)
        nodes = self.nodes(e, e.bus, PHASES)
        v = e.v_set_pu * self.base[nodes[0]]
        emf = [v * np.exp(1j * math.radians(e.angle_deg + ANGLES[p])) for p in PHASES]
        if e.flow_model == "ideal":
            self._hold(e, nodes, emf)
            return
        z1 = feeder_impedance(C_OF_FLOW if self._kv(e.bus) > 1 else 1.05, self._kv(e.bus), _known(e, "ik_max_ka"), _known(e, "r_over_x"))
        y0 = 0j
        if e.neutral == "solid":
            x0 = _known(e, "x0_over_x1") * z1.imag
            y0 = 1 / complex(_known(e, "r0_over_x0") * x0, x0)
        elif e.neutral is None:
            raise InputRefused("neutral", None, "solid or isolated: its zero sequence counts by phase")
        y = np.eye(3) / z1 + (y0 - 1 / z1) / 3
        inner = [self._node((e.id, p), self.base[nodes[0]]) for p in PHASES]
        self.parts.append(through(e.id, inner, nodes, np.block([[y, -y], [-y, y]])))
        self.known.update(zip(inner, emf, strict=True))

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
        nodes = self.nodes(e, e.buses[0], PHASES)
        if e.mode == "reference":
            v = e.v_set_pu * self.base[nodes[0]]
            self._hold(e, nodes, [v * np.exp(1j * math.radians(ANGLES[p])) for p in PHASES])
            return
        if e.mode not in ("power", "power factor") or (isinstance(e, Inverter) and e.volt_watt == "on"):
            raise InputRefused("mode", e.mode, "reference, power or power factor: by phase, machines that hold a voltage or follow one are not taken yet")
        scale = self.net.factor_of(e)
        s = complex(e.p_set_mw * scale, asked_mvar(e, scale))
        self._even(e, nodes, -s)

    # --- what draws

    def _even(self, e: Element, nodes: Sequence[int], s_mva: complex, active: object = POWER, reactive: object = POWER, wye: bool = False) -> None:
        """Equal parts to the neutral; of three phases without one between these, unless it is told to be in wye; else to earth."""
        back = self.index.get((e.buses[0], "n"), EARTH)
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
        active, reactive = _terms(e)
        if e.by_phase:
            for row in e.by_phase:
                p, q, v = self._ends(e, row.between)
                self._part(e, p, q, complex(row.p_mw, row.q_mvar) * factor, v, active, reactive)
            return
        s = complex(_known(e, "p_mw"), _known(e, "q_mvar")) * factor
        phases = "".join(c for c in PHASES if (e.bus, c) in self.index)
        if e.connection == "delta":
            if len(phases) < 2:
                raise InputRefused("connection", "delta", "wye on a bus of one phase")
            ends = ["ab", "bc", "ca"] if len(phases) == 3 else ["ca" if phases == "ac" else phases]
            for one in ends:
                p, q, v = self._ends(e, one)
                self._part(e, p, q, s / len(ends), v, active, reactive)
            return
        self._even(e, self.nodes(e, e.bus, phases), s, active, reactive, e.connection == "wye")

    def _ends(self, e: Element, where: str) -> tuple[int, int, float]:
        """Nodes and nominal voltage of a part between conductors."""
        bus = e.buses[0]
        p = self.nodes(e, bus, where)[0]
        if len(where) == 2:
            return p, self.nodes(e, bus, where)[1], self.base[p] * math.sqrt(3)
        return p, self.index.get((bus, "n"), EARTH), self.base[p]

    def _shunt(self, e: Element) -> None:
        assert isinstance(e, Compensation)
        parts: list[tuple[int, int, float, complex]] = []
        if isinstance(e, CapacitorBank) and e.step_by_phase:
            steps = e.steps if e.steps_in is None else e.steps_in
            for row in e.step_by_phase:
                p, q, v = self._ends(e, row.between)
                parts.append((p, q, v, complex(row.q_mvar * e.loss_pct / 100, -row.q_mvar) * steps))
        else:
            phases = "".join(c for c in PHASES if (e.bus, c) in self.index)
            nodes, back = self.nodes(e, e.bus, phases), self.index.get((e.bus, "n"), EARTH)
            joined = [nodes[(k + 1) % 3] if len(nodes) == 3 and back == EARTH else back for k in range(len(nodes))]
            parts = [(p, q, self.base[p] * (1.0 if q == back else math.sqrt(3)), e.s_drawn_mva / len(nodes)) for p, q in zip(nodes, joined, strict=True)]
        if isinstance(e, CapacitorBank) and e.switching != "fixed":
            self.told[f"{e.name}: its steps stand as entered; controllers do not act by phase yet."] = None
        self.parts.append(between(e.id, [(p, q) for p, q, _, _ in parts], [np.conj(s) * 1e6 / v**2 for _, _, v, s in parts]))


def _known(e: Element, name: str) -> float:
    value = getattr(e, name)
    if value is None:
        raise InputRefused(name, None, "a value")
    return float(value)


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
    """The network of a state by its conductors, regulators at some taps."""
    return Gathering(net, taps=taps or {}).all()


def ratio_of(e: StepRegulator, tap: int) -> float:
    """Output over input voltage of a unit at a tap (IEEE C57.15): 1 + step·t, or 1/(1 − step·t) of type B."""
    part = e.step_pct / 100 * tap
    return 1 + part if e.design == "A" else 1 / (1 - part)


def conductors_at(index: Mapping[tuple[str, str], int], bus: str) -> Iterator[tuple[str, int]]:
    """The conductors of a bus with their nodes, in their order."""
    for c in "abcn":
        if (bus, c) in index:
            yield c, index[bus, c]
