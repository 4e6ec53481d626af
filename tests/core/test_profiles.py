"""Profiles and the files they plan: names, channels, bits, encodings and what is left out, each by its value."""

import unittest
from typing import Any

from pydantic import ValidationError

from amber_thicket.core.files.file_plan import PlannedFile, blank_roles, planned, portable, profile_of
from amber_thicket.core.pack.formats import FORMATS
from amber_thicket.core.pack.profiles import (
    CONTENTS,
    PROFILES,
    FileRule,
    Profile,
    content_of,
    has_colour,
    profile_named,
)
from amber_thicket.core.recipe import Recipe
from amber_thicket.errors import BadSetting


def files_of(profile: str = "separate_y_plus", name: str = "Wall", **changes: Any) -> dict[str, PlannedFile]:
    recipe = Recipe().with_changes(
        {"pack.files.profile": profile, **{k.replace("__", "."): v for k, v in changes.items()}}
    )
    return {file.name: file for file in planned(recipe, name).files}


def sized(width: int, height: int) -> dict[str, int]:
    return {"square.size.width": width, "square.size.height": height}


class RuleTest(unittest.TestCase):
    def rule(self, **fields: Any) -> FileRule:
        return FileRule(**{"suffix": "a", "channels": ("height",), **fields})

    def test_what_can_be_written(self) -> None:
        for fields in (
            {"suffix": "A_b-9"}, {"suffix": "x" * 40}, {"channels": ("base_color",)}, {"channels": ("base_color", "1-roughness")},
            {"channels": ("height", "opacity")}, {"channels": ("1-roughness", "white", "black", "metallic")},
            {"format": "tiff", "depth": "float"}, {"depth": "16"}, {"format": "exr"},
        ):  # fmt: skip
            with self.subTest(**fields):
                self.rule(**fields)

    def test_what_cannot(self) -> None:
        for fields, word in (
            ({"suffix": "x" * 41}, "40 letters"), ({"suffix": ""}, "40 letters"), ({"suffix": "a b"}, "40 letters"),
            ({"channels": ()}, "one to four"), ({"channels": ("height",) * 5}, "one to four"),
            ({"channels": ("hight",)}, "no map"), ({"channels": ("height", "base_color")}, "three channels"),
            ({"channels": ("base_color", "height", "height")}, "three channels"), ({"channels": ("1-normal",)}, "not inverted"),
            ({"format": "bmp"}, "formats are"), ({"depth": "12"}, "depths are"),
            ({"format": "jpeg", "depth": "16"}, "jpeg has 8, not 16"), ({"format": "png", "depth": "half"}, "png has 8 or 16"),
        ):  # fmt: skip
            with self.subTest(**fields), self.assertRaisesRegex(ValidationError, word):
                self.rule(**fields)

    def test_a_profile_names_its_files_apart(self) -> None:
        rule = self.rule()
        with self.assertRaisesRegex(ValidationError, "one name"):
            Profile(id="x", label="x", y="plus", files=(rule, self.rule(suffix="A")))
        with self.assertRaisesRegex(ValidationError, "there is not"):
            Profile(id="x", label="x", y="plus", files=(rule,), needs=("hight",))
        Profile(id="x", label="x", y="plus", files=tuple(self.rule(suffix=f"f{n}") for n in range(24)))
        with self.assertRaises(ValidationError):
            Profile(id="x", label="x", y="plus", files=tuple(self.rule(suffix=f"f{n}") for n in range(25)))

    def test_contents(self) -> None:
        self.assertEqual((content_of("1-roughness"), content_of("height")), ("roughness", "height"))
        colours = {name for name in CONTENTS if has_colour(name)}
        self.assertEqual(colours, {"base_color", "normal", "specular", "translucency", "back_color", "emissive", "diffuse",
                                   "specular_color", "transmission_color"})  # fmt: skip

    def test_one_of_ones_own(self) -> None:
        own = {
            "label": "x" * 80,
            "y": "minus",
            "gloss": True,
            "glb": True,
            "files": [{"suffix": "a", "channels": ["height"]}],
        }
        recipe = Recipe().with_changes({"pack.files.own": own, "pack.files.profile": "own"})
        found = profile_of(recipe)
        self.assertEqual(
            (found.id, found.label, found.y, found.gloss, found.glb), ("own", "x" * 60, "minus", True, False)
        )
        self.assertEqual(found.needs, ())
        self.assertEqual(profile_of(recipe.with_changes({"pack.files.profile": "gltf"})).id, "gltf")
        self.assertEqual(profile_of(Recipe().with_changes({"pack.files.profile": "own"})).id, "separate_y_plus")
        self.assertEqual(profile_named("own").id, "separate_y_plus")
        with self.assertRaisesRegex(BadSetting, "weld"):
            profile_named("weld")


