"""A second photograph of the same thing: laid on the first, or joined to it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from amber_thicket.core.align.register import Registration, register_by_points, register_photographs
from amber_thicket.core.gather.registration import RegisteredFile
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.source import Source, halvings
from amber_thicket.errors import BadSetting, NotFound
from amber_thicket.service.preview import encoded

WAYS = ("lay", "join", "free")
_LOOK, _SHOWN = 1024, 900


def _looked(source: Source, side: int) -> Any:
    return source.read(halvings(max(source.width, source.height), 2 * side - 1)).pixels


def register_file(
    evaluation: Evaluation, first: str, key: str, way: str, pairs: Sequence[Sequence[float]] = ()
) -> tuple[dict[str, Any], Registration | None]:
    """Settings that lay a file on the first photograph ("lay"), join it to that ("join"), or neither ("free").

    first, key: of the two files. pairs: places marked in both, which then count instead of what is found. Raises
    NotFound, BadSetting, UnreadableFile in words.
    """
    if key not in evaluation.files or first not in evaluation.files:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    if way not in WAYS:
        raise BadSetting(f"A file cannot be placed “{way[:20]}”.", remedy=f"Known: {', '.join(WAYS)}.", setting="way")
    if key == first and way != "free":
        raise BadSetting("The first photograph lies where it lies.", remedy="Choose another file.", setting="key")
    settings = evaluation.recipe.settings("gather.registration")
    kept = {name: [p for p in getattr(settings, name) if p.file != key] for name in ("files", "joined")}
    found: Registration | None = None
    if way != "free":
        if pairs:
            found = register_by_points(pairs)
        else:
            pictures = (_looked(evaluation.files[one], _LOOK) for one in (first, key))
            found = register_photographs(*pictures, outlines=way == "lay")
        matrix = tuple(round(float(v), 9) for v in np.asarray(found.matrix).ravel())
        place = RegisteredFile(file=key, matrix=matrix)
        kept["joined" if way == "join" else "files"] = [place] if way == "join" else [*kept["files"], place]
    return {f"gather.registration.{name}": rows for name, rows in kept.items()}, found


def describe_registration(found: Registration | None) -> str:
    """In words, how sure the place of a file is."""
    if found is None:
        return "It lies as it was photographed."
    by = {"features": "points that both show", "outline": "its outline", "points": "the marked places"}[found.how]
    rest = "" if found.rest is None else f", {found.rest:.1f} px of 1024 apart"
    return f"Told by {by}: {found.sure:.0%} sure{rest}."


def picture(evaluation: Evaluation, key: str) -> bytes:
    """A file as it was photographed, as JPEG."""
    source = evaluation.files.get(key)
    if source is None:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    return encoded(encode_srgb8(np.ascontiguousarray(_looked(source, _SHOWN).clip(0, 1))), "jpg", 86)
