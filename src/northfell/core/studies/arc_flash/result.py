"""What an arc-flash study found, by location, and the tables. Energies are kept in J/cm² and shown in cal/cm²."""

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from northfell.core.catalogue.tables import UNVERIFIED_ELECTRODES
from northfell.core.errors import Message
from northfell.core.model.elements import Bus
from northfell.core.network import Compiled
from northfell.core.studies.arc_flash.by_voltage import by_lee, method_at
from northfell.core.studies.arc_flash.equations import CAL
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.protection import Interval, Through
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.tables import Cell, Table, build

if TYPE_CHECKING:
    from northfell.core.studies.arc_flash.by_phase import PhaseCurrents


@dataclass(frozen=True)
class Variant:
    """Energy with full or reduced arcing current, in the maximum or the minimum case."""

    case: str
    variant: str
    i_bolted_ka: float
    i_arc_ka: float
    factor: float  # of the full arcing current
    opens_at_s: float  # when the last source is cut off; infinite for never
    arc_time_s: float  # after the two-second rule
    device: str | None  # id of the switch that decides
    stage: str
    fast: bool  # that stage acts without waiting for others
    i_device_ka: float
    energy_j_cm2: float
    boundary_mm: float
    by_first_s: float | None = None  # with what motors bring it would be cut off then: sooner than it is counted
    falls: bool = False  # it opens later than by the first current, since those of generators fall; the energy is at its most by then
    followed: "Followed | None" = None  # where ways to the sources open one after the other, and what is left makes it worse than the first current does

    @property
    def counts_s(self) -> float:
        """How long the first arcing current gives the same energy: as long as the arc lasts, unless it grew less meanwhile."""
        return self.followed.counts_s if self.followed else self.arc_time_s

    @property
    def energy_cal_cm2(self) -> float:
        return self.energy_j_cm2 / CAL


@dataclass(frozen=True)
class Followed:
    """An arc whose ways to the sources open one after the other, interval by interval."""

    intervals: tuple[Interval, ...]  # up to the end of the exposure
    counts_s: float
    by_the_first_s: float  # when the last source would be cut off if every device kept the current that it sees first
    energies_j_cm2: tuple[float, ...]  # of each interval; nan where the arc has no end
    falls: bool = False  # the currents of generators are followed as they fall


@dataclass(frozen=True)
class DeviceTime:
    """When one device opens for the arc at a location."""

    case: str
    variant: str
    device: str
    i_device_ka: float
    opens_at_s: float
    stage: str
    fast: bool
    bolted_ka: float  # through it, of a bolted fault, with all that flows at first
    among: tuple[Through, tuple[int, ...]] | None = None  # by what it opens, where the currents stay as they are: of many faults, and which of them

    @property
    def sees(self) -> Through | None:
        """What it sees of the arc, by which it opens."""
        return self.among[0].at(self.among[1]) if self.among else None


@dataclass(frozen=True)
class Location:
    """One place of work. The first variant governs; there is none where the place is not fed or outside the method's range."""

    bus_id: str
    faulted: int  # bus index of the electrical fault
    side: str
    fed: bool
    variants: tuple[Variant, ...]
    devices: tuple[DeviceTime, ...]
    warnings: tuple[Message, ...]
    waits: tuple[str, ...] = ()  # why a place that is fed has no result yet
    configuration: str = ""  # of the electrodes, that governs
    fault: str = ""  # by phase, that governs, where the place is not of three phases alike or stands behind what is not
    others: tuple["Location", ...] = ()  # the same place with the other configurations that are found there

    @property
    def worst(self) -> Variant | None:
        return self.variants[0] if self.variants else None

    @property
    def boundary_mm(self) -> float:
        """The largest boundary of all variants and configurations: it need not belong to the largest energy."""
        return max(v.boundary_mm for one in (self, *self.others) for v in one.variants)

    @property
    def fault_told(self) -> str:
        """Of which bolted fault the arc is taken."""
        return self.fault or "three-phase"

    def of_configuration(self, configuration: str) -> "Location":
        """The same with another of its configurations; itself where there is none."""
        return next((one for one in self.others if one.configuration == configuration), self)

    def variant(self, case: str, variant: str) -> Variant:
        return next(v for v in self.variants if (v.case, v.variant) == (case, variant))


