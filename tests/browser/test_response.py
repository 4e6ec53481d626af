"""Relief and Response in the real page: the light's bearing, zones, covers, painting, comparing."""

import re
import shutil
import tempfile
from pathlib import Path

import cv2
import numpy as np

from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper
from amber_thicket.standins.capture_rig.zoned_kinds import ZONED, Zoned
from tests.browser.server import BrowserTest
from tests.support import encoded, retry


class ResponseTest(BrowserTest):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        surface = verdigris_copper(640, 5)
        cls.copper = encoded(photograph(surface, Shot(sky=0.7, elevation=44), np.random.default_rng(1)))

    def setUp(self) -> None:
        super().setUp()
        # One view is enough here; the lit one is slow where it is drawn in software.
        self.page.evaluate("localStorage.setItem('views-1', JSON.stringify({arrangement: 'first'}))")
        self.page.reload()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "copper.png"
        path.write_bytes(self.copper)
        self.bring(path)

    def recipe(self) -> dict[str, dict[str, object]]:
        address = self.address
        return self.page.request.get(address).json()["recipe"]["operations"]  # type: ignore[no-any-return]

    def layer(self, role: str) -> np.ndarray:
        """A map as the page's views get it, grey codes."""
        address = self.address
        key = self.page.request.get(address).json()["keys"][role]
        data = self.page.request.get(f"{address}/picture/{role}.png?key={key}").body()
        return np.asarray(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED))

    def level(self) -> float:
        """What the roughness of the only zone that changes it lies around."""
        (change,) = self.recipe()["response.on_roughness"]["in_zones"].values()  # type: ignore[attr-defined]
        return float(change["level"])

    def click_in_view(self, testid: str, *places: tuple[float, float]) -> None:
        box = self.page.locator(f"[data-testid={testid}]").bounding_box()
        assert box
        for number, (x, y) in enumerate(places):
            self.page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"], steps=3)
            if number == 0:
                self.page.mouse.down()
        self.page.mouse.up()

    def test_metal_and_patina_in_a_few_clicks(self) -> None:
        page = self.page
        self.stage("Response")
        page.get_by_role("button", name="Suggest").click()
        # Marked on the colour before they are taken.
        page.get_by_test_id("zones-found").wait_for()
        self.assertEqual(page.locator("ul[aria-label='Zones there are'] li").count(), 0)
        page.get_by_role("button", name="Take all").click()
        page.locator("ul[aria-label='Zones there are'] li").nth(1).wait_for()
        page.get_by_role("button", name="Brown").first.click()
        zone = page.locator("ul[aria-label='Zones there are'] > li", has_text="Brown")
        zone.get_by_role("button", name="Metallic").click()
        zone.get_by_role("button", name="Roughness").click()
        retry(lambda: "response.on_roughness" in self.recipe())
        # It starts as rough as the zone is.
        before = self.level()
        self.assertAlmostEqual(before, 0.69, delta=0.08)
        level = page.get_by_role("slider", name="Roughness, level")
        level.press("ArrowLeft")
        retry(lambda: abs(self.level() - before + 0.01) < 1e-6)
        level.press("Home")
        retry(lambda: self.level() == 0)
        metal, rough = self.layer("metallic") > 128, self.layer("roughness")
        self.assertTrue(0.2 < metal.mean() < 0.8)
        self.assertLess(rough[metal].mean() + 40, rough[~metal].mean())
        page.get_by_label("Show Brown alone").click()
        old = self.shown()
        self.assertIn("zone:", old)
        # One step back takes the last change alone; taking the zone away takes all it changes.
        page.keyboard.press("Control+z")
        retry(lambda: abs(self.level() - before + 0.01) < 1e-6)
        page.get_by_label("Take Brown away").click()
        retry(lambda: "response.on_metallic" not in self.recipe())
        page.keyboard.press("Control+z")
        retry(lambda: "response.on_metallic" in self.recipe())
        page.reload()
        self.stage("Response")
        page.get_by_role("button", name="Brown").first.wait_for()

    def suggested(self, name: str, kinds: dict[str, str]) -> Zoned:
        """A surface of several materials brought, its suggested zones taken and told what they are made of."""
        page, zoned = self.page, ZONED[name](640, 8)
        path = Path(tempfile.mkdtemp()) / f"{name}.png"
        self.addCleanup(shutil.rmtree, path.parent)
        light = Shot(bearing=75, elevation=55, sky=0.7)
        path.write_bytes(encoded(photograph(zoned.surface, light, np.random.default_rng(1))))
        page.goto(self.server.address)
        self.bring(path)
        # As it lies, so that it can be laid beside the truth.
        self.stage("Tile")
        page.get_by_role("radio", name="None", exact=True).first.click()
        retry(lambda: self.recipe().get("tile.join", {}).get("method") == "none")
        self.stage("Response")
        page.get_by_role("button", name="Suggest").click()
        page.get_by_role("button", name="Take all").click()
        rows = page.locator("ul[aria-label='Zones there are'] > li")
        rows.nth(len(kinds) - 1).wait_for()
        for number, (colour, kind) in enumerate(kinds.items(), 1):
            row = page.locator("ul[aria-label='Zones there are'] > li", has_text=colour)
            row.locator("button[aria-expanded]").first.click()
            row.get_by_label(re.compile(" is made of$")).click()
            page.get_by_role("option", name=kind, exact=True).click()
            retry(lambda number=number: self.told() == number)
            row.locator("button[aria-expanded]").first.click()
        return zoned

    def told(self) -> int:
        """How many zones are told what they are made of."""
        zones: list[dict[str, str]] = self.recipe()["response.zones"]["zones"]  # type: ignore[assignment]
        return sum(bool(zone.get("kind")) for zone in zones)

    def true_roughness(self, zoned: Zoned, side: int) -> np.ndarray:
        return cv2.resize(zoned.surface.roughness, (side, side), interpolation=cv2.INTER_AREA)

    def test_paint_rust_and_moss_answer_light_as_they_do(self) -> None:
        page = self.page
        zoned = self.suggested("painted_plate", {"Teal": "Paint", "Brown": "Rust", "Olive": "Moss"})
        rough = self.layer("roughness")
        true = self.true_roughness(zoned, len(rough))
        self.assertGreater(float(np.corrcoef(rough.ravel(), true.ravel())[0, 1]), 0.75)
        # Water on all of it: darker and smoother; undone in one step.
        slider = page.get_by_role("slider", name="Wet", exact=True)
        slider.press("End")
        retry(lambda: self.recipe().get("response.covers", {}).get("wet") == 1)
        self.assertLess(float(self.layer("roughness").mean()), 0.4 * float(rough.mean()))
        page.keyboard.press("Control+z")
        retry(lambda: "response.covers" not in self.recipe())
        np.testing.assert_array_equal(self.layer("roughness"), rough)

    def test_a_metal_cover_gets_all_its_maps(self) -> None:
        zoned = self.suggested("drain_cover", {"Dark grey": "Soil", "Brown": "Rust", "Pale grey": "Iron, steel"})
        metal, rough = self.layer("metallic") > 128, self.layer("roughness")
        true = cv2.resize(zoned.surface.metallic, rough.shape[::-1], interpolation=cv2.INTER_AREA) > 0.5
        self.assertGreater(float((metal & true).sum() / (metal | true).sum()), 0.8)
        self.assertLess(float(rough[true].mean()) + 60, float(rough[~true].mean()))
        # Rust mirrors more than the usual 4 %; the map of that is there at once.
        address = self.address
        self.assertIn("specular", self.page.request.get(address).json()["keys"])

    def test_a_zone_by_picked_colour_and_brush(self) -> None:
        page = self.page
        self.stage("Response")
        page.get_by_role("button", name="By colour").click()
        # All of it is seen until a colour is picked, then the zone alone.
        self.assertNotIn("zone:", self.shown())
        self.click_in_view("picking", (0.5, 0.5))
        page.locator("button[aria-label^='Take #']").wait_for()
        page.keyboard.press("Escape")
        page.get_by_label("Add a part").click()
        page.get_by_role("option", name="Brush").click()
        self.click_in_view("brush", (0.4, 0.5), (0.6, 0.5))
        page.locator("ul[aria-label=Strokes] li").wait_for()
        retry(lambda: "strokes" in str(self.recipe()["response.zones"]["zones"]))
        (zone,) = self.recipe()["response.zones"]["zones"]
        self.assertEqual([part["kind"] for part in zone["parts"]], ["colour", "brush"])
        self.assertEqual(len(zone["parts"][1]["strokes"]), 1)

    def test_a_cover_and_a_painted_value(self) -> None:
        page = self.page
        self.stage("Response")
        before = self.layer("roughness")
        page.get_by_label("Lay something on").click()
        page.get_by_role("option", name="Mud").click()
        page.get_by_role("slider", name="Mud, share").press("ArrowRight")
        retry(lambda: "'share': 36" in str(self.recipe().get("response.covers", {})))
        self.assertGreater(np.abs(self.layer("roughness").astype(int) - before).mean(), 3)
        page.get_by_label("Mud lies on it").click()
        retry(lambda: "'on': False" in str(self.recipe().get("response.covers", {})))
        np.testing.assert_array_equal(self.layer("roughness"), before)
        page.get_by_role("button", name="Paint").first.click()
        page.get_by_role("button", name="Paint").last.click()
        self.click_in_view("brush", (0.45, 0.5), (0.55, 0.5))
        retry(lambda: "strokes" in str(self.recipe().get("response.on_roughness", {})))
        self.assertEqual(int(self.layer("roughness")[256, 256]), 128)
        page.locator("ul[aria-label=Strokes] button[aria-pressed]").click()
        page.keyboard.press("ArrowDown")
        page.get_by_label("Take stroke 1 back").click()
        retry(lambda: "response.on_roughness" not in self.recipe())
        # A pen that is pressed harder and harder draws a stroke that widens.
        box = page.locator("[data-testid=brush]").bounding_box()
        pen = page.context.new_cdp_session(page)
        for number, kind in enumerate(("mousePressed", "mouseMoved", "mouseMoved", "mouseReleased")):
            place = {"x": box["x"] + (0.42 + 0.05 * number) * box["width"], "y": box["y"] + 0.5 * box["height"]}
            force = 0.25 * (number + 1)
            pen.send("Input.dispatchMouseEvent", {"type": kind, **place, "button": "left", "buttons": 1, "force": force,
                     "pointerType": "pen", "clickCount": 1})  # fmt: skip
        retry(lambda: "pressure" in str(self.recipe().get("response.on_roughness", {})))
        pressed = self.recipe()["response.on_roughness"]["strokes"][0]["pressure"]
        self.assertEqual((pressed[0], pressed[-1]), (0.25, 0.75))

    def test_fine_relief_of_the_normal_is_given_to_the_height(self) -> None:
        page = self.page
        self.stage("Relief")
        slider = page.get_by_role("slider", name="Crispness", exact=True)
        for _ in range(8):
            slider.press("ArrowRight")
        retry(lambda: self.recipe().get("relief.normal", {}).get("crispness") == 40)
        normal, height = (self.layer(name).astype(int) for name in ("normal", "height"))
        page.get_by_role("button", name="Give fine relief to the height").click()
        retry(lambda: self.recipe().get("relief.held", {}).get("crispness") == 40)
        self.assertFalse(self.recipe().get("relief.normal", {}).get("crispness"))
        # The normal is what it was; the height has what only the normal showed.
        self.assertLess(np.abs(self.layer("normal").astype(int) - normal).mean(), 0.6)
        self.assertGreater(np.abs(self.layer("height").astype(int) - height).mean(), 0.5)
        page.get_by_role("button", name="Held by the height").wait_for()
        page.keyboard.press("Control+z")
        retry(lambda: self.recipe().get("relief.normal", {}).get("crispness") == 40)
        self.assertNotIn("relief.held", self.recipe())

    def test_relief_tells_why_and_turns_round(self) -> None:
        page = self.page
        self.stage("Relief")
        retry(lambda: len(page.locator("[data-testid=reason]").inner_text()) > 40)
        old = self.shown()
        page.get_by_role("button", name="Swap bumps and dents").click()
        swapped = self.wait_for_new(old)
        page.get_by_label("Kind of surface").click()
        page.get_by_role("option", name="Broken rock").click()
        self.wait_for_new(swapped)
        self.assertEqual(self.recipe()["relief.height"]["steepness"], 0.9)
        page.get_by_role("button", name="Pin", exact=True).click()
        retry(lambda: "pinned" in self.recipe().get("relief.occlusion", {}))
        page.get_by_label("Show both views").click()
        page.get_by_label("What").nth(1).click()
        page.get_by_role("option", name="Roughness", exact=True).click()
        page.get_by_label("Compare with the second view").click()
        page.get_by_role("option", name="Difference").click()
        page.locator("[data-testid=compared] >> text=rms").wait_for()

    def test_a_snapshot_is_kept_compared_and_gone_back_to(self) -> None:
        page = self.page
        self.stage("Response")
        page.get_by_role("button", name="Snapshots").click()
        page.get_by_label("Name of the snapshot").fill("Before")
        page.get_by_role("button", name="Keep", exact=True).click()
        page.locator("ul[aria-label='Snapshots there are'] li").wait_for()
        page.keyboard.press("Escape")
        centre = page.get_by_role("slider", name="Centre")
        centre.focus()
        for _ in range(4):
            centre.press("ArrowLeft")
        retry(lambda: "response.roughness" in self.recipe())
        page.get_by_role("button", name="Snapshots").click()
        page.get_by_role("button", name="Compare", exact=True).click()
        page.keyboard.press("Escape")
        page.wait_for_selector("[data-testid=compared]:has-text('Before')")
        page.wait_for_selector("[data-testid=compared]:has-text('rms')")
        page.get_by_role("button", name="Snapshots").click()
        page.get_by_role("button", name="Go back").click()
        retry(lambda: "response.roughness" not in self.recipe())
        page.keyboard.press("Escape")
        page.reload()
        page.get_by_role("button", name="Snapshots").click()
        page.wait_for_selector("text=Before")
        page.get_by_label("Take Before away").click()
        retry(lambda: page.locator("ul[aria-label='Snapshots there are'] li").count() == 0)
