"""A line of the table."""

from __future__ import annotations

from typing import NamedTuple


class Row(NamedTuple):
    what: str
    measured: str
    limit: str
    good: bool
