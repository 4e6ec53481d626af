"""How long a person waits in the page: from a key on a slider to the new picture, and to the whole set."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright

from bench.timing import table
from tests.browser.server import ARGUMENTS, CHROMIUM, Server
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

MEASURE = """([label, key]) => new Promise((done) => {
  const canvas = document.querySelector('[data-testid=view-first] canvas');
  const old = canvas.dataset.shown, began = performance.now();
  document.querySelector(`[role=slider][aria-label="${label}"]`).focus();
  const look = () => canvas.dataset.shown !== old ? done(performance.now() - began) : requestAnimationFrame(look);
  document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey: true, bubbles: true, cancelable: true }));
  look();
})"""
QUIET = "() => !document.querySelector('[data-testid=doing]').textContent"


def run(_side: int) -> None:
    rows = []
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name, sync_playwright() as playwright:
        path = Path(name) / "gravel.png"
        path.write_bytes(encoded(photograph("gravel")))
        server = Server(Path(name) / "data")
        server.start()
        browser = playwright.chromium.launch(executable_path=CHROMIUM, headless=True, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(server.address)
        page.set_input_files("input[type=file]", str(path))
        page.wait_for_selector("nav[aria-label=Stages]")
        page.keyboard.press("v")
        for stage, slider, shown in CHANGES:
            page.click(f"nav button:has-text('{stage}')")
            if shown != "first":
                page.click("section[aria-label='First view'] button[aria-label=What]")
                page.click(f"[role=option]:has-text('{'Normal' if shown == 'normal' else 'Occlusion'}')")
            page.wait_for_selector(f"[role=slider][aria-label='{slider}']")
            waits = []
            for _ in range(14):
                page.wait_for_function(QUIET)
                page.wait_for_timeout(400)
                page.wait_for_function(QUIET)
                waits.append(page.evaluate(MEASURE, [slider, "ArrowLeft"]))
            waits = sorted(waits[2:])
            rows.append(
                [f"{stage}: {slider}", f"{statistics.median(waits):.0f} ms", f"{waits[int(len(waits) * 0.95)]:.0f} ms"]
            )
        browser.close()
        server.kill()
    table(
        "From a key on a slider to the stage's new picture on screen (768 preview, first view alone)",
        ["setting", "p50", "p95"],
        rows,
    )
