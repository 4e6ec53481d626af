"""Bytes by their SHA-256. Everything that comes in is received aside, on this machine, and gets its name once it is
whole; where it is kept then is a kind of store: a folder here, an object store in s3_blobs.py."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import threading
import time
import uuid
from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, NamedTuple

from amber_thicket.errors import DamagedBlob, FolderTrouble, NotFound, TooLarge, WriteFailed
from amber_thicket.store.disk import disk_trouble, free_bytes, full
from amber_thicket.store.trouble import OTHER_STORE

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


class Kept(NamedTuple):
    """What a store says of a blob. changed: seconds since 1970. mark: another one when the bytes may be others."""

    size: int
    changed: float
    mark: str


class Blobs(ABC):
    """Stored bytes by the SHA-256 of them. folder: on this machine, where things are received.

    A kind of store says how whole files are kept, found, read and let go; receiving, hashing and proving is the same
    for all.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        (folder / INCOMING).mkdir(parents=True, exist_ok=True)
        # Blobs whose bytes were found to be what their name says, with the store's mark of them as it was then.
        self._proven: dict[str, str] = {}
        self._lock = threading.Lock()

    # What a kind of store does.
    @abstractmethod
    def _keep(self, path: Path, name: str) -> None:
        """Take a whole file of this machine under a name; the file may be moved or left. Raises WriteFailed."""

    @abstractmethod
    def _read(self, name: str) -> Iterator[bytes]:
        """The bytes in parts. Raises FileNotFoundError, OSError."""

    @abstractmethod
    def kept(self, name: str) -> Kept | None:
        """What the store says of a blob; None when it is not there."""

    @abstractmethod
    def listed(self) -> Iterator[tuple[str, int, float]]:
        """(name, bytes, time of change) of every blob."""

    @abstractmethod
    def _remove(self, name: str) -> None:
        """Let a blob go; nothing happens when it is not there."""

    @abstractmethod
    def _renew(self, name: str) -> None:
        """Make now its time of change."""

    @abstractmethod
    def set_aside(self, name: str) -> str:
        """Move a damaged blob out of the way; where it lies then."""

    # What is the same for all.
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
        aside = self.folder / INCOMING / uuid.uuid4().hex
        digest, length = hashlib.sha256(), 0
        if limit is not None and expected > limit:
            raise _over(limit)
        if expected and free_bytes(self.folder) < expected + _MARGIN:
            raise full(self.folder.parent, expected + _MARGIN)
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
        self._check_name(incoming.name)
        try:
            self._keep(incoming.path, incoming.name)
        except OSError as error:
            raise self._unwritten(error, incoming.length) from error
        # What was just written was hashed on its way; a damaged one of the same name is replaced by it.
        self._prove(incoming.name)

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
        trouble = disk_trouble(error, self.folder.parent, needed)
        if isinstance(trouble, WriteFailed):
            return trouble
        return WriteFailed(
            f"The data folder could not be written ({error.strerror}).",
            remedy="Make room on the disk or choose another folder with --data.",
        )

    @staticmethod
    def _check_name(name: str) -> None:
        """Raises NotFound when the name is not a blob's."""
        if not NAME.fullmatch(name):
            raise NotFound(f"There is no blob “{name[:80]}”.")

    def get(self, name: str) -> bytes:
        """The bytes of a blob, held against its name when it is first opened. Raises NotFound, DamagedBlob."""
        self._check_name(name)
        try:
            data = b"".join(self._read(name))
        except FileNotFoundError:
            raise _missing(name) from None
        except OSError as error:
            raise _damaged(name, f"cannot be read ({error.strerror or error})") from None
        if not self._is_proven(name):
            if hashlib.sha256(data).hexdigest() != name:
                raise _damaged(name, "is not what was stored")
            self._prove(name)
        return data

    @abstractmethod
    def open(self, name: str) -> BinaryIO:
        """A blob as a file to read, which its reader closes, its bytes held against its name. Raises NotFound,
        DamagedBlob."""

    def _check_sound(self, name: str) -> None:
        """Raises NotFound, DamagedBlob."""
        self._check_name(name)
        if self.kept(name) is None:
            raise _missing(name)
        if not self._is_proven(name):
            if not self.intact(name):
                raise _damaged(name, "is not what was stored")
            self._prove(name)

    def intact(self, name: str) -> bool:
        """Whether the stored bytes are what the name says, read anew."""
        digest = hashlib.sha256()
        try:
            for part in self._read(name):
                digest.update(part)
        except OSError:
            return False
        return digest.hexdigest() == name

    def _prove(self, name: str) -> None:
        found = self.kept(name)
        if found:
            with self._lock:
                self._proven[name] = found.mark

    def _is_proven(self, name: str) -> bool:
        found = self.kept(name)
        with self._lock:
            return found is not None and self._proven.get(name) == found.mark

    def touch(self, name: str) -> None:
        """Somebody is about to use a blob that nothing refers to yet: its day of grace begins anew."""
        self._check_name(name)
        with contextlib.suppress(OSError):
            proven = self._is_proven(name)
            self._renew(name)
            if proven:
                self._prove(name)

    def size(self, name: str) -> int:
        """Bytes of a blob; 0 when it is not there."""
        self._check_name(name)
        found = self.kept(name)
        return found.size if found else 0

    def delete(self, name: str) -> int:
        """Let a blob go; the bytes that came back."""
        size = self.size(name)
        self._remove(name)
        with self._lock:
            self._proven.pop(name, None)
        return size

    def sweep(self, older: float = 0.0) -> int:
        """Remove what a crash left in incoming/, not touched for so many seconds; how many files."""
        swept = 0
        for path in (self.folder / INCOMING).iterdir():
            with contextlib.suppress(OSError):
                if time.time() - path.stat().st_mtime >= older:
                    path.unlink()
                    swept += 1
        return swept


