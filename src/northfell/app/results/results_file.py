"""All tables of a study as one file, named after project, states, study and time."""

import io
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from northfell.app.results.running import run_over
from northfell.app.results.studies import StateResults
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
    """The tables of one study, ready to leave."""

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


def of(states: Sequence[StateResults], study: str, proposal: str = "", now: datetime | None = None) -> ResultsFile:
    """The file of a study in one state, or in several under one another.

    Raises
    ------
    CannotRun, NoSolution
        If the study has a result in none of them.
    """
    run = run_over(study, states)
    if not run.summaries:
        raise states[0].outcome(study)
    network, made = states[0].network, (now or datetime.now())
    settings = settings_of(network, study)
    answer = {"project": network.name, "proposal": proposal, "made_at": made.isoformat(timespec="seconds"), **run.answer(settings)}
    inside = f", proposal {proposal}" if proposal else ""
    of_states = states[0].state if len(states) == 1 else f"{len(states)} states"
    title = f"{network.name}{inside} · {study_of(study).label} · {of_states} · {made:%Y-%m-%d %H:%M}"
    parts = (network.name, f"proposal {proposal}" if proposal else "", of_states, study_of(study).label, f"{made:%Y-%m-%d-%H%M}")
    return ResultsFile("-".join(_slug(part) for part in parts if part), title, (*run.tables, *run.listed, settings_table(settings)), answer)


def _slug(text: str) -> str:
    kept = "".join(c if c.isascii() and c.isalnum() else "-" for c in text.lower())
    return "-".join(part for part in kept.split("-") if part)[:60] or "network"
