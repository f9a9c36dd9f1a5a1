"""What is looked at: stage, state, sheet, selection, ledger tab. All of it stands in the address."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Annotated
from urllib.parse import quote_plus, urlencode

from fastapi import Depends, Query

from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Id

TABS: dict[str, tuple[str, ...]] = {}  # path of each stage -> the tabs of its ledger
USUAL = {("state", "Normal"), ("side", "load"), ("fault", "3ph"), ("case", "max")}  # left out of addresses
FIRST = "flow"  # the stage that a project opens with


def join(stage: str, tabs: tuple[str, ...]) -> None:
    """A stage that can be looked at, with the tabs of its ledger."""
    TABS[stage] = tabs


@dataclass(frozen=True)
class View:
    """One look at a project."""

    project_id: int
    stage: str = FIRST
    state: str = "Normal"
    sheet: str = ""
    selected: str = ""
    side: str = "load"
    tab: str = ""
    proposal: str = ""  # the proposal that is worked in
    tags: str = ""  # quantities that the stage shows on the sheet, their codes joined by dots; empty: the usual ones
    shade: str = ""  # what the stage shades by; empty: its usual
    pin: str = ""  # a pinned result that is compared with
    lack: str = ""  # the study for which what is missing is marked; "any" for all of them
    fault: str = "3ph"  # type of fault that is looked at
    case: str = "max"
    ends: str = ""  # "ends": junctions are listed as boards are
    failed: str = ""  # the device that does not open, in a trip order
    curves: str = ""  # the sheet of curves that is open, of those that are kept

    def _encoded(self, **more: str) -> str:
        names = ("state", "sheet", "selected", "side", "tab", "lack", "proposal", "tags", "shade", "pin", "fault", "case", "ends", "failed", "curves")
        pairs = {**{name: getattr(self, name) for name in names}, **more}
        return urlencode({k: v for k, v in pairs.items() if v and (k, v) not in USUAL})

    @property
    def query(self) -> str:
        """The view without its path, for addresses of edits and figures."""
        return self._encoded(stage=self.stage)

    @property
    def url(self) -> str:
        query = self._encoded()
        return at(self.project_id, self.stage) + (f"?{query}" if query else "")

    def selecting(self) -> Callable[..., str]:
        """Makes the address of this look with another element selected: what a sheet of many symbols asks for many times."""
        start = replace(self, selected="").url
        start += "&" if "?" in start else "?"

        def address(element_id: str, sheet: str = "") -> str:
            if sheet:  # a reference leads to another sheet
                return replace(self, selected=element_id, sheet=sheet).url
            return f"{start}selected={quote_plus(element_id)}"

        return address

    def to(self, **changes: str) -> "View":
        """Another look; a stage without the tab opens its first."""
        other = replace(self, **changes)  # type: ignore[arg-type]
        return other if other.tab in TABS[other.stage] else replace(other, tab="")

    @property
    def shown_tab(self) -> str:
        return self.tab or TABS[self.stage][0]


def _from_query(
    project_id: Id,
    stage: Annotated[str, Query(max_length=20)] = FIRST,
    state: Annotated[str, Query(max_length=100)] = "Normal",
    sheet: Annotated[str, Query(max_length=100)] = "",
    selected: Annotated[str, Query(max_length=200)] = "",
    side: Annotated[str, Query(pattern="^(load|line|line [23])$")] = "load",
    tab: Annotated[str, Query(max_length=20)] = "",
    proposal: Annotated[str, Query(max_length=100)] = "",
    tags: Annotated[str, Query(pattern="^[a-z.]{0,80}$")] = "",
    shade: Annotated[str, Query(pattern="^[a-z]{0,20}$")] = "",
    pin: Annotated[str, Query(pattern="^[0-9a-f]{0,32}$")] = "",
    lack: Annotated[str, Query(pattern="^[a-z_]{0,40}$")] = "",
    fault: Annotated[str, Query(pattern="^(3ph|ll|llg|lg)$")] = "3ph",
    case: Annotated[str, Query(pattern="^(max|min)$")] = "max",
    ends: Annotated[str, Query(pattern="^(ends|none)?$")] = "",
    failed: Annotated[str, Query(max_length=200)] = "",
    curves: Annotated[str, Query(max_length=100)] = "",
) -> View:
    tab = tab if tab in TABS.get(stage, ()) else ""
    return View(
        project_id, stage if stage in TABS else FIRST, state, sheet, selected, side, tab, proposal, tags, shade, pin, lack, fault, case, ends, failed, curves
    )  # fmt: skip


Looking = Annotated[View, Depends(_from_query)]
