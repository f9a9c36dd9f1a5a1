"""Extend: what is typed at a bus becomes one change set, with what was understood and what was assumed told beforehand."""

from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Any

from northfell.app.draw.by_phase import CannotExtend, in_parts, one_phase_unit, phases_beyond, pole_of, regulator_of
from northfell.core.catalogue.tables import relay_curves
from northfell.core.errors import NetworkRefused, NorthfellError
from northfell.core.model.base_voltage import CARRIED, nominal_of_rated
from northfell.core.model.changes import Add, Change, Move, Set, apply_change, completed
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import KINDS, Breaker, Bus, CurrentTransformer, Element, Transformer
from northfell.core.model.naming import Names
from northfell.core.model.network import Network, Placement, element_from, references_of
from northfell.core.model.settings import study_keys
from northfell.core.quantities import entry
from northfell.core.rules.completeness import missing_of
from northfell.core.rules.typical import typical_for_missing
from northfell.core.shorthand.reading import EXAMPLES, KIND_WORDS, Said, parse
from northfell.drawing import growing


@dataclass
class Plan:
    """What would be placed: the change set, the lines to read before Enter, and the bus to extend from next."""

    change: Change | None = None
    understood: list[str] = field(default_factory=list)
    assumed: list[str] = field(default_factory=list)
    lacking: list[str] = field(default_factory=list)
    not_kept: list[str] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    unread: list[str] = field(default_factory=list)  # words of the line that were not understood
    placed: list[str] = field(default_factory=list)
    at: str = ""
    network: Network | None = None  # as it would be


