"""Bytes by their SHA-256: written aside, synced, then renamed, so that a name never holds half a file."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import threading
import time
import uuid
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from amber_thicket.errors import DamagedBlob, NotFound, TooLarge, WriteFailed
from amber_thicket.store.disk import disk_trouble, free_bytes, full

NAME = re.compile(r"[0-9a-f]{64}")
INCOMING, DAMAGED = "incoming", "damaged"
_PART = 1 << 20
# Room that is left to the database when a large file comes in.
_MARGIN = 2_000_000


@dataclass
class Incoming:
    """A file that was received and has no name yet. name: its SHA-256. It is gone unless it is kept."""

    path: Path
    name: str
    length: int

    def read(self) -> bytes:
        return self.path.read_bytes()


class Blobs:
    """A folder of blobs: blobs/ab/abcdef…"""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        (folder / INCOMING).mkdir(parents=True, exist_ok=True)
        # Blobs whose bytes were found to be what their name says, with size and time of change as they were then.
        self._proven: dict[str, tuple[int, int]] = {}
        self._lock = threading.Lock()

    @property
    def folder(self) -> Path:
        return self._folder

    def path(self, name: str) -> Path:
        """Where a blob lies. Raises NotFound when the name is not a blob's."""
        if not NAME.fullmatch(name):
            raise NotFound(f"There is no blob “{name[:80]}”.")
        return self._folder / name[:2] / name

    def put(self, parts: Iterable[bytes], *, limit: int | None = None) -> tuple[str, int]:
        """Store bytes given in parts; returns (name, length). Raises TooLarge, WriteFailed; leaves nothing behind."""
        with self.receive(parts, limit=limit) as incoming:
            self.keep(incoming)
        return incoming.name, incoming.length

    @contextmanager
    def receive(self, parts: Iterable[bytes], *, limit: int | None = None, expected: int = 0) -> Iterator[Incoming]:
        """Bytes given in parts, to be looked at before they are kept. What is not kept by the end is gone.

        expected: bytes that are announced, 0 when nobody knows. Raises TooLarge, WriteFailed.
        """
        aside = self._folder / INCOMING / uuid.uuid4().hex
        digest, length = hashlib.sha256(), 0
        if limit is not None and expected > limit:
            raise _over(limit)
        if expected and free_bytes(self._folder) < expected + _MARGIN:
            raise full(self._folder.parent, expected + _MARGIN)
        try:
            try:
                with aside.open("wb") as file:
                    for part in parts:
                        length += len(part)
                        if limit is not None and length > limit:
                            raise _over(limit)
                        digest.update(part)
                        file.write(part)
                    file.flush()
                    os.fsync(file.fileno())
            except ConnectionError:
                # The sender went away; that is not the disk's fault.
                raise
            except OSError as error:
                raise self._unwritten(error, max(expected, length)) from error
            yield Incoming(aside, digest.hexdigest(), length)
        finally:
            aside.unlink(missing_ok=True)

    def keep(self, incoming: Incoming) -> None:
        """Give a received file its name. Raises WriteFailed."""
        target = self.path(incoming.name)
        try:
            target.parent.mkdir(exist_ok=True)
            incoming.path.replace(target)
            self._sync(target.parent)
        except OSError as error:
            raise self._unwritten(error, incoming.length) from error
        # What was just written was hashed on its way; a damaged one of the same name is replaced by it.
        self._prove(incoming.name, target)

    def adopt(self, path: Path) -> tuple[str, int]:
        """Take a file that was written into incoming/ as it is, without a copy: (name, length). Raises WriteFailed."""
        try:
            with path.open("rb") as file:
                os.fsync(file.fileno())
                name = hashlib.file_digest(file, "sha256").hexdigest()
            incoming = Incoming(path, name, path.stat().st_size)
        except OSError as error:
            raise self._unwritten(error, 0) from error
        self.keep(incoming)
        return incoming.name, incoming.length

    def _unwritten(self, error: OSError, needed: int) -> WriteFailed:
        trouble = disk_trouble(error, self._folder.parent, needed)
        if isinstance(trouble, WriteFailed):
            return trouble
        return WriteFailed(
            f"The data folder could not be written ({error.strerror}).",
            remedy="Make room on the disk or choose another folder with --data.",
        )

    @staticmethod
    def _sync(folder: Path) -> None:
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)

    def get(self, name: str) -> bytes:
        """The bytes of a blob, held against its name when it is first opened. Raises NotFound, DamagedBlob."""
        path = self.path(name)
        try:
            data = path.read_bytes()
        except FileNotFoundError:
            raise NotFound(f"The blob {name[:12]}… is missing from the data folder.") from None
        except OSError as error:
            raise _damaged(name, f"cannot be read ({error.strerror})") from None
        if not self._is_proven(name, path):
            if hashlib.sha256(data).hexdigest() != name:
                raise _damaged(name, "is not what was stored")
            self._prove(name, path)
        return data

    def verified(self, name: str) -> Path:
        """Where a blob lies, its bytes held against its name. Raises NotFound, DamagedBlob."""
        path = self.path(name)
        if not path.exists():
            raise NotFound(f"The blob {name[:12]}… is missing from the data folder.")
        if not self._is_proven(name, path):
            if not self.intact(name):
                raise _damaged(name, "is not what was stored")
            self._prove(name, path)
        return path

    def intact(self, name: str) -> bool:
        """Whether the bytes on the disk are what the name says, read anew."""
        digest = hashlib.sha256()
        try:
            with self.path(name).open("rb") as file:
                while part := file.read(_PART):
                    digest.update(part)
        except OSError:
            return False
        return digest.hexdigest() == name

    def _prove(self, name: str, path: Path) -> None:
        with contextlib.suppress(OSError):
            found = path.stat()
            with self._lock:
                self._proven[name] = found.st_size, found.st_mtime_ns

    def _is_proven(self, name: str, path: Path) -> bool:
        found = path.stat()
        with self._lock:
            return self._proven.get(name) == (found.st_size, found.st_mtime_ns)

    def touch(self, name: str) -> None:
        """Somebody is about to use a blob that nothing refers to yet: its day of grace begins anew."""
        with contextlib.suppress(OSError):
            path = self.path(name)
            proven = self._is_proven(name, path)
            os.utime(path)
            if proven:
                self._prove(name, path)

    def size(self, name: str) -> int:
        """Bytes of a blob; 0 when it is not there."""
        try:
            return self.path(name).stat().st_size
        except OSError:
            return 0

    def listed(self) -> Iterator[tuple[str, int, float]]:
        """(name, bytes, time of change) of every blob."""
        for folder in sorted(self._folder.iterdir()):
            if len(folder.name) != 2 or not folder.is_dir():
                continue
            for path in sorted(folder.iterdir()):
                if NAME.fullmatch(path.name):
                    with contextlib.suppress(FileNotFoundError):
                        found = path.stat()
                        yield path.name, found.st_size, found.st_mtime

    def delete(self, name: str) -> int:
        """Let a blob go; the bytes that came back."""
        size = self.size(name)
        self.path(name).unlink(missing_ok=True)
        with self._lock:
            self._proven.pop(name, None)
        return size

    def set_aside(self, name: str) -> Path:
        """Move a damaged blob out of the way, to blobs/damaged; where it lies then."""
        (self._folder / DAMAGED).mkdir(exist_ok=True)
        target = self._folder / DAMAGED / name
        self.path(name).replace(target)
        return target

    def sweep(self, older: float = 0.0) -> int:
        """Remove what a crash left in incoming/, not touched for so many seconds; how many files."""
        swept = 0
        for path in (self._folder / INCOMING).iterdir():
            with contextlib.suppress(OSError):
                if time.time() - path.stat().st_mtime >= older:
                    path.unlink()
                    swept += 1
        return swept


def _over(limit: int) -> TooLarge:
    return TooLarge(f"The file is over {limit / 1e6:.0f} MB.", remedy="Make it smaller.", limit=limit)


def _damaged(name: str, what: str) -> DamagedBlob:
    return DamagedBlob(
        f"The stored file {name[:12]}… {what}.",
        remedy="Bring the file in again, or restore a backup; “amber-thicket doctor” names all that is damaged.",
        blob=name,
    )
