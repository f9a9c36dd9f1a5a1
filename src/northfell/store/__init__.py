"""SQLite: schema, migrations, and one small module per table group. Plain SQL; the caller owns the transaction."""

from northfell.store.database import Connections, connect, person_of, transaction

__all__ = ["Connections", "connect", "person_of", "transaction"]
