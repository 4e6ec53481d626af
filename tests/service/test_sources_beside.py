"""Light sets, second photographs and generated pictures through the library, the routes and the command line."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
import time
import unittest
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from amber_thicket.cli import main
from amber_thicket.core.generate import Request
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.service import images, lights
from amber_thicket.service import registration as placing
from amber_thicket.service.bake import check
from amber_thicket.service.images import findings_of_candidate
from amber_thicket.service.mapset import listed, with_role
from amber_thicket.service.pictured import described_picture
from amber_thicket.service.sources import file_key, files_of
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from amber_thicket.standins.words_to_picture import DESCRIBING, KIND_WORDS, SimulatedProvider, make, reading
from amber_thicket.web.app import create_app
from amber_thicket.web.config import Config
from tests.lightset import angles, png, shot
from tests.support import encoded, temporary_library


def names_of(material) -> dict[str, str]:
    return {file_key(info["blob"]): info["file"] for info in files_of(material.source)}


class LightSets(unittest.TestCase):
    def test_eight_files_become_a_material_and_the_lamps_are_found(self) -> None:
        photos, truth = shot("embossed_hide", part=512, first=62.0, clockwise=True)
        with temporary_library() as library:
            material = library.add([png(photos[0])], "hide_light_1.png")
            for number in range(1, 8):
                material = library.add_map(
                    str(material.id), [png(photos[number])], f"hide_light_{number + 1}.png", gesture="one"
                )
            self.assertEqual(material.name, "hide")
            evaluation = library.evaluation(material)
            self.assertEqual([row["role"] for row in listed(material.source, evaluation)], ["light"] * 8)
            self.assertEqual(evaluation.recipe.settings("even.light").amount, 0.0)
            report = lights.light_set_found(evaluation, names_of(material))
            self.assertTrue(report.certain)
            material = library.edit(
                str(material.id), material.revision, report.changes, label="Lamps found", gesture=""
            )
            evaluation = library.evaluation(material)
            made = evaluation.lights.solved(0)
            self.assertLess(float(np.median(angles(made.normal, truth))), 2.6)
            described = lights.described(evaluation, names_of(material))
            self.assertEqual(len(described["frames"]), 8)
            self.assertAlmostEqual(described["frames"][0]["bearing"], 62, delta=1)
            self.assertLess(described["residual"], 0.1)
            for what in ("photograph", "relit", "difference", "residual"):
                self.assertEqual(Image.open(io.BytesIO(lights.picture(evaluation, 2, what))).size, (512, 512))
            # What is solved goes through Square and Tile as the colour does.
            normal = evaluation.layer("normal", (256, 256)).pixels
            np.testing.assert_allclose(np.linalg.norm(normal, axis=-1), 1, atol=1e-3)
            changes, _ = with_role(library, material, described["frames"][3]["file"], "")
            material = library.edit(str(material.id), material.revision, changes, label="Out", gesture="")
            self.assertEqual(len(library.evaluation(material).lights.frames), 7)
            library.undo(str(material.id), material.revision)
            self.assertEqual(len(library.evaluation(library.get(str(material.id))).lights.frames), 8)

    def test_one_of_another_size_is_named_and_the_rest_still_works(self) -> None:
        photos, _ = shot("embossed_hide", part=512)
        with temporary_library() as library:
            material = library.add([png(photos[0])], "hide_light_1.png")
            for number in range(1, 4):
                material = library.add_map(str(material.id), [png(photos[number])], f"hide_light_{number + 1}.png")
            material = library.add_map(str(material.id), [png(photos[4][:300])], "hide_light_5.png")
            evaluation = library.evaluation(material)
            self.assertEqual(len(evaluation.lights.frames), 4)
            with self.assertRaisesRegex(UnreadableFile, "hide_light_5.png is 512 × 300"):
                lights.light_set_found(evaluation, names_of(material))

    def test_the_command_line_says_what_it_found(self) -> None:
        photos, _ = shot("embossed_hide", part=512)
        with tempfile.TemporaryDirectory() as folder:
            files = []
            for number, photo in enumerate(photos):
                files.append(str(Path(folder, f"hide_{number}.png")))
                Path(files[-1]).write_bytes(png(photo[:360, :360]))
            out = io.StringIO()
            with contextlib.redirect_stdout(out):
                code = main(["light-set", *files, "--out", f"{folder}/out", "--size", "256", "--json"])
            told = json.loads(out.getvalue())
            self.assertIn(code, (0, 1))
            self.assertAlmostEqual(told["light_set"]["first_bearing"], 37, delta=1)
            self.assertEqual(told["light_set"]["direction"], "ccw")
            self.assertTrue(list(Path(folder, "out").glob("*_normal.png")))
            errors = io.StringIO()
            with contextlib.redirect_stderr(errors):
                self.assertEqual(main(["light-set", *files[:2], "--out", f"{folder}/out"]), 2)
            self.assertIn("3 to 32", errors.getvalue())


class SecondPhotographs(unittest.TestCase):
    def test_a_frond_from_three_photographs(self) -> None:
        frond, rng = kelp_frond(512, 9), np.random.default_rng(2)
        back, lit = placed(-9, (0.02, -0.012), 0.96, mirrored=True), placed(4, (-0.012, 0.01), 1.03, mirrored=False)
        shots = {
            "kelp.png": front_shot(frond, rng),
            "kelp_back.png": back_shot(frond, back, rng),
            "kelp_back_lit.png": back_lit_shot(frond, lit, rng),
        }
        with temporary_library() as library:
            material = library.add(
                [encoded(shots["kelp.png"])], "kelp.png", changes={"tile.cutout.on": True, "tile.join.method": "none"}
            )
            for name in ("kelp_back.png", "kelp_back_lit.png"):
                material = library.add_map(str(material.id), [encoded(shots[name])], name)
            roles = {row["file"]: row["role"] for row in listed(material.source, library.evaluation(material))}
            self.assertEqual(
                roles, {"kelp.png": "base_color", "kelp_back.png": "back_color", "kelp_back_lit.png": "translucency"}
            )
            keys = {name: key for key, name in names_of(material).items()}
            first = keys["kelp.png"]
            for name in ("kelp_back.png", "kelp_back_lit.png"):
                changes, found = placing.register_file(library.evaluation(material), keys[name], "lay")
                material = library.edit(str(material.id), material.revision, changes, label="Laid", gesture="")
                fit = placing.fit_of(library.evaluation(material), keys[name])
                self.assertEqual((fit.level, fit.by), ("pass", "outline"))
                self.assertGreater(fit.overlap, 0.985)
                self.assertIn("outline", placing.describe_registration(found, fit))
            evaluation = library.evaluation(material)
            through = evaluation.layer("translucency", (512, 512)).pixels
            inside = frond.mask > 0.99
            self.assertLess(float(np.median(np.abs(through - frond.through)[inside])), 0.02)
            self.assertIn("back_color", evaluation.maps())
            freed, _ = placing.register_file(evaluation, keys["kelp_back.png"], "free")
            self.assertEqual(freed["gather.registration.files"][0].file, keys["kelp_back_lit.png"])
            with self.assertRaises(BadSetting):
                placing.register_file(evaluation, first, "lay")


class OneFrame(unittest.TestCase):
    """A leaf from two overlapping fronts, its back and a back-lit shot: all files in one frame."""

    def setUp(self) -> None:
        frond, rng = kelp_frond(640, 9), np.random.default_rng(2)
        self.frond = frond
        self.back, lit = (
            placed(-9, (0.02, -0.012), 0.96, mirrored=True),
            placed(4, (-0.012, 0.01), 1.03, mirrored=False),
        )
        front = front_shot(frond, rng)
        shots = {
            "kelp_front_1.png": front[:400],
            "kelp_front_2.png": front[240:],
            "kelp_back.png": back_shot(frond, self.back, rng),
            "kelp_back_lit.png": back_lit_shot(frond, lit, rng),
        }
        self.library = self.enterContext(temporary_library())
        material = None
        for name, codes in shots.items():
            if material is None:
                cut_out = {"tile.cutout.on": True, "tile.join.method": "none"}
                material = self.library.add([encoded(codes)], name, changes=cut_out)
            else:
                material = self.library.add_map(str(material.id), [encoded(codes)], name)
        self.material = str(material.id)
        self.keys = {name: key for key, name in names_of(material).items()}

    def evaluation(self):
        return self.library.evaluation(self.library.get(self.material))

    def edit(self, changes) -> None:
        self.library.edit(self.material, self.library.get(self.material).revision, changes, label="Changed", gesture="")

    def place(self, name: str, way: str) -> None:
        self.edit(placing.register_file(self.evaluation(), self.keys[name], way)[0])

    def off(self, name: str, truth: np.ndarray, top: float) -> float:
        """How far a file lies from its true place, px of the whole front; top: where the photograph begins."""
        taken = self.evaluation().inputs
        down = 400 / 640
        place = np.array([[1, 0, 0], [0, down, top], [0, 0, 1]]) @ taken.placed[taken.photograph]
        at = np.array([[0.3, 0.3, 1], [0.6, 0.5, 1], [0.5, 0.7, 1], [0.4, 0.4, 1]])
        one, other = at @ taken.placed[self.keys[name]].T, at @ (truth @ place).T
        return float(np.abs(one[:, :2] / one[:, 2:] - other[:, :2] / other[:, 2:]).max() * 640)

    def test_joining_and_exchanging_the_photograph_move_all_files_along(self) -> None:
        # Laid while there was half of the leaf only, and joined after.
        self.place("kelp_back.png", "lay")
        self.assertLess(self.off("kelp_back.png", self.back, 0.0), 1.5)
        self.edit({"square.size.sample_mm": 320.0})
        self.place("kelp_front_2.png", "join")
        self.place("kelp_back_lit.png", "lay")
        evaluation = self.evaluation()
        self.assertAlmostEqual(evaluation.source.height, 640, delta=2)
        self.assertLess(self.off("kelp_back.png", self.back, 0.0), 1.5)
        # What was measured follows: a wider sample is wider in reality, and comes out larger.
        size = evaluation.recipe.settings("square.size")
        self.assertAlmostEqual(size.sample_mm, 320 * 640 / 400, delta=2)
        self.assertEqual((size.width, size.height), (512, 512))
        fits = placing.fits_of(evaluation)
        self.assertEqual(
            {role: fit.level for role, fit in fits.items()}, {"translucency": "pass", "back_color": "pass"}
        )
        through = evaluation.layer("translucency", (512, 512)).pixels
        truth = cv2.resize(self.frond.through, (512, 512), interpolation=cv2.INTER_AREA)
        inside = cv2.erode(cv2.resize(self.frond.mask, (512, 512)), np.ones((5, 5))) > 0.99
        self.assertLess(float(np.sqrt(np.mean((through - truth)[inside] ** 2))), 0.05)
        # The other front becomes the photograph: nothing moves on the leaf.
        changes, _ = with_role(
            self.library, self.library.get(self.material), self.keys["kelp_front_2.png"], "base_color"
        )
        self.edit(changes)
        self.assertAlmostEqual(self.evaluation().source.height, 640, delta=2)
        self.assertLess(self.off("kelp_back.png", self.back, 240 / 640), 1.5)
        self.assertEqual(
            described_picture(self.library.get(self.material), self.evaluation())["file"],
            "kelp_front_2.png + kelp_front_1.png",
        )
        # And alone it is half of the leaf, with all that was laid on it where it was.
        self.place("kelp_front_1.png", "free")
        self.assertEqual(self.evaluation().source.height, 400)
        self.assertLess(self.off("kelp_back.png", self.back, 240 / 640), 1.5)
        self.assertAlmostEqual(self.evaluation().recipe.settings("square.size").sample_mm, 320, delta=2)

    def test_a_file_nobody_laid_is_told_in_check(self) -> None:
        findings = {
            (found["map"], found["level"])
            for found in check(self.evaluation(), "kelp")
            if found["rule"] == "set.aligned" and found["map"]
        }
        self.assertIn(("back_color", "blocked"), findings)
        self.assertIn(("translucency", "blocked"), findings)

    def test_corners_crop_and_strokes_stay_on_the_leaf(self) -> None:
        stroke = {"radius": 0.02, "points": [[0.5, 0.5]]}
        self.edit({"square.crop.top": 50.0, "tile.join.excluded": [stroke], "square.size.sample_mm": 100.0})
        was = self.evaluation().recipe.settings("square.crop")
        self.place("kelp_front_2.png", "join")
        recipe = self.evaluation().recipe
        self.assertAlmostEqual(recipe.settings("square.crop").top, 50 * 400 / 640, delta=0.3)
        self.assertAlmostEqual(recipe.settings("square.crop").bottom, was.bottom * 400 / 640, delta=0.3)
        at = recipe.settings("tile.join").excluded[0].points[0]
        self.assertAlmostEqual(at[1], 0.5 * 400 / 640, delta=0.01)
        self.assertAlmostEqual(recipe.settings("square.size").sample_mm, 100.0, delta=1)


class Generated(unittest.TestCase):
    def test_a_dozen_surfaces_and_two_dozen_words(self) -> None:
        self.assertGreaterEqual(len(set(KIND_WORDS.values())), 12)
        self.assertGreaterEqual(len(DESCRIBING), 24)

    def test_words_seeds_and_what_is_not_understood(self) -> None:
        asked = reading("Worn red bricks, wet and mossy, frobnicated")
        self.assertEqual(
            (asked.kind, asked.colours, asked.states), ("brick_wall", ("red",), frozenset({"worn", "wet", "moss"}))
        )
        self.assertEqual(asked.unread, ("frobnicated",))

    def test_what_is_not_drawn_is_named(self) -> None:
        for words, kind, states, unread in (
            ("soil with pebbles and moss", "garden_soil", {"moss"}, ("pebbles",)),
            ("brick wall with moss", "brick_wall", {"moss"}, ()),
            ("slates under rust", "slate_shingles", {"rusty"}, ()),
            ("copper cork", "cork_board", set(), ("copper",)),
            ("wet slate roof", "slate_shingles", {"wet"}, ()),
        ):
            asked = reading(words)
            with self.subTest(words):
                self.assertEqual((asked.kind, set(asked.states), asked.unread), (kind, states, unread))

    def test_candidates_carry_what_is_wrong_with_them(self) -> None:
        request = Request("sand", side=512)
        told: dict[str, list[bool]] = {"tilt": [], "edges": []}
        for seed in range(6):
            made = make(reading("brick wall"), request, seed)
            found = {one.what for one in findings_of_candidate(decode_srgb(made.candidate.pixels), tileable=True)}
            told["edges"].append(("edges" in made.missed) == ("Edges do not meet" in found))
            told["tilt"].append(("tilt" in made.missed) == ("Tilt" in found))
        # A view that leans by little may pass for straight on.
        self.assertEqual(sum(told["edges"]), 6)
        self.assertGreaterEqual(sum(told["tilt"]), 5)
        flat = np.full((512, 512, 3), 0.3, np.float32)
        self.assertNotIn("Edges do not meet", {one.what for one in findings_of_candidate(flat, tileable=True)})
        request = Request("sand", side=96)
        one, same, other = (make(reading("sand"), request, seed).candidate.pixels for seed in (4, 4, 5))
        np.testing.assert_array_equal(one, same)
        self.assertGreater(float(np.abs(one.astype(int) - other).mean()), 2)
        with self.assertRaisesRegex(UnreadableFile, "names a surface"):
            list(SimulatedProvider().candidates(Request("frobnicated"), 1, lambda share, what: None, lambda: None))

    def test_every_word_changes_the_picture(self) -> None:
        request = Request("concrete", side=64)
        plain = make(reading("concrete"), request, 11).candidate.pixels.astype(int)
        for word in DESCRIBING:
            changed = make(reading(f"{word} concrete"), request, 11).candidate.pixels.astype(int)
            # A small surface is what one gets unless large features were drawn by chance.
            if word not in ("small", "fine"):
                self.assertGreater(float(np.abs(changed - plain).mean()), 0.3, word)

    def test_wishes_are_mostly_but_not_always_met(self) -> None:
        missed = [make(reading("sand"), Request("sand", side=64), seed).missed for seed in range(60)]
        for what in ("tilt", "light", "edges"):
            self.assertTrue(6 <= sum(what in one for one in missed) <= 32, what)

    def test_a_request_no_provider_can_meet(self) -> None:
        for words, provider, side in (
            ("", "simulation", 1024),
            ("x" * 400, "simulation", 1024),
            ("sand", "other", 1024),
            ("sand", "simulation", 77),
        ):
            with self.assertRaises(BadSetting):
                images.checked(words, provider, side, None)

    def test_asked_kept_and_labelled_over_the_routes(self) -> None:
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
            app = create_app(Config(Path(folder), worker=False, immediate=True))
            self.addCleanup(app.extensions["thicket"].close)
            client = app.test_client()
            head = {"Host": "127.0.0.1:8760", "Origin": "http://127.0.0.1:8760"}
            job = client.post(
                "/api/generate", json={"words": "tarred felt, worn glorp", "side": 512, "seed": 3}, headers=head
            ).json
            for _ in range(200):
                jobs = client.get("/api/jobs", headers=head).json
                done = next(j for j in jobs if j["id"] == job["id"])
                if done["state"] in ("done", "failed"):
                    break
                time.sleep(0.1)
            self.assertEqual(done["state"], "done", done["message"])
            self.assertEqual(done["result"]["unread"], ["glorp"])
            self.assertTrue(done["result"]["simulation"])
            self.assertEqual(len(done["result"]["candidates"]), 4)
            picture = client.get(f"/api/generate/{job['id']}/1.png", headers=head)
            self.assertEqual(Image.open(io.BytesIO(picture.data)).size, (512, 512))
            kept = client.post(f"/api/generate/{job['id']}/1/keep", json={}, headers=head).json
            material = client.get(f"/api/materials/{kept['id']}", headers=head).json
            self.assertEqual(material["source"]["origin"]["provider"], "Simulation")
            self.assertEqual(material["name"], "Tarred felt, worn glorp")
            self.assertEqual(client.get(f"/api/generate/{job['id']}/9.png", headers=head).status_code, 404)
            self.assertEqual(client.post("/api/generate", json={"words": " "}, headers=head).status_code, 422)


if __name__ == "__main__":
    unittest.main()
