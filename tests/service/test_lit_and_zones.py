"""Panoramas of one's own for the lit view; zones that colours suggest; materials laid over each other in a library."""

from __future__ import annotations

import struct
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.errors import NotFound, UnreadableFile
from amber_thicket.service.preview import zone_picture, zone_shares
from amber_thicket.service.surroundings import own_surroundings, surroundings_bytes
from amber_thicket.service.zones import suggested_zones
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.tarred_felt import tarred_felt
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper
from tests.support import encoded, evaluation, size_of, temporary_library
from tests.support import photograph as sample


def hdr(pixels: np.ndarray) -> bytes:
    return cv2.imencode(".hdr", pixels[..., ::-1].astype(np.float32))[1].tobytes()


class PanoramaTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_even_light_from_everywhere_is_even_at_every_roughness(self) -> None:
        """Closed form: under radiance L from all sides irradiance over π, and every mirror image, is L."""
        name = own_surroundings(self.folder, hdr(np.full((64, 128, 3), 3.0)), "even.hdr")
        data = surroundings_bytes(self.folder, name)
        width, height, count, terms = struct.unpack("<4I", data[:16])
        harmonics = np.frombuffer(data, "<f4", 27, 16).reshape(9, 3)
        levels = np.frombuffer(data, "<f2", offset=16 + 108).reshape(count * height, width, 4)[..., :3]
        np.testing.assert_allclose(harmonics[0] * 0.282095, 0.45, rtol=0.01)
        np.testing.assert_allclose(harmonics[1:], 0, atol=0.01)
        np.testing.assert_allclose(levels.astype(np.float32), 0.45, rtol=0.01)
        self.assertEqual(terms, 9)

    def test_light_from_above_falls_on_what_looks_up(self) -> None:
        sky = np.zeros((64, 128, 3))
        sky[:32] = 1
        name = own_surroundings(self.folder, hdr(sky), "sky.hdr")
        harmonics = np.frombuffer(surroundings_bytes(self.folder, name), "<f4", 27, 16).reshape(9, 3)
        self.assertGreater(harmonics[1, 0], 0.2)

    def test_what_is_no_panorama_is_refused(self) -> None:
        for data in (hdr(np.ones((64, 64, 3))), encoded(sample("gravel")), b"#?RADIANCE\nnothing", b"junk"):
            with self.assertRaises(UnreadableFile):
                own_surroundings(self.folder, data, "a.hdr")
        with self.assertRaises(NotFound):
            surroundings_bytes(self.folder, "own-0123456789abcdef")
        with self.assertRaises(NotFound):
            surroundings_bytes(self.folder, "../../etc/passwd")


class SuggestionTest(unittest.TestCase):
    def test_copper_has_two_zones_and_felt_none(self) -> None:
        for make, count in ((verdigris_copper, 2), (tarred_felt, 0)):
            pixels = decode_srgb(photograph(make(512, 7), Shot(sky=0.7), np.random.default_rng(1)))
            found = suggested_zones(evaluation(pixels, **size_of(256)))
            self.assertEqual(len(found["zones"]), count, found)
            self.assertTrue(found["why"])
            if count:
                rows = [{"id": f"z{n}", "parts": [zone["part"]]} for n, zone in enumerate(found["zones"])]
                ready = evaluation(pixels, **size_of(256), response__zones__zones=rows)
                shares, rough = zone_shares(ready)
                self.assertEqual(set(rough), set(shares))
                self.assertAlmostEqual(sum(shares.values()), 1, delta=0.08)
                self.assertTrue(zone_picture(ready, "z0", side=256).startswith(b"\xff\xd8"))
                with self.assertRaises(NotFound):
                    zone_picture(ready, "z9", side=256)


class LaidOverTest(unittest.TestCase):
    def test_materials_of_a_library_lie_over_each_other_without_a_circle(self) -> None:
        with temporary_library() as library:
            one = library.add([encoded(sample("gravel"))], "a.png")
            other = library.add([encoded(sample("grass"))], "b.png")
            for material, under in ((one, other), (other, one)):
                cover = [{"id": "c", "material": str(under.id), "where": "everywhere", "repeat": 1}]
                library.edit(str(material.id), 1, {"response.covers.covers": cover}, label="", gesture="")
            made = library.evaluation(library.get(str(one.id)))
            plain = library.evaluation(library.get(str(other.id)))
            got = made.layer("base_color", (256, 256)).pixels
            np.testing.assert_allclose(got, plain.layer("tiled", (256, 256)).pixels, atol=1e-4)
            self.assertEqual(list(library.laid_over(library.get(str(one.id)))), [str(other.id)])


if __name__ == "__main__":
    unittest.main()
