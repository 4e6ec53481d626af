"""A still: one set of maps on a slab or a ball, lit by surroundings and a lamp, as good as time allows.

It shows what the lit view shows, from the same place, by following light instead of looking it up: relief stands out,
casts shadows and lights what is beside it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Literal, NamedTuple

import numpy as np

from amber_thicket.core.lit.surroundings import directions
from amber_thicket.core.lit.trace import BALL, DRAWN, RADIUS, SLAB, trace_rows
from amber_thicket.core.numeric.colour import encode_srgb
from amber_thicket.core.numeric.libraries import qmc
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels

Shape = Literal["slab", "ball"]
# Reflectance at normal incidence of what is no metal (index of refraction 1.5).
_F0 = 0.04
# As the lit view has them: degrees of the view up and down, distances, and what it looks at.
_VIEW, _SLAB_AWAY, _BALL_AWAY, _SLAB_UP, _BALL_LESS = 30.0, 1.75, 2.2, 0.04, 42.0


@dataclass(frozen=True)
class Look:
    """shape: what the surface lies on. size: (width, height) px. turn, tilt: where the eye stands, degrees; distance: 1
    is the whole shape. repeat: how often the tile lies on it. bearing, elevation: toward the lamp, degrees counter-
    clockwise from the right and above the surface; lamp: its strength. exposure: stops. sky_turn: degrees; sky_light:
    times. displacement: of the true depth, 0..1. background: whether what lies around is seen."""

    shape: Shape = "slab"
    size: tuple[int, int] = (640, 480)
    turn: float = 0.0
    tilt: float = 58.0
    distance: float = 1.0
    repeat: int = 2
    bearing: float = 130.0
    elevation: float = 32.0
    lamp: float = 1.0
    exposure: float = -0.4
    sky_turn: float = 0.0
    sky_light: float = 1.0
    displacement: float = 1.0
    background: bool = False


class SurfaceMaps(NamedTuple):
    """base_color: (H, W, 3) linear. normal: (H, W, 3) unit vectors. roughness, metallic: (H, W) in 0..1. height: (h, w)
    in 0..1; span: how far its white stands above its black, in tile widths. specular: (H, W, 3) linear, or None."""

    base_color: Pixels
    normal: Pixels
    roughness: Pixels
    metallic: Pixels
    height: Pixels
    span: float
    specular: Pixels | None = None


class Passed(NamedTuple):
    """linear: (H, W, 3) mean of all paths so far, before exposure; cover: (H, W), 0..1; share: of all paths, 0..1."""

    linear: Pixels
    cover: Pixels
    share: float


def followed(maps: SurfaceMaps, look: Look, sky: Pixels, paths: int, *, seed: int = 1) -> Iterator[Passed]:
    """The still after 1, 2, 4, 8 … paths a pixel, up to `paths`, which the last one has.

    sky: (h, w, 3) radiance all round, see lit.surroundings.radiance. The same seed gives the same picture. Every path
    is reported as progress, which may call it off.
    """
    width, height = look.size
    base = np.random.default_rng(seed).random((height, width, DRAWN), np.float32)
    rows = qmc.Sobol(DRAWN, seed=seed).random_base2(max(paths - 1, 1).bit_length()).astype(np.float32)
    total, cover = np.zeros((height, width, 3)), np.zeros((height, width))
    scene = _scene(maps, look, sky)
    shown = 1
    for number in range(1, paths + 1):
        over_rows(partial(trace_rows, total, cover, base, rows[number - 1], *scene), height, least=32)
        report_progress(number / paths, f"{number} of {paths} paths a pixel")
        if number in (shown, paths):
            shown = 2 * number
            yield Passed((total / number).astype(np.float32), (cover / number).astype(np.float32), number / paths)


def developed(passed: Passed, look: Look, behind: tuple[int, int, int] = (119, 119, 119)) -> Pixels:
    """(H, W, 3) sRGB codes in 0..1 as the screen shows them: exposed, toned down (Khronos PBR neutral), over a plain
    colour of 8-bit sRGB."""
    cover = passed.cover[..., None]
    surface = passed.linear / np.maximum(cover, 1e-6) * np.float32(2.0**look.exposure)
    return np.asarray(
        encode_srgb(neutral(surface)) * cover + np.array(behind, np.float32) / 255 * (1 - cover), np.float32
    )


def neutral(linear: Pixels) -> Pixels:
    """Khronos PBR neutral tone mapper (2024): (..., 3), any brightness, into 0..1, hue and colours of surfaces kept."""
    low = linear.min(-1, keepdims=True)
    toned = linear - np.where(low < 0.08, low - 6.25 * low * low, 0.04)
    peak = toned.max(-1, keepdims=True)
    start = 0.8 - 0.04
    room = 1 - start
    squeezed = 1 - room * room / np.maximum(peak + room - start, 1e-6)
    bright = toned * (squeezed / np.maximum(peak, 1e-6))
    share = 1 / (0.15 * (peak - squeezed) + 1)
    return np.asarray(np.where(peak < start, toned, squeezed + (bright - squeezed) * share), np.float32).clip(0, 1)


def _scene(maps: SurfaceMaps, look: Look, sky: Pixels) -> tuple[object, ...]:
    """What trace_rows takes after `offset`."""
    sky = np.ascontiguousarray(sky * np.float32(look.sky_light), np.float32)
    _, angle = directions(sky.shape[1], sky.shape[0])
    bright = sky.mean(-1) * angle
    # Nothing is quite dark, so that every direction may be drawn.
    share = (bright + 0.02 * bright.mean() + 1e-9).astype(np.float64).ravel()
    share /= share.sum()
    turn = np.radians(look.sky_turn)
    shape, form = _form(maps, look)
    eye, axes = camera(look)
    return (
        shape,
        form,
        np.ascontiguousarray(maps.height, np.float32),
        _texture(maps),
        eye,
        axes,
        sky,
        share / angle.ravel(),
        np.cumsum(share),
        np.array([np.cos(turn), np.sin(turn)]),
        toward_lamp(look),
        look.background,
    )


def _texture(maps: SurfaceMaps) -> Pixels:
    shape = maps.base_color.shape[:2]
    specular = np.full((*shape, 3), _F0, np.float32) if maps.specular is None else maps.specular
    parts = (maps.base_color, maps.normal, maps.roughness[..., None], maps.metallic[..., None], specular)
    return np.ascontiguousarray(np.concatenate(parts, -1), np.float32)


def _form(maps: SurfaceMaps, look: Look) -> tuple[int, Pixels]:
    aspect = maps.base_color.shape[0] / maps.base_color.shape[1]
    width, height = look.size
    deep = float(np.clip(np.round(height / width * 4) / 4, 0.75, 1.75))
    # Only the slab stands out: on a ball the tile is drawn together at the poles, and heights with it.
    if look.shape == "slab":
        displaced = maps.span * look.displacement / look.repeat
        return SLAB, np.array([look.repeat, deep / aspect * look.repeat, deep, displaced])
    return BALL, np.array([2 * look.repeat, max(1, round(look.repeat / aspect)), 2 * RADIUS, 0.0])


def camera(look: Look) -> tuple[Pixels, Pixels]:
    """(where the eye stands, right and up over half the picture's height and into the picture)."""
    flat = look.shape == "slab"
    tilt, turn = np.radians(look.tilt if flat else look.tilt - _BALL_LESS), np.radians(look.turn)
    narrow = max(min(1.0, look.size[0] / look.size[1]), 0.45)
    away = (_SLAB_AWAY if flat else _BALL_AWAY) * look.distance / narrow
    eye = away * np.array([np.sin(turn) * np.cos(tilt), np.sin(tilt), np.cos(turn) * np.cos(tilt)])
    into = np.array([0.0, 0.0, _SLAB_UP if flat else 0.0]) - eye
    into /= np.linalg.norm(into)
    right = np.cross(into, [0.0, 1.0, 0.0])
    right /= np.linalg.norm(right)
    reach = np.tan(np.radians(_VIEW) / 2)
    return eye, np.stack([right * reach, np.cross(right, into) * reach, into])


def toward_lamp(look: Look) -> Pixels:
    bearing, elevation, turn = np.radians([look.bearing, look.elevation, look.turn])
    right, up, out = np.cos(bearing) * np.cos(elevation), np.sin(bearing) * np.cos(elevation), np.sin(elevation)
    if look.shape == "slab":
        toward = (right, out, -up)
    else:
        toward = (np.cos(turn) * right + np.sin(turn) * out, up, np.cos(turn) * out - np.sin(turn) * right)
    return np.array([*toward, look.lamp])
