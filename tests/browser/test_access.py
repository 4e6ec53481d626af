"""Everybody's hands: rules of accessibility on every screen and state, keys alone, fingers and pens."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.server import PATIENCE, BrowserTest
from tests.program import ROOT
from tests.support import encoded, photograph, retry, wall

# axe-core by Deque Systems, which checks the rules of WCAG 2.2 (W3C) and of ARIA authoring; from the npm registry.
AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
STAGES = ("gather", "square", "even", "tile", "relief", "response", "check", "pack")


class AccessTest(BrowserTest):
    def material(self, name: str = "gravel", **settings: Any) -> str:
        made = self.server.ask(f"/api/materials?file={name}.png", data=encoded(photograph(name))).json
        asked = {"square.size.width": 256, "square.size.height": 256, **settings}
        path = f"/api/materials/{made['id']}/recipe"
        self.server.ask(path, data={"revision": made["revision"], "changes": asked}, method="PATCH")
        return str(made["id"])

    def fresh(self, theme: str = "dusk", **options: Any) -> Page:
        """A page with axe in it, in a theme; its troubles count as those of the test's own page."""
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", **options)
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE)
        context.add_init_script(path=AXE)
        context.add_init_script(f"localStorage.setItem('theme', '{theme}')")
        page = context.new_page()
        page.on("pageerror", lambda error: self.trouble.append(str(error)))
        return page

    def found(self, page: Page, state: str) -> list[str]:
        """What axe finds wrong with what is shown now, of any level."""
        page.wait_for_timeout(250)
        told = page.evaluate("() => axe.run(document, {resultTypes: ['violations']})")
        return [
            f"{state}: {rule['id']} ({rule['impact']}): {json.dumps(node['target'])} {node['html'][:90]}"
            for rule in told["violations"]
            for node in rule["nodes"]
        ]

    def test_axe_finds_nothing_on_any_screen_in_either_theme(self) -> None:
        zone = {"id": "z1", "name": "Pale", "parts": [{"kind": "colour", "picks": ["#d0d0d0"]}]}
        id = self.material(**{"tile.join.method": "cut", "response.zones.zones": [zone]})
        batch = self.server.ask("/api/batches", data={"materials": [id], "suggested": "none"}).json["id"]
        retry(lambda: self.server.ask(f"/api/batches/{batch}").json["left"] == 0, 120)
        for theme in ("dusk", "day"):
            page = self.fresh(theme)
            wrong = [line for state in self.states(page, id, batch) for line in self.found(page, f"{theme} {state}")]
            self.assertEqual(wrong, [])

    def states(self, page: Page, id: str, batch: int) -> Iterator[str]:
        """Every screen, and what opens on it, one after the other."""

        def dialog(press: Callable[[], None], name: str, opened: str = "[role=dialog]") -> Iterator[str]:
            press()
            page.wait_for_selector(opened)
            yield name
            page.keyboard.press("Escape")
            page.wait_for_selector(opened, state="detached")

        page.goto(self.server.address)
        page.locator("[data-number]").first.wait_for()
        yield "library"
        yield from dialog(lambda: page.get_by_role("button", name="Add captures").click(), "kinds")
        page.get_by_role("button", name="Choose", exact=True).click()
        page.locator("[data-number]").first.get_by_role("checkbox").click()
        yield "choosing"
        several = page.get_by_label("Several materials")
        for button in ("Batch", "Carry settings", "Tags"):
            yield from dialog(several.get_by_role("button", name=button, exact=True).click, button)
        page.goto(f"{self.server.address}audit")
        page.wait_for_selector("h1")
        yield "audit"
        for place in ("words", "space", "guide", "guide/tile", f"batch/{batch}"):
            page.goto(f"{self.server.address}{place}")
            page.wait_for_selector("h1")
            page.wait_for_timeout(300)
            yield place
        page.get_by_role("link", name="Library").or_(page.get_by_role("button", name="Library")).first.wait_for()
        for stage in STAGES:
            page.goto(f"{self.server.address}m/{id}/{stage}")
            page.wait_for_selector(f"aside h2:has-text('{stage.capitalize()}')")
            page.locator("[data-testid=view-first] canvas").wait_for()
            yield stage
            page.evaluate(
                "() => document.querySelectorAll('aside button[data-state=closed]:not([aria-haspopup])')"
                ".forEach(fold => fold.click())"
            )
            yield f"{stage}, all open"
        page.get_by_text("Next:").first.wait_for()
        yield "next step"
        page.get_by_role("button", name="Why?").click()
        page.wait_for_selector("aside[aria-label=Guide] article")
        yield "guide beside"
        page.keyboard.press("Escape")
        yield from dialog(lambda: page.keyboard.press("?"), "keys")
        yield from dialog(page.get_by_role("button", name="Snapshots").click, "snapshots")
        yield from dialog(page.get_by_label("What").first.click, "list", "[role=listbox]")
        page.keyboard.press(",")
        page.keyboard.press(".")
        yield "folded"
        page.keyboard.press(",")
        page.keyboard.press(".")
        page.keyboard.press("w")
        yield "whole window"
        page.keyboard.press("w")
        # The lit view and what opens on it.
        page.goto(f"{self.server.address}m/{id}/relief?second=lit")
        page.get_by_role("button", name="Light and shape").wait_for()
        yield from dialog(page.get_by_role("button", name="Light and shape").click, "light and shape")
        page.set_viewport_size({"width": 640, "height": 400})
        page.wait_for_timeout(300)
        yield "at 200 %"
        page.keyboard.press(".")
        yield "at 200 %, settings"
        page.set_viewport_size({"width": 1280, "height": 800})
        page.goto(f"{self.server.address}guide")
        page.get_by_role("button", name="Show me the first job").click()
        page.get_by_label("First job", exact=True).wait_for()
        yield "first job"
        page.get_by_label("Leave the first job").click()

    def test_from_the_empty_library_to_the_zip_by_keys(self) -> None:
        page = self.page
        path = self.folder / "quay_wall.png"
        path.write_bytes(encoded(photograph("gravel")[:300, :300]))
        pressed = 0

        def press(*keys: str) -> None:
            nonlocal pressed
            for key in keys:
                page.keyboard.press(key)
                pressed += 1
                # Focus is never nowhere, also once what had it is gone.
                page.wait_for_function("() => document.activeElement !== document.body", timeout=PATIENCE)

        def focused() -> str:
            at = page.evaluate("() => document.activeElement.matches('body') ? '' : document.activeElement.textContent")
            return str(at)

        for material in self.server.ask("/api/library").json["cards"]:
            self.server.ask(f"/api/materials/{material['id']}/archive", data={})
        page.reload()
        page.get_by_text("Bring in a surface").wait_for()
        press("Tab", "Enter")
        self.assertIn("Choose what to bring", focused())
        with page.expect_file_chooser() as chooser:
            press("Enter")
            retry(lambda: focused().startswith("Photographs"), 10)
            press("Enter")
        chooser.value.set_files(str(path))
        page.wait_for_selector("nav[aria-label=Stages]")
        retry(lambda: "what comes next" in focused(), 10)
        press("Enter")
        # What the material needs is done, or left as it is where somebody would have to look, until it can be packed.
        step, words = page.get_by_label("Next step", exact=True), [""]
        for _ in range(8):
            retry(lambda: step.locator("button:focus").count() == 1 and step.inner_text() != words[-1], 60)
            # What is worked out meanwhile has come.
            page.wait_for_timeout(500)
            retry(lambda: step.locator("button:focus").count() == 1, 60)
            words.append(step.inner_text())
            if "Pack it" in focused():
                break
            press(*(("Tab", "Enter") if re.match("See|Look", focused()) else ("Enter",)))
        press("Enter")
        retry(lambda: "Save it" in focused(), 60)
        with page.expect_download() as saved:
            press("Enter")
        self.assertRegex(saved.value.suggested_filename, r"quay_wall.*\.zip")
        self.assertLessEqual(pressed, 25)
        press("g")
        page.locator("[data-number]").first.wait_for()
        retry(lambda: page.evaluate("() => document.activeElement !== document.body"), 10)

    def test_a_view_by_arrows(self) -> None:
        id = self.material(**{"tile.join.method": "cut"})
        page = self.page
        page.goto(f"{self.server.address}m/{id}/tile?first=base_color.single")
        self.shown()
        view = page.get_by_test_id("view-first")
        view.focus()
        # A crosshair in the middle to begin with, moved by arrows, finely with Shift; its values are read.
        page.keyboard.press("ArrowRight")
        place = page.locator("footer span").filter(has_text=re.compile(r"^\d+, \d+ px")).first
        place.wait_for()
        first = [int(n) for n in re.findall(r"\d+", place.inner_text())[:2]]
        page.keyboard.press("ArrowRight")
        retry(lambda: int(re.findall(r"\d+", place.inner_text())[0]) > first[0] + 4)
        far = int(re.findall(r"\d+", place.inner_text())[0])
        # A pixel of the screen is less than one of the map here.
        for _ in range(3):
            page.keyboard.press("Shift+ArrowLeft")
        retry(lambda: int(re.findall(r"\d+", place.inner_text())[0]) < far)
        self.assertGreater(int(re.findall(r"\d+", place.inner_text())[0]), far - 4)
        expect(page.locator("footer [role=status]")).to_contain_text("roughness", timeout=PATIENCE)
        # Plus zooms at it, f fits again.
        zoom = view.locator("button[aria-label^=Zoom]")
        before = zoom.inner_text()
        page.keyboard.press("+")
        page.keyboard.press("+")
        self.assertNotEqual(zoom.inner_text(), before)
        page.keyboard.press("f")
        expect(zoom).to_have_text(before)
        # A stroke: the brush goes down, moves, and is taken up.
        page.keyboard.press("o")
        page.get_by_test_id("brush").wait_for()
        view.focus()
        page.keyboard.press(" ")
        for _ in range(4):
            page.keyboard.press("ArrowDown")
        page.keyboard.press(" ")
        retry(lambda: len(self.operations(id).get("tile.join", {}).get("excluded", [])) == 1)
        points = self.operations(id)["tile.join"]["excluded"][0]["points"]
        self.assertGreater(points[-1][1], points[0][1] + 0.02)
        self.assertAlmostEqual(points[-1][0], points[0][0], delta=0.01)
        # Enter picks: white is where it is told to be.
        page.keyboard.press("Escape")
        page.keyboard.press("1")
        page.get_by_role("button", name="Neutral patch").click()
        view.focus()
        with page.expect_response(lambda told: "/neutral" in told.url) as told:
            page.keyboard.press("Enter")
        self.assertEqual(told.value.status, 200)

    def operations(self, id: str) -> dict[str, Any]:
        found: dict[str, Any] = self.server.ask(f"/api/materials/{id}").json["recipe"]["operations"]
        return found

    def test_fingers_and_a_pen(self) -> None:
        id = self.material(**{"tile.join.method": "cut"})
        page = self.fresh(has_touch=True)
        page.goto(f"{self.server.address}m/{id}/tile?first=base_color.single")
        view = page.get_by_test_id("view-first")
        canvas = view.locator("canvas")
        page.wait_for_function("c => c.dataset.shown", arg=canvas.element_handle())
        box = view.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        hand = page.context.new_cdp_session(page)

        def touch(kind: str, *at: tuple[float, float]) -> None:
            points = [{"x": px, "y": py, "id": n} for n, (px, py) in enumerate(at)]
            hand.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        zoom = view.locator("button[aria-label^=Zoom]")

        def percent() -> int:
            return int(zoom.inner_text().split()[0])

        # Two fingers twice as far apart: about twice as large; then both aside: the same size, elsewhere.
        before = percent()
        touch("touchStart", (x - 40, y))
        touch("touchStart", (x - 40, y), (x + 40, y))
        for far in (50, 60, 70, 80):
            touch("touchMove", (x - far, y), (x + far, y))
        touch("touchEnd")
        retry(lambda: abs(percent() - 2 * before) <= 0.2 * before)
        size = percent()
        touch("touchStart", (x - 40, y))
        touch("touchStart", (x - 40, y), (x + 40, y))
        touch("touchMove", (x - 10, y), (x + 70, y))
        touch("touchEnd")
        self.assertLessEqual(abs(percent() - size), 2)
        # One finger held still points: values are read.
        touch("touchStart", (x, y))
        page.locator("footer span").filter(has_text=re.compile(r"^\d+, \d+ px")).first.wait_for()
        touch("touchEnd")
        # What is pressed is large enough for a finger: WCAG 2.2, 2.5.8 asks 24 px, the trade 40 (common practice).
        tall = page.evaluate(
            "() => [...document.querySelectorAll('button, [role=switch], [role=slider], input')]"
            ".map(e => [e.getBoundingClientRect(), e]).filter(([r]) => r.width > 1 && r.height > 1)"
            ".map(([r, e]) => [Math.min(r.width, r.height), e.outerHTML.slice(0, 80)])"
        )
        self.assertTrue(page.evaluate("() => matchMedia('(pointer: coarse)').matches"))
        self.assertEqual([one for one in tall if one[0] < 39.5], [])
        # A pen draws as hard as it is pressed; its other end takes the stroke back.
        page.keyboard.press("f")
        page.keyboard.press("o")
        brush = page.get_by_test_id("brush")
        brush.wait_for()
        self.pen(page, [(0.5, 0.4), (0.5, 0.5), (0.5, 0.6)], button=0, pressure=0.4)
        retry(lambda: len(self.operations(id).get("tile.join", {}).get("excluded", [])) == 1)
        stroke = self.operations(id)["tile.join"]["excluded"][0]
        self.assertEqual({round(one, 1) for one in stroke["pressure"]}, {0.4})
        self.pen(page, [(0.2, 0.2), (0.25, 0.2)], button=5, pressure=0.5)
        self.pen(page, [(0.45, 0.5), (0.5, 0.5), (0.55, 0.5)], button=5, pressure=0.5)
        retry(lambda: not self.operations(id).get("tile.join", {}).get("excluded"))
        self.assertEqual(self.server.ask(f"/api/materials/{id}").json["undo"], "Leave out erased")

    def pen(self, page: Page, places: list[tuple[float, float]], *, button: int, pressure: float) -> None:
        """Strokes of a pen over the brush's room, as shares of it. button: as Pointer Events number the ends of a pen."""
        page.evaluate(
            """([places, button, pressure]) => {
              const pad = document.querySelector('[data-testid=brush]');
              const box = pad.getBoundingClientRect();
              const send = (kind, [x, y], buttons) => pad.dispatchEvent(new PointerEvent(kind, {
                bubbles: true, cancelable: true, pointerType: 'pen', pointerId: 7, isPrimary: true, pressure, button,
                buttons, clientX: box.left + x * box.width, clientY: box.top + y * box.height }));
              const held = button === 5 ? 32 : 1;
              send('pointerdown', places[0], held);
              return new Promise((done) => {
                let i = 0;
                const next = () => {
                  if (i < places.length) { send('pointermove', places[i++], held); setTimeout(next, 40); }
                  else { send('pointerup', places.at(-1), 0); done(); }
                };
                setTimeout(next, 40);
              });
            }""",
            [places, button, pressure],
        )

    def test_addresses_titles_and_going_back(self) -> None:
        id, page = self.material(**{"tile.join.method": "cut"}), self.page
        page.goto(f"{self.server.address}m/{id}")
        page.wait_for_selector("aside h2:has-text('Gather')")
        expect(page).to_have_title("gravel, Gather · Amber Thicket")
        self.stage("Tile")
        expect(page).to_have_url(re.compile(rf"/m/{id}/tile$"))
        page.get_by_label("How").first.get_by_text("Single").click()
        expect(page).to_have_url(re.compile(r"first=base_color\.single"))
        address = page.url
        self.stage("Check")
        expect(page).to_have_title("gravel, Check · Amber Thicket")
        page.go_back()
        page.wait_for_selector("aside h2:has-text('Tile')")
        expect(page).to_have_url(address)
        # Another browser sees the same.
        other = self.fresh()
        other.goto(address)
        other.wait_for_selector("aside h2:has-text('Tile')")
        expect(other.locator("[data-testid=view-first]")).to_have_attribute(
            "aria-label", re.compile("Base colour, single")
        )
        # A finding is opened at its place.
        finding = next(
            one for one in self.server.ask(f"/api/materials/{id}/checks").json["findings"] if one["level"] != "pass"
        )
        asked = f"{finding['rule']}/{finding['map']}" if finding["map"] else finding["rule"]
        other.goto(f"{self.server.address}m/{id}/check?finding={asked}")
        opened = other.locator(f"[data-rule='{finding['rule']}'] button[aria-expanded=true]")
        opened.wait_for(timeout=PATIENCE)
        answer = page.goto(f"{self.server.address}m/{id}/paint")
        assert answer
        self.assertEqual(answer.status, 404)
        page.get_by_text("nothing at this address").wait_for()
        self.trouble = [line for line in self.trouble if "404" not in line]

    def test_the_program_goes_away_and_comes_back(self) -> None:
        id, page = self.material(**{"tile.join.method": "cut"}), self.page
        page.goto(f"{self.server.address}m/{id}/tile")
        self.shown()
        page.evaluate("() => navigator.serviceWorker.ready.then(() => true)")
        self.server.options = (*self.server.options, "--port", str(self.server.port))
        self.server.kill()
        page.get_by_text("The program cannot be reached.").wait_for()
        page.reload(wait_until="commit")
        page.get_by_text("opens again by itself").wait_for()
        self.server.start()
        page.wait_for_selector("aside h2:has-text('Tile')")
        self.trouble.clear()

    def test_words_and_the_guide_beside_the_pictures(self) -> None:
        made = self.server.ask("/api/materials?file=wall.png", data=encoded((wall(300) * 255).astype("uint8"))).json
        page = self.page
        page.goto(f"{self.server.address}m/{made['id']}/relief")
        page.wait_for_selector("aside h2:has-text('Relief')")
        page.locator("[data-setting] >> text=Height").first.hover()
        page.get_by_role("tooltip").filter(has_text="white is high").wait_for()
        page.mouse.move(640, 790)
        page.get_by_role("button", name="Why?").click()
        guide = page.get_by_role("complementary", name="Guide")
        guide.get_by_role("heading", name="Relief", exact=True).wait_for()
        guide.get_by_label("Search the guide").fill("texel density")
        guide.get_by_role("button", name=re.compile("Words: texel density")).click()
        guide.get_by_role("heading", name="Words").wait_for()
        self.assertTrue(page.get_by_test_id("view-first").or_(page.get_by_test_id("view-second")).first.is_visible())