class FolderBlobs(Blobs):
    """A folder of blobs: blobs/ab/abcdef… A file is synced, then renamed, so that a name never holds half a file."""

    def path(self, name: str) -> Path:
        """Where a blob lies. Raises NotFound when the name is not a blob's."""
        self._check_name(name)
        return self.folder / name[:2] / name

    def _keep(self, path: Path, name: str) -> None:
        target = self.path(name)
        target.parent.mkdir(exist_ok=True)
        path.replace(target)
        handle = os.open(target.parent, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)

    def _read(self, name: str) -> Iterator[bytes]:
        with self.path(name).open("rb") as file:
            while part := file.read(_PART):
                yield part

    def open(self, name: str) -> BinaryIO:
        self._check_sound(name)
        return self.path(name).open("rb")

    def kept(self, name: str) -> Kept | None:
        try:
            found = self.path(name).stat()
        except OSError:
            return None
        return Kept(found.st_size, found.st_mtime, f"{found.st_size} {found.st_mtime_ns}")

    def listed(self) -> Iterator[tuple[str, int, float]]:
        for folder in sorted(self.folder.iterdir()):
            if len(folder.name) != 2 or not folder.is_dir():
                continue
            for path in sorted(folder.iterdir()):
                if NAME.fullmatch(path.name):
                    with contextlib.suppress(FileNotFoundError):
                        found = path.stat()
                        yield path.name, found.st_size, found.st_mtime

    def _remove(self, name: str) -> None:
        self.path(name).unlink(missing_ok=True)

    def _renew(self, name: str) -> None:
        os.utime(self.path(name))

    def set_aside(self, name: str) -> str:
        (self.folder / DAMAGED).mkdir(exist_ok=True)
        target = self.folder / DAMAGED / name
        self.path(name).replace(target)
        return str(target)


# Where the blobs of a data folder lie, when it is not the folder itself.
_ADDRESS = "blobs.address"


def open_blobs(folder: Path, address: str = "") -> Blobs:
    """The blobs of a data folder. address: s3://bucket/prefix for an object store; it is remembered in the folder, so
    that workers, backups and the doctor find it. Raises FolderTrouble for another address than the one in use, and
    ServiceAway where the store does not answer."""
    kept = folder / _ADDRESS
    known = kept.read_text().strip() if kept.is_file() else ""
    if address and not known:
        if has_blobs(folder):
            raise FolderTrouble(
                f"The stored files of {folder} lie in the folder itself.",
                remedy="Start without --blobs, or with another folder.",
                exit_code=OTHER_STORE,
            )
        folder.mkdir(parents=True, exist_ok=True)
        kept.write_text(f"{address}\n")
    elif address and known != address:
        raise FolderTrouble(
            f"The stored files of {folder} lie in {known}.",
            remedy=f"Start with --blobs {known}, or without --blobs.",
            exit_code=OTHER_STORE,
        )
    address = address or known
    if not address:
        return FolderBlobs(folder / "blobs")
    from amber_thicket.store.s3_blobs import S3Blobs

    return S3Blobs(folder / "blobs", address)


def has_blobs(folder: Path) -> bool:
    """Whether anything was ever stored in the data folder itself."""
    blobs = folder / "blobs"
    return blobs.is_dir() and any(len(part.name) == 2 and any(part.iterdir()) for part in blobs.iterdir())


def _missing(name: str) -> NotFound:
    return NotFound(f"The blob {name[:12]}… is missing from the data folder.")


def _over(limit: int) -> TooLarge:
    return TooLarge(f"The file is over {limit / 1e6:.0f} MB.", remedy="Make it smaller.", limit=limit)


def _damaged(name: str, what: str) -> DamagedBlob:
    return DamagedBlob(
        f"The stored file {name[:12]}… {what}.",
        remedy="Bring the file in again, or restore a backup; “amber-thicket doctor” names all that is damaged.",
        blob=name,
    )
