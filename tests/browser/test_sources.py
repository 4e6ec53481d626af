"""Light set, cut-out, stitched pair and picture from words in the real page, each to a packed set."""

import io
import json
import zipfile
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.standins.capture_rig.camera import Shot, photograph, ring
from amber_thicket.standins.capture_rig.cork_board import cork_board
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.handheld import hands, seen_by
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from amber_thicket.standins.capture_rig.raw_file import raw_of
from amber_thicket.standins.capture_rig.scanned import ply_bytes, scanned
from tests.browser.server import PATIENCE, BrowserTest
from tests.lightset import png
from tests.support import encoded, retry, rig_surface

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
        self.page.wait_for_selector("nav[aria-label=Stages]", timeout=PATIENCE)

    def material(self) -> dict:
        return self.page.request.get(self.address).json()

    def levels(self) -> dict[str, str]:
        """The worst level of every rule."""
        found = self.page.request.get(self.address + "/checks").json()["findings"]
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
        files["shot_8.png"] = encoded(photograph(surface, Shot(sun=0.0, sky=1.0, white=1.1), np.random.default_rng(9)))
        for name, data in files.items():
            (self.folder / name).write_bytes(data)
        # Dropped without a word: what they show says what they are, and a list says it before anything is made.
        self.page.set_input_files("input[aria-label='Capture files']", [str(self.folder / name) for name in files])
        self.page.wait_for_selector("text=8 lamps in order + 1 all-lights photograph")
        self.page.get_by_role("button", name="Find the lamps").click()
        self.page.wait_for_selector("nav[aria-label=Stages]", timeout=PATIENCE)
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

    def test_a_leaf_of_two_raw_fronts_a_back_and_a_back_lit_shot_becomes_a_packed_cut_out(self) -> None:
        side = 768
        frond, rng = kelp_frond(side, 9), np.random.default_rng(2)
        back, lit = placed(-9, (0.02, -0.012), 0.96, mirrored=True), placed(4, (-0.012, 0.01), 1.03, mirrored=False)
        front = front_shot(frond, rng)
        self.choose(
            "Cut-out",
            {
                "kelp_front_1.dng": raw_of(front[:480]),
                "kelp_front_2.dng": raw_of(front[288:]),
                "kelp_back.png": encoded(back_shot(frond, back, rng)),
                "kelp_back_lit.png": encoded(back_lit_shot(frond, lit, rng)),
            },
        )
        self.page.wait_for_selector("[data-fit]")
        retry(lambda: self.page.locator("[data-fit=pass]").count() == 3)
        self.assertEqual(self.page.locator("text=Laid on the photograph.").count(), 2)
        self.assertEqual(self.page.locator("text=Joined to the photograph.").count(), 1)
        # All lie within a pixel of where they are.
        material = self.material()
        self.assertAlmostEqual(material["preview"]["picture"][1], side, delta=3)
        rows = material["recipe"]["operations"]["gather.registration"]["files"]
        keys = {file["file"]: file["key"] for file in material["files"]}
        shift = np.array([[1, 0, 0], [0, 480 / side, 0], [0, 0, 1]])
        at = np.array([[0.3, 0.3, 1], [0.6, 0.5, 1], [0.5, 1.2, 1], [0.45, 0.8, 1]])
        for name, truth in (("kelp_back.png", back), ("kelp_back_lit.png", lit)):
            (matrix,) = (np.reshape(row["matrix"], (3, 3)) for row in rows if row["file"] == keys[name])
            one, other = at @ matrix.T, at @ (truth @ shift).T
            off = (one[:, :2] / one[:, 2:] - other[:, :2] / other[:, 2:]) * side
            self.assertLess(float(np.hypot(*off.T).max()), 1.0, name)
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
        self.stage("Relief")
        self.page.get_by_role("button", name="In parts").click()
        self.page.get_by_role("switch", name="Relief in parts").click()
        retry(lambda: "relief.split" in self.material()["recipe"]["operations"])
        self.assertNotIn("blocked", self.levels().values(), self.levels())
        files = self.packed()
        pictures = {
            name.split("kelp_", 1)[1]: cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
            for name, data in files.items()
            if name.endswith(".png")
        }
        self.assertEqual(
            set(pictures),
            {
                "base_color_opacity.png", "normal.png", "roughness.png", "translucency.png", "back_color_opacity.png",
                "ambient_occlusion.png", "height.png", "relief_parts.png",
            },
        )  # fmt: skip
        self.assertEqual([pictures[name].dtype for name in ("height.png", "relief_parts.png")], [np.uint16] * 2)
        packed = pictures["base_color_opacity.png"]
        size = packed.shape[0]

        def scaled(field: np.ndarray) -> np.ndarray:
            return cv2.resize(field, (size, size), interpolation=cv2.INTER_AREA)

        mask, opacity = scaled(frond.mask), packed[..., 3] / 255
        self.assertGreater(float(np.minimum(opacity, mask).sum() / np.maximum(opacity, mask).sum()), 0.99)
        np.testing.assert_array_equal(pictures["back_color_opacity.png"][..., 3], packed[..., 3])
        # Beyond the edge the colour is the frond's, not the card's.
        outside = (mask < 0.01) & (cv2.dilate(mask, np.ones((15, 15))) > 0.5)
        self.assertLess(float(packed[..., 0][outside].mean()), 110)
        inside = cv2.erode(mask, np.ones((5, 5))) > 0.99
        through = decode_srgb(np.ascontiguousarray(pictures["translucency.png"][..., 2::-1]))
        self.assertLess(float(np.sqrt(np.mean((through - scaled(frond.through))[inside] ** 2))), 0.05)
        told = np.corrcoef(pictures["height.png"][inside].astype(float), scaled(frond.front.height)[inside])[0, 1]
        self.assertGreater(told, 0.5)

    def test_a_scanned_patch_becomes_a_packed_set(self) -> None:
        of = scanned(rig_surface("lime_render", 512, 4), 300, cv2.Rodrigues(np.array([0.3, -0.2, 0.1]))[0])
        middle = of.points[of.faces].mean(1)
        gone = np.hypot(*(middle - of.points.mean(0))[:, :2].T) > 0.55 * float(np.ptp(of.points[:, 0]))
        scan = self.folder / "slip_wall.ply"
        scan.write_bytes(ply_bytes(replace(of, faces=of.faces[~gone])))
        self.page.set_input_files("input[type=file]", str(scan))
        dialog = self.page.get_by_role("dialog")
        dialog.locator("text=triangles").wait_for()
        dialog.get_by_role("radio", name="mm", exact=True).click()
        self.page.wait_for_function(
            "() => [...document.querySelectorAll('[role=dialog] dd')].some(d => / mm$/.test(d.textContent))"
        )
        corner = dialog.get_by_role("button", name="Corner of the rectangle, upper left")
        before = corner.bounding_box()
        corner.focus()
        self.page.keyboard.press("ArrowRight")
        self.page.wait_for_function(
            "([name, x]) => Math.abs(document.querySelector(`[aria-label='${name}']`).getBoundingClientRect().x - x) > 3",
            arg=["Corner of the rectangle, upper left", before["x"]],
        )
        dialog.get_by_role("button", name="Make the material").click()
        self.page.wait_for_selector("nav[aria-label=Stages]")
        self.assertIn("slip wall", self.page.inner_text("header"))
        material = self.material()
        changed = material["recipe"]["operations"]
        self.assertGreater(changed["gather.maps"]["height_mm"], 1)
        self.assertLess(changed["square.size"]["sample_mm"], 600)
        self.assertEqual({file["role"] for file in material["files"]} - {""}, {"base_color", "height", "normal"})
        self.stage("Gather")
        self.page.get_by_role("heading", name="Projected from slip_wall.ply").wait_for()
        self.passing_pack()

    def passing_pack(self) -> None:
        """Pack, and see that no rule blocks it and that its height is there."""
        self.assertNotIn("blocked", self.levels().values(), self.levels())
        names = list(self.packed())
        self.assertTrue(any("height" in name for name in names) and any("normal" in name for name in names), names)

    def test_a_walk_by_becomes_a_passing_set(self) -> None:
        surface = rig_surface("tide_pebbles", 768, 7)
        files = {}
        for number, hand in enumerate(hands(3, np.random.default_rng(7))):
            seen = seen_by(
                surface, Shot(bearing=120, elevation=50, sky=0.6), hand, (640, 512), np.random.default_rng(number)
            )
            files[f"shore_{number}.png"] = encoded(seen.codes)
        self.choose("Walk-by", files, agree="Find the height")
        told = self.page.get_by_role("list", name="What was found")
        told.wait_for(timeout=180_000)
        self.assertIn("photographs tell the height", told.inner_text())
        for label, title in (("By movement", "Height by what moved"), ("Fine", "What tone and shading add")):
            self.page.get_by_role("button", name=label, exact=True).click()
            shown = self.page.get_by_role("img", name=title)
            shown.wait_for()
            retry(lambda shown=shown: shown.evaluate("i => i.naturalWidth > 300"), 60)
            self.page.keyboard.press("Escape")
        self.stage("Relief")
        self.page.wait_for_selector("text=what moved between the photographs")
        self.page.locator("text=% of tile").wait_for()
        # How deep it is was measured: no steepness is asked for.
        self.assertEqual(self.page.get_by_role("slider", name="Steepness").count(), 0)
        self.passing_pack()

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
        page.wait_for_selector("img[alt='Candidate 4']", timeout=PATIENCE)
        self.assertIn("Simulation", page.locator("header").inner_text())
        first = page.get_by_alt_text("Candidate 1").get_attribute("src")
        page.get_by_role("button", name="Four others").click()
        page.wait_for_function(
            "old => document.querySelector(\"img[alt='Candidate 1']\")?.getAttribute('src') !== old && document.querySelector(\"img[alt='Candidate 4']\")",
            arg=first,
            timeout=PATIENCE,
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
