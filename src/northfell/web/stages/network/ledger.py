"""The ledger's tables of the Network stage: all elements, what is assumed, and what was changed."""

from northfell.core.model.by_element import LastMade
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import Element
from northfell.core.model.settings import UnitSettings
from northfell.core.quantities import entry
from northfell.core.rules.completeness import all_lacking
from northfell.core.studies import STUDIES
from northfell.drawing.words import short_data
from northfell.web.shell.naming import ENDS, Ends, is_end
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import Head, Ledger, RowShown, kind_name, num, text


def elements_table(look: Look) -> Ledger:
    network, view = look.network, look.view
    elements = network.in_state(view.state)
    rows, ends, label_of = [], Ends(elements, network.adjacency), {study.key: study.label for study in STUDIES}
    every = {i: tuple(sorted({label_of[key] for key in studies if key in label_of})) for i, studies in all_lacking(elements).items()}
    for e in elements.values():
        lacking = every.get(e.id, ())
        if view.ends != ENDS and e.id != view.selected and not lacking and is_end(e):  # elements that meet there say what they lead to
            continue
        beside = (ends.of(e), network.settings.units, lacking)
        rows.append(_ROWS.of(e, beside, _row, e, *beside))
    heads = [Head("Name"), Head("Kind"), Head("Between"), Head("Data"), Head("Status"), Head("Assumed", number=True), Head("Lacks data for")]
    empty = "The network is empty. Press e and type its supply, such as “infeed 33 kV 10 kA”."
    return Ledger([], heads, rows, empty=empty, spare=("Assumed", "Kind", "Status"))


def _row(e: Element, between: str, units: UnitSettings, lacking: tuple[str, ...]) -> RowShown:
    status = "out of service" if not e.in_service else "open" if getattr(e, "closed", True) is False else ""
    cells = [
        text(e.name), text(kind_name(e)), text(between), text(short_data(e, units)), text(status), num(len(e.assumed) or None, 0, otherwise=""),
        text(", ".join(lacking)),
    ]  # fmt: skip
    return RowShown(e.id, cells, "missing" if lacking else "")


_ROWS: LastMade[Element, RowShown] = LastMade()


def assumed_table(look: Look) -> Ledger:
    rows = []
    for e in look.network.elements.values():
        for name, source in e.assumed.items():
            p = parameter(type(e), name)
            value = getattr(e, name)
            told = entry(value) if isinstance(value, float | int) else str(value)
            rows.append(RowShown(e.id, [text(e.name), text(p.label if p else name), text(f"{told}~ {p.unit if p else ''}".strip()), text(source)]))
    heads = [Head("Element"), Head("Parameter"), Head("Value"), Head("Source of the typical value")]
    return Ledger([], heads, rows, empty="No assumed values: every figure rests on what was entered.")


def history_table(look: Look) -> Ledger:
    rows, head = [], look.head
    for c in look.history or []:
        cells = [num(c.seq, 0), text(c.title), text(c.made_by), text(c.made_at[:19].replace("T", " ")), text("undone" if c.seq > head else "")]
        back = "" if c.seq == head else "Back to here" if c.seq < head else "Redo to here"
        rows.append(RowShown("", cells, act=f"history/{c.seq}" if back else "", act_says=back))
    if rows and head:
        rows.append(RowShown("", [num(0, 0), text("As it was begun"), text(""), text(""), text("")], act="history/0", act_says="Back to here"))
    heads = [Head("No.", number=True), Head("Change"), Head("By"), Head("Made (UTC)"), Head("")]
    return Ledger([], heads, rows, empty="No changes yet. Every edit is kept here and can be undone.")
