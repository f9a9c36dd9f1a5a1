"""Settings by their paths, as changes, the command line and files name them."""

from typing import Any

from pydantic import BaseModel, ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.network import refusals_from
from northfell.core.model.settings import ProjectSettings

KEPT_WHOLE = ("sets_aside", "name_starts")  # settings that are records of their own


def settings_with(settings: ProjectSettings, path: str, value: Any) -> ProjectSettings:
    """The settings with one of them changed; `path` is a name, with its group where it has one ("limits.loading_close_pct").

    Raises
    ------
    NetworkRefused
        If there is no such setting, or it does not take the value.
    """
    raw = settings.model_dump()
    *group, field = path.split(".")
    holder = raw.get(group[0]) if group else raw
    plain = field not in raw or group or field in KEPT_WHOLE or not isinstance(raw[field], dict)
    if len(group) > 1 or (group and group[0] in KEPT_WHOLE) or not isinstance(holder, dict) or field not in holder or not plain:
        raise NetworkRefused([InputRefused("setting", path, "one of " + ", ".join(setting_paths()), where="Settings")])
    holder[field] = value
    try:
        return ProjectSettings.model_validate(raw)
    except ValidationError as error:
        raise NetworkRefused(refusals_from(error, ProjectSettings, raw, "Settings")) from None


def setting_at(settings: ProjectSettings, path: str) -> Any:
    """A setting by its path; None where there is none."""
    holder: Any = settings
    for part in path.split("."):
        holder = holder.get(part) if isinstance(holder, dict) else getattr(holder, part, None)
    return holder


def setting_paths() -> list[str]:
    """Every setting by its path."""
    paths: list[str] = []
    for name, info in ProjectSettings.model_fields.items():
        if isinstance(info.annotation, type) and issubclass(info.annotation, BaseModel):
            paths += [f"{name}.{inner}" for inner in info.annotation.model_fields]
        elif info.title:
            paths.append(name)
    return paths
