"""The disk under a data folder: how full it is, what a full one means, and a reserve that lets the books be closed."""

from __future__ import annotations

import contextlib
import errno
import logging
import os
import shutil
import sqlite3
import tempfile
import threading
from pathlib import Path

from peewee import DatabaseError

from amber_thicket.errors import ServiceAway, ThicketError, WriteFailed

_FULL = (errno.ENOSPC, errno.EDQUOT)
_CLOSED = (errno.EROFS, errno.EACCES, errno.EPERM)
# What the smallest change needs: a page or two of the database and of its log, with room to spare.
_LEAST = 1_000_000
RESERVE_NAME = "reserve"
log = logging.getLogger(__name__)


def free_bytes(folder: Path) -> int:
    """Bytes that can still be written into a folder; 0 when it cannot be asked."""
    try:
        return shutil.disk_usage(folder).free
    except OSError:
        return 0


def write_whole(path: Path, data: bytes) -> None:
    """Write a file that is there whole or not at all, whoever else writes it. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=path.parent, suffix=".new", delete=False) as file:
        aside = Path(file.name)
        try:
            file.write(data)
            file.close()
            aside.replace(path)
        finally:
            aside.unlink(missing_ok=True)


def full(folder: Path, needed: int = 0) -> WriteFailed:
    """The error that says which folder is full and how much room is needed there. needed: bytes, at least."""
    needed = max(needed, _LEAST)
    free = free_bytes(folder)
    return WriteFailed(
        f"The disk of the data folder {folder} is full: {free / 1e6:.1f} MB are free, "
        f"and this needs about {needed / 1e6:.1f} MB.",
        remedy="Make room there; what is in the library can still be looked at. “Space” shows what takes the room.",
        folder=str(folder),
        free=free,
        needed=needed,
    )


def disk_trouble(error: BaseException, folder: Path, needed: int = 0) -> ThicketError | None:
    """What an error of the system or the database, or one it came from, says about the disk; None when nothing does."""
    found: BaseException | None = error
    # The database takes a change back by itself when the disk is full; taking it back again fails, which says nothing.
    while found is not None:
        told = _told(found, folder, needed)
        if told:
            return told
        found = found.__cause__ or found.__context__
    return None


def _told(error: BaseException, folder: Path, needed: int) -> ThicketError | None:
    text = str(error).lower()
    if isinstance(error, OSError) and not isinstance(error, ConnectionError):
        if error.errno in _FULL:
            return full(folder, needed)
        if error.errno in _CLOSED:
            return _closed(folder, error.strerror or "not permitted")
        if error.errno == errno.EIO:
            return ServiceAway(
                f"The disk of the data folder {folder} reports an error.", remedy="Look after the disk; then try again."
            )
    if isinstance(error, (DatabaseError, sqlite3.DatabaseError)):
        if "is full" in text or ("disk i/o error" in text and free_bytes(folder) < _LEAST):
            return full(folder, needed)
        if "readonly" in text or "unable to open" in text:
            return _closed(folder, "it is read-only")
        if "malformed" in text or "not a database" in text or "disk i/o error" in text:
            return ServiceAway(
                f"The database in {folder} is damaged.",
                remedy="Stop the program and run “amber-thicket doctor” on this folder.",
            )
        if "locked" in text or "busy" in text:
            return ServiceAway("The database is busy.", remedy="Try again in a moment.")
    return None


def _closed(folder: Path, why: str) -> WriteFailed:
    return WriteFailed(
        f"The data folder {folder} cannot be written ({why}).",
        remedy="Give this user the right to write there, or choose another folder with --data.",
        folder=str(folder),
    )


class Disk:
    """The disk of a data folder. Holds a small reserve, which is let go when the disk is full, so that the database can
    finish what it began, and taken again when there is room."""

    RESERVE = 4_000_000

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._file = folder / RESERVE_NAME
        self._lock = threading.Lock()
        self._full = False

    @property
    def free(self) -> int:
        return free_bytes(self._folder)

    @property
    def is_full(self) -> bool:
        """Whether a write failed for want of room and none has come since."""
        return self._full

    def reserve(self) -> None:
        """Take the reserve where there is room for several of it."""
        with self._lock, contextlib.suppress(OSError):
            if self.free > 4 * self.RESERVE and not self._holds():
                with self._file.open("wb") as file:
                    os.posix_fallocate(file.fileno(), 0, self.RESERVE)
            if self.free > 4 * self.RESERVE:
                self._full = False

    def _holds(self) -> bool:
        return self._file.exists() and self._file.stat().st_size >= self.RESERVE

    def let_go_when_full(self) -> None:
        """Before the database is opened: without any room it could not be, not even to look at what is in it."""
        if self.free < _LEAST:
            self.hurt()

    def hurt(self) -> None:
        """A write failed; if it was for want of room, the reserve is let go."""
        with self._lock:
            if self.free > 4 * self.RESERVE:
                return
            self._full = True
            with contextlib.suppress(OSError):
                if self._file.exists():
                    self._file.unlink()
                    log.warning("the disk of %s is full; the reserve was let go", self._folder)
