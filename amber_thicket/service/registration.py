"""A second photograph of the same thing: laid on the photograph that is worked on, or joined to it; and whether it
really lies there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.align.fit import PlacementFit, measure_fit
from amber_thicket.core.align.register import Registration, register_by_points, register_photographs
from amber_thicket.core.align.warp import warp_to
from amber_thicket.core.gather.frames import placed_with
from amber_thicket.core.gather.registration import RegisteredFile
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import coded_luminance, encode_srgb8
from amber_thicket.core.numeric.ground import silhouette
from amber_thicket.core.raster import Pixels
from amber_thicket.core.roles import EVERY
from amber_thicket.core.source import Source, halvings
from amber_thicket.errors import BadSetting, NotFound, UnreadableFile
from amber_thicket.service.preview import encoded

WAYS = ("lay", "join", "free")
# The name of the picture that is worked on among those of files.
PHOTOGRAPH = "photograph"
_LOOK, _SHOWN = 1024, 900


def _looked(source: Source, side: int) -> Any:
    return source.read(halvings(max(source.width, source.height), 2 * side - 1)).pixels


def _root(evaluation: Evaluation) -> str:
    return next((key for key, file in evaluation.files.items() if file is evaluation.first), "")


def _row(file: str, on: str, matrix: Pixels) -> RegisteredFile:
    entries = np.asarray(matrix / matrix[2, 2]).ravel()
    return RegisteredFile(file=file, on=on, matrix=tuple(round(float(value), 9) for value in entries))


def register_file(
    evaluation: Evaluation, key: str, way: str, pairs: Sequence[Sequence[float]] = ()
) -> tuple[dict[str, Any], Registration | None]:
    """Settings that lay a file on the picture ("lay"), join it to that ("join"), or neither ("free").

    pairs: places marked in the picture and in the file, which then count instead of what is found. Raises NotFound,
    BadSetting, UnreadableFile in words.
    """
    if key not in evaluation.files:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    if way not in WAYS:
        raise BadSetting(f"A file cannot be placed “{way[:20]}”.", remedy=f"Known: {', '.join(WAYS)}.", setting="way")
    photograph = evaluation.inputs.photograph
    if key == photograph and way != "free":
        raise BadSetting("The photograph lies where it lies.", remedy="Choose another file.", setting="key")
    settings = _let_go(evaluation, key)
    if way == "free":
        return settings, None
    # What it is laid on is the picture as it is without it.
    evaluation = evaluation.with_changes(settings)
    taken = evaluation.inputs
    if pairs:
        found = register_by_points(pairs)
    else:
        pictures = (_looked(one, _LOOK) for one in (taken.picture, evaluation.files[key]))
        found = register_photographs(*pictures, outlines=way == "lay")
    place = _row(key, photograph, found.matrix @ np.linalg.inv(taken.placed[photograph]))
    name = f"gather.registration.{'joined' if way == 'join' else 'files'}"
    return settings | {name: [*settings[name], place]}, found


def _let_go(evaluation: Evaluation, key: str) -> dict[str, Any]:
    """Settings without the place of a file; what was laid on it stays where it is on the photograph."""
    taken, root = evaluation.inputs, _root(evaluation)
    settings = evaluation.recipe.settings("gather.registration")
    kept = {}
    for name in ("files", "joined"):
        rows = []
        for row in getattr(settings, name):
            # Of two joined ones the other one goes on alone.
            if row.file == key or (name == "joined" and row.file == taken.photograph and (row.on or root) == key):
                continue
            if (row.on or root) == key and key != taken.photograph:
                on = taken.photograph
                row = _row(row.file, on, taken.placed[row.file] @ np.linalg.inv(taken.placed[on]))
            rows.append(row)
        kept[f"gather.registration.{name}"] = rows
    return kept


def place_exchanged(evaluation: Evaluation, key: str) -> dict[str, Any]:
    """Settings that keep all files in place when another file becomes the photograph, where that has to be found out.

    Nothing is changed where its place is known, where no file was placed, or where the two show nothing in common.
    """
    settings, taken = evaluation.recipe.settings("gather.registration"), evaluation.inputs
    placed = settings.files or settings.joined
    if not placed or key in placed_with(settings, taken.photograph, _root(evaluation)) or key not in evaluation.files:
        return {}
    try:
        return register_file(evaluation, key, "lay")[0]
    except UnreadableFile:
        return {}


def _laid(evaluation: Evaluation, key: str) -> tuple[Pixels, Pixels, Pixels, Pixels | None]:
    """(picture, file on its grid, where the file reaches, outline of the file on it), of some 1024 px."""
    taken = evaluation.inputs
    picture = _looked(taken.picture, _LOOK)
    factor = max(1, round(max(picture.shape[:2]) / _LOOK))
    picture = cv2.resize(
        picture, (picture.shape[1] // factor, picture.shape[0] // factor), interpolation=cv2.INTER_AREA
    )
    size = (picture.shape[1], picture.shape[0])
    pixels = _looked(evaluation.files[key], _LOOK)
    outline = silhouette(pixels)
    matrix = taken.placed[key]
    ones = np.ones(pixels.shape[:2], np.float32)
    laid = np.maximum(warp_to(pixels, matrix, size), 0)
    covered = warp_to(ones, matrix, size, beyond=0) > 0.99
    return picture, laid, covered, None if outline is None else warp_to(outline, matrix, size, beyond=0).clip(0, 1)


def fit_of(evaluation: Evaluation, key: str) -> PlacementFit:
    """Whether a file lies right on the picture, told by what both show. Raises NotFound."""
    if key not in evaluation.files or key not in evaluation.inputs.placed:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    return evaluation.memory.get(_fit_key(evaluation, key), lambda: measure_fit(*_laid(evaluation, key)))


def fits_of(evaluation: Evaluation) -> dict[str, PlacementFit]:
    """Whether the photographs that bring maps lie right, by role: those that were laid, and those that may lie
    elsewhere."""
    laid = {row.file for row in evaluation.recipe.settings("gather.registration").files if not row.wraps}
    chosen = evaluation.recipe.settings("gather.maps")
    found = {}
    for role in evaluation.brought:
        key = str(getattr(chosen, role, "")).partition(".")[0]
        if key in laid or (role in EVERY and EVERY[role].shot == "often" and key in evaluation.files):
            found[role] = fit_of(evaluation, key)
    return found


def _fit_key(evaluation: Evaluation, key: str) -> str:
    taken = evaluation.inputs
    place = ",".join(f"{value:.9g}" for value in taken.placed[key].ravel())
    return f"placement/{taken.picture.key}/{evaluation.files[key].key}/{place}"


def describe_registration(found: Registration | None, fit: PlacementFit | None) -> str:
    """In words, how a file was laid, and how well it lies."""
    if found is None or fit is None:
        return "It lies as it was photographed."
    by = {"features": "points that both show", "outline": "its outline", "points": "the marked places"}[found.how]
    return f"Found by {by}. {fit.told}"


def picture(evaluation: Evaluation, key: str) -> bytes:
    """A file as it was photographed, or the picture that is worked on, as JPEG."""
    source = evaluation.inputs.picture if key == PHOTOGRAPH else evaluation.files.get(key)
    if source is None:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    return encoded(encode_srgb8(np.ascontiguousarray(_looked(source, _SHOWN).clip(0, 1))), "jpg", 86)


def overlay(evaluation: Evaluation, key: str) -> bytes:
    """The picture and a file laid on it in one, as JPEG: the first in orange, the other in blue, grey where they agree.

    Tone is evened, so that light from another side or from behind matters less.
    """
    if key not in evaluation.files:
        raise NotFound("This material has no such file.", remedy="Reload the page.")
    first, laid, covered, _ = _laid(evaluation, key)
    one, other = (_evened(pixels) for pixels in (first, laid))
    other = np.where(covered, other, 0.5 * one)
    mixed = np.stack([one, 0.5 * (one + other), other], -1)
    return encoded(np.rint(mixed.clip(0, 1) * 255).astype(np.uint8), "jpg", 86)


def _evened(pixels: Pixels) -> Pixels:
    """(H, W) in 0..1: tone with its contrast evened; dark on light and light on dark look alike by their ground."""
    tone = coded_luminance(np.ascontiguousarray(pixels.clip(0, 1), np.float32))
    codes = cv2.createCLAHE(3.0, (6, 6)).apply(np.rint(tone.clip(0, 1) * 255).astype(np.uint8))
    rim = np.concatenate([codes[0], codes[-1], codes[:, 0], codes[:, -1]])
    return np.asarray((255 - codes if np.median(rim) > 127 else codes) / np.float32(255))
