"""What the page does when things go wrong around it: no room, no stream, many pages; and what is deleted for good."""

import json

from playwright.sync_api import Route

from tests.browser.server import PATIENCE, BrowserTest
from tests.support import retry

FULL = {"title": "The disk of the data folder /srv/thicket is full: 0.0 MB are free.", "detail": "Make room there."}


class KeepingTest(BrowserTest):
    def material(self) -> str:
        return self.open_material

    def overlap(self, material: str) -> float:
        recipe = self.server.ask(f"/api/materials/{material}").json["recipe"]
        return recipe["operations"].get("tile.join", {}).get("overlap_x", 0)

    def test_changes_are_kept_while_there_is_no_room_and_saved_when_there_is(self) -> None:
        self.bring(self.photo("gravel"))
        self.stage("Tile")
        self.shown()
        problem = json.dumps(FULL)
        self.page.route(
            "**/recipe", lambda r: r.fulfill(status=507, content_type="application/problem+json", body=problem)
        )
        slider = self.page.locator("[data-setting='tile.join.overlap_x'] [role=slider]").first
        before = float(slider.get_attribute("aria-valuenow") or 0)
        slider.focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        alert = self.page.locator("[role=alert]")
        alert.wait_for()
        self.assertIn("/srv/thicket is full", alert.inner_text())
        wanted = float(slider.get_attribute("aria-valuenow") or 0)
        self.assertGreater(wanted, before)
        # Nothing is packed that is not saved.
        self.stage("Pack")
        self.page.click("text=Pack as zip")
        self.page.wait_for_timeout(500)
        self.assertEqual(self.page.locator("li[data-job]").count(), 0)
        self.page.unroute("**/recipe")
        alert.locator("text=Try now").click()
        alert.wait_for(state="detached")
        retry(lambda: self.overlap(self.material()) == wanted, 10)
        self.trouble[:] = [text for text in self.trouble if "507" not in text]

    def test_eight_pages_of_one_browser_all_hear_and_all_get_pictures(self) -> None:
        """A browser opens six connections to one address; one stream a page would leave the seventh nothing."""
        self.bring(self.photo("gravel"))
        address = self.page.url
        pages = [self.page.context.new_page() for _ in range(8)]
        for page in pages:
            page.goto(address)
            page.wait_for_selector("nav[aria-label=Stages]")
            page.wait_for_function("document.querySelector('[data-testid=view-first] canvas')?.dataset.shown")
        self.server.ask(f"/api/materials/{self.material()}", data={"name": "Shore gravel"}, method="PATCH")
        for page in [*pages, self.page]:
            page.wait_for_selector("text=Shore gravel", timeout=PATIENCE)

    def test_a_page_without_a_stream_asks_from_time_to_time(self) -> None:
        context = self.browser.new_context(viewport={"width": 1280, "height": 800})
        self.addCleanup(context.close)
        page = context.new_page()
        # Neither a stream of its own nor a shared one.
        page.add_init_script("delete window.SharedWorker")
        page.route("**/api/events", lambda route: route.fulfill(status=503, body="{}"))
        page.goto(self.server.address)
        page.wait_for_timeout(500)
        made = self.server.ask("/api/materials?file=polled.png", data=self.photo("grass").read_bytes()).json
        page.wait_for_selector("text=polled", timeout=PATIENCE)
        self.server.ask(f"/api/materials/{made['id']}/archive", data={})

    def test_deleted_for_good_after_one_question(self) -> None:
        self.bring(self.photo("brick"))
        material = self.material()
        self.page.goto(f"{self.server.address}/space".replace("//space", "/space"))
        row = self.page.locator("section[aria-label='Materials by size'] li", has_text="brick")
        row.locator("text=Put aside").click()
        row.locator("text=Delete for good").click()
        dialog = self.page.locator("[role=dialog]")
        dialog.locator("text=come back").wait_for()
        self.assertRegex(dialog.inner_text(), r"\d+\.\d (kB|MB) come back")
        dialog.locator("text=Keep it").click()
        self.assertEqual(self.server.ask(f"/api/materials/{material}").status, 200)
        row.locator("text=Delete for good").click()
        dialog.locator("button:has-text('Delete for good')").click()
        row.wait_for(state="detached")
        self.assertEqual(self.server.ask(f"/api/materials/{material}").status, 404)

    def test_unknown_addresses_are_no_pages(self) -> None:
        answer = self.page.goto(self.server.address.rstrip("/") + "/nowhere/at/all")
        assert answer
        self.assertEqual(answer.status, 404)
        self.trouble[:] = [text for text in self.trouble if "404" not in text]

    def test_an_edit_that_overtakes_a_picture_leaves_no_wrong_one_behind(self) -> None:
        """The request for a picture is held back until an edit has been made; what is shown in the end is the edit's."""
        self.bring(self.photo("gravel"))
        self.stage("Relief")
        held: list[Route] = []

        def hold(route: Route) -> None:
            # The first one waits until more edits are in; all others pass.
            if held:
                route.continue_()
            else:
                held.append(route)

        shown = self.shown()
        self.page.route("**/picture/height.jpg**", hold)
        at = f"/api/materials/{self.material()}"
        row = self.server.ask(at).json
        keys = []
        for value in (90, 80, 70):
            row = self.server.ask(
                f"{at}/recipe",
                data={"revision": row["revision"], "changes": {"relief.height.high": value}}, method="PATCH",
            ).json  # fmt: skip
            keys.append(row["keys"]["height"])
            self.page.wait_for_timeout(400)
        asked = held[0].request.url.split("key=")[1].split("&")[0]
        self.assertEqual(asked, keys[0])
        # Where pictures are slow half of one is asked for first.
        side = held[0].request.url.split("side=")[1].split("&")[0]
        pictures = [self.server.ask(f"{at}/picture/height.jpg?key={key}&side={side}").body for key in keys]
        self.assertEqual(len(set(pictures)), 3)
        late = held[0].fetch()
        self.assertEqual((late.status, late.body() == pictures[0]), (200, True), "its own pixels, not the newest")
        held[0].fulfill(response=late)
        last = self.wait_for_new(shown)
        self.page.wait_for_timeout(800)
        last = self.page.locator("[data-testid=view-first] canvas").get_attribute("data-shown") or last
        self.assertIn(keys[2], last)
