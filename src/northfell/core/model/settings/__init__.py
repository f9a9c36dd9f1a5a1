"""What a project sets for its studies. Each default stands beside its reason."""

from northfell.core.model.settings.base import STUDY_SETTINGS, Settings, StudySettings, enter, study_keys
from northfell.core.model.settings.limits import Limits
from northfell.core.model.settings.project import DrawingSettings, ProjectSettings, SetName, StudySet, UnitSettings, groups

__all__ = [
    "DrawingSettings", "Limits", "ProjectSettings", "STUDY_SETTINGS", "SetName", "Settings", "StudySet", "StudySettings", "UnitSettings",
    "enter", "groups", "study_keys",
]  # fmt: skip
