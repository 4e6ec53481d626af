"""The page in German: nothing stays English but names, and what is typed is read as it is written there."""

from __future__ import annotations

import unittest
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.server import PATIENCE, BrowserTest
from tests.support import encoded, photograph

STAGES = ("gather", "square", "even", "tile", "relief", "response", "check", "pack")
# Names of formats, files and roles of files, which are the same everywhere.
_NAMES = {"PNG", "orm", "srgb", "gravel.png", "Kies_am_Fuß.zip", "Kies am Fuß", "Deutsch", "English"}


class LanguageTest(BrowserTest):
    def german(self, **options: Any) -> Page:
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, locale="de-DE", **options)
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE)
        page = context.new_page()
        page.on("pageerror", lambda error: self.trouble.append(str(error)))
        return page

    def material(self) -> str:
        made = self.server.ask("/api/materials?file=gravel.png&name=Metal", data=encoded(photograph("gravel"))).json
        changes = {"square.size.width": 256, "square.size.height": 256, "tile.join.method": "cut"}
        path = f"/api/materials/{made['id']}/recipe"
        self.server.ask(path, data={"revision": made["revision"], "changes": changes}, method="PATCH")
        self.server.ask(f"/api/materials/{made['id']}", data={"name": "Metal"}, method="PATCH")
        return str(made["id"])

    def test_every_stage_is_said_in_german(self) -> None:
        id, page, left = self.material(), self.german(), set[str]()
        page.goto(self.server.address)
        page.get_by_role("button", name="Aufnahmen hinzufügen").wait_for()
        self.assertEqual(page.evaluate("document.documentElement.lang"), "de")
        left |= set(page.evaluate("() => [...unsaid]"))
        for stage in STAGES:
            page.goto(f"{self.server.address}m/{id}/{stage}")
            page.wait_for_function("() => document.querySelector('[data-testid=doing]')?.textContent === ''")
            page.wait_for_timeout(1500)
            left |= set(page.evaluate("() => [...unsaid]"))
        self.assertEqual({text for text in left if text not in _NAMES and not text.endswith(".zip")}, set())
        # A name is nobody's word: a material called so stays so, where a map is said otherwise.
        expect(page.get_by_role("button", name="Metal", exact=True)).to_have_text("Metal")
        self.assertEqual(page.title(), "Metal, Packen · Amber Thicket")

    def test_numbers_are_shown_and_read_as_they_are_written_there(self) -> None:
        id, page = self.material(), self.german()
        page.goto(f"{self.server.address}m/{id}/response")
        field = page.get_by_label("Mitte, Wert")
        expect(field).to_have_value("0,70")
        field.fill("0,45")
        field.press("Enter")
        page.wait_for_function("() => document.querySelector('[data-testid=doing]')?.textContent === ''")
        expect(field).to_have_value("0,45")
        recipe = self.server.ask(f"/api/materials/{id}").json["recipe"]["operations"]
        self.assertEqual(recipe["response.roughness"]["centre"], 0.45)

    def test_another_language_is_chosen_and_kept(self) -> None:
        page = self.german()
        page.goto(self.server.address)
        page.get_by_role("button", name="Sprache").click()
        page.get_by_role("menuitemradio", name="English").click()
        page.get_by_role("button", name="Add captures").wait_for()
        page.reload()
        page.get_by_role("button", name="Add captures").wait_for()
        self.assertEqual(page.evaluate("document.documentElement.lang"), "en")


if __name__ == "__main__":
    unittest.main()
