"""What a message says of parameters, in the words of the screen: labels, never the names that files and the command line use."""

import re

from northfell.core.catalogue.tables import relay_curves
from northfell.core.model.declare.parameters import parameters_of
from northfell.core.model.elements import KINDS
from northfell.core.model.settings import groups

NAME = re.compile(r"\b[a-z][a-z0-9]{0,30}(?:_[a-z0-9]{1,20}){1,5}\b")
_LABELS: dict[str, dict[str, str]] = {}
for _title, _model in [*((cls.TITLE, cls) for cls in KINDS.values()), *groups().items()]:
    for _p in parameters_of(_model):
        _LABELS.setdefault(_p.name, {})[_title] = _p.label


def worded(line: str) -> str:
    """A line with every name of a parameter replaced by its label, of the kind that the line begins with where labels differ."""

    def label(found: re.Match[str]) -> str:
        known = _LABELS.get(found[0])
        if known is None:
            return found[0]
        text = next((label for title, label in known.items() if line.startswith(title)), next(iter(known.values())))
        return text if text[:2].isupper() else text[0].lower() + text[1:]

    line = NAME.sub(label, line)
    for curve in relay_curves().values():
        line = line.replace(f"“{curve.id}”", f"“{curve.name}”")
    return line
