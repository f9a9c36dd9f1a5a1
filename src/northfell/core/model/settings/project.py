"""All settings of a project, and the sets of study settings that are kept aside."""

import math
from typing import Annotated, Literal, TypeVar

from pydantic import Field

from northfell.core.model.declare.parameters import param
from northfell.core.model.settings.base import HOLDERS, STUDY_SETTINGS, Settings, StudySettings
from northfell.core.model.settings.limits import Limits

# Declarations read as a table.
# fmt: off


class DrawingSettings(Settings):
    """How sheets are drawn."""

    symbols: Literal["IEC 60617", "IEEE 315"] = param(
        "IEC 60617", label="Symbols", section="Drawing", meaning="The standard after which symbols are drawn, on every sheet."
    )


class UnitSettings(Settings):
    """In which units lengths and sizes are shown."""

    lengths: Literal["m", "ft"] = param("m", label="Lengths in", section="Units", meaning="Route lengths on cards and in tables; files keep metres.")
    conductors: Literal["mm²", "AWG and kcmil"] = param(
        "mm²", label="Conductor sizes in", section="Units", meaning="Cross-sections on cards and in tables; files keep square millimetres."
    )


T = TypeVar("T", bound=StudySettings)


class StudySet(Settings):
    """A named set of study settings; each study adds its own by declaring them."""

    limits: Limits = Field(default_factory=Limits)

    def of(self, kind: type[T]) -> T:
        """The settings of one study, by their class."""
        found: T = self.__dict__[kind.STUDY]
        return found

    def of_study(self, key: str) -> StudySettings:
        """The settings of one study, by its key."""
        found: StudySettings = self.__dict__[key]
        return found

    @property
    def scale_of_consumers(self) -> float:
        """What the settings of all studies make of the power of every consumer."""
        return math.prod(self.of_study(key).scale_of_consumers for key in STUDY_SETTINGS)


SetName = Annotated[str, Field(min_length=1, max_length=80)]


class ProjectSettings(StudySet):
    """All settings of a project. Limits and the studies' settings are those of the set in use; other sets are kept aside."""

    frequency_hz: Literal[50, 60] = param(50, label="Frequency", unit="Hz", section="Network", meaning="Nominal frequency of the network.")
    s_base_mva: float = param(100.0, label="Power base", unit="MVA", gt=0, le=1e5, section="Network", meaning="Base of per-unit values inside the calculation.")
    energy_unit: Literal["cal/cm²", "J/cm²", "both"] = param("cal/cm²", label="Energy on labels in", section="Arc flash", meaning="Screens show cal/cm².")
    drawing: DrawingSettings = Field(default_factory=DrawingSettings)
    units: UnitSettings = Field(default_factory=UnitSettings)
    set_name: SetName = "Standard"  # of the study settings in use; every result names it
    sets_aside: dict[SetName, StudySet] = Field(default_factory=dict)
    name_starts: dict[str, Annotated[str, Field(max_length=20)]] = Field(default_factory=dict)  # kind -> how its default names begin, where changed

    @property
    def set_names(self) -> list[str]:
        """The sets of study settings, that in use first."""
        return [self.set_name, *self.sets_aside]

    def grouped(self) -> list[tuple[str, str, Settings]]:
        """All groups of settings: the head they stand under, the path of the group, and its values."""
        fixed: list[tuple[str, str, Settings]] = [("Project", "", self), ("Drawing", "drawing", self.drawing), ("Units", "units", self.units)]
        return [*fixed, ("Limits", "limits", self.limits), *((kind.LABEL, key, self.of_study(key)) for key, kind in STUDY_SETTINGS.items())]

    @property
    def in_use(self) -> StudySet:
        """The study settings in use."""
        return StudySet(**{part: self.__dict__[part] for part in StudySet.model_fields})

    def using(self, name: str) -> "ProjectSettings":
        """With another set in use, and this one kept aside under its name."""
        chosen = self.sets_aside[name]
        aside = {n: s for n, s in {self.set_name: self.in_use, **self.sets_aside}.items() if n != name}
        parts = {part: chosen.__dict__[part] for part in StudySet.model_fields}
        return self.model_copy(update={**parts, "set_name": name, "sets_aside": aside})


HOLDERS += [StudySet, ProjectSettings]


def groups() -> dict[str, type[Settings]]:
    """The groups of settings under the heads that they stand under."""
    fixed: dict[str, type[Settings]] = {"Project": ProjectSettings, "Drawing": DrawingSettings, "Units": UnitSettings, "Limits": Limits}
    return fixed | {kind.LABEL: kind for kind in STUDY_SETTINGS.values()}
