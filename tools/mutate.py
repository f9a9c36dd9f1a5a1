"""How much of the computation the tests vouch for: lines are broken one at a time, and the tests that should see it are run.

`python -m tools.mutate [--each N] [--seed N] [package ...]` breaks N places of each package at random (all with 0) and prints for each
package how many were seen, and every one that was not. A broken place is a comparison turned, a sign or operator changed, a number
moved, a condition negated, `and` and `or` exchanged; digits to which a figure is written are left. Each is run in a process of its own that
has the libraries loaded.
"""

import argparse
import ast
import importlib.abc
import importlib.util
import os
import random
import signal
import sys
import time
from collections.abc import Iterator
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from types import ModuleType

ROOT = Path(__file__).parent.parent
SRC = ROOT / "src"
STAND = ["tests/published", "tests/test_results_stand.py"]
PACKAGES: dict[str, list[str]] = {  # what is broken -> the tests that should see it, quickest first
    "core/studies/short_circuit": [*STAND, "tests/core/studies/short_circuit", "tests/core/working", "tests/core/studies/arc_flash"],
    "core/studies/duty": [*STAND, "tests/core/studies/duty"],
    "core/studies/arc_flash": [*STAND, "tests/core/studies/arc_flash", "tests/core/working", "tests/web/test_ledger_and_card.py"],
    "core/studies/protection": [*STAND, "tests/core/studies/protection", "tests/core/studies/arc_flash"],
    "core/studies/load_flow": [*STAND, "tests/core/studies/load_flow", "tests/core/working", "tests/core/verdicts", "tests/web/test_findings_and_proposals.py"],
    "core/studies/sizing": ["tests/core/studies/sizing", "tests/core/working"],
    "core/network": [*STAND, "tests/core/network", "tests/core/studies/short_circuit", "tests/core/studies/load_flow"],
    "core/model/changes": ["tests/core/model", "tests/core/verdicts", "tests/app/data", "tests/store"],
    "core/rules": ["tests/core/rules", "tests/core/model", "tests/app/data/test_preparing.py", "tests/app/draw"],
    "core/verdicts": ["tests/core/verdicts", "tests/core/model/test_proposals.py", "tests/web/test_findings_and_proposals.py"],
}
LONGEST_S = 240
WRITING = ("f", "figure", "fixed", "round")  # how a figure is written: to which digits is no matter of computation

TURNED: dict[type, type] = {
    ast.Lt: ast.GtE, ast.GtE: ast.Lt, ast.Gt: ast.LtE, ast.LtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And,
    ast.USub: ast.UAdd, ast.BitOr: ast.BitAnd,
}  # fmt: skip


def spots(tree: ast.Module) -> Iterator[tuple[int, int, str]]:
    """Every place of a module that can be broken: its number in the tree, its line, and what can be done."""
    written = {
        id(digits)
        for node in ast.walk(tree)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in WRITING
        for digits in [*node.args[1:], *(k.value for k in node.keywords)]
    }
    for n, node in enumerate(ast.walk(tree)):
        for what in _ways(node):
            if id(node) not in written:
                yield n, node.lineno, what  # type: ignore[attr-defined]


def _ways(node: ast.AST) -> Iterator[str]:
    if isinstance(node, ast.Compare) and type(node.ops[0]) in TURNED:
        yield "comparison turned"
    elif isinstance(node, ast.BinOp) and type(node.op) in TURNED and not isinstance(node.left, ast.JoinedStr) and not _is_text(node.left):
        yield "operator changed"
    elif isinstance(node, ast.BoolOp):
        yield "and/or exchanged"
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        yield "sign dropped"
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        yield "not dropped"
    elif isinstance(node, ast.Constant) and type(node.value) in (int, float):
        yield "number moved"
    elif isinstance(node, ast.If | ast.IfExp) and not isinstance(node.test, ast.Compare | ast.BoolOp):
        yield "condition negated"


def _is_text(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, str)


def _break(node: ast.AST, what: str) -> None:
    if isinstance(node, ast.Compare):
        node.ops[0] = TURNED[type(node.ops[0])]()
    elif isinstance(node, ast.BinOp | ast.BoolOp):
        node.op = TURNED[type(node.op)]()
    elif isinstance(node, ast.UnaryOp):
        node.op = ast.UAdd() if isinstance(node.op, ast.USub) else ast.Not()
        if what == "not dropped":
            node.operand = ast.UnaryOp(ast.Not(), node.operand)
    elif isinstance(node, ast.Constant) and isinstance(node.value, int | float):
        node.value = node.value + 1 if isinstance(node.value, int) else _moved(node.value)
    elif isinstance(node, ast.If | ast.IfExp):
        node.test = ast.UnaryOp(ast.Not(), node.test)


