"""One entry of the catalogue."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Entry:
    """One entry: a name, the kind it is for, the values it gives, and what it is found by."""

    name: str
    kind: str
    family: str
    values: Mapping[str, Any]
    found_by: Mapping[str, str]  # what it is found by beside its values, such as how a cable is laid
    source: str
    assumed: Mapping[str, str] = field(default_factory=dict)  # values that are only typical, with their source
    x_at_hz: int | None = None  # frequency of a reactance per length
    own: bool = False
