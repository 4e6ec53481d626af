"""A picture served under a key always has that key's pixels, whatever was changed meanwhile."""

import io
from typing import Any

import numpy as np
from PIL import Image

from tests.web.test_app import AppTest


class KeyTest(AppTest):
    def setUp(self) -> None:
        super().setUp()
        self.material = self.client.get(f"/api/materials/{self.imported()['id']}").get_json()
        self.at = f"/api/materials/{self.material['id']}"

    def change(self, value: Any, path: str = "relief.height.invert", gesture: str = "") -> dict[str, Any]:
        answer = self.edit(self.material, {path: value}, gesture=gesture)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.material = answer.get_json()
        return self.material

    def height(self, key: str) -> Any:
        return self.client.get(f"{self.at}/picture/height.jpg?key={key}")

    def test_the_pixels_of_a_key_stay_its_own_after_an_edit(self) -> None:
        first = self.material["keys"]["height"]
        before = self.height(first)
        second = self.change(True)["keys"]["height"]
        self.assertNotEqual(first, second)
        again, after = self.height(first), self.height(second)
        self.assertEqual(again.data, before.data)
        self.assertNotEqual(after.data, before.data)
        for answer in (again, after):
            self.assertIn("immutable", answer.headers["Cache-Control"])
        dark, light = (np.asarray(Image.open(io.BytesIO(answer.data)), float).mean() for answer in (before, after))
        self.assertAlmostEqual(dark + light, 255, delta=3)

    def test_undo_and_redo_keep_both_within_reach(self) -> None:
        first = self.material["keys"]["height"]
        second = self.change(True)["keys"]["height"]
        self.client.post(f"{self.at}/undo", json={"revision": self.material["revision"]})
        self.assertEqual([self.height(key).status_code for key in (first, second)], [200, 200])

    def test_a_key_nobody_handed_out_is_not_answered(self) -> None:
        for key in ("deadbeef", "0" * 32, self.material["keys"]["normal"]):
            answer = self.height(key)
            self.assertEqual(answer.status_code, 409 if key == self.material["keys"]["normal"] else 404, key)
            self.assertNotIn("immutable", answer.headers.get("Cache-Control", ""))

    def test_a_state_a_drag_passed_through_is_told_with_the_newest_revision(self) -> None:
        passed = self.change(30, "tile.join.overlap_x", "drag")["keys"]["base_color"]
        newest = self.change(31, "tile.join.overlap_x", "drag")
        answer = self.client.get(f"{self.at}/picture/base_color.jpg?key={passed}")
        self.assertEqual((answer.status_code, answer.get_json()["revision"]), (409, newest["revision"]))
        # A page that follows is told without an error in its browser.
        for follows in ("slot=first", "follow=1"):
            answer = self.client.get(f"{self.at}/picture/base_color.jpg?key={passed}&{follows}")
            self.assertEqual((answer.status_code, answer.data), (204, b""))

    def test_without_a_key_it_is_the_newest_and_not_kept(self) -> None:
        answer = self.client.get(f"{self.at}/picture/height.jpg")
        self.assertEqual((answer.status_code, answer.headers["Cache-Control"]), (200, "no-store"))

    def test_pictures_of_several_layers_have_keys_too(self) -> None:
        addresses = {
            "strip": "strip.jpg", "planned": "planned/0.jpg", "packed": "picture/packed.png", "joins": "joins/tile.png",
            "enlarged": "enlarged",
        }  # fmt: skip
        first = self.material["pictures"]
        self.assertEqual(set(first), set(addresses))
        before = {}
        for name, path in addresses.items():
            answer = self.client.get(f"{self.at}/{path}?key={first[name]}")
            self.assertEqual(answer.status_code, 200, name)
            self.assertIn("immutable", answer.headers["Cache-Control"])
            self.assertEqual(self.client.get(f"{self.at}/{path}?key=deadbeef").status_code, 404, name)
            before[name] = answer.data
        # Roughness changes what lies in R, G, B together, the strip and the files; neither joins nor the enlarged one.
        second = self.change(0.9, "response.roughness.centre")["pictures"]
        self.assertEqual({name for name in first if first[name] != second[name]}, {"strip", "planned", "packed"})
        self.assertEqual(self.client.get(f"{self.at}/picture/packed.png?key={first['packed']}").data, before["packed"])
        self.assertNotEqual(
            self.client.get(f"{self.at}/picture/packed.png?key={second['packed']}").data, before["packed"]
        )
        third = self.change("gltf", "pack.files.profile")["pictures"]
        self.assertNotEqual(second["planned"], third["planned"])
        self.assertEqual(second["packed"], third["packed"])

    def test_every_tile_of_a_set_under_the_key_of_the_one_that_is_shown(self) -> None:
        plain = self.client.get(f"{self.at}/picture/base_color.jpg").data
        first = self.change(2, "tile.tileset.count")["keys"]["base_color"]

        def of(tile: str, key: str) -> Any:
            answer = self.client.get(f"{self.at}/picture/base_color.jpg?key={key}{tile}")
            self.assertEqual(answer.status_code, 200)
            self.assertIn("immutable", answer.headers["Cache-Control"])
            return answer.data

        one, two = of("&tile=1", first), of("&tile=2", first)
        self.assertEqual(of("", first), one)
        self.assertNotEqual(one, two)
        # The one they are made of is the tile as it was.
        self.assertEqual(of("&tile=0", first), plain)
        second = self.change(2, "tile.tileset.shown")["keys"]["base_color"]
        self.assertEqual((of("", second), of("&tile=1", second)), (two, one))
        # More than there are: the last.
        self.assertEqual(of("&tile=8", second), two)
        self.assertEqual(self.client.get(f"{self.at}/picture/base_color.jpg?tile=9").status_code, 422)


class OddRequestTest(AppTest):
    """Requests that once broke something."""

    def test_each_is_refused_in_words(self) -> None:
        at = f"/api/materials/{self.imported()['id']}"
        nested = b"[" * 100_000 + b"]" * 100_000
        for method, path, body, wanted in (
            ("PATCH", f"{at}/recipe", nested, 422),
            ("PATCH", f"{at}/recipe", b'{"revision":1,"changes":{"tile.join.overlap_x":NaN}}', 422),
            ("PATCH", f"{at}/recipe", b'{"revision":1,"changes":{"tile.join.overlap_x":1e999}}', 422),
            ("POST", f"{at}/snapshots/99999999999999999999/back", b'{"revision":1}', 405),
            ("POST", f"{at}/bend", b'{"lines":[[[0,0],[1e308,1],[1,1]]]}', 422),
            ("POST", f"{at}/bend", b'{"lines":[[[0,0],[Infinity,1],[1,1]]]}', 422),
            ("GET", f"{at}/probe?x=nan&y=0", None, 422),
            ("GET", f"{at}/probe?x=1e308&y=-inf", None, 422),
            ("GET", f"{at}/enlarged?x=inf", None, 422),
            ("GET", "/" + "a" * 6000, None, 404),
            ("GET", "/a%00b", None, 404),
        ):
            answer = self.client.open(path, method=method, data=body, content_type="application/json")
            self.assertEqual(answer.status_code, wanted, f"{method} {path[:60]} {(body or b'')[:50]!r}")
            self.assertTrue(answer.get_json()["title"])
