"""What only load flow by phase takes: buses, lines, switches and loads that are not of three phases alike."""

from collections.abc import Iterable, Iterator, Mapping

from northfell.core.model.elements import Bus, CapacitorBank, Conductor, Element, StaticLoad, StepRegulator, Switching

PHASES = "abc"


def conductors_of(e: Element, elements: Mapping[str, Element]) -> str:
    """The conductors that an element joins: its own, or all that its buses have."""
    own = e.conductors if isinstance(e, Bus | Conductor | StepRegulator | Switching) else None
    if own:
        return own
    shared = [b.conductors for i in e.buses if isinstance(b := elements.get(i), Bus)]
    return "".join(c for c in "abcn" if shared and all(c in one for one in shared))


def only_by_phase(taking_part: Iterable[Element]) -> Iterator[tuple[Element, str]]:
    """The elements that a balanced study cannot take, and why."""
    for e in taking_part:
        if isinstance(e, Bus):
            if not e.conductors.startswith(PHASES):
                yield e, f"it has conductors {e.conductors} alone"
        elif isinstance(e, Conductor):
            if e.conductors and not e.conductors.startswith(PHASES):
                yield e, f"it joins {e.conductors} alone"
            elif (e.matrix or e.geometry) and (e.r_ohm_per_km is None or e.x_ohm_per_km is None):
                yield e, "its impedance is given by phase alone"
        elif isinstance(e, StepRegulator):
            yield e, "its taps stand by phase"
        elif isinstance(e, Switching):
            if e.open_poles or (e.conductors and not e.conductors.startswith(PHASES)):
                yield e, f"pole {e.open_poles} stands open" if e.open_poles else f"it joins {e.conductors} alone"
        elif (isinstance(e, StaticLoad) and e.by_phase) or (isinstance(e, CapacitorBank) and e.step_by_phase):
            yield e, "it is given by phase"
