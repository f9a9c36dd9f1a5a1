"""What a short-circuit study found: currents at every bus, what flows where for a fault at some, and the tables."""

import cmath
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from northfell.core.model.elements import Element, InductionMotor, StaticLoad, SynchronousMotor
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.selected import BLOCK
from northfell.core.network.sequences import as_phases, phase_matrix
from northfell.core.studies.short_circuit.at_own_bus import at_own_bus
from northfell.core.studies.short_circuit.case import FAULTS, PHASES, SEQUENCES, TO_EARTH, Case
from northfell.core.studies.short_circuit.decay import LEAST
from northfell.core.studies.short_circuit.flowing import Flows
from northfell.core.studies.short_circuit.iec_case import IecCase
from northfell.core.studies.short_circuit.ieee import IeeeCase
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings
from northfell.core.tables import Cell, Table, build, by_columns, cells_of

CASES = ("max", "min")
FAULT_WORDS = {"3ph": "Three-phase", "ll": "Line to line", "llg": "Two lines to earth", "lg": "Line to earth"}
COMPONENTS = (*PHASES, *SEQUENCES)
_CONTRIBUTIONS = (
    ("state", "", "State"), ("bus", "", "Bus"), ("fault", "", "Fault"), ("case", "", "Case"), ("element", "", "Element"),
    ("terminal", "", "Terminal"), ("component", "", "Component"), ("i_ka", "kA", "I"), ("angle_deg", "deg", "Angle"), ("kind", "", "Kind"),
)  # fmt: skip
_VOLTAGES = (
    ("state", "", "State"), ("faulted_bus", "", "Faulted bus"), ("fault", "", "Fault"), ("case", "", "Case"), ("bus", "", "Bus"),
    ("component", "", "Component"), ("v_kv", "kV", "U to earth"), ("angle_deg", "deg", "Angle"), ("v_pu", "p.u.", "Of nominal"),
)  # fmt: skip
_CURRENTS = (
    ("state", "", "State"), ("faulted_bus", "", "Faulted bus"), ("fault", "", "Fault"), ("case", "", "Case"), ("element", "", "Element"),
    ("terminal", "", "Terminal"), ("component", "", "Component"), ("i_ka", "kA", "I"), ("angle_deg", "deg", "Angle"), ("kind", "", "Kind"),
)  # fmt: skip
_MATRIX = (
    ("state", "", "State"), ("bus", "", "Bus"), ("case", "", "Case"), ("of", "", "Of"), ("row", "", "Row"), ("column", "", "Column"),
    ("z_ohm", "ohm", "Z"),
)  # fmt: skip


