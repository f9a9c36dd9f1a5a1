"""The ledger's tables of the Faults stage: faults at boards, what each element brings, what the rest sees, and equipment duty."""

import cmath
import math
from typing import Any

import numpy as np

from northfell.app.results.studies import requested
from northfell.core.model.by_element import LastMade
from northfell.core.model.elements import Conductor, Element
from northfell.core.quantities import MINUS, as_written, figure
from northfell.core.studies.duty import DUTY, NOT_ASSESSED, Duties, Duty
from northfell.core.studies.short_circuit import ALONG, OPEN, PLACES, SHORT_CIRCUIT, TO_EARTH, Along, IecCase, OpenConductors, ShortCircuit, as_phases
from northfell.web.shell.figures import AWAITED
from northfell.web.shell.naming import ENDS, Ends, is_end
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, kind_name, num, over, text, written
from northfell.web.stages.faults.tags import left_of

IEC_COLUMNS = (("ik_ka", "I″k"), ("ip_ka", "ip"), ("ib_ka", "Ib"), ("ik_steady_ka", "Ik"), ("ith_ka", "Ith"))
IEEE_COLUMNS = (("ik_ka", "First cycle"), ("ip_ka", "Crest"), ("i_total_ka", "Total rms"), ("ib_ka", "Interrupting"), ("ik_steady_ka", "30 cycles"))
SPARE = ("κ", "|Z| ohm", "X/R", "Un kV", "Kind", "Ith kA", "Ik kA", "Total rms kA", "30 cycles kA", "In state", "Other case kA")


def listed_buses(look: Look, faults: ShortCircuit) -> list[int]:
    """Fed buses: boards, and junctions where they are asked for, or are all there is."""
    fed = faults.fed_buses()
    if look.view.ends == ENDS:
        return fed
    boards = [b for b in fed if not is_end(faults.net.elements[faults.net.topology.bus_ids[b]])]
    return boards or fed


def faults_table(look: Look) -> Ledger:
    """Currents of the fault and case looked at, at every board, with the other case and the worst state beside them."""
    faults: ShortCircuit = look.result(SHORT_CIRCUIT)
    fault, case = look.view.fault, look.view.case
    other = "min" if case == "max" else "max"
    one = faults.cases[case]
    names = IEC_COLUMNS if isinstance(one, IecCase) else IEEE_COLUMNS
    every = look.over(SHORT_CIRCUIT) if fault == "3ph" else None
    unknown, worst_of = (AWAITED if every.unknown else "–", every.worst("ik_ka")) if every else ("–", {})
    columns = [np.asarray(faults.figures(name, fault, case), float) for name, _ in names]
    beside = np.asarray(faults.figures("ik_ka", fault, other), float)
    earth = np.asarray(faults.figures("i_earth_ka", fault, case), float)
    ratio, z = np.asarray(faults.figures("x_over_r", fault, case), float), np.abs(np.asarray(faults.figures("z1_ohm", fault, case)))
    pinned = _pinned(look, fault, case)
    listed, rows = listed_buses(look, faults), []
    figures = np.stack([np.asarray(faults.net.v_nominal_kv, float), *columns, earth, ratio, z, beside], axis=1)[listed]
    for b, values, writes in zip(listed, figures.tolist(), as_written(figures).tolist(), strict=True):
        e = faults.net.elements[faults.net.topology.bus_ids[b]]
        worst, most = worst_of.get(e.id, ("", None))
        before = pinned.get(e.id) if pinned is not None else None
        if look.waits or pinned is not None:
            rows.append(_fault_row(e, values, most, worst, unknown, fault, pinned is not None, before))
            continue
        beside_it = (writes, written(most), worst, unknown, fault)
        rows.append(_ROWS.of(e, beside_it, _fault_row, e, values, most, worst, unknown, fault, False, None))
    heads = [Head("Bus"), Head("Kind"), Head("Un", "kV", True), *(Head(told, "kA", True) for _, told in names)]
    heads += [Head("To earth", "kA", True)] if fault in TO_EARTH else []
    heads += [Head("I″k", "+/−", True)] if pinned is not None else []
    heads += [Head("X/R", "", True), Head("|Z|", "ohm", True), Head("Minimum" if case == "max" else "Maximum", "kA", True)]
    heads += [Head("Worst", "kA", True), Head("In state")] if fault == "3ph" else []
    return Ledger([], heads, rows, export="faults", spare=SPARE, note=_note(faults, look))


