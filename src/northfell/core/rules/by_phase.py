"""What only load flow by phase takes: buses, lines, switches and loads that are not of three phases alike."""

from collections.abc import Iterable, Iterator, Mapping

from northfell.core.model.by_element import ByElement
from northfell.core.model.elements import Bus, CapacitorBank, Conductor, Element, StaticLoad, StepRegulator, Switching, Transformer

PHASES = "abc"
CONDUCTORS = "abc12n"  # in their order; 1 and 2 are legs behind a centre tap


def conductors_of(e: Element, elements: Mapping[str, Element]) -> str:
    """The conductors that an element joins: its own, or all that its buses have."""
    own = e.conductors if isinstance(e, Bus | Conductor | StepRegulator | Switching) else None
    if own:
        return own
    shared = [b.conductors for i in e.buses if isinstance(b := elements.get(i), Bus)]
    return "".join(c for c in CONDUCTORS if shared and all(c in one for one in shared))


def only_by_phase(taking_part: Iterable[Element]) -> Iterator[tuple[Element, str]]:
    """The elements that a balanced study cannot take, and why."""
    those = list(taking_part)
    for e, why in zip(those, _WHY.each(those), strict=True):
        if why:
            yield e, why


def is_uneven(elements: Iterable[Element]) -> bool:
    """Whether anything in service is not of three phases alike."""
    return any(True for _ in only_by_phase(e for e in elements if e.in_service))


def _of_conductors(e: Element) -> str:
    if isinstance(e, Bus):
        return "" if e.conductors.startswith(PHASES) else f"it has conductors {e.conductors} alone"
    if isinstance(e, Switching) and e.open_poles:
        return f"pole {e.open_poles} stands open"
    if isinstance(e, Conductor | Switching) and e.conductors and not e.conductors.startswith(PHASES):
        return f"it joins {e.conductors} alone"
    return ""


def _of_parts(e: Element) -> str:
    if isinstance(e, Conductor) and (e.matrix or e.geometry) and (e.r_ohm_per_km is None or e.x_ohm_per_km is None):
        return "its impedance is given by phase alone"
    if isinstance(e, StepRegulator):
        return "its taps stand by phase"
    if isinstance(e, Transformer) and e.bank_units:
        return "it is made of one-phase units"
    if isinstance(e, StaticLoad) and e.along:
        return "it is spread along a line"
    if (isinstance(e, StaticLoad) and e.by_phase) or (isinstance(e, CapacitorBank) and e.step_by_phase):
        return "it is given by phase"
    return ""


_WHY: ByElement[Element, str] = ByElement(lambda e: _of_conductors(e) or _of_parts(e))  # asked of all elements in each study of each state
