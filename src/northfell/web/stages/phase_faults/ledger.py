"""The ledger's tables of faults by phase: of the kind looked at, of every kind, the impedance matrices, and all states."""

from northfell.core.model.elements import Bus
from northfell.core.quantities import figure
from northfell.core.studies.phase_faults import KINDS, PHASE_FAULTS, PhaseFaults
from northfell.core.studies.phase_flow import PhaseFlowSettings
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import Head, Ledger, RowShown, num, text
from northfell.web.stages.phase_faults.tags import case_of, shown, told

HEADS = [Head("Greatest", "kA", True), Head("Peak", "kA", True), Head("Least", "kA", True), Head("To earth, greatest", "kA", True),
         Head("To earth, least", "kA", True)]  # fmt: skip
NOTE = "Initial currents: an equivalent source at the fault behind the impedance matrix of its conductors (IEC 60909-0). Peaks by method (b), on the safe side."


def _made(look: Look) -> PhaseFaults:
    made: PhaseFaults = look.result(PHASE_FAULTS)
    return made


def _row(look: Look, faults: PhaseFaults, bus: str, fault: str) -> RowShown:
    high, low = faults.current(bus, fault, "max"), faults.current(bus, fault, "min")
    figures = [num(high.ik), num(high.ip), num(low.ik), num(high.earth, otherwise=""), num(low.earth, otherwise="")]
    return RowShown(bus, [text(look.network.elements[bus].name), text(told(look, fault)), *figures])


def _noted(faults: PhaseFaults) -> str:
    return f"{NOTE} {' '.join(faults.messages)}".strip()


def boards(look: Look) -> Ledger:
    """Faults of the kind looked at, at every bus; where its conductors do not allow it, those that they do."""
    faults = _made(look)
    rows = [_row(look, faults, bus, fault) for bus in faults.conductors for fault in shown(faults.faults(bus), look.view.fault)]
    return Ledger([], [Head("Bus"), Head("Fault"), *HEADS], rows, export="faults", note=_noted(faults), spare=("Peak kA", "To earth, least kA"))


def every_kind(look: Look) -> Ledger:
    """Every fault that the conductors of a bus allow."""
    faults = _made(look)
    rows = [_row(look, faults, bus, fault) for bus in faults.conductors for fault in faults.faults(bus)]
    return Ledger([], [Head("Bus"), Head("Fault"), *HEADS], rows, export="faults", note=_noted(faults), spare=("Peak kA", "To earth, least kA"))


def impedances(look: Look) -> Ledger:
    """Of each bus the impedance matrix of its conductors, in the case looked at."""
    faults, case = _made(look), case_of(look)
    named = look.network.settings.of(PhaseFlowSettings).named
    rows = []
    for r in faults.tables()[1].records():
        if r["case"] == case:
            cells = [text(r["bus"]), text(named[str(r["row"])]), text(named[str(r["column"])]), num(r["r_ohm"], 5), num(r["x_ohm"], 5)]
            rows.append(RowShown(look.network.id_of_name[r["bus"]], cells))
    heads = [Head("Bus"), Head("Row"), Head("Column"), Head("R", "ohm", True), Head("X", "ohm", True)]
    return Ledger([], heads, rows, export="impedances", note=f"As the {'least' if case == 'min' else 'greatest'} currents see them.")


def over_states(look: Look) -> Ledger:
    """Of every bus the highest and the lowest current of all kinds, in every state."""
    every = look.over(PHASE_FAULTS)
    rows = []
    for e in look.network.elements.values():
        if not isinstance(e, Bus):
            continue
        highest, lowest = every.values("highest", e.id), every.values("lowest", e.id)
        if any(v is not None for v in highest.values()):
            rows.append(RowShown(e.id, [text(e.name), *(num(v) for state in highest for v in (highest[state], lowest.get(state)))]))
    heads = [Head("Bus"), *(head for state in look.network.state_names for head in (Head(f"{state}, highest", "kA", True), Head("lowest", "kA", True)))]
    return Ledger([], heads, rows, note=f"Of {', '.join(KINDS.values())}.")


def extremes(look: Look) -> list[tuple[str, str, str, str]]:
    """The boards with the highest and the lowest current of the kind and case looked at: word, id, name with fault, current."""
    faults = look.results.at(look.view.state).had(PHASE_FAULTS)
    if faults is None:
        return []
    case = case_of(look)
    found = [(faults.current(bus, fault, case).ik, bus, fault) for bus in faults.conductors for fault in shown(faults.faults(bus), look.view.fault)]
    if not found:
        return []
    return [
        (word, bus, f"{faults.net.name(bus)} {told(look, fault)}", figure(ik, 3))
        for word, (ik, bus, fault) in (("highest", max(found)), ("lowest", min(found)))
    ]
