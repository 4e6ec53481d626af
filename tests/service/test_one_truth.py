"""Every number that is shown twice is the same: in the line at the bottom and in Tile, in Check, in the manifest of the
pack, in triage."""

import json
import re
import unittest
from typing import Any

import numpy as np

from amber_thicket.core.check.figures import PASS, seams
from amber_thicket.core.check.rules import tiling_joins
from amber_thicket.core.graph import Evaluation, output_size
from amber_thicket.core.shading.raking import raking
from amber_thicket.service.bake import check, pack
from amber_thicket.service.preview import figures, preview_size
from amber_thicket.service.repeat_artifacts import describe_repeat_artifacts
from amber_thicket.service.tiling import suggestion
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from tests.support import decode_srgb, evaluation, linear_photograph, rig_surface, size_of

SHOT = Shot(bearing=110, elevation=40, sky=0.6)


def materials() -> list[tuple[str, np.ndarray, dict[str, Any]]]:
    """Twelve surfaces, under different methods and sizes."""
    found: list[tuple[str, np.ndarray, dict[str, Any]]] = [
        ("gravel", linear_photograph("gravel"), size_of(512)),
        ("grass", linear_photograph("grass"), {**size_of(256), "tile__join__method": "strew"}),
        ("brick", linear_photograph("brick"), {**size_of(512), "tile__join__method": "none"}),
    ]
    methods = ("cut", "blend", "cut", "lattice", "cut", "none", "cut", "stochastic", "cut")
    for number, (kind, method) in enumerate(zip(KINDS, methods, strict=True)):
        lit = decode_srgb(photograph(rig_surface(kind, 512, 11), SHOT, np.random.default_rng(number)))
        found.append((kind, lit, {**size_of((256, 512, 256)[number % 3]), "tile__join__method": method}))
    return found


class OneTruthTest(unittest.TestCase):
    def assert_one_truth(self, ready: Evaluation, *, loose: bool) -> None:
        told, places = figures(ready), describe_repeat_artifacts(ready)
        found = check(ready, "made")
        rows: dict[str, list[dict[str, Any]]] = {}
        for row in found:
            rows.setdefault(row["rule"], []).append(row)
        # Seams: the readout and Tile show the same answer; Check has a row for every map.
        seam = next(row for row in rows["tiling.seam"] if row["map"] == "base_color")
        across, down = (float(figure["border"]) for figure in told["seam"])
        self.assertEqual(seam["measured"], f"{across:.1f} across, {down:.1f} down")
        worst = max((figure["level"] for figure in told["seam"]), key=("pass", "attention", "blocked").index)
        self.assertEqual(seam["level"], worst)
        if max(across, down) >= PASS and worst == "pass":
            self.assertIn("its own lines", seam["limit"], "a figure over its limit says which limit holds")
        for role, both in told["maps"].items():
            row = next((row for row in rows["tiling.seam"] if row["map"] == role), None)
            if row:
                self.assertEqual(row["measured"], f"{both[0]['border']:.1f} across, {both[1]['border']:.1f} down")
        # Drift and what catches the eye.
        self.assertEqual(rows["tiling.drift"][0]["measured"], f"ΔE {told['drift']:.2f}")
        strongest = places["places"][0]["strength"] if places["places"] else 0.0
        said = rows["tiling.giveaways"][0]["measured"]
        self.assertIn(f"strongest place {strongest:.2f}, blotches {places['blotches']:.2f}", said)
        # Broken pieces.
        joins = rows["tiling.joins"][0]
        if told["broken"] is None:
            self.assertEqual(joins["level"], "note")
        else:
            self.assertEqual(joins["level"], told["broken"]["level"])
            self.assertEqual(told["broken"]["level"], tiling_joins.judged(told["broken"]))
            if told["broken"]["pieces"] == "yes":
                self.assertIn(f"{told['broken']['count']} of about {told['broken']['shown']}", joins["measured"])
        # Light: Tile speaks of none only where Relief sees none.
        if loose and "from no one side" in suggestion(ready).reason:
            squared = ready.layer("squared", preview_size(ready)).pixels
            self.assertEqual(raking(squared).weight, 0)
        # Figures are those of the pixels that are shown, which are never made up beyond the finished ones.
        size = preview_size(ready)
        self.assertLessEqual(size, output_size(ready.recipe))
        height = ready.layer("height", size).pixels
        for shown, measured in zip(told["maps"]["height"], seams(height), strict=True):
            self.assertEqual(shown["border"], measured.border)

    def test_twelve_materials(self) -> None:
        for name, pixels, changes in materials():
            with self.subTest(name):
                # Pieces that lie any way round: only of those Tile speaks of light.
                self.assert_one_truth(evaluation(pixels, **changes), loose=name in ("gravel", "grass"))

    def test_the_manifest_says_what_check_says(self) -> None:
        ready = evaluation(linear_photograph("gravel"), **size_of(256))
        told = [(f["rule"], f["map"], f["level"], f["measured"], f["limit"]) for f in check(ready, "made")]
        manifest = next(one for one in pack(ready, "made", lambda *_: None) if one.name.endswith("manifest.json"))
        packed = [
            (f["rule"], f["map"], f["level"], f["measured"], f["limit"]) for f in json.loads(manifest.data)["checks"]
        ]
        self.assertEqual(sorted(map(str, packed)), sorted(map(str, told)))
        numbers = [re.findall(r"\d+\.\d+", row[3]) for row in packed]
        self.assertGreater(sum(map(len, numbers)), 20)


if __name__ == "__main__":
    unittest.main()
