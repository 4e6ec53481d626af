"""One frame for all files: how each file of a material lies in the photograph that is worked on.

A registration says how a file lies on another one. Read as a graph, they say how any file lies on any other, whichever
of them is the photograph now.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np

from amber_thicket.core.raster import Pixels

_SAME = 1e-9


def joined_files(settings: Any, colour: str, root: str) -> tuple[str, ...]:
    """The files that make up one picture with the photograph `colour`, without it; none where it is not one of them.

    settings: of gather.registration. root: the file that was brought first.
    """
    group = dict.fromkeys(name for row in settings.joined for name in (row.on or root, row.file))
    return tuple(name for name in group if name != colour) if colour in group else ()


def lie_in(settings: Any, colour: str, root: str, files: Iterable[str]) -> dict[str, Pixels]:
    """(3, 3) matrices by file: from places of the photograph `colour` to places of the file, both in 0..1.

    What was never registered is taken to lie as the first file does, and that as the photograph does where nothing
    says otherwise. settings, root: as in joined_files().
    """
    ways = _ways(settings, root)
    found = {colour: np.eye(3)}
    _spread(found, colour, ways)
    for name in (root, *files):
        if name not in found:
            found[name] = found.get(root, np.eye(3))
            _spread(found, name, ways)
    return {name: matrix / matrix[2, 2] for name, matrix in found.items()}


def placed_with(settings: Any, colour: str, root: str) -> set[str]:
    """Files whose place on a photograph is known by registrations. settings, root: as in joined_files()."""
    found = {colour: np.eye(3)}
    _spread(found, colour, _ways(settings, root))
    return set(found)


def _ways(settings: Any, root: str) -> dict[str, list[tuple[str, Pixels]]]:
    """By file: the files it hangs together with, and how places of it become places of those."""
    ways: dict[str, list[tuple[str, Pixels]]] = {}
    for row in (*settings.files, *settings.joined):
        there = np.array(row.matrix, np.float64).reshape(3, 3)
        on = row.on or root
        if on != row.file:
            ways.setdefault(on, []).append((row.file, there))
            ways.setdefault(row.file, []).append((on, np.linalg.inv(there)))
    return ways


def _spread(found: dict[str, Pixels], start: str, ways: Mapping[str, list[tuple[str, Pixels]]]) -> None:
    """Adds all files that hang together with one that is found already."""
    waiting = [start]
    while waiting:
        here = waiting.pop(0)
        for name, matrix in ways.get(here, ()):
            if name not in found:
                found[name] = matrix @ found[here]
                waiting.append(name)


def lies_as_it_is(matrix: Pixels) -> bool:
    """Whether a file lies just as the picture does."""
    return bool(np.abs(matrix - np.eye(3)).max() < _SAME)