_ROWS: LastMade[Element, RowShown] = LastMade()


def _fault_row(
    e: Element, values: list[float], most: float | None, worst: str, unknown: str, fault: str, compared: bool, before: float | None
) -> RowShown:  # fmt: skip
    un, *currents, earth, ratio, z, beside = values
    cells = [text(e.name), text(getattr(e, "bus_kind", "")), num(un), *(num(v) for v in currents)]
    cells += [num(earth)] if fault in TO_EARTH else []
    if compared:
        change = currents[0] - before if before is not None else math.nan
        told = f"{'+' if change > 0 else MINUS}{figure(abs(change), 3)}" if abs(change) > 1e-6 * abs(currents[0]) else ""
        cells.append(CellShown(told if before is not None else "new", change if before is not None else -math.inf, number=True))
    cells += [num(ratio), num(z), num(beside)]
    cells += [over(num(most, otherwise=unknown)), over(text(worst))] if fault == "3ph" else []
    return RowShown(e.id, cells)


def _pinned(look: Look, fault: str, case: str) -> dict[str, float] | None:
    """Currents of the pinned result, by the id of the bus; None where none is pinned."""
    pinned: ShortCircuit | None = look.pinned
    if pinned is None:
        return None
    ik = pinned.cases[case].of(fault).ik_ka
    return {i: float(ik[b]) for i, b in pinned.net.topology.bus_index.items()}


def _note(faults: ShortCircuit, look: Look) -> str:
    """What is to be known of the figures: what was recognised, what of earth faults is not known, what contradicts itself."""
    told = [*faults.cases["max"].given.told]
    told += [f"Minimum above maximum at {name}: look at the fault levels of the infeeds." for name, _, _ in faults.contradictions()]
    if look.view.fault in TO_EARTH and faults.lacking_earth:
        told += faults.lacking_earth[:2] + ([f"And {len(faults.lacking_earth) - 2} more."] if len(faults.lacking_earth) > 2 else [])
    return " ".join(told)


def contributions_table(look: Look) -> Ledger:
    """What each element brings into a fault at the selected bus, by phase and sequence, with angles."""
    faults: ShortCircuit = look.result(SHORT_CIRCUIT)
    at = faults.net.topology.bus_index.get(look.view.selected)
    if at is None or not faults.net.topology.fed_bus(at):
        return Ledger([], [], [], empty="Select a fed bus to see what each branch and source brings to its fault.")
    fault, case = look.view.fault, look.view.case
    ends = Ends(look.network.elements, look.network.adjacency)
    brought = faults.contributions(at, case, fault)
    rows = [_brought(e.id, e.name, kind_name(e), ends.of(e), i, fault) for e, _, i in sorted(brought, key=lambda one: -float(np.abs(one[2]).max()))]
    if brought:
        rows.append(_brought("", "Sum", "", "the fault current", np.sum([i for _, _, i in brought], axis=0), fault))
    heads = [Head("Element"), Head("Kind"), Head("Leads"), *_heads(fault, "kA")]
    return Ledger([], heads, rows, export="contributions", spare=("I1 kA ∠ deg", "I2 kA ∠ deg", "I0 kA ∠ deg", "Kind", "Leads"))


def _brought(of: str, name: str, kind: str, leads: str, i: Any, fault: str) -> RowShown:
    return RowShown(of, [text(name), text(kind), text(leads), *_phasors(i, fault)])


