"""Buses, with the enclosure data of the places where people work."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.elements import by_phase
from northfell.core.model.elements.base import AF, SC, About, Element, Phrase, Reference, peak_ka, short_time_ka, short_time_s

# Declarations read as a table.
# fmt: off

# Names of rows in the catalogue's table; a test holds them equal.
EquipmentClass = Literal[
    "15 kV switchgear",
    "15 kV MCC",
    "5 kV switchgear (small box)",
    "5 kV switchgear (large box)",
    "5 kV MCC",
    "LV switchgear",
    "Shallow LV MCC / panelboard",
    "Deep LV MCC / panelboard",
    "Cable junction box",
]
IN_BOX = When("electrode_configuration", ("VCB", "VCBB", "HCB"))
ENCLOSED = When("electrode_configuration")


class Bus(Element):
    """A bus: switchboard, panel, motor control centre or junction, with enclosure data where work is done on it."""

    TITLE, LETTER = "Bus", "Board "
    ABOUT = About(
        group="Boards", short="Board", variants={"panel": "Panel", "motor_control_centre": "MCC", "junction": "Junction"},
        words={"bus": {}, "board": {}, "switchboard": {}, "panel": {"bus_kind": "panel"},
            "mcc": {"bus_kind": "motor control centre"}, "junction": {"bus_kind": "junction"}},
        example="bus 11 kV “Board A”", typed={"voltage": "v_nominal_kv"}
    )
    kind: Literal["bus"] = "bus"
    v_nominal_kv: float | None = param(
        None, label="Nominal voltage", symbol="Un", unit="kV", gt=0, le=1200, needed_for=(SC, AF),
        meaning="Line-to-line. It is the per-unit base of the bus and enters c·Un. Empty means unknown: load flow then runs in per unit.",
        enters="per-unit base; c·Un/√3 drives a fault; Voc of an arc"
    )
    bus_kind: Literal["switchboard", "panel", "motor control centre", "junction"] = param(
        "switchboard", label="Kind of bus", meaning="A junction is a point where elements meet, without a board of its own.",
        enters="a junction is not judged for voltage; the symbol shows the kind"
    )
    i_rated_a: float | None = param(
        None, label="Rated current of the bars", symbol="Ir", unit="A", gt=0, le=20000, meaning="Empty: the loading of the bars is not judged.",
        enters="loading = I/Ir, I what is brought into the bus"
    )
    rated_by: Literal["IEC", "IEEE low voltage", "IEEE switchgear"] | None = param(
        None, label="Rated by", section="Short-circuit rating",
        meaning="IEC: short-time and peak current. IEEE, low voltage: bracing, rms symmetrical at a test power factor. IEEE switchgear: short-time and crest. "
        "Empty: not assessed.",
        enters="duty: which quantity of the network is held against which rating"
    )
    i_short_time_ka: float | None = short_time_ka("the board")
    t_short_time_s: float = short_time_s()
    i_peak_ka: float | None = peak_ka(
        "Peak current", "Crest that the bars withstand. Empty: not assessed; IEEE: by the standard's factor.", "duty: ip, or the first-cycle crest, against it"
    )
    simultaneity: float = param(
        1.0, label="Simultaneity", symbol="ks", gt=0, le=1, section="Circuit", source="IEC 60364-1, 311; NEC 220",
        meaning="Highest demand of all that the board feeds, over the sum of its demands. 1: all at once.",
        enters="sizing: demand of what feeds the board; not less than the load flow finds"
    )
    conductors: by_phase.Conductors = by_phase.conductors_of_a_bus()
    east_m: float | None = param(
        None, label="Place, east", symbol="x", unit="m", ge=-1e7, le=1e7, section="Place",
        meaning="On a plain grid of metres, such as that of a survey. Empty: it has no place on the geographic sheet.", enters="pictures of feeders"
    )
    north_m: float | None = param(
        None, label="Place, north", symbol="y", unit="m", ge=-1e8, le=1e8, section="Place", meaning="On the same grid.", enters="pictures of feeders"
    )
    watched: bool = param(
        False, label="Watched", section="Identity",
        meaning="Voltage and current here are listed for faults elsewhere.", enters="list of watched buses in Faults"
    )
    area: Phrase = param("", label="Area", section="Identity", meaning="Totals are given for each area.", enters="totals by area")
    equipment_class: EquipmentClass | None = param(
        None, label="Equipment class", section="Enclosure", acts_when=ENCLOSED, typical="equipment_class",
        meaning="Finds typical gap, box and working distance; it does not itself enter the equations.", source="IEEE 1584-2018",
        enters="gap, box and working distance, where they are filled in"
    )
    electrode_configuration: Literal["VCB", "VCBB", "HCB", "VOA", "HOA"] | None = param(
        None, label="Electrode configuration", section="Enclosure", source="IEEE 1584-2018",
        meaning="VCB: vertical conductors in a box. VCBB: vertical, ending on a barrier, in a box. HCB: horizontal in a box, pointing at the "
        "worker. VOA, HOA: vertical or horizontal in open air. Empty: no arc-flash location here.",
        enters="coefficients of arcing current, energy and boundary (IEEE 1584-2018)"
    )
    electrode_configuration_2: Literal["VCB", "VCBB", "HCB"] | None = param(
        None, label="Another configuration", section="Enclosure", source="IEEE 1584-2018", acts_when=IN_BOX,
        meaning="A second one that is found in the same box. Each is computed, and the worst counts.",
        enters="coefficients of arcing current, energy and boundary; the worst of all configurations counts"
    )
    electrode_configuration_3: Literal["VCB", "VCBB", "HCB"] | None = param(
        None, label="A third configuration", section="Enclosure", source="IEEE 1584-2018", acts_when=When("electrode_configuration_2"),
        meaning="A third one that is found in the same box.",
        enters="coefficients of arcing current, energy and boundary; the worst of all configurations counts"
    )
    gap_mm: float | None = param(
        None, label="Conductor gap", symbol="G", unit="mm", gt=0, le=1000, section="Enclosure", needed_for=(AF,), acts_when=ENCLOSED,
        meaning="Distance between the conductors across which the arc burns.", typical="enclosure", source="IEEE 1584-2018",
        enters="G in the arcing-current, energy and boundary equations (IEEE 1584-2018)"
    )
    box_height_mm: float | None = param(
        None, label="Box height", unit="mm", gt=0, le=10000, section="Enclosure", needed_for=(AF,), acts_when=IN_BOX,
        meaning="Opening of the enclosure, height.", typical="enclosure", source="IEEE 1584-2018",
        enters="equivalent enclosure size EES, correction CF (IEEE 1584-2018)"
    )
    box_width_mm: float | None = param(
        None, label="Box width", unit="mm", gt=0, le=10000, section="Enclosure", needed_for=(AF,), acts_when=IN_BOX,
        meaning="Opening of the enclosure, width.", typical="enclosure", source="IEEE 1584-2018",
        enters="equivalent enclosure size EES, correction CF (IEEE 1584-2018)"
    )
    box_depth_mm: float | None = param(
        None, label="Box depth", unit="mm", gt=0, le=10000, section="Enclosure", needed_for=(AF,), acts_when=IN_BOX,
        meaning="Depth of the enclosure; it tells shallow from typical boxes below 600 V.", typical="enclosure", source="IEEE 1584-2018",
        enters="tells shallow from typical boxes; the enclosure correction CF (IEEE 1584-2018)"
    )
    working_distance_mm: float | None = param(
        None, label="Working distance", symbol="D", unit="mm", gt=0, le=10000, section="Enclosure", needed_for=(AF,), acts_when=ENCLOSED,
        meaning="From the arc to the worker's face and chest.", typical="enclosure", source="IEEE 1584-2018",
        enters="D in the energy equation; the boundary does not depend on it (IEEE 1584-2018)"
    )
    main: Reference | None = param(
        None, label="Main device", section="Enclosure", refers_to=("breaker", "fuse"), acts_when=ENCLOSED,
        meaning="The incoming breaker or fuse in the same enclosure. With it, the line side is a location of its own, cleared by the next device "
        "up. Empty: only the load side is assessed."
    )
    main_2: Reference | None = param(
        None, label="Second main device", section="Enclosure", refers_to=("breaker", "fuse"), acts_when=When("main"),
        meaning="Of a board with several incomers: the next one in the same enclosure. Its line side is a location of its own.",
        enters="a location on its line side"
    )
    main_3: Reference | None = param(
        None, label="Third main device", section="Enclosure", refers_to=("breaker", "fuse"), acts_when=When("main_2"),
        meaning="The third incomer in the same enclosure.", enters="a location on its line side"
    )

    @property
    def configurations(self) -> tuple[str, ...]:
        """The electrode configurations that are found in it, each once."""
        boxed = self.electrode_configuration in ("VCB", "VCBB", "HCB")
        second = self.electrode_configuration_2 if boxed else None
        found = self.electrode_configuration, second, self.electrode_configuration_3 if second else None
        return tuple(dict.fromkeys(one for one in found if one))

    def with_configuration(self, one: str) -> "Bus":
        """The same with one of its configurations as the first; empty for as it is."""
        return self if one in ("", self.electrode_configuration) else self.model_copy(update={"electrode_configuration": one})

    @property
    def mains(self) -> dict[str, str]:
        """The incoming devices in its enclosure, by the side that a location on their line side has."""
        sides = ("line", self.main), ("line 2", self.main_2 if self.main else None), ("line 3", self.main_3 if self.main and self.main_2 else None)
        return {side: device for side, device in sides if device}
