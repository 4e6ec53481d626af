"""Maps that one value fills: the value, what a brought map and a cut-out make of it, and what metallic is told by."""

import unittest

import numpy as np

from amber_thicket.core.numeric.colour import linear_of_hex
from amber_thicket.core.raster import Raster
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.response.convert import to_specular
from amber_thicket.core.response.levels import decide_lamp
from amber_thicket.core.roles import ROLES
from tests.support import ArraySource, evaluation, linear_photograph, size_of

SIDE = 64
SIZE = (SIDE, SIDE)
PHOTO = linear_photograph("gravel")[:256, :256]


def layer(name: str, files: dict[str, np.ndarray] | None = None, **changes: object) -> np.ndarray:
    plain = {"tile.join.method": "none", "even.light.amount": 0.0, **size_of(256)}
    made = evaluation(PHOTO, **{**plain, **{k.replace("__", "."): v for k, v in changes.items()}})
    if files:
        from amber_thicket.core.graph import Evaluation

        keys = {role: f"{number:016x}" for number, role in enumerate(files, 1)}
        recipe = made.recipe.with_changes({f"gather.maps.{role}": key for role, key in keys.items()})
        sources = {keys[role]: ArraySource(pixels, role) for role, pixels in files.items()}
        made = Evaluation(recipe, made.first, made.memory, files=sources)
    return made.layer(name, SIZE).pixels


class UniformTest(unittest.TestCase):
    def test_defaults_say_nothing(self) -> None:
        for role in ("metallic", "opacity", "translucency", "back_color", "emissive"):
            np.testing.assert_array_equal(np.unique(layer(role)), [ROLES[role].blank], role)
        # 4 % of the light is what no metal mirrors: #383838 is .0395 in linear light.
        self.assertAlmostEqual(float(layer("specular").mean()), 0.04, delta=0.001)

    def test_a_level_or_a_colour_fills_it(self) -> None:
        self.assertAlmostEqual(float(layer("metallic", response__metallic__level=0.9).mean()), 0.9, places=5)
        self.assertAlmostEqual(float(layer("opacity", response__opacity__level=0.25).mean()), 0.25, places=5)
        for role in ("specular", "translucency", "back_color", "emissive"):
            found = layer(role, **{f"response__{role}__colour": "#804020"})
            np.testing.assert_allclose(found, np.broadcast_to(linear_of_hex("#804020"), found.shape), atol=1e-6)

    def test_every_role_that_can_be_filled_has_its_setting(self) -> None:
        for role in ROLES.values():
            if role.uniform:
                name = "level" if role.channels == 1 else "colour"
                self.assertEqual(BY_ID[f"response.{role.id}"].settings.model_fields[name].default, role.uniform.default)


class BroughtTest(unittest.TestCase):
    def test_a_brought_map_takes_the_place_of_the_value(self) -> None:
        halves = np.full((256, 256, 3), 0.25, np.float32)
        halves[:, 128:] = 0.75
        for role in ("metallic", "opacity"):
            found = layer(role, {role: halves}, **{f"response__{role}__level": 0.1})
            self.assertAlmostEqual(float(found[10, 10]), 0.25, places=4, msg=role)
            self.assertAlmostEqual(float(found[10, 54]), 0.75, places=4, msg=role)
        for role in ("specular", "back_color", "emissive"):
            found = layer(role, {role: halves}, **{f"response__{role}__colour": "#ff0000"})
            np.testing.assert_allclose(found[10, 10], 0.25, atol=1e-4, err_msg=role)
            np.testing.assert_allclose(found[10, 54], 0.75, atol=1e-4, err_msg=role)

    def test_metallic_of_diffuse_and_specular(self) -> None:
        """Khronos, KHR_materials_pbrSpecularGlossiness: a metal has no diffuse colour, and mirrors in its own."""
        metal = np.zeros((256, 256), np.float32)
        metal[:, 128:] = 1
        diffuse, specular = to_specular(PHOTO * 0.8 + 0.1, metal)
        made = {"specular": specular.astype(np.float32)}
        told = {"gather__maps__workflow": "specular"}

        def of(name: str, **more: object) -> np.ndarray:
            from amber_thicket.core.graph import Evaluation

            plain = evaluation(diffuse.astype(np.float32), **{"tile.join.method": "none", "even.light.amount": 0.0, **size_of(256)},
                               **{k.replace("__", "."): v for k, v in {**told, **more}.items()})  # fmt: skip
            recipe = plain.recipe.with_changes({"gather.maps.specular": "1" * 16})
            files = {"1" * 16: ArraySource(made["specular"], "specular")}
            return Evaluation(recipe, plain.first, plain.memory, files=files).layer(name, SIZE).pixels

        found = of("metallic")
        self.assertLess(float(found[:, 4:28].mean()), 0.05)
        self.assertGreater(float(found[:, 36:60].mean()), 0.95)
        plain = of("metallic", gather__maps__workflow="metal", response__metallic__level=0.3)
        self.assertAlmostEqual(float(plain.mean()), 0.3, places=5)