def _heads(fault: str, unit: str) -> list[Head]:
    letter = "I" if unit == "kA" else "U"
    if fault == "3ph":
        return [Head(letter, unit, True), Head("Angle", "deg", True)]
    return [Head(f"{letter}{p}", f"{unit} ∠ deg", True) for p in ("a", "b", "c", "1", "2", "0")]


def _phasors(sequences: Any, fault: str, scale: float = 1.0) -> list[CellShown]:
    """Values of phases and sequences, each with its angle; of a three-phase fault one is enough."""
    whole = np.zeros(3, complex)
    whole[: len(sequences)] = np.asarray(sequences) * scale
    if fault == "3ph":
        return [num(abs(whole[0])), num(math.degrees(cmath.phase(complex(whole[0]))), 1)]
    return [_phasor(complex(v)) for v in (*as_phases(whole), *whole)]


def _phasor(v: complex) -> CellShown:
    small = abs(v) < 1e-9
    told = "0" if small else f"{figure(abs(v))} ∠ {round(math.degrees(cmath.phase(v))):d}°".replace("-", MINUS)
    return CellShown(told, abs(v), number=True, full=abs(v))


def during_table(look: Look) -> Ledger:
    """What is left of the voltage at every board while the selected bus is faulted, in phases and sequences."""
    faults: ShortCircuit = look.result(SHORT_CIRCUIT)
    net = faults.net
    at = net.topology.bus_index.get(look.view.selected)
    if at is None or not net.topology.fed_bus(at):
        return Ledger([], [], [], empty="Select a bus: the voltage that is left everywhere while it is faulted is shown here, and on the sheet.")
    fault, case = look.view.fault, look.view.case
    if fault in TO_EARTH and (lacking := faults.earth_faults_lack(at)):
        return Ledger([], [], [], empty=f"No earth-fault current here. {lacking[0]}")
    flows = faults.flows([at], case, fault)
    watched = set(faults.watched())
    rows = []
    for b in sorted(set(listed_buses(look, faults)) | watched, key=lambda b: (b not in watched, b)):
        e = net.elements[net.topology.bus_ids[b]]
        v = flows.voltages_pu[b, 0]
        kv = float(net.v_nominal_kv[b]) / math.sqrt(3)
        least = float(left_of(flows, b).min())
        rows.append(RowShown(e.id, [text(e.name), text("watched" if b in watched else ""), num(float(net.v_nominal_kv[b])), num(100 * least, 1),
                                    *_phasors(v, fault, kv)]))  # fmt: skip
    heads = [Head("Bus"), Head(""), Head("Un", "kV", True), Head("Left, least phase", "%", True), *_heads(fault, "kV")]
    return Ledger([], heads, rows, export="voltages", spare=("Un kV", "U2 kV ∠ deg", "U0 kV ∠ deg", "U1 kV ∠ deg"))


def along_table(look: Look) -> Ledger:
    """Faults at every tenth of the length of the selected cable or line."""
    e = look.network.elements.get(look.view.selected)
    if not isinstance(e, Conductor):
        return Ledger([], [], [], empty="Select a cable, line or trunking: faults along it are shown here.")
    made: Along = requested(look.results, look.view.state, ALONG, e.id)
    fault, ends = look.view.fault, Ends(look.network.elements, look.network.adjacency).of(e).split(" → ")
    high, low = made.ik_ka[fault, "max"], made.ik_ka[fault, "min"]
    rows = []
    for k, part in enumerate(PLACES):
        where = ends[0] if k == 0 else ends[-1] if k == len(PLACES) - 1 else ""
        earth = [num(float(made.i_earth_ka[fault, "max"][k]), otherwise="not known")] if fault in TO_EARTH else []
        cells = [num(100 * part, 0), num(part * (e.length_m or 0.0)), text(where), num(float(high[k]), otherwise="not known"), *earth]
        rows.append(RowShown(e.id, [*cells, num(float(low[k]), otherwise="not known")]))
    heads = [Head("Place", "% of its length", True), Head("From its first end", "m", True), Head("Toward"), Head("I″k maximum", "kA", True)]
    heads += [Head("To earth", "kA", True)] if fault in TO_EARTH else []
    return Ledger([], [*heads, Head("I″k minimum", "kA", True)], rows, export="along")


