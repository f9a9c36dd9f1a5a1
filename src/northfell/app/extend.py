"""Extend: what is typed at a bus becomes one change set, with what was understood and what was assumed told beforehand."""

from dataclasses import dataclass, field
from typing import Any

from northfell.core.catalogue.typical import typical_for_missing
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import Add, Change, Move, Set, apply_change
from northfell.core.model.completeness import missing_of
from northfell.core.model.elements import KINDS, Breaker, Bus
from northfell.core.model.network import Network, Placement, element_from
from northfell.core.model.parameters import STUDIES, parameter
from northfell.core.model.shorthand import EXAMPLES, Said, parse
from northfell.core.quantities import entry
from northfell.drawing import growing

LETTERS = {  # of default names, IEC 81346-2; boards and junctions are named by what they are
    "infeed": "G", "synchronous_generator": "G", "transformer": "T", "cable": "W", "line": "W", "breaker": "Q", "switch": "Q", "fuse": "F",
    "induction_motor": "M", "load": "E", "shunt": "C", "relay": "B",
}  # fmt: skip


@dataclass
class Plan:
    """What would be placed: the change set, the lines to read before Enter, and the bus to extend from next."""

    change: Change | None = None
    understood: list[str] = field(default_factory=list)
    assumed: list[str] = field(default_factory=list)
    lacking: list[str] = field(default_factory=list)
    not_kept: list[str] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    placed: list[str] = field(default_factory=list)
    at: str = ""
    network: Network | None = None  # as it would be


class _Stop(Exception):
    """The rest cannot be understood without what came before."""


def plan(network: Network, sheet_name: str, at: str, text: str, selected: str = "") -> Plan:
    """Plan what a line of shorthand adds at a bus (or on an empty network, at nothing); a relay goes to the breaker selected or just placed."""
    made = Plan(at=at)
    if not text.strip():
        return made
    growth = _Growth(network, sheet_name, at, selected)
    if at and at not in growth.places:
        made.problems.append(f"{network.elements[at].name} does not stand on sheet {growth.sheet.name}. Select a bus on the sheet.")
        return made
    for said in parse(text):
        try:
            growth.add(said, made)
        except _Stop as stop:
            made.problems.append(str(stop))
            break
        except NetworkRefused as error:
            made.problems += [str(r) for r in error.refusals]
            break
    if made.problems or not (growth.placed or growth.settings):
        return made
    try:
        made.change = Change(_title(growth), tuple(growth.all_acts()))
        made.network, _ = apply_change(network, made.change)
    except NetworkRefused as error:
        made.problems += [str(r) for r in error.refusals]
        made.change = None
        return made
    made.at, made.placed = growth.at, growth.placed
    for element_id in growth.placed:
        e = made.network.elements[element_id]
        lacks = {m.parameter.label[0].lower() + m.parameter.label[1:] for study in STUDIES for m in missing_of(made.network.elements, e, study)}
        if lacks:
            made.lacking.append(f"{e.name}: {', '.join(sorted(lacks))}")
    return made


def _title(growth: "_Growth") -> str:
    names = [growth.elements[i]["name"] for i in growth.placed if growth.elements[i].get("bus_kind") != "junction"] or [growth.last_name]
    return f"Placed {', '.join(names[:6])}" + (f" and {len(names) - 6} more" if len(names) > 6 else "")