def _moved(value: float) -> float:
    """Another number: a tenth more, or a tolerance so loose that it matters."""
    return 0.1 if value == 0 else value * (1e5 if abs(value) < 1e-5 else 1.1)


def places(package: str) -> list[tuple[Path, int]]:
    """Every place that can be broken, by file and number; texts and annotations are left alone."""
    found = []
    for path in sorted((SRC / "northfell" / package).rglob("*.py")):
        found += [(path, n) for n, _ in enumerate(spots(_plain(path)))]
    return found


def _plain(path: Path) -> ast.Module:
    return _NoTypes().visit(ast.parse(path.read_text()))  # type: ignore[no-any-return]


class _NoTypes(ast.NodeTransformer):
    """Takes annotations away, so that nothing in them is broken."""

    def visit_arg(self, node: ast.arg) -> ast.arg:
        node.annotation = None
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.FunctionDef:
        node.returns = None
        self.generic_visit(node)
        return node


class _Finder(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Gives one module broken."""

    def __init__(self, name: str, path: Path, tree: ast.Module) -> None:
        self.name, self.path, self.tree = name, path, tree

    def find_spec(self, name: str, path: object = None, target: object = None) -> importlib.machinery.ModuleSpec | None:
        if name != self.name:
            return None
        places_ = [str(self.path.parent)] if self.path.name == "__init__.py" else None
        return importlib.util.spec_from_file_location(name, self.path, loader=self, submodule_search_locations=places_)

    def create_module(self, spec: object) -> None:
        return None

    def exec_module(self, module: ModuleType) -> None:
        exec(compile(self.tree, str(self.path), "exec"), module.__dict__)


def seen(path: Path, number: int, tests: list[str]) -> tuple[bool, int, str]:
    """Whether the tests see a broken place: run in a process of its own. Where it makes them run on and on, it is seen."""
    tree = _plain(path)
    at, line, what = list(spots(tree))[number]
    _break(next(node for n, node in enumerate(ast.walk(tree)) if n == at), what)
    ast.fix_missing_locations(tree)
    parts = path.relative_to(SRC).with_suffix("").parts
    name = ".".join(parts).removesuffix(".__init__")
    child = _tested(tests, _Finder(name, path, tree))
    begun = time.monotonic()
    while time.monotonic() - begun < LONGEST_S:
        ended, status = os.waitpid(child, os.WNOHANG)
        if ended:
            return status != 0, line, what
        time.sleep(0.05)
    os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return True, line, what


def stands(tests: list[str]) -> bool:
    """Whether the tests pass with nothing broken."""
    return os.waitpid(_tested(tests, None), 0)[1] == 0


def _tested(tests: list[str], broken: _Finder | None) -> int:
    """A process that runs the tests, with a module broken; it ends with 1 where one fails."""
    child = os.fork()
    if child == 0:
        os.setsid()
        with open(os.devnull, "w") as nothing, redirect_stdout(nothing), redirect_stderr(nothing):
            import pytest

            if broken is not None:
                sys.meta_path.insert(0, broken)
            os.environ["NORTHFELL_HYPOTHESIS"] = "quick"
            code = pytest.main(["-x", "-q", "-p", "no:cacheprovider", "--no-header", "-m", "not browser", *tests])
        os._exit(1 if code else 0)
    return child


def main() -> None:
    reader = argparse.ArgumentParser()
    reader.add_argument("--each", type=int, default=25)
    reader.add_argument("--seed", type=int, default=1)
    reader.add_argument("packages", nargs="*", default=list(PACKAGES))
    asked = reader.parse_args()
    os.chdir(ROOT)
    sys.path.insert(0, str(ROOT))
    for name in ("numpy", "scipy.sparse.linalg", "scipy.optimize", "pydantic", "fastapi.testclient", "hypothesis", "pytest", "openpyxl", "xlsxwriter"):
        __import__(name)  # once, for all that are forked
    for package in asked.packages:
        if not stands(PACKAGES[package]):
            sys.exit(f"The tests of {package} fail as it is: nothing can be told of them.")
        every = places(package)
        chosen = every if not asked.each else random.Random(asked.seed).sample(every, min(asked.each, len(every)))
        caught = 0
        for path, number in sorted(chosen):
            was_seen, line, what = seen(path, number, PACKAGES[package])
            caught += was_seen
            if not was_seen:
                print(f"  not seen: {path.relative_to(SRC / 'northfell')}:{line} {what}: {path.read_text().splitlines()[line - 1].strip()[:110]}", flush=True)
        print(f"{package}: {caught} of {len(chosen)} seen ({100 * caught / max(len(chosen), 1):.0f} %), of {len(every)} places", flush=True)


if __name__ == "__main__":
    main()
