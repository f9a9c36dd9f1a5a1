"""Nominal voltages carried from the supplies through switches, conductors and transformers to the buses that have none of their own.

A carried voltage is marked as such and follows its origin when that changes; what an engineer enters stays.
"""

from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from northfell.core.model.elements import Bus, Element, ThreeWindingTransformer, Transformer

CARRIED = "carried"
FARTHEST = 0.3  # of a rated voltage from the nominal voltage of its bus; more is a mistake, not a design
NOMINAL_KV = {
    0.42: 0.4,
    0.415: 0.4,
    0.433: 0.4,
    0.44: 0.4,
    6.3: 6.0,
    6.9: 6.6,
    10.5: 10.0,
    11.5: 11.0,
    11.55: 11.0,
    21.0: 20.0,
    22.0: 22.0,
    34.5: 33.0,
}  # fmt: skip  of a winding's rated voltage, after the habit of networks of that level


@dataclass(frozen=True)
class Carried:
    """A voltage that reaches a bus: its value, the bus where it was entered, and the last element on the way."""

    v_kv: float
    origin: str  # id of the bus
    through: str  # id of the element
    usual: bool = False  # a transformer's rated voltage was taken to its network's usual nominal voltage


def nominal_of_rated(v_rated_kv: float) -> float:
    """Nominal voltage of the network that a rated voltage usually feeds; the same where no habit is known."""
    return NOMINAL_KV.get(v_rated_kv, v_rated_kv)


def is_carried(bus: Bus) -> bool:
    """Whether the voltage of a bus is one that was carried to it."""
    return bus.origins.get("v_nominal_kv", "").startswith(CARRIED)


def carried_voltages(elements: Mapping[str, Element]) -> dict[str, Carried]:
    """For each bus without a voltage of its own, the one that reaches it, nearest origin first."""
    at: dict[str, list[Element]] = {}
    open_ends: dict[str, Bus] = {}
    found: dict[str, Carried] = {}
    start: list[tuple[str, Carried]] = []
    for e in elements.values():
        if isinstance(e, Bus):
            if e.v_nominal_kv is None or is_carried(e):
                open_ends[e.id] = e
            else:
                start.append((e.id, Carried(e.v_nominal_kv, e.id, "")))
    for e in elements.values() if open_ends else ():
        for bus in e.buses if len(e.TERMINALS) > 1 else ():
            at.setdefault(bus, []).append(e)
    queue = deque(start)
    while queue:
        here, v = queue.popleft()
        for e in at.get(here, ()):
            for there, v_kv, usual in _beyond(e, here, v.v_kv):
                if there in open_ends and there not in found:
                    found[there] = Carried(v_kv, v.origin, e.id, usual)
                    queue.append((there, found[there]))
    return found


def _beyond(e: Element, here: str, v_kv: float) -> Iterable[tuple[str, float, bool]]:
    """The buses at the other terminals with the voltage that is carried there; nothing through what is given in per unit."""
    others = [(t, b) for t, b in zip(e.TERMINALS, e.buses, strict=True) if b != here]
    if e.ABOUT.same_voltage:
        return [(bus, v_kv, False) for _, bus in others]
    if not isinstance(e, Transformer | ThreeWindingTransformer):
        return []
    rated_here = getattr(e, _rated(e.TERMINALS[e.buses.index(here)]))
    if rated_here is None or abs(rated_here / v_kv - 1) > FARTHEST:
        return []
    rated = [(bus, getattr(e, _rated(terminal))) for terminal, bus in others]
    return [(bus, nominal_of_rated(v), nominal_of_rated(v) != v) for bus, v in rated if v is not None]


def _rated(terminal: str) -> str:
    """The field with the rated voltage of a winding, by its terminal."""
    return f"v_{terminal.removesuffix('_bus')}_kv"
