"""The built style sheet is the one that its source and the pages give."""

import importlib.util
import json
from pathlib import Path

CSS = Path(__file__).parents[2] / "tools/css"


def test_the_built_style_sheet_is_fresh():
    spec = importlib.util.spec_from_file_location("stamp", CSS / "stamp.py")
    stamp = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(stamp)
    kept, now = json.loads((CSS / "built_from.json").read_text()), stamp.made_of()
    assert {**kept, "classes": []} == {**now, "classes": []}, "build it again: cd tools/css && npm install && npm run build"
    assert set(now["classes"]) <= set(kept["classes"]), "new classes: cd tools/css && npm install && npm run build"
