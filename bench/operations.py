from __future__ import annotations

# ruff: noqa: B023  (each closure is called before its loop goes on)
from collections.abc import Callable

import numpy as np
import skimage.color
from scipy import ndimage

from amber_thicket.core.graph import PLAN_SIDE, Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric import colour, filters, sampling
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import OPERATIONS
from amber_thicket.core.relief import normal
from bench.timing import best, table
from tests.support import ArraySource, linear_photograph


def run(side: int) -> None:
    side = side or PLAN_SIDE
    recipe = Recipe().with_changes(
        {
            "square.size.width": 1024,
            "square.size.height": 1024,
            "even.shadow.amount": 50,
            "even.highlight.amount": 50,
            "even.original.amount": 20,
        }
    )
    photo = sampling.region(linear_photograph("gravel"), (0, 0, 512, 512), (2048, 2048), mode="smooth").clip(0, 1)
    ready = Evaluation(recipe, ArraySource(photo), Memory(4_000_000_000))
    sizes = ready.sizes((side, side))
    rows = []
    for operation in OPERATIONS:
        if not operation.apply:
            continue
        inputs = ready._input_layers(operation, sizes)
        options = recipe.settings(operation.id).model_dump()
        place = ready._frame(operation, sizes)
        decide = (
            best(lambda: operation.decide(*inputs, frame=place, **options))
            if operation.decide and side == PLAN_SIDE
            else None
        )
        if operation.decide:
            options = {**options, "decided": ready.decided(operation)}
        took = best(lambda: operation.apply(*inputs, frame=place, **options))
        copy = best(lambda: [i.pixels.copy() for i in inputs])
        rows.append(
            [operation.id, f"{took / copy:.1f} ×", f"{decide / copy:.1f} ×" if decide else "–", f"{took * 1e3:.1f} ms"]
        )
    table(
        f"Operations at {side}²: time over copying their input", ["operation", "apply", "decide", "apply, here"], rows
    )
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