@dataclass(frozen=True)
class ShortCircuit:
    """Faults at all buses of one state."""

    net: Compiled
    settings: ShortCircuitSettings
    cases: dict[str, IecCase | IeeeCase]

    @property
    def method(self) -> str:
        return self.settings.method

    @property
    def listed(self) -> tuple[str, ...]:
        """The faults that the tables list."""
        return FAULTS if self.settings.fault == "all" else (self.settings.fault,)

    def listing(self, fault: str) -> "ShortCircuit":
        """The same, with one type of fault listed in its tables."""
        return replace(self, settings=self.settings.model_copy(update={"fault": fault}))

    def flows(self, buses: Sequence[int], case: str, fault: str = "3ph") -> Flows:
        """Currents and voltages everywhere for faults at the given buses."""
        return self.cases[case].flows(buses, fault)

    def contributions(self, bus: int, case: str, fault: str = "3ph") -> list[tuple[Element, str, Complexes]]:
        """What each element at a bus brings into a fault there: element, terminal, currents by sequence [kA]. They sum to the fault current."""
        return self.contributions_of(self.flows([bus], case, fault), 0)

    def contributions_of(self, flows: Flows, fault: int) -> list[tuple[Element, str, Complexes]]:
        found = []
        bus_id = self.net.topology.bus_ids[flows.buses[fault]]
        for e in (self.net.elements[i] for i in self.net.network.adjacency.at[bus_id] if i in self.net.terminals.at):
            at = e.buses.index(bus_id)
            if e.id in self._may_carry:
                found.append((e, e.TERMINALS[at], -flows.of(e.id)[at, fault]))
        return found

    @property
    def _may_carry(self) -> set[str]:
        """What can carry a fault current: branches, closed switches, sources of the maximum case, and paths of the zero sequence."""
        known: set[str] = self.__dict__.get("_carrying", set())
        if not known:
            top, case = self.net.topology, self.cases["max"]
            units = (*case.given.sources.elements, *case.given.converters.elements)
            known = {*self.net.branches.ids, *top.closed_ids, *(e.id for e in units)}
            known |= {e.id for e in self.net.elements.values() if e.kind == "earthing_transformer" and top.live.get(e.id, False)}
            self.__dict__["_carrying"] = known
        return known

    def fed_buses(self) -> list[int]:
        return [i for i in range(len(self.net.topology.bus_ids)) if self.net.topology.fed_bus(i)]

    def earth_faults_lack(self, bus: int) -> tuple[str, ...]:
        """What is not known of the zero sequence around a bus: no earth-fault current is given there."""
        return self.cases["max"].zero.lacking_at(int(self.net.topology.node_of_bus[bus]))

    def phase_matrix_ohm(self, bus: int, case: str) -> Complexes:
        """Impedance matrix between the phases at a bus [ohm]."""
        one = self.cases[case]
        z = (one.z1_unbalanced_pu[bus], one.z2_pu[bus], one.z0_pu[bus])
        return phase_matrix(*(complex(v) for v in z)) * float(one.z_base_ohm[bus])

    def watched(self) -> list[int]:
        """Fed buses that are marked to be watched."""
        return [i for i in self.fed_buses() if getattr(self.net.elements[self.net.topology.bus_ids[i]], "watched", False)]

    @property
    def messages(self) -> tuple[str, ...]:
        """What was kept back and why, what was recognised, and what of earth faults is not known."""
        told = [*self.net.held_back_told, *self.cases["max"].given.told]
        told += [
            f"Minimum above maximum at {name}: {a:.4g} kA and {b:.4g} kA. Look at the fault levels of the infeeds." for name, a, b in self.contradictions()
        ]
        if any(fault in TO_EARTH for fault in self.listed):
            told += self.lacking_earth
        return tuple(told)

    @property
    def lacking_earth(self) -> list[str]:
        """What is not known of the zero sequence, for each part of the network that is fed: named by its first board."""
        zero, nodes = self.cases["max"].zero, self.net.topology.node_of_bus
        named: dict[int, tuple[bool, int]] = {}
        for b in self.fed_buses():
            part = int(zero.part_of_node[nodes[b]])
            named[part] = min(named.get(part, (True, b)), (getattr(self.net.elements[self.net.topology.bus_ids[b]], "bus_kind", "") == "junction", b))
        return [
            f"No earth-fault currents at {self.net.name(self.net.topology.bus_ids[b])} and what is joined to it in the zero sequence: {told}"
            for part, (_, b) in sorted(named.items(), key=lambda one: one[1][1]) for told in zero.reasons.get(part, ())
        ]  # fmt: skip

    def contradictions(self) -> list[tuple[str, float, float]]:
        """Buses whose least current is above their highest one, with both [kA]."""
        high, low = (self.cases[case].of("3ph").ik_ka for case in CASES)
        with np.errstate(invalid="ignore"):
            over = np.flatnonzero(low > high * (1 + 1e-9))
        return [(self.net.name(self.net.topology.bus_ids[b]), float(low[b]), float(high[b])) for b in over]

    @property
    def summary(self) -> dict[str, float | int | str | None]:
        fed = self.fed_buses()
        high, low = (self.cases[case].of("3ph").ik_ka for case in CASES)
        highest, lowest = max(fed, key=lambda i: float(high[i])), min(fed, key=lambda i: float(low[i]))
        ids = self.net.topology.bus_ids
        return {
            "method": self.method, "buses": len(fed), "highest_ik_ka": float(high[highest]), "highest_at": self.net.name(ids[highest]),
            "lowest_ik_ka": float(low[lowest]), "lowest_at": self.net.name(ids[lowest]),
        }  # fmt: skip

    # --- tables

    def tables(self) -> list[Table]:
        return [self.faults_table(), self.contributions_table(self.fed_buses())]

    def tables_at(self, buses: Sequence[int]) -> list[Table]:
        """All that is known of faults at some buses: with the phases, voltages and currents everywhere, and the impedance matrices."""
        everywhere = [self.voltages_table(buses), self.currents_table(buses), self.matrices_table(buses)]
        return [self.faults_table(buses), self.contributions_table(buses, COMPONENTS), *everywhere]

    def faults_table(self, buses: Sequence[int] | None = None) -> Table:
        """A row for each fed bus, fault and case; what is not known is absent."""
        fed = self.fed_buses() if buses is None else [b for b in buses if self.net.topology.fed_bus(b)]
        rows: list[tuple[int, str, str]] = [(i, fault, case) for i in fed for fault in self.listed for case in CASES]
        at = np.array([i for i, _, _ in rows], np.intp)
        kinds = {(fault, case): np.array([f == fault and c == case for _, f, c in rows], bool) for fault in self.listed for case in CASES}

        def of(figure: "Sequence[str] | str", real: bool = True) -> Floats | Complexes:
            values = np.full(len(rows), np.nan, float if real else complex)
            for (fault, case), here in kinds.items():
                found = self.figures(str(figure), fault, case)
                if found is not None:
                    values[here] = found[at[here]]
            return values

        ids, v = self.net.topology.bus_ids, self.net.v_nominal_kv
        numbers = {name: cells_of(np.asarray(of(name), float)) for name in _NUMBERS}
        z = {name: [complex(c) if cmath.isfinite(c) else None for c in of(name, real=False).tolist()] for name in ("z1_ohm", "z2_ohm", "z0_ohm")}
        cells = [
            [self.net.state] * len(rows), [self.net.name(ids[i]) for i, _, _ in rows], [f for _, f, _ in rows], [c for _, _, c in rows],
            [self.method] * len(rows),
            *(numbers[name] for name in _NUMBERS[:8]), z["z1_ohm"], z["z2_ohm"], z["z0_ohm"], *(numbers[name] for name in _NUMBERS[8:]),
            [float(v[i]) for i, _, _ in rows],
        ]  # fmt: skip
        return by_columns("faults", _FAULT_COLUMNS, cells)

    def figures(self, name: str, fault: str, case: str) -> Floats | Complexes | None:
        """One figure at all buses; None where the school has no such figure."""
        one = self.cases[case]
        made = _FIGURES.get(name) or (_OF_IEC if isinstance(one, IecCase) else _OF_IEEE).get(name)
        return None if made is None else np.asarray(made(one, fault))

    def contributions_table(self, buses: Sequence[int], components: Sequence[str] = ()) -> Table:
        """What each element brings, by sequence or by the components that are named; what a fault does not have is absent."""
        return build("contributions", _CONTRIBUTIONS, [row for fault in self.listed for row in self._contribution_rows(buses, fault, components)])

    def _contribution_rows(self, buses: Sequence[int], fault: str, components: Sequence[str]) -> Iterator[tuple[Cell, ...]]:
        named = components or SEQUENCES
        if len(buses) > BLOCK:  # so many are not solved one by one
            at_once = {case: at_own_bus(self.cases[case], fault) for case in CASES}
            if all(found is not None for found in at_once.values()):
                known = {case: found for case, found in at_once.items() if found is not None}
                yield from self._rows_at_once(buses, fault, named, known)
                return
        for start in range(0, len(buses), BLOCK):
            some = buses[start : start + BLOCK]
            flows = {case: self.flows(some, case, fault) for case in CASES}
            for k, bus in enumerate(some):
                name = self.net.name(self.net.topology.bus_ids[bus])
                for case in CASES:
                    for e, terminal, i in self.contributions_of(flows[case], k):
                        for component, value in by_component(i, named, fault):
                            yield (self.net.state, name, fault, case, e.name, terminal, component, abs(value), math.degrees(cmath.phase(value)), e.kind)

    def _rows_at_once(self, buses: Sequence[int], fault: str, named: Sequence[str], at_once: Mapping[str, Complexes]) -> Iterator[tuple[Cell, ...]]:
        net, carrying = self.net, self._may_carry
        for bus in buses:
            bus_id = net.topology.bus_ids[bus]
            here = [net.elements[i] for i in net.network.adjacency.at[bus_id] if i in net.terminals.at and i in carrying]
            for case in CASES:
                for e in here:
                    k = e.buses.index(bus_id)
                    name, terminal = net.name(bus_id), e.TERMINALS[k]
                    for component, value in by_component(-at_once[case][net.terminals.of(e.id).start + k], named, fault):
                        yield (net.state, name, fault, case, e.name, terminal, component, abs(value), math.degrees(cmath.phase(value)), e.kind)

    def voltages_table(self, buses: Sequence[int]) -> Table:
        """Voltage left at every bus, phase to earth and by sequence."""
        rows: list[tuple[Cell, ...]] = []
        net = self.net
        for fault, case, k, bus, flows in self._each(buses):
            for other in self.fed_buses():
                v = flows.voltages_pu[other, k]
                kv = float(net.v_nominal_kv[other]) / math.sqrt(3)
                name, faulted = net.name(net.topology.bus_ids[other]), net.name(net.topology.bus_ids[bus])
                for component, value in by_component(v, COMPONENTS, fault):
                    rows.append((net.state, faulted, fault, case, name, component, abs(value) * kv, math.degrees(cmath.phase(value)), abs(value)))
        return build("voltages", _VOLTAGES, rows)

    def currents_table(self, buses: Sequence[int]) -> Table:
        """Current at every terminal of the network during a fault."""
        rows: list[tuple[Cell, ...]] = []
        net = self.net
        for fault, case, k, bus, flows in self._each(buses):
            faulted = net.name(net.topology.bus_ids[bus])
            for e in (net.elements[i] for i in net.terminals.at if i in self._may_carry):
                for terminal, i in zip(e.TERMINALS, flows.of(e.id)[:, k], strict=True):
                    for component, value in by_component(i, COMPONENTS, fault):
                        rows.append((net.state, faulted, fault, case, e.name, terminal, component, abs(value), math.degrees(cmath.phase(value)), e.kind))
        return build("currents", _CURRENTS, rows)

    def _each(self, buses: Sequence[int]) -> Iterator[tuple[str, str, int, int, Flows]]:
        for fault in self.listed:
            for case in CASES:
                flows = self.flows(buses, case, fault)
                for k, bus in enumerate(buses):
                    yield fault, case, k, bus, flows

    def matrices_table(self, buses: Sequence[int]) -> Table:
        """Impedances at the fault between phases, and of the sequences."""
        rows: list[tuple[Cell, ...]] = []
        for bus in buses:
            name = self.net.name(self.net.topology.bus_ids[bus])
            for case in CASES:
                one, base = self.cases[case], float(self.cases[case].z_base_ohm[bus])
                for s, z in zip(SEQUENCES, (one.z1_unbalanced_pu[bus], one.z2_pu[bus], one.z0_pu[bus]), strict=True):
                    rows.append((self.net.state, name, case, "sequences", s, s, complex(z) * base if cmath.isfinite(z) else None))
                matrix = self.phase_matrix_ohm(bus, case)
                for r, row in enumerate(PHASES):
                    for c, column in enumerate(PHASES):
                        z = complex(matrix[r, c])
                        rows.append((self.net.state, name, case, "phases", row, column, z if cmath.isfinite(z) else None))
        return build("impedances", _MATRIX, rows)


