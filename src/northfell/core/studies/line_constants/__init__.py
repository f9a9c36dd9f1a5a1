"""Line constants: impedance and capacitance of lines from their wires and geometry, matrix by matrix."""

from collections.abc import Iterator

from northfell.core.errors import NotFound
from northfell.core.finding import Finding
from northfell.core.model.settings import Limits
from northfell.core.studies.line_constants.result import AFTER, BEFORE, TRANSPOSED, ConstantsOf, LineConstantsResult, tables_of
from northfell.core.studies.line_constants.settings import LineConstantsSettings
from northfell.core.studies.line_constants.solve import geometry_named, of_geometry, run, wires_of
from northfell.core.studies.line_constants.working import explain
from northfell.core.studies.record import Asked, Study
from northfell.core.working import Working


def _explain(found: LineConstantsResult, asked: Asked) -> Working:
    """Of a geometry by its name; the part is row, column and stage, parted by "|"."""
    one = found.of(asked.element_id)
    row, _, rest = asked.part.partition("|")
    column, _, stage = rest.partition("|")
    if one is None:
        raise NotFound(f"There is no geometry “{asked.element_id}” with constants.")
    return explain(one, row, column, stage or BEFORE)


def _lacking(found: LineConstantsResult, limits: Limits) -> Iterator[Finding]:
    for refusals in found.refused.values():
        for one in refusals:
            yield Finding("line_constants", found.net.state, "", "", "missing", str(one))


LINE_CONSTANTS = Study[LineConstantsResult](
    key="line_constants", label="line constants", settings=LineConstantsSettings, run=lambda net, used: run(net), explain=_explain, quantities=("z",),
    checks=(_lacking,), waits=lambda found: bool(found.refused),
)  # fmt: skip

__all__ = [
    "AFTER", "BEFORE", "ConstantsOf", "LINE_CONSTANTS", "LineConstantsResult", "LineConstantsSettings", "TRANSPOSED", "explain", "geometry_named",
    "of_geometry", "run", "tables_of", "wires_of",
]  # fmt: skip
