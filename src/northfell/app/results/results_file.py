"""All tables of a study as one file, named after project, state, study and time."""

import io
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from northfell.app.results.studies import StateResults, findings_in
from northfell.core.model.network import Network
from northfell.core.studies import study_of
from northfell.core.tables import Table, build
from northfell.documents import tables as pdf_tables
from northfell.formats import results

MEDIA_TYPES = {
    "zip": "application/zip", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "pdf": "application/pdf", "json": "application/json",
}  # fmt: skip


@dataclass(frozen=True)
class ResultsFile:
    """The tables of one study in one state, ready to leave."""

    name: str  # without an ending
    title: str
    tables: tuple[Table, ...]
    answer: dict[str, Any]

    def data(self, form: str) -> bytes:
        """The file in a form of :data:`MEDIA_TYPES`."""
        makers: dict[str, Callable[[], bytes]] = {
            "json": lambda: results.to_json(self.answer).encode(),
            "xlsx": lambda: results.to_workbook(list(self.tables)),
            "pdf": lambda: pdf_tables.tables_pdf(self.title, self.tables),
            "zip": self._folder,
        }
        return makers[form]()

    def _folder(self) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
            for table in self.tables:
                pack.writestr(f"{self.name}/{table.name}.csv", table.to_csv().encode("utf-8-sig"))
        return out.getvalue()


def settings_of(network: Network, study: str) -> dict[str, Any]:
    """The settings on which a result of a study rests, with the name of their set: the same wherever a result leaves."""
    raw = network.settings.model_dump()
    keys = ["frequency_hz", "s_base_mva", "limits", study, *study_of(study).uses]
    return {"set": network.settings.set_name, **{key: raw[key] for key in keys}}


def settings_table(settings: Mapping[str, Any]) -> Table:
    """Those settings as a table beside the result."""
    flat = (
        (f"{key}.{inner}" if inner else key, v) for key, value in settings.items() for inner, v in (value.items() if isinstance(value, dict) else [("", value)])
    )
    return build("settings", [("setting", "", "Setting"), ("value", "", "Value")], [(key, str(v)) for key, v in flat])


def of(one: StateResults, study: str, proposal: str = "", now: datetime | None = None) -> ResultsFile:
    """The file of a study in a state.

    Raises
    ------
    CannotRun, NoSolution
        If the study has no result there.
    """
    result = one.run(study)
    network, made = one.network, (now or datetime.now())
    found = findings_in(one, study)
    listed = [(f.severity, f.element, f.text, f.value, f.limit, f.unit, f.help) for f in found]
    columns = [("severity", "", "Verdict"), ("element", "", "Where"), ("text", "", "What"), ("value", "", "Figure"), ("limit", "", "Limit"),
               ("unit", "", "Unit"), ("help", "", "What helps")]  # fmt: skip
    settings = settings_of(network, study)
    tables = (*result.tables(), build("findings", columns, listed), settings_table(settings))
    answer = {
        "study": study, "project": network.name, "proposal": proposal, "state": one.state, "made_at": made.isoformat(timespec="seconds"), "settings": settings,
        "converged": not result.net.held_back, "summary": result.summary, "tables": {t.name: t.to_json() for t in result.tables()},
        "findings": [f.to_json() for f in found], "messages": list(result.messages),
    }  # fmt: skip
    inside = f", proposal {proposal}" if proposal else ""
    title = f"{network.name}{inside} · {study_of(study).label} · {one.state} · {made:%Y-%m-%d %H:%M}"
    parts = (network.name, f"proposal {proposal}" if proposal else "", one.state, study_of(study).label, f"{made:%Y-%m-%d-%H%M}")
    return ResultsFile("-".join(_slug(part) for part in parts if part), title, tables, answer)


def _slug(text: str) -> str:
    kept = "".join(c if c.isascii() and c.isalnum() else "-" for c in text.lower())
    return "-".join(part for part in kept.split("-") if part)[:60] or "network"
