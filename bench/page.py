"""How long a person waits in the page: from a key on a slider to the new picture, and to the whole set."""

from __future__ import annotations

import statistics
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from amber_thicket.standins.capture_rig.camera import Shot
from amber_thicket.standins.capture_rig.camera import photograph as taken
from amber_thicket.standins.capture_rig.verdigris_copper import verdigris_copper
from bench.timing import table
from tests.browser.server import ARGUMENTS, CHROMIUM
from tests.program import Program
from tests.support import encoded, photograph

# Stage, slider, view's picture that must change.
CHANGES = (
    ("Even", "Large-scale light", "first"),
    ("Tile", "Overlap across", "first"),
    ("Relief", "Steepness", "first"),
    ("Relief", "Strength", "normal"),
    ("Relief", "Reach", "ambient_occlusion"),
    ("Response", "Centre", "first"),
)

# The layers a slider of a stage may change, in the order they are tried.
LAYERS = {
    "Even": ("Evened",),
    "Tile": ("Base colour",),
    "Relief": ("Height", "Normal", "Occlusion", "Curvature"),
    "Response": ("Roughness", "Metallic", "Base colour"),
}
SAMPLES = 5

# Milliseconds until the first view shows another picture, or −1 when it does not.
MEASURE = """([label, key]) => new Promise((done) => {
  const canvas = document.querySelector('[data-testid=view-first] canvas');
  const old = canvas.dataset.shown, began = performance.now();
  document.querySelector(`[role=slider][aria-label="${label}"]`).focus();
  const look = () => {
    const passed = performance.now() - began;
    if (canvas.dataset.shown !== old) done(passed);
    else if (passed > 3000) done(-1);
    else requestAnimationFrame(look);
  };
  document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey: true, bubbles: true, cancelable: true }));
  look();
})"""
# The key that moves a slider to where it has more room: at its end it would change nothing.
ROOM = """(label) => {
  const slider = document.querySelector(`[role=slider][aria-label="${label}"]`);
  const [now, low, high] = ["now", "min", "max"].map((end) => Number(slider.getAttribute(`aria-value${end}`)));
  return now - low < high - now ? "ArrowRight" : "ArrowLeft";
}"""
# Nothing is under way, and was not for a while: what follows a change is asked for one after the other.
QUIET = """() => {
  if (document.querySelector('[data-testid=doing]').textContent) window.busyAt = performance.now();
  return performance.now() - (window.busyAt ??= performance.now()) > 400;
}"""


@contextmanager
def opened() -> Iterator[Page]:
    """A page with the gravel photograph open in one view."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name, sync_playwright() as playwright:
        path = Path(name) / "gravel.png"
        path.write_bytes(encoded(photograph("gravel")))
        server = Program(Path(name) / "data")
        server.start()
        browser = playwright.chromium.launch(executable_path=CHROMIUM, headless=True, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(server.address)
        page.set_input_files("input[type=file]", str(path))
        page.wait_for_selector("nav[aria-label=Stages]")
        page.keyboard.press("v")
        try:
            yield page
        finally:
            browser.close()
            server.kill()


def _rest(page: Page) -> None:
    page.evaluate("() => { window.busyAt = performance.now(); }")
    page.wait_for_function(QUIET)


def _back(page: Page) -> None:
    """Undoes all there is, so that every slider is measured on the material as it came."""
    for _ in range(SAMPLES + 4):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(60)


def _show(page: Page, layer: str) -> None:
    page.click("section[aria-label='First view'] button[aria-label=What]")
    page.click(f"[role=option]:has-text('{layer}')")


def _with_zones(page: Page) -> None:
    """A second material: copper with two zones, of which one changes every map, and mud on it."""
    page.goto(page.url.split("/m/")[0])
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "copper.png"
        shot = Shot(sky=0.7, elevation=44)
        path.write_bytes(encoded(taken(verdigris_copper(1024, 5), shot, np.random.default_rng(1))))
        page.set_input_files("input[type=file]", str(path))
        page.wait_for_selector("nav[aria-label=Stages]")
    page.click("nav button:has-text('Response')")
    _rest(page)
    page.get_by_role("button", name="Suggest").click()
    # Suggested ones are looked at before they are taken.
    page.get_by_role("button", name="Take all").click()
    zone = page.locator("ul[aria-label='Zones there are'] li").first
    zone.wait_for()
    zone.get_by_role("button").first.click()
    for name in ("Metallic", "Roughness", "Tint", "Height"):
        zone.get_by_role("button", name=name).first.click()
        _rest(page)
    page.get_by_label("Lay something on").click()
    page.get_by_role("option", name="Mud").click()
    _rest(page)


def _told(name: str, waits: list[float]) -> list[str]:
    waits = sorted(waits)
    return [name, f"{statistics.median(waits):.0f} ms", f"{waits[int(len(waits) * 0.95)]:.0f} ms"]


def run(_side: int) -> None:
    rows = []
    with opened() as page:
        for stage, slider, shown in CHANGES:
            page.click(f"nav button:has-text('{stage}')")
            if shown != "first":
                _show(page, "Normal" if shown == "normal" else "Occlusion")
            page.wait_for_selector(f"[role=slider][aria-label='{slider}']")
            waits = []
            for _ in range(14):
                _rest(page)
                waits.append(page.evaluate(MEASURE, [slider, "ArrowLeft"]))
            rows.append(_told(f"{stage}: {slider}", waits[2:]))
    table(
        "From a key on a slider to the stage's new picture on screen (768 preview, first view alone)",
        ["setting", "p50", "p95"],
        rows,
    )


def sliders(_side: int) -> None:
    """Every slider of the four stages that make maps, slowest first; those of zones and covers as well."""
    rows, silent = [], []
    every: list[float] = []
    with opened() as page:
        for stage, layers in LAYERS.items():
            if stage == "Response":
                _with_zones(page)
            page.click(f"nav button:has-text('{stage}')")
            _rest(page)
            folds = page.locator("aside button.group[data-state=closed]")
            for _ in range(folds.count()):
                folds.first.click()
            left = [str(one.get_attribute("aria-label")) for one in page.locator("aside [role=slider]").all()]
            for layer in layers:
                if not left:
                    break
                _show(page, layer)
                for slider in list(left):
                    _rest(page)
                    key = page.evaluate(ROOM, slider)
                    # The first step tells whether the slider does anything; it is not counted.
                    if page.evaluate(MEASURE, [slider, key]) < 0:
                        continue
                    waits = []
                    for _ in range(SAMPLES):
                        _rest(page)
                        waits.append(page.evaluate(MEASURE, [slider, key]))
                    waits = [wait for wait in waits if wait >= 0]
                    every += waits
                    rows.append((statistics.median(waits), _told(f"{stage}: {slider}", waits)))
                    print(*rows[-1][1], sep=" | ", flush=True)
                    left.remove(slider)
                    if stage != "Response":
                        # Undo would take the zones away as well.
                        _back(page)
            silent += [f"{stage}: {slider}" for slider in left]
    table(
        "Every slider: from a key to the new picture of what it changes",
        ["setting", "p50", "p95"],
        [*(row for _, row in sorted(rows, reverse=True)), _told("all of them together", every)],
    )
    print("Change nothing as they stand:", ", ".join(silent) or "none")
