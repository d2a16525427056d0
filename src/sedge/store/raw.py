"""The SQLite connection under SQLAlchemy's, for what millions of rows are written by."""

import sqlite3

from sqlalchemy import Connection


def raw_of(connection: Connection) -> sqlite3.Connection:
    """Raises RuntimeError for a connection that is closed."""
    raw: sqlite3.Connection | None = connection.connection.driver_connection
    if raw is None:
        raise RuntimeError("the connection is closed")
    return raw
