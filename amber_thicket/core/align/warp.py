"""Photographs that lie on the first one only after they are warped; and two that become one."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.source import Source

# What the stubs of OpenCV do not know.
_CV: Any = cv2
_LOOK = 1024
# Widths in px of 1024 at which a picture is split, and how softly each part passes over the seam.
_SPLITS, _FEATHERS = (3.0, 14.0), (0.8, 4.0, 16.0)


def warp_to(
    pixels: Pixels, matrix: Pixels, size: tuple[int, int], *, wraps: bool = False, beyond: float | None = None
) -> Pixels:
    """pixels (H, W[, C]) looked up for a picture of (width, height). matrix: from its places to theirs, in 0..1. wraps:
    they go on at the other side. beyond: what lies outside of them; None carries their rim on."""
    here = np.diag([1.0 / size[0], 1.0 / size[1], 1.0])
    there = np.diag([float(pixels.shape[1]), float(pixels.shape[0]), 1.0])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    edges = np.linalg.inv(half) @ there @ matrix @ here @ half
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    border = cv2.BORDER_WRAP if wraps else cv2.BORDER_REPLICATE if beyond is None else cv2.BORDER_CONSTANT
    return np.asarray(
        cv2.warpPerspective(pixels, edges, size, flags=flags, borderMode=border, borderValue=(beyond or 0.0,) * 4)
    )


def _level_of(source: Source, size: tuple[int, int], matrix: Pixels) -> int:
    """How often a source is halved to come to about the scale of the picture it is laid on."""
    scale = np.sqrt(abs(float(np.linalg.det(matrix[:2, :2]))) * source.width * source.height / (size[0] * size[1]))
    return max(0, int(np.log2(max(scale, 1.0))))


@dataclass(frozen=True)
class WarpedSource:
    """A file laid on another. matrix: nine numbers, row by row, from places of the picture to those of the file."""

    whole: Source
    matrix: tuple[float, ...]
    width: int
    height: int
    wraps: bool = False

    @property
    def key(self) -> str:
        return f"{self.whole.key}@{_digest([self.matrix, self.width, self.height, self.wraps])}"

    def read(self, level: int, **how: Any) -> Raster:
        return self._laid(level, lambda own: self.whole.read(own, **how))

    def alpha(self, level: int) -> Raster:
        return self._laid(level, self.whole.alpha)

    def _laid(self, level: int, read: Callable[[int], Raster]) -> Raster:
        size, matrix = (self.width >> level, self.height >> level), np.array(self.matrix).reshape(3, 3)
        return Raster(warp_to(read(_level_of(self.whole, size, matrix)).pixels, matrix, size, wraps=self.wraps))


def _digest(parts: list[Any]) -> str:
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:12]


class Seam(NamedTuple):
    """gains: (3,) what brings the second to the light of the first. mask: (h, w) in 0..1 over the
    joined picture, 1 where the first is taken."""

    gains: Pixels
    mask: Pixels


@dataclass(frozen=True)
class Stitched:
    """Two overlapping photographs as one. matrix: from places of the first to those of the second, in 0..1."""

    first: Source
    second: Source
    matrix: tuple[float, ...]
    memory: Memory

    @property
    def key(self) -> str:
        return f"{self.first.key}+{_digest([self.second.key, self.matrix])}"

    @cached_property
    def seam(self) -> Seam:
        found: Seam = self.memory.get(f"seam/{self.key}", self._decide)
        return found

    @property
    def width(self) -> int:
        return round((self.box[2] - self.box[0]) * self.first.width)

    @property
    def height(self) -> int:
        return round((self.box[3] - self.box[1]) * self.first.height)

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the joined picture in widths and heights of the first photograph."""
        sizes = [(one.width, one.height) for one in (self.first, self.second)]
        found: tuple[float, float, float, float] = self.memory.get(
            f"joined/{_digest([sizes, self.matrix])}", self._find_box
        )
        return found

    @property
    def to_first(self) -> Pixels:
        """(3, 3) from places of the joined picture to places of the first photograph, in 0..1."""
        left, top, right, bottom = self.box
        return np.array([[right - left, 0, left], [0, bottom - top, top], [0, 0, 1]])

    def _both(self, box: tuple[float, float, float, float], size: tuple[int, int], **how: Any) -> tuple[Pixels, Pixels]:
        """Both photographs over a box of the first one's places."""
        place = np.array([[box[2] - box[0], 0, box[0]], [0, box[3] - box[1], box[1]], [0, 0, 1]])
        whole = (round(size[0] / place[0, 0]), round(size[1] / place[1, 1]))
        to_second = np.array(self.matrix).reshape(3, 3)
        one = self.first.read(_level_of(self.first, whole, np.eye(3)), **how).pixels
        other = self.second.read(_level_of(self.second, whole, to_second), **how).pixels
        return warp_to(one, place, size), warp_to(other, to_second @ place, size)

    def _covered(self, box: tuple[float, float, float, float], size: tuple[int, int]) -> tuple[Pixels, Pixels]:
        """Where each photograph has pixels, (h, w) bool."""
        x, y = np.meshgrid((np.arange(size[0]) + 0.5) / size[0], (np.arange(size[1]) + 0.5) / size[1])
        x, y = box[0] + x * (box[2] - box[0]), box[1] + y * (box[3] - box[1])
        inside = (x >= 0) & (x <= 1) & (y >= 0) & (y <= 1)
        m = np.array(self.matrix).reshape(3, 3)
        w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
        u, v = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w, (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w
        return inside, (w > 0) & (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)

    def _find_box(self) -> tuple[float, float, float, float]:
        """The largest upright rectangle without empty corners."""
        corners = (
            np.array([[0, 0, 1], [1, 0, 1], [0, 1, 1], [1, 1, 1.0]])
            @ np.linalg.inv(np.array(self.matrix).reshape(3, 3)).T
        )
        places = np.vstack([corners[:, :2] / corners[:, 2:], [[0, 0], [1, 1]]])
        (left, top), (right, bottom) = places.min(0).clip(-3, 4), places.max(0).clip(-3, 4)
        box = (float(left), float(top), float(right), float(bottom))
        scale = _LOOK / max((right - left) * self.first.width, (bottom - top) * self.first.height)
        size = (round((right - left) * self.first.width * scale), round((bottom - top) * self.first.height * scale))
        here, there = self._covered(box, size)
        x0, y0, x1, y1 = largest_rectangle(here | there)
        return (
            box[0] + (box[2] - box[0]) * x0 / size[0],
            box[1] + (box[3] - box[1]) * y0 / size[1],
            box[0] + (box[2] - box[0]) * x1 / size[0],
            box[1] + (box[3] - box[1]) * y1 / size[1],
        )

    def _decide(self) -> Seam:
        box = self.box
        width, height = (box[2] - box[0]) * self.first.width, (box[3] - box[1]) * self.first.height
        scale = _LOOK / max(width, height)
        size = (round(width * scale), round(height * scale))
        here, there = self._covered(box, size)
        one, other = self._both(box, size)
        both = cv2.erode((here & there).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        gains = np.ones(3)
        if both.sum() > 64:
            gains = np.median(np.log(np.maximum(one[both], 1e-3)) - np.log(np.maximum(other[both], 1e-3)), axis=0)
            gains = np.exp(np.clip(gains, -1.5, 1.5))
        return Seam(gains, _cut(one, other * gains.astype(np.float32), here, there))

    def read(self, level: int, **how: Any) -> Raster:
        size = (self.width >> level, self.height >> level)
        one, other = self._both(self.box, size, **how)
        other = other * self.seam.gains.astype(np.float32)
        here, there = self._covered(self.box, size)
        mask = cv2.resize(self.seam.mask, size, interpolation=cv2.INTER_LINEAR)
        mask = np.where(here & there, (mask > 0.5).astype(np.float32), here.astype(np.float32))
        one = np.where(here[..., None], one, other)
        other = np.where(there[..., None], other, one)
        scale = max(size) / _LOOK
        out = np.zeros_like(one)
        rests = [one, other]
        for number, feather in enumerate(_FEATHERS):
            split = _SPLITS[number] * scale if number < len(_SPLITS) else 0.0
            parts = []
            for k, rest in enumerate(rests):
                smooth = blur(rest, split, wraps=False, fast=True) if split else np.zeros_like(rest)
                parts.append(rest - smooth)
                rests[k] = smooth
            soft = blur(np.ascontiguousarray(mask), feather * scale, wraps=False, fast=True)[..., None]
            out += soft * parts[0] + (1 - soft) * parts[1]
        return Raster(np.maximum(out, 0))

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


def _cut(one: Pixels, other: Pixels, here: Pixels, there: Pixels) -> Pixels:
    """(h, w) float32, 1 where the first is taken: the path through the overlap along which both look most alike."""
    finder = _CV.detail_DpSeamFinder("COLOR_GRAD")
    pictures = [encode_srgb8(np.ascontiguousarray(p.clip(0, 1), np.float32)).astype(np.float32) for p in (one, other)]
    masks = [_CV.UMat(m.astype(np.uint8) * 255) for m in (here, there)]
    found = finder.find([_CV.UMat(p) for p in pictures], [(0, 0), (0, 0)], masks)
    result: Pixels = (found[0].get() > 0).astype(np.float32)
    return result


def largest_rectangle(mask: Pixels) -> tuple[int, int, int, int]:
    """Left, top, right, bottom (open) of the largest upright rectangle of true pixels in (H, W)."""
    heights = np.zeros(mask.shape[1], int)
    best, found = 0, (0, 0, mask.shape[1], mask.shape[0])
    for row in range(mask.shape[0]):
        heights = np.where(mask[row], heights + 1, 0)
        stack: list[int] = []
        for column in range(mask.shape[1] + 1):
            height = heights[column] if column < mask.shape[1] else 0
            while stack and heights[stack[-1]] >= height:
                tall = int(heights[stack.pop()])
                left = stack[-1] + 1 if stack else 0
                if tall * (column - left) > best:
                    best, found = tall * (column - left), (left, row - tall + 1, column, row + 1)
            stack.append(column)
    return found
