"""Nodes of a network by its conductors, and what stands between them, while they are gathered."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from northfell.core.errors import InputRefused
from northfell.core.model.elements import Bus, Element, ThreeWindingTransformer, Transformer
from northfell.core.network import Compiled
from northfell.core.network.phases import Primitive
from northfell.core.rules.by_phase import CONDUCTORS
from northfell.core.studies.short_circuit import MAGNETISING_PU

ALL = ""  # the one position of what moves in all phases together


@dataclass(frozen=True)
class Winding:
    """A winding of a transformer, against whose rating its current is held."""

    part: int  # of the primitives
    place: int  # of the primitive, at which the current of the winding enters
    i_rated_a: float
    s_rated_mva: float
    terminal: int
    name: str  # of the limb, of the unit by its conductors, or of a half


@dataclass
class Places:
    """What has been gathered so far."""

    net: Compiled
    index: dict[tuple[str, str], int] = field(default_factory=dict)
    base: list[float] = field(default_factory=list)
    parts: list[Primitive] = field(default_factory=list)
    windings: dict[str, list[Winding]] = field(default_factory=dict)
    told: dict[str, None] = field(default_factory=dict)
    solid: set[int] = field(default_factory=set)  # nodes that a star point ties solidly to earth
    alike_in_zero: dict[str, None] = field(default_factory=dict)  # transformers without a zero sequence of their own
    taps: Mapping[str, Mapping[str, int]] = field(default_factory=dict)  # positions to which controls have moved: by phase, or of all

    def node(self, name: tuple[str, str], v_base_v: float) -> int:
        """A new node."""
        self.index[name] = len(self.index)
        self.base.append(v_base_v)
        return self.index[name]

    def nodes(self, e: Element, bus: str, conductors: str) -> list[int]:
        """Nodes of conductors at a bus.

        Raises
        ------
        InputRefused
            If the bus has not all of them.
        """
        if any((bus, c) not in self.index for c in conductors):
            has = self.net.elements.get(bus)
            own = f"bus {has.name} has, {has.conductors}" if isinstance(has, Bus) else "it is spread along has"
            raise InputRefused("conductors", conductors, f"of what {own}")
        return [self.index[bus, c] for c in conductors]

    def kv(self, bus: str) -> float:
        """Nominal voltage of a bus."""
        return float(self.net.v_nominal_kv[self.net.topology.bus_index[bus]])

    def tap_pct(self, e: Transformer | ThreeWindingTransformer) -> float:
        """The tap of a transformer: as entered, or the position to which its control has moved it."""
        moved = self.taps.get(e.id)
        return e.tap_pct if moved is None else moved[ALL] * (e.tap_step_pct or 0.0)

    def zero_over_positive(self, e: Transformer) -> float:
        """Impedance of the zero sequence over that of the positive one."""
        if e.z0_over_z1 is None:
            self.alike_in_zero[e.name] = None
        return 1.0 if e.z0_over_z1 is None else e.z0_over_z1

    def zero_core_pu(self, e: Transformer) -> float | None:
        """What the zero sequence magnetises where no winding is in delta [p.u. of the rating]; None: without limit."""
        if e.core is None:
            self.told[f"{e.name}: its core is not entered: what the zero sequence magnetises is left out."] = None
        return None if e.core is None else MAGNETISING_PU[e.core]

    def without_delta(self, e: ThreeWindingTransformer) -> None:
        """Three windings of which none balances the zero sequence."""
        self.told[f"{e.name}: none of its windings is in delta: what the zero sequence magnetises is left out."] = None

    def correction(self, e: Element, x_pu: float) -> float:
        """Factor on the impedance of a transformer, of that reactance on its rating."""
        return 1.0

    def core(self, drawn: complex) -> complex:
        """What the core of a transformer draws, as far as it enters."""
        return drawn

    def at(self, bus: str) -> Mapping[str, int]:
        """Nodes of a bus by conductor."""
        return {c: self.index[bus, c] for c in CONDUCTORS if (bus, c) in self.index}


def named(names: Iterable[str], most: int = 4) -> str:
    """Names one after another; of many, how many more there are."""
    all_of = list(names)
    more = f" and {len(all_of) - most} more" if len(all_of) > most else ""
    return f"{', '.join(all_of[:most])}{more}"


def known(e: Element, name: str) -> float:
    """A number that is entered.

    Raises
    ------
    InputRefused
        If it is not.
    """
    value = getattr(e, name)
    if value is None:
        raise InputRefused(name, None, "a value")
    return float(value)
