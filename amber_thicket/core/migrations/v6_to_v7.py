"""Recipes of version 6 have been written with what was let be under another name, check.limits.let_be instead of waived.

They do not say where it was, so what has a place wants to be looked at once more.
"""

from __future__ import annotations

from typing import Any

Operations = dict[str, dict[str, Any]]


def migrated(operations: Operations) -> Operations:
    """check.limits.let_be as waived."""
    limits = operations.get("check.limits", {})
    if not isinstance(limits, dict) or "let_be" not in limits:
        return operations
    rest = {name: value for name, value in limits.items() if name != "let_be"}
    return {**operations, "check.limits": {"waived": limits["let_be"], **rest}}
