"""Version 2 told how many times as wide as the sample a tile was; version 3 tells how large the pattern is on the tile,
which may also show less than the sample. Relief shading was told from
the material in one way; now there is another, and recipes keep theirs.
"""

from __future__ import annotations

from typing import Any

Operations = dict[str, dict[str, Any]]


def migrated(operations: Operations) -> Operations:
    """tile.join.grow, times as wide, as tile.join.pattern, per cent; even.raking as it was. Raises ValueError in
    words."""
    return _with_reading(_with_pattern(operations))


def _with_pattern(operations: Operations) -> Operations:
    join = operations.get("tile.join", {})
    if not isinstance(join, dict) or "grow" not in join:
        return operations
    grow = join["grow"]
    if isinstance(grow, bool) or not isinstance(grow, int | float) or not 1 <= grow <= 4:
        raise ValueError("tile.join.grow must be a number from 1 to 4")
    kept = {name: value for name, value in join.items() if name != "grow"}
    return {**operations, "tile.join": {**kept, "pattern": 100 / grow}}


def _with_reading(operations: Operations) -> Operations:
    shading = operations.get("even.raking", {})
    if not isinstance(shading, dict) or "amount" not in shading:
        return operations
    return {**operations, "even.raking": {"reading": "first", **shading}}
