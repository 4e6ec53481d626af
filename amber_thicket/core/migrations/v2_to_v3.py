"""Version 2 told how many times as wide as the sample a tile was; version 3 tells how large the pattern is on the tile,
which may also show less than the sample.
"""

from __future__ import annotations

from typing import Any


def migrated(operations: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """tile.join.grow, times as wide, as tile.join.pattern, per cent. Raises ValueError in words."""
    join = operations.get("tile.join", {})
    if not isinstance(join, dict) or "grow" not in join:
        return operations
    grow = join["grow"]
    if isinstance(grow, bool) or not isinstance(grow, int | float) or not 1 <= grow <= 4:
        raise ValueError("tile.join.grow must be a number from 1 to 4")
    kept = {name: value for name, value in join.items() if name != "grow"}
    return {**operations, "tile.join": {**kept, "pattern": 100 / grow}}
