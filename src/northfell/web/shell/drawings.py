"""The sheet as it is shown: the network's drawing with the tags of the stage, and what was worked out before kept for the next time."""

from collections import OrderedDict
from threading import Lock

from northfell.app.results.studies import Results, motor_start
from northfell.core.errors import NorthfellError
from northfell.core.model.declare.parameters import STUDIES
from northfell.core.model.elements import InductionMotor, SynchronousMotor
from northfell.core.model.network import Network, Sheet
from northfell.core.network import energised, topology_of
from northfell.core.rules.completeness import missing
from northfell.core.studies.load_flow import LoadFlow
from northfell.drawing import flow_overlay, overlay
from northfell.drawing.sheet import Drawing, draw
from northfell.drawing.standing import STEP, SheetMemory
from northfell.drawing.words import Tag
from northfell.web.shell.view import STUDY_OF, View


class SheetMemories:
    """Memories of the last few sheets that were looked at. Each is used by one request at a time."""

    def __init__(self, most: int = 16) -> None:
        self._kept: OrderedDict[tuple[int, str, str], tuple[SheetMemory, Lock]] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def of(self, key: tuple[int, str, str]) -> tuple[SheetMemory, Lock]:
        with self._lock:
            if key not in self._kept:
                self._kept[key] = SheetMemory(), Lock()
                while len(self._kept) > self._most:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(key)
            return self._kept[key]


def drawing_of(network: Network, results: Results, view: View, sheet: Sheet, memories: SheetMemories, pinned: LoadFlow | None = None) -> Drawing:
    """The sheet with the tags of the stage; with a pinned result, with the differences to it."""
    elements = results.at(view.state).elements
    study = STUDY_OF[view.stage]
    fed = results.at(view.state).energised
    asked = (study,) if study else STUDIES if view.lack == "any" else (view.lack,) if view.lack else ()
    # the Network stage marks all that lacks data when asked; a study only what would take part in it
    lacking = frozenset(m.element.id for s in asked for m in missing(elements, s) if not study or fed.get(m.element.id, False))  # type: ignore[arg-type]
    memory, lock = memories.of((view.project_id, sheet.name, view.stage))
    with lock:
        return draw(
            elements, sheet, results.at(view.state).energised, _tags(network, results, view, pinned), view.selected, lacking,
            standard=network.settings.drawing.symbols, memory=memory, others=[s for s in network.sheets if s is not sheet],
            units=network.settings.units,
        )  # fmt: skip


def plain_drawing(network: Network, sheet: Sheet, state: str = "Normal", memory: SheetMemory | None = None) -> Drawing:
    """A sheet without values, for pictures, ghosts and files."""
    elements = network.in_state(state)
    fed = energised(elements, topology_of(elements))
    others = [s for s in network.sheets if s is not sheet]
    return draw(elements, sheet, fed, {}, standard=network.settings.drawing.symbols, memory=memory, others=others, units=network.settings.units)


def _tags(network: Network, results: Results, view: View, pinned: LoadFlow | None) -> dict[str, Tag]:
    limits, one = network.settings.limits, results.at(view.state)
    try:
        if view.stage == "flow":
            chosen = tuple(c for c in view.tags.split(".") if c in flow_overlay.QUANTITIES) if view.tags else flow_overlay.USUAL
            shown = started(results, view) or one.load_flow()
            return flow_overlay.flow_tags(shown, limits, chosen, view.shade or "voltage", pinned)
        if view.stage == "faults":
            return overlay.fault_tags(one.short_circuit(), view.selected)
        if view.stage == "arc-flash":
            return overlay.arc_flash_tags(one.arc_flash(), limits)
    except NorthfellError:
        return {}  # the problem is told beside the sheet
    return {}


def started(results: Results, view: View) -> LoadFlow | None:
    """The network while the selected motor starts, where the tab of motor starts is open."""
    return motor_start(results, view.state, view.selected).during if starting(results, view) else None


def starting(results: Results, view: View) -> bool:
    """Whether the start of the selected motor is what is looked at."""
    is_motor = isinstance(results.network.elements.get(view.selected), InductionMotor | SynchronousMotor)
    return view.stage == "flow" and view.shown_tab == "start" and is_motor


def whole_box(sheet: Sheet) -> tuple[float, float, float, float]:
    """About what holds all of a sheet, without drawing it: x, y, width, height."""
    places = sheet.placements.values()
    left, top = min(p.x for p in places) - 6, min(p.y for p in places) - 9
    right, bottom = max(p.x + p.width for p in places) + 12, max(p.y for p in places) + 12
    return left * STEP, top * STEP, max(right - left, 64.0) * STEP, max(bottom - top, 45.0) * STEP
