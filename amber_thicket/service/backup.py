"""A data folder in one file, taken while it is in use, and back again.

The file is a zip without compression: manifest.json first, then the database as it was at one moment, then every stored
file the database speaks of. Sources: SQLite online backup API; ZIP application note 6.3 (zip64).
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import re
import shutil
import sqlite3
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Any

from amber_thicket import __version__
from amber_thicket.errors import BadRecipe, ThicketError, UnreadableFile
from amber_thicket.service.space import copying, users_of_blobs
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.database import FILE, MIGRATIONS, check_folder, damaged
from amber_thicket.store.disk import disk_trouble, free_bytes, full

FORMAT, VERSION = "amber-thicket-backup", 1
_MANIFEST = "manifest.json"
_ENTRY = re.compile(r"blobs/([0-9a-f]{2})/(\1[0-9a-f]{62})|cache/[\w.-]{1,120}|" + re.escape(FILE))
_PART = 1 << 20
Report = Callable[[float, str], None]


def back_up(folder: Path, target: Path, report: Report = lambda share, what: None) -> dict[str, Any]:
    """Write a data folder into one file, also while a server works on it: the manifest, with "left_out" naming blobs
    that are damaged or missing. target appears only when it is whole. Raises ThicketError, WriteFailed."""
    if not (folder / FILE).exists():
        raise ThicketError(f"There is no library in {folder}.", remedy="Give its folder with --data.")
    aside = target.with_name(target.name + ".part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        # Nothing is deleted from the folder until the copy is whole.
        with copying(folder), tempfile.TemporaryDirectory(dir=target.parent) as room:
            manifest = _write(folder, Path(room) / FILE, aside, report)
        aside.replace(target)
    except OSError as error:
        trouble = disk_trouble(error, target.parent)
        raise trouble or ThicketError(f"{target} could not be written ({error.strerror}).") from error
    finally:
        aside.unlink(missing_ok=True)
    return manifest


def _write(folder: Path, copy: Path, aside: Path, report: Report) -> dict[str, Any]:
    _copy_database(folder / FILE, copy)
    blobs = open_blobs(folder)
    wanted, left_out = _used_by(copy), []
    for name in sorted(wanted):
        if not blobs.intact(name):
            left_out.append({"blob": name, "used_by": sorted(wanted.pop(name))})
    cached = sorted((folder / "cache").glob("*.bin"))
    length = len(wanted) + len(cached)
    manifest = {
        "format": FORMAT,
        "version": VERSION,
        "program": __version__,
        "created": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
        "schema": len(MIGRATIONS),
        "database": _digest(copy),
        "files": length,
        "bytes": sum(map(blobs.size, wanted)) + sum(path.stat().st_size for path in cached) + copy.stat().st_size,
        "left_out": left_out,
    }
    with aside.open("wb") as raw:
        with zipfile.ZipFile(raw, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            archive.writestr(_MANIFEST, json.dumps(manifest, indent=2))
            archive.write(copy, FILE)
            for number, name in enumerate(sorted(wanted)):
                inside = f"blobs/{name[:2]}/{name}"
                with blobs.open(name) as file, archive.open(inside, "w", force_zip64=True) as into:
                    shutil.copyfileobj(file, into, 1 << 20)
                report((number + 1) / length, inside)
            for path in cached:
                archive.write(path, f"cache/{path.name}")
        raw.flush()
        os.fsync(raw.fileno())
    return manifest


def _copy_database(source: Path, copy: Path) -> None:
    """The database as it is at one moment, whoever writes to it meanwhile."""
    opening = contextlib.closing(sqlite3.connect(source, timeout=30))
    try:
        with opening as opened, contextlib.closing(sqlite3.connect(copy)) as made:
            opened.backup(made)
            made.execute("pragma journal_mode=delete")
    except sqlite3.DatabaseError as error:
        raise disk_trouble(error, source.parent) or damaged(source.parent, str(error)) from None


def _used_by(copy: Path) -> dict[str, set[str]]:
    """Who uses each blob, as a copied database tells it."""
    with contextlib.closing(sqlite3.connect(copy)) as opened:
        materials = opened.execute("select id, source, thumbnail from material").fetchall()
        jobs = opened.execute("select id, state, payload, result from job").fetchall()
    return users_of_blobs(
        ((id, json.loads(source), thumbnail) for id, source, thumbnail in materials),
        ((id, state, json.loads(payload), json.loads(result or "null")) for id, state, payload, result in jobs),
    )


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def restore(backup: Path, folder: Path, report: Report = lambda share, what: None) -> dict[str, Any]:
    """Make a data folder of a backup: its manifest. folder must not hold anything yet, and appears only when everything
    in it is what was backed up. Raises UnreadableFile, BadRecipe, ThicketError, WriteFailed."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise ThicketError(
            f"{folder} is not empty.", remedy="Restore into a new folder; nothing is overwritten.", folder=str(folder)
        )
    aside = folder.with_name(folder.name + ".restoring")
    try:
        archive = zipfile.ZipFile(backup)
    except (OSError, zipfile.BadZipFile) as error:
        raise UnreadableFile(f"{backup} is no backup that can be read ({error}).", remedy="Give another.") from None
    with archive:
        manifest = _manifest(archive, backup)
        needed = int(manifest["bytes"])
        folder.parent.mkdir(parents=True, exist_ok=True)
        if free_bytes(folder.parent) < needed:
            raise full(folder.parent, needed)
        shutil.rmtree(aside, ignore_errors=True)
        try:
            for number, info in enumerate(archive.infolist()):
                if info.filename != _MANIFEST:
                    _unpack(archive, info, aside, manifest)
                    report((number + 1) / len(archive.infolist()), info.filename)
            (aside / "blobs" / "incoming").mkdir(parents=True, exist_ok=True)
            check_folder(aside)
            if folder.exists():
                folder.rmdir()
            aside.rename(folder)
        except (OSError, zipfile.BadZipFile) as error:
            trouble = isinstance(error, OSError) and disk_trouble(error, folder.parent, needed)
            raise trouble or UnreadableFile(f"{backup} is damaged ({error}).", remedy="Give another backup.") from error
        finally:
            shutil.rmtree(aside, ignore_errors=True)
    return manifest


