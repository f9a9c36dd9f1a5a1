"""`schema.sql` is for reading; it is what the migrations make."""

from importlib import resources

from northfell.store import connect
from northfell.store.database import migrate


def test_schema_is_current(tmp_path):
    db = connect(tmp_path / "x.sqlite3")
    migrate(db)
    made = [row["sql"] + ";\n" for row in db.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY rowid")]
    shipped = (resources.files("northfell.store") / "schema.sql").read_text(encoding="utf-8")
    assert shipped == "-- Written from the migrated database, for reading; the migrations are what runs.\n\n" + "\n".join(made)
