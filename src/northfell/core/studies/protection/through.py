"""What a device sees of a fault: currents by what is measured of them, their way, the voltage that is left where it stands, and where the fault is."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, Literal

import numpy as np

from northfell.core.network.sequences import as_phases
from northfell.core.studies.protection.curves import Floats
from northfell.core.studies.short_circuit import TO_EARTH, Flows

Edge = Literal["fast", "slow"]
EDGES: tuple[Edge, Edge] = ("fast", "slow")
Measured = Literal["phase", "residual", "negative", "fault", "dip", "rise"]  # the fault's own current; the voltage that it takes away, or adds
CHARACTERISTIC = np.exp(-1j * np.pi / 4)  # of direction: impedances behind a device lie between resistance and reactance


@dataclass(frozen=True)
class Seen:
    """What else is measured of a fault, each of the shape of the currents or a number; nan where it is not known.

    The place is the id of the faulted bus, empty where it is not known.
    A way is 1 from the device's first terminal to its second, -1 back, 0 where nothing flows. Voltages are those of the bolted fault, of
    which `share` flows, between two phases and of the nominal one.
    """

    negative_a: Floats | float = np.nan  # I2 [A]
    way: Floats | float = np.nan  # of the positive sequence
    residual_way: Floats | float = np.nan
    v_bolted_pu: Floats | float = np.nan  # the least that is left
    dip_pu: Floats | float = np.nan  # the most that it changes by, as a phasor
    share: Floats | float = 1.0
    place: Any = ""
    fault_a: Floats | float = np.nan  # of the fault itself, at the voltage of the device [A]
    arc: Floats | float = np.nan  # 1: it is an arc; nan: that is not known

    def v_pu(self, edge: Edge) -> Floats:
        r"""The voltage with the share that flows, between what it may be: nothing is known of how a fault's impedance is made up.

        .. math:: v_\mathrm{fast} = 1 - s\,\Delta v, \qquad v_\mathrm{slow} = \sqrt{1 - s^2\,(1 - v^2)}

        the least, whatever that impedance is; and the most, with a resistance behind a reactance. Of a bolted fault it is known.
        """
        v, s = np.minimum(self.v_bolted_pu, 1.0), np.clip(self.share, 0.0, 1.0)
        bound = np.maximum(1 - s * np.asarray(self.dip_pu), 0.0) if edge == "fast" else np.sqrt(1 - s**2 * (1 - v**2))
        return np.asarray(np.where(s >= 1, v, bound), float)


MEASURED = tuple(f.name for f in fields(Seen))


@dataclass(frozen=True)
class Through:
    """What flows through a device [A], any shape, and what else it measures."""

    phase_a: Floats  # of the phase that carries most
    residual_a: Floats  # 3·I0
    seen: Seen | None = None
    elsewhere: Mapping[str, "Through"] = field(default_factory=dict)  # through other devices, of which this one is told

    def times(self, shares: Floats | float, arc: bool = False) -> "Through":
        """A fault through a resistance or an arc, which may be known to be one: the same share of all currents."""
        more = self.seen
        if more is not None:
            of_arc = 1.0 if arc else more.arc
            more = replace(more, negative_a=more.negative_a * shares, fault_a=more.fault_a * shares, share=more.share * shares, arc=of_arc)
        return Through(self.phase_a * shares, self.residual_a * shares, more, {d: one.times(shares, arc) for d, one in self.elsewhere.items()})

    def at(self, where: Any) -> "Through":
        """Those of some places; `where` as arrays are indexed."""
        shape = self.phase_a.shape

        def of(v: Any) -> Any:
            return v if np.ndim(v) == 0 else v[where] if v.shape == shape else np.broadcast_to(v, shape)[where]

        more = None if self.seen is None else Seen(*(of(getattr(self.seen, name)) for name in MEASURED))
        return Through(self.phase_a[where], self.residual_a[where], more, {d: one.at(where) for d, one in self.elsewhere.items()})

    @property
    def more(self) -> list[Floats]:
        """All else that is measured, as arrays of the shape of the currents."""
        return [np.broadcast_to(getattr(self.seen or Seen(), name), np.shape(self.phase_a)) for name in MEASURED]


def beside(parts: Sequence[Through], empty: tuple[int, ...]) -> Through:
    """Currents of several faults, one after the other along the last axis; of the shape `empty` where there are none."""
    if not parts:
        return Through(np.zeros(empty), np.zeros(empty))
    phase, residual = (np.concatenate(values, axis=-1) for values in ([one.phase_a for one in parts], [one.residual_a for one in parts]))
    if all(one.seen is None for one in parts):
        return Through(phase, residual)
    more = Seen(*(np.concatenate(values, axis=-1) for values in zip(*(one.more for one in parts), strict=True)))
    return Through(phase, residual, more, {d: beside([one.elsewhere[d] for one in parts], empty) for d in parts[0].elsewhere})


Amperes = Floats | float | Through  # a number or an array is of the phase alone


def seen_by(measures: Measured, i: Amperes) -> Floats:
    """What is measured of a current [A]; beside a voltage that of the phase."""
    if isinstance(i, Through):
        if measures in ("phase", "dip"):
            return np.asarray(i.phase_a, float)
        if measures == "residual":
            return np.asarray(i.residual_a, float)
        more = i.seen or Seen()
        if measures == "rise":
            return np.zeros(np.shape(i.phase_a))
        return np.broadcast_to(np.asarray(np.nan_to_num(more.fault_a if measures == "fault" else more.negative_a), float), np.shape(i.phase_a))
    return np.asarray(i, float) if measures in ("phase", "dip") else np.zeros(np.shape(i))


def through_devices(flows: Flows, devices: Sequence[str], more: bool = True, elsewhere: Sequence[str] = ()) -> Through:
    r"""What devices see of faults, (device, fault); without `more` the currents alone; beside them what flows `elsewhere`, nothing where that is open.

    Which way a current flows is told by what the fault changes: in front of what feeds it, behind which lies an impedance,
    :math:`-\Delta U / I = Z`; beyond, it is turned round. This needs no voltage to be left, and holds for each sequence alone.
    """
    made = _through(flows, devices, more)
    if not elsewhere or not devices:
        return made
    joined = set(flows.net.topology.closed_ids)
    closed = [d for d in elsewhere if d in joined]
    there, shape = _through(flows, closed, more), np.shape(made.phase_a)
    none = Through(np.zeros(shape), np.zeros(shape), Seen(way=0.0))
    of = {d: _spread(there.at(closed.index(d)), shape) if d in closed else none for d in elsewhere}
    return replace(made, elsewhere=of)


def _spread(one: Through, shape: tuple[int, ...]) -> Through:
    """What flows through one device, beside each of several."""
    return Through(np.broadcast_to(one.phase_a, shape), np.broadcast_to(one.residual_a, shape), Seen(*(np.broadcast_to(v, shape) for v in one.more)))


def _through(flows: Flows, devices: Sequence[str], more: bool) -> Through:
    net = flows.net
    i = flows.currents.through(devices)
    to_earth, unbalanced = flows.fault in TO_EARTH, flows.fault != "3ph"
    none = np.zeros(i.shape[:2])
    phase = 1000 * (np.abs(as_phases(i)).max(axis=-1) if unbalanced else np.abs(i[..., 0]))
    residual = 3000 * np.abs(i[..., 2]) if to_earth else none
    if not more or not devices:
        return Through(phase, residual)
    at = net.terminals.bus[np.array([net.terminals.of(d).start for d in devices], np.intp)]
    left, before = flows.voltages_pu[at], flows.before_pu[at]
    changed = np.concatenate([left[..., :1] - before[..., None], left[..., 1:]], axis=-1)
    return Through(phase, residual, Seen(
        negative_a=1000 * np.abs(i[..., 1]) if unbalanced else none,
        way=_way(changed[..., 0], i[..., 0]),
        residual_way=_way(left[..., 2], i[..., 2]) if to_earth else none,
        v_bolted_pu=_between_phases(left).min(axis=-1), dip_pu=_between_phases(changed).max(axis=-1),
        place=np.broadcast_to(np.array([net.topology.bus_ids[b] for b in flows.buses]), none.shape),
        fault_a=1000 * np.abs(as_phases(flows.ik_ka)).max(axis=-1) * net.v_nominal_kv[np.asarray(flows.buses, np.intp)] / net.v_nominal_kv[at][:, None],
    ))  # fmt: skip


def _way(changed_pu: Any, i: Any) -> Floats:
    return np.asarray(np.sign((-changed_pu * np.conj(i) * CHARACTERISTIC).real), float)


def _between_phases(sequences: Any) -> Floats:
    phases = as_phases(sequences)
    return np.asarray(np.abs(phases - np.roll(phases, 1, axis=-1)) / np.sqrt(3), float)
