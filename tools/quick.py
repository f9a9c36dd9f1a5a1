"""What a change needs, in about a minute: linters, types, and the tests that mirror what was changed. `./nf test` runs everything."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
ALWAYS = ["tests/test_arrows.py", "tests/test_results_stand.py"]  # who may lean on whom, and that no figure moved
BESIDE = {  # what is changed -> what its mirror does not cover
    "src/northfell/cli.py": ["tests/test_command_line.py"],
    "src/northfell/web": ["tests/web/test_pages.py", "tests/web/test_ledger_and_card.py"],
    "src/northfell/documents": ["tests/test_documents.py"],
    "src/northfell/core/model/declare": ["tests/core/model"],
    "src/northfell/core/network": ["tests/core/network", "tests/published"],
    "src/northfell/core/studies": ["tests/published"],
}


def changed() -> list[str]:
    """Files that differ from the last commit; where none does, those of the last commit."""
    told = _git("status", "--porcelain", "--untracked-files=all")
    files = [line[3:].split(" -> ")[-1] for line in told]
    return files or _git("diff", "--name-only", "HEAD~1", "HEAD")


def _git(*arguments: str) -> list[str]:
    return subprocess.run(["git", *arguments], cwd=ROOT, capture_output=True, text=True, check=True).stdout.splitlines()


def tests_for(files: list[str]) -> list[str]:
    """The tests that mirror some files, and themselves; the nearest folder that there is."""
    found = dict.fromkeys(ALWAYS)
    for file in files:
        found |= dict.fromkeys(test for start, tests in BESIDE.items() if file.startswith(start) for test in tests)
        if file.startswith("tests/") and file.endswith(".py") and not file.startswith("tests/browser") and Path(file).name.startswith("test_"):
            found[file] = None
        elif file.startswith("src/northfell/"):
            mirror = ROOT / "tests" / Path(file).relative_to("src/northfell").parent
            while not mirror.is_dir():
                mirror = mirror.parent
            if mirror != ROOT / "tests":
                found[str(mirror.relative_to(ROOT))] = None
    chosen = [test for test in found if (ROOT / test).exists()]
    return [t for t in chosen if not any(t != other and t.startswith(f"{other}/") for other in chosen)]


def main() -> int:
    """Run them, quickest first; the first that fails ends it."""
    python, here = sys.executable, Path(sys.executable).parent
    tests = tests_for(changed())
    print("Tests:", *tests, sep="\n  ", flush=True)
    steps = [
        [str(here / "ruff"), "check", "."], [str(here / "ruff"), "format", "--check", "."],
        [str(here / "oxlint"), "--deny-warnings", "src/northfell/web/static/js"],
        [str(here / "mypy")], [python, "-m", "pytest", "-x", "-m", "not browser", *tests],
    ]  # fmt: skip
    return next((code for step in steps if (code := subprocess.run(step, cwd=ROOT, check=False).returncode)), 0)


if __name__ == "__main__":
    sys.exit(main())
