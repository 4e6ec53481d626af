"""Every route, once at least, held against the description that the program gives of itself and against known values."""

from __future__ import annotations

import base64
import io
import json
import re
import zipfile
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock
from xml.etree import ElementTree

import cv2
import imagecodecs
import numpy as np
from jsonschema import Draft202012Validator
from openapi_spec_validator import OpenAPIV31SpecValidator
from peewee import OperationalError
from PIL import Image

from amber_thicket.core.gather.triage import triage
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.standins.capture_rig.camera import Shot
from amber_thicket.standins.capture_rig.colour_target import photograph_target
from amber_thicket.standins.capture_rig.handheld import Hand, seen_by
from amber_thicket.standins.capture_rig.scanned import ply_bytes, scanned
from amber_thicket.web import openapi, typescript
from tests.lightset import shot
from tests.support import encoded, photograph, retry, rig_surface, stroke, wall
from tests.web.test_app import AppTest

GREY = encoded(np.full((256, 256, 3), 128, np.uint8))
TINTED = encoded(np.full((256, 256, 3), (200, 100, 100), np.uint8))
FRONTEND = Path(__file__).parents[2] / "frontend" / "src"
# The description itself, and what the page is made of.
NO_CONTRACT = {"openapi", "page"}


class DescriptionTest(AppTest):
    """OpenAPI Specification 3.1.1; JSON Schema 2020-12."""

    def setUp(self) -> None:
        super().setUp()
        self.description = self.client.get("/api/openapi.json").get_json()

    def test_it_is_valid_openapi(self) -> None:
        self.assertEqual(self.description["openapi"], "3.1.1")
        OpenAPIV31SpecValidator(self.description).validate()

    def test_every_route_says_what_it_takes_and_gives(self) -> None:
        silent = [rule.rule for rule in self.app.url_map.iter_rules()
                  if openapi.contract_of(self.app, rule) is None and rule.endpoint not in NO_CONTRACT]  # fmt: skip
        self.assertEqual(silent, [])
        told = [path for path, operations in self.description["paths"].items() for _ in operations]
        contracts = [rule for rule in self.app.url_map.iter_rules() if openapi.contract_of(self.app, rule)]
        # And the event stream, which is no route of the application.
        self.assertEqual(len(told), sum(len(openapi.paths_of(rule)) for rule in contracts) + 1)

    def test_bodies_refuse_what_they_do_not_know_and_what_is_no_number(self) -> None:
        schemas = self.description["components"]["schemas"]
        for path, operations in self.description["paths"].items():
            for operation in operations.values():
                schema = operation.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema")
                if schema:
                    self.assertIs(schemas[schema["$ref"].rsplit("/", 1)[1]]["additionalProperties"], False, path)
        material = self.imported()
        for word in ("NaN", "Infinity", "-Infinity", "1e999"):
            body = f'{{"revision": 1, "changes": {{"even.light.amount": {word}}}}}'
            answer = self.client.patch(
                f"/api/materials/{material['id']}/recipe", data=body, content_type="application/json"
            )
            self.assertEqual(answer.status_code, 422, word)
            for place in ("probe", "enlarged"):
                self.assertEqual(
                    self.client.get(f"/api/materials/{material['id']}/{place}?x={word}").status_code, 422, word
                )

    def test_the_page_asks_for_what_there_is(self) -> None:
        """Every address in the page's code leads to a route, by its method where the code says it."""
        known = [re.sub(r"\{[^}]*\}", "*", path) for path in self.description["paths"]]
        asked = set()
        for file in FRONTEND.rglob("*.ts*"):
            if ".test." not in file.name:
                for at, text in re.findall(
                    r"[`\"](\$\{at\([^`]*?\)\}|/api)(/[^`\"?$]*(?:\$\{[^}?]*\}[^`\"?$]*)*)?", file.read_text()
                ):
                    asked.add(
                        ("/api/materials/*" if at.startswith("$") else "/api") + re.sub(r"\$\{[^}]*\}", "*", text)
                    )
        self.assertGreater(len(asked), 30)
        shape = [re.compile("[^/]+".join(re.escape(part) for part in path.split("*"))) for path in known]
        strange = [
            path
            for path in sorted(asked)
            if not path.endswith(("/", "/*")) and not any(one.fullmatch(path) for one in shape)
        ]
        self.assertEqual(strange, [])

    def test_the_types_of_the_page_name_every_shape(self) -> None:
        types = typescript.generated()
        for rule in self.app.url_map.iter_rules():
            contract = openapi.contract_of(self.app, rule)
            for shape in (contract.answer, contract.body) if contract else ():
                if isinstance(shape, type) and hasattr(shape, "model_fields"):
                    self.assertRegex(types, rf"export (interface|type) {shape.__name__}\b", rule.rule)


