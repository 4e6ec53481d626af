"""Version 4 read roughness from tone and detail, light in the picture and all. Version 5 reads recesses, grain and
paleness without it; recipes keep theirs.
"""

from __future__ import annotations

from typing import Any

Operations = dict[str, dict[str, Any]]


def migrated(operations: Operations) -> Operations:
    """response.roughness.reads as it was."""
    rough = operations.get("response.roughness", {})
    if not isinstance(rough, dict):
        return operations
    return {**operations, "response.roughness": {"reads": "tone", **rough}}
