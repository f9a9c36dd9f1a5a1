"""What flow by phase knows of one element, as figures that open their working."""

from urllib.parse import urlencode

from northfell.core.model.elements import Bus, Conductor, Element, StepRegulator
from northfell.core.quantities import figure, fixed, signed
from northfell.core.studies.load_flow import loading_severity
from northfell.core.studies.phase_flow import NEXT, PHASE_FLOW, ByPhase, band_at, is_judged, judged, settings_of
from northfell.web.shell.figures import Figure, Section, by_state
from northfell.web.shell.geometry import geometry_section
from northfell.web.shell.stage import Look


def phase_figures(look: Look, e: Element) -> list[Section]:
    """Voltages of a bus, or currents at the terminals of what else it is, by conductor; with the worst of every state."""
    made: ByPhase = look.result(PHASE_FLOW)
    if isinstance(e, Bus):
        return [*_bus(look, made, e), *_in_every_state(look, e)]
    return [*_carried(look, made, e), *_drawn(made, e), *_in_every_state(look, e), *geometry_section(look.network, e)]


def _opens(quantity: str, part: str = "") -> str:
    return urlencode({"study": "phase_flow", "quantity": quantity, "part": part})


def _bus(look: Look, made: ByPhase, e: Bus) -> list[Section]:
    settings, band = settings_of(made), band_at(made, look.network.settings.limits, e.id)
    found, holds = [], judged(made, settings, e.id)
    there = made.voltages(e.id)
    for c in e.conductors:
        one = there.get(c)
        name = settings.named[c]
        if one is None:
            found.append(Figure(f"Voltage, {name}", "–", "", note="not under voltage"))
            continue
        v = one.ln_pu if one.ln_pu is not None else None if one.v is None else abs(one.v) / one.base_v
        severity = band.severity(v) if v is not None and c in holds and is_judged(made, e) else ""
        kv = "" if one.v is None else f"{figure(abs(one.v) / 1000, 4)} kV to earth"
        note = "not determined to earth" if v is None else f"{kv}; p.u. to neutral" if "n" in there and c != "n" else kv
        found.append(Figure(f"Voltage, {name}", "–" if v is None else fixed(v, 4), "p.u.", severity, _opens("v_phase", c), note))
        if one.ll_pu is not None:
            other = settings.named[NEXT[c]]
            strict = band.severity(one.ll_pu) if any(len(p) == 2 and p[0] == c for p in holds) and is_judged(made, e) else ""
            pair = c + NEXT[c]
            found.append(Figure(f"Voltage, {name}–{other}", fixed(one.ll_pu, 4), "p.u.", strict, _opens("v_phase", pair)))
    sequence = made.sequence(e.id)
    if sequence is not None:
        found += [Figure(f"U{k}", fixed(abs(sequence[k]), 4), "p.u.", working=_opens("sequence", str(k))) for k in ((1, 2) if made.floats(e.id) else (1, 2, 0))]
        pct = made.unbalance_pct(e.id, settings.unbalance)
        if pct is not None:
            severity = "breach" if pct > settings.unbalance_pct else ""
            found.append(Figure("Unbalance", fixed(pct, 2), "%", severity, _opens("unbalance"), settings.unbalance))
    return [Section("By phase", found)] if found else []


def _carried(look: Look, made: ByPhase, e: Element) -> list[Section]:
    named, found = settings_of(made).named, list[Figure]()
    if len(e.buses) > 1 and made.carries(e):
        one = made.loading(e)
        if one.pct is not None:
            severity = loading_severity(look.network.settings.limits, e, one.pct)
            where = named.get(one.phase, one.phase)
            note = f"of {one.rating:g} {one.unit}, {one.basis}; {where} governs"
            found.append(Figure("Carries", fixed(one.pct, 1), "%", severity, _opens("loading_phase"), note))
            if one.emergency_rating != one.rating and one.emergency_pct is not None:
                found.append(Figure("of emergency rating", fixed(one.emergency_pct, 1), "%", note=f"{one.emergency_rating:g} {one.unit}"))
    for r in made.table("regulators").records():
        if r["name"] == e.name:
            relay = f"{fixed(r['v_relay_v'], 1)} V at its relay, set {r['v_set_v']:g} V: {r['target']}" if r["v_relay_v"] and r["v_set_v"] else r["control"]
            way = f"; power flows back, {r['regulates']}" if r["power"] == "back" else ""
            severity = "close" if r["target"] == "missed" else ""
            opens = _opens("v_relay", r["phase"]) if r["v_relay_v"] else ""
            found.append(Figure(f"Tap, {named[r['phase']]}", signed(r["tap"]), "", severity, opens, relay + way))
    found += _compensators(e, named)
    currents = made.currents_of(e)
    for (k, c), (i, s) in currents.items():
        if i == i:
            where = f", at {made.net.name(e.buses[k])}" if len(e.buses) > 1 else ""
            note = f"{figure(s.real / 1e3)} kW, {figure(s.imag / 1e3)} kvar"
            found.append(Figure(f"Current, {named[c]}{where}", figure(abs(i)), "A", working=_opens("i_phase", f"{k} {c}"), note=note))
    if isinstance(e, Conductor) and currents:
        first = [i for (k, _), (i, _) in currents.items() if k == 0]
        found.append(Figure("Returns through earth", figure(abs(sum(first))), "A"))
    return [Section("By phase", found)] if found else []


def _compensators(e: Element, named: dict[str, str]) -> list[Figure]:
    """The settings of line-drop compensators as impedances of the line: R + jX in volts, times PT/CT."""
    if not isinstance(e, StepRegulator) or not e.pt_ratio or not e.ct_primary_a:
        return []
    found, per_v = [], e.pt_ratio / e.ct_primary_a
    for u in e.regulator_units:
        for way, r, x in (("", u.drop_r_v, u.drop_x_v), (", power back", u.drop_r_reverse_v, u.drop_x_reverse_v)):
            if r or x:
                note = f"{r:g} + j{x:g} V at {e.ct_primary_a:g} A"
                found.append(Figure(f"Compensator, {named[u.phase]}{way}", f"{figure(r * per_v, 3)} + j{figure(x * per_v, 3)}", "ohm", note=note))
    return found


def _drawn(made: ByPhase, e: Element) -> list[Section]:
    named, found = settings_of(made).named, list[Figure]()
    for r in made.table("loads").records():
        if r["name"] == e.name:
            where = "–".join(named.get(c, c) for c in r["between"])
            found += [Figure(f"Draws, {where}", figure(1000 * r["p_mw"]), "kW", note=f"{figure(1000 * r['q_mvar'])} kvar, {figure(r['i_a'])} A")]
    return [Section("Load by phase", found)] if found else []


def _in_every_state(look: Look, e: Element) -> list[Section]:
    if len(look.network.state_names) < 2:
        return []
    every = look.over(PHASE_FLOW)
    if isinstance(e, Bus):
        lowest, highest = every.values("lowest", e.id), every.values("highest", e.id)
        figures = []
        for state, low in lowest.items():
            high = highest.get(state)
            told = f"{fixed(low, 3)} … {fixed(high, 3)}" if low is not None and high is not None else "–"
            figures.append(Figure(state, told, "p.u."))
        return [Section("Least and most in every state", figures)] if any(v is not None for v in lowest.values()) else []
    limits = look.network.settings.limits
    if len(e.buses) < 2 or not any(v is not None for v in every.values("loading", e.id).values()):
        return []
    return [Section("In every state", by_state(every, "loading", e.id, "%", lambda v: loading_severity(limits, e, v), 1))]
