"""The library with thousands of materials: a part of its cards, search, facets, all ids; time in the server."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from flask.testing import FlaskClient
from playwright.sync_api import sync_playwright

from amber_thicket.store import cards
from amber_thicket.store.models import Material, Step, using
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from bench.timing import table
from tests.browser.server import ARGUMENTS, CHROMIUM
from tests.program import Program

COUNT = 10_000
_TIMES = 7
_WORDS = [
    "slate",
    "cork",
    "copper",
    "render",
    "planks",
    "pebbles",
    "felt",
    "hide",
    "cobbles",
    "moss",
    "rust",
    "sand",
    "lime",
    "tar",
    "harbour",
    "quay",
    "wall",
    "roof",
    "winter",
    "wet",
    "dry",
    "north",
    "overcast",
]
_TAGS = ("roof", "ground", "wood", "metal", "cloth", "client A", "client B", "to shoot again")


def fill_library(count: int, seed: int = 1) -> None:
    """Materials with names, files, tags, notes and states as a studio has them, in the database in use."""
    rng = random.Random(seed)
    finding = {"level": "pass", "what": "sharpness", "measured": "1.2", "advice": "", "box": None}
    for number in range(count):
        words = rng.sample(_WORDS, 3)
        source = {
            "key": f"{number:016x}", "blob": f"{number:064x}", "file": f"IMG_{20260000 + number}_{words[0]}.jpg",
            "bytes": 9_000_000, "format": "jpeg", "width": 6000, "height": 4000, "bits": 8, "floating": False,
            "notes": [], "findings": [finding] * 12, "role": "photo", "why": "",
        }  # fmt: skip
        material = Material.create(
            name=" ".join(words), source=source, created=1.7e9 + number, archived=rng.random() < 0.05
        )
        first = Step.create(material=material, recipe={"version": 6, "operations": {}}, label="Imported")
        head = first
        if rng.random() < 0.7:
            head = Step.create(material=material, parent=first.id, recipe=first.recipe, label="Overlap")
        Material.update(head=head.id).where(Material.id == material.id).execute()
        material.head = head.id
        cards.sync_card(material, {})
        told = {"width_mm": rng.choice((0.0, 400.0, 1200.0)), "notes": " ".join(rng.choices(_WORDS, k=12))}
        if rng.random() < 0.6:
            told |= {"checked_head": head.id, "to_settle": rng.choice((0, 0, 3))}
        if rng.random() < 0.3:
            told |= {"packed_head": head.id}
        cards.Card.update(told).where(cards.Card.material == material.id).execute()
        for tag in rng.sample(_TAGS, 2):
            cards.Label.create(material=material, kind="tag", name=tag)


def _best(act: Callable[[], object]) -> tuple[float, float]:
    """(best, worst) seconds of several."""
    taken = []
    for _ in range(_TIMES):
        began = time.perf_counter()
        act()
        taken.append(time.perf_counter() - began)
    return min(taken), max(taken)


def _asked(client: FlaskClient, address: str) -> bytes:
    return client.get(address).get_data()


# Milliseconds from a scroll until every card in sight is there, and whether they fill the window.
_SEEN = """([to]) => new Promise((done) => {
  const list = document.querySelector('[data-number]').closest('.overflow-y-auto');
  const began = performance.now();
  list.scrollTop = to < 0 ? list.scrollHeight : to;
  const box = list.getBoundingClientRect();
  const look = () => {
    const shown = [...list.querySelectorAll('[data-number]')].filter((one) => {
      const at = one.getBoundingClientRect();
      return at.bottom > box.top && at.top < box.bottom;
    });
    const filled = list.scrollTop + list.clientHeight >= list.scrollHeight - 2
      || Math.max(...shown.map((one) => one.getBoundingClientRect().bottom)) >= box.bottom - 40;
    if (shown.length && filled && shown.every((one) => one.querySelector('a'))) done(performance.now() - began);
    else if (performance.now() - began > 10000) done(-1);
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(() => requestAnimationFrame(look));
})"""


def _scrolled(folder: Path) -> None:
    """Page by page through the list, then to its middle and its end, in a browser: when nothing in sight is missing."""
    program = Program(folder, "--no-worker")
    program.start()
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, headless=True, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(program.address)
            page.wait_for_selector("[data-number] a")
            places = [*range(600, 24_600, 600), 200_000, -1, 0]
            taken = [float(page.evaluate(_SEEN, [place])) for place in places]
            browser.close()
    finally:
        program.kill()
    step = sorted(taken[:-3])
    rows = [["page by page", f"{step[len(step) // 2]:.0f}", f"{step[-1]:.0f}"]]
    rows += [[name, f"{ms:.0f}", ""] for name, ms in zip(("middle", "end", "back"), taken[-3:], strict=True)]
    table("Milliseconds in the page until all cards in sight are there (-1: never), median and worst",
          ["scrolled", "median", "worst"], rows)  # fmt: skip


def run(side: int) -> None:
    """side is of no use here."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Config(Path(folder), worker=False))
        try:
            client = app.test_client()
            library = app.extensions["thicket"].library
            began = time.perf_counter()
            with using(library.database), library.database.atomic():
                fill_library(COUNT)
            print(f"{COUNT} materials written in {time.perf_counter() - began:.1f} s", flush=True)
            rows = []
            for name, address in {
                "first part": "/api/library",
                "part in the middle": "/api/library?first=5000",
                "last part, by name": "/api/library?first=9300&order=name",
                "by state": "/api/library?order=state",
                "search: a word": "/api/library?words=slate",
                "search: two words": "/api/library?words=slate%20wet",
                "search: part of a file's name": "/api/library?words=0260777",
                "search: two letters": "/api/library?words=sl",
                "search: nothing": "/api/library?words=zzzz",
                "to settle, tagged, 400 mm": "/api/library?state=to_settle&tags=roof&largest_mm=500",
                "facets": "/api/library/facets",
                "all ids": "/api/library/ids",
                "whole list (scripts)": "/api/materials",
            }.items():
                best, worst = _best(partial(_asked, client, address))
                rows.append([name, f"{1000 * best:.1f}", f"{1000 * worst:.1f}"])
                print(" ".join(rows[-1]), flush=True)
            table(f"Milliseconds in the server, {COUNT} materials, best and worst of {_TIMES}",
                  ["asked", "best", "worst"], rows)  # fmt: skip
        finally:
            app.extensions["thicket"].close()
        _scrolled(Path(folder))
