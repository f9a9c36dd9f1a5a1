"""What flow by phase shows on the sheet: the phases one under another, by the project's names; once where all three are written alike."""

import math

from northfell.core.model.elements import Bus, Element
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed, signed
from northfell.core.studies.load_flow import loading_severity
from northfell.core.studies.phase_flow import ByPhase, band_at, is_judged, judged, settings_of
from northfell.drawing.words import OfPhase, Tag, one_under_another

QUANTITIES = {  # code -> what it is in words, and where it is shown
    "pu": ("voltage to neutral or earth", "buses"), "ll": ("voltage between phases", "buses"), "kv": ("voltage in kV", "buses"), "u": ("unbalance", "buses"),
    "i": ("current", "elements"), "p": ("active power", "elements"), "q": ("reactive power", "elements"), "load": ("loading", "elements"),
    "tap": ("tap", "elements"),
}  # fmt: skip
USUAL = ("pu", "i", "load", "tap")


def phase_tags(made: ByPhase, limits: Limits, chosen: tuple[str, ...]) -> dict[str, Tag]:
    """The chosen quantities of every bus and of everything that carries something; a phase that is not there has no line."""
    named, tags = settings_of(made).named | {"1": "1", "2": "2"}, dict[str, Tag]()  # legs short: consumers stand beside each other
    taps = _taps(made)
    loads = _loads(made)
    for e in made.net.elements.values():
        if isinstance(e, Bus):
            lines, severity = _of_bus(made, limits, e, chosen, named)
        elif len(e.buses) > 1 and made.carries(e):
            lines, severity = _of_branch(made, limits, e, chosen, named, taps.get(e.id, {}))
        else:
            drawn = loads.get(e.id, ()) if "i" in chosen else ()
            lines = one_under_another([OfPhase("i", named.get(where, "–".join(named.get(c, c) for c in where)), figure(i), "A") for where, i in drawn])
            severity = ""
        if lines or severity:
            tags[e.id] = Tag(lines, severity)
    return tags


Lines = tuple[tuple[str, str], ...]
FOLLOWING = {"a": "b", "b": "c", "c": "a", "1": "2"}


def _of_bus(made: ByPhase, limits: Limits, e: Bus, chosen: tuple[str, ...], named: dict[str, str]) -> tuple[Lines, str]:
    there = made.voltages(e.id)
    judges, told = is_judged(made, e), list[OfPhase]()
    band = band_at(made, limits, e.id) if math.isfinite(made.net.v_nominal_kv[made.net.topology.bus_index[e.id]]) else None
    verdicts = {band.severity(v) for v in judged(made, settings_of(made), e.id).values()} if band and judges else set()
    severity = "breach" if "breach" in verdicts else "close" if "close" in verdicts else ""
    if e.bus_kind == "junction" and not severity and not judges:
        return (), ""  # poles by the hundred: their figures stand on the card and in the ledger
    between = {c: OfPhase("ll", f"{named[c]}–{named[FOLLOWING[c]]}", fixed(one.ll_pu, 3), "p.u.") for c, one in there.items() if one.ll_pu is not None}
    for c, one in there.items():
        if "pu" in chosen and one.ln_pu is not None:
            told.append(OfPhase("pu", named[c], fixed(one.ln_pu, 3), "p.u."))
        if "ll" in chosen and c in between:
            told.append(between[c])
        if "kv" in chosen and one.v is not None:
            told.append(OfPhase("kv", named[c], figure(abs(one.v) / 1000, 4), "kV"))
    if "pu" in chosen and "ll" not in chosen and not told:  # nothing ties it to earth: between phases alone
        told = list(between.values())
    lines = one_under_another(told)
    if "u" in chosen and (pct := made.unbalance_pct(e.id, settings_of(made).unbalance)) is not None:
        lines += ((fixed(pct, 2), f"% {settings_of(made).unbalance}"),)
    return lines, severity


def _of_branch(
    made: ByPhase, limits: Limits, e: Element, chosen: tuple[str, ...], named: dict[str, str], taps: dict[str, int]
) -> tuple[Lines, str]:  # fmt: skip
    one, told = made.loading(e), list[OfPhase]()
    severity = loading_severity(limits, e, one.pct)
    if hasattr(e, "closed") and not severity:
        return (), ""  # a closed switch carries what stands beside it
    for (k, c), (i, s) in made.currents_of(e).items():
        if k != 0 or not math.isfinite(abs(i)) or (c == "n" and "i" not in chosen):
            continue
        if "i" in chosen and not taps:
            told.append(OfPhase("neutral" if c == "n" else "i", named[c], figure(abs(i)), "A"))
        if c == "n":
            continue
        if "p" in chosen:
            told.append(OfPhase("p", named[c], figure(s.real / 1e3), "kW"))
        if "q" in chosen:
            told.append(OfPhase("q", named[c], figure(s.imag / 1e3), "kvar"))
    if "tap" in chosen:
        told += [OfPhase("tap", named[p], signed(t), "tap") for p, t in taps.items()]
    lines = one_under_another(told)
    if "load" in chosen and one.pct is not None:
        carried = [figure(abs(i)) for (k, c), (i, _) in made.currents_of(e).items() if k == 0 and c != "n"]
        alike = len(carried) == 3 and len(set(carried)) == 1  # none of them governs more than the others
        where = f"leg {one.phase}" if one.phase in ("1", "2") else named.get(one.phase, one.phase)
        lines += ((f"{fixed(one.pct, 0)}", "%" if alike else f"% in {where}"),)
    return lines, severity


def _taps(made: ByPhase) -> dict[str, dict[str, int]]:
    found: dict[str, dict[str, int]] = {}
    for r in made.table("regulators").records():
        found.setdefault(made.net.network.id_of_name[r["name"]], {})[r["phase"]] = r["tap"]
    return found


def _loads(made: ByPhase) -> dict[str, list[tuple[str, float]]]:
    found: dict[str, list[tuple[str, float]]] = {}
    for r in made.table("loads").records():
        found.setdefault(made.net.network.id_of_name[r["name"]], []).append((r["between"], r["i_a"]))
    return found
