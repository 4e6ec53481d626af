"""Light set, cut-out, stitched pair and picture from words in the real page, each to a packed set."""

import io
import json
import zipfile
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.standins.capture_rig.camera import Shot, photograph, ring
from amber_thicket.standins.capture_rig.cork_board import cork_board
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from tests.browser.server import BrowserTest
from tests.lightset import png
from tests.support import encoded, retry

SIDE = 640


class SourcesTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.page.evaluate("localStorage.setItem('views-1', JSON.stringify({arrangement: 'first'}))")
        self.page.reload()

    def choose(self, kind: str, files: dict[str, bytes], agree: str = "") -> None:
        """Bring files in as one kind of source. agree: the button that says that they were sorted right, if it asks."""
        for name, data in files.items():
            (self.folder / name).write_bytes(data)
        self.page.get_by_role("button", name="Add captures").click()
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name=kind).click()
        chooser.value.set_files([str(self.folder / name) for name in files])
        if agree:
            # What they are is said before anything is made of them.
            self.page.get_by_role("button", name=agree).click()
        self.page.wait_for_selector("nav[aria-label=Stages]", timeout=120_000)

    def material(self) -> dict:
        return self.page.request.get(self.page.url.replace("/m/", "/api/materials/")).json()

    def levels(self) -> dict[str, str]:
        """The worst level of every rule."""
        found = self.page.request.get(self.page.url.replace("/m/", "/api/materials/") + "/checks").json()["findings"]
        order = ["pass", "note", "unknown", "attention", "blocked"]
        worst: dict[str, str] = {}
        for one in found:
            worst[one["rule"]] = max(worst.get(one["rule"], "pass"), one["level"], key=order.index)
        return worst

    def packed(self) -> dict[str, bytes]:
        self.stage("Pack")
        self.page.click("text=Pack as zip")
        retry(lambda: self.page.locator("li[data-job=done]").count() > 0, 120)
        with self.page.expect_download() as download:
            self.page.locator("li[data-job=done] a").first.click()
        archive = zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes()))
        return {name: archive.read(name) for name in archive.namelist()}

    def test_eight_photographs_of_hide_become_a_passing_set(self) -> None:
        surface = embossed_hide(SIDE, 4)
        shots = ring(8, first=62.0, clockwise=True)
        files = {
            f"shot_{k}.png": encoded(photograph(surface, shot, np.random.default_rng(k)))
            for k, shot in enumerate(shots)
        }
        self.choose("Light set", files, agree="Find the lamps")
        found = self.page.locator("ul[aria-label='What was found']")
        found.wait_for()
        self.assertIn("clockwise", found.inner_text())
        settings = self.material()["recipe"]["operations"]["gather.lights"]
        self.assertAlmostEqual(settings["first"], 62, delta=1.5)
        self.assertEqual(settings["direction"], "cw")
        # The photograph under a lamp, and what the solved surface looks like under it.
        before = self.shown()
        self.page.locator("[aria-label^='Lamp 3']").click()
        self.assertIn("light:2:photograph", self.wait_for_new(before))
        self.page.get_by_role("radio", name="Relit").click()
        self.assertIn(
            "light:2:relit", self.wait_for_new(before := self.shown()) if "relit" not in self.shown() else self.shown()
        )
        # A wrong bearing turns bumps into dents, and one step puts it back.
        self.page.get_by_role("button", name="Turn by half").click()
        retry(lambda: abs(self.material()["recipe"]["operations"]["gather.lights"]["first"] - 242) < 2)
        self.page.keyboard.press("Control+z")
        retry(lambda: abs(self.material()["recipe"]["operations"]["gather.lights"]["first"] - 62) < 2)
        self.stage("Relief")
        self.page.wait_for_selector("text=Height follows the normals of the light set.")
        self.assertNotIn("blocked", self.levels().values(), self.levels())
        files = self.packed()
        manifest = json.loads(next(data for name, data in files.items() if name.endswith("_manifest.json")))
        self.assertEqual(len(manifest["source"]["light_set"]), 8)
        normal = next(data for name, data in files.items() if name.endswith("_normal.png"))
        codes = cv2.imdecode(np.frombuffer(normal, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(np.float32)
        lengths = np.linalg.norm(codes / 127.5 - 1, axis=-1)
        self.assertLess(float(np.abs(lengths - 1).max()), 0.02)
        self.assertGreater(float((codes[..., 0] / 127.5 - 1).std()), 0.1)

    def test_a_kelp_frond_becomes_a_packed_cut_out(self) -> None:
        frond, rng = kelp_frond(SIDE, 9), np.random.default_rng(2)
        back, lit = placed(-9, (0.02, -0.012), 0.96, mirrored=True), placed(4, (-0.012, 0.01), 1.03, mirrored=False)
        self.choose(
            "Cut-out",
            {
                "kelp.png": encoded(front_shot(frond, rng)),
                "kelp_back.png": encoded(back_shot(frond, back, rng)),
                "kelp_back_lit.png": encoded(back_lit_shot(frond, lit, rng)),
            },
        )
        self.assertEqual(self.page.locator("text=Laid on the photograph.").count(), 2)
        self.stage("Tile")
        self.assertTrue(self.page.get_by_role("switch", name="This is a cut-out").is_checked())
        # The mask brush keeps a place of the ground; one step takes it back.
        self.page.get_by_role("button", name="Mask brush").click()
        self.page.get_by_role("button", name="Keep", exact=True).click()
        box = self.page.locator("[data-testid=brush]").bounding_box()
        assert box
        self.page.mouse.click(box["x"] + 0.3 * box["width"], box["y"] + 0.2 * box["height"])
        retry(lambda: "keep" in str(self.material()["recipe"]["operations"]["tile.cutout"].get("strokes", "")))
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Control+z")
        retry(lambda: "strokes" not in self.material()["recipe"]["operations"]["tile.cutout"])
        self.assertNotIn("blocked", self.levels().values(), self.levels())
        files = self.packed()
        self.assertEqual(
            {n.split("_", 1)[1] for n in files if n.endswith(".png")},
            {
                "base_color_opacity.png",
                "normal.png",
                "roughness.png",
                "translucency.png",
                "back_color.png",
                "ambient_occlusion.png",
                "height.png",
            },
        )
        packed = np.asarray(Image.open(io.BytesIO(next(d for n, d in files.items() if "opacity" in n))))
        side = packed.shape[0]
        mask = cv2.resize(frond.mask, (side, side), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(packed[..., 3] / 255 - mask).mean()), 0.015)
        # Beyond the edge the colour is the frond's, not the card's.
        outside = (mask < 0.01) & (cv2.dilate(mask, np.ones((15, 15))) > 0.5)
        self.assertLess(float(packed[..., 2][outside].mean()), 110)
        through = decode_srgb(
            np.asarray(Image.open(io.BytesIO(next(d for n, d in files.items() if "translucency" in n))).convert("RGB"))
        )
        truth = cv2.resize(frond.through, (side, side), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.median(np.abs(through - truth)[mask > 0.99])), 0.03)

    def test_two_photographs_are_joined(self) -> None:
        whole = photograph(cork_board(900, 3), Shot(), np.random.default_rng(1))
        self.choose(
            "Existing maps",
            {
                "left.png": encoded(np.ascontiguousarray(whole[:, :560])),
                "right.png": encoded(np.ascontiguousarray(whole[:, 330:890])),
            },
            agree="Use them so",
        )
        self.page.get_by_role("button", name="Join to the photograph").click()
        self.page.wait_for_selector("text=Joined to the photograph.")
        self.assertAlmostEqual(self.material()["preview"]["picture"][0], 890, delta=4)
        self.page.keyboard.press("Control+z")
        retry(lambda: self.material()["preview"]["picture"][0] == 560)

    def test_words_become_a_passing_set(self) -> None:
        page = self.page
        page.get_by_role("button", name="Add captures").click()
        page.get_by_role("button", name="From words").click()
        page.get_by_label("Surface, in words").fill("concrete, pale, zorblax")
        page.get_by_role("radio", name="512").click()
        page.get_by_role("button", name="Make four").click()
        page.wait_for_selector("text=zorblax")
        page.wait_for_selector("img[alt='Candidate 4']", timeout=120_000)
        self.assertIn("Simulation", page.locator("header").inner_text())
        first = page.get_by_alt_text("Candidate 1").get_attribute("src")
        page.get_by_role("button", name="Four others").click()
        page.wait_for_function(
            "old => document.querySelector(\"img[alt='Candidate 1']\")?.getAttribute('src') !== old && document.querySelector(\"img[alt='Candidate 4']\")",
            arg=first,
            timeout=120_000,
        )
        page.get_by_role("button", name="Keep this one").nth(1).click()
        page.wait_for_selector("nav[aria-label=Stages]")
        self.page.wait_for_selector("aside :text('simulation')")
        self.stage("Tile")
        self.assertNotIn("blocked", self.levels().values(), self.levels())
        files = self.packed()
        manifest = json.loads(next(data for name, data in files.items() if name.endswith("_manifest.json")))
        self.assertFalse([check for check in manifest["checks"] if check["level"] == "blocked"])

    def test_a_wrong_file_in_a_light_set_is_named(self) -> None:
        noise = np.random.default_rng(1).random((96, 96, 3), np.float32) * 0.4
        shots = {f"shot_{k}.png": png(noise * (0.5 + 0.1 * k)) for k in range(3)}
        shots["shot_3.png"] = png(noise[:64])
        self.choose("Light set", shots, agree="Find the lamps")
        self.page.wait_for_selector("text=shot_3.png is 96 × 64 px, the others 96 × 96.")
        self.assertEqual(len(self.material()["files"]), 4)
        self.trouble.clear()
