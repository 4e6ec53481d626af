"""The web application: who may ask, what goes wrong and how it says so, editing, pictures."""

import contextlib
import io
import json
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from flask.testing import FlaskClient
from PIL import Image

from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.errors import Cancelled
from amber_thicket.formats import limits
from amber_thicket.service import preview
from amber_thicket.service.library import Library
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from amber_thicket.web.materials import ENCLOSED
from tests.lightset import png, shot
from tests.support import encoded, photograph, photographed, rig_surface

PHOTO = encoded(photograph("gravel"))


class AppTest(unittest.TestCase):
    config: dict[str, Any] = {}

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.app = create_app(Config(Path(folder.name), worker=False, memory=400_000_000, **self.config))
        self.services = self.app.extensions["thicket"]
        self.addCleanup(self.services.close)
        self.client: FlaskClient = self.app.test_client()

    def imported(self, data: bytes = PHOTO, name: str = "gravel.png") -> dict[str, Any]:
        answer = self.client.post(f"/api/materials?file={name}", data=data)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.get_json()

    def edit(self, material: dict[str, Any], changes: dict[str, Any], **more: Any) -> Any:
        return self.client.patch(
            f"/api/materials/{material['id']}/recipe",
            json={"revision": material["revision"], "changes": changes, **more},
        )


class GuardTest(AppTest):
    def test_other_sites_and_hosts_are_refused(self) -> None:
        for headers, wanted in (
            ({"Host": "evil.example"}, 403),
            ({"Host": "localhost", "Origin": "http://evil.example"}, 403),
            ({"Host": "127.0.0.1:8760", "Origin": "http://127.0.0.1:9999"}, 403),
            ({"Host": "127.0.0.1:8760", "Origin": "http://127.0.0.1:8760"}, 200),
        ):
            with self.subTest(headers=headers):
                self.assertEqual(
                    self.client.post("/api/materials?file=a.png", data=PHOTO, headers=headers).status_code, wanted
                )

    def test_policy(self) -> None:
        headers = self.client.get("/api/about").headers
        self.assertIn("default-src 'self'", headers["Content-Security-Policy"])
        self.assertNotIn("unsafe-eval", headers["Content-Security-Policy"])
        self.assertEqual(headers["X-Content-Type-Options"], "nosniff")

    def test_no_path_leaves_the_page_folder(self) -> None:
        for path in ("/../config.py", "/%2e%2e/config.py", "/assets/../../app.py"):
            self.assertNotIn("dataclass", self.client.get(path).text)


class TokenTest(AppTest):
    config = {"token": "sesame", "host": "0.0.0.0"}

    def test_token_is_demanded(self) -> None:
        self.assertEqual(self.client.get("/api/materials").status_code, 403)
        self.assertEqual(self.client.get("/api/materials", headers={"Authorization": "Bearer wrong"}).status_code, 403)
        self.assertEqual(self.client.get("/api/materials", headers={"Authorization": "Bearer sesame"}).status_code, 200)
        self.assertEqual(self.client.get("/api/materials?token=sesame").status_code, 303)
        self.assertEqual(self.client.get("/api/materials").status_code, 200, "the cookie carries on")


