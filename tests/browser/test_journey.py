"""A real photograph from import to checked files, through the real page, server and worker."""

import io
import json
import re
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import cv2
import numpy as np
from PIL import Image
from playwright.sync_api import Route

from amber_thicket.core.files.encode import decoded_normal
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.shading.convention import y_direction
from amber_thicket.standins.capture_rig.camera import Shot, Stand
from amber_thicket.standins.capture_rig.camera import photograph as photograph_of
from amber_thicket.standins.capture_rig.embossed_hide import embossed_hide
from amber_thicket.standins.capture_rig.slate_shingles import slate_shingles
from tests.browser.server import PATIENCE, BrowserTest
from tests.reference.test_gltf import validated
from tests.support import PHOTOGRAPHS, bumps, encoded, photograph, retry


def read(data: bytes) -> np.ndarray:
    """An independent reader: OpenCV, channels in RGB order."""
    image = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    return image[..., ::-1] if image.ndim == 3 else image


class JourneyTest(BrowserTest):
    def packed(self) -> dict[str, bytes]:
        """Pack, download, unzip."""
        self.stage("Pack")
        before = self.page.locator("li[data-job=done]").count()
        self.page.click("text=Pack as zip")
        retry(lambda: self.page.locator("li[data-job=done]").count() > before, 90)
        with self.page.expect_download() as download:
            self.page.locator("li[data-job=done] a").first.click()
        archive = zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes()))
        return {name: archive.read(name) for name in archive.namelist()}

    def test_three_photographs_walk_all_stages(self) -> None:
        for name in PHOTOGRAPHS:
            with self.subTest(name=name):
                self.page.goto(self.server.address)
                self.bring(self.photo(name))
                for stage in ("Gather", "Square", "Even", "Tile", "Relief", "Response", "Check"):
                    self.stage(stage)
                    if stage == "Square":
                        self.page.click("aside button:has-text('512')")
                    self.shown()
                self.page.wait_for_selector("li[data-rule='tiling.seam'][data-level=pass]")
                files = self.packed()
                manifest = json.loads(files[f"{name}_manifest.json"])
                self.assertEqual({e["file"] for e in manifest["files"]} | {f"{name}_manifest.json"}, set(files))
                maps = {
                    role: read(files[f"{name}_{role}.png"])
                    for role in ("base_color", "height", "normal", "roughness", "ambient_occlusion")
                }
                self.assertEqual({m.shape[:2] for m in maps.values()}, {(512, 512)})
                self.assertEqual(maps["height"].dtype, np.uint16)
                self.assertEqual(Image.open(io.BytesIO(files[f"{name}_base_color.png"])).info["srgb"], 0)
                self.assertEqual(y_direction(decoded_normal(maps["normal"]))[0], "plus")
                length = np.linalg.norm(decoded_normal(maps["normal"]), axis=-1)
                self.assertLess(float(np.abs(length - 1).max()), 0.02)

    def test_gltf_profile_in_the_page(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Pack")
        self.page.click("aside [data-setting='pack.files.profile'] button[role=combobox]")
        self.page.click("[role=option]:has-text('glTF')")
        self.page.wait_for_selector("text=gravel.glb")
        files = self.packed()
        issues = validated(files["gravel.glb"])
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0))
        self.assertEqual(read(files["gravel_occlusion_roughness_metallic.png"]).shape, (512, 512, 3))

    def test_settings_change_the_picture_and_undo_brings_it_back(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Relief")
        first = self.shown()
        self.page.click("aside button:has-text('Swap bumps and dents')")
        second = self.wait_for_new(first)
        self.page.keyboard.press("Control+z")
        self.assertEqual(self.wait_for_new(second), first)
        self.page.keyboard.press("Control+Shift+z")
        self.assertEqual(self.wait_for_new(first), second)
        slider = self.page.locator("[role=slider][aria-label=Steepness]")
        slider.focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        self.page.wait_for_selector("aside input[aria-label='Steepness, value'][value='0.60']")
        self.page.reload()
        self.page.wait_for_selector("aside input[aria-label='Steepness, value'][value='0.60']")

    def test_views(self) -> None:
        self.bring(self.photo("grass"))
        self.stage("Tile")
        for key, label in (("s", "single"), ("r", "repeated"), ("h", "shifted")):
            self.page.keyboard.press(key)
            self.page.wait_for_selector(f"[data-testid=view-first][aria-label$='Base colour, {label}']")
        view = self.page.locator("[data-testid=view-first]")
        box = view.bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 200, box["y"] + 300)
        self.page.wait_for_selector("footer:has-text('Rough')")
        self.page.mouse.wheel(0, -600)
        zoom = self.page.locator("button[aria-label^=Zoom]").all_inner_texts()
        self.assertEqual(len(zoom), 2)
        self.assertGreater(int(zoom[0].split()[0]), 80)
        self.page.keyboard.down("i")
        self.page.wait_for_selector("[data-testid=view-first][aria-label*='Evened']")
        self.page.keyboard.up("i")
        self.page.wait_for_selector("[data-testid=view-first][aria-label*='Base colour']")
        # One view in the whole window, and back.
        wide = self.page.locator("[data-testid=view-first]").bounding_box()
        self.page.keyboard.press("w")
        self.page.wait_for_selector("nav[aria-label=Stages]", state="detached")
        filled = self.page.locator("[data-testid^=view-]").bounding_box()
        assert wide
        assert filled
        self.assertEqual(self.page.locator("[data-testid^=view-]").count(), 1)
        self.assertGreater(filled["width"], 1200)
        self.assertGreater(filled["height"], 700)
        self.page.keyboard.press("Escape")
        self.page.wait_for_selector("nav[aria-label=Stages]")
        self.page.keyboard.press("d")
        table = self.page.locator("[data-testid=histogram]").first
        table.wait_for()
        self.assertEqual(table.locator("tbody tr").count(), 3)
        # What is read there is what the view shows: darker where the exposure is lower.
        before = int(table.locator("tbody td").nth(2).inner_text())
        self.stage("Even")
        self.page.locator("[role=slider][aria-label=Exposure]").focus()
        self.page.keyboard.press("Home")
        self.page.wait_for_function(
            "n => Number(document.querySelector('[data-testid=histogram] tbody td:nth-child(3)')?.textContent) < n",
            arg=before - 10,
        )
        self.page.keyboard.press("d")
        self.page.wait_for_selector("[data-testid=histogram]", state="detached")

    def test_crop_by_handle(self) -> None:
        self.bring(self.photo("brick"))
        self.stage("Square")
        handle = self.page.locator("[role=slider][aria-label='Lower right corner']")
        old = self.shown("second")
        at = handle.bounding_box()
        assert at
        self.page.mouse.move(at["x"] + 12, at["y"] + 12)
        self.page.mouse.down()
        self.page.mouse.move(at["x"] - 60, at["y"] - 60, steps=6)
        self.page.mouse.up()
        self.wait_for_new(old, "second")
        self.assertLess(float((handle.get_attribute("aria-valuetext") or "").split()[1]), 95)
        self.page.keyboard.press("Control+z")
        self.page.wait_for_selector("[role=slider][aria-label='Lower right corner'][aria-valuenow='100']")

    def changes(self, stage: str) -> int:
        """How many settings of a stage its card says are changed."""
        text = self.page.locator(f"nav[aria-label=Stages] button:has-text('{stage}')").inner_text()
        found = re.search(r"(\d+) edit", text)
        return int(found[1]) if found else 0

    def changes_reach(self, stage: str, count: int) -> None:
        retry(lambda: self.changes(stage) == count)

    def test_corners_level_and_bend(self) -> None:
        stand = Stand(tilt=-28, pan=10, roll=3, picture=(1000, 800), distance=1.35)
        codes = photograph_of(slate_shingles(768, 3), Shot(bearing=118), np.random.default_rng(1), stand)
        path = self.folder / "roof.png"
        path.write_bytes(encoded(codes))
        self.bring(path)
        self.stage("Square")
        old = self.shown("second")
        self.page.click("[role=radio]:has-text('Corners')")
        self.page.click("button:has-text('Find them')")
        self.page.click("button:has-text('Accept corners')")
        flat = self.wait_for_new(old, "second")
        corner = self.page.locator("[role=slider][aria-label='Upper left corner']")
        corner.focus()
        before = corner.get_attribute("aria-valuetext")
        self.page.keyboard.press("ArrowRight")
        self.page.wait_for_function(
            "([c, t]) => c.getAttribute('aria-valuetext') !== t", arg=[corner.element_handle(), before]
        )
        accepted = self.changes("Square")
        self.page.click("[role=radio]:has-text('Level')")
        box = self.page.locator("[data-testid=view-first]").bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 120, box["y"] + 300)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 300, box["y"] + 310, steps=4)
        self.page.mouse.up()
        self.changes_reach("Square", accepted + 1)
        self.page.click("[role=radio]:has-text('Bend')")
        for x, y in ((100, 250), (200, 246), (300, 250)):
            self.page.mouse.click(box["x"] + x, box["y"] + y)
        self.page.click("button:has-text('Solve')")
        self.page.wait_for_selector("text=The marked lines are straight now")
        for _ in range(4):
            self.page.keyboard.press("Control+z")
        self.page.wait_for_selector("nav button:has-text('Square'):has-text('2 edit')")
        self.assertNotEqual(flat, old)

    def test_a_map_set_is_brought_and_its_roles_are_changed(self) -> None:
        height = np.rint(bumps(512) * 65535).astype(np.uint16)
        vectors = from_height(bumps(512), depth=20.0)
        for name, codes in (
            ("quay_albedo.png", photograph("gravel")),
            ("quay_nor_dx.png", np.rint((vectors * [1, -1, 1] + 1) * 127.5).astype(np.uint8)),
            ("quay_disp.png", height),
        ):
            (self.folder / name).write_bytes(encoded(codes))
        self.page.set_input_files("input[type=file]", [str(f) for f in sorted(self.folder.iterdir())])
        self.page.wait_for_selector("nav[aria-label=Stages]")
        files = self.page.locator("section[aria-label=Files]")
        files.locator("li").nth(2).wait_for()
        self.assertIn("ends in", files.inner_text())
        self.page.get_by_role("combobox", name="Role of quay_nor_dx.png").wait_for()
        self.stage("Relief")
        self.page.wait_for_selector("text=Height comes from")
        old = self.shown("first")
        self.page.locator("button:has-text('Make it here instead')").first.click()
        made = self.wait_for_new(old, "first")
        self.page.keyboard.press("Control+z")
        self.wait_for_new(made, "first")
        self.page.wait_for_selector("text=Height comes from")
        self.assertEqual(self.page.locator("[role=alert]").count(), 0)

    def test_whole_repeats_are_suggested_and_taken(self) -> None:
        codes = photograph_of(embossed_hide(768, 3), Shot(bearing=118), np.random.default_rng(1))
        path = self.folder / "wall.png"
        path.write_bytes(encoded(codes))
        self.bring(path)
        self.stage("Tile")
        suggestion = self.page.locator("section[aria-label=Suggestion]")
        suggestion.locator("button:has-text('Show the grid')").click()
        self.page.wait_for_selector("[data-testid=repeats]")
        old = self.shown("second")
        suggestion.locator("button:has-text('Use whole repeats')").click()
        self.wait_for_new(old, "second")
        self.page.wait_for_selector("section[aria-label=Suggestion]:has-text('The tile holds')")
        size = self.page.get_by_role("slider", name="Size of the tile")
        before = size.get_attribute("aria-valuetext")
        size.focus()
        self.page.keyboard.press("ArrowLeft")
        self.page.wait_for_function(
            "([s, t]) => s.getAttribute('aria-valuetext') !== t", arg=[size.element_handle(), before]
        )
        tile = self.page.get_by_role("slider", name="Tile on the picture")
        lay = tile.get_attribute("aria-valuetext")
        grip = tile.bounding_box()
        assert grip
        self.page.mouse.move(grip["x"] + 40, grip["y"] + 40)
        self.page.mouse.down()
        self.page.mouse.move(grip["x"] + 30, grip["y"] + 34, steps=3)
        self.page.mouse.up()
        self.page.wait_for_function(
            "([s, t]) => s.getAttribute('aria-valuetext') !== t", arg=[tile.element_handle(), lay]
        )
        for _ in range(2):
            self.page.keyboard.press("Control+z")
        self.page.wait_for_selector("section[aria-label=Suggestion]:has-text('The tile holds')")
        self.page.keyboard.press("Control+z")
        suggestion.locator("button:has-text('Use whole repeats')").wait_for()

    def test_what_stands_out_is_filled_and_taken_back(self) -> None:
        codes = photograph("gravel").copy()
        cv2.circle(codes, (150, 300), 20, (190, 30, 20), -1)
        path = self.folder / "stone.png"
        path.write_bytes(encoded(codes))
        self.bring(path)
        self.stage("Tile")
        part = self.page.locator("section[aria-label='What stands out']")
        old = self.shown("second")
        part.locator("button:has-text('Fill it'), button:has-text('Fill all')").click()
        filled = self.wait_for_new(old, "second")
        part.locator("text=/Nothing catches the eye|Something may catch/").wait_for()
        part.locator("button:has-text('Fill by hand')").click()
        box = self.page.locator("[data-testid=marking]").bounding_box()
        assert box
        self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        again = self.wait_for_new(filled, "second")
        part.locator("text=places are filled").wait_for()
        part.locator("button:has-text('Take the last back')").click()
        self.wait_for_new(again, "second")
        part.locator("text=/Nothing catches the eye|Something may catch/").wait_for()

    def test_what_is_announced_while_a_material_opens_is_not_missed(self) -> None:
        """A map comes in after the service told the page of the material, and before the page has it."""
        self.bring(self.photo("gravel"))
        material = self.open_material
        more = self.folder / "gravel_height.png"
        more.write_bytes(encoded(photograph("gravel")[..., 0]))
        late: list[str] = []

        def held(route: Route) -> None:
            answer = route.fetch()
            if not late:
                late.append(material)
                to = f"{self.server.address}api/materials/{material}/files?file=gravel_height.png"
                self.page.context.request.post(
                    to, data=more.read_bytes(), headers={"Origin": self.server.address.rstrip("/")}
                )
                self.page.wait_for_timeout(600)
            route.fulfill(response=answer)

        self.page.route(f"**/api/materials/{material}", held)
        self.page.reload()
        self.page.locator("section[aria-label=Files] li").nth(1).wait_for()
        self.assertEqual(late, [material])

    def test_neutral_patch_and_triage_evidence(self) -> None:
        codes = photograph("gravel").copy()
        codes[200:260, 180:240] = 255
        path = self.folder / "warm.png"
        path.write_bytes(encoded((codes * [1.0, 0.85, 0.7]).astype(np.uint8)))
        self.bring(path)
        old = self.shown("first")
        self.page.click("button:has-text('Neutral patch')")
        box = self.page.locator("[data-testid=view-first]").bounding_box()
        assert box
        self.page.mouse.click(box["x"] + box["width"] / 2 + 40, box["y"] + box["height"] / 2 + 40)
        self.wait_for_new(old, "first")
        self.page.wait_for_selector("nav button:has-text('Gather'):has-text('edit')")
        self.page.locator("li[data-finding]", has_text="Burnt out").locator("button:has-text('Show where')").click()
        self.page.wait_for_selector("[data-testid=evidence]")

    def test_lit_view(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Relief")
        lit = self.wait_for_lit()
        before = lit.screenshot()
        lamp = self.page.locator("[role=slider][aria-label='Where the lamp is']")
        lamp.focus()
        for _ in range(12):
            self.page.keyboard.press("ArrowLeft")
        self.wait_for_lit()
        after = lit.screenshot()
        one, other = (
            np.asarray(Image.open(io.BytesIO(s)).convert("L"), np.float32)[60:400, 40:360] for s in (before, after)
        )
        self.assertGreater(float(one.std()), 8, "the surface is drawn")
        self.assertGreater(float(np.abs(one - other).mean()), 2, "the lamp moves the light")
        # Where a hand lets go the whole picture is drawn at once, not when nothing has moved for a while.
        box = lit.bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 100, box["y"] + 200)
        self.page.mouse.down()
        drawn = self.page.evaluate(
            """async () => {
              const lit = document.querySelector("[data-testid=lit]");
              for (let x = 300; lit.dataset.still; x += 9) {
                lit.dispatchEvent(new PointerEvent("pointermove", { bubbles: true, buttons: 1, clientX: x, clientY: 300 }));
                await new Promise((done) => setTimeout(done));
              }
              window.dispatchEvent(new PointerEvent("pointerup"));
              return lit.dataset.still;
            }"""
        )
        self.page.mouse.up()
        self.assertEqual(drawn, "yes")

    def test_many_at_once_by_drop_and_one_by_paste_with_progress(self) -> None:
        given = """([names, bytes, kind]) => {
            const box = new DataTransfer();
            for (const name of names) box.items.add(new File([new Uint8Array(bytes)], name, { type: "image/png" }));
            if (kind === "paste") dispatchEvent(new ClipboardEvent("paste", { clipboardData: box }));
            else for (const type of ["dragover", "drop"])
                document.querySelector("main").dispatchEvent(new DragEvent(type, { dataTransfer: box, bubbles: true, cancelable: true }));
        }"""
        codes = list(encoded(photograph("grass")[:300, :300]))
        self.page.wait_for_selector("main")
        self.page.route("**/api/incoming?*", lambda route: (time.sleep(0.4), route.continue_())[1])
        self.page.evaluate(given, [["quay.png", "jetty.png"], codes, "drop"])
        self.page.wait_for_selector("[aria-label='Captures on their way'] >> text=quay.png")
        for name in ("quay", "jetty"):
            self.page.locator(f"[data-number]:has-text('{name}')").wait_for()
        self.page.locator("[aria-label='Captures on their way']").wait_for(state="detached")
        # One surface is meant to be worked on: its bench opens by itself.
        self.page.evaluate(given, [["mole.png"], codes, "paste"])
        self.page.wait_for_selector("nav[aria-label=Stages]")
        self.assertIn("mole", self.page.inner_text("header"))

    def test_bad_file_says_what_is_wrong(self) -> None:
        broken = self.folder / "broken.png"
        broken.write_bytes(b"\x89PNG\r\n\x1a\n" + b"junk" * 20)
        self.page.set_input_files("input[type=file]", [str(broken), str(self.photo("brick"))])
        alert = self.page.wait_for_selector("[role=alert]")
        assert alert
        self.assertIn("broken.png", alert.inner_text())
        # The other one is all there is, so its bench opens; what was wrong stays on screen.
        self.page.wait_for_selector("nav[aria-label=Stages]")
        self.assertIn("brick", self.page.inner_text("header"))
        self.assertIn("broken.png", self.page.locator("[role=alert]").inner_text())
        self.trouble = [t for t in self.trouble if "415" not in t]

    def test_check_finding_fix_and_evidence(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Tile")
        self.page.click("[role=radio]:has-text('None')")
        self.stage("Check")
        row = "li[data-rule='tiling.seam'][data-level=blocked]"
        self.page.wait_for_selector(row)
        self.page.locator(f"{row} button").first.click()
        self.page.wait_for_selector("[data-testid=evidence]")
        self.page.click("button:has-text('Join by cut')")
        self.page.wait_for_selector(row, state="detached")
        # What only wants attention is looked at and let be; what is blocked is not.
        bounds = self.page.locator("li[data-rule='base_color.bounds']")
        self.page.wait_for_selector("li[data-rule='base_color.bounds'][data-level=attention]")
        to_settle = int(self.page.get_by_title("Open Check").inner_text().split()[0])
        bounds.get_by_role("button").first.click()
        bounds.get_by_role("button", name="Let it be").click()
        self.page.wait_for_selector("li[data-rule='base_color.bounds'][data-level=note]")
        retry(lambda: self.page.get_by_title("Open Check").inner_text().startswith(str(to_settle - 1)))
        self.assertIn("let be", bounds.inner_text())
        bounds.get_by_role("button", name="Draw attention to it again").click()
        self.page.wait_for_selector("li[data-rule='base_color.bounds'][data-level=attention]")

    def test_fitted_by_eye_and_taken_back(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Relief")
        before = self.page.request.get(self.address).json()["recipe"]["operations"]
        self.page.click("aside button:has-text('Fit by eye')")
        dialog = self.page.get_by_role("dialog")
        readings = dialog.locator("ul[aria-label=Readings] canvas[data-lit=yes]")
        readings.nth(3).wait_for()
        first = dialog.locator("ul[aria-label=Readings]").inner_text()
        dialog.get_by_role("button", name="None of these").click()
        self.page.wait_for_function(
            "old => { const now = document.querySelector('ul[aria-label=Readings]').innerText; return now && now !== old; }",
            arg=first,
        )
        readings.nth(3).wait_for()
        dialog.get_by_role("button", name="Back").click()
        dialog.get_by_role("button", name="What the picture gives reason for").wait_for()
        # Dragging moves the lamp and chooses nothing; a click chooses.
        lit = dialog.get_by_role("button", name="What the picture gives reason for").locator("canvas")
        readings.nth(3).wait_for()
        shades = "c => c.getContext('2d').getImageData(40, 40, 8, 8).data.join()"
        dark = lit.evaluate(shades)
        box = lit.bounding_box()
        self.page.mouse.move(box["x"] + 40, box["y"] + 40)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] - 10, box["y"] + box["height"] - 10, steps=4)
        self.page.mouse.up()
        self.assertNotEqual(lit.evaluate(shades), dark)
        dialog.get_by_role("heading", name="1 of 3").wait_for()
        dialog.locator("ul[aria-label=Readings] button").nth(1).click()
        dialog.get_by_role("heading", name="2 of 3").wait_for()
        dialog.locator("ul[aria-label=Readings] button").nth(1).click()
        dialog.get_by_role("heading", name="3 of 3").wait_for()
        dialog.get_by_role("button", name="Much steeper").click()
        dialog.wait_for(state="detached")
        address = self.address
        retry(lambda: "relief.height" in self.page.request.get(address).json()["recipe"]["operations"])
        made = self.page.request.get(address).json()["recipe"]["operations"]
        self.assertAlmostEqual(made["relief.height"]["steepness"], 1.26, places=3)
        self.assertNotEqual(made.get("relief.cues"), before.get("relief.cues"))
        self.page.keyboard.press("Control+z")
        retry(lambda: self.page.request.get(address).json()["recipe"]["operations"] == before)

    def test_second_tab_catches_up(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Relief")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.wait_for_selector("aside button:has-text('Swap bumps and dents')")
        self.page.click("aside button:has-text('Swap bumps and dents')")
        other.wait_for_selector("aside button:has-text('Swap bumps and dents')[aria-pressed=true]")


class RestartTest(BrowserTest):
    def test_nothing_acknowledged_is_lost_by_kill_nine(self) -> None:
        """The whole program is killed with -9 while it packs; started again, all changes and the job are there."""
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "gravel.png"
            path.write_bytes(encoded(photograph("gravel")))
            self.bring(path)
        self.stage("Square")
        self.page.click("aside button:has-text('2048')")
        self.stage("Relief")
        self.page.click("aside button:has-text('Swap bumps and dents')")
        self.page.wait_for_selector("nav button:has-text('Relief'):has-text('1 edit')")
        self.stage("Pack")
        # What it takes is told before: six bytes a pixel, and a time.
        self.page.wait_for_selector("text=/About 25.2 MB, about \\d+ (s|min)/")
        self.page.click("text=Pack as zip")
        self.page.wait_for_selector("li[data-job=running]")
        place = self.page.url.removeprefix(self.server.address)
        self.server.kill()
        self.server.start()
        self.page.goto(self.server.address + place)
        self.trouble.clear()
        self.page.wait_for_selector("nav button:has-text('Relief'):has-text('1 edit')")
        self.stage("Pack")
        self.page.wait_for_selector("li[data-job=done]", timeout=PATIENCE)
        self.page.keyboard.press("Control+z")
        self.page.wait_for_selector("nav button:has-text('Relief'):has-text('as set')")


if __name__ == "__main__":
    unittest.main()
