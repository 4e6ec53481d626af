"""The job in Firefox, as Debian offers it: what Chromium shows is not all that people use.

What WebDriver BiDi does not drive, and so is not tried here: files that are dropped on the page, downloads to a folder, and how
hard a pen is pressed.
"""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from tests.browser.firefox import FIREFOX, Firefox
from tests.browser.test_access import AXE
from tests.program import Program
from tests.support import encoded, photograph, retry

_SLIDER = (
    "[...document.querySelectorAll('[role=slider]')].find((e) => e.getAttribute('aria-label') === 'Overlap across')"
)
_VIEW = "document.querySelector('[data-testid=view-first] canvas')"


@unittest.skipUnless(FIREFOX, "Firefox is not there: apt-get install -y firefox-esr")
class FirefoxTest(unittest.TestCase):
    server: Program
    browser: Firefox

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.server = Program(cls.folder / "data")
        cls.server.start()
        cls.addClassCleanup(lambda: cls.server.kill())
        cls.browser = Firefox()
        cls.addClassCleanup(lambda: cls.browser.close())

    def tearDown(self) -> None:
        # Debian's Firefox offers no WebGL where there is no graphics card.
        self.assertEqual([line for line in self.browser.trouble if "WebGL" not in line], [])
        self.browser.trouble.clear()

    def material(self, name: str = "gravel") -> str:
        made = self.server.ask(f"/api/materials?file={name}.png", data=encoded(photograph(name))).json
        changes = {"square.size.width": 256, "square.size.height": 256, "tile.join.method": "cut"}
        path = f"/api/materials/{made['id']}/recipe"
        self.server.ask(path, data={"revision": made["revision"], "changes": changes}, method="PATCH")
        return str(made["id"])

    def test_from_a_file_to_the_zip(self) -> None:
        browser = self.browser
        photo = self.folder / "gravel.png"
        photo.write_bytes(encoded(photograph("gravel")))
        browser.open(self.server.address)
        browser.until("document.querySelector('input[type=file]')")
        browser.bring("document.querySelector('input[type=file]')", photo)
        browser.until("document.querySelector('nav[aria-label=Stages]')")
        self.assertRegex(browser.look("location.pathname"), r"^/m/[\w-]+/gather$")
        browser.until(f"{_VIEW}?.dataset.shown")
        # What is seen is the photograph: as many tones as it has, not one.
        tones = browser.look(
            f"((c) => new Set(c.getContext('2d').getImageData(c.width / 2 - 40, c.height / 2 - 40, 80, 80).data).size)({_VIEW})"
        )
        self.assertGreater(tones, 60)
        browser.keys("8")
        browser.until("document.querySelector('aside h2')?.textContent.includes('Pack')")
        browser.click("document.querySelector('[data-guided=pack]')")
        browser.until("document.querySelector('a[download$=\".zip\"]')")
        length = browser.look(
            "fetch(document.querySelector('a[download$=\".zip\"]').href).then((r) => r.blob()).then((b) => b.size)"
        )
        self.assertGreater(length, 100_000)

    def test_a_slider_by_mouse_and_keys_and_undo(self) -> None:
        browser, id = self.browser, self.material()
        browser.open(f"{self.server.address}m/{id}/tile")
        browser.until(f"{_VIEW}?.dataset.shown")
        before = browser.look(f"{_SLIDER}.getAttribute('aria-valuenow')")
        shown = browser.look(f"{_VIEW}.dataset.shown")
        x, y = browser.place(_SLIDER)
        browser.drag((x, y), (x + 20, y), (x + 45, y))
        after = browser.look(f"{_SLIDER}.getAttribute('aria-valuenow')")
        self.assertGreater(float(after), float(before))
        # The picture follows.
        browser.until(f"{_VIEW}.dataset.shown !== {shown!r}")
        browser.keys("ArrowRight")
        self.assertGreater(float(browser.look(f"{_SLIDER}.getAttribute('aria-valuenow')")), float(after))
        retry(lambda: float(self.overlap(id)) > float(after), 20)
        browser.click("[...document.querySelectorAll('button')].find((e) => e.textContent.trim() === 'Undo')")
        browser.until(f"{_SLIDER}.getAttribute('aria-valuenow') === {after!r}")

    def overlap(self, id: str) -> float:
        recipe = self.server.ask(f"/api/materials/{id}").json["recipe"]["operations"]
        return float(recipe.get("tile.join", {}).get("overlap_x", 0))

    def test_a_view_by_wheel_drag_and_finger(self) -> None:
        browser, id = self.browser, self.material()
        browser.open(f"{self.server.address}m/{id}/tile")
        browser.until(f"{_VIEW}?.dataset.shown")
        zoom = "document.querySelector('[data-testid=view-first] [aria-label^=Zoom]').textContent"
        before = browser.until(zoom)
        at = browser.place(_VIEW)
        browser.wheel(at, -240)
        browser.until(f"parseInt({zoom}) > parseInt({before!r})")
        # One finger held still reads the maps where it is.
        browser.drag(at, kind="touch")
        browser.drag(at, (at[0] + 2, at[1]))
        browser.until(
            "/Base \\d+ \\d+ \\d+/.test(document.body.textContent) || document.querySelector('[data-testid=readout]')"
        )

    def test_the_lit_view_or_what_it_wants(self) -> None:
        """Where there is no WebGL, the view says so, and everything else goes on."""
        browser, id = self.browser, self.material()
        browser.open(f"{self.server.address}m/{id}/relief")
        lit = browser.look("!!document.createElement('canvas').getContext('webgl2')")
        if lit:
            browser.until("document.querySelector('[data-testid=view-second] canvas')")
        else:
            browser.until("document.body.textContent.includes('WebGL 2')")

    def test_axe_finds_nothing_in_firefox_either(self) -> None:
        browser, id = self.browser, self.material()
        source = AXE.read_text("utf-8")
        for place in ("", f"m/{id}/tile", f"m/{id}/check", f"m/{id}/pack", "audit", "guide"):
            with self.subTest(place):
                browser.open(f"{self.server.address}{place}")
                browser.until("document.querySelector('h1')")
                browser.define(source)
                found = browser.look(
                    "axe.run(document, {resultTypes: ['violations']}).then((r) => r.violations.map((v) => v.id))"
                )
                self.assertEqual(found, [])


if __name__ == "__main__":
    unittest.main()
