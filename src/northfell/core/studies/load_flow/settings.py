"""What a project sets for load flow. Each default stands beside its reason."""

from typing import Literal

from northfell.core.model.declare.parameters import param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off


class LoadFlowSettings(StudySettings):
    """Settings of the load flow."""

    STUDY, LABEL = "load_flow", "Load flow"

    tolerance_mva: float = param(
        1e-6, label="Tolerance", unit="MVA", gt=0, le=1, section="Load flow", meaning="Largest power mismatch at any bus when the solution is taken."
    )
    max_iterations: int = param(25, label="Most iterations", ge=1, le=200, section="Load flow", meaning="After this many Newton steps the run is given up.")
    load_level_pct: float = param(
        100.0, label="Load level", unit="%", ge=0, le=500, section="Load flow", meaning="Scales every load and motor, in all operating states.",
        enters="P, Q of each consumer · level / 100"
    )
    transformer_loading: Literal["by current", "by apparent power"] = param(
        "by current", label="Loading of transformers", section="Load flow",
        meaning="By current: of the rated current at the tap in use, which is what heats the windings. By apparent power: of the rated power.",
        enters="loading = √3·Ur·I/Sr, or S/Sr"
    )
    reactive_limits: Literal["on", "off"] = param(
        "on", label="Reactive limits", section="Load flow", meaning="On: a source at its limit no longer holds its voltage. Off: limits are only reported.",
        enters="whether Qmin ≤ Q ≤ Qmax is enforced"
    )
    surplus: Literal["to the reference", "shared"] = param(
        "to the reference", label="Surplus", section="Load flow",
        meaning="What set points leave over or short of load and losses in an island: to the reference alone, or shared among its sources by their parts.",
        enters="P = P set + part/Σ parts · surplus, where shared"
    )
    tap_changers: Literal["on", "off"] = param(
        "on", label="Tap changers", section="Load flow", meaning="On: tap changers on load step to hold what they hold. Off: every tap stays as it is given.",
        enters="whether taps are stepped"
    )
    capacitor_steps: Literal["on", "off"] = param(
        "on", label="Switched capacitors", section="Load flow", meaning="On: controllers of capacitor banks switch steps. Off: the steps given are in.",
        enters="whether steps are switched"
    )

    @property
    def scale_of_consumers(self) -> float:
        return self.load_level_pct / 100