class ProblemTest(AppTest):
    def test_problem_details(self) -> None:
        # RFC 9457, section 3: type, title, status, detail; media type application/problem+json.
        answer = self.client.get("/api/materials/nothing")
        self.assertEqual((answer.status_code, answer.mimetype), (404, "application/problem+json"))
        body = json.loads(answer.text)
        self.assertLessEqual({"type", "title", "status", "detail"}, set(body))
        self.assertEqual(body["status"], 404)

    def test_deleted_while_it_is_looked_at_is_gone_and_no_accident(self) -> None:
        id = self.imported()["id"]

        def deleted(*_: object, **__: object) -> list[dict[str, Any]]:
            self.client.post(f"/api/materials/{id}/archive", json={})
            self.assertLess(self.client.delete(f"/api/materials/{id}").status_code, 300)
            return []

        with mock.patch("amber_thicket.service.pictured.triage", deleted), self.assertLogs(level="WARNING") as logged:
            answer = self.client.get(f"/api/materials/{id}/triage")
        self.assertEqual(answer.status_code, 404)
        self.assertIn("deleted meanwhile", answer.get_json()["title"])
        self.assertNotIn("ERROR", {one.levelname for one in logged.records})

    def test_bad_files(self) -> None:
        for data, name, wanted in (
            (b"", "a.png", 415),
            (b"text", "a.png", 415),
            (PHOTO[:300], "a.png", 415),
            (PHOTO, "", 415),
        ):
            answer = self.client.post(f"/api/materials?file={name}", data=data)
            self.assertEqual(answer.status_code, wanted)
            self.assertTrue(json.loads(answer.text)["detail"])
        self.assertEqual(self.client.get("/api/materials").get_json(), [])

    def test_pixel_limit(self) -> None:
        self.addCleanup(setattr, limits, "MAX_PIXELS", limits.MAX_PIXELS)
        limits.MAX_PIXELS = 100_000
        self.assertEqual(self.client.post("/api/materials?file=a.png", data=PHOTO).status_code, 413)

    def test_suggestions_taken_on_the_way_in_are_one_step(self) -> None:
        lime = encoded(encode_srgb8(photographed(rig_surface("lime_render", 512, 3))))
        made = self.client.post("/api/materials?file=lime.png&suggested=sure", data=lime).json
        state = self.client.get(f"/api/materials/{made['id']}").json
        self.assertEqual(state["recipe"]["operations"]["tile.join"], {"method": "stochastic"})
        self.assertEqual(state["undo"], "Suggestions")
        refused = self.client.post("/api/materials?file=lime.png&suggested=perhaps", data=lime)
        self.assertEqual(refused.status_code, 422)

    def test_bad_edits(self) -> None:
        material = self.imported()
        for changes in (
            {"tile.join.overlap_x": 99},
            {"tile.join.nothing": 1},
            {"nothing": 1},
            {"tile.join.method": 3},
            {},
        ):
            answer = self.edit(material, changes)
            self.assertEqual(answer.status_code, 422, changes)
        for body in (b"", b"{", b"[]", b'{"revision":"x","changes":{"a":1}}'):
            answer = self.client.patch(
                f"/api/materials/{material['id']}/recipe", data=body, content_type="application/json"
            )
            self.assertEqual(answer.status_code, 422, body)
        self.assertEqual(
            self.client.get(f"/api/materials/{material['id']}").get_json()["revision"], material["revision"]
        )

    def test_unexpected_errors_carry_a_reference(self) -> None:
        material = self.imported()
        self.services.library.steps = None
        with self.assertLogs("amber_thicket.web.errors", "ERROR") as logged:
            body = json.loads(self.client.get(f"/api/materials/{material['id']}").text)
        self.assertEqual(body["status"], 500)
        self.assertIn(body["reference"], "".join(logged.output))

    def test_no_page_no_crash(self) -> None:
        self.assertEqual(self.client.get("/api/nothing").status_code, 404)
        self.assertEqual(self.client.delete("/api/materials").status_code, 405)


