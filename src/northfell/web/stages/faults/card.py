"""What the Faults stage knows of one bus, as figures that open their working."""

import cmath
import math
from urllib.parse import urlencode

from northfell.core.model.elements import Bus, Element
from northfell.core.quantities import figure, fixed
from northfell.core.studies.short_circuit import SHORT_CIRCUIT, ShortCircuit
from northfell.web.shell.figures import Figure, Section
from northfell.web.shell.stage import Look


def fault_figures(look: Look, e: Element) -> list[Section]:
    """What the short-circuit study says of a bus."""
    faults: ShortCircuit = look.result(SHORT_CIRCUIT)
    if not isinstance(e, Bus):
        return [Section("Faults", message="Select a bus to see its fault currents and what each branch brings.")]
    at = faults.net.topology.bus_index[e.id]
    if not faults.net.topology.fed_bus(at):
        return [Section("Faults", message="Not fed in this state: no fault current.")]
    sections = []
    for case, title in (("max", "Three-phase, maximum, motors in"), ("min", "Three-phase, minimum, motors out")):
        one = faults.cases[case]
        z = complex(one.z1_ohm[at])
        query = {"study": "short_circuit", "case": case}
        sections.append(Section(title, [
            Figure("Initial symmetrical I″k", figure(float(one.ik_ka[at])), "kA", working=urlencode({**query, "quantity": "ik_ka"})),
            Figure("Peak ip", figure(float(one.ip_ka[at])), "kA", working=urlencode({**query, "quantity": "ip_ka"})),
            Figure("Peak factor κ", fixed(float(one.kappa[at]), 3)),
            Figure("X/R at the fault", figure(z.imag / z.real) if z.real else "–"),
            Figure("Impedance |Z1|", figure(abs(z)), "ohm"),
        ], "working"))  # fmt: skip
    contributions = faults.contributions(at, "max")
    largest = [c for c in contributions if abs(c[2]) > 1e-6]
    listed = [
        Figure(el.name, figure(abs(i)), "kA", note=f"∠ {fixed(math.degrees(cmath.phase(i)), 1)}°") for el, _, i in sorted(largest, key=lambda c: -abs(c[2]))
    ]
    total = sum((i for _, _, i in contributions), 0j)
    listed.append(Figure("Sum of contributions", figure(abs(total)), "kA", note=f"∠ {fixed(math.degrees(cmath.phase(total)), 1)}°"))
    sections.append(Section("What each brings, maximum", listed))
    return sections
