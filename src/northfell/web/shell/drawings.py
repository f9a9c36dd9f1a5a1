"""The sheet as it is shown: the network's drawing with the tags of the stage, and what was worked out before kept for the next time."""

from threading import Lock

from northfell.app.keeping import Kept
from northfell.core.errors import NorthfellError
from northfell.core.model.network import Network, Sheet
from northfell.core.model.settings import study_keys
from northfell.core.network import energised, topology_of
from northfell.core.rules.completeness import missing
from northfell.drawing.sheet import Drawing, draw
from northfell.drawing.standing import STEP, SheetMemory
from northfell.drawing.words import Tag
from northfell.web.shell.stage import STAGES, Look


class SheetMemories:
    """Memories of the last few sheets that were looked at. Each is used by one request at a time."""

    def __init__(self, most: int = 16) -> None:
        self._kept: Kept[tuple[int, str, str], tuple[SheetMemory, Lock]] = Kept(most)

    def of(self, key: tuple[int, str, str]) -> tuple[SheetMemory, Lock]:
        """The memory of a sheet, with the lock under which it is used."""
        return self._kept.of(key, lambda: (SheetMemory(), Lock()))


def drawing_of(look: Look, sheet: Sheet, memories: SheetMemories) -> Drawing:
    """The sheet with the tags of the stage; with a pinned result, with the differences to it."""
    network, view, one = look.network, look.view, look.results.at(look.view.state)
    study = STAGES[view.stage].study
    asked = [study.key] if study else study_keys() if view.lack == "any" else [key for key in study_keys() if key == view.lack]
    # a stage without a study marks all that lacks data when asked; a study only what would take part in it
    lacking = frozenset(m.element.id for key in asked for m in missing(one.elements, key) if not study or one.energised.get(m.element.id, False))
    memory, lock = memories.of((view.project_id, sheet.name, view.stage))
    with lock:
        return draw(
            one.elements, sheet, one.energised, _tags(look), view.selected, lacking, standard=network.settings.drawing.symbols, memory=memory,
            others=[s for s in network.sheets if s is not sheet], units=network.settings.units, adjacency=network.adjacency,
        )  # fmt: skip


def _tags(look: Look) -> dict[str, Tag]:
    try:
        return STAGES[look.view.stage].tags(look)
    except NorthfellError:
        return {}  # the problem is told beside the sheet


def plain_drawing(network: Network, sheet: Sheet, state: str = "Normal", memory: SheetMemory | None = None) -> Drawing:
    """A sheet without values, for pictures, ghosts and files."""
    elements = network.in_state(state)
    fed = energised(elements, topology_of(elements))
    others = [s for s in network.sheets if s is not sheet]
    return draw(elements, sheet, fed, {}, standard=network.settings.drawing.symbols, memory=memory, others=others, units=network.settings.units)


def whole_box(sheet: Sheet) -> tuple[float, float, float, float]:
    """About what holds all of a sheet, without drawing it: x, y, width, height."""
    places = sheet.placements.values()
    left, top = min(p.x for p in places) - 6, min(p.y for p in places) - 9
    right, bottom = max(p.x + p.width for p in places) + 12, max(p.y for p in places) + 12
    return left * STEP, top * STEP, max(right - left, 64.0) * STEP, max(bottom - top, 45.0) * STEP
