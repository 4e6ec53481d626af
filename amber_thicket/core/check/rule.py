"""What a rule is, what it looks at, what it finds."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from amber_thicket.core.files.encode import Stored, stored
from amber_thicket.core.files.file_plan import Plan, PlannedFile
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe

Level = Literal["pass", "note", "attention", "blocked", "unknown"]
ORDER: tuple[Level, ...] = ("blocked", "attention", "unknown", "note", "pass")

# What a verdict rests on: the numbers as the files will hold them; a figure of the finished maps; what statistics of
# the pictures make likely.
Basis = Literal["stored", "measured", "reading"]
# How sure it is: counted; far from the limit; within _CLOSE of it; likely; not known.
Certainty = Literal["counted", "clear", "close", "likely", "open"]
_CLOSE = 0.15


@dataclass(frozen=True)
class Fix:
    """One click: a change of settings like any other, undone like any other."""

    label: str
    changes: dict[str, Any]


@dataclass(frozen=True)
class Finding:
    """One answer of a rule. measured, limit: in words with units. map: the role it is about. box: where, as left, top,
    width, height in fractions of the tile. ratio: what was measured over its limit, 1 at the limit, more is worse; None
    where the answer is yes or no. waived: somebody looked at it and let it be; it is a note then."""

    level: Level
    measured: str
    limit: str
    map: str | None = None
    box: tuple[float, float, float, float] | None = None
    fix: Fix | None = None
    ratio: float | None = None
    waived: bool = False

    @property
    def times_limit(self) -> float | None:
        """The ratio as a plain number; None where there is none, or what was measured is beyond all bounds."""
        return float(self.ratio) if self.ratio is not None and np.isfinite(self.ratio) else None


@dataclass(frozen=True)
class Rule:
    """id: "group.name". title: what holds when it passes; fault: what is so when it does not, "" for "not so: " before
    the title. why: one sentence. source: published source, or "common practice, no source". doubt: for a reading, when
    it cannot be trusted, or how often it was right."""

    id: str
    title: str
    why: str
    source: str
    look: Callable[[Subject], Iterable[Finding]]
    basis: Basis = "measured"
    doubt: str = ""
    fault: str = ""

    def certainty(self, finding: Finding) -> Certainty:
        """How sure one of this rule's findings is."""
        if finding.level == "unknown":
            return "open"
        if finding.ratio is not None and 1 / (1 + _CLOSE) < finding.ratio < 1 + _CLOSE:
            return "close"
        if self.basis == "reading":
            return "likely"
        return "counted" if self.basis == "stored" else "clear"

    def evidence(self, size: tuple[int, int]) -> str:
        """What its findings rest on, in words. size: (width, height) of the maps that were looked at, px."""
        maps = f"maps of {size[0]} × {size[1]} px"
        if self.basis == "stored":
            return f"counted in the {maps}, as the files will hold them"
        return f"measured on the {maps}" if self.basis == "measured" else f"read from the {maps}; {self.doubt}"


@dataclass(frozen=True)
class Subject:
    """What rules look at: the maps inside, the files as they will be stored, and the recipe to mend.

    maps: all maps of one tile by role. sample: the evened picture before tiling. size: finished (width, height).
    """

    maps: dict[str, Raster]
    sample: Raster
    recipe: Recipe
    plan: Plan
    size: tuple[int, int]
    notes: dict[str, Any] = field(default_factory=dict)

    @cached_property
    def _codes(self) -> dict[str, Stored]:
        pixels = {role: raster.pixels for role, raster in self.maps.items()}
        # Floats are looked at as 16 bits.
        whole = (replace(file, floating=False, bits=16) if file.floating else file for file in self.plan.files)
        return {file.name: stored(file, pixels) for file in whole}

    def file_of(self, role: str) -> PlannedFile | None:
        """The file that holds a role, or None when it is left out."""
        return next((file for file in self.plan.files if role in file.roles), None)

    def codes(self, role: str) -> Stored | None:
        """The stored numbers of a role, exactly as the file will hold them; None when it is left out."""
        file = self.file_of(role)
        if file is None:
            return None
        codes = self._codes[file.name]
        if len(file.contents) > 1:
            codes = codes[..., file.where(role)]
            codes = codes[..., 0] if codes.shape[-1] == 1 else codes
        return (np.iinfo(codes.dtype).max - codes).astype(codes.dtype) if file.inverted(role) else codes

    def floats(self, role: str) -> Stored | None:
        """The stored numbers of a map that fills a file of floats, (H, W[, C]); None where it lies in another."""
        file = self.file_of(role)
        if file is None or not file.floating or len(file.contents) > 1:
            return None
        return stored(file, {name: raster.pixels for name, raster in self.maps.items()})

    @property
    def metal(self) -> bool:
        return bool(self.maps["metallic"].pixels.max() > 0.5)


def box_of(mask: np.ndarray) -> tuple[float, float, float, float] | None:
    """The smallest box (fractions) around what is marked, or None. mask: (H, W)."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size == 0:
        return None
    height, width = mask.shape
    return (
        float(columns[0] / width),
        float(rows[0] / height),
        float((columns[-1] + 1 - columns[0]) / width),
        float((rows[-1] + 1 - rows[0]) / height),
    )


# What rules about repeating say of a cut-out.
NOT_REPEATED = Finding("pass", "a cut-out does not repeat", "not asked")
