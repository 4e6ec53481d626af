"""Methods and brushes of Tile in the real page."""

from typing import Any

import cv2

from amber_thicket.core.numeric.colour import encode_srgb8
from tests.browser.server import PATIENCE, BrowserTest
from tests.pieces import piecewise
from tests.support import encoded, photograph, retry


class TileTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        codes = photograph("gravel").copy()
        cv2.circle(codes, (256, 256), 22, (190, 30, 20), -1)
        path = self.folder / "gravel.png"
        path.write_bytes(encoded(codes))
        self.bring(path)
        self.stage("Tile")

    def drag(self, *points: tuple[float, float], button: str = "left") -> None:
        """Over the brush's part of the first view; places in shares of its width and height."""
        box = self.page.locator("[data-testid=brush]").bounding_box()
        assert box
        for number, (x, y) in enumerate(points):
            self.page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"], steps=4)
            if number == 0:
                self.page.mouse.down(button=button)
        self.page.mouse.up(button=button)

    def recipe(self) -> dict[str, Any]:
        address = self.address
        return dict(self.page.request.get(address).json()["recipe"]["operations"])

    def strokes(self) -> list[str]:
        return self.page.locator("ul[aria-label=Strokes] li").all_inner_texts()

    def test_methods_with_progress_and_joins(self) -> None:
        page = self.page
        page.locator("section[aria-label=Suggestion] >> text=loose pieces").wait_for()
        page.locator("text=Stochastic is not offered").wait_for()
        self.assertEqual(page.get_by_role("radio", name="Stochastic").get_attribute("aria-disabled"), "true")
        old = self.shown("second")
        page.get_by_role("radio", name="Regrow").click()
        retry(lambda: "%" in page.locator("[data-testid=doing]").inner_text(), 30)
        grown = self.wait_for_new(old, "second")
        page.locator("section[aria-label='Does it tile'] td:text('Broken pieces')").wait_for()
        page.get_by_label("Show joins and pieces").click()
        page.locator("[data-testid=joins]").wait_for()
        page.get_by_role("radio", name="Strew").click()
        strewn = self.wait_for_new(grown, "second")
        page.locator("[data-setting='tile.join.turn']").wait_for()
        page.keyboard.press("Control+z")
        self.wait_for_new(strewn, "second")
        self.assertEqual(page.get_by_role("radio", name="Regrow").get_attribute("aria-checked"), "true")

    def test_left_out_moved_and_taken_back(self) -> None:
        page = self.page
        # The sample does not repeat, so a view that is set to be shifted shows it, and takes strokes, as it lies.
        page.locator("section[aria-label='First view'] >> text=Shifted >> visible=true").click()
        page.click("section[aria-label='First view'] button[aria-label=What]")
        page.click("[role=option]:has-text('Evened')")
        page.get_by_role("button", name="Leave out").click()
        page.locator("[data-testid=view-first][aria-label*=Evened]").wait_for()
        old = self.shown("second")
        self.drag((0.45, 0.5), (0.55, 0.5))
        left_out = self.wait_for_new(old, "second")
        self.assertEqual(len(self.strokes()), 1)
        (kept,) = self.recipe()["tile.join"]["excluded"]
        self.assertTrue(all(abs(x - 0.5) < 0.11 and abs(y - 0.5) < 0.11 for x, y in kept["points"]), kept)
        page.keyboard.press("Escape")
        page.locator("[data-testid=brush]").wait_for(state="detached")
        page.locator("ul[aria-label=Strokes] li button").first.click()
        self.drag((0.5, 0.5), (0.5, 0.4))
        moved = self.wait_for_new(left_out, "second")
        page.keyboard.press("Control+z")
        self.wait_for_new(moved, "second")
        self.assertEqual(len(self.strokes()), 1)
        page.get_by_role("button", name="Take Leave out back").click()
        retry(lambda: self.strokes() == [], 10)

    def test_repairs_by_stroke_and_outline_survive_a_reload(self) -> None:
        page = self.page
        page.get_by_role("button", name="Heal").click()
        shown = self.shown("second")
        self.drag((0.3, 0.45))
        self.drag((0.5, 0.5), (0.6, 0.52))
        shown = self.wait_for_new(shown, "second")
        page.get_by_role("button", name="Fill", exact=True).last.click()
        page.locator("[aria-label='Shape of the brush'] >> text=Outline").click()
        self.drag((0.3, 0.4), (0.4, 0.4), (0.4, 0.5), (0.3, 0.5))
        shown = self.wait_for_new(shown, "second")
        self.assertEqual([row.split()[0] for row in self.strokes()], ["Heal", "Fill"])
        self.drag((0.5, 0.6), (0.5, 0.7), button="middle")
        self.assertEqual(len(self.strokes()), 2, "the middle button moves the view")
        page.reload()
        retry(lambda: len(self.strokes()) == 2, 20)
        self.assertIn("outline", self.strokes()[1])


