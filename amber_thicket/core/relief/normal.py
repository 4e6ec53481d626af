"""Normal from height."""

from __future__ import annotations

from functools import partial
from typing import Any, Literal

import numpy as np

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, pad
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.operation import ExistingMap, Operation
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.core.settings import OperationSettings, setting
from amber_thicket.core.shading.slope import slopes

# Least-squares slope over five pixels (Savitzky & Golay, Analytical Chemistry 36(8), 1964).
_CALM = np.array([[-2, -1, 0, 1, 2]], np.float32) / 10


def crispness_setting(label: str, help: str) -> Any:
    """How much the finest relief stands out, as crisper() takes it."""
    return setting(0.0, ge=-100, le=200, step=5, unit="%", label=label, help=help)


def crisp_size_setting() -> Any:
    """What counts as the finest relief."""
    return setting(
        0.4, ge=0.1, le=4, step=0.1, unit="% of tile", folded=True, label="Crisp under",
        help="What is finer than this counts as the finest.",
    )  # fmt: skip


class Settings(OperationSettings):
    strength: float = setting(
        1.0,
        ge=0,
        le=4,
        step=0.05,
        unit="×",
        label="Strength",
        help="1 is the surface's own slope; more exaggerates the normal map alone.",
    )
    kernel: Literal["even", "crisp", "calm"] = setting(
        "even",
        label="Slope over",
        choices={"even": "3 × 3", "crisp": "2 px", "calm": "5 px"},
        folded=True,
        help="How many pixels a slope is read from: 3 × 3 is even in all directions, 2 px sharpest, 5 px calm.",
    )
    crispness: float = crispness_setting(
        "Crispness", "Over 0 the finest relief stands out more in the normal map, under 0 it is smoothed away."
    )
    crisp_size: float = crisp_size_setting()
    detail: float = setting(
        1.0,
        ge=0,
        le=4,
        step=0.05,
        unit="×",
        folded=True,
        label="Detail normal",
        help="How strongly the detail normal map that was brought lies on the surface.",
    )
    y_in_files: Literal["profile", "plus", "minus"] = setting(
        "profile",
        label="Y in files",
        choices={"profile": "As profile", "plus": "Y+", "minus": "Y−"},
        help="Which way green points in written files: Y+ (OpenGL) up, Y− (DirectX) down; inside it is always Y+.",
    )


def from_height(height: Pixels, *, depth: float, wraps: bool = True) -> Pixels:
    """Unit normals (H, W, 3) of a height field.

    height: (H, W) float32, rows downwards. depth: pixels from height 0 to height 1. +X right, +Y up, +Z out.
    """
    right, up = slopes(height, wraps=wraps)
    return _leaning(right, up, depth)


def crisper(height: Pixels, by: float, sigma: float) -> Pixels:
    """A height whose finest relief, finer than sigma px, stands out more (by over 0) or less: at −100 it is gone."""
    soft = blur(height, sigma, wraps=True)
    return np.asarray(soft + np.float32(1 + by / 100) * (height - soft))


def normal(height: Raster, detail: Raster | None, /, *, frame: Frame, strength: float, **how: Any) -> Raster:
    """Unit normals of the height layer at its own span times strength. detail: a finer normal map laid on them."""
    field, crisp = height.pixels, how["crispness"]
    deep = height.span * frame.tile_width * strength
    kernel = how["kernel"]
    if crisp:
        field = crisper(field, crisp, frame.length(how["crisp_size"]))
    vectors = from_height(field, depth=deep) if kernel == "even" else _by(kernel, field, deep)
    if detail is not None and how["detail"]:
        vectors = laid_on(vectors, steeper(detail.pixels, how["detail"]))
    return Raster(vectors)


def _by(kernel: str, height: Pixels, depth: float) -> Pixels:
    """Unit normals by central differences (crisp to the pixel) or over five pixels (calm)."""
    across = np.array([[-0.5, 0, 0.5]], np.float32) if kernel == "crisp" else _CALM
    size = across.shape[1] // 2
    padded = pad(height, size, wraps=True)
    inside = np.s_[size:-size, size:-size]
    right = cv2.filter2D(padded, cv2.CV_32F, across)[inside]
    up = -cv2.filter2D(padded, cv2.CV_32F, np.ascontiguousarray(across.T))[inside]
    return _leaning(right, up, depth)


def _leaning(right: Pixels, up: Pixels, depth: float) -> Pixels:
    """Unit normals of a surface by its slopes times depth."""
    out = np.empty((*right.shape, 3), np.float32)
    over_rows(partial(_lean_rows, right, up, np.float32(-depth), out), len(out))
    return out


@compiled(loose=True)
def _lean_rows(right, up, by, out, first, last):  # type: ignore[no-untyped-def]
    for y in range(first, last):
        for i in range(out.shape[1]):
            lean_x, lean_y = right[y, i] * by, up[y, i] * by
            z = np.float32(1.0) / np.sqrt(np.float32(1.0) + lean_x * lean_x + lean_y * lean_y)
            out[y, i, 0], out[y, i, 1], out[y, i, 2] = lean_x * z, lean_y * z, z


def steeper(vectors: Pixels, by: float) -> Pixels:
    """Unit normals whose slopes are multiplied. vectors: (H, W, 3)."""
    return vectors if by == 1 else unit(vectors * np.array([by, by, 1], np.float32))


def laid_on(base: Pixels, detail: Pixels) -> Pixels:
    """Unit normals (H, W, 3) of a detail on a surface: the detail turned with the surface it lies on.

    Source: Barré-Brisebois & Hill, "Blending in detail", 2012 (reoriented normal mapping).
    """
    t = base + np.array([0, 0, 1], np.float32)
    u = detail * np.array([-1, -1, 1], np.float32)
    return unit(t * (np.einsum("ijk,ijk->ij", t, u) / np.maximum(t[..., 2], 1e-6))[..., None] - u)


def given_normal(given: Raster, *, frame: Frame, strength: float, **_: Any) -> Raster:
    """The normal map that was brought; strength multiplies its slopes."""
    if strength == 1:
        return given
    return Raster(steeper(given.pixels, strength), vectors=True)


OPERATION = Operation(
    id="relief.normal",
    label="Normal",
    help="How the surface leans, from its height.",
    settings=Settings,
    reads=("height", "?tiled.normal"),
    writes="normal",
    apply=normal,
    given=(ExistingMap("normal", given_normal),),
    matters=lambda options: {name: options[name] for name in options if name != "y_in_files"},
)
