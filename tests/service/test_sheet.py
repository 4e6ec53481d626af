"""Several cut-outs on one sheet."""

from __future__ import annotations

import unittest

import cv2
import numpy as np

from amber_thicket.core.files.sheet import arranged
from amber_thicket.errors import BadSetting
from amber_thicket.service.bake import check
from amber_thicket.service.sheet import sheet
from amber_thicket.standins.capture_rig.kelp_frond import front_shot, kelp_frond
from tests.support import encoded, temporary_library


class Arranging(unittest.TestCase):
    def test_pieces_fit_do_not_touch_and_keep_their_proportions(self) -> None:
        rng = np.random.default_rng(3)
        for count in (1, 2, 5, 13):
            pieces = [tuple(rng.uniform(0.3, 2.0, 2)) for _ in range(count)]
            scale, spots = arranged(pieces, 1024, 8)
            taken = np.zeros((1024, 1024), np.uint8)
            for (width, height), spot in zip(pieces, spots, strict=True):
                self.assertAlmostEqual(spot.width, width * scale, delta=1.01)
                self.assertAlmostEqual(spot.height, height * scale, delta=1.01)
                self.assertTrue(spot.left >= 8 and spot.top >= 8)
                self.assertTrue(spot.left + spot.width <= 1016 and spot.top + spot.height <= 1016)
                taken[spot.top - 8 : spot.top + spot.height + 8, spot.left - 8 : spot.left + spot.width + 8] += 1
            self.assertEqual(int(taken.max()), 1)
            self.assertGreater(float((taken > 0).mean()), 0.3)


class Sheets(unittest.TestCase):
    def test_two_fronds_on_a_sheet_pass_as_a_cut_out(self) -> None:
        with temporary_library() as library:
            ids = []
            for seed in (4, 9):
                frond = kelp_frond(384, seed)
                data = encoded(front_shot(frond, np.random.default_rng(seed)))
                width = {"square.size.sample_mm": 320.0 if seed == 4 else 160.0}
                ids.append(str(library.add([data], f"frond_{seed}.png", as_role="cutout", changes=width).id))
            plain = library.add([encoded(np.full((64, 64, 3), 120, np.uint8))], "plain.png")
            material = sheet(library, ids, name="Fronds", side=512, padding=8)
            evaluation = library.evaluation(material)
            opacity = evaluation.layer("opacity", (512, 512)).pixels
            self.assertTrue(0.1 < float(opacity.mean()) < 0.8)
            self.assertEqual(float(opacity[:8].max()), 0.0)
            # The second frond is half as wide in reality, and so it is on the sheet.
            _, _, stats, _ = cv2.connectedComponentsWithStats((opacity > 0.5).astype(np.uint8))
            tall = sorted(int(row[cv2.CC_STAT_HEIGHT]) for row in stats[1:] if row[cv2.CC_STAT_AREA] > 500)
            self.assertEqual(len(tall), 2)
            self.assertAlmostEqual(tall[0] / tall[1], 0.5, delta=0.05)
            blocked = [f for f in check(evaluation, "Fronds") if f["level"] == "blocked"]
            self.assertEqual(blocked, [])
            for wrong in ([ids[0]], [ids[0], str(plain.id)]):
                with self.assertRaises(BadSetting):
                    sheet(library, wrong, name="x", side=512, padding=8)
            with self.assertRaises(BadSetting):
                sheet(library, ids, name="x", side=500, padding=8)


if __name__ == "__main__":
    unittest.main()
