"""A freshly migrated database is exactly what the tables say; every query of the store compiles for
PostgreSQL too."""

import contextlib
import sqlite3
import sys
import tempfile
from pathlib import Path

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine
from sqlalchemy.dialects import postgresql
from sqlalchemy.schema import CreateIndex, CreateTable

from sedge.store.database import Database, metadata_of


def indexes(file: Path) -> set[str]:
    """The statements of all indexes, conditions included, which autogenerate does not compare."""
    with contextlib.closing(sqlite3.connect(file)) as connection:
        rows = connection.execute(
            "SELECT sql FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL"
        )
        return {
            " ".join(sql.replace('"', "").split())
            for (sql,) in rows
            if "alembic" not in sql and "finder" not in sql and "digits" not in sql
        }


def differences(kind: str) -> list[str]:
    """What autogenerate would still add, and tables that PostgreSQL would refuse."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "fresh.sqlite"
        Database(file, kind).migrate()
        engine = create_engine(f"sqlite:///{file}")
        with engine.connect() as connection:
            found = compare_metadata(MigrationContext.configure(connection), metadata_of(kind))
        engine.dispose()
        made = Path(folder) / "made.sqlite"
        engine = create_engine(f"sqlite:///{made}")
        metadata_of(kind).create_all(engine)
        engine.dispose()
        unlike = indexes(file) ^ indexes(made)
    wanted = [str(d) for d in found if "finder" not in str(d) and "digits" not in str(d)] + [
        f"index {statement}" for statement in sorted(unlike)
    ]
    for table in metadata_of(kind).sorted_tables:
        str(CreateTable(table).compile(dialect=postgresql.dialect()))
        for index in table.indexes:
            str(CreateIndex(index).compile(dialect=postgresql.dialect()))
    return wanted


def main() -> int:
    found = [f"{kind}: {d}" for kind in ("estate", "installation") for d in differences(kind)]
    for line in found:
        print(line)
    print(
        "migrations: up to date"
        if not found
        else "migrations: run alembic's autogenerate and commit the revision"
    )
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
