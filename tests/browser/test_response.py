"""Relief and Response in the real page: the light's bearing, zones, covers, painting, comparing."""

import tempfile
from pathlib import Path

import cv2
import numpy as np

from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper
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
        address = self.page.url.replace("/m/", "/api/materials/")
        return self.page.request.get(address).json()["recipe"]["operations"]  # type: ignore[no-any-return]

    def layer(self, role: str) -> np.ndarray:
        """A map as the page's views get it, grey codes."""
        address = self.page.url.replace("/m/", "/api/materials/")
        key = self.page.request.get(address).json()["keys"][role]
        data = self.page.request.get(f"{address}/picture/{role}.png?key={key}").body()
        return np.asarray(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED))

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
        page.locator("ul[aria-label='Zones there are'] li").nth(1).wait_for()
        page.get_by_role("button", name="Brown").first.click()
        zone = page.locator("ul[aria-label='Zones there are'] li").nth(0)
        zone.get_by_role("button", name="Metallic").click()
        zone.get_by_role("button", name="Roughness").click()
        page.get_by_role("slider", name="Roughness, level").press("ArrowLeft")
        retry(lambda: "'level': 0.39" in str(self.recipe().get("response.on_roughness", {})))
        metal, rough = self.layer("metallic") > 128, self.layer("roughness")
        self.assertTrue(0.2 < metal.mean() < 0.8)
        self.assertLess(rough[metal].mean() + 40, rough[~metal].mean())
        page.get_by_label("Show Brown alone").click()
        old = self.shown()
        self.assertIn("zone:", old)
        # One step back takes the last change alone; taking the zone away takes all it changes.
        page.keyboard.press("Control+z")
        retry(lambda: "'level': 0.4" in str(self.recipe().get("response.on_roughness", {})))
        page.get_by_label("Take Brown away").click()
        retry(lambda: "response.on_metallic" not in self.recipe())
        page.keyboard.press("Control+z")
        retry(lambda: "response.on_metallic" in self.recipe())
        page.reload()
        self.stage("Response")
        page.get_by_role("button", name="Brown").first.wait_for()

    def test_a_zone_by_picked_colour_and_brush(self) -> None:
        page = self.page
        self.stage("Response")
        page.get_by_role("button", name="By colour").click()
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
