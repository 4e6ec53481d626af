"""From every released version of a recipe to the present one, a step at a time. What is written here stays for ever.

A step takes the operations of one version and gives those of the next: {"stage.operation": {"setting": value}}, plain
JSON data. It never looks at what the present program knows, and leaves what it does not know as it is.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from amber_thicket.core.migrations import v1_to_v2, v2_to_v3, v3_to_v4, v4_to_v5, v5_to_v6, v6_to_v7

Operations = dict[str, dict[str, Any]]
# MIGRATIONS[n - 1] leads from version n to n + 1.
MIGRATIONS: tuple[Callable[[Operations], Operations], ...] = (
    v1_to_v2.migrated,
    v2_to_v3.migrated,
    v3_to_v4.migrated,
    v4_to_v5.migrated,
    v5_to_v6.migrated,
    v6_to_v7.migrated,
)
VERSION = len(MIGRATIONS) + 1


def migrated(operations: Operations, version: int) -> Operations:
    """Operations of a version as those of the present one. Raises ValueError in words where they are damaged."""
    for step in MIGRATIONS[version - 1 :]:
        operations = step(operations)
    return operations
