"""What the built style sheet was made of: its source and the classes that pages use. A test holds it against what they are now."""

import json
import re
from hashlib import sha256
from pathlib import Path

HERE = Path(__file__).parent
WEB = HERE.parent.parent / "src/northfell/web"
STAMP = HERE / "built_from.json"
CLASSES = re.compile(r'class="([^"]*)"')


def made_of() -> dict[str, object]:
    """The source's digest, and every class that stands in a template; what a template puts together itself is left out."""
    used: set[str] = set()
    for template in WEB.rglob("*.html"):
        for found in CLASSES.findall(re.sub(r"\{%.*?%\}|\{\{.*?\}\}", " ", template.read_text(), flags=re.S)):
            used |= set(found.split())
    source = (HERE / "app.css").read_bytes()
    sheet = (WEB / "static/css/app.css").read_bytes()
    return {"source": sha256(source).hexdigest(), "sheet": sha256(sheet).hexdigest(), "classes": sorted(used)}


if __name__ == "__main__":
    STAMP.write_text(json.dumps(made_of(), indent=1) + "\n")
