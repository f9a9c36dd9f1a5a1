"""SQLite: schema, migrations, and one small module per table group. Plain SQL; the caller owns the transaction."""

from northfell.store.database import connect, person_of, transaction

__all__ = ["connect", "person_of", "transaction"]
