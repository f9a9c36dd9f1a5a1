"""What the Faults stage knows of one element: its fault currents with what feeds them, and its duties."""

import cmath
import math
from urllib.parse import urlencode

import numpy as np

from northfell.core.model.elements import Bus, Element
from northfell.core.quantities import figure, fixed
from northfell.core.studies.duty import DUTY, JUDGED, Duties
from northfell.core.studies.short_circuit import FAULT_WORDS, SHORT_CIRCUIT, TO_EARTH, IecCase, ShortCircuit, as_phases
from northfell.web.shell.figures import Figure, Section, by_state
from northfell.web.shell.stage import Look

LEAST_SHARE, MOST_LINES = 0.01, 24  # of the tree of what feeds a fault
IEC_FIGURES = (
    ("ik_ka", "Initial symmetrical I″k"),
    ("ip_ka", "Peak ip"),
    ("ib_ka", "Breaking Ib"),
    ("ik_steady_ka", "Steady-state Ik"),
    ("ith_ka", "Thermal Ith"),
)
IEEE_FIGURES = (("ik_ka", "First cycle, symmetrical"), ("ip_ka", "First cycle, crest"), ("i_total_ka", "First cycle, total rms"),
                ("ib_ka", "Interrupting"), ("ik_steady_ka", "30 cycles"))  # fmt: skip
DURING_TITLE = {"max": "maximum, motors in", "min": "minimum, motors out"}


def fault_figures(look: Look, e: Element) -> list[Section]:
    """What the short-circuit study says of a bus, and the duty study of anything that carries its currents."""
    faults: ShortCircuit = look.result(SHORT_CIRCUIT)
    duties = _duties(look, e)
    if not isinstance(e, Bus):
        return duties or [Section("Faults", message="Select a bus to see its fault currents and what each branch brings.")]
    at = faults.net.topology.bus_index[e.id]
    if not faults.net.topology.fed_bus(at):
        return [Section("Faults", message="Not fed in this state: no fault current.")]
    fault, case = look.view.fault, look.view.case
    if fault in TO_EARTH and (lacking := faults.earth_faults_lack(at)):
        return [Section(FAULT_WORDS[fault], message=f"No earth-fault current here. {lacking[0]}"), *duties]
    sections = [_currents(faults, at, fault, one) for one in ((case, "min" if case == "max" else "max"))]
    sections.insert(1, Section("What feeds it", tree(faults, at, case, fault), DURING_TITLE[case].split(",")[0]))
    sections += duties
    if fault == "3ph":
        sections.append(Section("Initial current in each state", by_state(look.over(SHORT_CIRCUIT), "ik_ka", e.id, "kA", lambda v: "")))
    sections.append(_impedances(faults, at, case))
    return sections


def _currents(faults: ShortCircuit, at: int, fault: str, case: str) -> Section:
    one = faults.cases[case]
    query = {"study": "short_circuit", "case": case, "fault": fault}
    figures = []
    for name, label in IEC_FIGURES if isinstance(one, IecCase) else IEEE_FIGURES:
        values = faults.figures(name, fault, case)
        v = float(np.real(values[at])) if values is not None else math.nan
        working = urlencode({**query, "quantity": name}) if name in SHORT_CIRCUIT.quantities and math.isfinite(v) else ""
        figures.append(Figure(label, figure(v) if math.isfinite(v) else "not known", "kA" if math.isfinite(v) else "", working=working))
    if fault in TO_EARTH:
        figures.append(Figure("To earth 3·I0", figure(float(one.of(fault).i_earth_ka[at])), "kA", working=urlencode({**query, "quantity": "i_earth_ka"})))
    if fault != "3ph":
        phases = as_phases(one.of(fault).sequences_pu[at] * one.net.i_base_ka()[at])
        figures += [Figure(f"Phase {p}", figure(abs(i)), "kA", note=f"∠ {fixed(math.degrees(cmath.phase(i)), 1)}°" if abs(i) > 1e-9 else "")
                    for p, i in zip("abc", phases.tolist(), strict=True)]  # fmt: skip
    figures.append(Figure("X/R at the fault", figure(float(one.x_over_r(fault)[at]))))
    return Section(f"{FAULT_WORDS[fault]}, {DURING_TITLE[case]}", figures, "working")


