"""What the labels of a project are printed on and say beside their figures: own stock, own words, a logo. Not a part of the network."""

import json
from sqlite3 import Connection
from typing import Any


def put_stock(db: Connection, project_id: int, name: str, told: dict[str, Any]) -> None:
    """Keep a stock under its name."""
    db.execute("INSERT OR REPLACE INTO label_stock (project_id, name, told) VALUES (?, ?, ?)", (project_id, name, json.dumps(told)))


def remove_stock(db: Connection, project_id: int, name: str) -> None:
    db.execute("DELETE FROM label_stock WHERE project_id = ? AND name = ?", (project_id, name))


def stocks(db: Connection, project_id: int) -> dict[str, dict[str, Any]]:
    """By name."""
    rows = db.execute("SELECT name, told FROM label_stock WHERE project_id = ? ORDER BY name", (project_id,))
    return {row["name"]: json.loads(row["told"]) for row in rows}


def put_words(db: Connection, project_id: int, language: str, told: dict[str, str]) -> None:
    """Keep what a project says in a language otherwise than is shipped."""
    db.execute("INSERT OR REPLACE INTO label_words (project_id, language, told) VALUES (?, ?, ?)", (project_id, language, json.dumps(told)))


def words(db: Connection, project_id: int) -> dict[str, dict[str, str]]:
    """By language."""
    rows = db.execute("SELECT language, told FROM label_words WHERE project_id = ?", (project_id,))
    return {row["language"]: json.loads(row["told"]) for row in rows}


def put_logo(db: Connection, project_id: int, png: bytes, shape: float) -> None:
    """Keep a picture, with its width over its height."""
    db.execute("INSERT OR REPLACE INTO label_logo (project_id, png, shape) VALUES (?, ?, ?)", (project_id, png, shape))


def remove_logo(db: Connection, project_id: int) -> None:
    db.execute("DELETE FROM label_logo WHERE project_id = ?", (project_id,))


def logo(db: Connection, project_id: int) -> tuple[bytes, float] | None:
    """The picture and its shape; None where there is none."""
    row = db.execute("SELECT png, shape FROM label_logo WHERE project_id = ?", (project_id,)).fetchone()
    return (row["png"], row["shape"]) if row else None
