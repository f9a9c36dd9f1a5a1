"""What a load flow by phase shows to be beyond a limit, in the parts of a network that are not of three phases alike."""

from collections.abc import Iterator

from northfell.core.finding import Finding, severity_of
from northfell.core.model.elements import Bus, Consumer, Inverter, StepRegulator
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed, signed
from northfell.core.rules.by_phase import PHASES, only_by_phase
from northfell.core.studies.load_flow import loading_limits, loading_severity
from northfell.core.studies.phase_flow.bands import Band, band_of
from northfell.core.studies.phase_flow.loops import loops
from northfell.core.studies.phase_flow.places import named
from northfell.core.studies.phase_flow.result import ByPhase
from northfell.core.studies.phase_flow.settings import PhaseFlowSettings
from northfell.core.studies.phase_flow.tree import reaches, regulators_before

STUDY = "phase_flow"
SURPLUS = 1e-6  # beyond a rating, from which it is told
NEAR = 0.75  # of the limit of unbalance, from which it is near


def settings_of(made: ByPhase) -> PhaseFlowSettings:
    """The project's settings."""
    return made.net.network.settings.of(PhaseFlowSettings)


def uneven_buses(made: ByPhase) -> set[str]:
    """Buses of the islands in which something is not of three phases alike: of the others the balanced load flow has the findings."""
    top = made.net.topology
    buses = {b for e, _ in only_by_phase(made.net.taking_part.values()) for b in ((e.id,) if isinstance(e, Bus) else e.buses)}
    islands = {int(top.island_of_node[top.node_of_bus[top.bus_index[b]]]) for b in buses if top.node_of_bus[top.bus_index[b]] >= 0}
    return {b for b, node in zip(top.bus_ids, top.node_of_bus.tolist(), strict=True) if node >= 0 and int(top.island_of_node[node]) in islands}


def judged(made: ByPhase, settings: PhaseFlowSettings, bus: str) -> dict[str, float]:
    """The voltages of a bus that are held against the band [p.u.], by conductor, or pair of them."""
    there = made.voltages(bus)
    to_neutral = {c: one.ln_pu for c, one in there.items() if one.ln_pu is not None}
    between = {_pair(c): one.ll_pu for c, one in there.items() if one.ll_pu is not None}
    if settings.judged == "both":
        return to_neutral | between
    first, other = (to_neutral, between) if settings.judged == "to neutral" else (between, to_neutral)
    return first or other


def _pair(c: str) -> str:
    return c + {"a": "b", "b": "c", "c": "a", "1": "2"}[c]


def is_judged(made: ByPhase, bus: Bus) -> bool:
    """A junction is judged where a consumer stands at it."""
    return bus.bus_kind != "junction" or bus.id in made.with_consumers


def band_at(made: ByPhase, limits: Limits, bus: str) -> Band:
    """The band of a bus."""
    return band_of(settings_of(made), limits, float(made.net.v_nominal_kv[made.net.topology.bus_index[bus]]))


