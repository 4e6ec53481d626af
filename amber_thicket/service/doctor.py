"""Looks a data folder over: database, stored files, recipes, jobs, queue; and mends what can be mended.

Nothing is thrown away: what is damaged is moved aside, under a name that says so.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from peewee import DatabaseError, SqliteDatabase

from amber_thicket.core.recipe import from_json
from amber_thicket.errors import FolderTrouble, ThicketError
from amber_thicket.service.space import GRACE_SECONDS, used_blobs
from amber_thicket.store.blobs import INCOMING, Blobs, open_blobs
from amber_thicket.store.database import FILE, open_database, sqlite_is_sound
from amber_thicket.store.disk import free_bytes
from amber_thicket.store.lock import FolderLock
from amber_thicket.store.models import Job, Material, Step, using
from amber_thicket.store.trouble import DAMAGED_DATABASE, QUEUE_FILE

_LITTLE = 500_000_000
_HANGS_SECONDS = 3600.0


@dataclass(frozen=True)
class Diagnosis:
    """level: "ok", "attention" or "damaged". what, remedy: sentences. mended: it was put right just now."""

    level: str
    what: str
    remedy: str = ""
    mended: bool = False


def examine(folder: Path, *, repair: bool = False) -> list[Diagnosis]:
    """Findings on a data folder. repair: mend what can be mended; needs the folder for itself, and raises FolderTrouble
    when a server holds it."""
    if not folder.is_dir():
        return [Diagnosis("damaged", f"{folder} is no folder.", "Give the data folder with --data.")]
    if not repair:
        return list(_examined(folder, repair=False))
    with FolderLock(folder).acquire("doctor"):
        return list(_examined(folder, repair=True))


def _examined(folder: Path, *, repair: bool) -> Iterator[Diagnosis]:
    yield from _disk(folder)
    yield from _queue(folder, repair=repair)
    if not (folder / FILE).exists() and not (folder / "blobs").is_dir():
        yield Diagnosis("attention", f"There is no library in {folder} yet.", "Start the program on it, or restore.")
        return
    try:
        database = open_database(folder)
    except FolderTrouble as trouble:
        if not (repair and trouble.exit_code == DAMAGED_DATABASE):
            yield Diagnosis("damaged", trouble.message, trouble.remedy)
            return
        saved = _rebuild(folder)
        told = f"{trouble.message} {saved} rows were saved into a new one; the old one was kept beside it."
        yield Diagnosis("damaged", told, "Compare with a backup.", mended=True)
        database = open_database(folder)
    with using(database):
        yield from _database(database, folder)
        yield from _blobs(open_blobs(folder), repair=repair)
        yield from _recipes(repair=repair)
        yield from _jobs()
    database.close()


def _disk(folder: Path) -> Iterator[Diagnosis]:
    free = free_bytes(folder)
    if not os.access(folder, os.W_OK):
        yield Diagnosis("damaged", f"{folder} cannot be written.", "Give this user the right to write there.")
    if free < _LITTLE:
        yield Diagnosis("attention", f"Only {free / 1e6:.0f} MB are free on the disk.", "Make room.")
    else:
        yield Diagnosis("ok", f"{free / 1e9:.1f} GB are free on the disk.")


def _queue(folder: Path, *, repair: bool) -> Iterator[Diagnosis]:
    file = folder / QUEUE_FILE
    if not file.exists():
        return
    if sqlite_is_sound(file):
        yield Diagnosis("ok", "The queue can be read.")
        return
    if repair:
        kept = _set_aside(file)
        yield Diagnosis(
            "damaged", f"The queue was damaged and was moved to {kept.name}.", "Jobs are queued again.", mended=True
        )
    else:
        yield Diagnosis("damaged", f"The queue {file} is damaged.", "Run doctor --repair; no job is lost.")


def _set_aside(file: Path) -> Path:
    """Move a damaged file, and what belongs to it, out of the way."""
    stamp = time.strftime("%Y%m%d-%H%M%S")
    kept = file.with_name(f"{file.name}.damaged-{stamp}")
    file.replace(kept)
    for end in ("-wal", "-shm"):
        beside = file.with_name(file.name + end)
        if beside.exists():
            beside.replace(kept.with_name(kept.name + end))
    return kept


def _rebuild(folder: Path) -> int:
    """A new database of every row of the damaged one that can still be read; how many."""
    kept = _set_aside(folder / FILE)
    database = open_database_beside(folder)
    saved = 0
    with using(database), contextlib.closing(sqlite3.connect(kept)) as damaged:
        database.execute_sql("pragma foreign_keys=off")
        for (table,) in list(database.execute_sql("select name from sqlite_master where type='table'").fetchall()):
            if table.startswith("sqlite_"):
                continue
            known = [row[1] for row in database.execute_sql(f'pragma table_info("{table}")').fetchall()]
            saved += _copy_rows(damaged, database, table, known)
        _drop_orphans(database)
    database.close()
    return saved


def open_database_beside(folder: Path) -> SqliteDatabase:
    """A new, empty database in a folder that holds stored files."""
    with contextlib.closing(sqlite3.connect(folder / FILE)) as made:
        made.execute("pragma user_version=0")
        made.execute("create table if not exists _new (x)")
        made.execute("drop table _new")
        made.commit()
    return open_database(folder)


def _copy_rows(damaged: sqlite3.Connection, database: SqliteDatabase, table: str, known: list[str]) -> int:
    try:
        found = [row[1] for row in damaged.execute(f'pragma table_info("{table}")').fetchall()]
        columns = [name for name in known if name in found]
        names = ", ".join(f'"{name}"' for name in columns)
        rows = damaged.execute(f'select {names} from "{table}"')
    except sqlite3.DatabaseError:
        return 0
    marks = ", ".join("?" for _ in columns)
    saved = 0
    while True:
        try:
            row = rows.fetchone()
        except sqlite3.DatabaseError:
            break
        if row is None:
            break
        with contextlib.suppress(DatabaseError):
            database.execute_sql(f'insert or ignore into "{table}" ({names}) values ({marks})', row)
            saved += 1
    return saved


def _drop_orphans(database: SqliteDatabase) -> None:
    """Rows whose material was lost, and materials whose state was lost: their newest step that is left counts."""
    database.execute_sql('delete from "step" where material_id not in (select id from "material")')
    database.execute_sql('delete from "snapshot" where material_id not in (select id from "material")')
    database.execute_sql(
        'delete from "job" where material_id not null and material_id not in (select id from "material")'
    )
    for material in Material.select():
        if Step.get_or_none(Step.id == material.head) is None:
            newest = Step.select().where(Step.material == material.id).order_by(Step.id.desc()).first()
            if newest is None:
                material.delete_instance()
            else:
                material.head, material.forward = newest.id, None
                material.save()


def _database(database: SqliteDatabase, folder: Path) -> Iterator[Diagnosis]:
    found = [str(row[0]) for row in database.execute_sql("pragma integrity_check(5)").fetchall()]
    if found != ["ok"]:
        yield Diagnosis("damaged", f"The database {folder / FILE}: {'; '.join(found)}.", "Restore a backup.")
    broken = database.execute_sql("pragma foreign_key_check").fetchall()
    if broken:
        yield Diagnosis("damaged", f"{len(broken)} rows of the database belong to nothing.", "Restore a backup.")
    if found == ["ok"] and not broken:
        yield Diagnosis("ok", f"The database is sound: {Material.select().count()} materials.")


def _blobs(blobs: Blobs, *, repair: bool) -> Iterator[Diagnosis]:
    names = {str(material.id): material.name for material in Material.select(Material.id, Material.name)}
    users = used_blobs()
    sound = 0
    for blob, owners in sorted(users.items()):
        whose = ", ".join(sorted(names.get(owner, f"a job ({owner[4:]})") for owner in owners))
        if blobs.kept(blob) is None:
            yield Diagnosis("damaged", f"The stored file {blob[:12]}… of {whose} is missing.", "Restore a backup.")
        elif not blobs.intact(blob):
            if repair:
                blobs.set_aside(blob)
            told = "Bring the file in again, or restore a backup."
            yield Diagnosis("damaged", f"The stored file {blob[:12]}… of {whose} is damaged.", told, mended=False)
        else:
            sound += 1
    yield Diagnosis("ok", f"{sound} of {len(users)} stored files that are used are what their names say.")
    old = [path for path in (blobs.folder / INCOMING).iterdir() if time.time() - path.stat().st_mtime > GRACE_SECONDS]
    if old:
        if repair:
            blobs.sweep(GRACE_SECONDS)
        told = "" if repair else "They are swept at the next start."
        yield Diagnosis("attention", f"{len(old)} files were left half received.", told, mended=repair)


def _recipes(*, repair: bool) -> Iterator[Diagnosis]:
    opened = 0
    for material in Material.select():
        step = Step.get_or_none(Step.id == material.head)
        why = _unopened(step)
        if not why:
            opened += 1
            continue
        told = f"The newest state of {material.name} cannot be opened ({why})."
        better = _newest_opening(material) if repair else None
        if better:
            material.head, material.forward = better.id, None
            material.revision += 1
            material.save()
            yield Diagnosis("damaged", f"{told} It is at the newest state that can be, “{better.label}”.", mended=True)
        else:
            yield Diagnosis("damaged", told, "doctor --repair goes back to the newest state that can be opened.")
    yield Diagnosis("ok", f"{opened} recipes open.")


def _unopened(step: Step | None) -> str:
    """Why a state cannot be opened; "" when it can."""
    if step is None:
        return "it is not there"
    try:
        from_json(step.recipe)
    except ThicketError as error:
        return error.message.rstrip(".")
    except (ValueError, TypeError, AttributeError, KeyError) as error:
        return f"it is no recipe: {error}"
    return ""


def _newest_opening(material: Material) -> Step | None:
    steps = Step.select().where(Step.material == material.id).order_by(Step.id.desc())
    return next((step for step in steps.iterator() if not _unopened(step)), None)


def _jobs() -> Iterator[Diagnosis]:
    waiting = Job.unfinished()
    hanging = [job for job in waiting if time.time() - job.created > _HANGS_SECONDS]
    if hanging:
        named = ", ".join(job.title for job in hanging[:5])
        yield Diagnosis(
            "attention",
            f"{len(hanging)} jobs have not ended for over an hour ({named}).",
            "They are queued again when the program starts; see that a worker runs.",
        )
    else:
        yield Diagnosis("ok", f"{len(waiting)} jobs wait or run.")
