"""Scans over HTTP: kept, looked at, taken, called off."""

from __future__ import annotations

import base64
import io
import unittest
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image

from amber_thicket.service import scanning
from amber_thicket.standins.capture_rig.scanned import mtl_bytes, obj_bytes, ply_bytes, scanned
from tests.support import rig_surface
from tests.web.test_app import AppTest as _AppTest


class ScansTest(_AppTest):
    def kept(self, data: bytes, name: str) -> dict[str, Any]:
        answer = self.client.post(f"/api/scans/files?file={name}", data=data)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.get_json()

    def ask(self, what: str, asked: dict[str, Any], code: int = 200) -> Any:
        answer = self.client.post(f"/api/scans/{what}", json=asked)
        self.assertEqual(answer.status_code, code, answer.text)
        return answer.get_json()

    def test_an_obj_with_its_texture(self) -> None:
        of = scanned(rig_surface("slate_shingles", 256, 4), 50)
        picture = io.BytesIO()
        Image.new("RGB", (128, 128), (200, 40, 40)).save(picture, "PNG")
        beside = [self.kept(mtl_bytes("a.png"), "a.mtl"), self.kept(picture.getvalue(), "a.png")]
        asked = {**self.kept(obj_bytes(of, "a.mtl"), "wall/a.obj"), "beside": beside, "unit": "cm"}
        self.assertEqual(asked["file"], "a.obj")
        look = self.ask("look", asked)
        self.assertEqual(
            (look["kind"], look["parts"], look["unit"], look["patch"]), ("mesh", 2 * 49 * 49, "cm", [0, 0, 1, 1])
        )
        self.assertAlmostEqual(look["size"][0], 1195, delta=2)
        image = np.asarray(Image.open(io.BytesIO(base64.b64decode(look["picture"].split(",")[1]))))
        self.assertGreater(float(image[..., 0].mean()), 2 * float(image[..., 1].mean()))
        taken = self.ask("take", {**asked, "patch": [0.25, 0.25, 0.75, 0.75], "width": 96})
        material = self.client.get(f"/api/materials/{taken['material']['id']}").get_json()
        self.assertEqual([file["role"] for file in material["files"]], ["base_color", "height", "normal"])
        self.assertEqual((material["source"]["width"], material["source"]["height"]), (96, 96))
        operations = material["recipe"]["operations"]
        self.assertAlmostEqual(operations["square.size"]["sample_mm"], 5975, delta=10)
        self.assertEqual(material["source"]["scan"]["unit_mm"], 10)
        self.assertTrue(any("mm deep" in said["text"] for said in taken["told"]))
        self.assertEqual(material["source"]["scan"]["file"], "a.obj")
        self.assertEqual(material["source"]["scan"]["told"], taken["told"])

    def test_three_places_make_another_plane(self) -> None:
        asked = self.kept(ply_bytes(scanned(rig_surface("slate_shingles", 256, 4), 50)), "a.ply")
        before = self.ask("look", asked)
        three = {"three": [[0.1, 0.1], [0.9, 0.1], [0.1, 0.9]]}
        after = self.ask("look", {**asked, **three})
        self.assertNotEqual(before["depth"], after["depth"])
        self.assertIn("lie in a line", self.ask("look", {**asked, "three": [[0.1, 0.1]] * 3}, 415)["title"])

    def test_what_is_asked_wrongly(self) -> None:
        asked = self.kept(ply_bytes(scanned(rig_surface("slate_shingles", 256, 4), 50)), "a.ply")
        self.assertIn("four numbers", self.ask("look", {**asked, "patch": [0, 1]}, 422)["title"])
        self.assertIn("rectangle", self.ask("take", {**asked, "patch": [0.5, 0, 0.4, 1]}, 422)["title"])
        self.ask("look", {**asked, "unit": "inch"}, 422)
        self.ask("look", {**asked, "blob": "0" * 64}, 404)
        self.ask("look", self.kept(b"hello", "b.ply"), 415)
        self.assertEqual(self.client.get("/api/materials").get_json(), [])

    def test_it_tells_how_far_it_is_and_stops(self) -> None:
        asked = {**self.kept(ply_bytes(scanned(rig_surface("slate_shingles", 256, 4), 50)), "a.ply"), "slot": "here"}
        heard: list[dict[str, Any]] = []

        def announce(kind: str, told: dict[str, Any]) -> None:
            if kind == "scan":
                heard.append(told)
                self.app.test_client().delete("/api/scans/here")

        with mock.patch.object(self.services.events, "announce", announce):
            answer = self.client.post("/api/scans/take", json=asked)
            self.assertEqual(answer.status_code, 499, answer.text)
        self.assertEqual(heard[0]["slot"], "here")
        self.assertEqual(self.client.get("/api/materials").get_json(), [])

    def test_it_is_read_once_for_all_looks(self) -> None:
        asked = self.kept(ply_bytes(scanned(rig_surface("slate_shingles", 256, 4), 50)), "a.ply")
        with mock.patch.object(scanning, "opened", wraps=scanning.opened) as opened:
            for turned in (False, True, False):
                self.ask("look", {**asked, "turned_over": turned})
        self.assertEqual(opened.call_count, 1)


if __name__ == "__main__":
    unittest.main()
