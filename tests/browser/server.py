"""A real browser in front of the real program."""

from __future__ import annotations

import atexit
import re
import shutil
import tempfile
import unittest
from functools import cache
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Locator, Page, expect, sync_playwright

from tests.program import Program
from tests.support import encoded, photograph

CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


# How long a test waits for what it waits for, in milliseconds: beside other tests on a slow machine all takes longer.
PATIENCE = 120_000
expect.set_options(timeout=PATIENCE)


@cache
def _browser() -> Browser:
    """The browser that all classes of a process share; each test has a profile of its own in it."""
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=CHROMIUM, headless=True, args=ARGUMENTS)
    atexit.register(playwright.stop)
    atexit.register(browser.close)
    return browser


# A canvas c shows a whole picture: half of a slow one comes before it.
_WHOLE = "c.dataset.shown && !c.dataset.shown.endsWith('/384')"


# The lit view shows what it is to show, whole, and nothing that would change it is under way: half a second long, since
# what an edit sets off begins one after the other.
_AT_REST = """() => {
  const lit = document.querySelector("[data-testid=lit]");
  const doing = document.querySelector("[data-testid=doing]");
  const rests = lit?.dataset.still && lit.dataset.waiting === "0" && doing?.textContent === "";
  if (!rests) window.restsSince = undefined;
  else window.restsSince ??= performance.now();
  return rests && performance.now() - window.restsSince > 500;
}"""


class BrowserTest(unittest.TestCase):
    """One server a class; a fresh page a test; no error in the page goes unseen."""

    browser: ClassVar[Browser]
    server: ClassVar[Program]

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.addClassCleanup(folder.cleanup)
        cls.server = Program(Path(folder.name))
        cls.server.start()
        cls.addClassCleanup(lambda: cls.server.kill())
        cls.browser = _browser()

    def setUp(self) -> None:
        # Still pages: what turns while somebody waits is drawn sixty times a second.
        context = self.browser.new_context(
            viewport={"width": 1280, "height": 800}, accept_downloads=True, reduced_motion="reduce"
        )
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE)
        self.page: Page = context.new_page()
        self.trouble: list[str] = []
        self.page.on("pageerror", lambda error: self.trouble.append(str(error)))
        self.page.on(
            "console",
            lambda m: (
                self.trouble.append(f"{m.text} {m.location.get('url', '')}")
                if m.type == "error" and "ERR_" not in m.text
                else None
            ),
        )
        self.page.on(
            "request",
            lambda r: (
                self.trouble.append(f"outside: {r.url}")
                if not r.url.startswith((self.server.address, "blob:", "data:"))
                else None
            ),
        )
        self.page.goto(self.server.address)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        # What a test brings along.
        self.folder = Path(folder.name)

    def photo(self, name: str) -> Path:
        """One of the real photographs as a file."""
        path = self.folder / f"{name}.png"
        path.write_bytes(encoded(photograph(name)))
        return path

    def tearDown(self) -> None:
        self.assertEqual(self.trouble, [])

    @property
    def open_material(self) -> str:
        """The id of the material that is open."""
        found = re.search(r"/m/([\w-]+)", self.page.url)
        assert found, self.page.url
        return found[1]

    @property
    def address(self) -> str:
        """Where the service tells of the material that is open."""
        return f"{self.server.address}api/materials/{self.open_material}"

    def bring(self, *paths: Path) -> None:
        """Import files of one material and wait for its bench."""
        self.page.set_input_files("input[type=file]", [str(path) for path in paths])
        self.page.wait_for_selector("nav[aria-label=Stages]")

    def stage(self, name: str) -> None:
        self.page.click(f"nav[aria-label=Stages] button:has-text('{name}')")
        self.page.wait_for_selector(f"h2:has-text('{name}')")

    def shown(self, side: str = "first") -> str:
        """The address of the picture a view shows, once there is a whole one."""
        canvas = self.page.locator(f"[data-testid=view-{side}] canvas")
        self.page.wait_for_function(f"c => {_WHOLE}", arg=canvas.element_handle())
        return canvas.get_attribute("data-shown") or ""

    def wait_for_lit(self) -> Locator:
        """The lit view, once it shows what it is to show, whole."""
        self.page.wait_for_function(_AT_REST, polling=50)
        return self.page.get_by_test_id("lit")

    def wait_for_new(self, old: str, side: str = "first") -> str:
        """The next whole picture of a view; half of it may come before."""
        canvas = self.page.locator(f"[data-testid=view-{side}] canvas")
        self.page.wait_for_function(
            f"([c, old]) => {_WHOLE} && c.dataset.shown !== old", arg=[canvas.element_handle(), old]
        )
        return canvas.get_attribute("data-shown") or ""
