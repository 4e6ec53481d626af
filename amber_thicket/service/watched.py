"""A watched folder: what is dropped there becomes materials once it stands still. Nothing in the folder is changed."""

from __future__ import annotations

import json
import logging
import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from amber_thicket.core.gather.roles import families
from amber_thicket.errors import ThicketError
from amber_thicket.service.from_paths import is_picture
from amber_thicket.service.incoming import Brought, sort, take
from amber_thicket.service.library import Library
from amber_thicket.service.settling import settle
from amber_thicket.store.models import Material

# A file whose size and time stood still for so long is whole; so are all new ones beside it.
STILL_SECONDS = 5.0
_UNFINISHED = (".part", ".partial", ".tmp", ".crdownload", ".download")
_MOST_REFUSED = 200
log = logging.getLogger(__name__)


class Seen(NamedTuple):
    """A file as it was seen: size in bytes, time of its last change."""

    size: int
    changed: int


class FileGroup(NamedTuple):
    """Files of one surface, in one folder."""

    files: tuple[Path, ...]


class WatchedFolder:
    """Knows which files of a folder and of the folders in it were taken already, also after a restart.

    kept: file that remembers them. clock: seconds, never back.
    """

    def __init__(self, folder: Path, kept: Path, clock: Callable[[], float] = time.monotonic) -> None:
        self.folder, self._kept, self._clock = folder, kept, clock
        self._since: dict[Path, tuple[Seen, float]] = {}
        self.taken = 0
        self.refused: list[dict[str, str]] = []
        self._known: dict[str, list[int]] = {}
        try:
            told = json.loads(kept.read_text())
            self._known, self.taken, self.refused = dict(told["files"]), int(told["taken"]), list(told["refused"])
        except (OSError, ValueError, KeyError, TypeError):
            pass

    def ready_groups(self) -> list[FileGroup]:
        """What is new and stands still, surface by surface; nothing of a folder in which something still grows."""
        found: list[FileGroup] = []
        for folder in self._folders():
            fresh = {path: seen for path, seen in self._files(folder) if self._known.get(str(path)) != list(seen)}
            # Each is looked at, so that all are timed from now on.
            still = [self._stands_still(path, seen) for path, seen in fresh.items()]
            if fresh and all(still):
                found += self._grouped(folder, list(fresh))
        return found

    def _folders(self) -> list[Path]:
        try:
            inside = sorted(one for one in self.folder.iterdir() if one.is_dir() and not one.name.startswith("."))
        except OSError as error:
            log.warning("the watched folder %s cannot be read: %s", self.folder, error.strerror)
            return []
        return [self.folder, *inside]

    def _files(self, folder: Path) -> Iterator[tuple[Path, Seen]]:
        try:
            entries = sorted(os.scandir(folder), key=lambda entry: entry.name)
        except OSError:
            return
        for entry in entries:
            if entry.name.startswith(".") or entry.name.lower().endswith(_UNFINISHED) or not entry.is_file():
                continue
            stat = entry.stat()
            if stat.st_size:
                yield Path(entry.path), Seen(stat.st_size, stat.st_mtime_ns)

    def _stands_still(self, path: Path, seen: Seen) -> bool:
        before = self._since.get(path)
        if before is None or before[0] != seen:
            self._since[path] = seen, self._clock()
            return False
        return self._clock() - before[1] >= STILL_SECONDS

    def _grouped(self, folder: Path, paths: list[Path]) -> list[FileGroup]:
        pictures = []
        for path in paths:
            try:
                if is_picture(path):
                    pictures.append(path)
                else:
                    self._remember([path])
            except OSError:
                # It is gone, or cannot be read yet.
                self._since.pop(path, None)
        by_name = {path.name: path for path in pictures}
        parts = families(list(by_name)) if by_name else []
        if folder != self.folder and len(parts) > 1 and all(len(part) == 1 for part in parts):
            # A folder within it may hold one surface: what its pictures are together is seen in them.
            return [FileGroup(tuple(pictures))]
        return [FileGroup(tuple(by_name[name] for name in part)) for part in parts]

    def done(self, group: FileGroup, made: int, why: str = "") -> None:
        """Files were taken, or refused with a reason; neither is tried again until they change."""
        self.taken += made
        if why:
            told = {"files": ", ".join(path.name for path in group.files), "why": why}
            self.refused = [told, *self.refused][:_MOST_REFUSED]
        self._remember(group.files)

    def _remember(self, paths: Any) -> None:
        for path in paths:
            try:
                stat = path.stat()
            except OSError:
                continue
            self._known[str(path)] = [stat.st_size, stat.st_mtime_ns]
            self._since.pop(path, None)
        aside = self._kept.with_suffix(".new")
        aside.write_text(json.dumps({"files": self._known, "taken": self.taken, "refused": self.refused}))
        aside.replace(self._kept)


def import_group(library: Library, group: FileGroup) -> list[Material]:
    """Materials of files that belong together, as what they surely are. Raises ThicketError, OSError."""
    if len(group.files) == 1:
        path = group.files[0]
        return [library.add([path.read_bytes()], path.name)]
    brought = []
    for path in group.files:
        blob, _ = library.blobs.put([path.read_bytes()])
        brought.append(Brought(blob, path.name))
    found = sort(library, brought)
    if not found.sure:
        # Nobody is there to be asked: a surface each, which can be brought together in the library.
        found = sort(library, brought, "apart")
    made = take(library, found.kind, [(brought[row.at], row.role) for row in found.rows])
    for material in made if found.kind in ("parts", "cutout", "two_lights") else ():
        keys = [info["key"] for info in material.source.get("more", [])]
        settle(library, str(material.id), keys)
    return made


def describe_error(error: Exception) -> str:
    """Why something was not taken, in words."""
    if isinstance(error, ThicketError):
        return f"{error.message} {error.remedy}".strip()
    return getattr(error, "strerror", None) or f"{type(error).__name__}: {error}"
