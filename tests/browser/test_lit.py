"""The lit view's pixels against the same formulae worked out in numpy."""

import json
import re
import struct
import tempfile
from pathlib import Path

import cv2
import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from amber_thicket.core.lit.still import developed
from amber_thicket.core.lit.surroundings import harmonic_basis
from amber_thicket.core.numeric.colour import linear_to_srgb, srgb_to_linear
from bench.lit import LOOKS, kept, made_up
from tests.browser.server import BrowserTest

SETUP = {
    "shape": "slab", "surroundings": "studio", "bearing": 130, "elevation": 40, "lamp": 1.2, "exposure": -0.3,
    "displacement": 0, "repeat": 1, "off": [], "turn": 0, "tilt": 60, "distance": 0.6, "parallel": True, "fineness": 64,
}  # fmt: skip


def swell() -> bytes:
    """A photograph of nothing but broad swells of tone and colour: no detail that filtering could change."""
    y, x = np.mgrid[0:512, 0:512] / 512 * 2 * np.pi
    tone = np.stack([0.5 + 0.2 * np.sin(2 * x + y), 0.45 + 0.2 * np.cos(x - 2 * y), 0.4 + 0.15 * np.sin(3 * y)], -1)
    # 16 bits: the steps of 8 would be relief.
    return cv2.imencode(".png", np.rint(tone[..., ::-1] * 65535).astype(np.uint16))[1].tobytes()


