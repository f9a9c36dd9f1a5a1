"""What one extends with that has fewer than three phases: which conductors go on, and the units, poles and parts that stand for it."""

import math
from typing import Any, Protocol

from northfell.core.quantities import figure
from northfell.core.shorthand.reading import Said

PHASES = "abc"
ONE_WIRE, ASSUMED_SHIPPED = "Pole with one wire and its neutral", "a shipped pole, to begin with"
USUAL_UNIT = {"s_rated_mva": 0.025, "uk_pct": 2.2, "ur_pct": 1.2}  # of a one-phase distribution transformer
RELAY_V = 120.0


class Told(Protocol):
    """Where it is told what was assumed."""

    assumed: list[str]
    problems: list[str]


class CannotExtend(Exception):
    """What was typed cannot stand there."""


def phases_beyond(said: Said, here: dict[str, Any]) -> str:
    """The conductors that go on: those that were said, else all that the bus here has.

    Raises
    ------
    CannotExtend
        If it has not all of them, or it was not said which.
    """
    has = str(here.get("conductors") or PHASES)
    there = "".join(c for c in has if c in PHASES)
    wanted = said.phases
    if said.phase_count and not wanted:
        if said.phase_count > len(there):
            raise CannotExtend(f"{here['name']} has {_listed(has)} alone.")
        if said.phase_count < len(there):
            raise CannotExtend(f"Say which of {_listed(there)} it has, such as “{said.kind} {said.phase_count}ph {there[: said.phase_count]}”.")
    if said.phase_count and wanted and said.phase_count != len(wanted) and not (said.kind == "transformer" and len(wanted) == 2):
        raise CannotExtend(f"{said.phase_count}ph and {wanted} contradict each other.")
    if any(p not in there for p in wanted):
        raise CannotExtend(f"{here['name']} has {_listed(has)} alone, not {', '.join(p for p in wanted if p not in there)}.")
    return (wanted + ("n" if "n" in has else "")) if wanted else has


def _listed(conductors: str) -> str:
    return ", ".join(conductors)


def one_phase_unit(said: Said, here: dict[str, Any], made: Told) -> dict[str, str]:
    """A transformer of one phase with legs about a centre tap, to the neutral or between two phases; what of it is assumed.

    Raises
    ------
    CannotExtend
        If its voltages are not said, or do not belong to the bus.
    """
    high, low = said.values.pop("v_hv_kv", None), said.values.pop("v_lv_kv", None)
    if high is None or low is None:
        raise CannotExtend("A transformer of one phase needs the voltages of its windings, such as “tx 1ph 7.2/0.24 25 kVA”.")
    there = "".join(c for c in str(here.get("conductors") or PHASES) if c in PHASES)
    phases = said.phases or there
    kv = here["v_nominal_kv"]
    if kv is not None and abs(high / (kv if len(phases) == 2 else kv / math.sqrt(3)) - 1) > 0.3:
        across = "between two phases" if len(phases) == 2 else "from a phase to the neutral"
        raise CannotExtend(f"{high:g} kV does not belong {across} at {here['name']} of {kv:g} kV.")
    unit: dict[str, Any] = {"high": phases, "low": "1n2", "v_high_kv": high, "v_low_kv": low}
    for name, told in (("s_rated_mva", "rated power"), ("uk_pct", "impedance voltage"), ("ur_pct", "resistive part")):
        typed = said.values.pop(name, None)
        unit[name] = USUAL_UNIT[name] if typed is None else typed
        if typed is None:
            made.assumed.append(f"{told} of the unit {USUAL_UNIT[name]:g}~ {'MVA' if name == 's_rated_mva' else '%'}")
    made.assumed.append(f"centre tap~, earthed~: {figure(500 * low)} V a leg")
    said.values |= {"bank_units": [unit], "neutral_lv": "solid"}
    return {"bank_units": "a centre tap, and what of the unit was not said, as usual", "neutral_lv": "usual of a centre tap"}


def regulator_of(said: Said, here: dict[str, Any], made: Told) -> dict[str, str]:
    """A unit in every phase that goes on, holding the nominal voltage; what of it is assumed."""
    phases = said.phases or "".join(c for c in str(here.get("conductors") or PHASES) if c in PHASES)
    kv = here["v_nominal_kv"]
    said.values["regulator_units"] = [{"phase": p, "v_set_v": RELAY_V} for p in phases]
    if kv is None:
        return {}
    said.values |= {"control": "each phase", "pt_ratio": round(1000 * kv / math.sqrt(3) / RELAY_V, 2)}
    made.assumed.append(f"regulator holds {RELAY_V:g}~ V at its relay, voltage transformer {said.values['pt_ratio']:g}~")
    return dict.fromkeys(("regulator_units", "pt_ratio"), f"nominal voltage at a relay of {RELAY_V:g} V")


def pole_of(said: Said, conductors: str, made: Told) -> dict[str, str]:
    """An overhead line of one phase takes its impedance from a shipped pole, where no size was said; what of it is assumed."""
    if len([c for c in conductors if c in PHASES]) != 1 or "n" in conductors or "area_mm2" in said.values:
        return {}
    said.values["geometry"] = ONE_WIRE
    made.assumed.append(f"impedance from “{ONE_WIRE}”~")
    return {"geometry": ASSUMED_SHIPPED}


def in_parts(said: Said, raw: dict[str, Any], here: dict[str, Any], made: Told) -> dict[str, Any]:
    """A load or capacitor with its power where it was said to be, or between the legs behind a centre tap."""
    has = str(here.get("conductors") or PHASES)
    where = said.phases or ("12" if has.startswith("1") else "")
    if not said.phases and said.phase_count == 1 and len([c for c in has if c in PHASES]) == 1:
        return raw
    if not where and said.phase_count in (1, 2):
        raise CannotExtend(f"Say which of {_listed(has)} it has, such as “{said.kind} {said.phase_count}ph {has[: said.phase_count]}”.")
    if not where or where == PHASES:
        return raw
    if any(p not in has for p in where):
        raise CannotExtend(f"{here['name']} has {_listed(has)} alone.")
    between = {"ac": "ca"}.get(where, where)
    if where == "12" and not said.phases:
        made.assumed.append(f"{raw['name']} between both legs~")
    if raw["kind"] == "capacitor_bank":
        return {**raw, "step_by_phase": [{"between": between, "q_mvar": raw.get("q_step_mvar") or 0.0}]}
    p, q = raw.pop("p_mw", None) or 0.0, raw.pop("q_mvar", None) or 0.0
    raw["assumed"] = {k: v for k, v in raw.get("assumed", {}).items() if k not in ("p_mw", "q_mvar")}
    return {**raw, "by_phase": [{"between": between, "p_mw": p, "q_mvar": q}]}
