"""The arrows of the house: which package may import which. Written as a test, so that CI holds it."""

import ast
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parent.parent / "src" / "northfell"

# a module may import what stands below it; the longest prefix decides. "bottom" parts are free for all of core.
BOTTOM = {"core.errors", "core.tables", "core.working", "core.quantities", "core.finding"}
STUDIES = BOTTOM | {"core.model", "core.catalogue", "core.rules", "core.network", "core.studies.record"}
BELOW_WEB = {"core", "drawing", "store", "formats", "documents", "demo", "app"}
MAY = {
    "core.errors": set(),
    "core.quantities": {"core.errors"},
    "core.tables": set(),
    "core.working": {"core.quantities"},
    "core.model": BOTTOM,
    "core.shorthand": BOTTOM | {"core.model"},
    "core.catalogue": BOTTOM | {"core.model"},
    "core.rules": BOTTOM | {"core.model", "core.catalogue"},
    "core.network": BOTTOM | {"core.model", "core.catalogue", "core.rules"},
    "core.finding": {"core.quantities"},
    "core.studies.record": BOTTOM | {"core.model", "core.network"},
    "core.studies.over_states": {"core.studies.record"},
    "core.studies.line_constants": STUDIES,
    "core.studies.load_flow": STUDIES,
    "core.studies.phase_flow": STUDIES | {"core.studies.line_constants", "core.studies.load_flow", "core.studies.short_circuit"},
    "core.studies.phase_faults": STUDIES | {"core.studies.phase_flow", "core.studies.short_circuit"},
    "core.studies.protection": STUDIES | {"core.studies.short_circuit"},
    "core.studies.short_circuit": STUDIES | {"core.studies.load_flow"},
    "core.studies.duty": STUDIES | {"core.studies.short_circuit", "core.studies.protection"},
    "core.studies.arc_flash": STUDIES | {"core.studies.short_circuit", "core.studies.protection", "core.studies.phase_faults"},
    "core.studies.coordination": STUDIES
    | {"core.studies.short_circuit", "core.studies.protection", "core.studies.duty", "core.studies.load_flow", "core.studies.arc_flash"},
    "core.studies.sizing": STUDIES
    | {"core.studies.short_circuit", "core.studies.protection", "core.studies.duty", "core.studies.load_flow", "core.studies.coordination"},
    "core.studies.trip_order": STUDIES | {"core.studies.short_circuit", "core.studies.protection", "core.studies.arc_flash"},
    "core.verdicts": STUDIES | {"core.studies"},
    "drawing": BOTTOM | {"core.model", "core.rules", "core.catalogue", "core.network"},
    "store": {"core"},
    "formats": {"core"},
    "documents": {"core", "drawing"},
    "demo": {"core"},
    "app": {"core", "drawing", "store", "formats", "documents", "demo"},
    "web.shell": BELOW_WEB,
    "web.stages.network": BELOW_WEB | {"web.shell"},
    "web.stages.flow": BELOW_WEB | {"web.shell"},
    "web.stages.phases": BELOW_WEB | {"web.shell"},
    "web.stages.phase_faults": BELOW_WEB | {"web.shell"},
    "web.stages.faults": BELOW_WEB | {"web.shell"},
    "web.stages.coordination": BELOW_WEB | {"web.shell"},
    "web.stages.arc_flash": BELOW_WEB | {"web.shell"},
    "web.stages.sizing": BELOW_WEB | {"web.shell"},
    "web.pages": BELOW_WEB | {"web.shell", "web.stages"},
    "web": BELOW_WEB,
    "cli": {"core", "formats", "app", "web", "demo"},
}
OUTSIDE_CORE = {"sqlite3", "fastapi", "starlette", "jinja2", "reportlab", "xlsxwriter", "uvicorn", "pathlib", "os", "datetime", "time", "socket"}


REGISTRIES = ("__init__", "core", "core.studies", "web", "web.stages")  # they name what they register, each by one line


@cache
def imports_of(path: Path) -> set[str]:
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:  # a module of ours, or a name out of one
                inner = ROOT.parent.joinpath(*node.module.split("."), alias.name)
                found.add(f"{node.module}.{alias.name}" if inner.is_dir() or inner.with_suffix(".py").exists() else node.module)
    return found


def part_of(module: str) -> str:
    return max((p for p in MAY if module == p or module.startswith(p + ".")), key=len, default=module)


def within(module: str, allowed: set[str]) -> bool:
    return any(module == a or module.startswith(a + ".") for a in allowed)


@cache
def modules() -> list[tuple[str, Path]]:
    return [(".".join(p.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__"), p) for p in sorted(ROOT.rglob("*.py"))]


def test_arrows_point_down_only():
    wrong = []
    for module, path in modules():
        part = part_of(module)
        if part in REGISTRIES or module in ("web.application", "web.serve"):
            continue
        for name in imports_of(path):
            inner = name.removeprefix("northfell.")
            if inner == name or name == "northfell.__version__":
                continue
            if part_of(inner) != part and not within(inner, MAY[part]) and not within(part_of(inner), MAY[part]):
                wrong.append(f"{module} imports {name}")
    assert wrong == []


@cache
def arrows() -> dict[tuple[str, str], int]:
    """How many imports lead from one room to another."""
    found: dict[tuple[str, str], int] = {}
    for module, path in modules():
        for name in imports_of(path):
            inner = name.removeprefix("northfell.")
            ends = part_of(module), part_of(inner)
            if inner != name and ends[0] != ends[1] and ends[0] in MAY and ends[1] in MAY and module not in REGISTRIES:
                found[ends] = found.get(ends, 0) + 1
    return found


def test_no_circle():
    """Rooms can be put in an order in which each leans only on those before it."""
    leans = {room: {b for a, b in arrows() if a == room} for room in MAY}
    while standing := [room for room, on in leans.items() if not on]:
        leans = {room: on - set(standing) for room, on in leans.items() if room not in standing}
    assert leans == {}


def test_a_study_uses_only_the_face_of_another():
    wrong = []
    for module, path in modules():
        if module.startswith("core.studies."):
            own = part_of(module)
            others = {n.removeprefix("northfell.") for n in imports_of(path) if n.startswith("northfell.core.studies.")}
            wrong += [f"{module} imports {n}" for n in others if part_of(n) != own and n != part_of(n)]
    assert wrong == []


def test_core_knows_no_web_no_database_no_files_no_clock():
    wrong = [f"{m} imports {n}" for m, p in modules() if m.startswith("core") for n in imports_of(p) if n.split(".")[0] in OUTSIDE_CORE]
    assert wrong == []


def test_the_checker_would_see_a_breach():
    assert not within("store", MAY["core.model"])
    assert part_of("core.studies.arc_flash.solve") == "core.studies.arc_flash"
    assert len(modules()) > 60


if __name__ == "__main__":  # the drawing: each room with those it leans on, and by how many imports
    for room in MAY:
        print(room, "->", ", ".join(f"{b} {n}" for (a, b), n in sorted(arrows().items()) if a == room) or "nothing")
