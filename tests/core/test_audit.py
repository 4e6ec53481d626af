"""The audit finds what is wrong with a map set, and nothing else; what it mends is right afterwards."""

from __future__ import annotations

import hashlib
import io
import unittest
import zipfile
from dataclasses import replace
from typing import Any
from unittest import mock

import cv2
import numpy as np
from PIL import Image

from amber_thicket.core.audit import look
from amber_thicket.core.audit.look import SURE, Audit, Stored, audit
from amber_thicket.core.check.aligned import ASIDE, Beside, beyond_light
from amber_thicket.core.check.blocks import BLOCKY, blockiness
from amber_thicket.core.files.encode import decoded_normal
from amber_thicket.core.gather.maps import without_steps
from amber_thicket.core.gather.roles import guessed, named, packed_channels
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb, encode_srgb8, linear_to_srgb, srgb_to_linear
from amber_thicket.core.pack.profiles import PROFILES
from amber_thicket.core.raster import Pixels
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.response.convert import to_specular
from amber_thicket.core.settings import KEY_LENGTH
from amber_thicket.core.shading.normal_reading import normal_reading
from amber_thicket.core.shading.raking import Raking
from amber_thicket.errors import ThicketError, UnreadableFile
from amber_thicket.formats.tags import encoding_tag
from amber_thicket.formats.unzip import read_entries as entries
from amber_thicket.formats.write import png_bytes, stored_codes
from amber_thicket.service.audit import Set, as_json, audited, evaluation_for, given_of, recipe_of, remaining
from amber_thicket.service.bake import check, pack
from amber_thicket.service.sample_purchase import sample_files, true_maps
from amber_thicket.standins.capture_rig.harbour_grating import harbour_grating
from amber_thicket.standins.capture_rig.kinds import KINDS
from tests.support import bumps, evaluation, photographed, rig_surface, size_of

SIDE = 512


def file(name: str, values: Pixels, bits: int = 8, **facts: Any) -> Stored:
    """A file of stored numbers, rounded to its bits."""
    top = (1 << bits) - 1
    codes = np.rint(values.clip(0, 1) * top)
    pixels = (codes / top).astype(np.float32)
    pixels = pixels if pixels.ndim == 3 else np.repeat(pixels[..., None], 3, -1)
    options: dict[str, Any] = {
        "alpha": None,
        "floating": False,
        "format": "png",
        "levels": len(np.unique(codes)),
        **facts,
    }
    key = hashlib.sha256(name.encode()).hexdigest()[:KEY_LENGTH]
    return Stored(key, name, pixels, bits=bits, size=(values.shape[1], values.shape[0]), **options)


def good(y: int = 1) -> dict[str, Stored]:
    """A right set by role. y: −1 for one with green down."""
    maps = MAPS
    vectors = maps["normal"] * np.array([0.5, 0.5 * y, 0.5], np.float32) + np.float32(0.5)
    return {
        "base_color": file("a_base_color.png", encode_srgb(maps["base_color"])),
        "height": file("a_height.png", maps["height"], 16),
        "normal": file("a_normal.png", vectors),
        "roughness": file("a_roughness.png", maps["roughness"]),
        "ambient_occlusion": file("a_ao.png", maps["ambient_occlusion"]),
    }


MAPS = true_maps(SIDE)


def wrong(found: Audit) -> set[str]:
    return {finding.rule for finding in found.findings if finding.level in ("blocked", "attention", "unknown")}


class NormalTest(unittest.TestCase):
    """Every way of storing that is told from the numbers alone, on surfaces of the bench that are lit by nothing."""

    def test_encoding_channels_and_direction(self) -> None:
        for kind in ("harbour_grating", "tide_pebbles", "coir_matting", "embossed_hide", "slate_shingles"):
            make = harbour_grating if kind == "harbour_grating" else KINDS[kind]
            vectors = from_height(make(384, 3).height, depth=1.0, wraps=kind == "harbour_grating")
            plain = vectors * np.float32(0.5) + np.float32(0.5)
            down = plain.copy()
            down[..., 1] = 1 - down[..., 1]
            flat = plain.copy()
            flat[..., 2] = 0
            cases = {
                "linear +": (plain, ("linear", False, False, "plus")),
                "linear -": (down, ("linear", False, False, "minus")),
                "srgb -": (linear_to_srgb(down).astype(np.float32), ("srgb", False, False, "minus")),
                "decoded +": (srgb_to_linear(plain).astype(np.float32), ("decoded", False, False, "plus")),
                "swapped +": (plain[..., [1, 0, 2]], ("linear", False, True, "plus")),
                "swapped -": (down[..., [1, 0, 2]], ("linear", False, True, "minus")),
                "two +": (flat, ("linear", True, False, "plus")),
            }
            for case, (values, wanted) in cases.items():
                with self.subTest(kind=kind, case=case):
                    rounded = (np.rint(values * 255) / 255).astype(np.float32)
                    read = normal_reading(rounded)
                    self.assertEqual((read.stored, read.two, read.swapped, read.y), wanted, read)

    def test_noise_cannot_be_told(self) -> None:
        noise = np.random.default_rng(1).random((128, 128, 3)).astype(np.float32)
        self.assertEqual(normal_reading(noise).y, "unknown")


