"""Pictures for the page: layers as JPEG or raw values, the stage strip, the probe, figures."""

from __future__ import annotations

import hashlib
import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.check.figures import coded, drift, seams
from amber_thicket.core.check.rules.tiling_joins import judged
from amber_thicket.core.files.encode import asked_for, quantised, stored
from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.core.graph import PLAN_SIDE, Evaluation, fit_side, output_size
from amber_thicket.core.numeric.colour import encode_srgb, encode_srgb8, linear_to_lab
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.operation import STAGES
from amber_thicket.core.raster import Pixels
from amber_thicket.core.registry import STAGE_LAYERS
from amber_thicket.core.roles import EVERY, MADE
from amber_thicket.errors import NotFound, WriteFailed
from amber_thicket.formats.png import png_bytes
from amber_thicket.service.broken import broken_by_joins

CARD = (216, 120)
# Maps whose edges have to meet besides the base colour's.
_JOINED = ("height", "normal", "roughness", "ambient_occlusion")
# Layers on the way that have something to tell.
_TELLING = ("squared", "even_light", "even_known_shading", "even_raking", "even_glare", "evened", "formed")
_ON_THE_WAY = ("gathered", "squared", "evened", "tiled")
LAYERS = (*_ON_THE_WAY, *EVERY)
_COLOURS = (*_ON_THE_WAY, *(role.id for role in EVERY.values() if role.encoding == "srgb"))
# Sides of previews, px: pages ask for the smallest while something moves.
SMALLEST, LARGEST = PLAN_SIDE // 2, 2048
# A colour that is picked is that of so many px around.
_NEAR = np.arange(-2, 3)[:, None]


def preview_size(evaluation: Evaluation, side: int = PLAN_SIDE) -> tuple[int, int]:
    """Tile size of a preview: half of plan size at least, and never above the finished size, which would be made up."""
    largest = max(output_size(evaluation.recipe), default=PLAN_SIDE)
    return fit_side(evaluation.recipe, min(largest, max(SMALLEST, min(side, LARGEST))))


def keys(evaluation: Evaluation) -> dict[str, str]:
    """The content key of every layer at preview size: what the page asks pictures by."""
    size = preview_size(evaluation)
    found = {
        layer: evaluation.key(layer, size) for layer in (*_ON_THE_WAY[1:], *evaluation.maps(), *evaluation.compared())
    }
    return {"gathered": evaluation.gathered_key(PLAN_SIDE), **found}


def key_of(evaluation: Evaluation, layer: str) -> str:
    """The content key of one layer at preview size; "" for one there is not."""
    if layer == "gathered":
        return evaluation.gathered_key(PLAN_SIDE)
    if layer not in (*_ON_THE_WAY, *evaluation.maps(), *evaluation.compared()):
        return ""
    return evaluation.key(layer, preview_size(evaluation))


def composite_keys(evaluation: Evaluation, layers: dict[str, str]) -> dict[str, str]:
    """Content keys of the pictures that are made of several layers, or of a layer and something more. layers: as keys()
    gives them."""
    recipe = evaluation.recipe
    everything = "".join(f"{layer}{key}" for layer, key in sorted(layers.items()))
    files = recipe.settings("pack.files").model_dump_json() + recipe.settings("relief.normal").y_in_files
    occlusion = "".join(layers[role] for role in ("ambient_occlusion", "roughness", "metallic"))
    return {
        "strip": _digest("strip", everything, files),
        "planned": _digest("planned", everything, files),
        "packed": _digest("packed", occlusion),
        "enlarged": _digest("enlarged", layers["squared"], str(output_size(recipe))),
        "joins": _digest("joins", layers["base_color"], layers["tiled"], str(evaluation.view().size)),
    }


def _digest(*parts: str) -> str:
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:32]


