"""One server a data folder: a lock file that the system lets go of however its holder ends."""

from __future__ import annotations

import fcntl
import json
import os
import socket
import time
from pathlib import Path
from typing import IO, Any

from amber_thicket.errors import FolderTrouble
from amber_thicket.store.trouble import HELD, folder_trouble

NAME = "in-use.lock"


class FolderLock:
    """Holds a data folder for this process. Source: flock(2)."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._file: IO[str] | None = None

    def acquire(self, what: str, **facts: Any) -> FolderLock:
        """Raises FolderTrouble when another process holds the folder, saying which. what: what it is held for."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            file = (self._folder / NAME).open("a+")
        except OSError as error:
            raise folder_trouble(error, self._folder) from None
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            holder = _holder(file)
            file.close()
            raise FolderTrouble(
                f"The data folder {self._folder} is in use{holder}.",
                remedy="Stop that one first, or choose another folder with --data.",
                exit_code=HELD,
            ) from None
        told = {"what": what, "process": os.getpid(), "machine": socket.gethostname(), "since": time.time(), **facts}
        self._file = file
        try:
            file.seek(0)
            file.truncate()
            file.write(json.dumps(told))
            file.flush()
        except OSError:
            # A full disk keeps nobody from looking; the lock holds without the words.
            pass
        return self

    def release(self) -> None:
        if self._file:
            self._file.close()
            self._file = None

    def __enter__(self) -> FolderLock:
        return self

    def __exit__(self, *_: object) -> None:
        self.release()


def _holder(file: IO[str]) -> str:
    file.seek(0)
    try:
        told = json.loads(file.read())
        since = time.strftime("%Y-%m-%d %H:%M", time.localtime(told["since"]))
        where = f" at {told['address']}" if told.get("address") else ""
        return f" by process {told['process']} on {told['machine']} ({told['what']}{where}, since {since})"
    except (ValueError, KeyError, TypeError):
        return " by another process"