def without_motors(faults: ShortCircuit) -> dict[str, float]:
    """Nothing left of the motors that bring current into faults: it is gone within cycles."""
    sources = (e for case in faults.cases.values() for e in case.given.sources.elements)
    return {e.id: LEAST for e in sources if isinstance(e, InductionMotor | StaticLoad | SynchronousMotor)}


def by_component(i: Complexes, components: Sequence[str], fault: str) -> Iterator[tuple[str, complex]]:
    """Values by phase and sequence; of a three-phase fault the positive sequence alone."""
    whole = np.zeros(3, complex)
    whole[: len(i)] = i
    phases = as_phases(whole)
    for component in components:
        if component in SEQUENCES:
            if fault != "3ph" or component == "1":
                yield component, complex(whole[SEQUENCES.index(component)])
        else:
            yield component, complex(phases[PHASES.index(component)])


_NUMBERS = ("ik_ka", "i_earth_ka", "angle_deg", "ip_ka", "ib_ka", "ik_steady_ka", "ith_ka", "x_over_r", "e_pu", "r_over_x_peak", "kappa", "i_dc_ka",
            "ib_asym_ka", "i_total_ka", "x_over_r_interrupting", "nacd")  # fmt: skip
_FAULT_COLUMNS = (
    ("state", "", "State"), ("bus", "", "Bus"), ("fault", "", "Fault"), ("case", "", "Case"), ("method", "", "Method"), ("ik_ka", "kA", "I″k"),
    ("i_earth_ka", "kA", "Earth"), ("angle_deg", "deg", "Angle"), ("ip_ka", "kA", "ip"), ("ib_ka", "kA", "Ib"), ("ik_steady_ka", "kA", "Ik"),
    ("ith_ka", "kA", "Ith"), ("x_over_r", "", "X/R"), ("z1_ohm", "ohm", "Z1"), ("z2_ohm", "ohm", "Z2"), ("z0_ohm", "ohm", "Z0"), ("c", "", "c"),
    ("r_over_x_peak", "", "R/X for ip"), ("kappa", "", "κ"), ("i_dc_ka", "kA", "idc"), ("ib_asym_ka", "kA", "Ib asym"), ("i_total_ka", "kA", "Total rms"),
    ("x_over_r_interrupting", "", "X/R interrupting"), ("nacd", "", "NACD"), ("v_nominal_kv", "kV", "Un"),
)  # fmt: skip