def planned_picture(evaluation: Evaluation, file: PlannedFile, channel: str, *, side: int) -> bytes:
    """A file of the pack as its numbers will be, at preview size, as JPEG. channel: "" or "rgb" for a whole map, or one
    of r, g, b, a."""
    size = preview_size(evaluation)
    maps = {role: evaluation.layer(role, size).pixels for role in asked_for(file)}
    codes = stored(file, maps)
    if file.floating:
        codes = encode_srgb8(codes.astype(np.float32)) if file.channels > 1 else quantised(codes.astype(np.float32), 8)
    elif codes.dtype == np.uint16:
        codes = (codes >> 8).astype(np.uint8)
    if codes.ndim == 3:
        at = "rgba".find(channel) if len(channel) == 1 else -1
        codes = np.ascontiguousarray(codes[..., at] if 0 <= at < codes.shape[2] else codes[..., :3])
    factor = max(1, max(codes.shape[:2]) // side)
    return encoded(
        cv2.resize(codes, (codes.shape[1] // factor, codes.shape[0] // factor), interpolation=cv2.INTER_AREA), "jpg", 88
    )


def zone_keys(evaluation: Evaluation) -> dict[str, str]:
    """The content key of the picture of each zone, by the zone's id."""
    size = preview_size(evaluation)
    key = evaluation.key("zones", size) + evaluation.key("tiled", size)
    return {zone.id: f"{key}{zone.id}" for zone in evaluation.recipe.settings("response.zones").zones}


def zone_picture(evaluation: Evaluation, id: str, *, side: int) -> bytes:
    """The colour where a zone is, dim grey elsewhere, as JPEG. Raises NotFound."""
    order = [zone.id for zone in evaluation.recipe.settings("response.zones").zones]
    if id not in order:
        raise NotFound("There is no such zone.", remedy="It may have been taken away.")
    size = preview_size(evaluation, side)
    mask = evaluation.layer("zones", size).pixels[..., order.index(id)]
    colour = evaluation.layer("tiled", size).pixels
    codes = encode_srgb8(colour)
    grey = (cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY) * np.float32(0.35) + 20)[..., None]
    return encoded((grey + mask[..., None] * (codes - grey)).astype(np.uint8), "jpg", 88)


def zone_shares(evaluation: Evaluation) -> tuple[dict[str, float], dict[str, float]]:
    """(how much of the surface each zone covers, how rough it is on the average), 0..1, by its id."""
    zones = evaluation.recipe.settings("response.zones").zones
    if not zones:
        return {}, {}
    size = preview_size(evaluation)
    masks, rough = evaluation.layer("zones", size).pixels, evaluation.layer("roughness", size).pixels
    found = [(zone.id, np.ascontiguousarray(masks[..., number])) for number, zone in enumerate(zones)]
    return (
        {id: round(float(mask.mean()), 4) for id, mask in found},
        {id: round(float((mask * rough).sum() / max(float(mask.sum()), 1e-6)), 3) for id, mask in found},
    )


def _pixels(evaluation: Evaluation, layer: str, side: int) -> Pixels:
    known = (*_ON_THE_WAY, *evaluation.maps(), *evaluation.compared())
    if layer not in known:
        raise NotFound(f"There is no layer “{layer[:40]}”.", remedy=f"Known: {', '.join(known)}.")
    if layer == "gathered":
        return evaluation.gathered(side).pixels
    return evaluation.layer(layer, preview_size(evaluation, side)).pixels


def codes_of(layer: str, pixels: Pixels) -> NDArray[np.uint8]:
    """8-bit codes for the eye: colours as sRGB, normals Y+ in 0..255, scalars as they are."""
    if layer in _COLOURS:
        return encode_srgb8(pixels)
    if layer.endswith("normal"):
        return quantised(pixels, 8, scale=0.5, offset=0.5)
    return quantised(pixels, 8)


def encoded(codes: NDArray[np.uint8], kind: str, quality: int = 0, *, fine_colour: bool = True) -> bytes:
    """File bytes ("jpg" of a quality, or "png") for the page: grey, RGB or RGBA."""
    if kind == "png":
        return png_bytes(codes, encoding="linear")
    orders = {3: cv2.COLOR_RGB2BGR, 4: cv2.COLOR_RGBA2BGRA}
    picture = cv2.cvtColor(codes, orders[codes.shape[2]]) if codes.ndim == 3 else codes
    sampling = 0x111111 if fine_colour else 0x221111
    options = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling]
    done, data = cv2.imencode(".jpg", picture, options)
    if not done:
        raise WriteFailed("A picture could not be encoded.", remedy="Try again.")
    return bytes(data)


def picture(evaluation: Evaluation, layer: str, *, kind: str, side: int) -> bytes:
    """One layer as "jpg", "png", or "u16" (raw little-endian 16-bit scalars, row by row)."""
    pixels = _pixels(evaluation, layer, side)
    if kind == "u16":
        scalar = pixels if pixels.ndim == 2 else pixels[..., 0]
        return quantised(np.ascontiguousarray(scalar), 16).astype("<u2").tobytes()
    # The usual preview is for quick answers; whoever zooms in asks for more and gets every colour.
    closely = side > PLAN_SIDE or layer.endswith("normal")
    return encoded(codes_of(layer, pixels), kind, 92 if closely else 85, fine_colour=closely)


def packed(evaluation: Evaluation, *, side: int) -> bytes:
    """Occlusion, roughness, metallic in R, G, B for the lit view, as PNG."""
    channels = [
        quantised(_pixels(evaluation, role, side), 8) for role in ("ambient_occlusion", "roughness", "metallic")
    ]
    return encoded(cv2.merge(channels), "png", 0)


def strip(evaluation: Evaluation) -> bytes:
    """The eight stage cards under each other, CARD px each, as JPEG."""
    cards = []
    for stage in STAGES:
        if stage == "check":
            codes = _relit(evaluation)
        elif stage == "pack":
            codes = _sheaf(evaluation)
        else:
            codes = _layer_card(evaluation, STAGE_LAYERS[stage])
        cards.append(codes if codes.ndim == 3 else np.repeat(codes[..., None], 3, -1))
    return encoded(np.vstack(cards), "jpg", 82)


_THUMBNAIL = 320


def thumbnail(evaluation: Evaluation) -> bytes:
    """A small square of the finished surface for the library, as JPEG."""
    return small_square(_shaded(evaluation, side=_THUMBNAIL))


def first_thumbnail(pixels: Pixels) -> bytes:
    """A small square of a capture, linear (H, W, 3): what the library shows until the surface was looked at."""
    factor = max(1, min(pixels.shape[:2]) // _THUMBNAIL)
    return small_square(encode_srgb8(shrink(pixels, factor)))


def small_square(codes: NDArray[np.uint8]) -> bytes:
    """The middle of a picture (H, W, 3) as a small square for the library, as JPEG."""
    side = min(codes.shape[:2])
    top, left = (codes.shape[0] - side) // 2, (codes.shape[1] - side) // 2
    middle = np.ascontiguousarray(codes[top : top + side, left : left + side])
    return encoded(cv2.resize(middle, (_THUMBNAIL, _THUMBNAIL), interpolation=cv2.INTER_AREA), "jpg", 85)


def _layer_card(evaluation: Evaluation, layer: str) -> NDArray[np.uint8]:
    return codes_of(layer, _card(_pixels(evaluation, layer, PLAN_SIDE)))


def _card(picture: NDArray[Any]) -> NDArray[Any]:
    """The middle of a picture at card shape."""
    width, height = CARD
    scale = max(width / picture.shape[1], height / picture.shape[0])
    size = (max(width, round(picture.shape[1] * scale)), max(height, round(picture.shape[0] * scale)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    left, top = (size[0] - width) // 2, (size[1] - height) // 2
    return np.ascontiguousarray(small[top : top + height, left : left + width])


# Linear light of the grey that pictures lie on.
_SURROUND = np.float32(0.184)
_TOWARD = np.array([-0.55, 0.5, 0.67], np.float32)


def _shaded(evaluation: Evaluation, glint: Pixels | float = 0.0, *, side: int = 0) -> NDArray[np.uint8]:
    """The maps under one raking light: base colour × occlusion × slope to the light. glint: (H, W) light besides.
    side: px of the shorter side, where that is less than the preview has."""
    size = preview_size(evaluation)
    factor = max(1, min(size) // side) if side else 1

    def of(role: str) -> Pixels:
        return shrink(evaluation.layer(role, size).pixels, factor)

    facing = np.clip(of("normal") @ _TOWARD, 0, None) / _TOWARD[2]
    shade = (0.25 + 0.75 * facing) * of("ambient_occlusion")
    light = of("base_color") * shade[..., None] * 1.1 + np.asarray(glint, np.float32)[..., None]
    if "opacity" in evaluation.maps():
        solid = of("opacity")[..., None]
        light = light * solid + _SURROUND * (1 - solid)
    return encode_srgb8(np.clip(light, 0, 1).astype(np.float32))


def raked(evaluation: Evaluation, *, as_read: bool) -> NDArray[np.uint8]:
    """The set under that light, with its highlight, at preview size, (H, W, 3).

    as_read: before any repair: gloss is taken for roughness, as a renderer would that does not know.
    """
    size = preview_size(evaluation)
    rough = evaluation.layer("roughness", size).pixels
    if as_read and evaluation.recipe.settings("gather.maps").roughness_white == "smooth":
        rough = 1 - rough
    half = _TOWARD / np.linalg.norm(_TOWARD) + np.array([0, 0, 1], np.float32)
    half /= np.linalg.norm(half)
    power = 2 / np.maximum(rough, 0.15) ** 4
    mirrored = np.clip(evaluation.layer("normal", size).pixels @ half, 0, 1)
    return _shaded(evaluation, 0.05 * (power + 8) / 25 * mirrored**power)


def _relit(evaluation: Evaluation) -> NDArray[np.uint8]:
    return _card(_shaded(evaluation, side=CARD[0]))


def _sheaf(evaluation: Evaluation) -> NDArray[np.uint8]:
    """All maps as slanted bands side by side."""
    width, height = CARD
    roles = [role for role in MADE if role not in ("metallic", "curvature")]
    x = np.arange(width)[None, :] + (np.arange(height)[:, None] - height / 2) * 0.35
    band = np.clip((x / width * len(roles)).astype(int), 0, len(roles) - 1)
    result = np.zeros((height, width, 3), np.uint8)
    for number, role in enumerate(roles):
        card = _layer_card(evaluation, role)
        result[band == number] = (card if card.ndim == 3 else np.repeat(card[..., None], 3, -1))[band == number]
    return result


def probe(evaluation: Evaluation, x: float, y: float) -> dict[str, Any]:
    """All maps' values at one place of the tile (fractions, wrapped)."""
    size = preview_size(evaluation)
    column, row = int((x % 1.0) * size[0]) % size[0], int((y % 1.0) * size[1]) % size[1]
    values: dict[str, Any] = {}
    for role in MADE:
        raster = evaluation.layer(role, size)
        value = raster.pixels[row, column]
        if role == "base_color":
            values[role] = [int(v) for v in encode_srgb8(value[None, :])[0]]
        elif role == "normal":
            values[role] = [round(float(v), 3) for v in value]
        else:
            values[role] = round(float(value), 4)
    tile_mm = evaluation.tile_mm(evaluation.sizes(size))
    span = evaluation.layer("height", size).span
    near = evaluation.layer("tiled", size).pixels[(row + _NEAR) % size[1], (column + _NEAR.T) % size[0]]
    values["own_color"] = [int(v) for v in encode_srgb8(near.mean(axis=(0, 1))[None, :].astype(np.float32))[0]]
    # What lies under a cut-out's carried colour.
    ground = evaluation.layer("varied", size).pixels[(row + _NEAR) % size[1], (column + _NEAR.T) % size[0]]
    values["ground_color"] = [int(v) for v in encode_srgb8(ground.mean(axis=(0, 1))[None, :].astype(np.float32))[0]]
    values["height_mm"] = round(values["height"] * span * tile_mm, 3) if tile_mm else None
    return values


def compared(evaluation: Evaluation, one: str, other: str, then: Evaluation | None = None) -> dict[str, Any]:
    """How far two layers lie apart at preview size, in the numbers the eye sees (colours as sRGB codes, normals as
    vectors): rms and the largest difference, or why they cannot be compared. then: what the other layer is of, where
    it is not of the same state."""
    a, b = _pixels(evaluation, one, PLAN_SIDE), _pixels(then or evaluation, other, PLAN_SIDE)
    if a.shape[:2] != b.shape[:2]:
        return {"rms": None, "largest": None, "why": "They lie on different grids."}
    if a.ndim != b.ndim:
        return {"rms": None, "largest": None, "why": "One has three channels, the other one."}
    first, second = (_seen(layer, pixels) for layer, pixels in ((one, a), (other, b)))
    off = np.abs(first - second)
    return {"rms": round(float(np.sqrt(np.mean(off * off))), 5), "largest": round(float(off.max()), 4), "why": ""}


def _seen(layer: str, pixels: Pixels) -> Pixels:
    return encode_srgb(np.ascontiguousarray(pixels)) if layer in _COLOURS else pixels


_BINS = 128


def histogram(evaluation: Evaluation, layer: str) -> dict[str, Any]:
    """How the values of a layer are spread at preview size, channel by channel, over the range a file stores: colours
    as sRGB codes 0..1, normals from −1..1. under, over: shares that lie at the ends or beyond; low, middle, high: where
    1, 50 and 99 % are reached. Raises NotFound."""
    pixels = _pixels(evaluation, layer, PLAN_SIDE)
    values = _seen(layer, pixels)
    first, last = (-1.0, 1.0) if layer.endswith("normal") else (0.0, 1.0)
    # An end is where the nearest of 8 bits is the first or the last there is.
    step = (last - first) / 510
    rows = []
    names = ("value",) if values.ndim == 2 else ("red", "green", "blue")
    for name, plane in zip(names, (values,) if values.ndim == 2 else np.moveaxis(values, -1, 0), strict=True):
        counts, _ = np.histogram(plane.clip(first, last), _BINS, (first, last))
        beyond = pixels[..., names.index(name)] if layer in _COLOURS and values.ndim == 3 else plane
        marks = np.percentile(plane, (1, 50, 99))
        rows.append(
            {
                "channel": name,
                "counts": [int(n) for n in counts],
                "under": round(float(np.mean(beyond <= first + step)), 5),
                "over": round(float(np.mean(beyond >= last - step)), 5),
                **{mark: round(float(at), 4) for mark, at in zip(("low", "middle", "high"), marks, strict=True)},
            }
        )
    return {"first": first, "last": last, "channels": rows}


def _seams(pixels: Pixels, role: str = "base_color") -> list[dict[str, Any]]:
    """Seam figure of both axes, with its level."""
    return [{**figure._asdict(), "level": figure.level} for figure in seams(coded(pixels, role))]


def _broken(evaluation: Evaluation) -> dict[str, Any] | None:
    """What the joins break, with its level; None where nothing is joined along lines."""
    found = broken_by_joins(evaluation)
    return (
        {"count": 0, "share": 0.0, "boxes": (), "shown": 0, "narrow": 0, **found, "level": judged(found)}
        if found
        else None
    )


def figures(evaluation: Evaluation) -> dict[str, Any]:
    """Seams of all maps, drift before Even and after Tile, and what the operations found out."""
    size = preview_size(evaluation)
    after = evaluation.layer("base_color", size).pixels
    before = evaluation.layer("evened", size).pixels
    evidence = {}
    for layer in (*_TELLING, *evaluation.maps()):
        for name, value in evaluation.layer(layer, size).evidence.items():
            if isinstance(value, int | float) and math.isfinite(value):
                evidence[f"{layer}.{name}"] = value
    shares, rough = zone_shares(evaluation)
    return {
        "seam": _seams(after),
        "seam_before": _seams(before),
        "drift": round(drift(linear_to_lab(after)), 2),
        "drift_before": round(drift(linear_to_lab(evaluation.layer("squared", size).pixels)), 2),
        "maps": {role: _seams(evaluation.layer(role, size).pixels, role) for role in _JOINED},
        "zones": shares,
        "rough": rough,
        "evidence": evidence,
        "broken": _broken(evaluation),
        "tile_mm": evaluation.tile_mm(evaluation.sizes(size)),
    }
