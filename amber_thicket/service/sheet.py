"""A sheet of several cut-outs becomes a material of its own: its maps are files in the store like any other."""

from __future__ import annotations

from typing import Any

import numpy as np

from amber_thicket.core.files.encode import quantised
from amber_thicket.core.files.sheet import arranged, laid_out, piece_box
from amber_thicket.core.graph import fit_side
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import ROLES
from amber_thicket.core.tile.extended import bled
from amber_thicket.errors import BadSetting
from amber_thicket.formats.write import png_bytes
from amber_thicket.service.library import Library
from amber_thicket.service.mapset import CUT_OUT, read_map
from amber_thicket.service.sources import file_key
from amber_thicket.store.models import Material

MOST, SIDES, PADDINGS = 24, (512, 1024, 2048, 4096), (2, 64)
_ROLES = ("base_color", "opacity", "normal", "height", "roughness", "ambient_occlusion", "translucency", "back_color")


def sheet(library: Library, ids: list[str], *, name: str, side: int, padding: int) -> Material:
    """Lays cut-outs out on one sheet of side × side px, with so many px free round each.

    Raises BadSetting, NotFound.
    """
    if not 2 <= len(set(ids)) <= MOST:
        raise BadSetting(f"A sheet holds 2 to {MOST} cut-outs.", remedy="Choose more, or fewer.", setting="materials")
    if side not in SIDES or not PADDINGS[0] <= padding <= PADDINGS[1]:
        raise BadSetting(
            f"A sheet is {', '.join(map(str, SIDES))} px wide, {PADDINGS[0]} to {PADDINGS[1]} px free round each.",
            remedy="Choose one of these.",
            setting="side",
        )
    evaluations = [library.evaluation(library.get(id)) for id in dict.fromkeys(ids)]
    for evaluation in evaluations:
        if not evaluation.recipe.settings("tile.cutout").on:
            raise BadSetting("One of these is no cut-out.", remedy="Switch it on in Tile.", setting="materials")
    sizes = [fit_side(evaluation.recipe, min(side, 2048)) for evaluation in evaluations]
    boxes = [piece_box(e.layer("opacity", s).pixels) for e, s in zip(evaluations, sizes, strict=True)]
    # Pieces keep their real size to each other where all of them have one.
    widths = [evaluation.tile_mm(evaluation.sizes(size)) for evaluation, size in zip(evaluations, sizes, strict=True)]
    known = all(widths)
    units = [(w if known and w else 1.0) / s[0] for w, s in zip(widths, sizes, strict=True)]
    pieces = [((b[2] - b[0]) * u, (b[3] - b[1]) * u) for b, u in zip(boxes, units, strict=True)]
    scale, spots = arranged(pieces, side, padding)

    def of(role: str) -> Pixels:
        found = []
        for evaluation, size, (left, top, right, bottom) in zip(evaluations, sizes, boxes, strict=True):
            found.append(evaluation.layer(role, size).pixels[top:bottom, left:right])
        return laid_out(role, found, spots, side)

    opacity = of("opacity").clip(0, 1)
    infos, changes = [], {**CUT_OUT, "square.size.width": side, "square.size.height": side}
    for role in _ROLES:
        if role in ("translucency", "back_color") and not all(role in e.maps() for e in evaluations):
            continue
        pixels = opacity if role == "opacity" else of(role)
        if role in ("base_color", "translucency", "back_color"):
            pixels = bled(pixels, opacity)
        info = _kept(library, f"sheet_{role}.png", role, pixels)
        infos.append(info)
        if role != "base_color":
            changes[f"gather.maps.{role}"] = file_key(info["blob"])
    changes |= {"response.roughness.low": 0.0, "response.roughness.high": 1.0, "response.translucency.lamp": False}
    if known:
        changes["square.size.sample_mm"] = round(side / scale, 3)
    return library.add_set(name, infos, [("Laid out on a sheet", Recipe().with_changes(changes))])


def _kept(library: Library, name: str, role: str, pixels: Pixels) -> dict[str, Any]:
    meaning = ROLES[role]
    if meaning.encoding == "srgb":
        codes: Any = encode_srgb8(np.ascontiguousarray(pixels.clip(0, 1), np.float32))
    else:
        how = {"scale": 0.5, "offset": 0.5} if role == "normal" else {}
        codes = quantised(np.ascontiguousarray(pixels, np.float32), 16 if role in ("height", "normal") else 8, **how)
    data = png_bytes(codes, encoding=meaning.encoding)
    blob, _ = library.blobs.put([data])
    info, _, _ = read_map(data, blob, name)
    return {**info, "role": role, "why": "it was laid out from cut-outs"}
