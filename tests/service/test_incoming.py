"""Files that are brought together: sorted before anything is made of them, by every way in alike."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from amber_thicket.cli import main
from amber_thicket.errors import BadSetting, UnreadableFile
from amber_thicket.service import incoming, lights, merging
from amber_thicket.service.incoming import Brought, common_name
from amber_thicket.service.mapset import listed, with_role
from amber_thicket.service.settling import settle
from amber_thicket.service.sources import file_key, files_of
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kelp_frond import back_lit_shot, back_shot, front_shot, kelp_frond, placed
from tests.lightset import png, shot
from tests.support import encoded, rig_surface, temporary_library


def bring(library, files: dict[str, bytes]) -> list[Brought]:
    return [Brought(library.blobs.put([data])[0], name) for name, data in files.items()]


def take(library, found, files: list[Brought], **more):
    return incoming.take(library, found.kind, [(files[row.at], row.role) for row in found.rows], **more)


def names_of(material) -> dict[str, str]:
    return {file_key(info["blob"]): info["file"] for info in files_of(material.source)}


class LightSets(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        photos, _ = shot("embossed_hide", part=512, first=62.0, clockwise=True)
        cls.lamps = [png(photo) for photo in photos]
        cls.every = png(photos.mean(0))

    def found(self, library, files: dict[str, bytes], kind=None) -> dict:
        brought = bring(library, files)
        (material,) = take(library, incoming.sort(library, brought, kind), brought)
        roles = sorted(row["role"] for row in listed(material.source, library.evaluation(material)))
        self.assertEqual(roles, ["all_lights"] + ["light"] * 8)
        return lights.light_set_found(library.evaluation(material), names_of(material)).changes

    def test_nine_files_by_every_way_in_give_the_same_lamps(self) -> None:
        called = {f"hide_light_{k}.png": data for k, data in enumerate(self.lamps, 1)} | {
            "hide_ambient.png": self.every
        }
        nameless = {
            f"DSC_{k:03d}.png": data for k, data in enumerate([*self.lamps[:4], self.every, *self.lamps[4:]], 1)
        }
        with temporary_library() as library:
            answers = [
                self.found(library, called),
                self.found(library, dict(reversed(called.items())), "light_set"),
                self.found(library, nameless),
                self.found(library, nameless, "light_set"),
            ]
        for changes in answers:
            self.assertAlmostEqual(changes["gather.lights.first"], 62, delta=1)
            self.assertEqual(changes["gather.lights.direction"], "cw")
            self.assertEqual(changes, answers[0])
        with tempfile.TemporaryDirectory() as folder:
            for name, data in nameless.items():
                Path(folder, name).write_bytes(data)
            out = io.StringIO()
            with contextlib.redirect_stdout(out):
                main(["light-set", *sorted(map(str, Path(folder).glob("*.png"))), "--out", f"{folder}/out",
                      "--size", "256", "--json"])  # fmt: skip
            self.assertAlmostEqual(json.loads(out.getvalue())["light_set"]["first_bearing"], 62, delta=1)

    def test_wrong_sets_get_a_clear_word(self) -> None:
        turned = png(
            np.ascontiguousarray(shot("embossed_hide", part=512, first=62.0, clockwise=True)[0][2][::-1, ::-1])
        )
        with temporary_library() as library:
            files = {f"a_light_{k}.png": data for k, data in enumerate([*self.lamps[:2], turned, *self.lamps[3:]], 1)}
            brought = bring(library, files)
            (material,) = take(library, incoming.sort(library, brought), brought)
            with self.assertRaisesRegex(UnreadableFile, "a_light_3.png is upside down"):
                lights.light_set_found(library.evaluation(material), names_of(material))

    def test_a_lamp_is_left_out_and_put_back(self) -> None:
        with temporary_library() as library:
            files = bring(library, {f"a_light_{k}.png": data for k, data in enumerate(self.lamps, 1)})
            (material,) = take(library, incoming.sort(library, files), files)
            whole = library.evaluation(material)
            frames = list(whole.recipe.settings("gather.lights").frames)
            frames[2] = frames[2].model_copy(update={"out": True})
            left = whole.with_changes({"gather.lights.frames": frames})
            self.assertEqual(len(left.lights.frames), 7)
            # The other lamps stand where they stood.
            np.testing.assert_allclose(left.lights.lamps, np.delete(whole.lights.lamps, 2, axis=0))
            rows = lights.described(left, names_of(material))["frames"]
            self.assertEqual([row["used"] for row in rows], [True, True, False] + [True] * 5)
            changes = lights.light_set_found(left, names_of(material)).changes
            self.assertAlmostEqual(changes["gather.lights.first"], 62, delta=1.2)

    def test_centre_and_spread_begin_at_what_was_measured_and_move_it(self) -> None:
        with temporary_library() as library:
            files = bring(library, {f"a_light_{k}.png": data for k, data in enumerate(self.lamps, 1)})
            (material,) = take(library, incoming.sort(library, files), files)
            before = library.evaluation(material)
            measured = before.layer("roughness", (256, 256)).pixels
            found = before.with_changes(lights.light_set_found(before, names_of(material)).changes)
            same = found.layer("roughness", (256, 256)).pixels
            self.assertLess(float(np.abs(same - measured).max()), 0.03)
            moved = found.with_changes({"response.roughness.centre": 0.3, "response.roughness.spread": 0.05})
            made = moved.layer("roughness", (256, 256)).pixels
            self.assertAlmostEqual(float(made.mean()), 0.3, delta=0.02)
            self.assertAlmostEqual(float(made.std()), 0.05, delta=0.012)


class Others(unittest.TestCase):
    def test_a_leaf_of_four_photographs_settles_by_itself(self) -> None:
        frond, rng = kelp_frond(640, 9), np.random.default_rng(2)
        back, lit = placed(-9, (0.02, -0.012), 0.96, mirrored=True), placed(4, (-0.012, 0.01), 1.03, mirrored=False)
        front = front_shot(frond, rng)
        with temporary_library() as library:
            files = bring(
                library,
                {
                    "kelp_back.png": encoded(back_shot(frond, back, rng)),
                    "kelp_trans.png": encoded(back_lit_shot(frond, lit, rng)),
                    "kelp_front_1.png": encoded(front[:400]),
                    "kelp_front_2.png": encoded(front[240:]),
                },
            )
            found = incoming.sort(library, files)
            self.assertTrue(found.sure)
            self.assertEqual([row.role for row in found.rows], ["photo", "back", "back_lit", "part"])
            (material,) = take(library, found, files)
            material, told = settle(library, str(material.id), names_of(material))
            self.assertEqual([level for level, _ in told], ["pass"] * 3, told)
            self.assertAlmostEqual(library.evaluation(material).source.height, 640, delta=2)
            self.assertTrue(library.recipe(material).settings("tile.cutout").on)

    def test_a_bracket_becomes_one_picture(self) -> None:
        surface = rig_surface("tide_pebbles", 400, 5)
        shots = {
            f"DSC_{k}.png": encoded(photograph(surface, Shot(exposure=0.9 * 2.0**stops), np.random.default_rng(k)))
            for k, stops in enumerate((-2, 0, 2))
        }
        with temporary_library() as library:
            files = bring(library, shots)
            (material,) = take(library, incoming.sort(library, files), files)
            evaluation = library.evaluation(material)
            self.assertEqual(material.source["file"], "DSC_1.png")
            told = merging.described(evaluation, names_of(material))
            self.assertEqual(sorted(round(row["stops"]) for row in told["frames"]), [-2, 0, 2])
            self.assertAlmostEqual(sum(row["share"] for row in told["frames"]), 1, places=2)
            for what in ("photograph", "taken"):
                self.assertGreater(len(merging.picture(evaluation, 1, what)), 2000)
            self.assertEqual(np.isfinite(evaluation.layer("base_color", (128, 128)).pixels).all(), True)
            # One taken out, and put back by undo.
            key = next(key for key, name in names_of(material).items() if name == "DSC_2.png")
            changes, _ = with_role(library, material, key, "")
            material = library.edit(str(material.id), material.revision, changes, label="Out", gesture="")
            self.assertEqual(len(library.evaluation(material).inputs.merged.frames), 2)
            changes, _ = with_role(library, material, key, "merged")
            material = library.edit(str(material.id), material.revision, changes, label="In", gesture="")
            self.assertEqual(len(library.evaluation(material).inputs.merged.frames), 3)
            with self.assertRaisesRegex(BadSetting, "these are 1"):
                incoming.take(library, "bracket", [(files[0], "merged"), (files[1], "")])

    def test_surfaces_of_their_own_and_nothing_at_all(self) -> None:
        with temporary_library() as library:
            shots = {
                f"{kind}.png": encoded(photograph(rig_surface(kind, 256, 5), Shot(), np.random.default_rng(1)))
                for kind in ("cork_board", "lime_render")
            }
            files = bring(library, shots)
            self.assertEqual(len(take(library, incoming.sort(library, files), files)), 2)
            with self.assertRaises(UnreadableFile):
                incoming.take(library, "maps", [(files[0], "")])


if __name__ == "__main__":
    unittest.main()


class NamesTest(unittest.TestCase):
    def test_a_set_is_called_what_its_files_have_in_common(self) -> None:
        for files, name in (
            (["cliffscan_color.png", "cliffscan_normal.png"], "cliffscan"),
            (["Quay-Wall_2K_Albedo.png", "Quay-Wall_2K_Normal.png"], "Quay Wall 2K"),
            (["quayWallColor.png", "quayWallNormal.png"], "quay wall"),
            (["a_color.png", "b_normal.png"], None),
            (["one_color.png"], None),
            (["IMG_1.jpg", "IMG_2.jpg"], None),
        ):
            self.assertEqual(common_name(files), name, files)
