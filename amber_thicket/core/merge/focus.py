"""A focus stack as one sharp picture: each place from the photograph that is sharpest there.

Sources: Nayar & Nakagawa, "Shape from focus", IEEE TPAMI 16(8), 1994 (the sum of modified Laplacians); Burt & Adelson,
"A multiresolution spline with application to image mosaics", ACM TOG 2(4), 1983 (blending by bands).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels

_LEVELS = 6
# Sharpness is gathered over so many px of the picture it is looked at in.
_REACH = 5.0


def sharpness(pixels: Pixels) -> Pixels:
    """(H, W): the sum of modified Laplacians around each place. pixels: (H, W, 3) linear."""
    tone = np.sqrt(np.maximum(luminance(np.ascontiguousarray(pixels)), 0)).astype(np.float32)
    across = np.abs(cv2.filter2D(tone, cv2.CV_32F, np.array([[-1, 2, -1]], np.float32)))
    down = np.abs(cv2.filter2D(tone, cv2.CV_32F, np.array([[-1], [2], [-1]], np.float32)))
    return blur(across + down, _REACH, wraps=False)


def choose_sharpest(energies: list[Pixels], covers: list[Pixels]) -> Pixels:
    """(H, W) uint8: the number of the photograph each place is taken from. Where none is clearly sharper, as the places
    around say. energies: of each photograph, as sharpness() gives them. covers: (H, W) bool, where each reaches."""
    stack = np.stack([np.where(cover, energy, -1) for energy, cover in zip(energies, covers, strict=True)])
    first = stack.max(0)
    second = np.sort(stack, axis=0)[-2] if len(stack) > 1 else np.zeros_like(first)
    sure = np.clip((first - second) / np.maximum(first, 1e-6), 0, 1)
    votes = np.stack([np.where(stack.argmax(0) == number, sure + 1e-3, 0) for number in range(len(stack))])
    spread = [blur(np.ascontiguousarray(vote, np.float32), 2 * _REACH, wraps=False, fast=True) for vote in votes]
    spread = [np.where(cover, vote, -1) for vote, cover in zip(spread, covers, strict=True)]
    return np.asarray(np.argmax(spread, axis=0), np.uint8)


def merge_focus(read: Callable[[int], Pixels], chosen: Pixels, count: int) -> Pixels:
    """(H, W, 3) linear. read: gives a photograph, (H, W, 3) linear on one grid, by its number; one at a time is held.
    chosen: (h, w) uint8, of any size. count: of photographs."""
    bands: list[Pixels] = []
    weights: list[Pixels] = []
    shape: tuple[int, int] | None = None
    for number in range(count):
        pixels = read(number)
        shape = pixels.shape[:2]
        mask = (chosen == number).astype(np.float32)
        mask = cv2.resize(mask, shape[::-1], interpolation=cv2.INTER_LINEAR)
        for level, (band, weight) in enumerate(_pyramid(pixels, np.ascontiguousarray(mask))):
            if number == 0:
                bands.append(np.zeros_like(band))
                weights.append(np.zeros_like(weight))
            bands[level] += band * weight[..., None]
            weights[level] += weight
    out = bands[-1] / np.maximum(weights[-1], 1e-6)[..., None]
    for band, weight in zip(bands[-2::-1], weights[-2::-1], strict=True):
        out = cv2.pyrUp(out, dstsize=band.shape[1::-1]) + band / np.maximum(weight, 1e-6)[..., None]
    return np.maximum(out, 0)


def _pyramid(pixels: Pixels, mask: Pixels) -> list[tuple[Pixels, Pixels]]:
    """(band, weight) from fine to coarse; the last band is what is left."""
    rows = []
    for _ in range(_LEVELS):
        if min(pixels.shape[:2]) < 16:
            break
        small = cv2.pyrDown(pixels)
        rows.append((pixels - cv2.pyrUp(small, dstsize=pixels.shape[1::-1]), mask))
        pixels, mask = small, cv2.pyrDown(mask)
    rows.append((pixels, mask))
    return rows