class FormatTest(unittest.TestCase):
    def test_the_nearest_depth(self) -> None:
        for format, depth, nearest in (
            ("png", "8", "8"), ("png", "16", "16"), ("png", "float", "16"), ("exr", "8", "half"), ("exr", "16", "half"),
            ("exr", "float", "float"), ("tiff", "half", "float"), ("tiff", "16", "16"), ("jpeg", "16", "8"), ("tga", "float", "8"),
        ):  # fmt: skip
            self.assertEqual(FORMATS[format].nearest(depth), nearest, (format, depth))

    def test_what_each_can(self) -> None:
        self.assertEqual([f.id for f in FORMATS.values() if f.lossy], ["jpeg"])
        self.assertEqual([f.id for f in FORMATS.values() if not f.alpha], ["jpeg"])
        self.assertEqual({f.id: f.suffix for f in FORMATS.values() if f.suffix != f.id}, {"tiff": "tif", "jpeg": "jpg"})


class PlanTest(unittest.TestCase):
    def test_separate_maps(self) -> None:
        files = files_of()
        self.assertEqual(
            list(files),
            [f"Wall_{role}.png" for role in ("base_color", "height", "normal", "roughness", "ambient_occlusion")],
        )
        told = {
            name[5:-4]: (f.bits, f.encoding, f.y, f.floating, f.channels, f.values_a_pixel) for name, f in files.items()
        }
        self.assertEqual(told, {
            "base_color": (8, "srgb", None, False, 3, 3), "height": (16, "linear", None, False, 1, 1),
            "normal": (8, "linear", "plus", False, 3, 3), "roughness": (8, "linear", None, False, 1, 1),
            "ambient_occlusion": (8, "linear", None, False, 1, 1),
        })  # fmt: skip

    def test_what_no_file_holds_is_named(self) -> None:
        wanted = Recipe().with_changes({"relief.curvature.in_pack": True})
        for profile, without in (("separate_y_plus", ()), ("mask_packed", ("curvature",)), ("gltf", ("curvature",))):
            plan = planned(wanted.with_changes({"pack.files.profile": profile}), "x")
            self.assertEqual(plan.without_place, without, profile)
            self.assertEqual(any("curvature" in file.roles for file in plan.files), not without)
        # What is not asked for is missed nowhere.
        self.assertEqual(planned(Recipe().with_changes({"pack.files.profile": "mask_packed"}), "x").without_place, ())

    def test_maps_that_say_something_are_written(self) -> None:
        more = files_of(
            response__metallic__level=1.0, response__emissive__colour="#ff0000", relief__curvature__in_pack=True
        )
        for role in ("metallic", "emissive", "curvature"):
            self.assertIn(f"Wall_{role}.png", more)
        plan = planned(Recipe(), "Wall")
        self.assertEqual(plan.left_out, ("metallic",), "curvature is not asked for, the others are not usual")
        self.assertIn("metallic", blank_roles(Recipe()))
        self.assertNotIn("curvature", blank_roles(Recipe().with_changes({"relief.curvature.in_pack": True})))

    def test_which_way_green_points(self) -> None:
        for profile, setting, y in (
            ("separate_y_plus", "profile", "plus"), ("separate_y_minus", "profile", "minus"),
            ("separate_y_plus", "minus", "minus"), ("separate_y_minus", "plus", "plus"), ("specular_gloss", "profile", "minus"),
        ):  # fmt: skip
            files = files_of(profile, relief__normal__y_in_files=setting)
            self.assertEqual(files["Wall_normal.png"].y, y, (profile, setting))

    def test_gltf(self) -> None:
        """Khronos glTF 2.0, 3.9: occlusion, roughness and metallic in R, G and B; opacity in the alpha of the colour."""
        files = files_of("gltf", pack__files__format="tiff")
        packed = files["Wall_occlusion_roughness_metallic.png"]
        self.assertEqual(packed.roles, ("ambient_occlusion", "roughness", "metallic"))
        self.assertEqual([packed.where(role) for role in packed.roles], [slice(0, 1), slice(1, 2), slice(2, 3)])
        self.assertEqual((packed.channels, packed.values_a_pixel, packed.encoding), (3, 3, "linear"))
        self.assertEqual(files["Wall_base_color.png"].contents, ("base_color",))
        clear = files_of("gltf", response__opacity__level=0.5)["Wall_base_color.png"]
        self.assertEqual((clear.contents, clear.channels, clear.values_a_pixel), (("base_color", "opacity"), 4, 4))
        self.assertEqual((clear.where("base_color"), clear.where("opacity")), (slice(0, 3), slice(3, 4)))
        self.assertEqual(
            planned(Recipe().with_changes({"pack.files.profile": "gltf"}), "Wall").scenes, (("gltf", "Wall.glb"),)
        )

    def test_smoothness_is_one_minus_roughness(self) -> None:
        file = files_of("albedo_smoothness")["Wall_albedo_smoothness.png"]
        self.assertTrue(file.inverted("roughness"))
        self.assertFalse(file.inverted("base_color"))
        mask = files_of("mask_packed")["Wall_mask.png"]
        self.assertEqual(mask.contents, ("metallic", "ambient_occlusion", "white", "1-roughness"))
        self.assertEqual((mask.channels, mask.where("roughness")), (4, slice(3, 4)))

    def test_a_grey_map_with_alpha_is_written_in_colour(self) -> None:
        own = {
            "label": "o",
            "y": "plus",
            "files": [{"suffix": "h", "channels": ["height", "opacity"], "format": "tiff", "depth": "16"}],
        }
        file = files_of("own", pack__files__own=own)["Wall_h.tif"]
        self.assertEqual((file.channels, file.bits, file.where("height")), (4, 16, slice(0, 3)))

    def test_formats_and_depths(self) -> None:
        for format, height_bits, expected in (
            ("png", "16", ("png", 16, False)), ("png", "8", ("png", 8, False)), ("exr", "16", ("exr", 16, True)),
            ("tiff", "16", ("tif", 16, False)), ("jpeg", "16", ("jpg", 8, False)), ("tga", "16", ("tga", 8, False)),
        ):  # fmt: skip
            files = files_of(pack__files__format=format, pack__files__height_bits=height_bits)
            (name,) = [one for one in files if "_height." in one]
            self.assertEqual((name.rsplit(".", 1)[1], files[name].bits, files[name].floating), expected)
        # Floats hold linear light, whatever they show.
        self.assertEqual(files_of(pack__files__format="exr")["Wall_base_color.exr"].encoding, "linear")

    def test_names(self) -> None:
        for name, stem in (("Harbour wall", "Harbour_wall"), ("Küste!", "Kuste"), ("../../x", "x"), ("", "material"), ("石", "material"),
                           ("a" * 100, "a" * 80), ("_-a-_", "a")):  # fmt: skip
            self.assertEqual(portable(name), stem)
        self.assertIn("shore_height.png", files_of(pack__files__name="shore"))

    def test_scenes(self) -> None:
        recipe = Recipe().with_changes(
            {"pack.files.usd": True, "pack.files.materialx": True, "pack.files.profile": "separate_y_minus"}
        )
        plan = planned(recipe, "Wall")
        self.assertEqual(plan.scenes, (("materialx", "Wall.mtlx"), ("usd", "Wall.usda")))
        self.assertEqual({file.name: file.y for file in plan.files if "normal" in file.name},
                         {"Wall_normal.png": "minus", "Wall_normal_y_plus.png": "plus"}, "a preview surface reads Y+ alone")  # fmt: skip

    def test_names_follow_a_pattern_with_folders(self) -> None:
        told = {"pack.files.name": "Wall", "pack.files.pattern": "{name}/{size}/{map}_{name}", **sized(512, 256)}
        plan = planned(
            Recipe().with_changes({**told, "pack.files.usd": True, "relief.normal.y_in_files": "minus"}), "m"
        )
        names = [file.name for file in plan.files]
        self.assertIn("Wall/512x256/base_color_Wall.png", names)
        self.assertIn("Wall/512x256/normal_y_plus_Wall.png", names)
        self.assertEqual(len(set(names)), len(names))
        self.assertIn("Wall/64/roughness_Wall.png",
                      [f.name for f in planned(Recipe().with_changes(told), "m", at=(64, 64)).files])  # fmt: skip
        usual = [file.name for file in planned(Recipe().with_changes({"pack.files.name": "Wall"}), "m").files]
        self.assertIn("Wall_base_color.png", usual)
        for bad in ("{name}", "../{map}", "a//{map}", "{map}/", "{map}?", "{colour}_{map}", "{map}" + 120 * "x", ""):
            with self.subTest(pattern=bad), self.assertRaises(BadSetting):
                Recipe().with_changes({"pack.files.pattern": bad})

    def test_every_shipped_profile_needs_what_it_writes(self) -> None:
        for profile in PROFILES.values():
            held = {content_of(token) for file in profile.files for token in file.channels}
            self.assertLessEqual(set(profile.needs), held, profile.id)


if __name__ == "__main__":
    unittest.main()