def voltage(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Boards and places of consumers with a phase beyond its band: the worst phase of each."""
    settings, uneven = settings_of(made), uneven_buses(made)
    for e in made.net.elements.values():
        if not isinstance(e, Bus) or e.id not in uneven or not is_judged(made, e):
            continue
        band, found = band_at(made, limits, e.id), judged(made, settings, e.id)
        worst = max(found.items(), key=lambda one: abs(one[1] - 1), default=None)
        if worst is None or not (severity := band.severity(worst[1])):
            continue
        phase, v = worst
        bound = band.limit(v)
        also = ["–".join(settings.named.get(c, c) for c in p) for p, other in found.items() if p != phase and band.severity(other)]
        others = f" So {'is' if len(also) == 1 else 'are'} {', '.join(also)}." if also else ""
        text = f"{title_of(e)}: {_told_place(settings, phase)} stands at {fixed(v, 3)} p.u., {band.class_of(v)} by {band.name}.{others}"
        yield Finding(STUDY, made.net.state, e.id, e.name, severity, text, 100 * abs(v - 1), 100 * abs(bound - 1), "%", check="voltage by phase")


def loading(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Whatever carries more than its rating in a phase, or nearly."""
    settings, uneven = settings_of(made), uneven_buses(made)
    for e in made.net.elements.values():
        if len(e.buses) < 2 or e.buses[0] not in uneven or not made.carries(e):
            continue
        one = made.loading(e)
        severity = loading_severity(limits, e, one.pct)
        if not severity or one.pct is None or one.rating is None:
            continue
        spare = f" It is {fixed(one.emergency_pct, 1)} % of its emergency rating." if one.emergency_pct and one.emergency_rating != one.rating else ""
        text = (
            f"{title_of(e)} carries {fixed(one.pct, 1)} % of {one.rating:g} {one.unit} in {_told_place(settings, one.phase)}: {figure(one.carries)} {one.unit}."
        )
        breach = loading_limits(limits, type(e))[1]
        yield Finding(STUDY, made.net.state, e.id, e.name, severity, text + spare, one.pct, breach, "%", check="loading by phase")


def _told_place(settings: PhaseFlowSettings, phase: str) -> str:
    if "/" in phase:
        return f"unit {phase}"
    if len(phase) == 2:
        return f"{'legs' if phase == '12' else 'phases'} {'–'.join(settings.named.get(c, c) for c in phase)}"
    return settings.named.get(phase, phase) if phase in ("n", "1", "2") else f"phase {settings.named.get(phase, phase)}"


def unbalance(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Three-phase boards and places of consumers whose voltages are not alike."""
    settings, uneven = settings_of(made), uneven_buses(made)
    for e in made.net.elements.values():
        if isinstance(e, Bus) and e.id in uneven and is_judged(made, e):
            pct = made.unbalance_pct(e.id, settings.unbalance)
            severity = None if pct is None else severity_of(pct, NEAR * settings.unbalance_pct, settings.unbalance_pct)
            if severity and pct is not None:
                text = f"{title_of(e)}: unbalance of {fixed(pct, 2)} %, {settings.unbalance}."
                yield Finding(STUDY, made.net.state, e.id, e.name, severity, text, pct, settings.unbalance_pct, "%", check="unbalance")


def not_fed(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Consumers with a part between conductors of which one is dead."""
    for one in made.flow.network.loads:
        dead = [n for n in (one.p, one.q) if n >= 0 and not made.flow.fed[n]]
        e = made.net.elements[one.element]
        if dead and isinstance(e, Consumer) and abs(one.s_va) > 0:
            phase = list(made.gathered.index)[dead[0]][1]
            text = f"{title_of(e)}: phase {settings_of(made).named.get(phase, phase)} is not under voltage; what it draws there is not served."
            yield Finding(STUDY, made.net.state, e.id, e.name, "close", text, help="Close a pole toward a source.", check="phase not fed")


def regulators(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Regulators at the end of their range, that miss what they are to hold."""
    for r in made.table("regulators").records():
        if r["target"] == "missed":
            e = made.net.elements[made.net.network.id_of_name[r["name"]]]
            assert isinstance(e, StepRegulator)
            text = f"{title_of(e)}, phase {settings_of(made).named[r['phase']]}: at tap {signed(r['tap'])} it has {fixed(r['v_relay_v'], 1)} V at its relay."
            help_ = "Change what it holds, or its compensator; or relieve the line before it."
            yield Finding(STUDY, made.net.state, e.id, e.name, "close", text, r["v_relay_v"], r["v_set_v"], "V", help_, "regulator at its end", falls=True)


def converters(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Inverters of which a phase carries more than its rated current: such a one limits it, and gives less than stands here."""
    uneven = uneven_buses(made)
    for e in made.net.taking_part.values():
        if not isinstance(e, Inverter) or not e.s_rated_mva or e.bus not in uneven:
            continue
        found = made.parts_drawn.get(e.id, [])
        parts = [(i, 1e6 * e.s_rated_mva * e.count / len(found) / v) for i, v in found]
        worst = max(((i, rated) for i, rated in parts), key=lambda one: one[0] / one[1], default=(0.0, 1.0))
        pct = 100 * worst[0] / worst[1]
        if pct > 100 * (1 + SURPLUS):
            text = (
                f"{title_of(e)} carries {fixed(pct, 1)} % of its rated current, {figure(worst[1])} A: one that limits its current gives less than it does here."
            )
            help_ = "Lower what it is to give, or hold the voltage at its bus higher."
            yield Finding(STUDY, made.net.state, e.id, e.name, "close", text, pct, 100.0, "%", help_, "converter current")


AGAINST = 2  # steps from which a regulator works against another


def against_each_other(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """A regulator that lowers what one before it raises, or raises what that lowers, in one phase."""
    taps = {(made.net.network.id_of_name[r["name"]], r["phase"]): r["tap"] for r in made.table("regulators").records()}
    words = settings_of(made).named
    for own, earlier in regulators_before(made.net, reaches(made.net)).items():
        for other in earlier:
            pairs = [(p, taps[own, p], taps[other, p]) for p in PHASES if (own, p) in taps and (other, p) in taps]
            worst = max((one for one in pairs if one[1] * one[2] < 0), key=lambda one: min(abs(one[1]), abs(one[2])), default=None)
            if worst is None or min(abs(worst[1]), abs(worst[2])) < AGAINST:
                continue
            p, mine, theirs = worst
            e, before = made.net.elements[own], made.net.elements[other]
            text = f"{title_of(e)} works against {before.name}: in {words[p]} it stands at tap {signed(mine)}, {before.name} before it at {signed(theirs)}."
            help_ = f"Hold the voltage behind {e.name} with what {before.name} holds, by its compensator, and let the other be within its band."
            yield Finding(STUDY, made.net.state, e.id, e.name, "close", text, float(min(abs(mine), abs(theirs))), float(AGAINST), "steps", help_, "against")


def closed_loops(made: ByPhase, limits: Limits) -> Iterator[Finding]:
    """Loops that are closed in a feeder that is to be run open."""
    if settings_of(made).loops == "as built":
        return
    uneven = uneven_buses(made)
    for one in loops(made.net):
        e = made.net.elements[one.elements[0]]
        if e.buses[0] in uneven:
            names = named((made.net.name(i) for i in one.elements), 6)
            which = "" if one.phases == PHASES else f" in {', '.join(settings_of(made).named[p] for p in one.phases)}"
            yield Finding(STUDY, made.net.state, e.id, e.name, "close", f"A loop is closed{which}: {names}.", help="Open one of them, or set closed loops "
                          "as built.", check="loop")  # fmt: skip


CHECKS = (voltage, loading, unbalance, not_fed, regulators, converters, against_each_other, closed_loops)
