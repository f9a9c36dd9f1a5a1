"""What a project sets for its studies. Each default stands beside its reason."""

from typing import ClassVar

from pydantic import BaseModel, ConfigDict
from pydantic.fields import FieldInfo


class Settings(BaseModel):
    """A group of settings: each a declared parameter with its default."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False, defer_build=True)


class StudySettings(Settings):
    """The settings of one study. Once it is entered, every project, every set kept aside, the file and its schema have them."""

    STUDY: ClassVar[str]  # the study's key
    LABEL: ClassVar[str]  # the head they stand under

    @property
    def scale_of_consumers(self) -> float:
        """What the study's settings make of the power of every consumer."""
        return 1.0


STUDY_SETTINGS: dict[str, type[StudySettings]] = {}  # by the study's key, in the order in which studies are registered
HOLDERS: list[type[Settings]] = []  # the records that hold the settings of every study


def enter(kind: type[StudySettings]) -> None:
    """Make the settings of a study part of every project: done as studies are registered, before any network is made."""
    STUDY_SETTINGS[kind.STUDY] = kind
    for holder in HOLDERS:
        holder.model_fields[kind.STUDY] = FieldInfo(annotation=kind, default_factory=kind)


def study_keys() -> tuple[str, ...]:
    """The keys of all studies."""
    return tuple(STUDY_SETTINGS)