def _earth(one: Case, fault: str) -> Floats:
    return one.of(fault).i_earth_ka if fault in TO_EARTH else np.full(len(one.z_base_ohm), np.nan)


def _z0(one: Case, fault: str) -> Complexes:
    if fault not in TO_EARTH:
        return np.full(len(one.z_base_ohm), np.nan, complex)
    return np.asarray(np.where(one.loose, np.nan, one.z0_pu * one.z_base_ohm))


_FIGURES = {
    "ik_ka": lambda one, fault: one.of(fault).ik_ka,
    "i_earth_ka": _earth,
    "angle_deg": lambda one, fault: one.of(fault).angle_deg,
    "ip_ka": lambda one, fault: one.peak_ka(fault),
    "ib_ka": lambda one, fault: one.breaking_ka(fault),
    "ik_steady_ka": lambda one, fault: one.steady_ka(fault),
    "x_over_r": lambda one, fault: one.x_over_r(fault),
    "e_pu": lambda one, fault: one.e_pu,
    "z1_ohm": lambda one, fault: (one.z1_pu if fault == "3ph" else one.z1_unbalanced_pu) * one.z_base_ohm,
    "z2_ohm": lambda one, fault: one.z2_pu * one.z_base_ohm if fault != "3ph" else np.full(len(one.z_base_ohm), np.nan, complex),
    "z0_ohm": _z0,
}
_OF_IEC = {
    "ith_ka": lambda one, fault: one.thermal_ka(fault),
    "r_over_x_peak": lambda one, fault: one.r_over_x,
    "kappa": lambda one, fault: one.kappa,
    "i_dc_ka": lambda one, fault: one.dc_ka(fault),
    "ib_asym_ka": lambda one, fault: np.hypot(one.breaking_ka(fault), one.dc_ka(fault)),
}
_OF_IEEE = {
    "i_total_ka": lambda one, fault: one.total_ka(fault),
    "x_over_r_interrupting": lambda one, fault: one.interrupting.x_over_r(fault),
    "nacd": lambda one, fault: one.nacd if fault == "3ph" else np.full(len(one.z_base_ohm), np.nan),
}
