"""Arc-flash labels: for each location the worst of all operating states, with the state that governs named."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from northfell.app.results.studies import Results
from northfell.core.catalogue.tables import glove_class, shock_boundary
from northfell.core.errors import CannotRun, Message, code_of
from northfell.core.model.elements import Bus
from northfell.core.model.network import Network
from northfell.core.rules.completeness import assumed_count
from northfell.core.studies.arc_flash import ARC_FLASH, ArcFlash, Location, method_at
from northfell.core.studies.arc_flash.by_voltage import BEYOND, METHOD
from northfell.core.studies.arc_flash.result import coefficients_status
from northfell.core.studies.arc_flash.telling import CONSTANT, EXPOSURE, GOES_ON, ON_THE_LABEL, ONE_PHASE, SUMMED
from northfell.documents.labels import FORM, Label, changes_since, said_by, unprintable_in
from northfell.store.printed import Printed


@dataclass(frozen=True)
class LabelJob:
    """The labels that can be printed, and the locations that cannot, each with why."""

    labels: tuple[Label, ...]
    left_out: tuple[str, ...]


def labels_of(network: Network, results: Results | None = None, only: tuple[str, str] | None = None, made_on: date | None = None) -> LabelJob:
    """Labels of all locations (or of one bus id and side), in the order of the network.

    A label stands for all states: where one of them gives no result for a location that is fed, there is none.

    Raises
    ------
    CannotRun
        If arc flash cannot run in some state, or a location that was asked for has no label.
    """
    results = results or Results(network)
    studies = {state: results.at(state).result(ARC_FLASH) for state in network.state_names}
    made_on = made_on or date.today()
    # a board that is out of service in one state is a location in another
    located = {(one.bus_id, one.side): one for study in studies.values() for one in study.locations}
    order = {bus_id: i for i, bus_id in enumerate(network.elements)}
    labels, left_out = [], []
    for key in [only] if only else sorted(located, key=lambda k: (order[k[0]], k[1] != "load", k[1])):
        label = _label(network, studies, key, made_on)
        if isinstance(label, Label):
            labels.append(label)
        elif label:
            left_out.append(f"{network.element(key[0]).name}, {key[1]} side: {label}")
        elif only is not None:
            told = f"{network.element(key[0]).name}, {key[1]} side: there is no energy to print. It is not fed in any state."
            raise CannotRun("arc_flash", [told])
    if only is not None and left_out:
        raise CannotRun("arc_flash", left_out)
    return LabelJob(tuple(labels), tuple(left_out))


def governing(studies: dict[str, ArcFlash], bus_id: str, side: str) -> tuple[str, Location] | None:
    """The state whose energy at a location is highest, with its location; None where no state gives one."""
    found = [(state, one) for state, study in studies.items() if (one := study.location(bus_id, side)) and one.worst]
    return max(found, key=lambda f: f[1].worst.energy_j_cm2 if f[1].worst else 0.0, default=None)


def _label(network: Network, studies: dict[str, ArcFlash], key: tuple[str, str], made_on: date) -> Label | str:
    """The label of a location, or why there is none; empty where it is fed in no state."""
    for state, study in studies.items():
        one = study.location(*key)
        if one is not None and one.fed and one.worst is None:
            return f"there is no energy to print in {state}: {'; '.join(one.warnings)}"
    found = governing(studies, *key)
    if found is None:
        return ""
    state, location = found
    study, worst = studies[state], location.worst
    assert worst is not None
    bus = study.bus(location)
    boundary = max(one.boundary_mm for s in studies.values() if (one := s.location(*key)) and one.worst)
    if not math.isfinite(worst.energy_j_cm2) or not math.isfinite(boundary):
        return "the arc is never cut off, so there is no energy to print. See its warnings."
    v_kv = bus.v_nominal_kv or math.nan
    shock = shock_boundary(v_kv)
    limits = network.settings.limits
    told = dict.fromkeys(_brief(w, s) for s in studies.values() if (one := s.location(*key)) for w in one.warnings if code_of(w) in ON_THE_LABEL or w.grave)
    notes = [f"settings {study.net.network.settings.set_name}"]
    notes += [f"rests on {n} assumed values" for n in [assumed_count(study.net.elements, "arc_flash")] if n]
    if method_at(v_kv) == METHOD and "not verified" in coefficients_status(bus.electrode_configuration or ""):
        notes.append(f"coefficients for {bus.electrode_configuration} not verified by a published example")
    notes += [f"worst of {', '.join(sorted(one.configuration for one in (location, *location.others)))}"] if location.others else []
    label = Label(
        equipment=bus.name,
        side=key[1],
        network=network.name,
        danger=worst.energy_cal_cm2 > limits.energy_breach_cal_cm2,
        site_limit_cal_cm2=limits.energy_breach_cal_cm2,
        energy_cal_cm2=worst.energy_cal_cm2,
        energy_unit=network.settings.energy_unit,
        working_distance_mm=bus.working_distance_mm or math.nan,
        boundary_mm=boundary,
        v_kv=v_kv,
        limited_m=shock.limited_fixed_m if shock else None,
        restricted_m=shock.restricted_m if shock else None,
        glove_class=glove_class(v_kv),
        state=state,
        several_states=len(studies) > 1,
        method=method_at(v_kv),
        notes=tuple(notes),
        side_told=_side_told(study, bus, key[1]),
        warnings=tuple(told),
        made_on=made_on,
        ibf_ka=worst.i_bolted_ka,
        i_arc_ka=worst.i_arc_ka,
        cleared_by=study.net.name(worst.device) if worst.device else "",
        exposure_s=worst.arc_time_s,
        configuration=bus.electrode_configuration or "",
        gap_mm=bus.gap_mm or math.nan,
    )
    refused = unprintable_in(label)
    return str(refused[0].at("")) if refused else label


def _brief(warning: Message, study: ArcFlash) -> str:
    """A warning in as few words as a label has room for."""
    brief = {
        EXPOSURE: f"cleared later than {study.settings.max_exposure_s:g} s, which is taken as the exposure",
        CONSTANT: "generator current taken as constant",
        ONE_PHASE: "not three-phase: by the model for three phases, outside the standard",
        GOES_ON: "inverters may go on for a while: not counted",
        SUMMED: "energy summed over the intervals in which sources open",
        BEYOND: "above the range of IEEE 1584-2018, theoretical",
    }
    return brief.get(code_of(warning), str(warning))


def _side_told(study: ArcFlash, bus: Bus, side: str) -> str:
    """Which side of which main a location is, in words; empty where no main is named."""
    if not bus.mains:
        return ""
    if len(bus.mains) == 1:
        return f"{side} side of the main"
    return "load side of the mains" if side == "load" else f"line side of {study.net.name(bus.mains[side])}"


@dataclass(frozen=True)
class Standing:
    """How a label stands to the one that was printed last for its place."""

    label: Label
    bus: str
    printed: Printed | None
    changed: tuple[str, ...]

    @property
    def key(self) -> str:
        return f"{self.bus}\n{self.label.side}"

    @property
    def due(self) -> bool:
        """Whether it needs printing: never printed, or with other figures."""
        return self.printed is None or bool(self.changed)


def standing(network: Network, job: LabelJob, printed: Mapping[tuple[str, str], Printed]) -> list[Standing]:
    """All labels of a job beside those that were printed; those that need printing first."""
    made = []
    for label in job.labels:
        bus = network.id_of_name[label.equipment]
        last = printed.get((bus, label.side))
        made.append(Standing(label, bus, last, tuple(changes_since(last.said, said_by(label, last.said.get(FORM, "field")))) if last else ()))
    return sorted(made, key=lambda one: not one.due)
