"""Takes the pictures of docs/screenshots from the demo library, with the program itself, so that they stay true.

`./run pictures` takes all of them, `./run pictures tile check` some; `--data FOLDER` uses a demo library there is.
"""

from __future__ import annotations

import argparse
import io
import tempfile
from collections.abc import Callable
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page, sync_playwright

from amber_thicket.demo.library import make_demo
from amber_thicket.service.sample_purchase import sample_zip
from tests.browser.server import ARGUMENTS, CHROMIUM
from tests.program import ROOT, Program
from tests.support import retry

FOLDER = ROOT / "docs" / "screenshots"
_SEES_LIT = ["--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"]
_PATIENCE = 180_000


class Camera:
    """A page on the demo library, and what it takes to see each view."""

    def __init__(self, program: Program, page: Page) -> None:
        self.program, self.page = program, page
        self.ids = {card["name"]: card["id"] for card in program.ask("/api/library").json["cards"]}

    def id(self, name: str) -> str:
        """The material whose name begins so."""
        return str(next(id for whole, id in self.ids.items() if whole.startswith(name)))

    def open(self, path: str) -> None:
        self.page.goto(f"{self.program.address}{path}")

    def bench(self, name: str, place: str) -> None:
        """A material at a stage, once all is worked out."""
        self.open(f"m/{self.id(name)}/{place}")
        self.page.wait_for_selector("aside h2")
        self.quiet()

    def quiet(self) -> None:
        """Waits until nothing is made any more, and what comes next is told."""
        self.page.wait_for_timeout(1500)
        self.page.wait_for_function(
            "() => document.querySelector('[data-testid=doing]')?.textContent === ''"
            " && !document.body.textContent.includes('Looking at what it needs')",
            timeout=_PATIENCE,
        )
        self.page.wait_for_timeout(1500)

    def library(self) -> None:
        self.open("")
        self.page.wait_for_selector("[data-number] img")
        self.page.wait_for_timeout(1500)

    def batch(self) -> None:
        self.open("batch/1")
        self.page.wait_for_selector("h2")
        self.page.wait_for_timeout(1500)

    def corners(self) -> None:
        roof = self.id("Slate shingles, south")
        # As it was photographed: nothing is taken yet. Undo brings it back.
        set_now = self.program.ask(f"/api/materials/{roof}").json["recipe"]["operations"].get("square.flat", {})
        if set_now:
            self.set(roof, dict.fromkeys([*(f"square.flat.{name}" for name in set_now), "square.lens.k1"]))
        self.bench("Slate shingles, south", "square?first=gathered.single")
        self.page.locator("aside").get_by_text("Corners", exact=True).first.click()
        self.page.get_by_role("button", name="Find them").click()
        self.quiet()
        if set_now:
            revision = self.program.ask(f"/api/materials/{roof}").json["revision"]
            self.program.ask(f"/api/materials/{roof}/undo", data={"revision": revision})

    def joins(self) -> None:
        self.bench("Deck planks", "tile?first=base_color.single")
        self.page.get_by_label("Show joins and pieces").click()
        self.quiet()

    def tile_set(self) -> None:
        self.set(self.id("Tide pebbles, slip"), {"tile.join.method": "regrow", "tile.tileset.count": 4})
        self.bench("Tide pebbles, slip", "tile?second=base_color.repeated.4")

    def by_eye(self) -> None:
        self.bench("Shell-lime render", "relief")
        self.page.get_by_role("button", name="Fit by eye").click()
        self.page.wait_for_timeout(9000)

    def response(self) -> None:
        self.bench("Verdigris copper", "response")
        self.page.locator("[aria-label=Shape]:visible").get_by_text("Ball").first.click()
        self.quiet()

    def words(self) -> None:
        self.open("words")
        self.page.get_by_role("textbox").first.fill("tarred felt, worn and dusty")
        self.page.get_by_role("button", name="Make").first.click()
        self.page.wait_for_function("() => document.querySelectorAll('main img').length >= 4", timeout=_PATIENCE)
        self.page.wait_for_timeout(1500)

    def audit(self) -> None:
        self.open("audit")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "harbour_grating.zip"
            path.write_bytes(sample_zip(1024))
            self.page.set_input_files("input[aria-label='Files to audit']", str(path))
            self.page.get_by_role("img", name="as found and repaired").wait_for(timeout=_PATIENCE)
        self.page.wait_for_timeout(2500)

    def set(self, id: str, changes: dict[str, object]) -> None:
        revision = self.program.ask(f"/api/materials/{id}").json["revision"]
        told = self.program.ask(
            f"/api/materials/{id}/recipe", data={"revision": revision, "changes": changes}, method="PATCH"
        )
        assert told.status == 200, told.json


def _steps(camera: Camera) -> dict[str, Callable[[], None]]:
    at = camera.bench
    return {
        "batch": camera.batch,
        "gather": lambda: at("Tide pebbles, slip", "gather"),
        "square": lambda: at("Cork board", "square"),
        "even": lambda: at("Shell-lime render", "even"),
        "tile": lambda: at("Coir matting", "tile?first=base_color.single"),
        "repair": lambda: at("Cork board", "tile?first=base_color.single"),
        "joins": camera.joins,
        "relief": lambda: at("Deck planks", "relief"),
        "by_eye": camera.by_eye,
        "response": camera.response,
        "lights": lambda: at("Embossed hide", "gather"),
        "cutout": lambda: at("Kelp frond", "tile"),
        "check": lambda: at("Deck planks", "check"),
        "pack": lambda: at("Coir matting", "pack"),
        "words": camera.words,
        "audit": camera.audit,
        "corners": camera.corners,
        "tile_set": camera.tile_set,
        "library": camera.library,
    }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*")
    parser.add_argument("--data", type=Path)
    parser.add_argument("--to", type=Path, default=FOLDER)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        data = options.data or Path(folder)
        make_demo(data)
        program = Program(data)
        program.start()
        try:
            _settle(program)
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=[*ARGUMENTS, *_SEES_LIT])
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.set_default_timeout(_PATIENCE)
                _take(Camera(program, page), options)
                browser.close()
        finally:
            program.kill()


def _settle(program: Program) -> None:
    """What is suggested for sure is taken, as whoever uses it would do in one evening."""
    if program.ask("/api/batches").json:
        return
    ids = [card["id"] for card in program.ask("/api/library").json["cards"]]
    batch = program.ask("/api/batches", data={"materials": ids, "suggested": "sure"}).json["id"]
    retry(lambda: program.ask(f"/api/batches/{batch}").json["left"] == 0, 1200)


def _take(camera: Camera, options: argparse.Namespace) -> None:
    for name, see in _steps(camera).items():
        if options.names and name not in options.names:
            continue
        try:
            see()
        except Exception as error:
            print(f"{name}: {error}", flush=True)
            continue
        picture = Image.open(io.BytesIO(camera.page.screenshot()))
        picture.convert("RGB").save(options.to / f"{name}.png", optimize=True)
        print(name, flush=True)


if __name__ == "__main__":
    main()
