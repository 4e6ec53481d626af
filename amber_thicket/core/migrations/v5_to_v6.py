"""Version 5 did not look at the glints of an exposure bracket; from version 6 on roughness does. Older brackets keep
theirs.
"""

from __future__ import annotations

from typing import Any

Operations = dict[str, dict[str, Any]]


def migrated(operations: Operations) -> Operations:
    """response.roughness.glints as it was, where photographs are merged."""
    rough, merge = (operations.get(id, {}) for id in ("response.roughness", "gather.merge"))
    if not isinstance(rough, dict) or not isinstance(merge, dict) or not merge.get("frames"):
        return operations
    return {**operations, "response.roughness": {"glints": 0.0, **rough}}
