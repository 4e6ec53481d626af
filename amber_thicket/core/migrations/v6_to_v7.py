"""Version 6 called what somebody let be check.limits.let_be at first, and check.limits.waived later.

At first it did not say where that was, so what has a place wants to be looked at once more.
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