class EditTest(AppTest):
    def test_stale_edit(self) -> None:
        material = self.imported()
        self.assertEqual(self.edit(material, {"tile.join.overlap_x": 30}).status_code, 200)
        stale = self.edit(material, {"tile.join.overlap_x": 40})
        self.assertEqual(stale.status_code, 409)
        self.assertEqual(json.loads(stale.text)["revision"], material["revision"] + 1)

    def test_many_at_once_lose_nothing(self) -> None:
        """Two tabs that change at the same moment: one wins, the other is told; every accepted change is there."""
        material = self.imported()
        answers: list[int] = []

        def change(value: float) -> None:
            client = self.app.test_client()
            answers.append(
                client.patch(
                    f"/api/materials/{material['id']}/recipe",
                    json={"revision": material["revision"], "changes": {"tile.join.overlap_x": value}},
                ).status_code
            )

        threads = [threading.Thread(target=change, args=(value,)) for value in (10, 11, 12, 13)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(answers), [200, 409, 409, 409])

    def test_an_edit_calls_off_what_followed_the_last(self) -> None:
        material = self.imported()
        asked = self.services.slots.take(f"{material['id']}/checks")
        same = self.edit(material, {"relief.height.invert": False})
        self.assertEqual(same.get_json()["revision"], material["revision"])
        asked.check()
        self.edit(material, {"relief.height.invert": True})
        self.assertRaises(Cancelled, asked.check)
        asked = self.services.slots.take(f"{material['id']}/figures")
        self.client.post(f"/api/materials/{material['id']}/undo", json={"revision": material["revision"] + 1})
        self.assertRaises(Cancelled, asked.check)
        # Nobody need complain of what was called off by an edit; anything else says so.
        with mock.patch("amber_thicket.web.pictures.check", side_effect=Cancelled("Called off.")):
            self.assertEqual(self.client.get(f"/api/materials/{material['id']}/checks?slot=checks").status_code, 204)
            self.assertEqual(self.client.get(f"/api/materials/{material['id']}/checks").status_code, 499)

    def test_layers_a_drag_passed_through_make_room(self) -> None:
        material, keys = self.imported(), []
        for value in (11, 12, 13, 14):
            material = self.edited(material, {"tile.join.overlap_x": value}, gesture="one drag")
            keys.append(material["keys"]["base_color"])
        # The one before the last is still looked at while the last is made.
        self.assertEqual([self.is_held(key) for key in keys], [False, False, True, True])

    def test_layers_some_changes_back_make_room_and_undo_finds_them_again(self) -> None:
        material, keys = self.imported(), []
        for value in range(11, 18):
            material = self.edited(material, {"tile.join.overlap_x": value})
            keys.append(material["keys"]["base_color"])
        self.assertEqual([self.is_held(key) for key in keys], [False] * 2 + [True] * 5)
        for _ in range(6):
            material = self.client.post(
                f"/api/materials/{material['id']}/undo", json={"revision": material["revision"]}
            ).get_json()
        self.assertEqual(material["keys"]["base_color"], keys[0])
        picture = self.client.get(f"/api/materials/{material['id']}/picture/base_color.jpg?key={keys[0]}")
        with Image.open(io.BytesIO(picture.data)) as shown:
            self.assertEqual(shown.size, (512, 512))

    def test_half_of_a_picture_is_half(self) -> None:
        """In its sides, with the answer to an edit and by itself; nothing is made smaller than that."""
        material = self.edited(self.imported(), {"square.size.width": 1024, "square.size.height": 1024})
        with mock.patch("amber_thicket.web.services.preview.picture", wraps=preview.picture) as made:
            material = self.edited(material, {"tile.join.overlap_x": 31}, side=384)
        self.assertEqual(self.enclosed.size, (384, 384))
        self.assertEqual({call.kwargs["side"] for call in made.call_args_list}, {384})
        key = material["keys"]["base_color"]
        for side, wide in ((384, 384), (64, 384), (768, 768), (900, 900), (4000, 1024)):
            answer = self.client.get(f"/api/materials/{material['id']}/picture/base_color.jpg?key={key}&side={side}")
            with Image.open(io.BytesIO(answer.data)) as shown:
                self.assertEqual(shown.size, (wide, wide))
        whole = self.client.get(f"/api/materials/{material['id']}/picture/base_color.jpg?key={key}&side=768")
        with Image.open(io.BytesIO(whole.data)) as shown:
            smaller = np.asarray(shown.resize((384, 384), Image.Resampling.BOX), float)
        # The same picture: joins and light lie where they lie in the whole one.
        self.assertLess(float(np.abs(np.asarray(self.enclosed, float) - smaller).mean()), 4.0)

    def edited(self, material: dict[str, Any], changes: dict[str, Any], **more: Any) -> dict[str, Any]:
        """The material after an edit that asks for its first picture as well, which is then in `enclosed`."""
        told = {"revision": material["revision"], "changes": changes, "showing": ["base_color"], **more}
        where = f"/api/materials/{material['id']}/recipe"
        # However busy the machine is: a picture that is late is left out of the answer.
        with mock.patch("amber_thicket.web.materials._SOON", 60):
            answer = self.client.patch(where, json=told, headers={"Accept": ENCLOSED})
        self.assertEqual(answer.status_code, 200, answer.data[:200])
        length = int.from_bytes(answer.data[:4], "little")
        self.enclosed = Image.open(io.BytesIO(answer.data[4 + length :]))
        self.assertEqual(self.enclosed.format, "JPEG")
        return dict(json.loads(answer.data[4 : 4 + length]))

    def is_held(self, key: str) -> bool:
        """Whether a layer is there without being made."""
        with contextlib.suppress(KeyError):
            self.services.library.memory.get(key, {}.popitem)
            return True
        return False

    def test_the_picture_is_begun_before_the_change_is_written(self) -> None:
        """With a disk that takes long, the picture is there when the change is."""
        material, order = self.imported(), []
        make, write = self.services.ahead.make, Library._stepped

        def made(*given: Any) -> Any:
            order.append("picture")
            return make(*given)

        def written(*given: Any, **named: Any) -> Any:
            order.append("disk")
            return write(*given, **named)

        with mock.patch.object(self.services.ahead, "make", made), mock.patch.object(Library, "_stepped", written):
            self.edited(material, {"tile.join.overlap_x": 31})
        self.assertEqual(order, ["picture", "disk"])

    def test_undo_over_the_wire(self) -> None:
        material = self.imported()
        changed = self.edit(material, {"relief.height.invert": True}, label="Invert").get_json()
        self.assertEqual(changed["undo"], "Invert")
        back = self.client.post(
            f"/api/materials/{material['id']}/undo", json={"revision": changed["revision"]}
        ).get_json()
        self.assertEqual(
            (back["recipe"], back["redo"]),
            (self.client.get(f"/api/materials/{material['id']}").get_json()["recipe"], "Invert"),
        )
        self.assertNotEqual(back["keys"]["height"], changed["keys"]["height"])
        self.assertEqual(back["keys"]["base_color"], changed["keys"]["base_color"])

    def test_rename_and_archive(self) -> None:
        material = self.imported()
        renamed = self.client.patch(f"/api/materials/{material['id']}", json={"name": "  Shore\x00 gravel "}).get_json()
        self.assertEqual(renamed["name"], "Shore gravel")
        self.client.post(f"/api/materials/{material['id']}/archive", json={})
        self.assertEqual(self.client.get("/api/materials").get_json(), [])
        self.assertEqual(len(self.client.get("/api/materials?archived=1").get_json()), 1)


