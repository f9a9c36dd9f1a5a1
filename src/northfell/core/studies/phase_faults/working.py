"""How the current of a fault by phase came about."""

import numpy as np

from northfell.core.errors import NotFound
from northfell.core.model.elements import Element
from northfell.core.model.network import title_of
from northfell.core.network.phases.thevenin import currents
from northfell.core.quantities import figure
from northfell.core.studies.phase_faults.gathering import Which
from northfell.core.studies.phase_faults.result import EARTH, PhaseFaults
from northfell.core.working import Equation, Working

KIRCHHOFF = "Kirchhoff's laws over conductors"
ONE = Equation("I", "|E| / |Z|", lambda e_v, z_ohm: abs(e_v) / abs(z_ohm), {"|E|": "e_v", "|Z|": "z_ohm"}, "A", KIRCHHOFF)


def explain(faults: PhaseFaults, bus: Element | None, fault: str, case: Which) -> Working:
    """The current of a fault at a bus, by its impedance matrix; of no fault that is named, the first that it allows.

    Raises
    ------
    NotFound
        If there is no such fault.
    """
    allowed = faults.faults(bus.id) if bus is not None and bus.id in faults.conductors else []
    fault = fault or next(iter(allowed), "")
    if bus is None or fault not in allowed:
        raise NotFound(f"{title_of(bus) if bus else 'Nothing'} has no fault {fault or 'by phase'} in this state.")
    w = Working(f"Fault {fault} at {title_of(bus)}, {'greatest' if case == 'max' else 'least'} current, state {faults.net.state}")
    names, to_earth = fault.split("–"), fault.endswith(EARTH)
    there = [c for c in names if c != EARTH]
    at = [faults.conductors[bus.id].index(c) for c in there]
    e_v, z = faults.e_v[case][bus.id][at], faults.z_ohm[case][bus.id][np.ix_(at, at)]
    if not np.isfinite(z).all():
        raise NotFound(f"Nothing feeds {fault} at {title_of(bus)} in the least case: motors alone do in the other.")
    for c, e in zip(there, e_v.tolist(), strict=True):
        w.given(f"E{c}", f"driving voltage of {c}: voltage factor c times nominal voltage to earth", complex(e), "V", "IEC 60909-0, voltage factor c")
    for row, name in enumerate(there):
        for column, other in enumerate(there):
            origin = "columns of the inverse admittance matrix, sources shorted"
            w.given(f"Z{name}{other}", "of the impedance matrix of the bus", complex(z[row, column]), "ohm", origin)
    if case == "min" and to_earth and faults.r_fault_ohm:
        w.given("Rf", "resistance at the fault, which adds to every impedance", faults.r_fault_ohm, "ohm", "settings")
        z = faults.with_resistance(z, fault, case)
    i = currents(z[None], e_v[None, :, None], to_earth)[0, :, 0]
    if len(there) == 1:
        ONE.note(w, "Current of the conductor", e_v=complex(e_v[0]), z_ohm=complex(z[0, 0]))
    else:
        what = "Z·I = E, at earth no voltage" if to_earth else "Z·I = E − V, the same V at all, and no sum of the currents"
        for c, one in zip(there, i.tolist(), strict=True):
            w.step(f"Current out of {c}", f"I{c}", what, "solved for all together", complex(one), "A", KIRCHHOFF)
        left = e_v - z @ i
        for c, rest in zip(there, left.tolist(), strict=True):
            terms = " − ".join(f"Z{c}{o}·I{o}" for o in there)
            w.step(f"Left at {c}", f"V{c}", f"E{c} − {terms}", "as above", complex(_clean(rest)), "V", KIRCHHOFF, "Nothing at earth." if to_earth else "")
    if case == "max":
        _converters(w, faults, bus, at, z, to_earth)
    total = faults.current(bus.id, fault, case).ik
    w.step("Greatest of the conductors", "I", "max |I|", "with what converters add" if case == "max" else "as above", total, "kA")
    w.result, w.unit = total, "kA"
    return w


def _converters(w: Working, faults: PhaseFaults, bus: Element, at: list[int], z: np.ndarray, to_earth: bool) -> None:
    for v in faults.injected_v[bus.id][at].T:
        more = np.abs(currents(z[None], v[None, :, None], to_earth))
        if more.max() > 0:
            told = ", ".join(figure(float(one)) for one in more.ravel())
            w.step(
                "What a converter adds", "ΔI", "Z·ΔI = its voltage there, at the angle at which it adds most", told, float(more.max()), "A", "IEC 60909-0:2016"
            )


def _clean(value: complex) -> complex:
    return complex(round(value.real, 6) + 0.0, round(value.imag, 6) + 0.0)
