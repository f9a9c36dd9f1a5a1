"""What each device sees of faults at many buses."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from northfell.core.network import Compiled
from northfell.core.network.selected import BLOCK
from northfell.core.network.sequences import as_phases
from northfell.core.studies.protection import Through
from northfell.core.studies.short_circuit import CASES, TO_EARTH, ShortCircuit

FAULTS = ("3ph", "ll", "lg")


@dataclass(frozen=True)
class Seen:
    """Currents through devices [A], (device, bus), by fault and case: of the phase that carries most, and 3·I0; nan where a fault is not known."""

    devices: dict[str, int]
    buses: dict[int, int]
    i: Mapping[tuple[str, str], Through]

    def of(self, device: str, buses: Sequence[int], fault: str, case: str) -> Through:
        """Of one device, for faults at some buses (bus,)."""
        return self.i[fault, case].at((self.devices[device], [self.buses[b] for b in buses]))


def seen(net: Compiled, faults: ShortCircuit, devices: Sequence[str], buses: Sequence[int], kinds: Sequence[str]) -> Seen:
    """Solve faults at buses, some at a time, and keep what flows through the devices."""
    first = [net.terminals.of(d).start for d in devices]
    known = {fault: np.array([fault not in TO_EARTH or not faults.earth_faults_lack(b) for b in buses], bool) for fault in kinds}
    made: dict[tuple[str, str], Through] = {}
    for fault in kinds:
        for case in CASES:
            phase, residual = [np.zeros((len(devices), 0))], [np.zeros((len(devices), 0))]
            for start in range(0, len(buses), BLOCK):
                flows = faults.flows(buses[start : start + BLOCK], case, fault).terminals[first]
                phase.append(1000 * (np.abs(flows[..., 0]) if fault == "3ph" else np.abs(as_phases(flows)).max(axis=-1)))
                residual.append(3000 * np.abs(flows[..., 2]) if fault in TO_EARTH else np.zeros(flows.shape[:2]))
            both = (np.where(known[fault], np.concatenate(parts, axis=1), np.nan) for parts in (phase, residual))
            made[fault, case] = Through(*both)
    return Seen({d: k for k, d in enumerate(devices)}, {b: k for k, b in enumerate(buses)}, made)
