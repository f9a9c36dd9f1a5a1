"""The trade's shorthand, as one types it to draw: `cable 3c 240 al xlpe 350 m`, `tx 33/11 10 MVA 10% Dyn11`, `breaker`.

Several things in a row are parted by a comma and a blank, or by a semicolon. Units and order are free, the decimal sign is comma or point;
a name stands in quotes. Brackets hold a branch of its own, with a count before them as often as it says. What cannot be read is given back, never guessed.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from northfell.core.model.declare.parameters import parameter, parameters_of
from northfell.core.model.elements import KINDS, LINK_SIZES_A
from northfell.core.model.elements.branches import VECTOR_GROUP
from northfell.core.model.elements.three_winding import THREE_WINDING_GROUP
from northfell.core.quantities import QUANTITY_OF, UNITS, canonical_unit, parse_wire_size

KIND_WORDS = {word: kind for kind, cls in KINDS.items() for word in cls.ABOUT.words}
EXAMPLES = {kind: cls.ABOUT.example for kind, cls in KINDS.items() if cls.ABOUT.example}
LED_BY = ("pf", "tm", "tms", "ct", "cosφ", "cosphi")  # words that stand before their number
MARK, OPEN, CLOSE = "\x00", "\x01", "\x02"
BRACKET = re.compile(rf"(?:(?<![\w.,{MARK}])([0-9]{{1,2}})[ ]?[x×*]?[ ]?)?\(([^()]*)\)")
MOST_THINGS = 400  # in one line, brackets repeated
MOST_CHARACTERS = 2000
QUOTED = re.compile(r"[“\"']([^“”\"']{1,80})[”\"']")
NUMBER = r"[0-9]{1,20}(?:[.,][0-9]{1,20})?"
PART = re.compile(rf"({NUMBER})([^\d\s/].{{0,40}})?")
RATIO = re.compile(rf"({NUMBER})/({NUMBER})(kv|v)?", re.IGNORECASE)
TIMES = re.compile(r"^([0-9]{1,3})[x×]$", re.IGNORECASE)
CORES = re.compile(r"^[1-5](?:\.5)?c$", re.IGNORECASE)
TRIPLE = re.compile(rf"({NUMBER})/({NUMBER})/({NUMBER})([^\d\s/].{{0,40}})?")
FIELD_UNITS = {
    "kv": "kV", "ka": "kA", "mva": "MVA", "mw": "MW", "kw": "kW", "mvar": "Mvar", "pct": "%", "m": "m", "mm2": "mm²", "a": "A", "ohm": "ohm", "s": "s",
    "va": "VA",
}  # fmt: skip


@dataclass
class Said:
    """One thing that was typed: its kind, the parameters that were read, and the words that were not."""

    kind: str
    values: dict[str, Any] = field(default_factory=dict)
    name: str = ""
    to: str = ""  # name of the bus at which a branch ends, where that is one that stands already
    v_kv: float | None = None  # a voltage that belongs to the bus, where the kind itself has none
    phases: str = ""  # which it has, where that was said: "b", "ab"
    phase_count: int = 0  # how many, where that was said
    unread: list[str] = field(default_factory=list)
    not_kept: list[str] = field(default_factory=list)  # understood, but without a place in the model


def parse(text: str) -> list[Said]:
    """Read a line of shorthand.

    Parameters
    ----------
    text : str
        One or more things in a row. What stands in brackets is a branch of its own, after which the line goes on where it was;
        `4x (…)` repeats it.

    Returns
    -------
    list of Said
        In the order typed; a bracket that opens or closes has the kind "(" or ")". A part whose first word names no kind has the kind ""
        and all its words unread.
    """
    names: list[str] = []

    def keep(quoted: re.Match[str]) -> str:
        names.append(quoted[1].strip())
        return f" {MARK}{len(names) - 1} "

    if len(text) > MOST_CHARACTERS:
        return [Said("", unread=[f"more than {MOST_CHARACTERS} characters in one line"])]
    text = " ".join(re.sub(f"[{MARK}{OPEN}{CLOSE}]", " ", text).split())
    masked = QUOTED.sub(keep, text)  # so that a name may hold a comma
    while bracket := BRACKET.search(masked):
        times = int(bracket[1] or 1)
        if masked.count(OPEN) + times * (1 + bracket[2].count(OPEN)) > MOST_THINGS or times * len(bracket[2]) > 20 * MOST_CHARACTERS:
            return [Said("", unread=[f"more than {MOST_THINGS} things in one line"])]
        masked = masked[: bracket.start()] + f", {OPEN}, {bracket[2]}, {CLOSE}, " * times + masked[bracket.end() :]
    parts = [part.strip() for part in re.split(r";|, |,$", masked) if part.strip(" ,")]
    if len(parts) > 3 * MOST_THINGS:
        return [Said("", unread=[f"more than {MOST_THINGS} things in one line"])]
    line: list[Said] = []
    for part in parts:
        said = Said({OPEN: "(", CLOSE: ")"}[part]) if part in (OPEN, CLOSE) else _read(part, names)
        if not said.kind and said.to and not said.unread and line and line[-1].kind and not line[-1].to:
            line[-1].to = said.to  # `breaker, to “Board 3”` is `breaker to “Board 3”`
        else:
            line.append(said)
    return line


def _read(part: str, quoted: list[str]) -> Said:
    part = re.sub(r"(?i)\b([0-9]{1,2}(?:/0)?) awg\b", r"\1awg", " ".join(part.split()))
    part, *target_said = re.split(r"(?i)(?:^| )to ", f"{part} ", maxsplit=1)
    target = target_said[0] if target_said else ""
    target = re.sub(rf"{MARK}([0-9]{{1,4}})", lambda k: quoted[int(k[1])], target).strip()
    names = [quoted[int(k)] for k in re.findall(rf"{MARK}([0-9]{{1,4}})", part)]
    words = _joined(re.sub(rf"{MARK}[0-9]{{1,4}}", " ", part).split())
    first = words[0].lower() if words else ""
    if first not in KIND_WORDS:
        return Said("", to=target, unread=words)
    kind = KIND_WORDS[first]
    said = Said(kind, dict(KINDS[kind].ABOUT.words[first]), names[0] if names else "", target)
    if first == "reactor" and not any(_quantity_of(word) == "reactive power" for word in words):
        said.kind = "series_reactor"
    for word in words[1:]:
        if word.lower() not in FILLERS.get(first, ()) and not any(rule(said, word) for rule in _RULES):
            said.unread.append(word)
    return said


FILLERS = {"synchronous": ("motor", "machine"), "earthing": ("transformer", "tx"), "changeover": ("switch",)}


def _quantity_of(word: str) -> str:
    match = PART.fullmatch(word)
    unit = canonical_unit(match[2]) if match and match[2] else None
    return QUANTITY_OF[unit] if unit else ""


def _joined(words: list[str]) -> list[str]:
    """A number and the unit after it become one word."""
    joined: list[str] = []
    for word in words:
        plain = joined and re.fullmatch(f"{NUMBER}(/{NUMBER}){{0,2}}", joined[-1])
        if (plain and canonical_unit(word) and not re.match(r"\d", word)) or (len(joined) > 1 and joined[-1].lower() in LED_BY):
            joined[-1] += word
        else:
            joined.append(word)
    return joined


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def _quantity(said: Said, word: str) -> bool:
    match = PART.fullmatch(word)
    if not match or not match[2]:
        return False
    unit = canonical_unit(match[2])
    if unit is None:
        return False
    quantity, value = QUANTITY_OF[unit], _number(match[1])
    name = KINDS[said.kind].ABOUT.typed.get(quantity)
    if name is None and quantity == "voltage" and said.kind == "infeed":
        said.v_kv = value * UNITS["voltage"][unit] / 1000
        return True
    if name is None or name in said.values:
        return False
    target = FIELD_UNITS[name.rsplit("_", 1)[-1]]
    said.values[name] = float(f"{value * UNITS[quantity][unit] / UNITS[quantity][target]:.12g}")
    return True


def _ratio(said: Said, word: str) -> bool:
    match = RATIO.fullmatch(word)
    if not match:
        return False
    first, second = _number(match[1]), _number(match[2])
    scale = 0.001 if (match[3] or "").lower() == "v" else 1.0
    low, high = sorted((first * scale, second * scale))
    if said.kind in ("transformer", "autotransformer"):
        said.values |= {"v_hv_kv": high, "v_lv_kv": low}
    elif said.kind == "voltage_transformer":
        said.values |= {"v_primary_kv": high, "v_secondary_v": float(f"{1000 * low:.12g}")}
    elif said.kind == "relay" and not match[3]:
        said.values |= {"ct_primary_a": first, "ct_secondary_a": second}
    elif said.kind == "current_transformer" and not match[3]:
        said.values |= {"i_primary_a": first, "i_secondary_a": second}
    else:
        return False
    return True


def _triple(said: Said, word: str) -> bool:
    """Voltages, powers and impedance voltages of a three-winding transformer, as `132/33/11`, `60/60/20 MVA`, `12/18/6%`."""
    match = TRIPLE.fullmatch(word)
    if not match or said.kind != "three_winding_transformer":
        return False
    a, b, c = (_number(match[k]) for k in (1, 2, 3))
    unit = canonical_unit(match[4]) if match[4] else "kV"
    if unit in ("kV", "V"):
        scale = UNITS["voltage"][unit] / 1000
        said.values |= dict(zip(("v_hv_kv", "v_mv_kv", "v_lv_kv"), sorted((a * scale, b * scale, c * scale), reverse=True), strict=True))
    elif unit in ("MVA", "kVA"):
        scale = UNITS["apparent power"][unit] / 1e6
        said.values |= {"s_hv_mva": a * scale, "s_mv_mva": b * scale, "s_lv_mva": c * scale}
    elif unit == "%":
        said.values |= {"uk_hv_mv_pct": a, "uk_hv_lv_pct": b, "uk_mv_lv_pct": c}
    else:
        return False
    return True


def _bare_number(said: Said, word: str) -> bool:
    """A number alone is a cross-section behind `cable` and `line`, a size behind `fuse`."""
    if not re.fullmatch(NUMBER, word):
        return False
    name = {"cable": "area_mm2", "line": "area_mm2", "fuse": "i_rated_a"}.get(said.kind)
    if name is None or name in said.values or (said.kind == "fuse" and _number(word) not in FUSE_SIZES_A):
        return False
    said.values[name] = _number(word)
    return True


def _wire_size(said: Said, word: str) -> bool:
    """A gauge behind `cable` or `line`: `4/0`, `12awg`."""
    area = parse_wire_size(word) if said.kind in ("cable", "line") else None
    if area is None or "area_mm2" in said.values:
        return False
    said.values["area_mm2"] = area
    return True


BY_PHASE = ("line", "cable", "switch", "breaker", "fuse", "transformer", "load", "capacitor_bank", "step_regulator")


def _phases(said: Said, word: str) -> bool:
    """How many phases, and which: `1ph b`, `2ph ab`."""
    if said.kind not in BY_PHASE:
        return False
    if match := re.fullmatch(r"(?i)([123])-?ph(?:ase)?s?", word):
        said.phase_count = int(match[1])
        return True
    if not re.fullmatch(r"(?i)a|b|c|ab|ba|bc|cb|ca|ac|abc", word) or said.phases:
        return False
    said.phases = "".join(sorted(word.lower()))
    return True


def _count(said: Said, word: str) -> bool:
    match = TIMES.match(word)
    if not match or not KINDS[said.kind].ABOUT.count:
        return False
    said.values[KINDS[said.kind].ABOUT.count] = int(match[1])
    return True


def _vector_group(said: Said, word: str) -> bool:
    if said.kind == "autotransformer" and word.lower() in ("yna0", "ya0"):
        said.values["vector_group"] = {"yna0": "YNa0", "ya0": "Ya0"}[word.lower()]
        return True
    if said.kind == "three_winding_transformer" and re.fullmatch(r"[dyz]n?(?:[dyz]n?\d{1,2}){2}", word, re.IGNORECASE):
        first = re.match(r"[dyz]n?(?=[dyz])", word, re.IGNORECASE)
        group = word[: first.end()].upper() + word[first.end() :].lower() if first else word
        said.values["vector_group"] = group
        return bool(THREE_WINDING_GROUP.match(group))
    match = re.fullmatch(r"([dyz]n?)([dyz]n?)(\d{1,2})", word, re.IGNORECASE)
    if not match or said.kind != "transformer":
        return False
    group = match[1].upper() + match[2].lower() + match[3]
    if not VECTOR_GROUP.match(group):
        return False
    said.values["vector_group"] = group
    return True


FUSE_SIZES_A = frozenset(size for sizes in LINK_SIZES_A.values() for size in sizes)
CONDUCTORS, SWITCHES, MOTORS = ("cable", "line"), ("breaker", "switch", "fuse", "contactor"), ("induction_motor",)
# word -> field, value, kinds that take it
WORDS: dict[str, tuple[str, Any, tuple[str, ...]]] = {
    "cu": ("conductor", "copper", CONDUCTORS), "copper": ("conductor", "copper", CONDUCTORS), "al": ("conductor", "aluminium", CONDUCTORS),
    "aluminium": ("conductor", "aluminium", CONDUCTORS), "aluminum": ("conductor", "aluminium", CONDUCTORS), "xlpe": ("insulation", "XLPE", ("cable",)),
    "pvc": ("insulation", "PVC", ("cable",)), "epr": ("insulation", "EPR", ("cable",)), "open": ("closed", False, SWITCHES),
    "closed": ("closed", True, SWITCHES), "withdrawable": ("design", "withdrawable", ("breaker",)), "direct": ("starter", "direct", MOTORS),
    "star-delta": ("starter", "star-delta", MOTORS), "soft": ("starter", "soft starter", MOTORS), "soft-starter": ("starter", "soft starter", MOTORS),
    "drive": ("starter", "drive", MOTORS), "vsd": ("starter", "drive", MOTORS), "regenerative": ("starter", "regenerative drive", MOTORS),
    "gg": ("link", "gG", ("fuse",)), "am": ("link", "aM", ("fuse",)), "k": ("link", "K", ("fuse",)), "t": ("link", "T", ("fuse",)),
    "e": ("link", "E", ("fuse",)),
    "first": ("position", "first", ("changeover",)), "second": ("position", "second", ("changeover",)), "off": ("position", "off", ("changeover",)),
}  # fmt: skip
STAR_POINT = {"transformer": "neutral_lv", "autotransformer": "neutral_lv", "three_winding_transformer": "neutral_mv", "synchronous_generator": "neutral",
    "earthing_transformer": "neutral"}  # fmt: skip
EARTHING = {"isolated": "isolated", "earthed": "solid", "solid": "solid", "resistor": "resistor", "reactor": "reactor"}


def _star_point(said: Said, word: str) -> bool:
    """How the star point of the low side is earthed: `earthed`, `isolated`, `resistor 16 ohm`, `reactor 8 ohm`."""
    field_name = STAR_POINT.get(said.kind)
    if field_name is None or word.lower() not in EARTHING:
        return False
    said.values[field_name] = EARTHING[word.lower()]
    return True


def _pulses(said: Said, word: str) -> bool:
    if said.kind != "rectifier" or not re.fullmatch(r"(?i)(6|12|18|24)-?(p|pulses?)?|pulses?", word):
        return False
    if word[0].isdigit():
        said.values["pulses"] = int(re.match(r"\d+", word)[0])  # type: ignore[index]
    return True


def _accuracy_class(said: Said, word: str) -> bool:
    if said.kind not in ("current_transformer", "voltage_transformer") or not re.fullmatch(r"(?i)[0-9.]{1,4}(P|PX|S)?[0-9]{0,3}", word):
        return False
    said.values["accuracy_class"] = word
    return True


def _word(said: Said, word: str) -> bool:
    if CORES.match(word) and said.kind == "cable":
        said.not_kept.append(f"{word} (number of cores)")
        return True
    name, value, kinds = WORDS.get(word.lower(), ("", None, ()))
    if said.kind not in kinds:
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
    name = {
        "induction_motor": "power_factor",
        "synchronous_motor": "power_factor",
        "synchronous_generator": "power_factor_rated",
        "inverter": "power_factor_set",
    }.get(said.kind)
    if not match or name is None:
        return False
    said.values[name] = _number(match[1])
    return True


_RULES: tuple[Callable[[Said, str], bool], ...] = (
    _phases, _count, _wire_size, _ratio, _triple, _quantity, _bare_number, _vector_group, _power_factor, _relay, _star_point, _pulses, _word, _accuracy_class,
)  # fmt: skip


@dataclass(frozen=True)
class Readable:
    """What can be typed of one kind, for the page that explains it."""

    title: str
    words: list[str]
    example: str
    numbers: list[str]
    more: list[str]


def grammar() -> list[Readable]:
    """What each kind reads, from the same tables that read it."""
    found = []
    for kind, cls in KINDS.items():
        words = [word for word, named in KIND_WORDS.items() if named == kind] or (["reactor"] if kind == "series_reactor" else [])
        if not words:
            continue
        fields = {name: next(p for p in parameters_of(cls) if p.name == name) for name in cls.ABOUT.typed.values()}
        numbers = [f"{p.label.lower()} ({quantity_units(p.unit)})" for p in fields.values()]
        numbers += [f"{parameter(cls, cls.ABOUT.count).label.lower()} (3x)"] if cls.ABOUT.count else []  # type: ignore[union-attr]
        more = [word for word, (_, _, kinds) in WORDS.items() if kind in kinds] + (list(EARTHING) if kind in STAR_POINT else [])
        more += ["1ph", "2ph", "a", "b", "c", "ab", "bc", "ca"] if kind in BY_PHASE else []
        found.append(Readable(cls.TITLE, words, EXAMPLES[kind], numbers, more))
    return found


def quantity_units(unit: str) -> str:
    """Units in which a value may be typed."""
    return ", ".join(UNITS[QUANTITY_OF[unit]]) if unit in QUANTITY_OF else unit