class _Growth:
    """The elements and places that are being added."""

    def __init__(self, network: Network, sheet_name: str, at: str, selected: str) -> None:
        self.network, self.at = network, at
        self.breaker = selected if isinstance(network.elements.get(selected), Breaker) else ""
        self.elements: dict[str, dict[str, Any]] = {}
        self.names = {e.name for e in network.elements.values()}
        self.sheet = next((s for s in network.sheets if s.name == sheet_name), network.sheets[0])
        self.places: dict[str, Placement] = dict(self.sheet.placements)
        self.moved: set[str] = set()
        self.settings: list[Set] = []
        self.placed: list[str] = []
        self.last_name = ""

    def all_acts(self) -> list[Any]:
        """Elements first, then where they stand."""
        adds = [Add(element={"id": i, **raw}) for i, raw in self.elements.items()]
        moves = [Move(sheet=self.sheet.name, id=i, to=self.places[i]) for i in [*self.elements, *sorted(self.moved - set(self.elements))]]
        return [*adds, *self.settings, *moves]

    def add(self, said: Said, made: Plan) -> None:
        if not said.kind:
            raise _Stop(f"“{' '.join(said.unread)}” does not begin with a thing to place. Examples: {'; '.join(EXAMPLES.values())}.")
        if said.unread:
            made.problems.append(f"Not understood behind {said.kind.replace('_', ' ')}: {', '.join(said.unread)}. An example: {EXAMPLES[said.kind]}.")
        if said.to and len(KINDS[said.kind].TERMINALS) != 2:
            made.problems.append(f"Only what has two ends can go to a bus: leave out “to {said.to}”.")
        if said.kind == "relay":
            self._relay(said, made)
        elif said.kind == "bus":
            self._bus(said)
        elif not self.at and said.kind in ("infeed", "synchronous_generator"):
            self._bus(Said("bus", {"v_nominal_kv": said.v_kv or said.values.get("v_rated_kv")}))
            self._end(said, made)
        elif not self.at:
            raise _Stop("Select a bus to extend from, or begin with an infeed or a bus, such as “infeed 33 kV 10 kA”.")
        elif len(KINDS[said.kind].TERMINALS) == 2:
            self._branch(said, made)
        else:
            self._end(said, made)
        made.understood.append(self._line(said))
        made.not_kept += said.not_kept

    def _line(self, said: Said) -> str:
        values = []
        for name, value in said.values.items():
            p = parameter(KINDS[said.kind], name)
            told = entry(value) if isinstance(value, float | int) and not isinstance(value, bool) else {True: "closed", False: "open"}.get(value, value)
            values.append(f"{told} {p.unit if p else ''}".strip())
        return " · ".join([f"{KINDS[said.kind].TITLE} {self.last_name}", *values])

    def _name(self, said: Said, letter: str) -> str:
        if said.name:
            return said.name
        number = 1
        while f"{letter}{number}" in self.names:
            number += 1
        return f"{letter}{number}"

    def _put(self, raw: dict[str, Any], place: Placement) -> str:
        taken = {*self.network.elements, *self.elements}
        element_id = raw["name"] if raw["name"] not in taken else next(f"{raw['name']} {n}" for n in range(2, 10**6) if f"{raw['name']} {n}" not in taken)
        self.names.add(raw["name"])
        self.last_name = raw["name"]
        self.elements[element_id], self.places[element_id] = raw, place
        self.placed.append(element_id)
        return element_id

    def _bus_of(self, bus_id: str) -> dict[str, Any]:
        return self.elements[bus_id] if bus_id in self.elements else self.network.elements[bus_id].model_dump()

    def _bus(self, said: Said) -> None:
        """The first board, or the point at the end of a branch turned into one."""
        if not self.at:
            kind = said.values.get("bus_kind", "switchboard")
            raw = {"kind": "bus", "name": self._name(said, "Board "), **said.values, "bus_kind": kind}
            self.at = self._put(raw, growing.first_place() if not self.places else self._beside())
            return
        here = self._bus_of(self.at)
        if here["bus_kind"] != "junction":
            raise _Stop(f"{here['name']} is a board already. Draw a breaker, cable or transformer from it first.")
        v = said.values.get("v_nominal_kv")
        if v is not None and here["v_nominal_kv"] is not None and abs(v - here["v_nominal_kv"]) > 1e-9:
            raise _Stop(f"{here['name']} stands at {here['v_nominal_kv']:g} kV, not {v:g} kV. A transformer must stand between them.")
        values = {"bus_kind": "switchboard", "name": self._name(said, "Board "), **said.values}
        if values["bus_kind"] != "junction":
            self.places[self.at] = growing.board_at(self.places[self.at])
            self.moved.add(self.at)
        self.names.add(values["name"])
        self.last_name = values["name"]
        if self.at in self.elements:
            self.elements[self.at].update(values)
        else:
            self.settings.append(Set(id=self.at, values=values))

    def _beside(self) -> Placement:
        right = max(p.x + p.width for p in self.places.values())
        return growing.first_place().model_copy(update={"x": right + 6})

    def _reach(self, x: float) -> None:
        """Lengthen the board from which a feeder leaves."""
        wider = growing.widened(self.places[self.at], x)
        if wider != self.places[self.at]:
            self.places[self.at] = wider
            self.moved.add(self.at)

    def _branch(self, said: Said, made: Plan) -> None:
        here, cls = self._bus_of(self.at), KINDS[said.kind]
        v_here = here["v_nominal_kv"]
        far_v, backward = v_here, False
        if said.kind == "transformer":
            far_v, backward = self._far_voltage(said, v_here)
        if said.to:
            self._closing(said, made)
            return
        bus = self.places[self.at]
        x = growing.feeder_x(self.places, self.at, broad=True) if bus.width else bus.x
        place, far_place = growing.branch_places(said.kind, bus, x)
        name = self._name(said, LETTERS[said.kind])
        junction: dict[str, Any] = {"kind": "bus", "name": self._free(f"{name} end"), "v_nominal_kv": far_v, "bus_kind": "junction"}
        if said.kind == "transformer" and far_v not in (said.values["v_hv_kv"], said.values["v_lv_kv"]):
            junction["assumed"] = {"v_nominal_kv": f"usual nominal voltage at a rated {said.values['v_hv_kv' if backward else 'v_lv_kv']:g} kV"}
            made.assumed.append(f"network beyond {name} {far_v:g}~ kV")
        far = self._put(junction, far_place)
        ends = (far, self.at) if backward else (self.at, far)
        raw = {"kind": said.kind, "name": name, **dict(zip(cls.TERMINALS, ends, strict=True)), **said.values}
        self._reach(x)
        placed = self._put(self._filled(raw, made), place)
        self.at = far
        self.breaker = placed if said.kind == "breaker" else self.breaker

    def _closing(self, said: Said, made: Plan) -> None:
        """A branch to a bus that stands already: a tie, or the closing of a ring."""
        target = self.network.id_of_name.get(said.to) or next((i for i, r in self.elements.items() if r["name"] == said.to), None)
        if target is None or self._bus_of(target)["kind"] != "bus":
            raise _Stop(f"There is no bus “{said.to}” to go to.")
        if target not in self.places or self.at not in self.places:
            raise _Stop(f"“{said.to}” does not stand on this sheet.")
        here, there = self._bus_of(self.at)["v_nominal_kv"], self._bus_of(target)["v_nominal_kv"]
        ends = (self.at, target)
        if said.kind == "transformer":
            far_v, backward = self._far_voltage(said, here)
            here, ends = far_v, (target, self.at) if backward else ends
        if here is not None and there is not None and abs(here - there) > 1e-9:
            raise _Stop(f"{said.to} stands at {there:g} kV, not {here:g} kV.")
        name = self._name(said, LETTERS[said.kind])
        raw = {"kind": said.kind, "name": name, **dict(zip(KINDS[said.kind].TERMINALS, ends, strict=True)), **said.values}
        placed = self._put(self._filled(raw, made), growing.between(self.places[self.at], self.places[target]))
        self.breaker = placed if said.kind == "breaker" else self.breaker
        self.at = target

    def _relay(self, said: Said, made: Plan) -> None:
        if not self.breaker:
            raise _Stop("A relay needs a breaker: select one, or type it first, such as “breaker, relay si 240 A tm 0.25 ct 300/1”.")
        raw = {"kind": "relay", "name": self._name(said, LETTERS["relay"]), "breaker": self.breaker, **said.values}
        at = self.places.get(self.breaker)
        self._put(self._filled(raw, made), growing.beside(at) if at else growing.first_place())

    def _free(self, name: str) -> str:
        return name if name not in self.names else next(f"{name} {n}" for n in range(2, 10**6) if f"{name} {n}" not in self.names)

    def _far_voltage(self, said: Said, v_here: float | None) -> tuple[float, bool]:
        """Nominal voltage beyond a transformer: 0.42 kV feeds a 0.4 kV network; and whether one extends from its low side."""
        high, low = said.values.get("v_hv_kv"), said.values.get("v_lv_kv")
        if high is None or low is None:
            raise _Stop("A transformer needs its ratio, such as “tx 33/11 10 MVA 10% Dyn11”.")
        nominal = [_nominal(high), _nominal(low)]
        if v_here is None:
            return nominal[1], False
        off = [abs(v / v_here - 1) for v in (high, low)]
        if min(off) > 0.3:
            raise _Stop(f"Neither {high:g} nor {low:g} kV belongs to {self._bus_of(self.at)['name']} of {v_here:g} kV.")
        return (nominal[1], False) if off[0] <= off[1] else (nominal[0], True)

    def _end(self, said: Said, made: Plan) -> None:
        bus, v = self.places[self.at], self._bus_of(self.at)["v_nominal_kv"]
        x = bus.x + bus.width / 2 if said.kind == "infeed" else growing.feeder_x(self.places, self.at, broad=False)
        if said.kind == "infeed" and said.v_kv is not None and v is not None and abs(said.v_kv - v) > 1e-9:
            raise _Stop(f"{self._bus_of(self.at)['name']} stands at {v:g} kV, not {said.v_kv:g} kV.")
        if said.kind in ("induction_motor", "synchronous_generator"):
            said.values.setdefault("v_rated_kv", v)
        if said.kind == "shunt" and "q_mvar" not in said.values:
            raise _Stop(f"A shunt needs its reactive power, such as “{EXAMPLES['shunt']}”.")
        raw = {"kind": said.kind, "name": self._name(said, LETTERS[said.kind]), "bus": self.at, **said.values}
        self._reach(x)
        self._put(self._filled(raw, made), growing.end_place(said.kind, bus, x))

    def _filled(self, raw: dict[str, Any], made: Plan) -> dict[str, Any]:
        """With typical values for what was not said, each told as assumed."""
        buses = {i: element_from({"id": i, **r}) for i, r in self.elements.items() if r["kind"] == "bus"}
        element = element_from({"id": "new", **raw})
        found = typical_for_missing({**self.network.elements, **buses}, element)
        for name, one in found.items():
            p = parameter(type(element), name)
            told = entry(one.value) if isinstance(one.value, float) else one.value
            made.assumed.append(f"{raw['name']} {p.label[0].lower() + p.label[1:] if p else name} {told}~ {p.unit if p else ''}".strip())
        return {**raw, **{name: one.value for name, one in found.items()}, "assumed": {name: one.source for name, one in found.items()}}


NOMINAL_KV = {0.42: 0.4, 0.415: 0.4, 0.433: 0.4, 0.44: 0.4, 6.3: 6.0, 6.9: 6.6, 10.5: 10.0, 11.5: 11.0, 11.55: 11.0, 21.0: 20.0, 22.0: 22.0, 34.5: 33.0}


def _nominal(v_rated_kv: float) -> float:
    """Nominal voltage of the network that a rated voltage usually feeds; the same where no habit is known."""
    return NOMINAL_KV.get(v_rated_kv, v_rated_kv)


def bus_of_selection(network: Network, element_id: str) -> str:
    """The bus from which one extends with an element selected: itself, or the one at its last terminal; empty if there is none."""
    e = network.elements.get(element_id)
    if e is None:
        return ""
    return e.id if isinstance(e, Bus) else e.buses[-1] if e.buses else ""
