"""Opens the database of a data folder and brings its tables up to date by numbered migrations."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Callable
from pathlib import Path

from peewee import DatabaseError, SqliteDatabase

from amber_thicket.errors import FolderTrouble
from amber_thicket.store import cards
from amber_thicket.store.blobs import has_blobs
from amber_thicket.store.disk import free_bytes
from amber_thicket.store.models import (
    BATCHES,
    CAMERAS,
    LATER,
    PEOPLE,
    PROFILES,
    STARTS,
    TABLES,
    current_database,
    using,
)
from amber_thicket.store.trouble import DAMAGED_DATABASE, NEWER, NO_DATABASE, UNWRITABLE, folder_trouble

FILE = "thicket.sqlite3"
# A file in data folders that have the whole demo library.
DEMO_DONE = "demo-library"
_HEADER = b"SQLite format 3\0"


def _first(database: SqliteDatabase) -> None:
    database.create_tables(TABLES, safe=True)


def _snapshots(database: SqliteDatabase) -> None:
    database.create_tables(LATER, safe=True)


def _people(database: SqliteDatabase) -> None:
    database.create_tables(PEOPLE, safe=True)
    columns = {column.name for column in database.get_columns("job")}
    if "deaths" not in columns:
        database.execute_sql('ALTER TABLE "job" ADD COLUMN "deaths" INTEGER NOT NULL DEFAULT 0')


def _cameras(database: SqliteDatabase) -> None:
    database.create_tables(CAMERAS, safe=True)


def _profiles(database: SqliteDatabase) -> None:
    database.create_tables(PROFILES, safe=True)


def _cards(database: SqliteDatabase) -> None:
    cards.make_tables(database)
    database.create_tables(STARTS, safe=True)


def _batches(database: SqliteDatabase) -> None:
    database.create_tables(BATCHES, safe=True)


# Below so much room the database cannot make the files it works with.
_LEAST_ROOM = 1_000_000

# Each brings the tables from its position to the next; never change one that has been released.
MIGRATIONS: tuple[Callable[[SqliteDatabase], None], ...] = (
    _first,
    _snapshots,
    _people,
    _cameras,
    _profiles,
    _cards,
    _batches,
)


def open_database(folder: Path) -> SqliteDatabase:
    """The database of a data folder, migrated. Raises FolderTrouble when it is damaged, missing beside stored files,
    cannot be written, or is from a newer release; nothing is changed then."""
    check_folder(folder)
    database = SqliteDatabase(
        str(folder / FILE),
        pragmas={"journal_mode": "wal", "foreign_keys": 1, "synchronous": "full", "busy_timeout": 8000},
    )
    current_database.initialize(database)
    try:
        with using(database):
            version = database.pragma("user_version")
            if version > len(MIGRATIONS):
                raise FolderTrouble(
                    f"The data folder {folder} was written by a newer release.",
                    remedy="Start that release on it.",
                    exit_code=NEWER,
                )
            for number, migrate in enumerate(MIGRATIONS[version:], start=version + 1):
                with database.atomic():
                    migrate(database)
                    database.pragma("user_version", number)
            found = database.execute_sql("pragma quick_check(1)").fetchone()
            if found[0] != "ok":
                raise damaged(folder, str(found[0]))
    except (DatabaseError, sqlite3.DatabaseError) as error:
        raise _trouble(error, folder) from None
    return database


def hold_open(folder: Path) -> sqlite3.Connection:
    """A connection that keeps the database's log and index where they are: the last one to close would remove them, and
    on a full disk nobody could make them again, not even to look."""
    held = sqlite3.connect(folder / FILE, check_same_thread=False)
    held.execute("select count(*) from material").fetchone()
    return held


def check_folder(folder: Path) -> None:
    """Raises FolderTrouble for what can be seen before the database is opened; makes the folder where there is none."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise folder_trouble(error, folder) from None
    file = folder / FILE
    if not os.access(folder, os.W_OK | os.X_OK):
        raise folder_trouble(PermissionError(13, "it is read-only"), folder)
    if not file.exists():
        if has_blobs(folder):
            raise FolderTrouble(
                f"The database {file} is missing, but there are stored files beside it.",
                remedy="Restore a backup, or choose another folder with --data; the files are left as they are.",
                exit_code=NO_DATABASE,
            )
        return
    with file.open("rb") as opened:
        head = opened.read(len(_HEADER))
    if head != _HEADER and not (head == b"" and not has_blobs(folder)):
        raise damaged(folder, "it does not begin like a database")


def sqlite_is_sound(file: Path) -> bool:
    """Whether a file is a database that can be read. One that is just being written is."""
    try:
        with contextlib.closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True, timeout=8)) as opened:
            return bool(opened.execute("pragma quick_check(1)").fetchone()[0] == "ok")
    except sqlite3.OperationalError as error:
        return "locked" in str(error) or "busy" in str(error)
    except sqlite3.DatabaseError:
        return False


def damaged(folder: Path, what: str) -> FolderTrouble:
    return FolderTrouble(
        f"The database {folder / FILE} is damaged ({' '.join(what.split())[:120]}).",
        remedy="Run “amber-thicket doctor --repair” on this folder, or restore a backup.",
        exit_code=DAMAGED_DATABASE,
    )


def _trouble(error: Exception, folder: Path) -> FolderTrouble:
    text = str(error)
    if "full" in text or ("disk I/O error" in text and free_bytes(folder) < _LEAST_ROOM):
        return folder_trouble(OSError(28, "no room"), folder)
    if "readonly" in text or "unable to open" in text:
        return FolderTrouble(
            f"The database {folder / FILE} cannot be written ({text}).",
            remedy="Give this user the right to write there, or choose another folder with --data.",
            exit_code=UNWRITABLE,
        )
    return damaged(folder, text)
