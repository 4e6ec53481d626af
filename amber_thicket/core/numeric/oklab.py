"""Oklab: lightness and two colour axes in which hue and chroma are even to the eye.

Source: Ottosson, "A perceptual color space for image processing", 2020 (also CSS Color Module Level 4, section 9.1).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from amber_thicket.core.numeric.colour import cube_root
from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

_TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    np.float64,
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ],
    np.float64,
)
# How far a tone is moved at the most; nothing that dark or bright is a blotch.
_MOST_GAIN = 1.6
_FROM_LAB, _FROM_CONES = np.linalg.inv(_TO_LAB), np.linalg.inv(_TO_CONES)


# The same for the compiled loops.
_C, _L = _TO_CONES.astype(np.float32), _TO_LAB.astype(np.float32)
_CI, _LI = _FROM_CONES.astype(np.float32), _FROM_LAB.astype(np.float32)


@compiled(loose=True, inline=True)
def lab_of(r, g, b):  # type: ignore[no-untyped-def]
    """L, a, b of one linear colour; for compiled loops."""
    long = cube_root(_C[0, 0] * r + _C[0, 1] * g + _C[0, 2] * b)
    middle = cube_root(_C[1, 0] * r + _C[1, 1] * g + _C[1, 2] * b)
    short = cube_root(_C[2, 0] * r + _C[2, 1] * g + _C[2, 2] * b)
    return (
        _L[0, 0] * long + _L[0, 1] * middle + _L[0, 2] * short,
        _L[1, 0] * long + _L[1, 1] * middle + _L[1, 2] * short,
        _L[2, 0] * long + _L[2, 1] * middle + _L[2, 2] * short,
    )


@compiled(loose=True, inline=True)
def linear_of(light, a, b):  # type: ignore[no-untyped-def]
    """The way back."""
    long = _LI[0, 0] * light + _LI[0, 1] * a + _LI[0, 2] * b
    middle = _LI[1, 0] * light + _LI[1, 1] * a + _LI[1, 2] * b
    short = _LI[2, 0] * light + _LI[2, 1] * a + _LI[2, 2] * b
    long, middle, short = long * long * long, middle * middle * middle, short * short * short
    return (
        _CI[0, 0] * long + _CI[0, 1] * middle + _CI[0, 2] * short,
        _CI[1, 0] * long + _CI[1, 1] * middle + _CI[1, 2] * short,
        _CI[2, 0] * long + _CI[2, 1] * middle + _CI[2, 2] * short,
    )


@compiled(loose=True)
def _to_lab(colours, out, first, last):  # type: ignore[no-untyped-def]
    here, to = colours[3 * first : 3 * last], out[3 * first : 3 * last]
    for i in range(last - first):
        to[3 * i], to[3 * i + 1], to[3 * i + 2] = lab_of(here[3 * i], here[3 * i + 1], here[3 * i + 2])


@compiled(loose=True)
def _to_linear(colours, out, first, last):  # type: ignore[no-untyped-def]
    here, to = colours[3 * first : 3 * last], out[3 * first : 3 * last]
    for i in range(last - first):
        to[3 * i], to[3 * i + 1], to[3 * i + 2] = linear_of(here[3 * i], here[3 * i + 1], here[3 * i + 2])


def _each(kernel: Callable[..., None], colours: Pixels) -> Pixels:
    flat = np.ascontiguousarray(colours, np.float32).reshape(-1)
    out = np.empty_like(flat)
    over_rows(partial(kernel, flat, out), flat.size // 3, least=1 << 14)
    return out.reshape(colours.shape)


def to_oklab(linear: Pixels) -> Pixels:
    """L, a, b of linear RGB, (..., 3); white is (1, 0, 0)."""
    return _each(_to_lab, linear)


def from_oklab(lab: Pixels) -> Pixels:
    """Linear RGB of Oklab, (..., 3); may lie outside 0..1."""
    return _each(_to_linear, lab)


def moved_in_oklab(linear: Pixels, field: Pixels, darker: float, brighter: float) -> Pixels:
    """Linear RGB with a share of a smooth field (H, W, 3) taken away in Oklab; detail keeps its contrast against its
    tone. darker, brighter: the share where the field is below 0 in lightness, and elsewhere."""
    pixels, by = np.ascontiguousarray(linear, np.float32), np.ascontiguousarray(field, np.float32)
    out = np.empty_like(pixels)
    over_rows(partial(_move_rows, pixels, by, np.float32(darker), np.float32(brighter), out), len(pixels))
    return out


@compiled(loose=True)
def _move_rows(pixels, by, darker, brighter, out, first, last):  # type: ignore[no-untyped-def]
    width = pixels.shape[1]
    least, most, nothing = np.float32(1 / _MOST_GAIN), np.float32(_MOST_GAIN), np.float32(0.0)
    for y in range(first, last):
        here, field, to = pixels[y].reshape(3 * width), by[y].reshape(3 * width), out[y].reshape(3 * width)
        for x in range(width):
            light, a, b = lab_of(here[3 * x], here[3 * x + 1], here[3 * x + 2])
            share = darker if field[3 * x] < nothing else brighter
            # A tone moved up takes its detail along: albedo varies by shares, not by steps.
            gain = np.float32(1.0) - share * field[3 * x] / max(light, np.float32(0.02))
            gain = min(max(gain, least), most)
            red, green, blue = linear_of(
                light * gain, a * gain - share * field[3 * x + 1], b * gain - share * field[3 * x + 2]
            )
            to[3 * x], to[3 * x + 1], to[3 * x + 2] = max(red, nothing), max(green, nothing), max(blue, nothing)
