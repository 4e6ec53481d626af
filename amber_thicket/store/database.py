"""Opens the database of a data folder and brings its tables up to date by numbered migrations."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from peewee import SqliteDatabase

from amber_thicket.errors import ThicketError
from amber_thicket.store.models import LATER, TABLES, proxy


def _first(database: SqliteDatabase) -> None:
    database.create_tables(TABLES, safe=True)


def _snapshots(database: SqliteDatabase) -> None:
    database.create_tables(LATER, safe=True)


# Each brings the tables from its position to the next; never change one that has been released.
MIGRATIONS: tuple[Callable[[SqliteDatabase], None], ...] = (_first, _snapshots)


def open_database(folder: Path) -> SqliteDatabase:
    """The database of a data folder, migrated. Raises ThicketError when it is from a newer release."""
    folder.mkdir(parents=True, exist_ok=True)
    database = SqliteDatabase(
        str(folder / "thicket.sqlite3"),
        pragmas={"journal_mode": "wal", "foreign_keys": 1, "synchronous": "full", "busy_timeout": 8000},
    )
    proxy.initialize(database)
    with database.connection_context():
        version = database.pragma("user_version")
        if version > len(MIGRATIONS):
            raise ThicketError(
                f"The data folder {folder} was written by a newer release.", remedy="Start that release on it."
            )
        for number, migrate in enumerate(MIGRATIONS[version:], start=version + 1):
            with database.atomic():
                migrate(database)
                database.pragma("user_version", number)
    return database