class LampsTest(AppTest):
    def test_looking_for_lamps_tells_how_far_it_is_and_can_be_stopped(self) -> None:
        photos, _ = shot("embossed_hide", part=512)
        material = self.imported(png(photos[0]), "hide_light_1.png")
        for number in range(1, 6):
            path = f"/api/materials/{material['id']}/files?file=hide_light_{number + 1}.png"
            material = self.client.post(path, data=png(photos[number])).get_json()
        address = f"/api/materials/{material['id']}/lights/find"
        heard: list[str] = []

        def announce(kind: str, told: dict[str, Any]) -> None:
            if kind == "working":
                heard.append(told["what"])
                self.app.test_client().delete(address)

        with mock.patch.object(self.services.events, "announce", announce):
            answer = self.client.post(address, json={"revision": material["revision"]})
        self.assertEqual(answer.status_code, 499, answer.text)
        self.assertTrue(heard)
        now = self.client.get(f"/api/materials/{material['id']}").get_json()
        self.assertEqual((now["revision"], now["recipe"]), (material["revision"], material["recipe"]))
        answer = self.client.post(address, json={"revision": material["revision"]})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertEqual(answer.get_json()["material"]["revision"], material["revision"] + 1)


class PictureTest(AppTest):
    def setUp(self) -> None:
        super().setUp()
        self.material = self.imported()
        self.at = f"/api/materials/{self.material['id']}"

    def test_every_layer_is_a_picture(self) -> None:
        keys = self.client.get(self.at).get_json()["keys"]
        for layer, key in keys.items():
            answer = self.client.get(f"{self.at}/picture/{layer}.jpg?key={key}")
            image = Image.open(io.BytesIO(answer.data))
            self.assertGreaterEqual(max(image.size), 512, layer)
            self.assertIn("immutable", answer.headers["Cache-Control"])

    def test_height_comes_in_sixteen_bits_with_its_span(self) -> None:
        answer = self.client.get(f"{self.at}/picture/height.u16")
        width, height = (int(n) for n in answer.headers["X-Size"].split("x"))
        codes = np.frombuffer(answer.data, "<u2").reshape(height, width)
        self.assertGreater(len(np.unique(codes)), 5000)
        self.assertGreater(float(answer.headers["X-Height-Span"]), 0)

    def test_probe_checks_figures_plan(self) -> None:
        probe = self.client.get(f"{self.at}/probe?x=1.25&y=-0.5").get_json()
        self.assertEqual(len(probe["base_color"]), 3)
        self.assertAlmostEqual(sum(v * v for v in probe["normal"]), 1, delta=0.01)
        self.assertGreaterEqual(len(self.client.get(f"{self.at}/checks").get_json()["findings"]), 15)
        self.assertLess(self.client.get(f"{self.at}/figures").get_json()["seam"][0]["border"], 4)
        self.assertEqual(self.client.get(f"{self.at}/plan").get_json()["left_out"], ["metallic"])

    def test_strip_makes_the_thumbnail(self) -> None:
        strip = Image.open(io.BytesIO(self.client.get(f"{self.at}/strip.jpg").data))
        self.assertEqual(strip.size, (216, 960))
        blob = self.client.get("/api/materials").get_json()[0]["thumbnail"]
        self.assertEqual(Image.open(io.BytesIO(self.client.get(f"/api/thumbnails/{blob}.jpg").data)).size, (320, 320))

    def test_surroundings(self) -> None:
        data = self.client.get("/api/surroundings/overcast.bin").data
        width, height, levels, terms = np.frombuffer(data[:16], "<u4")
        self.assertEqual(len(data), 16 + terms * 12 + width * height * levels * 8)
        self.assertEqual(self.client.get("/api/surroundings/moon.bin").status_code, 404)

    def test_unknown_layers_and_kinds(self) -> None:
        for name in ("colour.jpg", "height.gif", "../secret.jpg"):
            self.assertEqual(self.client.get(f"{self.at}/picture/{name}").status_code, 404)