class Reference:
    """Metal/rough under one lamp and prefiltered surroundings; sources are named beside the shader."""

    def __init__(self, light: bytes, *, turn: float = 0.0, dim: float = 1.0, varnish: float = 0.0) -> None:
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        self.turn = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
        self.dim, self.varnish = dim, varnish
        width, height, count, terms = struct.unpack("<4I", light[:16])
        self.harmonics = np.frombuffer(light, "<f4", terms * 3, 16).reshape(terms, 3)
        self.levels = np.frombuffer(light, "<f2", offset=16 + terms * 12).reshape(count, height, width, 4)[..., :3].astype(np.float32)  # fmt: skip

    def mirrored(self, toward: np.ndarray, roughness: np.ndarray) -> np.ndarray:
        count, height, width = self.levels.shape[:3]
        toward = toward @ self.turn
        u = (np.arctan2(toward[:, 0], toward[:, 2]) / (2 * np.pi) + 0.5) * width - 0.5
        v = np.clip(np.arccos(np.clip(toward[:, 1], -1, 1)) / np.pi * height, 0.5, height - 0.5) - 0.5
        at = roughness * (count - 1)
        low = np.minimum(np.floor(at), count - 2).astype(int)
        looked = [self._bilinear(low + step, u, v) for step in (0, 1)]
        return self.dim * (looked[0] + (at - low)[:, None] * (looked[1] - looked[0]))

    def _bilinear(self, level: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        _, height, width = self.levels.shape[:3]
        x, y = np.floor(u).astype(int), np.floor(v).astype(int)
        fx, fy = (u - x)[:, None], (v - y)[:, None]
        x0, x1 = x % width, (x + 1) % width
        y0, y1 = np.clip(y, 0, height - 1), np.clip(y + 1, 0, height - 1)
        top = self.levels[level, y0, x0] * (1 - fx) + self.levels[level, y0, x1] * fx
        bottom = self.levels[level, y1, x0] * (1 - fx) + self.levels[level, y1, x1] * fx
        return top * (1 - fy) + bottom * fy

    def shaded(self, base: np.ndarray, packed: np.ndarray, n: np.ndarray, v: np.ndarray, l: np.ndarray) -> np.ndarray:  # noqa: E741
        occlusion, roughness, metallic = packed[:, 0], np.clip(packed[:, 1], 0.04, 1), packed[:, 2][:, None]
        nv = np.maximum(n @ v, 0.02)
        f0, matte = 0.04 + metallic * (base - 0.04), base * (1 - metallic)
        r = roughness[:, None] * np.array([-1, -0.0275, -0.572, 0.022]) + np.array([1, 0.0425, 1.04, -0.04])
        a = np.minimum(r[:, 0] ** 2, np.exp2(-9.28 * nv)) * r[:, 0] + r[:, 1]
        terms = a[:, None] * np.array([-1.04, 1.04]) + r[:, 2:]
        open_ = np.clip((nv + occlusion) ** np.exp2(-16 * roughness - 1) - 1 + occlusion, 0, 1)
        diffuse = self.dim * np.maximum(harmonic_basis((n @ self.turn).astype(np.float32)) @ self.harmonics, 0)
        back = 2 * (n @ v)[:, None] * n - v
        light = matte * diffuse * occlusion[:, None]
        light += self.mirrored(back, roughness) * (f0 * terms[:, :1] + terms[:, 1:]) * open_[:, None]
        nl = np.maximum(n @ l, 0)
        h = (l + v) / np.linalg.norm(l + v)
        nh, vh, a2 = np.maximum(n @ h, 0), max(float(v @ h), 0), roughness**4
        d = a2 / (np.pi * (nh * nh * (a2 - 1) + 1) ** 2)
        masking = 0.5 / np.maximum(nl * np.sqrt(nv * nv * (1 - a2) + a2) + nv * np.sqrt(nl * nl * (1 - a2) + a2), 1e-9)
        f = f0 + (1 - f0) * (1 - vh) ** 5
        reached = 1 + 0.6 * (1 - max(float(l[1]), 0)) * (occlusion - 1)
        lit = (matte * (1 - f) / np.pi + f * (d * masking)[:, None]) * (nl * SETUP["lamp"] * np.pi * reached)[:, None]
        return neutral(self.varnished(light + lit, n, v, l) * 2 ** SETUP["exposure"])

    def varnished(self, light: np.ndarray, n: np.ndarray, v: np.ndarray, l: np.ndarray) -> np.ndarray:  # noqa: E741
        """A clear film of n = 1.5 over it, three quarters level: Schlick's reflectance is lost twice and added once."""
        film = 0.75 * np.array([0.0, 1.0, 0.0]) + 0.25 * n
        film /= np.linalg.norm(film, axis=1, keepdims=True)
        f = (0.04 + 0.96 * (1 - np.maximum(film @ v, 0.02)) ** 5)[:, None]
        mirror = self.mirrored(2 * (film @ v)[:, None] * film - v, np.full(len(n), 0.06))
        h = (l + v) / np.linalg.norm(l + v)
        nh = np.maximum(film @ h, 0)
        lobe = np.minimum(1e-4 / (np.pi * (nh * nh * (1e-4 - 1) + 1) ** 2), 400) * 0.25 * np.maximum(film @ l, 0)
        shine = 0.04 * lobe * SETUP["lamp"] * np.pi
        return light * (1 - self.varnish * f) ** 2 + self.varnish * (mirror * f + shine[:, None])


def neutral(c: np.ndarray) -> np.ndarray:
    """Khronos PBR neutral tone mapper, 2024."""
    start = 0.8 - 0.04
    x = c.min(axis=1, keepdims=True)
    c = c - np.where(x < 0.08, x - 6.25 * x * x, 0.04)
    peak = c.max(axis=1, keepdims=True)
    d = 1 - start
    squeezed = 1 - d * d / (np.maximum(peak, start) + d - start)
    bent = c * squeezed / np.maximum(peak, 1e-9)
    bent = squeezed + (bent - squeezed) / (0.15 * (peak - squeezed) + 1)
    return np.where(peak < start, c, bent)


def sampled(picture: np.ndarray, place: np.ndarray) -> np.ndarray:
    """Bilinear lookup of a wrapping picture (H, W, 3) at places in tiles."""
    height, width = picture.shape[:2]
    at = place * [width, height] - 0.5
    low = np.floor(at).astype(int)
    part = (at - low)[..., None]
    x, y = low[:, 0], low[:, 1]
    top = picture[y % height, x % width] * (1 - part[:, 0]) + picture[y % height, (x + 1) % width] * part[:, 0]
    bottom = picture[(y + 1) % height, x % width] * (1 - part[:, 0]) + picture[(y + 1) % height, (x + 1) % width] * part[:, 0]  # fmt: skip
    return top * (1 - part[:, 1]) + bottom * part[:, 1]


def places_seen(shot: np.ndarray, tilt: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(which pixels of a shot show the slab, (H·W,); the places of the tile there, (N, 2); toward the viewer, (3,)).

    Parallel rays: every pixel is a place of the slab. What lies over the picture is left out: the lamp and buttons."""
    height, width = shot.shape[:2]
    lean = np.radians(tilt)
    away = 1.75 * SETUP["distance"] / max(min(1, width / height), 0.45)
    start = np.array([0, np.sin(lean), np.cos(lean)]) * away
    # It looks a little before the middle of the slab.
    v = start - [0, 0, 0.04]
    v /= np.linalg.norm(v)
    up = np.array([0, v[2], -v[1]])
    reach = np.tan(np.radians(15)) * away
    rows, columns = np.mgrid[0:height, 0:width].reshape(2, -1) + 0.5
    points = start + ((columns / width * 2 - 1) * reach * width / height)[:, None] * [1, 0, 0] + ((1 - rows / height * 2) * reach)[:, None] * up  # fmt: skip
    points = points - (points[:, 1] / v[1])[:, None] * v
    deep = min(1.75, max(0.75, round(height / width * 4) / 4))
    inside = (np.abs(points[:, 0]) < 0.48) & (np.abs(points[:, 2]) < deep / 2 - 0.02) & (rows < height - 100)
    return inside, np.column_stack([points[inside, 0] + 0.5, points[inside, 2] + deep / 2]), v


def shaded_from_the_right(height: np.ndarray, rise: float) -> np.ndarray:
    """(H, W) 1 where light from the right, rising by so much a run, does not reach a height in widths that wraps."""
    width = height.shape[1]
    over = np.full(height.shape, -1.0)
    for step in range(1, width // 2):
        over = np.maximum(over, np.roll(height, -step, 1) - height - rise * step / width)
    return (over > 0).astype(float)


class LitTest(BrowserTest):
    def set_up(self, setup: dict[str, object]) -> None:
        """Sets the view up for whatever is opened next, in the place of what its materials had."""
        self.page.evaluate("localStorage.clear()")
        self.page.evaluate(f"localStorage.setItem('lit-2', {json.dumps(json.dumps(setup))})")

    def opened(self, **setup: object) -> np.ndarray:
        """The lit view of the swells under a set-up, codes (H, W, 3)."""
        page = self.page
        self.set_up({**SETUP, **setup})
        page.reload()
        if "/m/" not in page.url:
            path = self.folder / "swell.png"
            path.write_bytes(swell())
            self.bring(path)
        self.stage("Relief")
        canvas = self.wait_for_lit()
        return cv2.imdecode(np.frombuffer(canvas.screenshot(), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]

    def test_the_lamp_casts_shadows_through_the_height(self) -> None:
        # Nearly from above, so that height moves nothing sideways, and deep enough for a low lamp.
        look = {"tilt": 84, "elevation": 8, "bearing": 0, "displacement": 40, "lamp": 6, "skyLight": 0.1}
        # Steep swells; the height is what the page has.
        without = self.opened(**look, shadows=False)
        page = self.page
        page.get_by_role("slider", name="Steepness").press("End")
        self.wait_for_lit()
        without = self.opened(**look, shadows=False)
        cast = self.opened(**look, shadows=True)
        address = self.address
        keys = page.request.get(address).json()["keys"]
        answer = page.request.get(f"{address}/picture/height.png?key={keys['height']}")
        field = cv2.imdecode(np.frombuffer(answer.body(), np.uint8), cv2.IMREAD_GRAYSCALE) / 255
        raw = page.request.get(f"{address}/picture/height.u16?key={keys['height']}")
        span = 0.4 * float(raw.headers["x-height-span"])
        hidden = shaded_from_the_right(field * span, np.tan(np.radians(look["elevation"])))
        inside, place, _ = places_seen(cast, look["tilt"])
        told = sampled(hidden[..., None], place)[:, 0]
        before, after = (one.reshape(-1, 3)[inside].mean(1) for one in (without, cast))
        dark, lit = told > 0.95, told < 0.05
        # What looks away from the lamp is dark in any case.
        dark &= before > 0.6 * np.median(before[lit])
        self.assertGreater(dark.mean(), 0.01)
        self.assertGreater(lit.mean(), 0.05)
        self.assertLess(float(after[dark].mean() / before[dark].mean()), 0.82)
        self.assertGreater(float(after[lit].mean() / before[lit].mean()), 0.97)
        # A card that does not mix heights by itself shows the same.
        page.add_init_script("""
            const asked = WebGL2RenderingContext.prototype.getExtension;
            WebGL2RenderingContext.prototype.getExtension = function (name) {
                if (name === "OES_texture_float_linear") window.withheld = true;
                return name === "OES_texture_float_linear" ? null : asked.call(this, name);
            };
        """)
        plain = self.opened(**look, shadows=True)
        self.assertTrue(page.evaluate("() => window.withheld"))
        apart, shadow = (np.abs(one.astype(float) - cast.astype(float)).mean() for one in (plain, without))
        self.assertLess(apart, 0.1 * shadow)

    def test_relief_is_shown_four_ways_and_the_picture_is_saved(self) -> None:
        look = {"tilt": 60, "elevation": 25, "displacement": 100, "lamp": 3}
        self.opened(**look)
        self.page.get_by_role("slider", name="Steepness").press("End")
        seen = {way: self.opened(**look, relief=way) for way in ("displaced", "normal", "bump", "colour")}
        # A flat sheet of colour varies least; bump and normals light the same slopes.
        grain = {way: float(np.abs(np.diff(shot[100:-100, 100:-100].astype(float), axis=1)).mean()) for way, shot in seen.items()}  # fmt: skip
        self.assertLess(grain["colour"], min(grain["normal"], grain["bump"], grain["displaced"]))
        middle = np.s_[150:-150, 150:-150]
        one, other, flat = (seen[way][middle].astype(float).ravel() for way in ("normal", "bump", "colour"))
        self.assertGreater(float(np.corrcoef(one - flat, other - flat)[0, 1]), 0.4)
        with self.page.expect_download() as download:
            self.page.get_by_role("button", name="Picture").click()
        self.assertEqual(download.value.suggested_filename, "swell_lit.png")
        # Where drawing is slow it has fewer pixels than the screen.
        shown = seen["colour"].astype(float)
        saved = cv2.resize(cv2.imread(str(download.value.path()))[..., ::-1], shown.shape[1::-1]).astype(float)
        self.assertLess(float(np.abs(saved[middle] - shown[middle]).mean()), 3)

    def test_surroundings_are_turned_dimmed_and_seen(self) -> None:
        plain = self.opened(lamp=0)
        dim = self.opened(lamp=0, skyLight=0.5)
        self.assertLess(float(dim[150:-150, 150:-150].mean()), 0.85 * float(plain[150:-150, 150:-150].mean()))
        around = {turn: self.opened(lamp=0, background=True, parallel=False, tilt=15, skyTurn=turn, shape="ball") for turn in (0, 90)}  # fmt: skip
        corner = np.s_[10:60, 10:200]
        self.assertGreater(float(np.abs(around[0][corner].astype(float) - around[90][corner]).mean()), 3)
        self.assertGreater(float(np.abs(around[0][corner].astype(float) - plain[corner]).mean()), 3)

    def test_shape_panorama_and_light_belong_to_the_material(self) -> None:
        self.opened(parallel=False)
        page, first = self.page, self.page.url
        shape = self.folder / "wedge.obj"
        shape.write_text(
            "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\nf 1/1 3/2 4/3\nf 1/1 4/2 2/3\n"
        )
        panorama = self.folder / "yard.png"
        cv2.imwrite(str(panorama), np.full((64, 128, 3), (40, 90, 200), np.uint8))
        page.get_by_role("button", name="Light and shape").click()
        page.set_input_files("input[aria-label='Open a shape']", str(shape))
        page.wait_for_selector("text=wedge.obj")
        page.set_input_files("input[aria-label='Open a panorama']", str(panorama))
        page.wait_for_selector("text=yard.png")
        page.keyboard.press("Escape")
        lit = page.locator("[data-testid=lit]")
        page.wait_for_function("c => /own, own-/.test(c.ariaLabel)", arg=lit.element_handle())
        # Another material begins without them, and takes its own light.
        page.goto(self.server.address)
        other = self.folder / "other.png"
        other.write_bytes(swell())
        self.bring(other)
        self.stage("Relief")
        self.assertRegex(lit.get_attribute("aria-label"), "slab, overcast$")
        page.locator("[data-testid=lit]").click(position={"x": 200, "y": 300})
        page.get_by_role("radio", name="Ball").click()
        # And each has its own again, after a new start of the page as well.
        page.goto(first)
        self.stage("Relief")
        page.wait_for_function("() => /own, own-/.test(document.querySelector('[data-testid=lit]')?.ariaLabel ?? '')")
        page.go_back()
        self.stage("Relief")
        page.wait_for_function(
            "() => /ball, overcast/.test(document.querySelector('[data-testid=lit]')?.ariaLabel ?? '')"
        )

    def test_a_still_is_made_seen_coming_and_put_on_the_card(self) -> None:
        look = {"tilt": 60, "distance": 0.8, "elevation": 40, "turn": 25, "surroundings": "sun", "skyTurn": 100}
        shown = self.opened(parallel=False, **look)
        page = self.page
        page.get_by_role("button", name="Still").click()
        dialog = page.get_by_role("dialog", name="Still")
        # What there is is seen before it is finished: noted in the page, for a fast one is soon over.
        page.evaluate("""() => {
            window.seenStills = [];
            new MutationObserver(() => {
                const said = document.querySelector("[role=dialog] img")?.alt;
                if (said && said !== window.seenStills.at(-1)) window.seenStills.push(said);
            }).observe(document.body, { subtree: true, childList: true, attributes: true });
        }""")
        dialog.get_by_role("radio", name="Good").click()
        dialog.get_by_role("button", name="Make the still").click()
        dialog.get_by_role("link", name="Save").wait_for()
        said = [re.search(r", (\d+) of 64 paths", one) for one in page.evaluate("() => window.seenStills")]
        came = [int(one[1]) for one in said if one]
        self.assertEqual(came, sorted(set(came)))
        self.assertEqual(came[-1], 64)
        self.assertGreater(len(came), 1, "seen only when it was finished")
        with page.expect_download() as download:
            dialog.get_by_role("link", name="Save").click()
        self.assertEqual(download.value.suggested_filename, "swell_still.png")
        still = cv2.imread(str(download.value.path()))[..., ::-1].astype(float)
        self.assertEqual(still.shape, shown.shape)
        # It is what the lit view shows: the same place, light and colours.
        middle = np.s_[150:-150, 100:-100]
        self.assertLess(float(np.abs(still[middle] - shown[middle]).mean()), 9)
        self.assertGreater(float(np.corrcoef(still[middle].ravel(), shown[middle].astype(float).ravel())[0, 1]), 0.93)
        listed = f"{self.server.address}/api/materials"
        before = page.request.get(listed).json()[-1]["thumbnail"]
        dialog.get_by_role("button", name="Put on the library’s card").click()
        page.wait_for_selector("text=On the library’s card until this material changes.")
        self.assertNotEqual(page.request.get(listed).json()[-1]["thumbnail"], before)

    def test_it_shows_what_an_independent_path_tracer_makes_of_the_same_set(self) -> None:
        """Mitsuba 3.9.1, see bench/lit.py: mean ΔE00 ≤ 3 on ball and slab under two surroundings."""
        maps, reference, page = made_up(), kept(), self.page
        pictures = {"base_color": linear_to_srgb(maps.base_color), "normal": maps.normal * 0.5 + 0.5,
                    "roughness": maps.roughness, "metallic": maps.metallic, "height": maps.height}  # fmt: skip
        paths = []
        for role, pixels in pictures.items():
            codes = np.rint(np.asarray(pixels) * 65535).astype(np.uint16)
            paths.append(self.folder / f"waves_{role}.png")
            cv2.imwrite(str(paths[-1]), codes[..., ::-1] if codes.ndim == 3 else codes)
        self.bring(*paths)
        address = self.address
        plain = {"tile.join.method": "none", "even.light.amount": 0.0}
        told = page.request.get(address).json()
        page.request.patch(f"{address}/recipe", data={"revision": told["revision"], "changes": plain})
        found = {}
        for name, (look, sky) in LOOKS.items():
            setup = {"shape": look.shape, "surroundings": sky, "bearing": look.bearing, "elevation": look.elevation,
                     "lamp": look.lamp, "exposure": look.exposure, "displacement": 0, "repeat": 1, "shadows": False,
                     "off": ["ambient_occlusion"], "turn": 0, "tilt": look.tilt, "distance": 1, "fineness": 256}  # fmt: skip
            self.set_up(setup)
            page.reload()
            self.stage("Relief")
            canvas = page.locator("[data-testid=lit]")
            canvas.evaluate("c => { c.parentElement.style.cssText = 'width: 480px; height: 400px; flex: none' }")
            self.wait_for_lit()
            with page.expect_download() as download:
                page.get_by_role("button", name="Picture").click()
            shot = cv2.imread(str(download.value.path()))[..., ::-1] / 255
            self.assertAlmostEqual(shot.shape[1] / shot.shape[0], 1.2, delta=0.01)
            shown = cv2.resize(shot, look.size, interpolation=cv2.INTER_AREA)
            inside = reference[name].cover > 0.99
            labs = [rgb2lab(picture) for picture in (shown, developed(reference[name], look).clip(0, 1))]
            found[name] = float(deltaE_ciede2000(*labs)[inside].mean())
        # Asked is 3; more than 2.5 would be a step back.
        self.assertLess(max(found.values()), 2.5, found)

    def test_shading_is_that_of_the_formulae(self) -> None:
        self.assert_shaded()

    def test_varnish_and_turned_dim_surroundings_too(self) -> None:
        self.assert_shaded(turn=70.0, dim=0.6, varnish=1.0)

    def assert_shaded(self, turn: float = 0.0, dim: float = 1.0, varnish: float = 0.0) -> None:
        page = self.page
        setup = {**SETUP, "skyTurn": turn, "skyLight": dim, "varnish": 100 * varnish}
        self.set_up(setup)
        page.reload()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "swell.png"
            path.write_bytes(swell())
            self.bring(path)
        self.stage("Response")
        page.get_by_role("slider", name="Metallic").press("PageUp")
        canvas = self.wait_for_lit()
        shot = cv2.imdecode(np.frombuffer(canvas.screenshot(), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
        address = self.address
        told = page.request.get(address).json()
        keys = told["keys"]

        def fetched(layer: str, kind: str, key: str) -> np.ndarray:
            data = page.request.get(f"{address}/picture/{layer}.{kind}?key={key}").body()
            return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1] / 255

        base = srgb_to_linear(fetched("base_color", "jpg", keys["base_color"]))
        normal = fetched("normal", "png", keys["normal"]) * 2 - 1
        packed = fetched("packed", "png", told["pictures"]["packed"])
        reference = Reference(
            page.request.get(f"{self.server.address}/api/surroundings/studio.bin").body(),
            turn=turn,
            dim=dim,
            varnish=varnish,
        )
        inside, place, v = places_seen(shot, SETUP["tilt"])
        self.assertGreater(inside.mean(), 0.4)
        leaning = sampled(normal, place)
        n = leaning[:, :1] * [1, 0, 0] + leaning[:, 1:2] * [0, 0, -1] + leaning[:, 2:] * [0, 1, 0]
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        b, e = np.radians(SETUP["bearing"]), np.radians(SETUP["elevation"])
        toward = np.array([np.cos(b) * np.cos(e), np.sin(e), -np.sin(b) * np.cos(e)])
        made = reference.shaded(sampled(base, place), sampled(packed, place), n, v, toward)
        codes = linear_to_srgb(made) * 255
        seen = shot.reshape(-1, 3)[inside]
        off = np.abs(codes - seen)
        self.assertLess(float(off.mean()), 2.0)
        # It is no flat picture that any formula would meet.
        self.assertGreater(float(seen.std(axis=0).min()), 8)
