"""Version 3 read the height of a cut-out as that of any surface, ground and outline included, and made its mask of what
Even had made of the photograph. Version 4 looks inside the outline and at the photograph; recipes keep theirs.
"""

from __future__ import annotations

from typing import Any

Operations = dict[str, dict[str, Any]]


def migrated(operations: Operations) -> Operations:
    """tile.cutout.source and relief.cues.inside as they were, where there is a cut-out."""
    cut = operations.get("tile.cutout", {})
    if not isinstance(cut, dict) or cut.get("on") is not True:
        return operations
    cues = operations.get("relief.cues", {})
    if not isinstance(cues, dict):
        return operations
    return {**operations, "tile.cutout": {"source": "evened", **cut}, "relief.cues": {"inside": False, **cues}}