def open_table(look: Look) -> Ledger:
    """Voltages at boards with one and with two conductors of the selected cable or line open."""
    e = look.network.elements.get(look.view.selected)
    if not isinstance(e, Conductor):
        return Ledger([], [], [], empty="Select a cable, line or trunking: what follows where one or two of its conductors are open is shown here.")
    made: OpenConductors = requested(look.results, look.view.state, OPEN, e.id)
    rows = []
    for n in (1, 2):
        i = [abs(complex(v)) for v in as_phases(made.i_a[n])]
        cells = [text(f"through {e.name}"), text(f"{n} open"), *(num(v, digits=3) for v in i), num(None, otherwise="")]
        rows.append(RowShown(e.id, [*cells, text("A")]))
        for b, bus_id in enumerate(made.net.topology.bus_ids):
            bus = made.net.elements[bus_id]
            if made.net.topology.fed_bus(b) and not is_end(bus):
                v = made.v_pu[n][b]
                unbalance = 100 * abs(v[1]) / abs(v[0]) if abs(v[0]) else None
                rows.append(
                    RowShown(bus_id, [text(bus.name), text(f"{n} open"), *(num(float(u), 3) for u in np.abs(as_phases(v))), num(unbalance, 1), text("p.u.")])
                )
    heads = [Head("Where"), Head("Conductors"), Head("a", "", True), Head("b", "", True), Head("c", "", True), Head("U2/U1", "%", True), Head("In")]
    note = f"{e.name} carries {figure(made.i_before_a, 3)} A before; a is the open one, or b and c are."
    return Ledger([], heads, rows, note=note, export="open_voltages")


def duty_table(look: Look) -> Ledger:
    """Every rating against what is asked for: the worst of each element here, and over the states."""
    duties: Duties = look.result(DUTY)
    every = look.over(DUTY)
    unknown, worst_of = AWAITED if every.unknown else "–", every.worst("duty_pct")
    rows = []
    for element_id, found in duties.of.items():
        one, e = found[0], duties.net.elements[element_id]
        worst, most = worst_of.get(element_id, ("", None))
        rows.append(_duty_row(duties, one, e, most, worst, unknown))
    rank = {"breach": 0, "close": 1, "": 2}
    rows.sort(key=lambda r: (rank[r.severity], -float(r.cells[3].sort)))
    heads = [
        Head("Element"), Head("Kind"), Head("Verdict"), Head("Of rating", "%", True), Head("Duty"), Head("Asked for", "", True), Head("Rating", "", True),
        Head("Worst", "%", True), Head("In state"), Head("Rated by"), Head("In whose terms"),
    ]  # fmt: skip
    return Ledger(
        [], heads, rows, export="duties", empty="Nothing here carries fault currents.", spare=("In whose terms", "Kind", "Verdict", "Rated by", "In state")
    )


def _duty_row(duties: Duties, one: Duty, e: Element, most: float | None, worst: str, unknown: str) -> RowShown:
    verdict = duties.verdict(one)
    severity = verdict if verdict in ("breach", "close") else ""
    graver = "breach" if most is not None and most > duties.settings.breach_pct else "close" if most is not None and most >= duties.settings.close_pct else ""
    pct = num(one.pct, 1, severity, one.pct / 100 if one.pct is not None else None, otherwise=NOT_ASSESSED)
    asked, rating = (
        CellShown(f"{figure(v)} {one.unit}" if v is not None else "–", v if v is not None else -math.inf, number=True) for v in (one.value, one.rating)
    )
    return RowShown(e.id, [
        text(e.name), text(kind_name(e)), text(verdict), pct, text(one.quantity), asked, rating,
        over(num(most, 1, graver, otherwise=unknown)), over(text(worst)),
        text(one.rated_by), text(one.basis),
    ], severity)  # fmt: skip
