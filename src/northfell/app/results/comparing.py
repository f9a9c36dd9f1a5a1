"""The network beside proposals: what each finding becomes, and the key results of each state."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from northfell.app.results import gathering
from northfell.app.results.findings import Gathered, gathered
from northfell.app.results.studies import Results, Told
from northfell.core.finding import ORDER, Finding
from northfell.core.model.elements import Bus
from northfell.core.quantities import figure, fixed
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.load_flow import LOAD_FLOW, LoadFlow

NETWORK = "Network"  # the column of the network as it stands


@dataclass(frozen=True)
class FindingRow:
    """One finding in every variant; None where it does not stand there."""

    any: Finding
    cells: Mapping[str, Gathered | None]

    def became(self, variant: str) -> str:
        """What a variant makes of it, against the network: cured, better, worse, the same, or new."""
        before, after = self.cells[NETWORK], self.cells[variant]
        if before is None or after is None:
            return "new" if before is None and after is not None else "cured" if before is not None else ""
        ranks = [(ORDER[g.worst.severity], -g.worst.beyond) for g in (before, after)]
        same = ranks[0][0] == ranks[1][0] and math.isclose(ranks[0][1], ranks[1][1], rel_tol=1e-3, abs_tol=1e-6)
        return "same" if same else "better" if ranks[1] > ranks[0] else "worse"


@dataclass(frozen=True)
class Key:
    """Key results of one state of a variant."""

    problem: str = ""
    breaches: int = 0
    close: int = 0
    loading_pct: float | None = None
    loaded: str = ""
    v_lowest_pu: float | None = None
    lowest: str = ""
    losses_mw: float | None = None
    infeed_mw: float | None = None
    infeed_mvar: float | None = None
    energy_cal_cm2: float | None = None
    energy_at: str = ""
    watched: Mapping[str, str] = field(default_factory=dict)  # element -> its loading or voltage, as it is written


@dataclass(frozen=True)
class Comparison:
    """What proposals make of the findings and key results, beside the network itself."""

    variants: tuple[str, ...]  # the network first
    findings: tuple[FindingRow, ...]
    keys: Mapping[str, Mapping[str, Key]]  # state -> variant

    @property
    def changed(self) -> list[FindingRow]:
        """Findings that some variant makes other than they are."""
        return [row for row in self.findings if any(row.became(v) != "same" for v in self.variants[1:])]

    @property
    def same(self) -> list[FindingRow]:
        return [row for row in self.findings if row not in self.changed]


def compare(variants: Mapping[str, Results], told: Told | None = None, watch: Sequence[str] = ()) -> Comparison:
    """Findings, key results, and those of chosen elements, of the network and of proposals, state by state."""
    found = {}
    for n, (name, results) in enumerate(variants.items()):
        if told:
            told(n, len(variants), f"findings of {name}")
        found[name] = {g.worst.key: g for g in gathered(results.network, gathering.findings(results, told or (lambda *_: None)))}
    rows = []
    for key in dict.fromkeys(key for one in found.values() for key in one):
        cells = {name: one.get(key) for name, one in found.items()}
        rows.append(FindingRow(next(g.worst for g in cells.values() if g is not None), cells))
    rows.sort(key=lambda row: (min(ORDER[g.worst.severity] for g in row.cells.values() if g), -max(g.worst.beyond for g in row.cells.values() if g)))
    states = dict.fromkeys(state for results in variants.values() for state in results.network.state_names)
    keys = {state: {name: _key(results, state, watch) for name, results in variants.items()} for state in states}
    return Comparison(tuple(variants), tuple(rows), keys)


def _key(results: Results, state: str, watch: Sequence[str]) -> Key:
    if state not in results.network.state_names:
        return Key(problem="there is no such state")
    flow = results.at(state).outcome(LOAD_FLOW.key)
    here = [f for f in results.findings() if f.state == state]
    counted = {severity: sum(f.severity == severity for f in here) for severity in ("breach", "close")}
    if not isinstance(flow, LoadFlow):
        return Key(problem=str(flow).splitlines()[0], breaches=counted["breach"], close=counted["close"])
    most = flow.most_loaded()
    pct, loaded = (flow.loading(most).pct, most.name) if most else (None, "")
    v = np.where(flow.junctions, np.nan, np.abs(flow.v))
    low = int(np.nanargmin(v)) if np.isfinite(v).any() else -1
    infeed = complex(np.nansum(flow.s_infeed)) * flow.net.s_base_mva
    energy, at = _energy(results, state)
    return Key(
        breaches=counted["breach"], close=counted["close"], loading_pct=pct, loaded=loaded, v_lowest_pu=float(v[low]) if low >= 0 else None,
        lowest=flow.net.name(flow.net.topology.bus_ids[low]) if low >= 0 else "", losses_mw=flow.totals["losses_mw"], infeed_mw=infeed.real,
        infeed_mvar=infeed.imag, energy_cal_cm2=energy, energy_at=at, watched={i: _watched(flow, i) for i in watch},
    )  # fmt: skip


def _watched(flow: LoadFlow, element_id: str) -> str:
    """What a chosen element carries of its rating, or at what voltage it stands."""
    e = flow.net.elements.get(element_id)
    if e is None:
        return "not there"
    if isinstance(e, Bus):
        v = abs(flow.voltage(e.id))
        return f"{fixed(v, 4)} p.u." if math.isfinite(v) else "not fed"
    one = flow.loading(e)
    if one.pct is not None:
        return f"{fixed(one.pct, 1)} %"
    power = flow.terminal_power.get(e.id)
    return f"{figure(abs(power[0]))} MVA" if power and math.isfinite(power[0].real) else "carries nothing"


def _energy(results: Results, state: str) -> tuple[float | None, str]:
    arc = results.at(state).had(ARC_FLASH)
    if arc is None:
        return None, ""
    worst = [(one.worst.energy_cal_cm2, arc.bus(one).name) for one in arc.locations if one.worst and math.isfinite(one.worst.energy_cal_cm2)]
    return max(worst, default=(None, ""))