def tree(faults: ShortCircuit, at: int, case: str, fault: str) -> list[Figure]:
    """What feeds a fault, from the faulted bus to the sources: each line what one element carries, indented by how far away it stands."""
    net, flows = faults.net, faults.flows([at], case, fault)
    total = float(np.abs(as_phases(flows.ik_ka[0])).max()) * float(net.v_nominal_kv[at])
    lines: list[Figure] = []
    seen: set[str] = set()

    def walk(bus_id: str, depth: int) -> None:
        found = []
        for element_id in net.network.adjacency.at[bus_id]:
            e = net.elements[element_id]
            if element_id in seen or element_id not in net.terminals.at:
                continue
            k = e.buses.index(bus_id)
            i = flows.largest_of(element_id)[k, 0]
            share = float(i) * float(net.v_nominal_kv[net.topology.bus_index[bus_id]]) / total if total else 0.0
            if share >= LEAST_SHARE:
                found.append((share, float(i), complex(-flows.of(element_id)[k, 0, 0]), e))
        for share, i, i1, e in sorted(found, key=lambda one: -one[0]):
            if len(lines) >= MOST_LINES or e.id in seen:
                continue
            seen.add(e.id)
            angle = f"∠ {fixed(math.degrees(cmath.phase(i1)), 0)}°" if depth == 0 else ""
            lines.append(Figure(f"{'· ' * depth}{e.name}", figure(i, 3), f"kA  {share:.0%}", note=angle))
            for other in e.buses:
                if other != bus_id:
                    walk(other, depth + 1)

    walk(net.topology.bus_ids[at], 0)
    brought = np.sum([i for _, _, i in faults.contributions_of(flows, 0)], axis=0)
    whole = np.zeros(3, complex)
    whole[: len(brought)] = brought
    largest = max(as_phases(whole).tolist(), key=abs)
    lines.append(Figure("Sum of contributions", figure(abs(largest)), "kA", note="largest phase" if fault != "3ph" else ""))
    return lines


def _impedances(faults: ShortCircuit, at: int, case: str) -> Section:
    """Impedances of the sequences and between the phases, so that a current can be checked by hand."""
    one, figures = faults.cases[case], []
    for name, z in (("Z1", one.z1_unbalanced_pu), ("Z2", one.z2_pu), ("Z0", one.z0_pu)):
        ohm = complex(z[at]) * float(one.z_base_ohm[at])
        figures.append(Figure(name, _complex(ohm) if cmath.isfinite(ohm) and abs(ohm) < 1e5 else "open" if cmath.isfinite(ohm) else "not known", "ohm"))
    matrix = faults.phase_matrix_ohm(at, case)
    if np.isfinite(matrix).all() and np.abs(matrix).max() < 1e5:
        figures += [Figure(f"Z{r}{c}", _complex(complex(matrix[i, k])), "ohm") for i, r in enumerate("abc") for k, c in enumerate("abc") if k >= i]
    return Section("Impedances at the fault", figures, DURING_TITLE[case].split(",")[0])


def _complex(z: complex) -> str:
    return f"{figure(z.real, 4)} {'+' if z.imag >= 0 else '−'} j{figure(abs(z.imag), 4)}"


def _duties(look: Look, e: Element) -> list[Section]:
    """The duties of an element, worst first, with the states beside each other; of what has none, nothing is solved."""
    if not isinstance(e, JUDGED):
        return []
    duties: Duties = look.result(DUTY)
    rows = duties.of.get(e.id, ())
    if not rows:
        return []
    figures = []
    for one in rows:
        verdict = duties.verdict(one)
        severity = verdict if verdict in ("breach", "close") else ""
        if one.pct is None or one.value is None or one.rating is None:
            figures.append(Figure(one.quantity[0].upper() + one.quantity[1:], "not assessed", note=one.basis))
        else:
            note = f"{figure(one.value)} of {figure(one.rating)} {one.unit}"
            working = urlencode({"study": "duty", "quantity": "duty", "part": one.quantity})
            figures.append(Figure(one.quantity[0].upper() + one.quantity[1:], fixed(one.pct, 1), "%", severity, working, note))
    sections = [Section("Duty, of its rating", figures, rows[0].rated_by)]
    if rows[0].pct is not None and len(look.network.state_names) > 1:
        limits = duties.settings

        def severity_of(v: float) -> str:
            return "breach" if v > limits.breach_pct else "close" if v >= limits.close_pct else ""

        sections.append(Section("Duty in each state", by_state(look.over(DUTY), "duty_pct", e.id, "%", severity_of, 1)))
    return sections