class ImportTest(unittest.TestCase):
    def test_a_spoilt_normal_map_is_put_right_as_it_comes(self) -> None:
        vectors = MAPS["normal"] * np.float32(0.5) + np.float32(0.5)
        for values, wanted in (
            (linear_to_srgb(vectors).astype(np.float32), {"normal_stored": "srgb"}),
            (vectors[..., [1, 0, 2]], {"normal_swapped": True}),
            (vectors, {}),
        ):
            found = guessed("a_normal.png", (np.rint(values * 255) / 255).astype(np.float32))
            self.assertEqual((found.role, found.y, dict(found.spoilt)), ("normal", "plus", wanted), found.why)
        noise = np.random.default_rng(1).random((128, 128, 3)).astype(np.float32)
        self.assertEqual(guessed("a_normal.png", noise).role, "")


class SetTest(unittest.TestCase):
    def test_a_right_set_has_nothing_wrong(self) -> None:
        for y in (1, -1):
            self.assertEqual(wrong(audit(list(good(y).values()), y="plus" if y > 0 else "minus")), set())

    def found(self, role: str, changed: Stored, **how: Any) -> Audit:
        return audit([*(one for key, one in good().items() if key != role), changed], **how)

    def test_each_fault_alone(self) -> None:
        maps = MAPS
        vectors = good()["normal"].values
        inverted = vectors.copy()
        inverted[..., :2] = 1 - inverted[..., :2]
        half = maps["ambient_occlusion"][::2, ::2]
        cases: dict[str, tuple[str, Stored]] = {
            "normal.y_direction": ("normal", good(-1)["normal"]),
            "normal.inverted": ("normal", file("a_normal.png", inverted)),
            "height.polarity": ("height", file("a_height.png", 1 - maps["height"], 16)),
            "height.bit_depth": ("height", file("a_height.png", np.rint(maps["height"] * 255) / 255, 16)),
            "ambient_occlusion.polarity": ("ambient_occlusion", file("a_ao.png", 1 - maps["ambient_occlusion"])),
            "roughness.polarity": ("roughness", file("a_smoothness.png", 1 - maps["roughness"])),
            "set.same_size": ("ambient_occlusion", file("a_ao.png", half)),
            "set.aligned": ("roughness", file("a_roughness.png", np.roll(maps["roughness"], (9, 5), (0, 1)))),
            "files.encoding": ("roughness", file("a_roughness.png", maps["roughness"], tagged="srgb")),
            "files.lossless": ("roughness", file("a_roughness.jpg", maps["roughness"], format="jpeg")),
        }
        for rule, (role, changed) in cases.items():
            with self.subTest(rule=rule):
                found = self.found(role, changed)
                self.assertEqual(wrong(found), {rule}, [f.what for f in found.findings])

    def test_edges_that_do_not_meet(self) -> None:
        ramp = np.linspace(0.5, 1.0, SIDE, dtype=np.float32)[None, :, None]
        spoilt = file("a_base_color.png", encode_srgb(KINDS["lime_render"](SIDE, 3).albedo) * ramp)
        self.assertIn("tiling.seam", wrong(self.found("base_color", spoilt)))

    def test_a_blank_map_is_a_note_and_is_left_out(self) -> None:
        found = audit([*good().values(), file("a_metallic.png", np.zeros((SIDE, SIDE), np.float32))])
        self.assertEqual(wrong(found), set())
        self.assertEqual(found.changes["gather.maps.metallic"], "")

    def test_a_specular_set_becomes_one_of_metal_and_roughness(self) -> None:
        rng = np.random.default_rng(3)
        base = rng.uniform(0.3, 0.9, (64, 64, 3)).astype(np.float32)
        metal = np.repeat(np.repeat((rng.random((8, 8)) > 0.5).astype(np.float32), 8, 0), 8, 1)
        diffuse, specular = to_specular(base, metal)
        files = {
            "b_diffuse.png": png_bytes(encode_srgb8(diffuse), encoding="srgb"),
            "b_specular.png": png_bytes(encode_srgb8(specular), encoding="srgb"),
            "b_gloss.png": png_bytes(rng.integers(60, 200, (64, 64)).astype(np.uint8), encoding="linear"),
        }
        given = [given_of(name, data) for name, data in files.items()]
        blobs = {one.blob: files[one.name] for one in given}
        (one,), _ = audited(given, blobs.__getitem__, PROFILES["separate_y_plus"])
        self.assertIn("set.workflow", wrong(one.found))
        recipe = recipe_of(one, repaired=True, profile="separate_y_plus")
        made = evaluation_for(one, blobs.__getitem__, recipe, Memory(200_000_000))
        self.assertLess(float(np.abs(made.layer("metallic", (64, 64)).pixels - metal).mean()), 0.03)
        self.assertLess(float(np.abs(made.layer("base_color", (64, 64)).pixels - base).mean()), 0.02)
        self.assertNotIn("specular", made.maps())
        self.assertNotIn(
            "set.workflow", wrong(audited(given, blobs.__getitem__, PROFILES["specular_gloss"])[0][0].found)
        )

    def test_packed_channels_are_told_by_the_name(self) -> None:
        for name, wanted in (
            ("brick_ORM.png", {"r": "ambient_occlusion", "g": "roughness", "b": "metallic"}),
            ("brick_arm_2k.png", {"r": "ambient_occlusion", "g": "roughness", "b": "metallic"}),
            ("brick_RMA.png", {"r": "roughness", "g": "metallic", "b": "ambient_occlusion"}),
            ("brick_occlusion_roughness_metallic.png", {"r": "ambient_occlusion", "g": "roughness", "b": "metallic"}),
            ("brick_MaskMap.png", {"r": "metallic", "g": "ambient_occlusion", "a": "gloss"}),
        ):
            found = named(name)
            self.assertEqual((found.role, packed_channels(found.word)), ("packed", wanted), name)
        maps = good()
        packed = np.dstack(
            [maps[role].values[..., 0] for role in ("ambient_occlusion", "roughness")] + [np.zeros((SIDE, SIDE))]
        )
        one = file("a_orm.png", packed.astype(np.float32))
        found = audit([maps["base_color"], maps["normal"], maps["height"], one])
        self.assertEqual(wrong(found), set())
        self.assertTrue(found.changes["gather.maps.roughness"].endswith(".g"))

    def test_inverted_height_without_a_witness_is_not_guessed(self) -> None:
        rng = np.random.default_rng(4)
        field = bumps(256)
        noise = rng.random((256, 256)).astype(np.float32)
        vectors = from_height(1 - field, depth=20.0) * np.float32(0.5) + np.float32(0.5)
        found = audit([file("b_height.png", field, 16), file("b_normal.png", vectors), file("b_rough.png", noise)])
        self.assertNotIn("height.polarity", wrong(found))
        self.assertIn("height.normal_agree", wrong(found))


