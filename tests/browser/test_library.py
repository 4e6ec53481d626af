"""The library at work: looked through, chosen from, labelled, given settings, taken along."""

from __future__ import annotations

import json
import re
import zipfile
from typing import Any
from urllib.parse import quote

from playwright.sync_api import Locator, expect

from tests.browser.server import PATIENCE, BrowserTest
from tests.support import encoded, photograph, retry

# More than one part of the library, which comes in parts of 120.
COUNT = 126
GRAVEL = photograph("gravel")


class LibraryTest(BrowserTest):
    def add(self, name: str, number: int = 0, **settings: Any) -> dict[str, Any]:
        """A small capture of its own, brought in past the page."""
        x, y = number % 16 * 20, number // 16 * 20
        made = self.server.ask(
            f"/api/materials?file={quote(name)}.png", data=encoded(GRAVEL[y : y + 96, x : x + 96])
        ).json
        if settings:
            path = f"/api/materials/{made['id']}/recipe"
            told = self.server.ask(path, data={"revision": made["revision"], "changes": settings}, method="PATCH")
            self.assertEqual(told.status, 200)
        return made

    def recipe(self, id: str) -> dict[str, Any]:
        return self.server.ask(f"/api/materials/{id}").json["recipe"]["operations"]

    def card(self, name: str) -> Locator:
        return self.page.locator("[data-number]", has=self.page.get_by_text(name, exact=True))

    def search(self, words: str) -> None:
        self.page.get_by_label("Search").fill(words)

    def told(self, total: int) -> None:
        self.page.get_by_role("status").filter(has_text=re.compile(rf"^{total} materials?$")).wait_for()

    def test_many_are_looked_through_chosen_and_labelled(self) -> None:
        page = self.page
        for number in range(COUNT):
            self.add(f"{'roof' if number % 3 else 'wall'}_{number:03}_field", number)
        page.reload()
        self.search("field")
        self.told(COUNT)
        self.card("roof 125 field").wait_for()
        # Only what is in sight is there; the end of the list comes when it is gone to.
        self.assertLess(page.locator("[data-number]").count(), 60)
        self.card("roof 125 field").get_by_role("link").focus()
        page.keyboard.press("End")
        self.card("wall 000 field").wait_for()
        expect(self.card("wall 000 field").get_by_role("link")).to_be_focused()
        page.keyboard.press("ArrowLeft")
        expect(self.card("roof 001 field").get_by_role("link")).to_be_focused()
        page.keyboard.press(" ")
        page.keyboard.press("Shift+ArrowRight")
        page.get_by_text("2 chosen").wait_for()
        # From the top a range of five, all that are looked for, and a band over two cards.
        page.get_by_label("Choose no more").click()
        self.search("roof field")
        self.told(84)
        first, fifth = self.card("roof 125 field"), self.card("roof 119 field")
        first.hover()
        first.get_by_role("checkbox").click()
        fifth.get_by_role("checkbox").click(modifiers=["Shift"])
        page.get_by_text("5 chosen").wait_for()
        first.get_by_role("button", name="roof 125 field: As shot").focus()
        page.keyboard.press("Control+a")
        page.get_by_text("84 chosen").wait_for()
        page.get_by_label("Choose no more").click()
        box = self.card("roof 124 field").bounding_box()
        assert box
        page.mouse.move(box["x"] - 10, box["y"] - 10)
        page.mouse.down()
        page.mouse.move(box["x"] + 20, box["y"] + 40, steps=4)
        page.mouse.move(box["x"] + box["width"] + 60, box["y"] + 60, steps=4)
        page.mouse.up()
        page.get_by_text("2 chosen").wait_for()
        page.get_by_role("button", name="Tags").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Add: give tags").fill("slate")
        page.keyboard.press("Enter")
        dialog.get_by_label("Add: put into collections").fill("Harbour, winter")
        dialog.get_by_role("button", name="Keep").click()
        dialog.wait_for(state="detached")
        self.search("slate")
        self.told(2)
        self.search("field")
        page.get_by_label("Collection").click()
        page.get_by_role("option", name="winter (2)").click()
        self.told(2)
        page.get_by_role("button", name="Show all").click()
        self.search("field")
        self.told(COUNT)
        # Renamed in place, noted, and found by both.
        page.get_by_label("Choose no more").click()
        self.card("roof 125 field").get_by_role("link").focus()
        page.keyboard.press("F2")
        page.keyboard.type("Chapel roof")
        page.keyboard.press("Enter")
        self.card("Chapel roof").wait_for()
        self.card("Chapel roof").hover()
        page.get_by_label("More for Chapel roof").click()
        page.get_by_role("menuitem", name="Tags and notes").click()
        dialog.get_by_label("Notes").fill("shoot again when dry")
        dialog.get_by_role("button", name="Keep").click()
        dialog.wait_for(state="detached")
        self.search("again dry")
        self.told(1)
        # Twice, then both aside, then gone for good.
        page.get_by_label("More for Chapel roof").click()
        page.get_by_role("menuitem", name="Duplicate").click()
        self.told(2)
        page.get_by_role("checkbox", name="Choose Chapel roof copy").click()
        page.get_by_role("checkbox", name="Choose Chapel roof", exact=True).click()
        page.get_by_label("Several materials").get_by_role("button", name="Put aside").click()
        page.get_by_text("Nothing is like what is looked for.").wait_for()
        page.get_by_role("button", name="Put aside").click()
        self.told(2)
        page.get_by_role("checkbox", name="Choose Chapel roof", exact=True).click()
        page.get_by_role("checkbox", name="Choose Chapel roof copy").click()
        page.get_by_role("button", name="Delete for good").click()
        dialog.get_by_role("button", name="Delete for good").click()
        page.get_by_text("Nothing is put aside.").wait_for()

    def test_settings_are_carried_and_taken_back(self) -> None:
        page = self.page
        stroke = {"radius": 0.05, "points": [[0.5, 0.5]]}
        settings = {"even.light.amount": 35.0, "tile.join.method": "blend", "tile.join.excluded": [stroke]}
        self.add("Model wall", 1, **settings)
        others = [self.add(f"Other {number}", number + 2, **{"even.tone.saturation": 20.0}) for number in range(3)]
        page.reload()
        self.search("other")
        self.told(3)
        self.card("Other 0").get_by_role("link").focus()
        page.keyboard.press("Control+a")
        page.get_by_text("3 chosen").wait_for()
        page.get_by_role("button", name="Carry settings").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("From a material").fill("model")
        dialog.get_by_role("button", name="Model wall").click()
        # What is drawn stays, and says so; values are shown.
        drawn = dialog.locator("label", has_text="stays")
        self.assertEqual(drawn.get_attribute("title"), "it is drawn on this surface")
        expect(dialog.locator("label", has_text="Blend").get_by_role("checkbox")).to_be_enabled()
        dialog.get_by_label("Even", exact=True).check()
        dialog.get_by_label("Tile", exact=True).check()
        expect(dialog.get_by_alt_text("With these settings")).to_have_count(3)
        dialog.get_by_text("left out", exact=False).first.wait_for()
        dialog.get_by_role("button", name="Carry to 3").click()
        dialog.get_by_text("3 of 3 materials have settings of Model wall now").wait_for()
        for one in others:
            now = self.recipe(one["id"])
            # The stage as a whole: what was changed there and is as it comes here went back.
            self.assertEqual(now["even.light"], {"amount": 35.0})
            self.assertNotIn("even.tone", now)
            self.assertEqual(now["tile.join"], {"method": "blend"})
        dialog.get_by_role("button", name="Take it back in all of them").click()
        dialog.wait_for(state="detached")
        for one in others:
            self.assertEqual(self.recipe(one["id"])["even.tone"], {"saturation": 20.0})
            self.assertNotIn("tile.join", self.recipe(one["id"]))

    def test_a_batch_is_followed_and_what_needs_a_hand_is_opened(self) -> None:
        page = self.page
        # One that passes nothing unasked: its sizes are known, and its edges do not meet.
        torn = {"tile.join.method": "none", "square.size.width": 256, "square.size.height": 256}
        self.add("Batch one", 60, **torn)
        self.add("Batch two", 61, **{"square.size.width": 256, "square.size.height": 256})
        page.reload()
        self.search("batch")
        self.told(2)
        self.card("Batch one").get_by_role("link").focus()
        page.keyboard.press("Control+a")
        page.get_by_label("Several materials").get_by_role("button", name="Batch").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Take suggestions").click()
        page.get_by_role("option", name="None").click()
        dialog.get_by_label("Name").fill("Evening")
        dialog.get_by_role("button", name="Begin").click()
        page.get_by_role("heading", name="Batch: Evening").wait_for()
        page.get_by_role("link", name="All packs").wait_for()
        hand = page.get_by_role("region", name="Needs a hand")
        hand.get_by_text("Batch one").wait_for(timeout=PATIENCE)
        page.wait_for_function("() => !document.body.innerText.includes('To come')", timeout=PATIENCE)
        with page.expect_download() as download:
            page.get_by_role("link", name="All packs").click()
        path = self.folder / "packs.zip"
        download.value.save_as(path)
        with zipfile.ZipFile(path) as archive:
            self.assertEqual({name.split("/")[0] for name in archive.namelist()}, {"Batch_one", "Batch_two"})
        hand.get_by_role("button", name="See it in Check").click()
        page.wait_for_selector("h2:has-text('Check')")
        # Mended by hand, it is done again alone.
        id = self.open_material
        one = self.server.ask(f"/api/materials/{id}").json
        changes = {"tile.join.method": "blend"}
        self.server.ask(f"/api/materials/{id}/recipe", data={"revision": one["revision"], "changes": changes}, method="PATCH")  # fmt: skip
        page.goto(self.server.address)
        page.get_by_role("button", name="Batches").click()
        page.get_by_text("changed since it was packed").wait_for()
        page.get_by_role("button", name="Do what is missing (1)").click()
        page.wait_for_function("() => !document.body.innerText.includes('changed since')", timeout=PATIENCE)

        def states() -> dict[str, str]:
            found = self.server.ask("/api/library?words=batch").json["cards"]
            return {card["name"]: card["state"] for card in found}

        retry(lambda: states() == {"Batch one": "packed", "Batch two": "packed"}, 60)

    def test_a_start_and_a_bundle(self) -> None:
        page = self.page
        self.add("Quay stones", 40, **{"even.light.amount": 45.0, "pack.files.profile": "separate_y_minus"})
        page.reload()
        self.search("quay")
        self.card("Quay stones").hover()
        page.get_by_label("More for Quay stones").click()
        page.get_by_role("menuitem", name="Keep as a start").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Name").fill("Stones, overcast")
        dialog.get_by_role("button", name="Keep", exact=True).click()
        dialog.wait_for(state="detached")
        page.get_by_role("button", name="Add captures").click()
        page.get_by_label("Begin with").click()
        page.get_by_role("option", name="Stones, overcast").click()
        page.keyboard.press("Escape")
        self.bring(self.photo("brick"))
        id = self.open_material
        self.assertEqual(self.recipe(id)["even.light"], {"amount": 45.0})
        self.assertEqual(self.server.ask(f"/api/materials/{id}").json["undo"], "Begun with Stones, overcast")
        page.goto(self.server.address)
        self.search("quay")
        self.card("Quay stones").hover()
        page.get_by_label("More for Quay stones").click()
        with page.expect_download() as download:
            page.get_by_role("menuitem", name="Save all of it as a bundle").click()
        # Its name opens it, as its picture does.
        self.card("Quay stones").get_by_text("Quay stones", exact=True).click()
        page.wait_for_selector("nav[aria-label=Stages]")
        page.goto(self.server.address)
        path = self.folder / download.value.suggested_filename
        download.value.save_as(path)
        with zipfile.ZipFile(path) as archive:
            told = json.loads(archive.read("bundle.json"))
        self.assertEqual(told["history"][-1]["recipe"]["operations"]["even.light"], {"amount": 45.0})
        page.set_input_files("input[type=file]", str(path))
        page.wait_for_selector("nav[aria-label=Stages]")
        again = self.open_material
        self.assertEqual(self.recipe(again)["even.light"], {"amount": 45.0})
