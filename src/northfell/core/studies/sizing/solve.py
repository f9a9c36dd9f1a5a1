"""All circuits of a state, sized and held against the code."""

from dataclasses import replace

from northfell.core.errors import CannotRun
from northfell.core.model.elements import Transformer
from northfell.core.network import Compiled
from northfell.core.studies.duty import Duties
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.studies.sizing.circuit import Circuit
from northfell.core.studies.sizing.equipment import bonding_of, equipment_of
from northfell.core.studies.sizing.frame import Code, Decision, Held, Try, decide, entered_try
from northfell.core.studies.sizing.gathering import Gathered, Gathering
from northfell.core.studies.sizing.iec import Iec
from northfell.core.studies.sizing.nec import Nec
from northfell.core.studies.sizing.parts import overload_setting, parts_of, rating
from northfell.core.studies.sizing.result import Sized, Sizing
from northfell.core.studies.sizing.settings import SizingSettings

CODES: dict[str, Code] = {"IEC 60364": Iec(), "NEC 2023": Nec()}
NOT_FOR_BASE = ("drop", "withstand", "start")  # rules for which a larger conductor asks for a larger equipment grounding conductor (250.122(B))


def run(
    net: Compiled, settings: SizingSettings | None = None, flow: LoadFlow | None = None, faults: ShortCircuit | None = None, duties: Duties | None = None
) -> Sizing:
    """Size every cable that the project's code covers, and hold what stands there against the same rules.

    What the load flow or the faults of the state do not give is told, circuit by circuit. Without `duties` nothing is said of what devices
    and boards are rated for in faults.

    Raises
    ------
    CannotRun
        If there is nothing to size.
    """
    settings = settings or net.network.settings.of(SizingSettings)
    state = Gathering(net, settings, flow, faults, duties)
    gathered, equipment = state.all(), tuple(equipment_of(state))
    if not gathered.circuits and not gathered.left and not equipment:
        raise CannotRun("sizing", ["There is nothing to size: no cable, no transformer, no board."])
    code = CODES[settings.code]
    circuits = with_drops(code, gathered)
    made = tuple(_with_way(sized(code, c), gathered) for c in circuits)
    by_id = {s.circuit.element_id: s for s in made}
    whole = tuple(
        replace(e, parts=(*e.parts, *bonding_of(state, t, by_id))) if isinstance(t := net.elements[e.element_id], Transformer) else e for e in equipment
    )
    return Sizing(net, settings, made, gathered.left, gathered.ways, whole)


def _with_way(one: Sized, gathered: Gathered) -> Sized:
    way = gathered.ways[one.circuit.element_id]
    chain = (*way.before, *way.after)
    device = one.circuit.device
    return replace(one, chain=chain, alone_device=device is not None and device.element_id in chain)


def sized(code: Code, circuit: Circuit) -> Sized:
    """One circuit: its device from its load, its conductors by all rules, and what follows from them."""
    by_nec = code.name == "NEC 2023"
    chosen = circuit
    for part in (rating(circuit, by_nec), overload_setting(circuit, by_nec)):
        if part and part.ok is False and isinstance(part.chosen, int | float):
            chosen = replace(chosen, relay_a=float(part.chosen)) if part.quantity == "overload setting" else chosen.set_to(float(part.chosen))
    decision = decide(code, chosen, circuit)
    entered = entered_try(code, circuit)
    line = entered if circuit.kept and entered else _chosen(decision, entered)
    return Sized(
        circuit, decision, entered, line, tuple(parts_of(circuit, chosen, by_nec, line, entered, _base_mm2(decision))), metric=not by_nec, judged=chosen
    )


def _chosen(decision: Decision, entered: Try | None) -> Try | None:
    """What stands there where it keeps all rules, else what they ask for."""
    keeps = entered is not None and not decision.broken and all(a.entered is not None for a in decision.applied if a.acts)
    return entered if keeps and decision.required is not None else decision.required


def _base_mm2(decision: Decision) -> float | None:
    sizes = [a.alone.size.area_mm2 for a in decision.applied if a.alone and a.rule.id.split(".")[1] not in NOT_FOR_BASE]
    return max(sizes, default=None)


def with_drops(code: Code, gathered: Gathered) -> list[Circuit]:
    """The circuits with the voltage drop that the feeders before them leave."""
    feeding = {way.end_bus: i for i, way in gathered.ways.items()}
    by_id = {c.element_id: c for c in gathered.circuits}

    def before(c: Circuit, met: tuple[str, ...] = ()) -> float:
        """Drop from the transformer or the supply to the beginning of a circuit, as it stands."""
        upper = feeding.get(gathered.ways[c.element_id].origin_bus)
        if upper is None or upper not in by_id or upper in met:
            return 0.0
        held = _drop_of(code, by_id[upper])
        return (held.value if held else 0.0) + before(by_id[upper], (*met, upper))

    return [c if c.drop_limit_pct is not None else _with_limit(c, gathered.settings, before(c)) for c in gathered.circuits]


def _with_limit(c: Circuit, settings: SizingSettings, before: float) -> Circuit:
    whole = settings.drop_lighting_pct if c.serves == "lighting" else settings.drop_total_pct
    left, told = max(whole - before, 0.0), f"{whole:g} % in all, less {before:.3g} % before it"
    if settings.code == "NEC 2023" and settings.drop_branch_pct <= left:
        left, told = settings.drop_branch_pct, "study setting, branch circuit"
    return replace(c, drop_limit_pct=left, drop_told=told)


def _drop_of(code: Code, c: Circuit) -> Held | None:
    rule = next((r for r in code.rules(c) if r.id.endswith(".drop")), None)
    entered: Try | None = entered_try(code, c)
    return None if rule is None or entered is None or rule.lacks(c) else rule.hold(c, entered, None)
