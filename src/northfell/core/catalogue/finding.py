"""Finding one entry among thousands: each answer narrows what is left, and says how many would be left by the next one."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from northfell.core.catalogue.entry import Entry
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.own_entries import ENTRY_KINDS
from northfell.core.quantities import entry as number_text
from northfell.core.quantities import parse_wire_size, wire_size

# what one asks for, in the order in which one narrows; a name without a parameter of the kind is one of `found_by`
ASKED: Mapping[str, tuple[str, ...]] = {
    "cable": ("sizes", "v_insulation_kv", "conductor", "insulation", "cores", "laid", "area_mm2"),
    "transformer": ("v_hv_kv", "v_lv_kv", "s_rated_mva", "cooling", "losses"),
    "induction_motor": ("frequency", "v_rated_kv", "efficiency class", "p_rated_kw"),
    "fuse": ("class", "i_rated_a"),
    "breaker": ("voltage", "tripped by", "i_rated_a"),
    "relay": ("curves", "curve", "ct_secondary_a"),
}


@dataclass(frozen=True)
class Question:
    """One thing to narrow by: its name, and each answer with the number of entries it would leave."""

    key: str
    label: str
    answers: Sequence[tuple[str, int]]
    chosen: str


def answer_of(one: Entry, key: str) -> str:
    """What an entry answers to a question; empty if it has none."""
    if key in one.found_by:
        return one.found_by[key]
    if key == "family":
        return one.family
    value: Any = one.values.get(key)
    if value is None:
        return ""
    if key == "area_mm2" and one.found_by.get("sizes", "mm²") != "mm²":
        return wire_size(value)
    p = parameter(ENTRY_KINDS[one.kind], key)
    return f"{number_text(value)} {p.unit if p else ''}".strip() if isinstance(value, float | int) and not isinstance(value, bool) else str(value)


def narrowed(entries: Iterable[Entry], chosen: Mapping[str, str], words: str = "") -> list[Entry]:
    """The entries that answer as chosen, and whose name or source holds all of the words."""
    wanted = words.lower().split()
    return [
        e
        for e in entries
        if all(answer_of(e, key) == value for key, value in chosen.items() if value) and all(w in f"{e.name} {e.source}".lower() for w in wanted)
    ]


def questions(entries: Sequence[Entry], kind: str, chosen: Mapping[str, str], words: str = "") -> list[Question]:
    """The questions of a kind; each counts its answers as if only the others were chosen."""
    found = []
    for key in (*ASKED.get(kind, ()), "family"):
        others = narrowed(entries, {k: v for k, v in chosen.items() if k != key}, words)
        counts = Counter(answer for e in others if (answer := answer_of(e, key)))
        if len(counts) > 1 or chosen.get(key):
            p = parameter(ENTRY_KINDS[kind], key)
            found.append(Question(key, p.label if p else key.capitalize(), sorted(counts.items(), key=lambda c: _sorted_by(c[0])), chosen.get(key, "")))
    return found


def _sorted_by(answer: str) -> tuple[float, str]:
    number = answer.split(" ")[0]
    if area := parse_wire_size(answer):
        return area, answer
    try:
        return float(number), answer
    except ValueError:
        return float("inf"), answer
