"""The trade's shorthand, as one types it to draw: `cable 3c 240 al xlpe 350 m`, `tx 33/11 10 MVA 10% Dyn11`, `breaker`.

Several things in a row are parted by a comma and a blank, or by a semicolon. Units and order are free, the decimal sign is comma or point;
a name stands in quotes. What cannot be read is given back, never guessed.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from northfell.core.model.elements import GG_RATINGS_A
from northfell.core.model.elements.branches import VECTOR_GROUP
from northfell.core.quantities import QUANTITY_OF, UNITS, canonical_unit

KIND_WORDS = {
    "bus": "bus", "board": "bus", "switchboard": "bus", "panel": "bus", "mcc": "bus", "junction": "bus", "infeed": "infeed", "supply": "infeed",
    "grid": "infeed", "generator": "synchronous_generator", "gen": "synchronous_generator", "tx": "transformer", "transformer": "transformer",
    "cable": "cable", "line": "line", "breaker": "breaker", "cb": "breaker", "switch": "switch", "disconnector": "switch", "fuse": "fuse",
    "motor": "induction_motor", "load": "load", "capacitor": "shunt", "reactor": "shunt", "shunt": "shunt", "relay": "relay",
}  # fmt: skip
BUS_KINDS = {"panel": "panel", "mcc": "motor control centre", "junction": "junction"}
EXAMPLES = {
    "infeed": "infeed 33 kV 10 kA", "bus": "bus 11 kV “Board A”", "transformer": "tx 33/11 10 MVA 10% Dyn11", "cable": "cable 240 al xlpe 350 m",
    "line": "line 2,5 km 120 al", "breaker": "breaker 630 A", "switch": "switch open", "fuse": "fuse 250", "induction_motor": "motor 900 kW",
    "load": "load 0.4 MW 0.2 Mvar", "shunt": "capacitor 600 kvar", "synchronous_generator": "generator 2.5 MVA 11 kV",
    "relay": "relay si 240 A tm 0.25 ct 300/1",
}  # fmt: skip
LED_BY = ("pf", "tm", "tms", "ct")  # words that stand before their number
MARK = "\x00"
QUOTED = re.compile(r"[“\"']([^“”\"']{1,80})[”\"']")
NUMBER = r"[0-9]+(?:[.,][0-9]+)?"
PART = re.compile(rf"^({NUMBER})([^\d\s/].*)?$")
RATIO = re.compile(rf"^({NUMBER})/({NUMBER})(kv|v)?$", re.IGNORECASE)
TIMES = re.compile(r"^([0-9]{1,3})[x×]$", re.IGNORECASE)
CORES = re.compile(r"^[1-5](?:\.5)?c$", re.IGNORECASE)
# quantity of a typed unit -> field, by kind
FIELDS: dict[str, dict[str, str]] = {
    "bus": {"voltage": "v_nominal_kv"},
    "infeed": {"current": "ik_max_ka"},
    "synchronous_generator": {"apparent power": "s_rated_mva", "active power": "p_mw", "ratio": "xd2_pct", "voltage": "v_rated_kv"},
    "transformer": {"apparent power": "s_rated_mva", "ratio": "uk_pct"},
    "cable": {"length": "length_m", "area": "area_mm2", "current": "i_rated_a"},
    "line": {"length": "length_m", "area": "area_mm2", "current": "i_rated_a"},
    "breaker": {"current": "i_rated_a"},
    "switch": {"current": "i_rated_a"},
    "fuse": {"current": "i_rated_a"},
    "induction_motor": {"active power": "p_rated_kw", "voltage": "v_rated_kv"},
    "load": {"active power": "p_mw", "reactive power": "q_mvar"},
    "shunt": {"reactive power": "q_mvar"},
    "relay": {"current": "i_pickup_a"},
}
FIELD_UNITS = {"kv": "kV", "ka": "kA", "mva": "MVA", "mw": "MW", "kw": "kW", "mvar": "Mvar", "pct": "%", "m": "m", "mm2": "mm²", "a": "A"}
COUNTS = {"cable": "parallel", "line": "parallel", "transformer": "parallel", "induction_motor": "count"}


@dataclass
class Said:
    """One thing that was typed: its kind, the parameters that were read, and the words that were not."""

    kind: str
    values: dict[str, Any] = field(default_factory=dict)
    name: str = ""
    to: str = ""  # name of the bus at which a branch ends, where that is one that stands already
    v_kv: float | None = None  # a voltage that belongs to the bus, where the kind itself has none
    unread: list[str] = field(default_factory=list)
    not_kept: list[str] = field(default_factory=list)  # understood, but without a place in the model


def parse(text: str) -> list[Said]:
    """Read a line of shorthand.

    Parameters
    ----------
    text : str
        One or more things in a row.

    Returns
    -------
    list of Said
        In the order typed. A part whose first word names no kind has the kind "" and all its words unread.
    """
    names: list[str] = []

    def keep(quoted: re.Match[str]) -> str:
        names.append(quoted[1].strip())
        return f" {MARK}{len(names) - 1} "

    masked = QUOTED.sub(keep, text.replace(MARK, " "))  # so that a name may hold a comma
    return [_read(part, names) for part in re.split(r";|,\s+|,$", masked) if part.strip()]


def _read(part: str, quoted: list[str]) -> Said:
    part, _, target = re.split(r"(?i)(?<=\s)(to)\s+", f"{part} ", maxsplit=1) if re.search(r"(?i)\sto\s+\S", part) else (part, "", "")
    target = re.sub(rf"{MARK}(\d+)", lambda k: quoted[int(k[1])], target).strip()
    names = [quoted[int(k)] for k in re.findall(rf"{MARK}(\d+)", part)]
    words = _joined(re.sub(rf"{MARK}\d+", " ", part).split())
    first = words[0].lower() if words else ""
    if first not in KIND_WORDS:
        return Said("", unread=words)
    said = Said(KIND_WORDS[first], name=names[0] if names else "", to=target)
    if said.kind == "bus" and first in BUS_KINDS:
        said.values["bus_kind"] = BUS_KINDS[first]
    for word in words[1:]:
        if not any(rule(said, word) for rule in _RULES):
            said.unread.append(word)
    if first == "reactor" and "q_mvar" in said.values:
        said.values["q_mvar"] = -said.values["q_mvar"]
    return said


def _joined(words: list[str]) -> list[str]:
    """A number and the unit after it become one word."""
    joined: list[str] = []
    for word in words:
        plain = joined and (re.fullmatch(NUMBER, joined[-1]) or re.fullmatch(f"{NUMBER}/{NUMBER}", joined[-1]))
        if (plain and canonical_unit(word) and not re.match(r"\d", word)) or (joined and joined[-1].lower() in LED_BY):
            joined[-1] += word
        else:
            joined.append(word)
    return joined


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def _quantity(said: Said, word: str) -> bool:
    match = PART.match(word)
    if not match or not match[2]:
        return False
    unit = canonical_unit(match[2])
    if unit is None:
        return False
    quantity, value = QUANTITY_OF[unit], _number(match[1])
    name = FIELDS[said.kind].get(quantity)
    if name is None and quantity == "voltage" and said.kind == "infeed":
        said.v_kv = value * UNITS["voltage"][unit] / 1000
        return True
    if name is None or name in said.values:
        return False
    target = FIELD_UNITS[name.rsplit("_", 1)[-1]]
    said.values[name] = float(f"{value * UNITS[quantity][unit] / UNITS[quantity][target]:.12g}")
    return True


def _ratio(said: Said, word: str) -> bool:
    match = RATIO.match(word)
    if not match or said.kind != "transformer":
        return False
    scale = 0.001 if (match[3] or "").lower() == "v" else 1.0
    low, high = sorted(_number(g) * scale for g in (match[1], match[2]))
    said.values |= {"v_hv_kv": high, "v_lv_kv": low}
    return True


def _bare_number(said: Said, word: str) -> bool:
    """A number alone is a cross-section behind `cable` and `line`, a size behind `fuse`."""
    if not re.fullmatch(NUMBER, word):
        return False
    name = {"cable": "area_mm2", "line": "area_mm2", "fuse": "i_rated_a"}.get(said.kind)
    if name is None or name in said.values or (said.kind == "fuse" and _number(word) not in GG_RATINGS_A):
        return False
    said.values[name] = _number(word)
    return True


def _count(said: Said, word: str) -> bool:
    match = TIMES.match(word)
    if not match or said.kind not in COUNTS:
        return False
    said.values[COUNTS[said.kind]] = int(match[1])
    return True


def _vector_group(said: Said, word: str) -> bool:
    match = re.fullmatch(r"([dyz]n?)([dyz]n?)(\d{1,2})", word, re.IGNORECASE)
    if not match or said.kind != "transformer":
        return False
    group = match[1].upper() + match[2].lower() + match[3]
    if not VECTOR_GROUP.match(group):
        return False
    said.values["vector_group"] = group
    return True


WORDS = {
    "cu": ("conductor", "copper"), "copper": ("conductor", "copper"), "al": ("conductor", "aluminium"), "aluminium": ("conductor", "aluminium"),
    "aluminum": ("conductor", "aluminium"), "xlpe": ("insulation", "XLPE"), "pvc": ("insulation", "PVC"), "epr": ("insulation", "EPR"),
    "open": ("closed", False), "closed": ("closed", True),
}  # fmt: skip
TAKES = {"conductor": ("cable", "line"), "insulation": ("cable",), "closed": ("breaker", "switch", "fuse")}


def _word(said: Said, word: str) -> bool:
    if CORES.match(word) and said.kind == "cable":
        said.not_kept.append(f"{word} (number of cores)")
        return True
    name, value = WORDS.get(word.lower(), ("", None))
    if not name or said.kind not in TAKES[name]:
        return False
    said.values[name] = value
    return True


CURVES = {"si": "IEC_SI", "vi": "IEC_VI", "ei": "IEC_EI", "lti": "LTI"}


def _relay(said: Said, word: str) -> bool:
    """Curve, time multiplier (`tm 0.25`) and current transformers (`ct 300/1`) of a relay."""
    if said.kind != "relay":
        return False
    if word.lower() in CURVES:
        said.values["curve"] = CURVES[word.lower()]
    elif match := re.fullmatch(rf"tms?=?({NUMBER})", word, re.IGNORECASE):
        said.values["time_multiplier"] = _number(match[1])
    elif match := re.fullmatch(rf"ct=?({NUMBER})/({NUMBER})", word, re.IGNORECASE):
        said.values |= {"ct_primary_a": _number(match[1]), "ct_secondary_a": _number(match[2])}
    else:
        return False
    return True


def _power_factor(said: Said, word: str) -> bool:
    match = re.fullmatch(rf"(?:pf|cosφ|cosphi)=?({NUMBER})", word, re.IGNORECASE)
    name = {"induction_motor": "power_factor", "synchronous_generator": "power_factor_rated"}.get(said.kind)
    if not match or name is None:
        return False
    said.values[name] = _number(match[1])
    return True


_RULES: tuple[Callable[[Said, str], bool], ...] = (_count, _ratio, _quantity, _bare_number, _vector_group, _power_factor, _relay, _word)
