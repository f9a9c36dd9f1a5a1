"""What a project sets for coordination. Each default stands beside its reason."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off

IEEE_242 = "IEEE 242, Table 15-3"


class CoordinationSettings(StudySettings):
    """Settings of the coordination study."""

    STUDY, LABEL = "coordination", "Coordination"

    fault: Literal["3ph", "ll", "lg", "all"] = param(
        "all", label="Faults compared", section="Coordination",
        meaning="For which faults devices are compared: three-phase, line to line, line to earth, or all of them. Each with its highest and its least current."
    )
    interval_static_s: float = param(
        0.12, label="Interval below a static relay", unit="s", ge=0, le=2, section="Coordination", source=IEEE_242,
        meaning="From the end of clearing below to the earliest order of the relay above. 0.12 s: tolerance and setting error of tested relays; with a "
        "breaker of 0.08 s below it is the 0.20 s from curve to curve.",
        enters="required gap of a pair whose upper device is a static relay"
    )
    interval_disk_s: float = param(
        0.22, label="Interval below an electromechanical relay", unit="s", ge=0, le=2, section="Coordination", source=IEEE_242,
        meaning="The same with 0.10 s for the disk that runs on.", enters="required gap of a pair whose upper device is an electromechanical relay"
    )
    untested_s: float = param(
        0.0, label="More for relays not tested", unit="s", ge=0, le=1, section="Coordination", source=IEEE_242,
        meaning="0.05 s where relays are not tested in the field.", enters="added to the intervals below relays"
    )
    fuse_share_pct: float = param(
        75.0, label="Fuse below a fuse", unit="%", gt=10, le=100, section="Coordination", source="IEEE 242; IEEE C37.48",
        meaning="Greatest total clearing time of the lower fuse, of the least melting time of the upper one.", enters="required gap between two fuses"
    )
    in_series: Literal["held", "not required"] = param(
        "held", label="Pairs in series", section="Coordination",
        meaning="Two devices with nothing else fed between them: whichever opens, the same loses its supply. Held to the interval like all others, or not."
    )
    near_s: float = param(
        0.03, label="Gap, close", unit="s", ge=0, le=1, section="Coordination", meaning="A gap that is larger than required by less than this is told as close."
    )
    sensitivity: float = param(
        1.5, label="Least fault over pickup", unit="p.u.", ge=1, le=10, section="Coordination",
        source="usual practice (unverified)",
        meaning="A device should see the least fault of what it protects with at least this multiple of its pickup; below 1 it does not see it."
    )
    carried: float = param(
        1.05, label="Pickup over load", unit="p.u.", ge=1, le=3, section="Coordination", source="usual practice (unverified)",
        meaning="A device should pick up at no less than this multiple of the current that it carries; below 1 it opens under load."
    )
    inrush_multiple: float = param(
        12.0, label="Inrush", unit="p.u.", ge=1, le=30, section="Coordination", source="usual practice (unverified)",
        meaning="Current of a transformer that is switched on, of its rated current: 12 for 0.1 s is usual, 8 for large ones.",
        enters="no device may open within the time of the inrush"
    )
    inrush_s: float = param(0.1, label="Inrush lasts", unit="s", gt=0, le=2, section="Coordination", meaning="Time of the equivalent inrush current.")
    first_cycles: float = param(
        1.6, label="Motors, first cycles", unit="p.u.", ge=1, le=2.5, section="Coordination", source="usual practice (unverified)",
        meaning="Current of a motor that is switched on in its first cycles, of its locked-rotor current.",
        enters="no device may open within 0.1 s at it"
    )
    remanence_pct: float = param(
        0.0, label="Remanence of current transformers", unit="%", ge=0, le=90, section="Coordination", source="IEEE C37.110",
        meaning="Flux that an earlier fault left, of the saturation flux, with the direct part of the next. 0: none; 30 to 80 is met without air gaps.",
        enters="saturation: Ks·(1 − remanence)"
    )
    backup: Literal["not assessed", "assessed"] = param(
        "not assessed", label="Reach as backup", section="Coordination", source="usual practice (unverified)",
        meaning="Whether devices should see the least fault beyond the devices below them too, in case those fail."
    )
    code: Literal["none", "NEC"] = param(
        "none", label="Code limits", section="Coordination", source="NEC 450.3, 430.52 (recalled, unverified)",
        meaning="Which installation code limits what devices of transformers and motors may be set to."
    )
    supervised: bool = param(
        False, label="Supervised places", section="Coordination", acts_when=When("code", ("NEC",)), source="NEC 450.3",
        meaning="Qualified people alone service the installation: the code asks less of transformers then."
    )
    through_faults: Literal["frequent", "infrequent"] = param(
        "frequent", label="Through-faults", section="Coordination", source="IEEE C57.109",
        meaning="Frequent: the mechanical limit counts beside the thermal one (overhead lines behind the transformer). Infrequent: the thermal limit alone."
    )