class CutOutTest(unittest.TestCase):
    """A disc on an even ground."""

    @classmethod
    def setUpClass(cls) -> None:
        v, u = np.mgrid[0:256, 0:256] - 127.5
        disc = (np.hypot(u, v) < 80)[..., None]
        cls.pixels = np.where(disc, np.float32([0.1, 0.3, 0.05]), np.float32([0.7, 0.7, 0.7])).astype(np.float32)

    def of(self, name: str, files: dict[str, np.ndarray] | None = None, **changes: object) -> np.ndarray:
        from amber_thicket.core.graph import Evaluation

        keys = {role: f"{number:016x}" for number, role in enumerate(files or {}, 1)}
        plain = {"tile.join.method": "none", "even.light.amount": 0.0, "tile.cutout.on": True, **size_of(256)}
        maps = {f"gather.maps.{role}": key for role, key in keys.items()}
        made = evaluation(self.pixels, **{**plain, **maps, **{k.replace("__", "."): v for k, v in changes.items()}})
        sources = {keys[role]: ArraySource(pixels, role) for role, pixels in (files or {}).items()}
        return Evaluation(made.recipe, made.first, made.memory, files=sources).layer(name, SIZE).pixels

    def test_opacity_is_the_mask_times_its_level(self) -> None:
        whole, half = self.of("opacity"), self.of("opacity", response__opacity__level=0.5)
        self.assertEqual((float(whole[32, 32]), float(whole[2, 2])), (1.0, 0.0))
        np.testing.assert_allclose(half, 0.5 * whole, atol=1e-6)
        self.assertAlmostEqual(float(whole.mean()), np.pi * 80**2 / 256**2, delta=0.02)

    def test_light_that_comes_through_is_a_share_of_the_lamp(self) -> None:
        """Beside the leaf the bare lamp is .8: what is .2 in the photograph lets a quarter of it through."""
        lit = np.where(self.pixels[..., :1] < 0.5, np.float32(0.2), np.float32(0.8)).repeat(3, -1)
        share = self.of("translucency", {"translucency": lit})
        np.testing.assert_allclose(share[32, 32], 0.25, atol=0.01)
        stored = self.of("translucency", {"translucency": lit}, response__translucency__lamp=False)
        np.testing.assert_allclose(stored[32, 32], 0.2, atol=0.01)
        # Its colour goes on beyond the edge, so that no rim of the lamp shows.
        np.testing.assert_allclose(share[32, 58], 0.25, atol=0.03)

    def test_the_lamp_is_the_middle_value_of_what_lies_bare(self) -> None:
        tiled = Raster(np.zeros((100, 100, 3), np.float32))
        brought = Raster(np.full((100, 100, 3), 0.1, np.float32))
        mask = np.ones((100, 100), np.float32)
        for number, value in enumerate((0.5, 0.7, 3.0)):
            brought.pixels[0, 30 * number : 30 * number + 30] = (value, 0.9 * value, 0)
            mask[0, 30 * number : 30 * number + 30] = 0.01
        # A thing half seen through is not bare.
        mask[5] = 0.03
        brought.pixels[5] = 9
        cut = Raster(mask)
        found = decide_lamp(tiled, brought, cut, lamp=True)
        np.testing.assert_allclose(found, [0.7, 0.63, 1e-3], rtol=1e-6)
        ones = np.ones(3, np.float32)
        np.testing.assert_array_equal(decide_lamp(tiled, brought, cut, lamp=False), ones)
        np.testing.assert_array_equal(decide_lamp(tiled, None, cut, lamp=True), ones)
        np.testing.assert_array_equal(decide_lamp(tiled, brought, None, lamp=True), ones)
        # Under half a hundredth of the picture nothing is told of it: 49 of 10,000 places, and 51.
        for places, wanted in ((49, ones), (51, [0.5, 0.45, 1e-3])):
            few = np.ones((100, 100), np.float32)
            few.reshape(-1)[:places] = 0
            brought.pixels[0, 30:60] = (0.5, 0.45, 0)
            np.testing.assert_allclose(decide_lamp(tiled, brought, Raster(few), lamp=True), wanted, rtol=1e-6)

    def test_more_light_than_the_lamp_s_is_all_of_it(self) -> None:
        lit = np.where(self.pixels[..., :1] < 0.5, np.float32(0.95), np.float32(0.8)).repeat(3, -1)
        share = self.of("translucency", {"translucency": lit})
        self.assertLessEqual(float(share.max()), 1.0)
        np.testing.assert_allclose(share[32, 32], 1.0, atol=1e-6)

    def test_the_back_goes_on_beyond_the_edge(self) -> None:
        back = np.where(self.pixels[..., :1] < 0.5, np.float32([0.4, 0.2, 0.1]), np.float32([0.9, 0.9, 0.9]))
        found = self.of("back_color", {"back_color": back.astype(np.float32)})
        np.testing.assert_allclose(found[32, 32], [0.4, 0.2, 0.1], atol=0.01)
        np.testing.assert_allclose(found[32, 58], [0.4, 0.2, 0.1], atol=0.05)


if __name__ == "__main__":
    unittest.main()
