"""Every recipe ever written opens, shows what it showed, and bakes."""

import json
import unittest
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.recipe import VERSION, Recipe, from_json
from amber_thicket.service.bake import pack
from tests.recipes.examples import EXAMPLES, FOLDER, SINCE, evaluation_of_example, picture
from tests.support import psnr

LIKE = 45.0
# What is found by search may fall otherwise in single places where another processor rounds otherwise.
SEARCHED = {"cut_with_brushes", "lattice", "regrow", "strew", "stochastic", "filled_and_healed", "covers", "brought_maps",
            "own_profile", "blend", "height", "enlarged_with_real_size", "lens_and_corners"}  # fmt: skip
SAME_PLACES, CELL = 0.85, 14


def _same_places(one: Any, other: Any) -> float:
    """Share of cells that are alike."""
    found = [
        psnr(one[y : y + CELL, x : x + CELL], other[y : y + CELL, x : x + CELL]) >= LIKE
        for y in range(0, one.shape[0], CELL) for x in range(0, one.shape[1], CELL)
    ]  # fmt: skip
    return float(np.mean(found))


def _opened(version: int, name: str) -> Recipe:
    return from_json((FOLDER / f"v{version}" / f"{name}.json").read_text())


class StoredRecipesTest(unittest.TestCase):
    def test_every_feature_has_one(self) -> None:
        for version in range(1, VERSION + 1):
            there = {name for name in EXAMPLES if SINCE.get(name, 1) <= version}
            self.assertEqual({path.stem for path in FOLDER.glob(f"v{version}/*.json")}, there, version)
        self.assertGreaterEqual(len(EXAMPLES), 12)

    def test_they_open_look_the_same_and_bake(self) -> None:
        for name in EXAMPLES:
            with self.subTest(recipe=name):
                # Recipes of later versions say the same (below), so the oldest stands for all.
                since = SINCE.get(name, 1)
                made = evaluation_of_example(name, _opened(since, name))
                before = cv2.imread(str(FOLDER / f"v{since}" / f"{name}.png"))[..., ::-1]
                now = picture(made)
                if name in SEARCHED and psnr(now, before) < LIKE:
                    self.assertGreaterEqual(_same_places(now, before), SAME_PLACES)
                else:
                    self.assertGreaterEqual(psnr(now, before), LIKE)
                names = [written.name for written in pack(made, name, lambda share, what: None)]
                self.assertTrue(any(name.endswith("_manifest.json") for name in names))

    def test_every_version_of_one_says_the_same(self) -> None:
        for name in EXAMPLES:
            since = SINCE.get(name, 1)
            first = _opened(since, name)
            self.assertEqual(first.aside.paths, (), name)
            for version in range(since + 1, VERSION + 1):
                self.assertEqual(_opened(version, name), first, f"{name} {version}")
            self.assertEqual(from_json(first.as_json()), first, name)

    def test_the_measure_tells_examples_apart(self) -> None:
        """A recipe that did nothing would not pass: each example is far from the surface as it comes."""
        for name in ("zones", "painted", "covers", "tone_and_hues", "height"):
            stored = json.loads((FOLDER / "v1" / f"{name}.json").read_text())
            stored["operations"] = {"square.size": stored["operations"]["square.size"]}
            plain = picture(evaluation_of_example(name, from_json(stored)))
            before = cv2.imread(str(FOLDER / "v1" / f"{name}.png"))[..., ::-1]
            self.assertLess(psnr(plain, before), 30, name)