@dataclass(frozen=True)
class ArcFlash:
    """Arc flash at all locations of one state."""

    net: Compiled
    settings: ArcFlashSettings
    faults: ShortCircuit
    bare: ShortCircuit | None  # without motors; none where there is none
    locations: tuple[Location, ...]
    phases: "PhaseCurrents | None" = None  # of what the faults of three phases leave out; none where that is nothing

    def location(self, bus_id: str, side: str) -> Location | None:
        return next((one for one in self.locations if (one.bus_id, one.side) == (bus_id, side)), None)

    def bus(self, location: Location) -> Bus:
        """The board, with the electrodes that govern."""
        bus = self.net.elements[location.bus_id]
        assert isinstance(bus, Bus)
        return bus.with_configuration(location.configuration)

    @property
    def messages(self) -> tuple[str, ...]:
        """Places without a result, each with its first reason."""
        return tuple(f"{self.bus(one).name}, {one.side} side: {one.warnings[0]}" for one in self.locations if one.waits)

    @property
    def summary(self) -> dict[str, float | int | str | None]:
        computed = [one for one in self.locations if one.worst]
        highest = max(computed, key=lambda one: one.worst.energy_j_cm2 if one.worst else 0.0, default=None)
        return {
            "locations": len(self.locations),
            "not_fed": sum(not one.fed for one in self.locations),
            "waiting": sum(bool(one.waits) for one in self.locations),
            "highest_energy_cal_cm2": finite(highest.worst.energy_cal_cm2) if highest and highest.worst else None,
            "highest_at": self.net.name(highest.bus_id) if highest else None,
            "two_second_rule": str(self.settings.two_second_rule).lower(),
        }

    def tables(self) -> list[Table]:
        return [self.locations_table(), self.devices_table(), self.variants_table(), self.timeline_table()]

    def timeline_table(self) -> Table:
        """What flows and what opens until the arc is out, of the case that governs: a row for each interval."""
        rows: list[tuple[Cell, ...]] = []
        for one in self.locations:
            spans = timeline(one)
            for k, i in enumerate(spans, 1):
                last = "longest exposure" if math.isfinite(i.to_s) else "never"
                ends = ", ".join(self.net.name(d) for d in i.opens) or (last if k == len(spans) else "currents have fallen")
                figures = i.i_bolted_ka, i.i_arc_ka, finite(i.energy_j_cm2 / CAL)
                rows.append((self.net.state, self.bus(one).name, one.side, k, i.from_s, finite(i.to_s), *figures, ends))
        columns = (
            ("state", "", "State"), ("bus", "", "Location"), ("side", "", "Side"), ("interval", "", "Interval"), ("from_s", "s", "From"), ("to_s", "s", "To"),
            ("i_bolted_ka", "kA", "Bolted"), ("i_arc_ka", "kA", "Arcing"), ("energy_cal_cm2", "cal/cm²", "Energy"), ("ends", "", "Ends by"),
        )  # fmt: skip
        return build("timeline", columns, rows)

    def locations_table(self) -> Table:
        """A row for each location and side; a place that is not fed has empty figures."""
        rows: list[tuple[Cell, ...]] = []
        for one in self.locations:
            bus, worst = self.bus(one), one.worst
            head = (self.net.state, bus.name, one.side, method_at(bus.v_nominal_kv or math.nan), bus.electrode_configuration, bus.gap_mm)
            if worst is None:
                rows.append((*head, *[None] * 14, bus.working_distance_mm, "; ".join(one.warnings) or "not fed", one.fed, None, None))
                continue
            full, reduced = one.variant(worst.case, "full"), one.variant(worst.case, "reduced")
            rows.append((
                *head, worst.i_bolted_ka, full.i_arc_ka, reduced.i_arc_ka, self.net.name(worst.device) if worst.device else None, finite(worst.i_device_ka),
                finite(worst.opens_at_s), finite(worst.energy_cal_cm2), finite(full.energy_cal_cm2), finite(reduced.energy_cal_cm2), worst.variant,
                finite(one.boundary_mm), worst.case, finite(worst.arc_time_s), worst.stage, bus.working_distance_mm, "; ".join(one.warnings), one.fed,
                "theoretical" if by_lee(bus.v_nominal_kv or math.nan) else coefficients_status(bus.electrode_configuration or ""), one.fault_told,
            ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("bus", "", "Location"), ("side", "", "Side"), ("method", "", "Method"), ("configuration", "", "Electrodes"),
            ("gap_mm", "mm", "Gap"), ("i_bolted_ka", "kA", "Bolted"), ("i_arc_ka", "kA", "Arcing"), ("i_arc_reduced_ka", "kA", "Reduced"),
            ("device", "", "Cleared by"), ("i_device_ka", "kA", "Through it"), ("clearing_time_s", "s", "Opens at"), ("energy_cal_cm2", "cal/cm²", "Energy"),
            ("energy_full_cal_cm2", "cal/cm²", "Full"), ("energy_reduced_cal_cm2", "cal/cm²", "Reduced"), ("governs", "", "Governs"),
            ("boundary_mm", "mm", "Boundary"), ("case", "", "Case"), ("arc_time_s", "s", "Arc lasts"), ("stage", "", "Stage"),
            ("working_distance_mm", "mm", "Distance"), ("warnings", "", "Warnings"), ("energised", "", "Fed"), ("coefficients", "", "Coefficients"),
            ("fault", "", "Fault"),
        )  # fmt: skip
        return build("locations", columns, rows)

    def devices_table(self) -> Table:
        rows: list[tuple[Cell, ...]] = []
        for one in self.locations:
            for d in one.devices:
                name = self.net.name(d.device)
                rows.append((self.net.state, self.bus(one).name, one.side, d.variant, name, d.i_device_ka, finite(d.opens_at_s), d.case, d.stage))
        columns = (
            ("state", "", "State"), ("bus", "", "Location"), ("side", "", "Side"), ("variant", "", "Current"), ("device", "", "Device"),
            ("i_device_ka", "kA", "Through it"), ("opens_at_s", "s", "Opens at"), ("case", "", "Case"), ("stage", "", "Stage"),
        )  # fmt: skip
        return build("devices", columns, rows)

    def variants_table(self) -> Table:
        rows: list[tuple[Cell, ...]] = []
        for one in (found for place in self.locations for found in (place, *place.others)):
            for v in one.variants:
                rows.append((
                    self.net.state, self.bus(one).name, one.side, v.case, v.variant, v.i_bolted_ka, v.i_arc_ka, self.net.name(v.device) if v.device else None,
                    finite(v.i_device_ka), finite(v.opens_at_s), finite(v.arc_time_s), finite(v.energy_cal_cm2), finite(v.boundary_mm),
                    self.bus(one).electrode_configuration, one.fault_told,
                ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("bus", "", "Location"), ("side", "", "Side"), ("case", "", "Case"), ("variant", "", "Current"),
            ("i_bolted_ka", "kA", "Bolted"), ("i_arc_ka", "kA", "Arcing"), ("device", "", "Cleared by"), ("i_device_ka", "kA", "Through it"),
            ("opens_at_s", "s", "Opens at"), ("arc_time_s", "s", "Arc lasts"), ("energy_cal_cm2", "cal/cm²", "Energy"), ("boundary_mm", "mm", "Boundary"),
            ("configuration", "", "Electrodes"), ("fault", "", "Fault"),
        )  # fmt: skip
        return build("variants", columns, rows)


@dataclass(frozen=True)
class Span:
    """A part of an arc in which nothing changes, up to an opening or the end of the exposure."""

    from_s: float
    to_s: float
    i_bolted_ka: float
    i_arc_ka: float
    energy_j_cm2: float
    opens: tuple[str, ...]  # ids, at its end; empty where the exposure ends, or currents have fallen


def timeline(location: Location) -> list[Span]:
    """The arc of the governing case, from opening to opening; empty where there is no result."""
    w = location.worst
    if w is None:
        return []
    opening = {d.device: d.opens_at_s for d in location.devices if (d.case, d.variant) == (w.case, w.variant)}
    if w.followed is None:
        cut_off = w.opens_at_s <= w.arc_time_s and w.device is not None
        return [Span(0.0, w.arc_time_s, w.i_bolted_ka, w.i_arc_ka, w.energy_j_cm2, (w.device,) if cut_off and w.device else ())]
    return [
        Span(i.from_s, i.to_s, i.i_bolted_ka, i.i_fault_ka, e, tuple(d for d, t in opening.items() if math.isclose(t, i.to_s, rel_tol=1e-9)))
        for i, e in zip(w.followed.intervals, w.followed.energies_j_cm2, strict=True)
    ]


def coefficients_status(configuration: str) -> str:
    """How far the standard's coefficients of a configuration were checked here."""
    return "consistent, not verified by a published example" if configuration in UNVERIFIED_ELECTRODES else "verified by the published examples"


def finite(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def place_key(bus_id: str, side: str) -> str:
    """By what a location is called where states are compared."""
    return f"{bus_id} {side}"
