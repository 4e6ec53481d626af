"""Compiles every kernel once, so that the first picture a user asks for does not wait for it."""

from __future__ import annotations

import numpy as np

from amber_thicket.core.gather.triage import triage
from amber_thicket.core.graph import Evaluation, fit_side
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import MADE
from amber_thicket.service.bake import check, pack

_HUES = {"even.hues.red_colour": 10.0, "even.hues.red_light": 10.0, "relief.cues.red": 10.0}
_MORE = {
    "square.flat.turn": 2.0,
    "even.known_shading.amount": 50.0,
    "even.raking.amount": 50.0,
    "even.glare.amount": 50.0,
    "even.blotches.dark": 50.0,
    "even.drift.amount": 50.0,
    "even.tone.saturation": 10.0,
}


class _Noise:
    """A small made-up capture."""

    key, width, height = "warm", 400, 400

    def read(self, level: int, **_: object) -> Raster:
        pixels = np.random.default_rng(1).random((self.height, self.width, 3), np.float32)
        return Raster(shrink(pixels, 1 << level) if level else pixels)

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


def warm() -> None:
    """Look at a small capture, evaluate, check and pack it with every method."""
    triage(_Noise().read(0).pixels, bits=8, floating=False)
    for method in ("blend", "cut", "lattice", "regrow", "strew", "stochastic"):
        recipe = Recipe().with_changes(
            {"tile.join.method": method, "square.size.width": 256, "square.size.height": 256, **_HUES}
        )
        evaluation = Evaluation(recipe, _Noise(), Memory(200_000_000))
        for layer in MADE:
            evaluation.layer(layer, fit_side(recipe, 256))
    check(evaluation, "warm")
    for _ in pack(evaluation, "warm", lambda _share, _text: None):
        pass
    # What is off by default: a tilted picture with a height that came along, and all of Even.
    key = f"{1:016x}"
    recipe = recipe.with_changes({**_MORE, "gather.maps.height": key, "tile.join.method": "cut"})
    evaluation = Evaluation(recipe, _Noise(), Memory(200_000_000), files={key: _Noise()})
    evaluation.layer("base_color", fit_side(recipe, 256))


if __name__ == "__main__":
    warm()
