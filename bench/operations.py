"""How long a setting that moves takes to its layer, and what is our own against plain ways to the same."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
import skimage.color
from scipy import ndimage

from amber_thicket.core.graph import PLAN_SIDE, Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric import colour, filters, sampling
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief import normal
from bench.timing import best, table
from tests.support import ArraySource, linear_photograph

# A setting that moves, and the layer it changes.
STEPS = (
    ("square.flat.turn", "squared", (1.0, 1.1, 1.2, 1.3, 1.4, 1.5)),
    ("square.lens.k1", "squared", (0.01, 0.012, 0.014, 0.016, 0.018, 0.02)),
    ("even.light.amount", "evened", (60.0, 62.0, 64.0, 66.0, 68.0, 70.0)),
    ("even.tone.saturation", "evened", (10.0, 12.0, 14.0, 16.0, 18.0, 20.0)),
    ("tile.join.overlap_x", "base_color", (22.0, 23.0, 24.0, 25.0, 26.0, 27.0)),
    ("tile.join.feather", "base_color", (3.0, 3.2, 3.4, 3.6, 3.8, 4.0)),
    ("relief.bands.small", "height", (1.2, 1.25, 1.3, 1.35, 1.4, 1.45)),
    ("relief.height.steepness", "normal", (0.3, 0.32, 0.34, 0.36, 0.38, 0.4)),
    ("relief.occlusion.reach", "ambient_occlusion", (4.0, 4.4, 4.8, 5.2, 5.6, 6.0)),
    ("response.roughness.spread", "roughness", (0.2, 0.21, 0.22, 0.23, 0.24, 0.25)),
)


def run(side: int) -> None:
    side = side or PLAN_SIDE
    photo = sampling.region(linear_photograph("gravel"), (0, 0, 512, 512), (2048, 2048), mode="smooth").clip(0, 1)
    recipe = Recipe().with_changes({"square.size.width": 1024, "square.size.height": 1024})
    ready = Evaluation(recipe, ArraySource(photo), Memory(4_000_000_000))
    size = (side, side)
    copy = best(lambda: photo[:side, :side].copy())
    rows = []
    for path, layer, values in STEPS:
        ready.layer(layer, size)
        # The first step makes what all of them share.
        ready.with_changes({path: values[0]}).layer(layer, size)
        took = []
        for value in values[1:]:
            changed = ready.with_changes({path: value})
            began = time.perf_counter()
            changed.layer(layer, size)
            took.append(time.perf_counter() - began)
        rows.append([f"{path} to {layer}", f"{min(took) / copy:.1f} ×", f"{min(took) * 1e3:.1f} ms"])
    table(f"A setting that moves, at {side}²: time over copying a picture", ["setting", "ratio", "here"], rows)
    _against_plain(side)


def _against_plain(side: int) -> None:
    rng = np.random.default_rng(0)
    picture, field = rng.random((side, side, 3), np.float32), rng.random((side, side), np.float32)
    codes = (picture * 255).astype(np.uint8)
    pairs: list[tuple[str, Callable[[], object], Callable[[], object]]] = [
        ("sRGB to linear", lambda: colour.decode_srgb(codes), lambda: colour.srgb_to_linear(codes / 255)),
        ("linear to 8-bit sRGB", lambda: colour.encode_srgb8(picture), lambda: np.rint(colour.linear_to_srgb(picture) * 255).astype(np.uint8)),
        ("L*a*b*", lambda: colour.linear_to_lab(picture), lambda: skimage.color.rgb2lab(picture)),
        ("blur, 2 px", lambda: filters.blur(field, 2, wraps=True), lambda: ndimage.gaussian_filter(field, 2, mode="wrap")),
        ("blur, 48 px", lambda: filters.blur(field, 48, wraps=True), lambda: ndimage.gaussian_filter(field, 48, mode="wrap")),
        ("normal", lambda: normal.from_height(field, depth=20), lambda: _plain_normal(field)),
        ("enlarge 1.37 ×", lambda: sampling.region(picture, (0, 0, side / 1.37, side / 1.37), (side, side), mode="smooth"), lambda: ndimage.zoom(picture[: int(side / 1.37), : int(side / 1.37)], (1.37, 1.37, 1), order=3)),
    ]  # fmt: skip
    rows = [[name, f"{best(plain) / best(ours):.1f} × faster"] for name, ours, plain in pairs]
    table(f"Against the plain scipy, numpy or scikit-image way at {side}²", ["what", "ratio"], rows)


def _plain_normal(field: np.ndarray) -> np.ndarray:
    x, y = ndimage.sobel(field, 1, mode="wrap"), ndimage.sobel(field, 0, mode="wrap")
    vectors = np.stack([-x, y, np.ones_like(x)], -1)
    return vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)