def _manifest(archive: zipfile.ZipFile, backup: Path) -> dict[str, Any]:
    try:
        manifest: dict[str, Any] = json.loads(archive.read(_MANIFEST))
        version = manifest["version"] if manifest["format"] == FORMAT else 0
    except (KeyError, ValueError, TypeError, zipfile.BadZipFile):
        version = 0
    if not version:
        raise UnreadableFile(f"{backup} is no backup of this program.", remedy="Give a file that “backup” wrote.")
    if version > VERSION or manifest["schema"] > len(MIGRATIONS):
        raise BadRecipe(f"{backup} was written by a newer release.", remedy="Restore it with that release.")
    return manifest


def _unpack(archive: zipfile.ZipFile, info: zipfile.ZipInfo, folder: Path, manifest: dict[str, Any]) -> None:
    found = _ENTRY.fullmatch(info.filename)
    if not found:
        raise UnreadableFile(f"The backup holds “{info.filename[:80]}”, which no backup holds.", remedy="Give another.")
    wanted = manifest["database"] if info.filename == FILE else found[2]
    target = folder / info.filename
    target.parent.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256()
    with archive.open(info) as source, target.open("wb") as file:
        for part in _parts(source):
            digest.update(part)
            file.write(part)
        file.flush()
        os.fsync(file.fileno())
    if wanted and digest.hexdigest() != wanted:
        raise UnreadableFile(f"{info.filename} in the backup is damaged.", remedy="Give another backup.")


def _parts(source: IO[bytes]) -> Iterator[bytes]:
    while part := source.read(_PART):
        yield part
