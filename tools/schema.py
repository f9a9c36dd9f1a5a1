"""Writes store/schema.sql from the migrated database: `python tools/schema.py`."""

import sqlite3
from pathlib import Path

from northfell.store.database import migrate

TARGET = Path(__file__).parent.parent / "src/northfell/store/schema.sql"

db = sqlite3.connect(":memory:", isolation_level=None)
db.row_factory = sqlite3.Row
migrate(db)
made = [row["sql"] + ";\n" for row in db.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY rowid")]
TARGET.write_text("-- Written from the migrated database, for reading; the migrations are what runs.\n\n" + "\n".join(made), encoding="utf-8")
