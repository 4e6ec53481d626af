"""Existing map sets: roles, one plan for all maps, and truth maps that stay true on the way."""

import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np

from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.gather.roles import families, guessed, named
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.relief.normal import from_height
from amber_thicket.core.shading.slope import integrated
from amber_thicket.errors import UnreadableFile
from amber_thicket.service import mapset
from amber_thicket.service.bake import check
from amber_thicket.service.from_paths import load_material_from_paths
from tests.support import ArraySource, bumps, encoded, linear_photograph, photograph, temporary_library

SIDE = 256
DEPTH = 20.0


def stored_normal(height: np.ndarray, *, y: int = 1) -> np.ndarray:
    return np.rint((from_height(height, depth=DEPTH) * [1, y, 1] + 1) * 127.5).astype(np.uint8)


def angle_between(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    return np.degrees(np.arccos(np.clip((one * other).sum(-1), -1, 1)))


class RoleTest(unittest.TestCase):
    def test_names(self) -> None:
        # Suffix families: common practice, no source.
        for name, role in (
            ("slate_albedo.png", "base_color"),
            ("Slate_BaseColor_4K.png", "base_color"),
            ("slate-Normal-DX.png", "normal"),
            ("slate_nrm.tif", "normal"),
            ("slate_2k_disp.exr", "height"),
            ("SlateRoughness.png", "roughness"),
            ("slate_gloss.tga", "gloss"),
            ("slate_Ambient_Occlusion.png", "ambient_occlusion"),
            ("slate_AO_1024.jpg", "ambient_occlusion"),
            ("slate_metalness.png", "metallic"),
            ("slate_opacity.png", "opacity"),
            ("IMG_2231.JPG", ""),
            ("normal_school_wall.jpg", ""),
        ):
            self.assertEqual(named(name).role, role, name)
        self.assertEqual(named("slate_normal_dx.png").y, "minus")
        self.assertEqual(named("slate_NormalGL.png").y, "plus")

    def test_families(self) -> None:
        groups = families(["b_nor.png", "a_height.png", "b.jpg", "a_Color.png", "IMG_1.jpg", "IMG_2.jpg"])
        self.assertEqual(
            sorted(map(tuple, groups)),
            [("IMG_1.jpg",), ("IMG_2.jpg",), ("a_Color.png", "a_height.png"), ("b.jpg", "b_nor.png")],
        )

    def test_pixels_decide_where_names_do_not(self) -> None:
        height = bumps(SIDE)
        for y, wanted in ((1, "plus"), (-1, "minus")):
            guess = guessed("IMG_7.png", stored_normal(height, y=y) / 255)
            self.assertEqual((guess.role, guess.y), ("normal", wanted))
        colour = np.random.default_rng(1).random((64, 64, 3))
        self.assertEqual(guessed("rusty_metal.jpg", colour).role, "photo")
        self.assertIn("in colour", guessed("rusty_metal.jpg", colour).why)
        self.assertEqual(guessed("a_normal.png", colour).role, "")
        self.assertEqual(guessed("a_metallic.png", np.zeros((64, 64, 3))).role, "")
        self.assertEqual(guessed("a_roughness.png", photograph("gravel") / 255).role, "roughness")


class SynchronyTest(unittest.TestCase):
    """An identity map sent along must show the same source pixel in every map (QUALITY.md, synchrony)."""

    def set_of(self, changes: dict[str, object], **maps: np.ndarray) -> Evaluation:
        files = {f"{number:016x}": ArraySource(pixels, role) for number, (role, pixels) in enumerate(maps.items(), 1)}
        roles = {f"gather.maps.{role}": f"{number:016x}" for number, role in enumerate(maps, 1)}
        recipe = Recipe().with_changes(
            {"square.size.width": SIDE, "square.size.height": SIDE, "even.light.amount": 0, **roles, **changes}
        )
        return Evaluation(recipe, ArraySource(linear_photograph("gravel")), Memory(400_000_000), files=files)

    GEOMETRY = (
        {},
        {"gather.orient.turn": "90", "gather.orient.mirror": True},
        {"square.flat.turn": 7.0, "square.crop.left": 5.0},
        {"square.flat.upper_left_x": 8.0, "square.flat.lower_right_y": 93.0, "square.lens.k1": -0.05},
    )

    def test_every_map_shows_the_same_place(self) -> None:
        grey = linear_photograph("gravel")
        for changes in self.GEOMETRY:
            for method in ("none", "blend", "cut", "lattice"):
                made = self.set_of({**changes, "tile.join.method": method}, roughness=grey, height=grey)
                colour = made.layer("base_color", (SIDE, SIDE)).pixels[..., 0]
                for role in ("tiled.roughness", "tiled.height"):
                    other = made.layer(role, (SIDE, SIDE)).pixels
                    np.testing.assert_allclose(
                        other, np.clip(colour, None, 1), atol=2e-3, err_msg=f"{changes} {method}"
                    )

    def test_a_map_of_another_size_lies_in_the_same_place(self) -> None:
        grey = linear_photograph("gravel")
        half = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        for changes in self.GEOMETRY:
            made = self.set_of(changes, height=half)
            colour = cv2.GaussianBlur(made.layer("base_color", (SIDE, SIDE)).pixels[..., 0], (0, 0), 3)
            other = cv2.GaussianBlur(made.layer("height", (SIDE, SIDE)).pixels, (0, 0), 3)
            (dx, dy), _ = cv2.phaseCorrelate(colour, other)
            self.assertLess(np.hypot(dx, dy), 0.25, changes)

    def test_normals_turn_with_their_pixels(self) -> None:
        # Rotated normals equal the normals of the rotated height within 2°.
        y, x = np.mgrid[0:600, 0:600] / 600
        field = np.zeros((600, 600))
        rng = np.random.default_rng(5)
        for _ in range(60):
            a, b, r = rng.random(), rng.random(), rng.uniform(0.03, 0.08)
            field += np.exp(-((x - a) ** 2 + (y - b) ** 2) / (2 * r * r))
        height = (field / field.max()).astype(np.float32)
        vectors = (from_height(height, depth=60.0, wraps=False) + 1) / 2
        for changes in (*self.GEOMETRY, {"gather.orient.turn": "270"}, {"square.flat.turn": -18.0}):
            made = self.set_of(
                {**changes, "tile.join.method": "none"}, height=np.repeat(height[..., None], 3, -1), normal=vectors
            )
            given = made.layer("normal", (SIDE, SIDE)).pixels
            if "square.lens.k1" in changes:
                # Perspective and bend stretch as well as turn: only the turn may show in the bearing.
                lean = np.hypot(given[..., 0], given[..., 1]) > 0.2
            else:
                lean = np.ones(given.shape[:2], bool)
            box = made.sample_box(made.sizes((SIDE, SIDE)).work)
            scale = (box[2] - box[0]) / SIDE * 600 / made.source.width
            found = from_height(made.layer("height", (SIDE, SIDE)).pixels, depth=60.0 / scale, wraps=False)
            if "square.lens.k1" in changes:
                bearing = np.arctan2(given[..., 1], given[..., 0]) - np.arctan2(found[..., 1], found[..., 0])
                off = np.degrees(np.abs((bearing + np.pi) % (2 * np.pi) - np.pi))
                self.assertLess(np.median(off[lean]), 4.0, changes)
            else:
                self.assertLess(np.median(angle_between(given, found)[lean]), 0.5, changes)
                self.assertLess(np.percentile(angle_between(given, found)[4:-4, 4:-4], 99), 2.0, changes)


class IntegrationTest(unittest.TestCase):
    """Targets: RMSE at most 0.5 % of the standard deviation in float, 1 % from 8 bit (QUALITY.md §1)."""

    def test_normals_give_the_height_back(self) -> None:
        height = bumps(SIDE)
        for vectors, limit in (
            (from_height(height, depth=DEPTH), 0.005),
            (stored_normal(height) / 127.5 - 1, 0.01),
        ):
            found = integrated(vectors.astype(np.float32)) / DEPTH
            off = (found - found.mean()) - (height - height.mean())
            self.assertLess(float(off.std()), limit * float(height.std()))


class SetTest(unittest.TestCase):
    def files(self) -> dict[str, bytes]:
        height = bumps(512)
        deep = np.rint(height * 65535).astype(np.uint16)
        albedo = encode_srgb8(np.repeat(0.2 + 0.4 * height[..., None], 3, -1) * [1, 0.8, 0.6])
        return {
            "quay_height.png": cv2.imencode(".png", deep)[1].tobytes(),
            "quay_normal.png": encoded(stored_normal(height, y=-1)),
            "quay_gloss.png": encoded(np.rint(255 * (0.2 + 0.5 * height)).astype(np.uint8)),
            "quay_albedo.png": encoded(albedo),
            "quay_ao.png": encoded(np.rint(255 * (0.5 + 0.5 * height[::2, ::2])).astype(np.uint8)),
            "quay_metallic.png": encoded(np.zeros((512, 512), np.uint8)),
        }

    def test_several_maps_make_one_material(self) -> None:
        files = self.files()
        (order,) = families(list(files))
        self.assertEqual(order[0], "quay_albedo.png")
        with temporary_library() as library:
            material = library.add([files[order[0]]], order[0])
            for name in order[1:]:
                material = library.add_map(material.id, [files[name]], name, gesture="drop")
            evaluation = library.evaluation(material)
            rows = {row["file"]: row for row in mapset.listed(material.source, evaluation)}
            self.assertEqual({n: r["role"] for n, r in rows.items()}, {
                "quay_albedo.png": "base_color", "quay_height.png": "height", "quay_normal.png": "normal",
                "quay_gloss.png": "gloss", "quay_ao.png": "ambient_occlusion", "quay_metallic.png": "",
            })  # fmt: skip
            self.assertIn("brought to the same size", " ".join(rows["quay_ao.png"]["notes"]))
            self.assertIn("nothing in it", rows["quay_metallic.png"]["why"])
            self.assertEqual(evaluation.recipe.settings("gather.maps").normal_y, "minus")
            self.assertEqual(evaluation.recipe.settings("even.light").amount, 0)
            self.assertEqual(evaluation.recipe.settings("tile.join").method, "none", "its edges meet already")
            truth = bumps(512)
            np.testing.assert_allclose(evaluation.layer("height", (512, 512)).pixels, truth, atol=1 / 65535)
            off = angle_between(evaluation.layer("normal", (512, 512)).pixels, from_height(truth, depth=DEPTH))
            self.assertLess(float(off.max()), 1.0)
            np.testing.assert_allclose(
                evaluation.layer("roughness", (512, 512)).pixels, 1 - (0.2 + 0.5 * truth), atol=0.51 / 255 + 1e-6
            )
            # The depth follows the normal map: the truth was 20 px deep.
            depth = evaluation.layer("height", (512, 512)).span * 512
            self.assertAlmostEqual(depth, DEPTH, delta=0.3)
            # One undo takes the whole drop back; the files stay with the material.
            back = library.undo(material.id, material.revision)
            self.assertEqual(library.evaluation(back).brought, {})
            self.assertEqual(len(mapset.listed(back.source, library.evaluation(back))), 6)

    def test_a_role_is_changed_and_undone(self) -> None:
        files = self.files()
        with temporary_library() as library:
            material = library.add([files["quay_albedo.png"]], "quay_albedo.png")
            material = library.add_map(material.id, [files["quay_gloss.png"]], "quay_gloss.png")
            key = material.source["more"][0]["key"]
            changes, label = mapset.with_role(library, material, key, "height")
            material = library.edit(material.id, material.revision, changes, label=label, gesture="")
            chosen = library.recipe(material).settings("gather.maps")
            self.assertEqual((chosen.height, chosen.roughness), (key, ""))
            self.assertEqual(label, "quay_gloss.png: Height")
            material = library.undo(material.id, material.revision)
            self.assertEqual(library.recipe(material).settings("gather.maps").roughness, key)
            with self.assertRaises(UnreadableFile):
                library.add_map(material.id, [files["quay_gloss.png"]], "again_gloss.png")

    def test_normal_alone_gives_a_height(self) -> None:
        files = self.files()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for file in ("quay_albedo.png", "quay_normal.png"):
                (folder / file).write_bytes(files[file])
            loose = load_material_from_paths([folder], None, {"tile.join.method": "none"}, Memory(300_000_000))
            self.assertEqual(loose.name, "quay")
            made, truth = loose.evaluation.layer("height", (512, 512)), bumps(512)
            self.assertGreater(np.corrcoef(made.pixels.ravel(), truth.ravel())[0, 1], 0.999)
            self.assertAlmostEqual(made.span * 512 * float(np.ptp(made.pixels)), DEPTH, delta=0.5)
            (folder / "other_height.png").write_bytes(files["quay_height.png"])
            with self.assertRaises(UnreadableFile):
                load_material_from_paths([folder], None, {}, Memory(300_000_000))

    def test_a_height_alone_packs_no_colour_until_one_is_brought(self) -> None:
        files = self.files()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "quay_height.png").write_bytes(files["quay_height.png"])
            lone = load_material_from_paths([folder], None, {}, Memory(300_000_000))
            plan = planned(lone.evaluation.recipe, "quay")
            self.assertNotIn("base_color", {role for file in plan.files for role in file.roles})
            self.assertEqual(plan.left_out, ("base_color", "metallic"))
            found = [row for row in check(lone.evaluation, "quay") if row["rule"] == "set.required_maps"]
            self.assertEqual(
                [(row["level"], row["measured"]) for row in found], [("attention", "no base colour: no file tells it")]
            )
            # Somebody may say that the picture is its colour all the same.
            grey = planned(lone.evaluation.recipe.with_changes({"gather.maps.colour": "picture"}), "quay")
            self.assertIn("base_color", grey.files[0].roles)
            # A scene cannot do without.
            scene = planned(lone.evaluation.recipe.with_changes({"pack.files.profile": "gltf"}), "quay")
            self.assertIn("base_color", scene.files[0].roles)
            (folder / "quay_albedo.png").write_bytes(files["quay_albedo.png"])
            both = load_material_from_paths([folder], None, {}, Memory(300_000_000))
            self.assertIn("base_color", planned(both.evaluation.recipe, "quay").files[0].roles)


class ComparedTest(unittest.TestCase):
    def test_truth_is_there_to_compare_with_and_never_used(self) -> None:
        self.assertEqual(named("slate_truth_height.png").role, "truth_height")
        self.assertEqual(named("slate_truth_height.png").family, "slate")
        height = np.rint(bumps(SIDE) * 255).astype(np.uint8)
        with temporary_library() as library:
            material = library.add([encoded(photograph("gravel"))], "slate.png")
            made = library.evaluation(material)
            before = made.key("height", (SIDE, SIDE))
            material = library.add_map(material.id, [encoded(height)], "slate_truth_height.png")
            made = library.evaluation(material)
            self.assertEqual(made.compared(), ("truth_height",))
            self.assertEqual(made.key("height", (SIDE, SIDE)), before)
            self.assertNotIn("truth_height", made.maps())
            self.assertEqual(made.layer("truth_height", (SIDE, SIDE)).pixels.shape, (SIDE, SIDE))
