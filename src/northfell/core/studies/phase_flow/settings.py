"""What a project sets for the load flow by phase."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings import StudySettings

# fmt: off

UNBALANCE = {  # how it is told, and of what
    "U2/U1": "negative over positive sequence, IEC 61000-4-30",
    "deviation between phases": "greatest deviation of a voltage between phases from their mean, NEMA MG 1",
    "deviation to earth": "greatest deviation of a voltage to earth from their mean",
    "spread to earth": "greatest less least voltage to earth, of their mean",
}


class PhaseFlowSettings(StudySettings):
    """Settings of the load flow by phase."""

    STUDY, LABEL = "phase_flow", "Load flow by phase"

    bands: Literal["limits of the project", "ANSI C84.1", "EN 50160"] = param(
        "limits of the project", label="Bands of voltage", section="Load flow by phase", source="ANSI C84.1, EN 50160 (as recalled)",
        meaning="Continuous and emergency band. C84.1: range A, beyond it close, and range B, beyond it a breach. EN 50160: 10 %, beyond which a voltage that "
        "stays is a breach, and in an emergency 15 % below. Where a standard has none for a voltage, the limits of the project count.",
        enters="findings, classes of voltage and limits in pictures"
    )
    place: Literal["service", "utilisation"] = param(
        "service", label="Place of the band", section="Load flow by phase", acts_when=When("bands", ("ANSI C84.1",)), source="ANSI C84.1 (as recalled)",
        meaning="Where the consumer is connected, or where equipment uses it.", enters="which band of C84.1"
    )
    judged: Literal["both", "to neutral", "between phases"] = param(
        "both", label="Voltage judged", section="Load flow by phase",
        meaning="To the neutral, or to earth where none is carried; between phases; or both, of which the worse counts. Where a bus has not the one, the "
        "other counts.",
        enters="which voltage is held against the band"
    )
    unbalance: Literal["U2/U1", "deviation between phases", "deviation to earth", "spread to earth"] = param(
        "U2/U1", label="Unbalance", section="Load flow by phase", source="IEC 61000-4-30; NEMA MG 1; feeder practice",
        meaning="By which definition unbalance is judged.", enters="unbalance of three-phase buses, in percent"
    )
    unbalance_pct: float = param(
        2.0, label="Unbalance, breach", unit="%", gt=0, le=20, section="Load flow by phase", source="EN 50160 (2 % of U2/U1); ANSI C84.1 (3 %, without load)",
        meaning="Above this it is beyond its limit; from three quarters of it on it is near.", enters="unbalance of three-phase buses, in percent"
    )
    loops: Literal["told", "as built"] = param(
        "told", label="Closed loops", section="Load flow by phase", meaning="Feeders are mostly run open: a loop that is closed is told, or is as built.",
        enters="findings"
    )
    phase_names: Literal["a b c", "A B C", "L1 L2 L3", "R S T", "U V W"] = param(
        "a b c", label="Names of the phases", section="Load flow by phase", meaning="As screens show them; files and exports have a, b, c.",
        enters="tags, tables and pictures"
    )

    @property
    def named(self) -> dict[str, str]:
        """How conductors are called on screens."""
        return dict(zip("abc", self.phase_names.split(), strict=True)) | {"n": "N", "1": "leg 1", "2": "leg 2"}
