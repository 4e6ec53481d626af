"""Bytes by their SHA-256: written aside, synced, then renamed, so that a name never holds half a file."""

from __future__ import annotations

import hashlib
import os
import re
import uuid
from collections.abc import Iterable
from pathlib import Path

from amber_thicket.errors import NotFound, TooLarge, WriteFailed

_NAME = re.compile(r"[0-9a-f]{64}")


class Blobs:
    """A folder of blobs: blobs/ab/abcdef…"""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        (folder / "incoming").mkdir(parents=True, exist_ok=True)

    def path(self, name: str) -> Path:
        """Where a blob lies. Raises NotFound when the name is not a blob's."""
        if not _NAME.fullmatch(name):
            raise NotFound(f"There is no blob “{name[:80]}”.")
        return self._folder / name[:2] / name

    def put(self, parts: Iterable[bytes], *, limit: int | None = None) -> tuple[str, int]:
        """Store bytes given in parts; returns (name, length). Raises TooLarge, WriteFailed; leaves nothing behind."""
        aside = self._folder / "incoming" / uuid.uuid4().hex
        digest, length = hashlib.sha256(), 0
        try:
            with aside.open("wb") as file:
                for part in parts:
                    length += len(part)
                    if limit is not None and length > limit:
                        raise TooLarge(
                            f"The file is over {limit / 1e6:.0f} MB.", remedy="Make it smaller.", limit=limit
                        )
                    digest.update(part)
                    file.write(part)
                file.flush()
                os.fsync(file.fileno())
            name = digest.hexdigest()
            target = self.path(name)
            target.parent.mkdir(exist_ok=True)
            aside.replace(target)
            self._sync(target.parent)
        except ConnectionError:
            # The sender went away; that is not the disk's fault.
            raise
        except OSError as error:
            raise WriteFailed(
                f"The data folder could not be written ({error.strerror}).",
                remedy="Make room on the disk or choose another folder with --data.",
            ) from error
        finally:
            aside.unlink(missing_ok=True)
        return name, length

    @staticmethod
    def _sync(folder: Path) -> None:
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)

    def get(self, name: str) -> bytes:
        """The bytes of a blob. Raises NotFound."""
        try:
            return self.path(name).read_bytes()
        except FileNotFoundError:
            raise NotFound(f"The blob {name[:12]}… is missing from the data folder.") from None
