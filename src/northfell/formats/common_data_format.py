"""Reading the IEEE Common Data Format for load-flow data. Buses keep their numbers as names; 0 as base kV means unknown."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.network import Network, check_network, element_from

MOST_LINES = 400_000
NO_LIMIT_MVAR = 9999.0  # stands in such files for a limit that is none


@dataclass(frozen=True)
class _Columns:
    """Fields of a card: name, first and last column (counted from 1), in order; and how many words a whole card has."""

    fields: tuple[tuple[str, int, int], ...]
    whole: int

    def read(self, line: str, at: int, start: int) -> dict[str, float]:
        """Values after column `start`.

        A whole card is read by its words, since columns drift in practice; one with fewer words by
        the columns of the standard, since neighbouring numbers may touch; by words again where that fails.
        """
        words = line[start:].split()
        by_words = {name: words[i] if i < len(words) else "0" for i, (name, _, _) in enumerate(self.fields)}
        by_columns = {name: line[a - 1 : b].strip() or "0" for name, a, b in self.fields}
        if len(words) >= self.whole:
            return _numbers(by_words, at)
        try:
            return _numbers(by_columns, at)
        except NetworkRefused:
            if len(words) < len(self.fields) - 1:
                raise
            return _numbers(by_words, at)


def _numbers(texts: dict[str, str], at: int) -> dict[str, float]:
    values = {}
    for name, text in texts.items():
        try:
            values[name] = float(text)
        except ValueError:
            raise NetworkRefused([InputRefused(name, text, "a number in its columns", where=f"Line {at}")]) from None
        if not abs(values[name]) < 1e9:
            raise NetworkRefused([InputRefused(name, text, "a finite number", where=f"Line {at}")])
    return values


BUS = _Columns(whole=16, fields=(
    ("area", 19, 20), ("zone", 21, 23), ("type", 25, 26), ("v_pu", 28, 33), ("angle_deg", 34, 40), ("load_mw", 41, 49), ("load_mvar", 50, 59),
    ("generation_mw", 60, 67), ("generation_mvar", 68, 75), ("base_kv", 77, 83), ("desired_pu", 85, 90), ("q_max", 91, 98), ("q_min", 99, 106),
    ("shunt_g", 107, 114), ("shunt_b", 115, 122), ("remote", 124, 127),
))  # fmt: skip
BRANCH = _Columns(whole=21, fields=(
    ("from", 1, 4), ("to", 6, 9), ("area", 11, 12), ("zone", 13, 15), ("circuit", 17, 17), ("type", 19, 19), ("r", 20, 29), ("x", 30, 40), ("b", 41, 50),
    ("rating_1", 51, 55), ("rating_2", 57, 61), ("rating_3", 63, 67), ("control_bus", 69, 72), ("side", 74, 74), ("ratio", 77, 82), ("shift", 84, 90),
))  # fmt: skip


def read(text: str) -> tuple[Network, list[str]]:
    """A network from a file's text, and messages on what was read in a way worth knowing.

    Raises
    ------
    NetworkRefused
        With the line and field.
    """
    lines = text.splitlines()
    if not lines or len(lines) > MOST_LINES:
        raise NetworkRefused([InputRefused("lines", len(lines), f"a file of 1 to {MOST_LINES} lines", where="File")])
    base_text = lines[0][31:37].strip()
    try:
        base = float(base_text)
    except ValueError:
        base = 0.0
    if not 0 < base < 1e6:
        raise NetworkRefused([InputRefused("MVA base", base_text, "a number above 0 in columns 32 to 37", where="Line 1")])
    messages: list[str] = []
    elements: list[dict[str, Any]] = []
    buses: set[str] = set()
    final: dict[str, float] = {}  # of the buses whose machines control another: their own final voltages
    for at, line in _section(lines, "BUS DATA"):
        elements += _bus(line, at, base, buses, final, messages)
    _at_other_buses(elements, buses, final, messages)
    counted: dict[str, int] = {}
    for at, line in _section(lines, "BRANCH DATA"):
        elements.append(_branch(line, at, base, buses, counted, messages))
    if not buses:
        raise NetworkRefused([InputRefused("BUS DATA", None, "at least one bus", where="File")])
    order = {kind: i for i, kind in enumerate(("bus", "infeed", "synchronous_generator", "load", "shunt", "equivalent_branch"))}
    elements.sort(key=lambda e: order[e["kind"]])  # stable: each kind in the file's order
    title = " ".join(lines[0][45:73].split()) or "Imported case"
    network = Network(name=title[:80])
    made = [element_from({**raw, "id": raw["name"]}) for raw in elements]
    network = network.model_copy(update={
        "elements": {e.id: e for e in made}, "settings": network.settings.model_copy(update={"s_base_mva": base}),
    })  # fmt: skip
    check_network(network)
    return network, messages


def _section(lines: list[str], title: str) -> Iterator[tuple[int, str]]:
    start = next((i for i, line in enumerate(lines) if line.upper().startswith(title)), None)
    if start is None:
        raise NetworkRefused([InputRefused("section", None, f"a line that starts with {title}", where="File")])
    for at in range(start + 1, len(lines)):
        if lines[at].lstrip().startswith("-9"):
            return
        if "FOLLOWS" in lines[at].upper():
            break
        if lines[at].strip():
            yield at + 1, lines[at]
    raise NetworkRefused([InputRefused("section", title, "closed by a line of -999", where="File")])


def _bus(line: str, at: int, base: float, buses: set[str], final: dict[str, float], messages: list[str]) -> list[dict[str, Any]]:
    name = _number(line, at, buses)
    v = BUS.read(line, at, 17)
    label = " ".join(c for c in line[5:17].split()) if line[5:17].isprintable() else ""
    made: list[dict[str, Any]] = [
        {"kind": "bus", "name": name, "label": label, "v_nominal_kv": v["base_kv"] or None, "area": str(int(v["area"])) if v["area"] else ""}
    ]
    source = _source(name, v, at, messages)
    if source.get("v_bus"):
        final[name] = v["v_pu"]
    made += [source] if source else []
    if v["load_mw"] or v["load_mvar"]:
        made.append({"kind": "load", "name": f"Load {name}", "bus": name, "p_mw": v["load_mw"], "q_mvar": v["load_mvar"]})
    if v["shunt_g"] or v["shunt_b"]:
        made.append({"kind": "shunt", "name": f"Shunt {name}", "bus": name, "q_mvar": v["shunt_b"] * base, "p_mw": v["shunt_g"] * base})
    return made


def _number(line: str, at: int, buses: set[str]) -> str:
    """The number of a bus, which is its name; added to those that are there."""
    number = line[:5].strip().split()[0] if line[:5].strip() else ""
    if not (number.isascii() and number.isdigit()):
        raise NetworkRefused([InputRefused("bus number", line[:5], "a whole number in columns 1 to 4", where=f"Line {at}")])
    name = str(int(number))
    if name in buses:
        raise NetworkRefused([InputRefused("bus number", name, "a number that no other bus has", where=f"Line {at}")])
    buses.add(name)
    return name


def _source(name: str, v: Mapping[str, float], at: int, messages: list[str]) -> dict[str, Any]:
    """What stands at a bus by its type: a reference, a machine that holds a voltage or delivers as given, or nothing."""
    kind = int(v["type"])
    if kind not in (0, 1, 2, 3):
        raise NetworkRefused([InputRefused("type", v["type"], "0, 1, 2 or 3", where=f"Line {at}, bus {name}")])
    limits = _reactive_limits(name, v, at)
    if kind == 1 and (v["q_min"] or v["q_max"]):
        messages.append(f"Bus {name} holds its power between voltage limits in the file, {v['q_min']:g} to {v['q_max']:g} p.u.: they do not act here.")
    held = v["desired_pu"] or v["v_pu"]
    other = str(int(v["remote"])) if kind >= 2 and int(v["remote"]) not in (0, int(name)) else ""
    if other and kind == 3:
        held = v["v_pu"]
        messages.append(f"Bus {name} is the reference and controls bus {other}: it is read as holding its own final voltage, {held:g} p.u.")
    if kind >= 2 and not v["desired_pu"]:
        messages.append(f"Bus {name} gives no voltage to hold: its final voltage, {held:g} p.u., is held.")
    if kind == 3:
        return {"kind": "infeed", "name": f"Source {name}", "bus": name, "v_set_pu": held, "angle_deg": v["angle_deg"], **limits}
    machine = {"kind": "synchronous_generator", "name": f"Source {name}", "bus": name, "p_mw": v["generation_mw"]}
    if kind == 2:
        return {**machine, "mode": "voltage", "v_set_pu": held, "v_bus": other or None, **limits}
    if v["generation_mw"] or v["generation_mvar"]:
        return {**machine, "mode": "power", "q_mvar": v["generation_mvar"]}
    return {}


def _reactive_limits(name: str, v: Mapping[str, float], at: int) -> dict[str, float]:
    given = {"q_min_mvar": v["q_min"], "q_max_mvar": v["q_max"]} if v["q_min"] or v["q_max"] else {}
    limits = {field: q for field, q in given.items() if abs(q) < NO_LIMIT_MVAR}
    if limits and limits.get("q_min_mvar", -NO_LIMIT_MVAR) > limits.get("q_max_mvar", NO_LIMIT_MVAR):
        raise NetworkRefused([InputRefused("minimum MVAR", v["q_min"], f"at most the maximum, {v['q_max']:g}", where=f"Line {at}, bus {name}")])
    return limits


def _at_other_buses(elements: list[dict[str, Any]], buses: set[str], final: dict[str, float], messages: list[str]) -> None:
    """Machines that hold the voltage of another bus do so where that bus is there and no other voltage is held at it."""
    held: dict[str, float] = {e["bus"]: e["v_set_pu"] for e in elements if "v_set_pu" in e and e.get("v_bus") is None}
    for e in elements:
        if (other := e.get("v_bus")) is None:
            continue
        if other not in buses or held.setdefault(other, e["v_set_pu"]) != e["v_set_pu"]:
            why = "which is not in the file" if other not in buses else f"where {held[other]:g} p.u. is held by others"
            e["v_bus"], e["v_set_pu"] = None, final[e["bus"]]
            messages.append(f"Bus {e['bus']} controls bus {other}, {why}: it is read as holding its own final voltage, {e['v_set_pu']:g} p.u.")


def _branch(line: str, at: int, base: float, buses: set[str], counted: dict[str, int], messages: list[str]) -> dict[str, Any]:
    v = BRANCH.read(line, at, 0)
    ends = [str(int(v["from"])), str(int(v["to"]))]
    for field, end in zip(("tap bus", "Z bus"), ends, strict=True):
        if end not in buses:
            raise NetworkRefused([InputRefused(field, end, "the number of a bus in BUS DATA", where=f"Line {at}, branch {'-'.join(ends)}")])
    circuit = int(v["circuit"]) or 1
    name = f"{ends[0]}-{ends[1]}-{circuit}"
    while name in counted:
        circuit += 1
        name = f"{ends[0]}-{ends[1]}-{circuit}"
    counted[name] = at
    kind, control = int(v["type"]), int(v["control_bus"])
    if kind in (2, 3, 4):
        what = {2: "holds the voltage of", 3: "holds a reactive flow at", 4: "holds an active flow at"}[kind]
        messages.append(
            f"Branch {name} {what} bus {control or ends[0]} by its tap: it is read with its tap as it stands, {v['ratio'] or 1:g}, and does not step."
        )
    return {
        "kind": "equivalent_branch", "name": name, "from_bus": ends[0], "to_bus": ends[1], "r_pu": v["r"], "x_pu": v["x"], "b_pu": v["b"],
        "ratio_pu": v["ratio"] or 1.0, "shift_deg": v["shift"], "s_base_mva": base, "s_rated_mva": v["rating_1"] or None,
    }  # fmt: skip