class RoutesTest(AppTest):
    """Each test asks some routes; the last one counts whether all were asked."""

    visited: ClassVar[set[tuple[str, str]]] = set()
    config: ClassVar[dict[str, Any]] = {"immediate": True}

    def setUp(self) -> None:
        super().setUp()
        self.description = self.client.get("/api/openapi.json").get_json()
        self.adapter = self.app.url_map.bind("")

    def ask(self, method: str, path: str, *, status: int = 200, **how: Any) -> Any:
        """An answer, which must be of the shape the description says; its JSON, or its bytes."""
        answer = self.client.open(path, method=method, **how)
        self.assertEqual(answer.status_code, status, f"{method} {path}: {answer.text[:300] if answer.is_json else ''}")
        rule, _ = self.adapter.match(path.partition("?")[0], method, return_rule=True)
        if status < 300:
            RoutesTest.visited.add((method, rule.rule))
        paths = openapi.paths_of(rule)
        where = next((one for one in paths if path.partition("?")[0].endswith(one.rsplit("/", 1)[1])), paths[0])
        told = self.description["paths"][where][method.lower()]["responses"]
        content = told.get(str(status), told["default"])["content"]
        self.assertIn(answer.mimetype, {media.partition(";")[0] for media in content}, path)
        if not answer.is_json:
            return answer
        whole = {**content[answer.mimetype]["schema"], "components": self.description["components"]}
        errors = list(Draft202012Validator(whole).iter_errors(answer.get_json()))
        self.assertEqual([f"{list(error.path)}: {error.message}"[:300] for error in errors[:3]], [], path)
        return answer.get_json()

    def bring(self, data: bytes = GREY, name: str = "flat.png", **changes: Any) -> dict[str, Any]:
        material = self.ask("POST", f"/api/materials?file={name}", data=data)
        small = {
            "square.size.width": 256,
            "square.size.height": 256,
            "tile.join.method": "none",
            "even.light.amount": 0,
        }
        return self.change(material, {**small, **changes})

    def change(self, material: dict[str, Any], changes: dict[str, Any]) -> dict[str, Any]:
        body = {"revision": material["revision"], "changes": changes}
        return self.ask("PATCH", f"/api/materials/{material['id']}/recipe", json=body)

    def test_flat_grey_measures_as_flat_grey(self) -> None:
        at = f"/api/materials/{self.bring()['id']}"
        probe = self.ask("GET", f"{at}/probe?x=0.5&y=0.5")
        self.assertEqual((probe["base_color"], probe["normal"], probe["ambient_occlusion"]), ([128] * 3, [0, 0, 1], 1))
        self.assertEqual((probe["metallic"], probe["own_color"], probe["height_mm"]), (0, [128] * 3, None))
        figures = self.ask("GET", f"{at}/figures")
        self.assertEqual([seam["border"] for seam in figures["seam"]], [0, 0])
        self.assertEqual(figures["drift"], 0)
        told = self.ask("GET", f"{at}/histogram/base_color")
        for channel in told["channels"]:
            # 128 of 255 lies in the bin from 64/128 to 65/128.
            self.assertEqual(channel["counts"][64], sum(channel["counts"]))
            self.assertAlmostEqual(channel["middle"], 128 / 255, places=3)
        compared = self.ask("GET", f"{at}/compare?one=base_color&other=tiled")
        self.assertEqual(compared, {"rms": 0, "largest": 0, "why": ""})
        self.assertIn("channels", self.ask("GET", f"{at}/compare?one=base_color&other=height")["why"])
        self.ask("GET", f"{at}/histogram/nothing", status=404)

    def test_pictures_show_what_is_there(self) -> None:
        material = self.bring(TINTED, "tinted.png")
        at, keys = f"/api/materials/{material['id']}", material["keys"]
        picture = Image.open(
            io.BytesIO(self.ask("GET", f"{at}/picture/base_color.jpg?key={keys['base_color']}&side=64").data)
        )
        self.assertEqual(np.asarray(picture).reshape(-1, 3).mean(0).round().tolist(), [200, 100, 100])
        packed = np.asarray(
            imagecodecs.png_decode(
                self.ask("GET", f"{at}/picture/packed.png?key={material['pictures']['packed']}").data
            )
        )
        self.assertEqual(packed[..., 2].max(), 0, "no metal")
        strip = Image.open(io.BytesIO(self.ask("GET", f"{at}/strip.jpg").data))
        self.assertEqual(strip.width % 8, 0)
        thumbnail = self.ask("GET", at)["thumbnail"]
        small = Image.open(io.BytesIO(self.ask("GET", f"/api/thumbnails/{thumbnail}.jpg").data))
        self.assertEqual(small.width, small.height)
        # A file that a former list had: passed, for a page that follows; not there, for whoever names no state.
        key = self.ask("GET", at)["pictures"]["planned"]
        followed = self.client.get(f"{at}/planned/40.jpg?key={key}&follow=1")
        self.assertEqual(followed.status_code, 204)
        self.ask("GET", f"{at}/planned/40.jpg?key={key}", status=409)
        self.ask("GET", f"{at}/planned/40.jpg", status=404)
        # One file alone, at its finished size and under the name it has in the pack.
        alone = self.ask("GET", f"{at}/planned/0/whole")
        first = self.ask("GET", f"{at}/plan")["files"][0]
        self.assertIn(first["name"], alone.headers["Content-Disposition"])
        size = self.ask("GET", at)["preview"]["finished"]
        self.assertEqual(list(Image.open(io.BytesIO(alone.data)).size), size)
        self.ask("GET", f"{at}/planned/40/whole", status=404)
        planned = Image.open(io.BytesIO(self.ask("GET", f"{at}/planned/0.jpg?channel=r&side=64").data))
        self.assertEqual(np.asarray(planned).mean().round(), 200)
        enlarged = self.ask("GET", f"{at}/enlarged?x=0.5&y=0.5")
        self.assertEqual(enlarged.headers["X-Doublings"], "0")
        joins = np.asarray(imagecodecs.png_decode(self.ask("GET", f"{at}/joins/tile.png").data))
        self.assertEqual(joins[..., 3].max(), 0, "nothing is joined")

    def test_settings_that_follow_from_the_picture(self) -> None:
        material = self.bring(TINTED, "tinted.png")
        at = f"/api/materials/{material['id']}"
        white = self.ask("POST", f"{at}/neutral", json={"x": 0.5, "y": 0.5})
        self.change(material, white)
        red, green, blue = self.ask("GET", f"{at}/probe")["own_color"]
        self.assertLessEqual(max(red, green, blue) - min(red, green, blue), 1)
        lines = [
            [[0.1, 0.2], [0.5, 0.2], [0.9, 0.2]],
            [[0.2, 0.1], [0.2, 0.5], [0.2, 0.9]],
            [[0.1, 0.8], [0.5, 0.8], [0.9, 0.8]],
        ]
        bend = self.ask("POST", f"{at}/bend", json={"lines": lines})
        self.assertAlmostEqual(bend["square.lens.k1"], 0, places=4)
        self.ask("POST", f"{at}/bend", json={"lines": [[[5, 5]]]}, status=422)
        suggestion = self.ask("GET", f"{at}/tiling")
        self.assertIsNone(suggestion["grid"])
        self.assertFalse(self.ask("GET", f"{at}/proposal")["accepted"])
        self.assertEqual(self.ask("GET", f"{at}/zones/suggested")["zones"], [])

    def test_a_place_is_filled_or_left_out(self) -> None:
        spotted = photograph("gravel").copy()
        cv2.circle(spotted, (150, 300), 22, (250, 30, 30), -1)
        material = self.bring(encoded(spotted), "gravel.png")
        at = f"/api/materials/{material['id']}"
        found = self.ask("GET", f"{at}/places")
        first = found["places"][0]
        self.assertLess(np.hypot(first["x"] - 150 / 512, first["y"] - 300 / 512), 0.03)
        self.assertEqual(found["filled"], [])
        changes = self.ask("POST", f"{at}/fill", json={"places": [{"x": first["x"], "y": first["y"], "radius": 0.06}]})
        self.change(material, changes)
        after = self.ask("GET", f"{at}/places")
        self.assertEqual([round(place["radius"], 3) for place in after["filled"]], [0.06])
        self.assertGreater(after["before"], after["places"][0]["strength"] if after["places"] else 0)
        self.ask("POST", f"{at}/leave_out", json={"places": [{"x": 0.1, "y": 0.1, "radius": 0.05}]}, status=422)
        self.change(self.ask("GET", at), {"tile.join.method": "cut", "tile.repair.spots": None})
        found = self.ask("GET", f"{at}/places")
        places = {"places": [{key: found["places"][0][key] for key in ("x", "y", "radius")}]}
        left_out = self.ask("POST", f"{at}/leave_out", json=places)["tile.join.excluded"]
        # On the sample: where the stain lies in the photograph.
        sx, sy = left_out[0]["points"][0]
        self.assertLess(np.hypot(sx - 150 / 512, sy - 300 / 512), 0.04)

    def test_zones_are_shown(self) -> None:
        zone = {"id": "a", "parts": [{"kind": "brush", "strokes": [stroke(0.25, 0.5, 0.5)], "soft": 0}]}
        material = self.bring(**{"response.zones.zones": [zone]})
        at = f"/api/materials/{material['id']}"
        picture = Image.open(
            io.BytesIO(self.ask("GET", f"{at}/zones/a.jpg?key={material['zones']['a']}").data)
        ).convert("L")
        pixels = np.asarray(picture)
        self.assertGreater(pixels[pixels.shape[0] // 2, pixels.shape[1] // 2], pixels[4, 4] + 40)
        self.assertAlmostEqual(self.ask("GET", f"{at}/figures")["zones"]["a"], np.pi * 0.25**2, delta=0.003)
        self.ask("GET", f"{at}/zones/b.jpg", status=404)

    def test_a_capture_is_looked_at_when_somebody_asks_and_once(self) -> None:
        with mock.patch("amber_thicket.service.pictured.triage", side_effect=triage) as looked:
            material = self.bring()
            at = f"/api/materials/{material['id']}"
            self.assertIsNone(self.ask("GET", at)["source"]["findings"])
            looked.assert_not_called()
            told = self.ask("GET", f"{at}/triage?slot=triage")["findings"]
            self.assertGreaterEqual(len(told), 4)
            # Files that come later leave what was found where it is.
            self.ask("POST", f"{at}/files?file=paint_height.png", data=encoded(np.full((64, 64), 90, np.uint8)))
            self.assertEqual(self.ask("GET", at)["source"]["findings"], told)
            self.assertEqual(self.ask("GET", f"{at}/triage")["findings"], told)
            self.assertEqual(self.ask("GET", f"{at}/next")["revision"], self.ask("GET", at)["revision"])
        looked.assert_called_once()
        # What cannot be kept is told all the same.
        with mock.patch("amber_thicket.service.pictured._keep", side_effect=OperationalError("disk full")):
            other = self.bring(encoded(np.full((64, 64), 60, np.uint8)), "other.png")
            self.assertGreaterEqual(len(self.ask("GET", f"/api/materials/{other['id']}/triage")["findings"]), 4)
        self.assertIsNone(self.ask("GET", f"/api/materials/{other['id']}")["source"]["findings"])

    def test_history_and_snapshots(self) -> None:
        material = self.bring()
        at = f"/api/materials/{material['id']}"
        kept = self.ask("POST", f"{at}/snapshots", json={"name": "plain"})
        number = kept["snapshots"][0]["id"]
        dark = self.change(kept, {"even.tone.white": 100, "gather.white.exposure": -1.0})
        at_once = self.ask("GET", f"{at}/snapshots/{number}/compare?layer=base_color")
        # One stop less: half the light; 128 becomes 92 in sRGB.
        half = int(encode_srgb8(np.full((1, 1, 3), 0.5 * 0.2158605, np.float32))[0, 0, 0])
        self.assertAlmostEqual(at_once["rms"], (128 - half) / 255, places=2)
        shown = Image.open(io.BytesIO(self.ask("GET", f"{at}/snapshots/{number}/base_color.jpg?side=64").data))
        self.assertEqual(np.asarray(shown).mean().round(), 128)
        undone = self.ask("POST", f"{at}/undo", json={"revision": dark["revision"]})
        self.assertNotIn("gather.white", undone["recipe"]["operations"])
        redone = self.ask("POST", f"{at}/redo", json={"revision": undone["revision"]})
        self.assertEqual(redone["recipe"]["operations"]["gather.white"], {"exposure": -1.0})
        back = self.ask("POST", f"{at}/snapshots/{number}/back", json={"revision": redone["revision"]})
        self.assertNotIn("gather.white", back["recipe"]["operations"])
        self.assertEqual(self.ask("DELETE", f"{at}/snapshots/{number}")["snapshots"], [])

    def test_the_library(self) -> None:
        self.assertEqual(self.ask("GET", "/api/materials"), [])
        groups = self.ask("POST", "/api/groups", json={"names": ["a_normal.png", "b.png", "a_basecolor.png"]})
        self.assertEqual(groups, [["a_basecolor.png", "a_normal.png"], ["b.png"]])
        material = self.bring()
        at = f"/api/materials/{material['id']}"
        self.assertEqual(self.ask("PATCH", at, json={"name": " Harbour wall "})["name"], "Harbour wall")
        self.assertTrue(self.ask("POST", f"{at}/archive")["archived"])
        self.assertEqual([len(self.ask("GET", f"/api/materials?archived={n}")) for n in (0, 1)], [0, 1])
        told = self.ask("GET", f"{at}/deletion")
        self.assertEqual((told["name"], told["laid_over"]), ("Harbour wall", []))
        space = self.ask("GET", "/api/space")
        self.assertEqual(space["materials"][0]["archived"], True)
        self.assertFalse(self.ask("POST", f"{at}/restore")["archived"])
        self.ask("DELETE", at, status=400)
        self.ask("POST", f"{at}/archive")
        self.assertEqual(self.ask("DELETE", at)["bytes"], told["bytes"])
        self.ask("GET", at, status=404)
        self.assertEqual(self.ask("POST", "/api/space/results"), {"results": 0, "bytes": 0})

    def test_cards_labels_and_settings_carried(self) -> None:
        one, two = self.imported(GREY, "roof_slate.png"), self.imported(TINTED, "quay_wall.png")
        alone = {"even.light.amount": 35.0, "tile.join.method": "none"}
        edited = self.edit(one, {"square.size.sample_mm": 800.0, **alone}).get_json()
        part = self.ask("GET", "/api/library?words=slate&order=changed&most=5")
        self.assertEqual((part["total"], part["cards"][0]["id"], part["cards"][0]["state"]), (1, one["id"], "open"))
        self.ask("GET", f"/api/materials/{one['id']}/checks")
        self.assertEqual(self.ask("GET", "/api/demo"), {"saying": ""})
        checked = self.ask("GET", "/api/library?words=slate")["cards"][0]
        self.assertIn(checked["state"], ("to_settle", "passed"))
        self.ask("GET", f"/api/materials/{one['id']}/strip.jpg?key={edited['pictures']['strip']}")
        self.assertEqual(self.ask("GET", "/api/library?largest_mm=900")["cards"][0]["width_mm"], 800.0)
        both = [one["id"], two["id"]]
        self.ask("POST", "/api/library/labels", json={"materials": [*both, "nobody"], "kind": "tag", "add": ["wet"]})
        self.assertEqual(self.ask("GET", "/api/library/facets")["tags"], {"wet": 2})
        self.assertEqual(self.ask("GET", "/api/library/ids?tags=wet&order=oldest")["ids"], both)
        notes = self.ask("PATCH", f"/api/materials/{two['id']}/card", json={"notes": "north"})
        self.assertEqual(notes, {"notes": "north", "tags": ["wet"], "collections": [], "files": ["quay_wall.png"]})
        self.assertEqual(self.ask("GET", f"/api/materials/{two['id']}/card"), notes)
        rows = self.ask("GET", f"/api/materials/{one['id']}/carriable")
        self.assertEqual({row["path"]: row["value"] for row in rows}["even.light.amount"], "35 %")
        wanted = {"material": one["id"], "paths": ["even.light.amount"]}
        look = self.ask("POST", f"/api/materials/{two['id']}/carry/look", json=wanted)
        self.assertEqual(look["changed"], ["even.light.amount"])
        for picture in (look["before"], look["after"]):
            self.assertEqual(Image.open(io.BytesIO(base64.b64decode(picture.split(",")[1]))).format, "JPEG")
        carried = self.ask("POST", f"/api/materials/{two['id']}/carry", json=wanted)
        self.assertEqual(carried["changed"], ["even.light.amount"])
        now = self.ask("GET", f"/api/materials/{two['id']}")
        self.assertEqual((now["revision"], now["undo"]), (carried["revision"], "Settings of roof slate"))
        # A second time there is nothing to do, and no step is made.
        again = self.ask("POST", f"/api/materials/{two['id']}/carry", json=wanted)
        self.assertEqual((again["changed"], again["revision"]), ([], carried["revision"]))
        self.ask("POST", f"/api/materials/{two['id']}/carry", json={**wanted, "start": 3}, status=422)
        moved = self.ask("POST", "/api/library/archive", json={"materials": both, "archived": True})
        self.assertEqual((moved["count"], self.ask("GET", "/api/library?archived=1")["total"]), (2, 2))
        self.ask("GET", "/api/library?order=backwards", status=422)

    def test_starts_recipes_and_bundles(self) -> None:
        one = self.imported(GREY, "roof.png")
        one = self.edit(one, {"even.light.amount": 35.0}).get_json()
        start = self.ask("POST", "/api/starts", json={"material": one["id"], "name": "Roofs", "note": "phone"})
        self.assertEqual(self.ask("GET", "/api/starts"), [start])
        self.assertEqual([row["path"] for row in self.ask("GET", f"/api/starts/{start['id']}/carriable")][-1], "even.light.amount")  # fmt: skip
        begun = self.ask("POST", f"/api/materials?file=b.png&start={start['id']}", data=TINTED)
        self.assertEqual(self.ask("GET", f"/api/materials/{begun['id']}")["undo"], "Begun with Roofs")
        self.ask("DELETE", f"/api/starts/{start['id']}")
        self.ask("POST", f"/api/materials?file=b.png&start={start['id']}", data=TINTED, status=404)
        file = self.ask("GET", f"/api/materials/{one['id']}/recipe.json")
        self.assertEqual(file["operations"]["even.light"], {"amount": 35.0})
        Draft202012Validator(self.ask("GET", "/api/recipe.schema.json")).validate(file)
        two = self.ask("GET", f"/api/materials/{begun['id']}")
        two = self.edit(two, {"even.light.amount": 60.0, "tile.join.method": "none"}).get_json()
        wanted = {"revision": two["revision"], "recipe": {"size_px": [1, 1], "recipe": file}}
        taken = self.ask("PUT", f"/api/materials/{begun['id']}/recipe", json=wanted)
        self.assertEqual(taken["recipe"]["operations"], file["operations"])
        self.assertEqual(taken["undo"], "Recipe from a file")
        damaged = {"revision": taken["revision"], "recipe": {"version": 1}}
        self.ask("PUT", f"/api/materials/{begun['id']}/recipe", json=damaged, status=422)
        bundle = self.ask("GET", f"/api/materials/{one['id']}/bundle.zip").data
        again = self.ask("POST", "/api/bundles", data=bundle)
        self.assertEqual(self.ask("GET", f"/api/materials/{again['id']}")["recipe"], one["recipe"])
        self.ask("POST", "/api/bundles", data=bundle[:-100], status=415)
        copy = self.ask("POST", f"/api/materials/{one['id']}/duplicate")
        self.assertEqual((copy["name"], copy["thumbnail"] is None), ("roof copy", False))

    def test_a_batch(self) -> None:
        bricks = wall()[:550, :560]
        made = [
            self.imported(encoded(encode_srgb8(bricks)), "wall.png"), self.bring(TINTED, "flat.png"), self.bring(GREY, "gone.png"),
        ]  # fmt: skip
        ids = [one["id"] for one in made]
        # One whose capture is damaged fails alone.
        source = self.services.library.get(ids[2]).source
        self.services.library.blobs.path(source["blob"]).write_bytes(b"damaged")
        wanted = {"materials": ids, "size": 256, "profile": "gltf"}
        self.ask("POST", "/api/batches", json={**wanted, "profile": "nobody's"}, status=422)
        self.ask("POST", "/api/batches", json={**wanted, "size": 300}, status=422)
        batch = self.ask("POST", "/api/batches", json=wanted)
        at = f"/api/batches/{batch['id']}"
        self.assertEqual((batch["name"], batch["asked"]), ("3 materials", {"suggested": "sure", "profile": "gltf", "size": 256}))  # fmt: skip
        retry(lambda: self.ask("GET", at)["left"] == 0, 120)
        told = self.ask("GET", at)
        rows = {row["material"]: row for row in told["rows"]}
        self.assertEqual(told["rows"][0]["state"], "failed")
        self.assertEqual(rows[ids[2]]["state"], "failed")
        self.assertIn(rows[ids[0]]["state"], ("passed", "attention", "blocked"))
        # What is suggested for sure is one step, which undo takes back, and is packed as it is.
        first = self.ask("GET", f"/api/materials/{ids[0]}")
        self.assertEqual(first["undo"], "Taken by a batch")
        self.assertEqual(first["recipe"]["operations"]["tile.join"]["method"], "joints")
        self.assertEqual(self.ask("GET", f"/api/materials/{ids[1]}")["undo"] == "Taken by a batch", False)
        states = {card["id"]: card["state"] for card in self.ask("GET", "/api/library")["cards"]}
        self.assertEqual([states[id] for id in ids[:2]], ["packed", "packed"])
        with zipfile.ZipFile(io.BytesIO(self.ask("GET", f"{at}/packs.zip").data)) as archive:
            names = archive.namelist()
            manifest = json.loads(archive.read("wall/wall_manifest.json"))
        self.assertEqual({name.split("/")[0] for name in names}, {"wall", "flat"})
        self.assertEqual((manifest["profile"], manifest["size_px"]), ("gltf", [256, 256]))
        self.assertIn("batch", {job["kind"] for job in self.ask("GET", "/api/jobs")})
        # The report in its three shapes; what is open is linked to.
        page = self.ask("GET", f"{at}/report.html").text
        self.assertIn(f'/m/{ids[0]}">Open it', page)
        # Each finding that is open leads to its place, those that passed do not.
        found = [one for row in told["rows"] if row["material"] == ids[0] for one in row["findings"]]
        for one in found:
            asked = f'/m/{ids[0]}/check?finding={one["rule"]}{"/" + one["map"] if one["map"] else ""}"'
            self.assertEqual(asked in page, one["level"] in ("blocked", "attention", "unknown"), one)
        self.assertTrue(found)
        self.assertEqual(self.ask("GET", f"{at}/report.json")["materials"][0]["state"], "failed")
        suite = ElementTree.fromstring(self.ask("GET", f"{at}/report.xml").data)
        self.assertEqual((suite.get("tests"), suite.get("errors")), ("3", "1"))
        # Going on does what is missing alone: the damaged one, and what was changed since.
        jobs = {row["material"]: row["job"] for row in told["rows"]}
        flat = self.ask("GET", f"/api/materials/{ids[1]}")
        self.change(flat, {"response.roughness.centre": 0.3})
        self.assertTrue(next(row for row in self.ask("GET", at)["rows"] if row["material"] == ids[1])["changed_since"])
        self.ask("POST", f"{at}/resume")
        retry(lambda: self.ask("GET", at)["left"] == 0, 120)
        again = {row["material"]: row for row in self.ask("GET", at)["rows"]}
        self.assertEqual([again[id]["job"] == jobs[id] for id in ids], [True, False, False])
        self.assertFalse(again[ids[1]]["changed_since"])
        self.assertEqual(self.ask("POST", f"{at}/cancel")["left"], 0)
        self.assertEqual(self.ask("GET", "/api/batches")[0]["counts"]["failed"], 1)
        self.ask("GET", "/api/batches/99", status=404)
        self.assertEqual(self.ask("GET", "/api/watched"), {"folder": "", "taken": 0, "refused": []})

    def test_more_files_and_where_they_lie(self) -> None:
        material = self.bring(encoded(photograph("gravel")), "gravel.png")
        at = f"/api/materials/{material['id']}"
        halves = np.full((256, 256, 3), 64, np.uint8)
        halves[:, 128:] = 192
        rough = self.ask("POST", f"{at}/files?file=gravel_roughness.png", data=encoded(halves))
        (key,) = [file["key"] for file in rough["files"] if file["role"] == "roughness"]
        for x, code in ((0.25, 64), (0.75, 192)):
            self.assertAlmostEqual(self.ask("GET", f"{at}/probe?x={x}&y=0.5")["roughness"], code / 255, places=2)
        other = self.ask("PATCH", f"{at}/files/{key}", json={"revision": rough["revision"], "role": "metallic"})
        self.assertAlmostEqual(self.ask("GET", f"{at}/probe?x=0.25&y=0.5")["metallic"], 64 / 255, places=2)
        pairs = [[0.1, 0.1, 0.2, 0.1], [0.9, 0.1, 1.0, 0.1], [0.1, 0.9, 0.2, 0.9], [0.9, 0.9, 1.0, 0.9]]
        body = {"revision": other["revision"], "way": "lay", "pairs": pairs}
        placed = self.ask("POST", f"{at}/files/{key}/place", json=body)
        matrix = placed["material"]["recipe"]["operations"]["gather.registration"]["files"][0]["matrix"]
        np.testing.assert_allclose(np.reshape(matrix, (3, 3)), [[1, 0, 0.1], [0, 1, 0], [0, 0, 1]], atol=1e-6)
        for name, side in ((key, 256), ("photograph", 512)):
            shown = Image.open(io.BytesIO(self.ask("GET", f"{at}/files/{name}.jpg").data))
            self.assertEqual(shown.size, (side, side))
        # Two halves and gravel show nothing in common, wherever they lie.
        fit = self.ask("GET", f"{at}/files/{key}/fit")
        self.assertEqual((fit["level"], fit["by"]), ("unknown", "nothing"))
        self.assertAlmostEqual(fit["covers"], 0.9, delta=0.01)
        self.assertEqual(Image.open(io.BytesIO(self.ask("GET", f"{at}/files/{key}/laid.jpg").data)).size, (512, 512))
        settled = self.ask("POST", f"{at}/settle", json={"keys": [key]})
        self.assertEqual(settled["told"], [])

    def test_files_that_come_together(self) -> None:
        gravel = photograph("gravel").astype(np.float32)
        rows = []
        for number, gain in enumerate((0.35, 0.7, 1.0)):
            codes = np.rint(gravel * gain).astype(np.uint8)
            rows.append(self.ask("POST", f"/api/incoming?file=DSC_{number}.png", data=encoded(codes)))
        self.assertEqual((rows[0]["width"], rows[0]["height"]), (512, 512))
        files = [{"blob": row["blob"], "file": row["file"]} for row in rows]
        found = self.ask("POST", "/api/incoming/sort", json={"files": files})
        self.assertEqual((found["kind"], found["sure"]), ("bracket", False))
        small = self.ask("GET", f"/api/incoming/{rows[0]['blob']}.jpg?file=DSC_0.png")
        self.assertEqual(max(Image.open(io.BytesIO(small.data)).size), 256)
        wanted = [{key: row[key] for key in ("blob", "file", "role")} for row in found["rows"]]
        (brief,) = self.ask("POST", "/api/incoming/take", json={"kind": found["kind"], "rows": wanted})
        merged = self.ask("GET", f"/api/materials/{brief['id']}/merge")
        self.assertEqual(merged["frames"][0]["name"], found["rows"][0]["file"])
        self.assertAlmostEqual(sum(frame["share"] for frame in merged["frames"]), 1, places=2)
        taken = self.ask("GET", f"/api/materials/{brief['id']}/merge/0/taken.jpg")
        self.assertEqual(Image.open(io.BytesIO(taken.data)).size, (512, 512))
        self.ask("GET", f"/api/materials/{brief['id']}/merge/9/photograph.jpg", status=404)
        self.ask("POST", "/api/incoming/sort", json={"files": files, "kind": "nonsense"}, status=422)
        self.ask("POST", "/api/incoming/sort", json={"files": [{"blob": "0" * 64, "file": "a.png"}]}, status=404)

    def test_fitting_by_eye(self) -> None:
        at = f"/api/materials/{self.imported()['id']}"
        before = self.ask("GET", at)
        first = self.ask("POST", f"{at}/by-eye", json={"round": "cue"})
        self.assertEqual([len(first["options"]), first["options"][0]["id"]], [4, "auto"])
        then = {"round": "size", "chosen": first["options"][1]["changes"]}
        self.assertEqual(self.ask("POST", f"{at}/by-eye", json=then)["options"][0]["id"], "as_it_is")
        sure = self.ask("GET", f"{at}/sure.jpg")
        self.assertEqual(Image.open(io.BytesIO(sure.data)).format, "JPEG")
        # Nothing is changed by asking.
        self.assertEqual(self.ask("GET", at)["revision"], before["revision"])

    def test_a_scan(self) -> None:
        data = ply_bytes(scanned(rig_surface("slate_shingles", 256, 4), 40))
        kept = self.ask("POST", "/api/scans/files?file=wall.ply", data=data)
        self.assertEqual(self.ask("POST", "/api/scans/look", json=kept)["parts"], 2 * 39 * 39)
        self.assertEqual(self.ask("POST", "/api/scans/take", json=kept)["material"]["name"], "wall")
        self.assertEqual(self.ask("DELETE", "/api/scans/nothing"), {})

    def test_a_walk_by(self) -> None:
        surface = rig_surface("tide_pebbles", 512, 7)
        places = (
            Hand((0.0, 0.0, 1.2)),
            Hand((0.2, 0.02, 1.25), (0.07, 0.0), 2.0),
            Hand((-0.12, 0.15, 1.2), (-0.04, 0.05)),
        )
        rows = []
        for number, place in enumerate(places):
            codes = seen_by(surface, Shot(gloss=0.1), place, (400, 320), np.random.default_rng(number)).codes
            file = f"/api/incoming?file=beach_{number}.png"
            rows.append({**self.ask("POST", file, data=encoded(codes)), "role": "walk"})
        rows = [{key: row[key] for key in ("blob", "file", "role")} for row in rows]
        sorted_out = self.ask(
            "POST", "/api/incoming/sort", json={"files": [{k: r[k] for k in ("blob", "file")} for r in rows]}
        )
        self.assertEqual(sorted_out["kind"], "walk_by")
        (brief,) = self.ask("POST", "/api/incoming/take", json={"kind": "walk_by", "rows": rows})
        at = f"/api/materials/{brief['id']}"
        self.assertFalse(self.ask("GET", f"{at}/walk")["found"])
        self.ask("GET", f"{at}/walk/height.jpg", status=404)
        self.ask("GET", f"{at}/walk/rough.jpg", status=404)
        found = self.ask("POST", f"{at}/walk/find", json={"revision": self.ask("GET", at)["revision"]})
        self.assertIn("3 photographs tell the height", found["told"][0]["text"])
        walk = self.ask("GET", f"{at}/walk")
        self.assertTrue(walk["found"])
        # What was shown while it was looked for is much like what was found.
        grey = [np.asarray(Image.open(io.BytesIO(self.ask("GET", f"{at}/walk/{what}.jpg").data)).convert("L"), float)
                for what in ("rough", "broad")]  # fmt: skip
        fields = [cv2.resize(one, (64, 48), interpolation=cv2.INTER_AREA) for one in grey]
        self.assertGreater(np.corrcoef(fields[0].ravel(), fields[1].ravel())[0, 1], 0.8)
        self.assertAlmostEqual(walk["frames"][1]["aside"][0], 0.2 / 1.2, delta=0.05)
        self.assertAlmostEqual(walk["frames"][2]["aside"][1], 0.15 / 1.2, delta=0.05)
        for what in ("height", "agree"):
            shown = Image.open(io.BytesIO(self.ask("GET", f"{at}/walk/{what}.jpg").data))
            self.assertEqual(shown.size, (400, 320))
        self.assertEqual(self.ask("DELETE", f"{at}/walk/find"), {})

    def test_a_colour_target(self) -> None:
        shot = photograph_target(np.full((640, 640, 3), 0.2, np.float32), np.random.default_rng(3))
        material = self.bring(encoded(shot.codes), "target.png")
        at = f"/api/materials/{material['id']}"
        found = self.ask("POST", f"{at}/chart", json={})
        np.testing.assert_allclose(found["corners"], shot.corners, atol=0.003)
        self.assertLess(found["after"], 1.5)
        self.assertGreater(found["before"], 3 * found["after"])
        marked = self.ask("POST", f"{at}/chart", json={"corners": shot.corners.tolist()})
        self.assertAlmostEqual(marked["after"], found["after"], delta=0.2)
        corners = ",".join(str(number) for corner in found["corners"] for number in corner)
        shown = self.ask("GET", f"{at}/chart.jpg?corners={corners}")
        self.assertLess(Image.open(io.BytesIO(shown.data)).size[1], 500)
        self.ask("GET", f"{at}/chart.jpg?corners=1,2", status=422)
        self.assertIn(b"dark skin", self.ask("GET", "/api/chart.svg").data)
        matrix = found["changes"]["gather.camera.matrix"]
        kept = self.ask(
            "POST", "/api/cameras", json={"name": "Phone, shade", "matrix": matrix, "before": 8.0, "after": 0.6}
        )
        self.assertEqual([row["matrix"] for row in self.ask("GET", "/api/cameras")], [matrix])
        changed = self.ask(
            "PATCH", f"{at}/recipe",
            json={"revision": self.ask("GET", at)["revision"], "changes": found["changes"], "label": "Camera's colours"},
        )  # fmt: skip
        self.assertEqual(changed["recipe"]["operations"]["gather.camera"]["matrix"], matrix)
        self.ask("DELETE", f"/api/cameras/{kept['id']}")
        self.ask("DELETE", f"/api/cameras/{kept['id']}", status=404)

    def test_a_light_set(self) -> None:
        photographs, _ = shot("embossed_hide", part=512, count=4, first=0.0)
        material = None
        for number, pixels in enumerate(photographs):
            data = encoded(encode_srgb8(np.ascontiguousarray(pixels)))
            where = f"/api/materials/{material['id']}/files" if material else "/api/materials"
            material = self.ask("POST", f"{where}?file=hide_light{number + 1}.png&as=light", data=data)
        assert material
        at = f"/api/materials/{material['id']}"
        lights = self.ask("GET", f"{at}/lights")
        self.assertEqual([lamp["bearing"] for lamp in lights["frames"]], [0, 90, 180, 270])
        found = self.ask("POST", f"{at}/lights/find", json={"revision": self.ask("GET", at)["revision"]})
        bearing = found["material"]["recipe"]["operations"].get("gather.lights", {}).get("first", 0.0)
        self.assertLess(abs((bearing + 180) % 360 - 180), 12)
        lights = self.ask("GET", f"{at}/lights")
        proof = self.ask("GET", f"{at}/lights/0/photograph.jpg?key={lights['key']}")
        self.assertEqual(Image.open(io.BytesIO(proof.data)).size, (512, 512))
        self.assertEqual(self.ask("DELETE", f"{at}/lights/find"), {})

    def test_checks_plan_and_packs(self) -> None:
        material = self.bring(encoded(photograph("gravel")), "gravel.png", **{"tile.join.method": "cut"})
        at = f"/api/materials/{material['id']}"
        checks = self.ask("GET", f"{at}/checks")
        self.assertEqual(checks["revision"], material["revision"])
        self.assertIn("tiling.seam", {finding["rule"] for finding in checks["findings"]})
        # What comes next tells of the same findings, and that nothing is packed yet.
        coming = self.ask("GET", f"{at}/next")
        self.assertEqual((coming["revision"], coming["packed"]), (material["revision"], False))
        open_ones = [one["rule"] for one in checks["findings"] if one["level"] in ("blocked", "attention")]
        self.assertEqual([step["rule"] for step in coming["steps"] if step["rule"]], open_ones)
        plan = self.ask("GET", f"{at}/plan")
        self.assertEqual(plan["files"][0]["name"], "gravel_base_color.png")
        # Nothing of so many pixels was packed here: the pace of the program itself.
        self.assertAlmostEqual(plan["cost"]["bytes"], 10 * 0.6 * 256**2, delta=1)
        self.assertEqual((plan["cost"]["spilled"], plan["cost"]["seconds"]), (0, 1.5e-6 * 256**2))
        job = self.ask("POST", f"{at}/pack", json={"revision": material["revision"]})
        several = self.ask("POST", "/api/pack", json={"materials": [material["id"]]})
        retry(lambda: all(one["state"] == "done" for one in self.ask("GET", "/api/jobs?limit=2")), 60)
        with (
            self.ask("GET", f"/api/jobs/{job['id']}/file") as answer,
            zipfile.ZipFile(io.BytesIO(answer.data)) as archive,
        ):
            manifest = json.loads(archive.read("gravel_manifest.json"))
        self.assertEqual(manifest["size_px"], [256, 256])
        retry(lambda: self.ask("GET", f"{at}/next")["packed"], 10)
        self.assertEqual(self.ask("POST", f"/api/jobs/{several['id']}/cancel")["state"], "done", "it is too late")

    def test_a_pack_by_way_of_the_disk_begins_where_there_is_room_for_it(self) -> None:
        sides = {"square.size.width": 16384, "square.size.height": 16384}
        material = self.bring(GREY, "grey.png", **sides)
        at = f"/api/materials/{material['id']}"
        with mock.patch("amber_thicket.web.packs.most_in_memory", return_value=6_000_000_000):
            cost = self.ask("GET", f"{at}/plan")["cost"]
            self.assertEqual(cost["spilled"], 48 * 16384**2)
            # 1.6 GB of files would find room, and what is spilled would not.
            with mock.patch("amber_thicket.store.disk.free_bytes", return_value=12_000_000_000):
                refused = self.client.post(f"{at}/pack", json={"revision": material["revision"]})
        self.assertEqual(refused.status_code, 507)
        self.assertIn("this needs about 14495.5 MB", refused.json["title"])
        # Files that cannot be written cost nothing, and are refused.
        changes = {"pack.files.format": "webp"}
        changed = self.ask("PATCH", f"{at}/recipe", json={"revision": material["revision"], "changes": changes})
        self.assertIsNone(self.ask("GET", f"{at}/plan")["cost"])
        refused = self.client.post(f"{at}/pack", json={"revision": changed["revision"]})
        self.assertIn("WebP holds at most 16383 px", refused.json["title"])

    def test_profiles_are_kept_for_all_materials(self) -> None:
        self.assertEqual(self.ask("GET", "/api/profiles"), [])
        files = [{"suffix": "col", "channels": ["base_color"], "required": True, "format": "", "depth": ""}]
        own = {"id": "x", "label": "Harbour engine", "y": "minus", "files": files, "needs": []}
        kept = self.ask("POST", "/api/profiles", json={"profile": own})
        self.assertEqual(
            (kept["name"], kept["profile"]["id"], kept["profile"]["y"]), ("Harbour engine", "own", "minus")
        )
        # One of the same name is replaced; what is no profile is refused and nothing changes.
        again = self.ask("POST", "/api/profiles", json={"profile": {**own, "y": "plus"}})
        self.assertEqual(again["id"], kept["id"])
        refused = self.client.post("/api/profiles", json={"profile": {**own, "files": []}})
        self.assertEqual(refused.status_code, 422)
        self.assertEqual([one["profile"]["y"] for one in self.ask("GET", "/api/profiles")], ["plus"])
        # Another material takes it, and keeps it when it is forgotten.
        material = self.bring(GREY, "grey.png", **{"pack.files.own": again["profile"], "pack.files.profile": "own"})
        self.assertEqual(self.ask("DELETE", f"/api/profiles/{kept['id']}"), {})
        self.assertEqual(self.client.delete(f"/api/profiles/{kept['id']}").status_code, 404)
        plan = self.ask("GET", f"/api/materials/{material['id']}/plan")
        self.assertEqual([file["name"] for file in plan["files"]], ["grey_col.png"])

    def test_a_still_and_the_card_it_is_put_on(self) -> None:
        material = self.bring(GREY, "grey.png")
        at = f"/api/materials/{material['id']}"
        look = {"shape": "slab", "width": 96, "height": 72, "lamp": 0, "surroundings": "overcast"}
        job = self.ask("POST", f"{at}/still", json={"revision": material["revision"], "look": look, "paths": 5})
        retry(lambda: self.ask("GET", "/api/jobs")[0]["state"] == "done", 60)
        job = self.ask("GET", "/api/jobs")[0]
        self.assertEqual((job["state"], job["result"]["paths"], job["result"]["of"]), ("done", 5, 5))
        self.assertEqual(job["result"]["file"], "grey_still.png")
        picture = Image.open(io.BytesIO(self.ask("GET", f"/api/jobs/{job['id']}/still.png").data))
        self.assertEqual(picture.size, (96, 72))
        # Grey of 21.6 % under the sky, seen over the plain grey beside it, which is 119.
        codes = np.asarray(picture.convert("RGB")).astype(int)
        np.testing.assert_array_equal(codes[0, 0], [119, 119, 119])
        self.assertLess(int(np.ptp(codes[36, 48])), 14)
        self.assertGreater(abs(int(codes[36, 48, 1]) - 119), 8)
        # Only on the card of the material it shows.
        other = self.bring(TINTED, "tinted.png")
        strange = self.client.post(f"/api/materials/{other['id']}/card", json={"job": job["id"]})
        self.assertEqual(strange.status_code, 404)
        # On the card, and it stays there while the page draws its own.
        card = self.ask("POST", f"{at}/card", json={"job": job["id"]})
        chosen = self.ask("GET", "/api/materials")[0]["thumbnail"]
        self.ask("GET", f"{at}/strip.jpg?key={card['pictures']['strip']}")
        self.assertEqual(self.ask("GET", "/api/materials")[0]["thumbnail"], chosen)
        small = Image.open(io.BytesIO(self.ask("GET", f"/api/thumbnails/{chosen}.jpg").data))
        self.assertEqual(small.size, (320, 320))
        self.assertLess(abs(int(np.asarray(small)[160, 160, 1]) - int(codes[36, 48, 1])), 6)
        # Until the material changes.
        changed = self.change(card, {"square.size.width": 512})
        self.ask("GET", f"{at}/strip.jpg?key={changed['pictures']['strip']}")
        self.assertNotEqual(self.ask("GET", "/api/materials")[0]["thumbnail"], chosen)
        late = self.client.post(f"{at}/card", json={"job": job["id"]})
        self.assertEqual(late.get_json()["title"], "This still shows the material as it was before.")
        stale = self.client.post(f"{at}/still", json={"revision": material["revision"]})
        self.assertEqual(stale.get_json()["title"], "This material has just changed.")
        self.assertEqual(self.client.get("/api/jobs/none/still.png").status_code, 404)

    def test_pictures_from_words(self) -> None:
        job = self.ask("POST", "/api/generate", json={"words": "wet grey pebbles", "side": 512, "seed": 3})
        retry(lambda: self.ask("GET", "/api/jobs")[0]["state"] == "done", 60)
        result = self.ask("GET", "/api/jobs")[0]["result"]
        self.assertEqual((len(result["candidates"]), result["simulation"], result["unread"]), (4, True, []))
        made = Image.open(io.BytesIO(self.ask("GET", f"/api/generate/{job['id']}/1.png").data))
        self.assertEqual(made.size, (512, 512))
        self.assertEqual(self.ask("POST", f"/api/generate/{job['id']}/1/keep")["name"], "Wet grey pebbles")
        self.ask("GET", f"/api/generate/{job['id']}/9.png", status=404)

    def test_picture_makers_are_named_in_a_file(self) -> None:
        (only,) = self.ask("GET", "/api/providers")
        self.assertEqual((only["id"], only["simulation"]), ("simulation", True))
        file = self.services.config.folder / "providers.toml"
        file.write_text('[studio]\nlabel = "Ours"\naddress = "http://127.0.0.1:1/x"\nlargest_side = 1024\n')
        studio = self.ask("GET", "/api/providers")[1]
        self.assertEqual(studio, {"id": "studio", "label": "Ours", "simulation": False, "largest_side": 1024})
        self.ask("POST", "/api/generate", json={"words": "felt", "provider": "nobody"}, status=422)
        file.write_text('[studio]\nlabel = "Ours"\naddress = "ftp://there"\n')
        told = self.ask("GET", "/api/providers", status=422)
        self.assertIn("studio.address: it begins with http", told["title"])

    def test_the_audit(self) -> None:
        taken = self.ask("POST", "/api/audit/files?file=wall_basecolor.png", data=encoded(photograph("brick")))
        self.assertEqual(taken["files"][0]["name"], "wall_basecolor.png")
        files = {"files": taken["files"]}
        report = self.ask("POST", "/api/audit", json=files)
        self.assertEqual(report["sets"][0]["files"][0]["role"], "base_color")
        lit = Image.open(io.BytesIO(self.ask("POST", "/api/audit/lit.jpg", json=files).data))
        self.assertGreater(lit.width, 1.9 * lit.height)
        self.ask("GET", f"/api/audit/picture/{taken['files'][0]['blob']}.jpg")
        self.assertIsInstance(self.ask("POST", "/api/audit/remains", json=files)["findings"], list)
        self.assertEqual(self.ask("POST", "/api/audit/repair", json=files)["name"], report["sets"][0]["name"])
        self.assertGreater(len(self.ask("POST", "/api/audit/sample")["files"]), 4)
        self.ask("POST", "/api/audit", json={"files": [{"name": "x", "blob": "y"}]}, status=422)

    def test_a_sheet_of_cut_outs(self) -> None:
        pixels = np.full((256, 256, 3), 230, np.uint8)
        cv2.circle(pixels, (128, 128), 60, (40, 90, 30), -1)
        ids = [self.bring(encoded(pixels), f"leaf{n}.png", **{"tile.cutout.on": True})["id"] for n in range(2)]
        sheet = self.ask("POST", "/api/sheets", json={"materials": ids, "name": "Leaves", "side": 512, "padding": 8})
        self.assertEqual((sheet["name"], sheet["source"]["width"]), ("Leaves", 512))
        solid = self.ask("GET", f"/api/materials/{sheet['id']}/histogram/opacity")["channels"][0]["over"]
        self.assertGreater(solid, 0.1)

    def test_everything_beside(self) -> None:
        about = self.ask("GET", "/api/about")
        self.assertEqual([stage["id"] for stage in about["stages"]][:3], ["gather", "square", "even"])
        self.assertEqual(self.ask("GET", "/healthz")["status"], "ok")
        self.assertIn(b"thicket", self.ask("GET", "/metrics").data)
        since = self.ask("GET", "/api/events/since?mark=")
        self.assertTrue(since["missed"])
        self.bring()
        kinds = {event["kind"] for event in self.ask("GET", f"/api/events/since?mark={since['mark']}")["events"]}
        self.assertEqual(kinds, {"library", "material"})
        panorama = cv2.imencode(".hdr", np.full((32, 64, 3), 0.5, np.float32))[1].tobytes()
        name = self.ask("POST", "/api/surroundings?file=yard.hdr", data=panorama)["name"]
        self.assertGreater(len(self.ask("GET", f"/api/surroundings/{name}.bin").data), 10_000)

    @classmethod
    def tearDownClass(cls) -> None:
        super().tearDownClass()
        if len(cls.visited) < 40:
            # Single tests of this class were asked for.
            return
        contracts = {(next(m for m in sorted(rule.methods) if m not in ("HEAD", "OPTIONS")), rule.rule)
                     for rule in cls.rules}  # fmt: skip
        missing = contracts - cls.visited
        if missing:
            raise AssertionError(f"no test asked for {sorted(missing)}")

    rules: ClassVar[list[Any]] = []

    def doCleanups(self) -> bool:
        RoutesTest.rules = [rule for rule in self.app.url_map.iter_rules() if openapi.contract_of(self.app, rule)]
        return super().doCleanups()