class EvenTest(BrowserTest):
    def test_curve_by_pointer_and_keys_and_clipping_marks(self) -> None:
        self.bring(self.photo("grass"))
        self.stage("Even")
        page = self.page
        page.get_by_role("button", name="Tone").click()
        curve = page.locator("section[aria-label='Tone curve'] svg")
        curve.locator("[aria-label='Tones counted']").wait_for()
        curve.scroll_into_view_if_needed()
        box = curve.bounding_box()
        assert box
        old = self.shown("first")
        x, y = box["x"] + 0.5 * box["width"], box["y"] + 0.5 * box["height"]
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y - 0.2 * box["height"], steps=4)
        page.mouse.up()
        lifted = self.wait_for_new(old, "first")
        point = page.get_by_role("slider", name="Point 2 of the curve")
        self.assertRegex(point.get_attribute("aria-valuetext") or "", r"50 % becomes (69|70|71) %")
        point.focus()
        page.keyboard.press("ArrowDown")
        lowered = self.wait_for_new(lifted, "first")
        page.get_by_label("Mark clipped pixels").click()
        page.locator("text=Amber is too bright").wait_for()
        point.press("Delete")
        self.wait_for_new(lowered, "first")
        retry(lambda: page.get_by_role("slider", name="of the curve").count() == 2, 10)


class FanningBricksTest(BrowserTest):
    def test_from_tile_to_square_and_back_to_whole_repeats(self) -> None:
        self.bring(self.photo("brick"))
        self.stage("Tile")
        page = self.page
        page.get_by_role("button", name="Find its corners").click()
        page.wait_for_selector("h2:has-text('Square')")
        page.get_by_role("button", name="Accept corners").click()
        self.stage("Tile")
        page.get_by_role("button", name="Use whole repeats").click()
        page.locator("section[aria-label=Suggestion] >> text=The tile holds 7 × 2 repeats").wait_for()
        told = page.locator("section[aria-label='Does it tile'] tr:has-text('Broken pieces') td").nth(2)
        retry(lambda: told.inner_text() == "0", 20)


class TileSetTest(BrowserTest):
    def test_a_set_is_made_laid_at_random_and_packed(self) -> None:
        path = self.folder / "gravel.png"
        path.write_bytes(encoded(photograph("gravel")[:300, :300]))
        self.bring(path)
        self.stage("Tile")
        page = self.page
        section = page.locator("section[aria-label='Tile set']")
        old = self.shown("second")
        with page.expect_response(lambda r: "tile=2" in r.url and r.ok, timeout=PATIENCE):
            section.locator("[data-setting='tile.tileset.count'] [role=slider]").press("ArrowRight")
        first = self.wait_for_new(old, "second")
        section.get_by_role("radio", name="2", exact=True).click()
        self.wait_for_new(first, "second")
        # A stroke is drawn on the tile that both are made of, and Escape goes back.
        with page.expect_response(lambda r: "tile=0" in r.url and r.ok, timeout=PATIENCE):
            page.get_by_role("button", name="Fill", exact=True).last.click()
        page.keyboard.press("Escape")
        self.stage("Pack")
        page.get_by_role("radio", name="Both").click()
        page.locator("text=One atlas a map: 2 × 1 tiles").wait_for()
        page.locator("text=gravel_2_base_color.png").wait_for()


class JointsTest(BrowserTest):
    def test_joints_are_suggested_shown_corrected_and_stepped_through(self) -> None:
        path = self.folder / "slabs.png"
        path.write_bytes(encoded(encode_srgb8(piecewise("crazy_paving", 3, 700)[0])))
        self.bring(path)
        self.stage("Tile")
        page = self.page
        page.locator("section[aria-label=Suggestion] >> text=none broken").wait_for()
        old = self.shown("second")
        page.get_by_label("Suggestion").get_by_role("button", name="Use joints").click()
        first = self.wait_for_new(old, "second")
        self.assertEqual(page.get_by_role("radio", name="Joints").get_attribute("aria-checked"), "true")
        page.locator("h3:text('Joints suits it')").wait_for()
        row = page.locator("section[aria-label='Does it tile'] tr:has-text('Broken pieces')")
        row.wait_for()
        retry(lambda: row.locator("td").nth(2).inner_text() == "0")
        # Another arrangement without laying anything anew.
        page.locator("[data-setting='tile.join.rank'] [role=slider]").press("ArrowRight")
        second = self.wait_for_new(first, "second")
        page.keyboard.press("Control+z")
        self.wait_for_new(second, "second")
        # Outlines of what was found, and a brush that makes pieces one.
        page.get_by_role("button", name="One piece").click()
        page.locator("text=each outline on the sample is a piece").wait_for()
        page.locator("[data-testid=joins]").wait_for()
        box = page.locator("[data-testid=brush]").bounding_box()
        assert box
        page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.3 * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 0.3 * box["height"], steps=5)
        page.mouse.up()
        page.locator("ul[aria-label=Strokes] >> text=One piece").wait_for()
        address = self.address

        def kept() -> list[Any]:
            return list(page.request.get(address).json()["recipe"]["operations"]["tile.join"].get("one_piece", ()))

        # The page shows a stroke before the server has kept it.
        retry(lambda: len(kept()) == 1)
