"""Colour mathematics: the sRGB transfer curve, luminance, CIE L*a*b*.

Sources: IEC 61966-2-1 (sRGB transfer curve and matrix), ITU-R BT.709-6 (luminance weights),
CIE 15:2018 (L*a*b*, D65 white of IEC 61966-2-1).
"""

from __future__ import annotations

from functools import lru_cache, partial
from typing import Any

import numpy as np
from numpy.polynomial import Chebyshev, Polynomial
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.mapped import release_pages
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels


def srgb_to_linear(encoded: NDArray[Any]) -> NDArray[np.float64]:
    """Linear light in [0, 1] from sRGB code values in [0, 1], exactly (IEC 61966-2-1)."""
    value = np.asarray(encoded, np.float64)
    return np.where(value <= 0.04045, value / 12.92, ((np.maximum(value, 0) + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(linear: NDArray[Any]) -> NDArray[np.float64]:
    """sRGB code values in [0, 1] from linear light in [0, 1], exactly (IEC 61966-2-1)."""
    value = np.clip(np.asarray(linear, np.float64), 0.0, 1.0)
    return np.where(value <= 0.0031308, value * 12.92, 1.055 * value ** (1 / 2.4) - 0.055)


@lru_cache(maxsize=4)
def _decode_table(levels: int) -> Pixels:
    return srgb_to_linear(np.arange(levels) / (levels - 1)).astype(np.float32)


def decode_srgb(codes: NDArray[Any]) -> Pixels:
    """Linear float32 from uint8 or uint16 sRGB codes, by table. Any shape; 0..1."""
    table = _decode_table({"uint8": 256, "uint16": 65536}[codes.dtype.name])
    flat = np.ascontiguousarray(codes).reshape(-1)
    out = np.empty(flat.shape, np.float32)
    over_rows(lambda a, b: _look_up(flat, table, out, a, b), flat.size, least=1 << 16)
    return out.reshape(codes.shape)


@compiled()
def _look_up(codes, table, out, first, last):  # type: ignore[no-untyped-def]
    for i in range(first, last):
        out[i] = table[codes[i]]


def decode_srgb_halved(codes: NDArray[Any]) -> Pixels:
    """Linear light of sRGB codes (H, W, 3) uint8 or uint16, halved by the mean of each 2 × 2 px, without making all of
    it first. Sizes must be even."""
    table = _decode_table({"uint8": 256, "uint16": 65536}[codes.dtype.name]) * np.float32(0.25)
    out = np.empty((codes.shape[0] // 2, codes.shape[1] // 2, 3), np.float32)
    over_rows(partial(_look_up_halved, np.ascontiguousarray(codes), table, out), len(out))
    return out


@compiled()
def _look_up_halved(codes, table, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        upper, lower, to = codes[2 * y].reshape(-1), codes[2 * y + 1].reshape(-1), out[y].reshape(-1)
        for x in range(out.shape[1]):
            for c in range(3):
                i = 6 * x + c
                # In the order of OpenCV's mean, so that it is the same to the last bit.
                to[3 * x + c] = ((table[upper[i]] + table[upper[i + 3]]) + table[lower[i]]) + table[lower[i + 3]]


# Values between codes go back by a table with straight lines in it, and beyond it by the power itself.
_STEPS, _UP_TO = 4096, 2
# Of pictures that lie in a file so many pixels are looked at before they are given back.
_BAND_PIXELS = 1 << 24


@lru_cache(maxsize=1)
def _back_table() -> Pixels:
    return srgb_to_linear(np.arange(_UP_TO * _STEPS + 1) / _STEPS).astype(np.float32)


def linear_of_coded(coded: Pixels) -> Pixels:
    """Linear float32 from sRGB code values as numbers, any shape, within 1e-7 of the exact curve in [0, 1]. Below 0 it
    is black; above 1 the curve goes on."""
    flat = np.ascontiguousarray(coded, np.float32).reshape(-1)
    out = np.empty_like(flat)
    over_rows(partial(_go_back, flat, _back_table(), out), flat.size, least=1 << 16)
    return out.reshape(coded.shape)


@compiled()
def _go_back(flat, table, out, first, last):  # type: ignore[no-untyped-def]
    for i in range(first, last):
        value = flat[i]
        at = value * np.float32(_STEPS)
        if not value > np.float32(0.0):
            out[i] = np.float32(0.0)
        elif at < np.float32(_UP_TO * _STEPS):
            k = int(at)
            out[i] = table[k] + (at - np.float32(k)) * (table[k + 1] - table[k])
        else:
            out[i] = np.float32(((value + 0.055) / 1.055) ** 2.4)


# The curve beyond its straight foot, as a polynomial in the fourth root of the light, where it bends least: within
# 2e-7, in additions and multiplications alone, which a processor does for several pixels at once.
_FOOT = 0.0031308
_ROOTS = (_FOOT**0.25, 1.0)
_CURVE = tuple(
    np.float32(c)
    for c in Polynomial.cast(
        Chebyshev(Chebyshev.interpolate(lambda root: linear_to_srgb(root**4), 8, domain=_ROOTS).coef)
    ).coef
)
_SCALE, _SHIFT = np.float32(2 / (_ROOTS[1] - _ROOTS[0])), np.float32(sum(_ROOTS) / (_ROOTS[1] - _ROOTS[0]))
_C0, _C1, _C2, _C3, _C4, _C5, _C6, _C7, _C8 = _CURVE


@compiled(inline=True)
def _coded(value):  # type: ignore[no-untyped-def]
    """The sRGB code value in [0, 1] of linear light; not-a-number is black."""
    v = value if value > np.float32(0.0) else np.float32(0.0)
    v = v if v < np.float32(1.0) else np.float32(1.0)
    z = np.sqrt(np.sqrt(v)) * _SCALE - _SHIFT
    low, high = _C0 + z * (_C1 + z * (_C2 + z * _C3)), _C4 + z * (_C5 + z * (_C6 + z * (_C7 + z * _C8)))
    square = z * z
    curve = low + square * square * high
    return v * np.float32(12.92) if v <= np.float32(_FOOT) else curve


@compiled()
def _encode_rows(flat, out, first, last):  # type: ignore[no-untyped-def]
    # Slices count from 0, so that no index has to be asked whether it counts from the end.
    here, to = flat[first:last], out[first:last]
    for i in range(len(here)):
        to[i] = _coded(here[i])


def encode_srgb(linear: Pixels) -> Pixels:
    """sRGB code values in [0, 1] as float32, within 1e-6 of the exact curve."""
    flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
    out = np.empty_like(flat)
    over_rows(lambda a, b: _encode_rows(flat, out, a, b), flat.size, least=1 << 16)
    return out.reshape(linear.shape)


@compiled()
def _encode8(flat, out, first, last):  # type: ignore[no-untyped-def]
    here, to = flat[first:last], out[first:last]
    for i in range(len(here)):
        to[i] = np.uint8(_coded(here[i]) * np.float32(255.0) + np.float32(0.5))


@compiled(loose=True, inline=True)
def luminance_of(red, green, blue):  # type: ignore[no-untyped-def]
    """Relative luminance of one linear BT.709 colour; for compiled loops."""
    return np.float32(0.2126) * red + np.float32(0.7152) * green + np.float32(0.0722) * blue


@compiled()
def _encode_tone(pixels, out, first, last):  # type: ignore[no-untyped-def]
    here, to = pixels[3 * first : 3 * last], out[first:last]
    for i in range(len(to)):
        to[i] = _coded(luminance_of(here[3 * i], here[3 * i + 1], here[3 * i + 2]))


def coded_luminance(linear: Pixels) -> Pixels:
    """sRGB code values of the luminance of linear BT.709 RGB (H, W, 3) -> (H, W)."""
    flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
    out = np.empty(flat.size // 3, np.float32)
    over_rows(lambda a, b: _encode_tone(flat, out, a, b), out.size, least=1 << 16)
    return out.reshape(linear.shape[:2])


def encode_srgb8(linear: Pixels) -> NDArray[np.uint8]:
    """8-bit sRGB codes, rounded to nearest. Any shape; linear 0..1."""
    flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
    out = np.empty(flat.shape, np.uint8)
    over_rows(lambda a, b: _encode8(flat, out, a, b), flat.size, least=1 << 16)
    return out.reshape(linear.shape)


@compiled()
def _gain_rows(pixels, gain, out, first, last):  # type: ignore[no-untyped-def]
    width = gain.shape[1]
    for y in range(first, last):
        here, to, by = pixels[y].reshape(3 * width), out[y].reshape(3 * width), gain[y]
        for x in range(width):
            g = by[x]
            to[3 * x], to[3 * x + 1], to[3 * x + 2] = here[3 * x] * g, here[3 * x + 1] * g, here[3 * x + 2] * g


def with_gain(linear: Pixels, log_gain: Pixels) -> Pixels:
    """All three colours (H, W, 3) multiplied by exp(log_gain (H, W)): the hue stays."""
    return multiplied(linear, cv2.exp(np.ascontiguousarray(log_gain, np.float32)))


def multiplied(linear: Pixels, gain: Pixels) -> Pixels:
    """All three colours (H, W, 3) multiplied by gain (H, W)."""
    source, out = np.ascontiguousarray(linear, np.float32), np.empty(linear.shape, np.float32)
    rows = max(1, _BAND_PIXELS // max(1, source.shape[1]))
    for first in range(0, len(source), rows):
        here, by, to = source[first : first + rows], gain[first : first + rows], out[first : first + rows]
        over_rows(partial(_gain_rows, here, by, to), len(here))
        release_pages(source)
    return out


def extremes(colours: Pixels) -> tuple[Pixels, Pixels]:
    """The highest and the lowest of the three channels, (H, W) each. colours: (H, W, 3). A maximum along an axis of
    three takes numpy fifty times as long."""
    flat = np.ascontiguousarray(colours, np.float32).reshape(-1)
    high, low = np.empty(colours.shape[:-1], np.float32), np.empty(colours.shape[:-1], np.float32)
    over_rows(partial(_extremes, flat, high.reshape(-1), low.reshape(-1)), high.size, least=1 << 15)
    return high, low


@compiled(loose=True)
def _extremes(colours, high, low, first, last):  # type: ignore[no-untyped-def]
    here, above, below = colours[3 * first : 3 * last], high[first:last], low[first:last]
    for i in range(len(above)):
        red, green, blue = here[3 * i], here[3 * i + 1], here[3 * i + 2]
        above[i] = max(max(red, green), blue)
        below[i] = min(min(red, green), blue)


def luminance(linear: Pixels) -> Pixels:
    """Relative luminance Y of linear BT.709 RGB (H, W, 3) -> (H, W)."""
    pixels = np.ascontiguousarray(linear, np.float32)
    out = np.empty(pixels.shape[:2], np.float32)
    over_rows(partial(_luminance_rows, pixels, out), len(out))
    return out


@compiled(loose=True)
def _luminance_rows(pixels, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        here, to = pixels[y].reshape(3 * out.shape[1]), out[y]
        for x in range(len(to)):
            to[x] = luminance_of(here[3 * x], here[3 * x + 1], here[3 * x + 2])


@compiled(loose=True, inline=True)
def logarithm(value):  # type: ignore[no-untyped-def]
    """Natural logarithm of a normal number above 0, within 3e-7; for compiled loops, which a library call would keep
    from going through several pixels at once."""
    bits = np.float32(value).view(np.int32)
    # The power of two that leaves a number between the root of a half and the root of two.
    power = (bits - np.int32(0x3F3504F3)) >> np.int32(23)
    left = np.int32(bits - (power << np.int32(23))).view(np.float32)
    t = (left - np.float32(1.0)) / (left + np.float32(1.0))
    s = t * t
    series = np.float32(1.0) + s * (
        np.float32(1 / 3) + s * (np.float32(1 / 5) + s * (np.float32(1 / 7) + s * np.float32(1 / 9)))
    )
    return np.float32(power) * np.float32(0.6931472) + np.float32(2.0) * t * series


def log_luminance(linear: Pixels, least: float) -> Pixels:
    """Natural logarithm of the luminance of linear BT.709 RGB, or of `least` where it is less: (H, W, 3) -> (H, W)."""
    pixels = np.ascontiguousarray(linear, np.float32)
    out = np.empty(pixels.shape[:2], np.float32)
    over_rows(partial(_log_rows, pixels, np.float32(least), out), len(out))
    return out


@compiled(loose=True)
def _log_rows(pixels, least, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        here, to = pixels[y].reshape(3 * out.shape[1]), out[y]
        for x in range(len(to)):
            to[x] = logarithm(max(luminance_of(here[3 * x], here[3 * x + 1], here[3 * x + 2]), least))


_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], np.float32)


@compiled(loose=True, inline=True)
def cube_root(x):  # type: ignore[no-untyped-def]
    """Cube root to 2e-7: a third of the exponent to begin with, then two steps of Halley's. For compiled loops.

    Source: Kahan, "Computing a Real Cube Root", 1991 (the beginning by the bits; its constant for 32 bits is from
    memory, and a test holds the result to NumPy's).
    """
    size = abs(x)
    y = np.int32(np.float32(size).view(np.int32) // 3 + 709921077).view(np.float32)
    for _ in range(2):
        cube = y * y * y
        y = y * (cube + np.float32(2.0) * size) / (np.float32(2.0) * cube + size + np.float32(1e-30))
    y = y if size > np.float32(1e-24) else np.float32(0.0)
    return -y if x < np.float32(0.0) else y


# XYZ over that of white; from where on the curve is a cube root, and the line below it.
_OVER_WHITE = np.ascontiguousarray(_XYZ / _XYZ.sum(axis=1, keepdims=True))
_BEND, _RISE, _LIFT = np.float32((6 / 29) ** 3), np.float32((29 / 6) ** 2 / 3), np.float32(4 / 29)


def linear_to_lab(linear: Pixels) -> Pixels:
    """CIE L*a*b* (D65) of linear BT.709 RGB: L* in 0..100. Shapes (..., 3). Source: CIE 15:2018."""
    flat = np.ascontiguousarray(linear, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    over_rows(lambda first, last: _lab_rows(flat, out, first, last), len(flat), least=1 << 15)
    return out.reshape(linear.shape)


@compiled(loose=True)
def _lab_rows(flat, out, first, last):  # type: ignore[no-untyped-def]
    here, to = flat[first:last], out[first:last]
    for i in range(len(here)):
        r, g, b = max(here[i, 0], np.float32(0.0)), max(here[i, 1], np.float32(0.0)), max(here[i, 2], np.float32(0.0))
        x = _OVER_WHITE[0, 0] * r + _OVER_WHITE[0, 1] * g + _OVER_WHITE[0, 2] * b
        y = _OVER_WHITE[1, 0] * r + _OVER_WHITE[1, 1] * g + _OVER_WHITE[1, 2] * b
        z = _OVER_WHITE[2, 0] * r + _OVER_WHITE[2, 1] * g + _OVER_WHITE[2, 2] * b
        x = cube_root(x) if x > _BEND else x * _RISE + _LIFT
        y = cube_root(y) if y > _BEND else y * _RISE + _LIFT
        z = cube_root(z) if z > _BEND else z * _RISE + _LIFT
        to[i, 0] = np.float32(116.0) * y - np.float32(16.0)
        to[i, 1] = np.float32(500.0) * (x - y)
        to[i, 2] = np.float32(200.0) * (y - z)


def linear_of_hex(colour: str) -> Pixels:
    """Linear RGB (3,) float32 of "#rrggbb"."""
    return decode_srgb(np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)], np.uint8))