class HarbourGratingTest(unittest.TestCase):
    """The demo set: six faults, all found, no other; repaired it passes and equals the truth within its quantisation."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.files = sample_files(SIDE)
        cls.blobs = {given_of(name, data).blob: data for name, data in cls.files.items()}
        given = [given_of(name, data) for name, data in cls.files.items()]
        (cls.one,), cls.refused = audited(given, cls.blobs.__getitem__, PROFILES["separate_y_plus"])

    def test_every_fault_and_no_other(self) -> None:
        told = {(f.rule, f.level) for f in self.one.found.findings if f.level != "pass"}
        self.assertEqual(
            told,
            {
                ("normal.encoding", "blocked"),
                ("normal.y_direction", "blocked"),
                ("roughness.polarity", "blocked"),
                ("height.bit_depth", "attention"),
                ("set.same_size", "blocked"),
                ("set.blank_maps", "note"),
            },
        )
        self.assertEqual(self.refused, [])

    def test_repaired_it_passes_and_equals_the_truth(self) -> None:
        recipe = recipe_of(self.one, repaired=True, profile="separate_y_plus")
        made = evaluation_for(self.one, self.blobs.__getitem__, recipe, Memory(600_000_000))
        # The heaviest rust is like no other place of the tile, and is seen to return.
        found = [f["rule"] for f in check(made, "grating") if f["level"] in ("blocked", "attention")]
        self.assertEqual(found, ["tiling.giveaways"])
        written = {one.name.split("_", 1)[1]: one.data for one in pack(made, "grating", lambda *_: None)}
        codes = {name: stored_codes(data) for name, data in written.items() if name.endswith(".png")}
        true = MAPS
        self.assertLessEqual(float(np.abs(codes["height.png"] / 65535 - true["height"]).max()), 1.01 / 255)
        self.assertLessEqual(float(np.abs(codes["roughness.png"] / 255 - true["roughness"]).max()), 1.01 / 255)
        np.testing.assert_allclose(codes["base_color.png"] / 255, encode_srgb(true["base_color"]), atol=1.01 / 255)
        # Coded as sRGB in 8 bits a step near flat is 1/255 of a code times the slope of the curve, 0.6 of it.
        off = decoded_normal(codes["normal.png"]) - true["normal"]
        self.assertLess(float(np.percentile(np.abs(off), 99.9)), 2.5 / 127.5)
        # Half the size: as good as a half-sized map can be enlarged.
        half = cv2.resize(true["ambient_occlusion"], (SIDE // 2, SIDE // 2), interpolation=cv2.INTER_AREA)
        best = cv2.resize(half, (SIDE, SIDE), interpolation=cv2.INTER_CUBIC)
        self.assertLess(float(np.abs(codes["ambient_occlusion.png"] / 255 - best).mean()), 0.005)
        self.assertNotIn("metallic.png", codes)
        again = [given_of(f"grating_{name}", data) for name, data in written.items() if name.endswith(".png")]
        blobs = {one.blob: written[one.name.split("_", 1)[1]] for one in again}
        (second,), _ = audited(again, blobs.__getitem__, PROFILES["separate_y_plus"])
        self.assertEqual(wrong(second.found), set())

    def test_the_report_says_it_for_programs(self) -> None:
        report = as_json([self.one], [])
        normal = next(row for row in report["sets"][0]["files"] if row["role"] == "normal")
        self.assertEqual(report["level"], "blocked")
        self.assertEqual(normal["values"]["normal.y"], "-")
        self.assertGreater(normal["values"]["confidence"], 0.9)
        self.assertEqual((normal["size"], normal["bits"], normal["encoding"]), ([SIDE, SIDE], 8, "linear"))


class AlignedTest(unittest.TestCase):
    """A map that lies beside the others is told in the audit and live, and moved back by one click."""

    def test_moved_back(self) -> None:
        right = good()
        moved = np.roll(MAPS["ambient_occlusion"], (-6, 11), (0, 1))
        right["ambient_occlusion"] = file("a_ao.png", moved)
        held, given = {}, []
        for one in right.values():
            codes = np.rint(one.values * (255 if one.bits == 8 else 65535)).astype(
                np.uint8 if one.bits == 8 else np.uint16
            )
            data = png_bytes(
                codes if one.name in ("a_base_color.png", "a_normal.png") else codes[..., 0], encoding="linear"
            )
            given.append(given_of(one.name, data))
            held[given[-1].blob] = data
        (found,), _ = audited(given, held.__getitem__, PROFILES["separate_y_plus"])
        told = [finding for finding in found.found.findings if finding.rule == "set.aligned"]
        self.assertEqual([finding.file for finding in told], ["a_ao.png"])
        np.testing.assert_allclose(told[0].values["offset"], [11, -6], atol=0.3)
        for repaired in (False, True):
            recipe = recipe_of(found, repaired=repaired, profile="separate_y_plus")
            made = evaluation_for(found, held.__getitem__, recipe, Memory(300_000_000))
            rows = {row["map"]: row for row in check(made, "a") if row["rule"] == "set.aligned"}
            self.assertEqual(rows["ambient_occlusion"]["level"], "pass" if repaired else "attention")
            self.assertEqual(rows["normal"]["level"], "pass")
            if not repaired:
                # The live rule's own fix does the same as the audit's repair.
                recipe = recipe.with_changes(rows["ambient_occlusion"]["fix"]["changes"])
                made = evaluation_for(found, held.__getitem__, recipe, Memory(300_000_000))
            back = made.layer("ambient_occlusion", (SIDE, SIDE)).pixels
            # Placed to a fraction of a pixel, it is looked up between pixels.
            self.assertLess(float(np.sqrt(np.mean((back - MAPS["ambient_occlusion"]) ** 2))), 0.02)


class WeakTest(unittest.TestCase):
    """Nothing is repaired on weak evidence unless it is asked for by itself; what remains is found by auditing again."""

    def audited(self, **maps: Stored) -> tuple[Set, dict[str, bytes]]:
        held, given = {}, []
        for one in maps.values():
            deep = np.uint8 if one.bits == 8 else np.uint16
            codes = np.rint(one.values * np.iinfo(deep).max).astype(deep)
            colour = one.name.endswith(("base_color.png", "normal.png"))
            data = png_bytes(np.ascontiguousarray(codes if colour else codes[..., 0]), encoding="linear")
            given.append(given_of(one.name, data))
            held[given[-1].blob] = data
        (found,), _ = audited(given, held.__getitem__, PROFILES["separate_y_plus"])
        return found, held

    def test_a_move_on_weak_evidence_is_offered_by_itself(self) -> None:
        moved = good() | {"ambient_occlusion": file("a_ao.png", np.roll(MAPS["ambient_occlusion"], (-6, 11), (0, 1)))}
        whole = audit(list(moved.values()))
        doubtful = look.lying_beside
        for sure in (SURE - 0.01, SURE):
            with mock.patch.object(
                look,
                "lying_beside",
                lambda *a, sure=sure: {role: one._replace(sure=sure) for role, one in doubtful(*a).items()},
            ):
                found = audit(list(moved.values()))
            told = next(finding for finding in found.findings if finding.rule == "set.aligned")
            with self.subTest(sure=sure):
                self.assertEqual(told.weak, sure < SURE)
                self.assertEqual("gather.registration.files" in found.changes, sure >= SURE)
                self.assertTrue(told.changes, "and can be asked for")
        self.assertIn("gather.registration.files", whole.changes)

    def test_what_is_made_from_the_others_is_not_found_missing_again(self) -> None:
        found, held = self.audited(**{role: one for role, one in good().items() if role != "roughness"})
        self.assertIn("There is no roughness.", {finding.what for finding in found.found.findings})
        left = remaining(found, held.__getitem__, PROFILES["separate_y_plus"], Memory(400_000_000))
        self.assertEqual([finding.what for finding in left if finding.rule == "set.required_maps"], [])

    def test_what_low_light_does_to_edges_is_no_move(self) -> None:
        # Maps read from one photograph in low light lie on each other, though edges of tone lie beside those of relief;
        # moved across the light, or further, they do not.
        off = Beside(0.68, -1.88, 0.9)
        light = Raking(bearing=70.0, strength=0.6, fit=0.8, weight=0.4)
        self.assertLess(beyond_light(off, light, 512), ASIDE)
        self.assertLess(beyond_light(off, None, 512), ASIDE)
        self.assertGreater(beyond_light(Beside(1.0, -2.9, 0.9), replace(light, weight=0.0), 512), ASIDE)
        self.assertGreater(beyond_light(Beside(1.88, 0.68, 0.9), light, 512), ASIDE)
        self.assertGreater(beyond_light(Beside(1.4, -3.8, 0.9), light, 512), ASIDE)
        lit = photographed(rig_surface("lime_render", 512, 3))
        ready = evaluation(lit, **size_of(512))
        names = ("base_color", "height", "normal", "roughness", "ambient_occlusion")
        maps = {role: ready.layer(role, (512, 512)).pixels for role in names}
        stored_maps = {"base_color": file("w_base_color.png", encode_srgb(maps["base_color"]))}
        stored_maps["normal"] = file("w_normal.png", maps["normal"] * 0.5 + 0.5)
        for role in ("height", "roughness", "ambient_occlusion"):
            stored_maps[role] = file(f"w_{role}.png", np.repeat(maps[role][..., None], 3, -1))
        found = audit(list(stored_maps.values()))
        self.assertEqual([f.what for f in found.findings if f.rule == "set.aligned"], [])
        rolled = dict(stored_maps)
        rolled["roughness"] = file(
            "w_roughness.png", np.roll(np.repeat(maps["roughness"][..., None], 3, -1), (0, 7), (0, 1))
        )
        found = audit(list(rolled.values()))
        self.assertEqual({f.file for f in found.findings if f.rule == "set.aligned"}, {"w_roughness.png"})

    def test_a_move_that_stays_in_doubt_is_found_again(self) -> None:
        moved = good() | {"ambient_occlusion": file("a_ao.png", np.roll(MAPS["ambient_occlusion"], (-6, 11), (0, 1)))}
        doubtful = look.lying_beside
        with mock.patch.object(
            look,
            "lying_beside",
            lambda *a: {role: one._replace(sure=SURE - 0.01) for role, one in doubtful(*a).items()},
        ):
            found, held = self.audited(**moved)
            left = remaining(found, held.__getitem__, PROFILES["separate_y_plus"], Memory(400_000_000))
        self.assertIn("set.aligned", {finding.rule for finding in left})

    def test_two_moves_that_are_asked_for_are_both_made(self) -> None:
        spoilt = good()
        for role, name, by in (("ambient_occlusion", "a_ao.png", (-6, 11)), ("roughness", "a_roughness.png", (9, 5))):
            spoilt[role] = file(name, np.roll(MAPS[role], by, (0, 1)))
        sure = look.lying_beside
        with mock.patch.object(
            look, "lying_beside", lambda *a: {role: one._replace(sure=0.3) for role, one in sure(*a).items()}
        ):
            found, _ = self.audited(**spoilt)
        weak = [finding for finding in found.found.findings if finding.rule == "set.aligned"]
        self.assertEqual({finding.file for finding in weak}, {"a_ao.png", "a_roughness.png"})
        recipe = recipe_of(found, repaired=True, profile="separate_y_plus", also=[finding.id for finding in weak])
        self.assertEqual(len(recipe.settings("gather.registration").files), 2)

    def test_which_way_green_points_is_offered_where_it_cannot_be_told(self) -> None:
        flat = np.zeros((SIDE, SIDE, 3), np.float32)
        flat[..., 2] = 1
        spoilt = good() | {"normal": file("a_normal.png", flat * 0.5 + 0.5)}
        found, _ = self.audited(**spoilt)
        told = next(f for f in found.found.findings if f.rule == "normal.y_direction")
        self.assertEqual((told.level, told.weak), ("unknown", True))
        self.assertIn("Light it", told.why)
        without, with_it = (
            recipe_of(found, repaired=True, profile="separate_y_plus", also=also) for also in ([], [told.id])
        )
        self.assertEqual(without.settings("gather.maps").normal_y, "plus")
        self.assertEqual(with_it.settings("gather.maps").normal_y, "minus")

    def test_what_remains_is_told(self) -> None:
        memory, profile = Memory(600_000_000), PROFILES["separate_y_plus"]
        turned = good() | {"height": file("a_height.png", 1 - MAPS["height"])}
        found, held = self.audited(**turned)
        self.assertIn("height.polarity", wrong(found.found))
        self.assertEqual(remaining(found, held.__getitem__, profile, memory), [])
        # A lean of the whole surface is told, and nothing mends it.
        leaning = MAPS["normal"] + np.float32([0.3, 0, 0])
        leaning = leaning / np.linalg.norm(leaning, axis=-1, keepdims=True)
        found, held = self.audited(**(good() | {"normal": file("a_normal.png", leaning * 0.5 + 0.5)}))
        left = {finding.rule for finding in remaining(found, held.__getitem__, profile, memory)}
        self.assertIn("normal.tilt", left)


class BlocksTest(unittest.TestCase):
    def test_a_map_that_was_a_jpeg_is_told_whatever_it_is_now(self) -> None:
        codes = np.rint((MAPS["normal"] * 0.5 + 0.5) * 255).astype(np.uint8)
        stream = io.BytesIO()
        Image.fromarray(codes).save(stream, "JPEG", quality=80)
        with Image.open(stream) as picture:
            spoilt = np.asarray(picture).astype(np.float32) / 255
        self.assertLess(blockiness(codes[..., :2].astype(np.float32)), BLOCKY)
        self.assertGreater(blockiness(spoilt[..., :2]), BLOCKY)
        files = good() | {"normal": file("a_normal.png", spoilt)}
        self.assertIn("normal.steps", wrong(audit(list(files.values()))))
        # A part of it, whose blocks begin elsewhere, tells it too.
        self.assertGreater(blockiness(np.ascontiguousarray(spoilt[3:, 5:, :2])), BLOCKY)


class FolderTest(unittest.TestCase):
    """Files of one name in two folders are two surfaces; maps of one surface may lie in several folders."""

    def names(self, *files: str) -> list[tuple[str, list[str]]]:
        rng = np.random.default_rng(5)
        held, given = {}, []
        for name in files:
            data = png_bytes(rng.integers(60, 200, (64, 64, 3), np.uint8), encoding="linear")
            one = given_of(name, data)
            held[one.blob] = data
            given.append(one)
        sets, refused = audited(given, held.__getitem__, PROFILES["separate_y_plus"])
        self.assertEqual(refused, [])
        return [(one.name, sorted(file.name for file in one.files)) for one in sets]

    def test_two_folders_of_the_same_names(self) -> None:
        files = (
            "old/coir_base_color.png",
            "old/coir_roughness.png",
            "new/coir_base_color.png",
            "new/coir_roughness.png",
        )
        found = self.names(*files)
        self.assertEqual(found, [("Coir (old)", sorted(files[:2])), ("Coir (new)", sorted(files[2:]))])

    def test_one_surface_in_two_folders(self) -> None:
        files = ("colour/coir_base_color.png", "data/coir_roughness.png")
        self.assertEqual(self.names(*files), [("Coir", sorted(files))])

    def test_one_name_twice_without_folders(self) -> None:
        self.assertEqual(len(self.names("coir_base_color.png", "coir_base_color.png")), 2)


class StepsTest(unittest.TestCase):
    def test_steps_are_smoothed_by_half_a_step_at_most(self) -> None:
        true = 0.4 + 0.1 * bumps(256)
        stepped = (np.rint(true * 255) / 255).astype(np.float32)
        smooth = without_steps(stepped)
        self.assertLessEqual(float(np.abs(smooth - stepped).max()), 0.5 / 255 + 1e-6)
        np.testing.assert_array_equal(np.rint(smooth * 255), np.rint(stepped * 255))
        rms = [float(np.sqrt(np.mean((np.diff(f, 2) - np.diff(true, 2)) ** 2))) for f in (stepped, smooth)]
        self.assertLess(rms[1], 0.2 * rms[0])


class ZipTest(unittest.TestCase):
    def zipped(self, *infos: tuple[str | zipfile.ZipInfo, bytes]) -> bytes:
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
            for info, data in infos:
                archive.writestr(info, data)
        return stream.getvalue()

    def test_what_leaves_the_archive_or_is_no_file_is_refused_alone(self) -> None:
        link = zipfile.ZipInfo("link.png")
        link.external_attr = 0o120777 << 16
        data = self.zipped(("../up.png", b"x"), ("/root.png", b"x"), ("C:/x.png", b"x"), (link, b"/etc/passwd"), ("ok.png", b"y"), ("bomb.png", b"\0" * (8 << 20)))  # fmt: skip
        read = dict(entries(data, "set.zip"))
        self.assertEqual([name for name, content in read.items() if isinstance(content, bytes)], ["ok.png"])
        self.assertTrue(all(isinstance(c, ThicketError) for name, c in read.items() if name != "ok.png"))

    def test_what_is_no_zip_or_holds_too_much_is_refused(self) -> None:
        for data in (b"PK\3\4 nothing", self.zipped(("a.png", b"x"))[:40], self.zipped(*((f"{n}.png", b"") for n in range(2001)))):  # fmt: skip
            with self.assertRaises(UnreadableFile):
                list(entries(data, "set.zip"))


class TagTest(unittest.TestCase):
    def test_chunks_of_a_png(self) -> None:
        """PNG third edition, 11.3.2."""
        codes = np.zeros((4, 4, 3), np.uint8)
        self.assertEqual(encoding_tag(png_bytes(codes, encoding="srgb")), "srgb")
        self.assertEqual(encoding_tag(png_bytes(codes, encoding="linear")), "")
        stream = io.BytesIO()
        Image.fromarray(codes).save(stream, "JPEG")
        self.assertEqual(encoding_tag(stream.getvalue()), "")


class NameTest(unittest.TestCase):
    def test_a_smooth_word_is_not_a_packed_one(self) -> None:
        self.assertEqual(
            guessed("storm.png", np.random.default_rng(1).random((64, 64, 3)).astype(np.float32)).role, "photo"
        )
        self.assertEqual(named("armchair_color.png").role, "base_color")


if __name__ == "__main__":
    unittest.main()
