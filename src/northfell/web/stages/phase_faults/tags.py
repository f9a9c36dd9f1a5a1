"""What faults by phase show on the sheet: at every board the currents of the kind and case looked at, phases one under another."""

from northfell.core.model.elements import Bus, Conductor, Consumer
from northfell.core.quantities import figure
from northfell.core.studies.phase_faults import PHASE_FAULTS, PhaseFaults, Which, kind_of
from northfell.core.studies.phase_flow import PhaseFlowSettings
from northfell.drawing.words import OfPhase, Tag, one_under_another
from northfell.web.shell.stage import Look

LEGS = {"1": "1", "2": "2"}  # short: there is room for a figure beside it


def case_of(look: Look) -> Which:
    """The case looked at."""
    return "min" if look.view.case == "min" else "max"


def told(look: Look, fault: str) -> str:
    """A fault by the project's names of its conductors."""
    named = look.network.settings.of(PhaseFlowSettings).named | LEGS
    return "–".join(named.get(c, c) for c in fault.split("–"))


def shown(allowed: list[str], kind: str) -> list[str]:
    """Of the faults that a place allows those of a kind; where there are none, those of one conductor, or all."""
    for asked in (kind, "lg", "ll"):
        if found := [f for f in allowed if kind_of(f) == asked]:
            return found
    return allowed


def fault_tags(look: Look) -> dict[str, Tag]:
    """At boards, at the first consumer of a place without a board, and of lines from one end to the other."""
    faults: PhaseFaults = look.result(PHASE_FAULTS)
    case, tags, at_places = case_of(look), dict[str, Tag](), set[str]()

    def ka(bus: str, fault: str) -> str:
        return figure(faults.current(bus, fault, case).ik, 3)

    for e in faults.net.taking_part.values():
        if isinstance(e, Conductor) and all(b in faults.conductors for b in e.buses):
            near, far = e.buses
            both = shown([fault for fault in faults.faults(near) if fault in faults.faults(far)], look.view.fault)
            tags[e.id] = Tag(_lines(look, [(fault, f"{ka(near, fault)} … {ka(far, fault)}") for fault in both]))
            continue
        bus = e.id if isinstance(e, Bus) else e.buses[0] if isinstance(e, Consumer) else ""
        if bus in faults.conductors and bus not in at_places and _is_board(faults, bus) == isinstance(e, Bus):
            tags[e.id] = Tag(_lines(look, [(fault, ka(bus, fault)) for fault in shown(faults.faults(bus), look.view.fault)]))
            at_places |= {bus}
    return tags


def _lines(look: Look, currents: list[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
    """Currents by the conductors of their faults; of the kind that is looked at what is of all three phases, or alike in them, needs no name.

    What stands for another kind, which the place does not have, keeps its names: it would be taken for that one.
    """
    lines = []
    for fault, ik in currents:
        kind = kind_of(fault)
        if kind != look.view.fault:
            lines.append(OfPhase(fault, told(look, fault), ik, "kA"))  # a quantity of its own: never one for all
        else:
            lines.append(OfPhase(kind, "" if kind == "3ph" else told(look, fault), ik, "kA"))
    return one_under_another(lines)


def _is_board(faults: PhaseFaults, bus: str) -> bool:
    return getattr(faults.net.elements[bus], "bus_kind", "") != "junction"
