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
    """Currents through devices [A], (device, bus), by fault and case: of the phase that carries most, and 3·I0; nan where a fault is not known."""

    devices: dict[str, int]
    buses: dict[int, int]
    i: Mapping[tuple[str, str], Through]

    def of(self, device: str, buses: Sequence[int], fault: str, case: str) -> Through:
        """Of one device, for faults at some buses (bus,)."""
        return self.i[fault, case].at((self.devices[device], [self.buses[b] for b in buses]))


def seen(net: Compiled, faults: ShortCircuit, devices: Mapping[str, Device], buses: Sequence[int], kinds: Sequence[str]) -> Currents:
    """Solve faults at buses, some at a time, and keep what flows through the devices."""
    known = {fault: np.array([fault not in TO_EARTH or not faults.earth_faults_lack(b) for b in buses], bool) for fault in kinds}
    names, wanted = list(devices), wanted_by(devices.values())
    made: dict[tuple[str, str], Through] = {}
    for fault in kinds:
        for case in CASES:
            solved = (faults.flows(buses[start : start + BLOCK], case, fault) for start in range(0, len(buses), BLOCK))
            parts = [through_devices(flows, names, wanted.more, wanted.elsewhere) for flows in solved]
            found = beside(parts, (len(devices), 0))
            phase, residual = (np.where(known[fault], a, np.nan) for a in (found.phase_a, found.residual_a))
            made[fault, case] = replace(found, phase_a=phase, residual_a=residual)
    return Currents({d: k for k, d in enumerate(devices)}, {b: k for k, b in enumerate(buses)}, made)
