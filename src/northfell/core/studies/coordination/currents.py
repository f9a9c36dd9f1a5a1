"""What each device sees of faults at many buses."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from northfell.core.network import Compiled
from northfell.core.network.selected import BLOCK
from northfell.core.studies.protection import Device, Through, beside, through_devices, wanted_by
from northfell.core.studies.short_circuit import CASES, TO_EARTH, ShortCircuit

FAULTS = ("3ph", "ll", "lg")


@dataclass(frozen=True)
class Currents:
    """Currents through devices [A]: of the phase that carries most, and 3·I0; nan where a fault is not known.

    Those of all types of fault and cases stand one after the other (device, fault and case and bus).
    """

    devices: dict[str, int]
    buses: dict[int, int]
    faults: dict[tuple[str, str], int]  # type and case
    i: Through

    def of(self, device: str, buses: Sequence[int], *faults: tuple[str, str]) -> Through:
        """Of one device, for faults of some types and cases, at some buses of each (fault and case and bus,)."""
        places = [self.buses[b] for b in buses]
        return self.i.at((self.devices[device], [self.faults[fault] * len(self.buses) + place for fault in faults for place in places]))


def seen(net: Compiled, faults: ShortCircuit, devices: Mapping[str, Device], buses: Sequence[int], kinds: Sequence[str]) -> Currents:
    """Solve faults at buses, some at a time, and keep what flows through the devices."""
    known = {fault: np.array([fault not in TO_EARTH or not faults.earth_faults_lack(b) for b in buses], bool) for fault in kinds}
    names, wanted = list(devices), wanted_by(devices.values())
    cases = [(fault, case) for fault in kinds for case in CASES]
    made = []
    for fault, case in cases:
        solved = (faults.flows(buses[start : start + BLOCK], case, fault) for start in range(0, len(buses), BLOCK))
        parts = [through_devices(flows, names, wanted.more, wanted.elsewhere) for flows in solved]
        found = beside(parts, (len(devices), 0))
        phase, residual = (np.where(known[fault], a, np.nan) for a in (found.phase_a, found.residual_a))
        made.append(replace(found, phase_a=phase, residual_a=residual))
    every = beside(made, (len(devices), 0))
    return Currents({d: k for k, d in enumerate(devices)}, {b: k for k, b in enumerate(buses)}, {of: k for k, of in enumerate(cases)}, every)
