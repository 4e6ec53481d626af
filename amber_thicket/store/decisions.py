"""What took long to decide, kept on the disk beside the library: a plan that was looked at is not planned again by the
worker that packs it, nor after the next start.

A file holds numbers and names alone; classes are those of the core. It is left aside when anything about it is not as
it was written, and when the program has changed.
"""

from __future__ import annotations

import contextlib
import dataclasses
import hashlib
import importlib
import io
import json
import logging
import os
import zipfile
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.memory import nbytes
from amber_thicket.store.disk import free_bytes, write_whole

FOLDER = Path("cache") / "decisions"
# Bytes all of them may take, one of them may, and how many must stay free on the disk.
MOST, _MOST_EACH, _LEAST_FREE = 400_000_000, 60_000_000, 1_000_000_000
_CORE = "amber_thicket.core."
_TOLD = "told"
_UNREADABLE = (
    OSError, EOFError, ValueError, KeyError, TypeError, AttributeError, ImportError, zipfile.BadZipFile,
)  # fmt: skip
log = logging.getLogger(__name__)


class DecisionCache:
    """Decisions by content key in a data folder; the longest unused leave when there are too many bytes."""

    def __init__(self, folder: Path, most: int = MOST) -> None:
        self._root = folder / FOLDER
        self._most = most

    def read(self, key: str) -> Any:
        """What was kept under a key; None where nothing is, or it cannot be read."""
        path = self._path(key)
        try:
            with np.load(path, allow_pickle=False) as held:
                told = json.loads(held[_TOLD].tobytes())
                if told["key"] != key:
                    return None
                value = _decoded(told["value"], held)
        except FileNotFoundError:
            return None
        except _UNREADABLE as error:
            log.warning("what was kept in %s cannot be read (%s); it is decided anew", path, error)
            with contextlib.suppress(OSError):
                path.unlink()
            return None
        # In a folder that cannot be written, or when it just left, it is used all the same.
        with contextlib.suppress(OSError):
            os.utime(path)
        return value

    def write(self, key: str, value: Any) -> None:
        """Keep a decision, where there is room for it; without it nothing is lost."""
        if nbytes(value) > _MOST_EACH:
            return
        try:
            arrays: dict[str, NDArray[Any]] = {}
            told = json.dumps({"key": key, "value": _encoded(value, arrays)}).encode()
            parts: dict[str, Any] = {_TOLD: np.frombuffer(told, np.uint8), **arrays}
            path = self._path(key)
            path.parent.mkdir(parents=True, exist_ok=True)
            if free_bytes(path.parent) < _LEAST_FREE:
                return
            packed = io.BytesIO()
            np.savez(packed, **parts)
            write_whole(path, packed.getvalue())
            self._make_room()
        except (OSError, TypeError) as error:
            log.warning("a decision was not kept: %s", error)

    def _path(self, key: str) -> Path:
        return self._root / _program() / f"{hashlib.sha256(key.encode()).hexdigest()[:40]}.npz"

    def _make_room(self) -> None:
        files = []
        for path in self._root.rglob("*.*"):
            with contextlib.suppress(OSError):
                files.append((path.stat().st_mtime, path.stat().st_size, path))
        held = sum(size for _, size, _ in files)
        for _, size, path in sorted(files):
            if held <= self._most:
                break
            with contextlib.suppress(OSError):
                path.unlink()
            held -= size


@cache
def _program() -> str:
    """A name for the core as it is installed: what another one decided does not count."""
    root = Path(__file__).parents[1] / "core"
    parts = []
    for path in sorted(root.rglob("*.py")):
        state = path.stat()
        parts.append(f"{path.relative_to(root)} {state.st_size} {state.st_mtime_ns}")
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:16]


def _encoded(value: Any, arrays: dict[str, NDArray[Any]]) -> Any:
    """A value as plain data; its arrays go into `arrays` by their names. Raises TypeError for what has no such form."""
    if value is None or isinstance(value, bool | str) or type(value) in (int, float):
        return value
    if isinstance(value, np.ndarray | np.generic):
        array = np.asarray(value)
        if array.dtype.hasobject:
            raise TypeError("an array of objects has no plain form")
        name = f"a{len(arrays)}"
        arrays[name] = array
        return {"array": name} if isinstance(value, np.ndarray) else {"scalar": name}
    if type(value) in (tuple, list):
        return {type(value).__name__: [_encoded(one, arrays) for one in value]}
    if type(value) is dict:
        return {"dict": [[_encoded(name, arrays), _encoded(one, arrays)] for name, one in value.items()]}
    if _is_record(type(value)):
        fields = {name: _encoded(getattr(value, name), arrays) for name in _fields(type(value))}
        return {"record": f"{type(value).__module__}:{type(value).__qualname__}", "fields": fields}
    raise TypeError(f"{type(value).__name__} has no plain form")


def _decoded(told: Any, held: Any) -> Any:
    """A value from its plain form. held: the arrays. Raises KeyError, TypeError, ValueError, AttributeError."""
    if not isinstance(told, dict):
        return told
    if "record" in told:
        module, _, name = told["record"].partition(":")
        if not module.startswith(_CORE):
            raise ValueError(f"{module} holds no decisions")
        kind = importlib.import_module(module)
        for part in name.split("."):
            kind = getattr(kind, part)
        if not (isinstance(kind, type) and _is_record(kind)):
            raise ValueError(f"{name} is no record")
        return kind(**{field: _decoded(told["fields"][field], held) for field in _fields(kind)})
    ((form, content),) = told.items()
    if form == "array":
        return held[content]
    if form == "scalar":
        return held[content][()]
    if form == "dict":
        return {_decoded(key, held): _decoded(one, held) for key, one in content}
    parts = [_decoded(one, held) for one in content]
    return tuple(parts) if form == "tuple" else parts


def _is_record(kind: type) -> bool:
    """Whether a class is one of the core's own: a dataclass, or a tuple with names."""
    named = issubclass(kind, tuple) and hasattr(kind, "_fields")
    return kind.__module__.startswith(_CORE) and (dataclasses.is_dataclass(kind) or named)


def _fields(kind: Any) -> Iterator[str]:
    if dataclasses.is_dataclass(kind):
        return (field.name for field in dataclasses.fields(kind) if field.init)
    return iter(kind._fields)
