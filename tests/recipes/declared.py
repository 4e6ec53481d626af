"""What every setting is declared to be: its default, range, step and unit, a line each, in declared.tsv.

A recipe holds only what differs from the defaults, within the ranges: another default or a narrower range changes what
stored recipes mean. Run as a module, this writes the file anew; the change is then seen, and meant.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from amber_thicket.core.registry import OPERATIONS, SHAPES
from amber_thicket.core.settings import describe

FILE = Path(__file__).parent / "declared.tsv"


def _said(value: Any) -> str:
    return "" if value is None else f"{value:g}" if isinstance(value, int | float) else str(value)


def _lines(owner: str, rows: list[dict[str, Any]]) -> Iterator[str]:
    for row in rows:
        values = [str(choice["value"]) for choice in row["choices"]]
        numbers = [row.get(name) for name in ("default", "min", "max", "step")] if row["kind"] != "structure" else []
        yield "\t".join(
            [
                f"{owner}.{row['name']}",
                row["kind"],
                *map(_said, numbers),
                row["unit"],
                "folded" if row["folded"] else "",
                " ".join(values),
            ]
        )


def lines() -> list[str]:
    """A line for each setting of each operation, and for each value of what settings are lists of."""
    found = [line for operation in OPERATIONS for line in _lines(operation.id, describe(operation.settings))]
    return found + [line for name, shape in SHAPES.items() for line in _lines(f"({name})", describe(shape))]


if __name__ == "__main__":
    FILE.write_text("\n".join(lines()) + "\n")