class NotUnderstood(NorthfellError):
    """A line that places nothing, with its reasons."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__(problems)

    def __str__(self) -> str:
        return "\n".join(self.problems)


def plan(network: Network, sheet_name: str, at: str, text: str, selected: str = "") -> Plan:
    """Plan what a line of shorthand adds at a bus (or on an empty network, at nothing); a relay goes to the breaker selected or just placed."""
    made = Plan(at=at)
    if not text.strip():
        return made
    return planned(network, sheet_name, at, parse(text), selected)


def planned(network: Network, sheet_name: str, at: str, line: list[Said], selected: str = "") -> Plan:
    """Plan what a row of things said adds."""
    made = Plan(at=at)
    growth = _Growth(network, sheet_name, at, selected)
    if at and at not in growth.places:
        made.problems.append(f"{network.elements[at].name} does not stand on sheet {growth.sheet.name}. Select a bus on the sheet.")
        return made
    for number, said in enumerate(line):
        try:
            growth.add(said, line[number:], made)
        except CannotExtend as stop:
            made.problems.append(str(stop))
            break
        except NetworkRefused as error:
            made.problems += error.lines
            break
    if made.problems or not (growth.placed or growth.settings):
        return made
    try:
        made.change = completed(network, Change(_title(growth), tuple(growth.all_acts())))
        made.network, _ = apply_change(network, made.change)
    except NetworkRefused as error:
        made.problems += error.lines
        made.change = None
        return made
    made.at, made.placed = growth.at, growth.placed
    for element_id in growth.placed:
        e = made.network.elements[element_id]
        lacks = {m.parameter.label[0].lower() + m.parameter.label[1:] for study in study_keys() for m in missing_of(made.network.elements, e, study)}
        if lacks:
            made.lacking.append(f"{e.name}: {', '.join(sorted(lacks))}")
    return made


def _title(growth: "_Growth") -> str:
    names = [growth.elements[i]["name"] for i in growth.placed if growth.elements[i].get("bus_kind") != "junction"] or [growth.last_name]
    return f"Placed {', '.join(names[:6])}" + (f" and {len(names) - 6} more" if len(names) > 6 else "")


def _nothing_to_place(said: Said) -> str:
    """What to say of a part of a line that names no thing: the word that may be meant, where one is near."""
    if said.unread and said.unread[0].startswith("more than"):
        return f"This line holds {said.unread[0]}: place it in parts."
    if not said.unread:
        return f"“to {said.to}” needs something that leads there before it, such as “breaker to {said.to}”."
    near = get_close_matches(said.unread[0].lower(), KIND_WORDS, n=1, cutoff=0.7)
    return f"“{said.unread[0][:40]}” names no thing to place." + (f" Is “{near[0]}” meant?" if near else "")


MOST_LOOKED_AT = 60  # of what follows in the line, to see how much room a way needs
MEASURED = next(p.refers_to for p in references_of(CurrentTransformer))


@dataclass
class _Place:
    """Where the line goes on: a bus, and the breaker and device that relays and current transformers would take."""

    at: str
    breaker: str = ""
    device: str = ""


class _Growth:
    """The elements and places that are being added."""

    def __init__(self, network: Network, sheet_name: str, at: str, selected: str) -> None:
        self.network = network
        chosen = network.elements.get(selected)
        self.here = _Place(at, selected if isinstance(chosen, Breaker) else "", selected if chosen and chosen.kind in MEASURED else "")
        self.kept: list[_Place] = []  # where the line goes on after each open bracket
        self.side = ""  # the other side of what was placed last, on which a bracket right behind it hangs
        self.upward: set[str] = set()  # points above which there is room for a source
        self.elements: dict[str, dict[str, Any]] = {}
        self.names = Names(network)
        self.sheet = network.sheet(sheet_name)
        self.places: dict[str, Placement] = dict(self.sheet.placements)
        self.moved: set[str] = set()
        self.settings: list[Set] = []
        self.placed: list[str] = []
        # what is asked for at each thing that is placed, kept beside it: who ends where, who stands at whom, and buses as elements
        self.ends: dict[str, tuple[str, ...]] = {i: e.buses for i, e in network.elements.items()}
        self.holders: dict[str, str] = {i: e.holder for i, e in network.elements.items() if e.holder}
        self.branches: set[str] = {i for i, e in network.elements.items() if e.ABOUT.depth or len(e.buses) > 2}
        self.around: dict[str, Element] = dict(network.elements)
        self.own_board = ""  # a board that an infeed brought with it, and that nobody has named yet
        self.last_name = ""

    @property
    def at(self) -> str:
        return self.here.at

    @at.setter
    def at(self, bus_id: str) -> None:
        self.here.at = bus_id

    def all_acts(self) -> list[Any]:
        """Elements first, then where they stand."""
        adds = [Add(element={"id": i, **raw}) for i, raw in self.elements.items()]
        moves = [Move(sheet=self.sheet.name, id=i, to=self.places[i]) for i in [*self.elements, *sorted(self.moved - set(self.elements))]]
        return [*adds, *self.settings, *moves]

    def add(self, said: Said, rest: list[Said], made: Plan) -> None:
        if said.kind in ("(", ")"):
            self._bracket(said.kind)
            return
        self.side = ""
        if not said.kind:
            made.unread += said.unread
            raise CannotExtend(_nothing_to_place(said))
        if said.unread:
            made.unread += said.unread
            made.problems.append(f"Not understood behind {KINDS[said.kind].TITLE.lower()}: {', '.join(said.unread)}. An example: {EXAMPLES[said.kind]}.")
        if said.to and len(KINDS[said.kind].TERMINALS) != 2:
            made.problems.append(f"Only what has two ends can go to a bus: leave out “to {said.to}”.")
        self._one(said, rest, made)
        made.understood.append(self._line(said))
        made.not_kept += said.not_kept

    def _one(self, said: Said, rest: list[Said], made: Plan) -> None:
        """Place one element by what it hangs on and how many ends it has."""
        ends = len(KINDS[said.kind].TERMINALS)
        if KINDS[said.kind].HELD_BY:
            self._attached(said, made)
        elif said.kind == "bus":
            if self.at and self.at != self.own_board and self._bus_of(self.at)["bus_kind"] != "junction":
                self._branch(Said("breaker"), rest, made)  # something must lead there
                made.assumed.append(f"{self.last_name}~ leads there from {self._bus_of(self.elements[self.placed[-1]]['from_bus'])['name']}")
            self._bus(said)
        elif not self.at and KINDS[said.kind].ABOUT.begins:
            self._bus(Said("bus", {"v_nominal_kv": said.v_kv or said.values.get("v_rated_kv")}))
            self._end(said, rest, made)
            self.own_board = self.at
        elif not self.at:
            raise CannotExtend("Select a bus to extend from, or begin with an infeed or a bus, such as “infeed 33 kV 10 kA”.")
        elif ends == 1:
            self._end(said, rest, made)
        elif ends == 2:
            self._branch(said, rest, made)
        else:
            self._fork(said, rest, made)

    def _bracket(self, kind: str) -> None:
        if kind == "(":
            if not self.at:
                raise CannotExtend("A bracket needs something to hang on: begin with an infeed or a bus.")
            self.kept.append(_Place(self.here.at, self.here.breaker, self.here.device))
            self.at = self.side or self.at
            self.side = ""
        elif self.kept:
            self.here = self.kept.pop()
        else:
            raise CannotExtend("A bracket closes that was not opened.")

    def _line(self, said: Said) -> str:
        values = []
        for name, value in said.values.items():
            p = parameter(KINDS[said.kind], name)
            if isinstance(value, list):
                values += [" ".join(entry(v) if isinstance(v, float) else str(v) for v in row.values()) for row in value]
                continue
            told = entry(value) if isinstance(value, float | int) and not isinstance(value, bool) else {True: "closed", False: "open"}.get(value, value)
            told = relay_curves()[value].name if name == "curve" else told
            values.append(f"{told} {p.unit if p else ''}".strip())
        phases = [", ".join(said.phases)] if said.phases else []
        return " · ".join([f"{KINDS[said.kind].TITLE} {self.last_name}", *phases, *values])

    def _name(self, said: Said) -> str:
        return self.names.free(said.name) if said.name and self.kept else said.name or self.names.new(said.kind)

    def _put(self, raw: dict[str, Any], place: Placement) -> str:
        element_id = self.names.new_id(raw["name"])
        self.names.take(raw["name"])
        self.last_name = raw["name"]
        self.elements[element_id], self.places[element_id] = raw, place
        self.placed.append(element_id)
        self.ends[element_id] = tuple(raw[t] for t in KINDS[raw["kind"]].TERMINALS)
        if holder := raw.get("breaker") or raw.get("measures"):
            self.holders[element_id] = holder
        if KINDS[raw["kind"]].ABOUT.depth or len(self.ends[element_id]) > 2:
            self.branches.add(element_id)
        self._known(element_id)
        return element_id

    def _known(self, element_id: str) -> None:
        """A bus that was placed or changed, as the element that rules look at."""
        if self.elements[element_id]["kind"] == "bus":
            self.around[element_id] = element_from({"id": element_id, **self.elements[element_id]})

    def _bus_of(self, bus_id: str) -> dict[str, Any]:
        return self.elements[bus_id] if bus_id in self.elements else self.network.elements[bus_id].model_dump()

    def _bus(self, said: Said) -> None:
        """The first board, or the point at the end of a branch turned into one."""
        if not self.at:
            kind = said.values.get("bus_kind", "switchboard")
            raw = {"kind": "bus", "name": self._name(said), "v_nominal_kv": None, **said.values, "bus_kind": kind}
            self.at = self._put(raw, growing.first_place() if not self.places else self._beside())
            return
        here = self._bus_of(self.at)
        if here["bus_kind"] != "junction" and self.at != self.own_board:
            raise CannotExtend(f"{here['name']} is a board already. Draw a breaker, cable or transformer from it first.")
        v = said.values.get("v_nominal_kv")
        if v is not None and here["v_nominal_kv"] is not None and abs(v - here["v_nominal_kv"]) > 1e-9:
            raise CannotExtend(f"{here['name']} stands at {here['v_nominal_kv']:g} kV, not {v:g} kV. A transformer must stand between them.")
        values = {"bus_kind": "switchboard", "name": self._name(said), **said.values}
        own, self.own_board = self.at == self.own_board, ""
        if values["bus_kind"] != "junction" and not own:
            self.places[self.at] = growing.board_at(self.places[self.at])
            self.moved.add(self.at)
        self.names.take(values["name"])
        self.last_name = values["name"]
        if self.at in self.elements:
            self.elements[self.at].update(values)
            self._known(self.at)
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

    def _feeder_x(self, rest: list[Said]) -> float:
        """Where a way leaves the board, with room for what hangs on it; straight on from a point."""
        if not self.places[self.at].width:
            return self.places[self.at].x
        reach = growing.reach_of([said.kind for said in rest[:MOST_LOOKED_AT]])
        x, moved = growing.way_x(self.places, self.ends, self.holders, self.at, *reach, self.branches)
        self.places |= moved
        self.moved |= moved.keys()
        return x

    def _joint(self, name: str, v_kv: float | None, place: Placement, more: dict[str, Any] | None = None) -> str:
        """A point at which the line goes on."""
        free = name if name not in self.names.taken else next(f"{name} {n}" for n in range(2, 10**6) if f"{name} {n}" not in self.names.taken)
        return self._put(
            {"kind": "bus", "name": free, "v_nominal_kv": v_kv, "bus_kind": "junction", "origins": {"v_nominal_kv": CARRIED}, **(more or {})}, place
        )

    def _branch(self, said: Said, rest: list[Said], made: Plan) -> None:
        here, cls = self._bus_of(self.at), KINDS[said.kind]
        conductors = phases_beyond(said, here)
        marks = _by_phase(said, here, conductors, made)
        far_v, backward = here["v_nominal_kv"], False
        transformer = issubclass(cls, Transformer)
        legs = "bank_units" in said.values
        if legs:
            far_v = said.values["bank_units"][0]["v_low_kv"]
        elif transformer:
            far_v, backward = self._far_voltage(said, here["v_nominal_kv"])
        if said.to:
            self._closing(said, made)
            return
        x = self._feeder_x(rest)
        place, far_place = growing.branch_places(said.kind, self.places[self.at], x)
        name = self._name(said)
        guessed: dict[str, Any] = {"conductors": "12n" if legs else conductors} if legs or conductors != "abc" else {}
        if transformer and not legs and far_v not in (said.values["v_hv_kv"], said.values["v_lv_kv"]):
            guessed["assumed"] = {"v_nominal_kv": f"usual nominal voltage at a rated {said.values['v_hv_kv' if backward else 'v_lv_kv']:g} kV"}
            made.assumed.append(f"network beyond {name} {far_v:g}~ kV")
        far = self._joint(f"{name} end", far_v, far_place, guessed)
        ends = (far, self.at) if backward else (self.at, far)
        raw = {"kind": said.kind, "name": name, **dict(zip(cls.TERMINALS, ends, strict=True)), **said.values, "assumed": marks}
        self._reach(x)
        self._passed(said.kind, self._put(self._filled(raw, made), place))
        self.at = far

    def _passed(self, kind: str, element_id: str) -> None:
        """What relays and current transformers that follow would stand at."""
        if kind == "breaker":
            self.here.breaker = element_id
        if kind in MEASURED:
            self.here.device = element_id

    def _fork(self, said: Said, rest: list[Said], made: Plan) -> None:
        """A changeover switch or a three-winding transformer: the line goes on at its common or medium side, a bracket hangs on the third."""
        here = self._bus_of(self.at)
        x = self._feeder_x(rest)
        place, far_place, side_place = growing.fork_places(said.kind, self.places[self.at], x)
        name = self._name(said)
        voltages = [here["v_nominal_kv"]] * 2
        if said.kind == "three_winding_transformer":
            voltages = self._winding_voltages(said, here)
        far = self._joint(f"{name} end", voltages[0], far_place)
        self.side = self._joint(f"{name} side", voltages[1], side_place)
        if said.kind == "changeover":
            self.upward.add(self.side)
            ends = (far, self.at, self.side)
        else:
            ends = (self.at, far, self.side)
        raw = {"kind": said.kind, "name": name, **dict(zip(KINDS[said.kind].TERMINALS, ends, strict=True)), **said.values}
        self._reach(x)
        self._put(self._filled(raw, made), place)
        self.at = far

    def _winding_voltages(self, said: Said, here: dict[str, Any]) -> list[float]:
        rated: list[float] = [said.values.get(f"v_{side}_kv", 0.0) for side in ("hv", "mv", "lv")]
        if not all(rated):
            raise CannotExtend(f"A three-winding transformer needs its three voltages, such as “{EXAMPLES[said.kind]}”.")
        v_here = here["v_nominal_kv"]
        if v_here is not None and abs(rated[0] / v_here - 1) > 0.3:
            raise CannotExtend(f"{rated[0]:g} kV does not belong to {here['name']} of {v_here:g} kV: extend from the high-voltage side.")
        return [nominal_of_rated(v) for v in rated[1:]]

    def _closing(self, said: Said, made: Plan) -> None:
        """A branch to a bus that stands already: a tie, or the closing of a ring."""
        target = self.network.id_of_name.get(said.to) or next((i for i, r in self.elements.items() if r["name"] == said.to), None)
        if target is None or self._bus_of(target)["kind"] != "bus":
            raise CannotExtend(f"There is no bus “{said.to}” to go to.")
        if target not in self.places or self.at not in self.places:
            raise CannotExtend(f"“{said.to}” does not stand on this sheet.")
        here, there = self._bus_of(self.at)["v_nominal_kv"], self._bus_of(target)["v_nominal_kv"]
        ends = (self.at, target)
        if issubclass(KINDS[said.kind], Transformer):
            far_v, backward = self._far_voltage(said, here)
            here, ends = far_v, (target, self.at) if backward else ends
        if here is not None and there is not None and abs(here - there) > 1e-9:
            raise CannotExtend(f"{said.to} stands at {there:g} kV, not {here:g} kV.")
        raw = {"kind": said.kind, "name": self._name(said), **dict(zip(KINDS[said.kind].TERMINALS, ends, strict=True)), **said.values}
        self._passed(said.kind, self._put(self._filled(raw, made), growing.between(self.places[self.at], self.places[target])))
        self.at = target

    def _attached(self, said: Said, made: Plan) -> None:
        """A relay at a breaker, or current transformers at a device: at the one selected or placed last."""
        field_name = KINDS[said.kind].HELD_BY
        holder = self.here.breaker if field_name == "breaker" else self.here.device
        if not holder:
            title = "relay" if said.kind == "relay" else KINDS[said.kind].TITLE.lower()
            what = f"A {title} needs a breaker" if field_name == "breaker" else "Current transformers need a device or branch"
            raise CannotExtend(f"{what}: select one, or type it first, such as “breaker, {EXAMPLES[said.kind]}”.")
        raw = {"kind": said.kind, "name": self._name(said), field_name: holder, **said.values}
        at = self.places.get(holder)
        if KINDS[said.kind].ORDERS and holder in self.elements:  # only now does the breaker need its time
            self.elements[holder] = self._filled(self.elements[holder], made, {"orders": {**raw, "breaker": "new"}})
        self._put(self._filled(raw, made), growing.beside(said.kind, at) if at else growing.first_place())

    def _far_voltage(self, said: Said, v_here: float | None) -> tuple[float, bool]:
        """Nominal voltage beyond a transformer: 0.42 kV feeds a 0.4 kV network; and whether one extends from its low side."""
        high, low = said.values.get("v_hv_kv"), said.values.get("v_lv_kv")
        if high is None or low is None:
            raise CannotExtend("A transformer needs its ratio, such as “tx 33/11 10 MVA 10% Dyn11”.")
        nominal = [nominal_of_rated(high), nominal_of_rated(low)]
        if v_here is None:
            return nominal[1], False
        off = [abs(v / v_here - 1) for v in (high, low)]
        if min(off) > 0.3:
            raise CannotExtend(f"Neither {high:g} nor {low:g} kV belongs to {self._bus_of(self.at)['name']} of {v_here:g} kV.")
        return (nominal[1], False) if off[0] <= off[1] else (nominal[0], True)

    def _end(self, said: Said, rest: list[Said], made: Plan) -> None:
        bus, v = self.places[self.at], self._bus_of(self.at)["v_nominal_kv"]
        above = said.kind == "infeed" or self.at in self.upward
        x = bus.x + bus.width / 2 if said.kind == "infeed" else self._feeder_x(rest)
        if said.kind == "infeed" and said.v_kv is not None and v is not None and abs(said.v_kv - v) > 1e-9:
            raise CannotExtend(f"{self._bus_of(self.at)['name']} stands at {v:g} kV, not {said.v_kv:g} kV.")
        if "v_rated_kv" in KINDS[said.kind].model_fields:
            said.values.setdefault("v_rated_kv", v)
        if KINDS[said.kind].ABOUT.needs.keys() - said.values.keys():
            raise CannotExtend(f"A {KINDS[said.kind].TITLE.lower()} needs its reactive power, such as “{EXAMPLES[said.kind]}”.")
        raw = {"kind": said.kind, "name": self._name(said), "bus": self.at, **said.values}
        if said.kind in ("load", "capacitor_bank"):
            raw = in_parts(said, self._filled(raw, made), self._bus_of(self.at), made)
        if not above:
            self._reach(x)
        self._put(raw if "by_phase" in raw else self._filled(raw, made), growing.end_place(bus, x, above))

    def _filled(self, raw: dict[str, Any], made: Plan, beside: dict[str, dict[str, Any]] | None = None) -> dict[str, Any]:
        """With typical values for what was not said, each told as assumed; `beside` are others that it is needed for."""
        element = element_from({"id": "new", **raw})
        others = {i: element_from({"id": i, **r}) for i, r in (beside or {}).items()}
        found = typical_for_missing({**self.around, **others} if others else self.around, element, self.network.settings.frequency_hz)
        for name, one in found.items():
            p = parameter(type(element), name)
            told = entry(one.value) if isinstance(one.value, float) else relay_curves()[str(one.value)].name if name == "curve" else one.value
            made.assumed.append(f"{raw['name']} {p.label[0].lower() + p.label[1:] if p else name} {told}~ {p.unit if p else ''}".strip())
        return {
            **raw,
            **{name: one.value for name, one in found.items()},
            "assumed": {**raw.get("assumed", {}), **{name: one.source for name, one in found.items()}},
        }


def _by_phase(said: Said, here: dict[str, Any], conductors: str, made: Plan) -> dict[str, str]:
    """What stands for something of fewer phases, put among what was said; what of it is assumed, by field."""
    if said.kind == "transformer" and said.phase_count == 1:
        return one_phase_unit(said, here, made)
    if said.kind == "step_regulator":
        return regulator_of(said, here, made)
    return pole_of(said, conductors, made) if said.kind == "line" and not conductors.startswith("abc") else {}


def bus_of_selection(network: Network, element_id: str) -> str:
    """The bus from which one extends with an element selected: itself, or the one at its last terminal; empty if there is none."""
    e = network.elements.get(element_id)
    if e is None:
        return ""
    if isinstance(e, Bus):
        return e.id
    going_on = {"changeover": 0, "three_winding_transformer": 1}.get(e.kind, -1)
    return e.buses[going_on] if e.buses else ""
