"""Current transformers held against a list of what they are intended to be: a name and a ratio a line, as pasted from a spreadsheet."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from northfell.core.model.elements import CurrentTransformer, Element, Relay

MOST_LINES = 2000
SAME = 1e-6
Ratio = tuple[float, float]


@dataclass(frozen=True)
class HeldAgainst:
    """One line of the list, or a transformer that it does not name."""

    name: str
    intended: str
    has: str
    told: str
    element: str = ""  # id, where there is one
    fits: bool = False


def held_against(elements: Mapping[str, Element], text: str) -> list[HeldAgainst]:
    """Each line against what the network has: by the name of a transformer, of a relay, or of what they stand at; then what no line names.

    A line is a name and a ratio such as 300/1 or 600:5, apart by a tab, a semicolon or spaces.
    """
    by: dict[str, list[tuple[Element, Ratio | None]]] = {}
    every = [(e, ratio) for e in elements.values() if e.in_service for ratio in _ratios(e)]
    for e, ratio in every:
        holder = elements.get(e.holder or "")
        for name in (e.name, *([holder.name] if holder else [])):
            by.setdefault(name.casefold(), []).append((e, ratio))
    found: list[HeldAgainst] = []
    named: set[str] = set()
    for line in text.splitlines()[:MOST_LINES]:
        if line.strip():
            found += _line(line, by, named)
    found += [HeldAgainst(e.name, "–", _told(ratio), "not on the list", e.id) for e, ratio in every if e.id not in named]
    return found


def _ratios(e: Element) -> Iterator[Ratio | None]:
    """The ratio of a transformer, or the one that a relay is told; None where it is not entered."""
    if isinstance(e, CurrentTransformer):
        yield (e.i_primary_a, e.i_secondary_a) if e.i_primary_a else None
    elif isinstance(e, Relay):
        yield (e.ct_primary_a, e.ct_secondary_a) if e.ct_primary_a else None


def _line(line: str, by: Mapping[str, list[tuple[Element, Ratio | None]]], named: set[str]) -> Iterator[HeldAgainst]:
    words = line.replace(";", "\t").replace(",", ".").replace("\t", " ").split()
    at = next((k for k in range(len(words) - 1, -1, -1) if _ratio(words[k])), -1)
    name, wanted = " ".join(words[:at]), _ratio(words[at]) if at >= 0 else None
    if at < 1 or wanted is None:
        yield HeldAgainst(line.strip()[:80], "–", "–", "not read: a name and a ratio are accepted, such as “Q11 800/1”")
        return
    those = by.get(name.casefold(), [])
    if not those:
        yield HeldAgainst(name[:80], _told(wanted), "–", "no transformer, relay or device of that name has a ratio")
    for e, ratio in those:
        named.add(e.id)
        fits = ratio is not None and all(math.isclose(a, b, rel_tol=SAME) for a, b in zip(ratio, wanted, strict=True))
        told = "as intended" if fits else "not entered" if ratio is None else _differs(ratio, wanted)
        yield HeldAgainst(e.name if e.name.casefold() == name.casefold() else f"{e.name} at {name}", _told(wanted), _told(ratio), told, e.id, fits)


def _differs(has: Ratio, wanted: Ratio) -> str:
    if math.isclose(has[0] / has[1], wanted[0] / wanted[1], rel_tol=SAME):
        return "the same ratio, of other rated currents"
    return f"differs: {has[0] / has[1]:.4g} for {wanted[0] / wanted[1]:.4g}"


def _ratio(word: str) -> Ratio | None:
    first, mark, second = word.rstrip("Aa").replace(":", "/").partition("/")
    try:
        ratio = float(first), float(second)
    except ValueError:
        return None
    return ratio if mark and all(math.isfinite(v) and v > 0 for v in ratio) else None


def _told(ratio: Ratio | None) -> str:
    return f"{ratio[0]:g}/{ratio[1]:g} A" if ratio else "–"
