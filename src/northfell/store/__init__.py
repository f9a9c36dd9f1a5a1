"""SQLite: schema, migrations, and one small module per table group. Plain SQL; the caller owns the transaction."""

from northfell.store.database import connect, transaction

__all__ = ["connect", "transaction"]
