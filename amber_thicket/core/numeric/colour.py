"""Colour mathematics: the sRGB transfer curve, luminance, CIE L*a*b*.

Sources: IEC 61966-2-1 (sRGB transfer curve and matrix), ITU-R BT.709-6 (luminance weights),
CIE 15:2018 (L*a*b*, D65 white of IEC 61966-2-1).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
_TABLE = 1 << 14


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


@lru_cache(maxsize=1)
def _encode_table() -> Pixels:
    # Indexed by the square root of the light, which spends the entries where the curve is steep.
    root = np.linspace(0.0, 1.0, _TABLE + 1)
    return linear_to_srgb(root * root).astype(np.float32)


def decode_srgb(codes: NDArray[Any]) -> Pixels:
    """Linear float32 from uint8 or uint16 sRGB codes, by table."""
    table = _decode_table({"uint8": 256, "uint16": 65536}[codes.dtype.name])
    flat = np.ascontiguousarray(codes).reshape(-1)
    out = np.empty(flat.shape, np.float32)
    over_rows(lambda a, b: _look_up(flat, table, out, a, b), flat.size, least=1 << 16)
    return out.reshape(codes.shape)


@compiled()
def _look_up(codes, table, out, first, last):  # type: ignore[no-untyped-def]
    for i in range(first, last):
        out[i] = table[codes[i]]


@compiled()
def _encode_rows(flat, table, out, first, last):  # type: ignore[no-untyped-def]
    top = table.shape[0] - 1
    for i in range(first, last):
        value = flat[i]
        if not value > 0.0:
            value = np.float32(0.0)
        elif value > 1.0:
            value = np.float32(1.0)
        at = np.sqrt(value) * top
        low = int(at)
        if low >= top:
            low = top - 1
        part = at - low
        out[i] = table[low] + (table[low + 1] - table[low]) * part


def encode_srgb(linear: Pixels) -> Pixels:
    """sRGB code values in [0, 1] as float32, by table; within 2e-6 of the exact curve above linear 1e-5."""
    flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
    out = np.empty_like(flat)
    table = _encode_table()
    over_rows(lambda a, b: _encode_rows(flat, table, out, a, b), flat.size, least=1 << 16)
    return out.reshape(linear.shape)


@compiled()
def _encode8(flat, table, out, first, last):  # type: ignore[no-untyped-def]
    top = table.shape[0] - 1
    for i in range(first, last):
        value = flat[i]
        if not value > 0.0:
            out[i] = 0
        elif value >= 1.0:
            out[i] = 255
        else:
            at = np.sqrt(value) * top
            low = int(at)
            part = at - low
            code = table[low] + (table[low + 1] - table[low]) * part
            out[i] = np.uint8(code * np.float32(255.0) + np.float32(0.5))


def encode_srgb8(linear: Pixels) -> NDArray[np.uint8]:
    """8-bit sRGB codes, rounded to nearest."""
    flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
    out = np.empty(flat.shape, np.uint8)
    table = _encode_table()
    over_rows(lambda a, b: _encode8(flat, table, out, a, b), flat.size, least=1 << 16)
    return out.reshape(linear.shape)


@compiled()
def _gain_rows(pixels, gain, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        for x in range(gain.shape[1]):
            g = gain[y, x]
            out[y, x, 0] = pixels[y, x, 0] * g
            out[y, x, 1] = pixels[y, x, 1] * g
            out[y, x, 2] = pixels[y, x, 2] * g


def with_gain(linear: Pixels, log_gain: Pixels) -> Pixels:
    """All three colours (H, W, 3) multiplied by exp(log_gain (H, W)): the hue stays."""
    return multiplied(linear, cv2.exp(np.ascontiguousarray(log_gain, np.float32)))


def multiplied(linear: Pixels, gain: Pixels) -> Pixels:
    """All three colours (H, W, 3) multiplied by gain (H, W)."""
    source, out = np.ascontiguousarray(linear, np.float32), np.empty(linear.shape, np.float32)
    over_rows(lambda a, b: _gain_rows(source, gain, out, a, b), linear.shape[0])
    return out


def luminance(linear: Pixels) -> Pixels:
    """Relative luminance Y of linear BT.709 RGB (H, W, 3) -> (H, W)."""
    return cv2.transform(np.ascontiguousarray(linear), LUMINANCE[None, :]).reshape(linear.shape[:2])


_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], np.float32)


def linear_to_lab(linear: Pixels) -> Pixels:
    """CIE L*a*b* (D65) of linear BT.709 RGB: L* in 0..100. Shapes (..., 3)."""
    white = _XYZ.sum(axis=1)
    relative = (np.clip(linear, 0, None) @ _XYZ.T) / white
    edge = (6 / 29) ** 3
    f = np.where(relative > edge, np.cbrt(relative), relative / (3 * (6 / 29) ** 2) + 4 / 29)
    lab = np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)
    return lab.astype(np.float32)
