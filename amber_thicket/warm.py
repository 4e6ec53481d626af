"""Compiles every kernel once, so that the first picture a user asks for does not wait for it."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.graph import Evaluation, fit_side
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.registry import MAPS
from amber_thicket.service.bake import check, pack


class _Noise:
    """A small made-up capture."""

    key, width, height = "warm", 400, 400

    def read(self, level: int, **_: object) -> Raster:
        pixels = np.random.default_rng(1).random((self.height, self.width, 3), np.float32)
        return Raster(shrink(pixels, 1 << level) if level else pixels)

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


def warm() -> None:
    """Evaluate, check and pack a small capture with every method."""
    for method in ("blend", "cut", "lattice", "regrow", "strew", "stochastic"):
        recipe = Recipe().with_changes(
            {"tile.join.method": method, "square.size.width": 256, "square.size.height": 256}
        )
        evaluation = Evaluation(recipe, _Noise(), Memory(200_000_000))
        for layer in MAPS:
            evaluation.layer(layer, fit_side(recipe, 256))
    check(evaluation, "warm")
    for _ in pack(evaluation, "warm", lambda _share, _text: None):
        pass


if __name__ == "__main__":
    warm()
