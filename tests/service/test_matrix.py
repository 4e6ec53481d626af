"""Right files pass and their wrong twins are caught, in every shipped profile, format and depth, of every kind of
material."""

import unittest
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from typing import Any
from unittest import mock

import numpy as np

from amber_thicket.core.check.registry import RULES
from amber_thicket.core.check.rule import Subject
from amber_thicket.core.files.file_plan import PlannedFile
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.pack.formats import BITS, FORMATS
from amber_thicket.core.pack.profiles import PROFILES, Profile
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import Encoding
from amber_thicket.service.bake import subject_of
from tests.recipes.examples import surface
from tests.support import ArraySource, linear_photograph

SIDE = 128
MEMORY = Memory(400_000_000)
SIZE: dict[str, Any] = {"square.size.width": 256, "square.size.height": 256}
# Rules about the files: what they say depends on the profile, the format or the depth.
OF_FILES = [
    rule
    for rule in RULES
    if rule.id.startswith(("files.", "normal.", "roughness.", "opacity."))
    or rule.id
    in {
        "set.required_maps",
        "set.blank_maps",
        "base_color.encoding",
        "base_color.bounds",
        "base_color.clipped",
        "base_color.steps",
        "height.bit_depth",
        "height.clipping",
        "height.normal_agree",
        "metallic.extremes",
        "metallic.color",
    }
]
MATERIALS: dict[str, tuple[str, dict[str, Any]]] = {
    "plain": ("gravel", {}),
    "metal": ("gravel", {"response.metallic.level": 0.95, "even.original.exposure": 0.3}),
    "cut-out": ("thing", {"tile.cutout.on": True}),
    "translucent": ("gravel", {"response.translucency.colour": "#406020", "response.back_color.colour": "#405030"}),
    "emissive": ("gravel", {"response.emissive.colour": "#c06010"}),
}


@lru_cache
def source(name: str) -> ArraySource:
    return ArraySource(linear_photograph(name) if name == "gravel" else surface(name), name)


def right(material: str, profile: Profile, format: str, depth: str) -> Subject:
    """A right material in one profile, every file of it in this format and depth."""
    photo, changes = MATERIALS[material]
    recipe = Recipe().with_changes({**SIZE, **changes, "pack.files.profile": profile.id})
    rules = tuple(rule.model_copy(update={"format": format, "depth": depth}) for rule in profile.files)
    with mock.patch.dict(PROFILES, {profile.id: profile.model_copy(update={"files": rules})}):
        return subject_of(Evaluation(recipe, source(photo), MEMORY), material, SIDE)


def combinations() -> list[tuple[Profile, str, str]]:
    found = []
    for profile in PROFILES.values():
        for format in FORMATS.values():
            if not profile.png_only or format.id == "png":
                found += [(profile, format.id, depth) for depth in format.depths]
    return found


def true_faults(of: Subject) -> set[str]:
    """What is wrong with a right material by its files alone: data in a lossy one, no alpha, 8 bits of height, a
    profile for what is cut out and nothing that is."""
    solid = of.file_of("opacity") is not None and not of.recipe.settings("tile.cutout").on
    found = {"opacity.edge"} if solid else set()
    for file in of.plan.files:
        format = FORMATS[file.format]
        found |= {"files.lossless"} if format.lossy and file.encoding == "linear" else set()
        found |= {"files.alpha"} if file.channels == 4 and not format.alpha else set()
        found |= {"height.bit_depth"} if "height" in file.roles and file.bits < 16 else set()
    return found


def with_files(of: Subject, change: Callable[[PlannedFile], dict[str, Any]], role: str = "") -> Subject | None:
    """The same with other files, all or those of a role; None where there is nothing to change."""
    files = tuple(replace(file, **change(file)) if not role or role in file.roles else file for file in of.plan.files)
    return None if files == of.plan.files else replace(of, plan=replace(of.plan, files=files))


def with_map(of: Subject, role: str, change: Callable[[np.ndarray], np.ndarray]) -> Subject | None:
    """The same with another map; None where no file holds it."""
    if of.file_of(role) is None:
        return None
    raster = of.maps[role]
    pixels = np.ascontiguousarray(change(raster.pixels), np.float32)
    return replace(of, maps={**of.maps, role: replace(raster, pixels=pixels)})


def leaning(normal: np.ndarray) -> np.ndarray:
    tilted = normal + np.float32([0.3, 0, 0])
    return np.asarray(tilted / np.linalg.norm(tilted, axis=-1, keepdims=True))


def turned(encoding: Encoding) -> Encoding:
    return "linear" if encoding == "srgb" else "srgb"


def _encoding_of(role: str) -> Callable[[Subject], Subject | None]:
    return lambda of: with_files(of, lambda file: {"encoding": turned(file.encoding)}, role)


def _clipped(of: Subject) -> Subject | None:
    return with_map(of, "base_color", lambda c: np.where(c > np.quantile(c, 0.8), np.float32(2), c))


def _other_green(of: Subject) -> Subject | None:
    return with_files(of, lambda file: {"y": {"plus": "minus", "minus": "plus"}[file.y]} if file.y else {})


def _other_gloss(of: Subject) -> Subject | None:
    def change(file: PlannedFile) -> dict[str, Any]:
        swap = {"roughness": "1-roughness", "1-roughness": "roughness"}
        return {"contents": tuple(swap.get(token, token) for token in file.contents)}

    return with_files(of, change, "roughness")


def _without_the_first(of: Subject) -> Subject | None:
    return replace(of, plan=replace(of.plan, files=of.plan.files[1:]))


def _packed_backwards(of: Subject) -> Subject | None:
    return with_files(of, lambda file: {"contents": file.contents[::-1]})


# A wrong twin, and the rules of which one at least has to say so.
TWINS: dict[str, tuple[Callable[[Subject], Subject | None], set[str]]] = {
    "a map is missing": (_without_the_first, {"set.required_maps"}),
    "colour coded the other way": (_encoding_of("base_color"), {"base_color.encoding"}),
    "normal coded as a colour": (_encoding_of("normal"), {"normal.encoding"}),
    "height coded as a colour": (_encoding_of("height"), {"files.encoding"}),
    "occlusion coded as a colour": (_encoding_of("ambient_occlusion"), {"files.encoding"}),
    "roughness coded as a colour": (_encoding_of("roughness"), {"roughness.encoding", "files.encoding"}),
    "too dark": (lambda of: None if of.metal else with_map(of, "base_color", lambda c: c * 0.02), {"base_color.bounds"}),
    "burnt out": (_clipped, {"base_color.clipped"}),
    "few levels of colour": (
        lambda of: with_map(of, "base_color", lambda c: np.round(c**0.5 * 24) ** 2 / 24**2),
        {"base_color.steps"},
    ),
    "short normals": (lambda of: with_map(of, "normal", lambda n: n * 0.9), {"normal.unit_length"}),
    "normals point inwards": (
        lambda of: with_map(of, "normal", lambda n: n * np.float32([1, 1, -1])),
        {"normal.blue_positive"},
    ),
    "the surface leans": (lambda of: with_map(of, "normal", leaning), {"normal.tilt"}),
    "green points the other way": (_other_green, {"normal.y_direction"}),
    "red and green are swapped": (
        lambda of: with_map(of, "normal", lambda n: n[..., [1, 0, 2]]),
        {"normal.channels", "normal.y_direction"},
    ),
    "few levels of the normal": (lambda of: with_map(of, "normal", lambda n: np.round(n * 12) / 12), {"normal.steps"}),
    "height in 8 bits": (
        lambda of: with_files(of, lambda file: {"bits": 8, "floating": False}, "height"),
        {"height.bit_depth"},
    ),
    "height cut off": (lambda of: with_map(of, "height", lambda h: np.clip(h * 4 - 1.5, 0, 1)), {"height.clipping"}),
    "height of another surface": (lambda of: with_map(of, "height", np.rot90), {"height.normal_agree"}),
    "one roughness": (lambda of: with_map(of, "roughness", lambda r: r * 0 + 0.5), {"roughness.constant"}),
    "mirror and chalk": (lambda of: with_map(of, "roughness", np.round), {"roughness.extremes"}),
    "gloss for roughness": (_other_gloss, {"roughness.polarity", "files.channels"}),
    "channels packed backwards": (_packed_backwards, {"files.channels"}),
    "data in a lossy file": (
        lambda of: with_files(of, lambda file: {"format": "jpeg", "bits": 8, "floating": False}),
        {"files.lossless"},
    ),
    "two files of one name": (lambda of: with_files(of, lambda file: {"name": "same.png"}), {"files.names"}),
    "a file read back otherwise": (
        lambda of: replace(of, notes={**of.notes, "read_back": {"a.png": False}}),
        {"files.read_back"},
    ),
}  # fmt: skip


class MatrixTest(unittest.TestCase):
    def test_right_files_pass(self) -> None:
        for material in MATERIALS:
            for profile, format, depth in combinations():
                of = right(material, profile, format, depth)
                wrong = {
                    rule.id
                    for rule in OF_FILES
                    for finding in rule.look(of)
                    if finding.level in ("blocked", "attention")
                }
                with self.subTest(material=material, profile=profile.id, format=format, depth=depth):
                    self.assertEqual(wrong, true_faults(of))
                    for file in of.plan.files:
                        self.assertEqual((file.format, file.bits), (format, BITS[depth]))

    def test_wrong_twins_are_caught(self) -> None:
        by_id = {rule.id: rule for rule in RULES}
        for material in MATERIALS:
            for profile, format, depth in combinations():
                of = right(material, profile, format, depth)
                for name, (make, rules) in TWINS.items():
                    twin = make(of)
                    if twin is None:
                        continue
                    levels = {f.level for rule in rules for f in by_id[rule].look(twin)}
                    with self.subTest(name, material=material, profile=profile.id, format=format, depth=depth):
                        self.assertTrue(levels & {"blocked", "attention"}, levels)

    def test_every_rule_about_files_has_a_twin(self) -> None:
        caught = {rule for _, rules in TWINS.values() for rule in rules}
        # Blank maps are named, not judged; alpha, opacity and metal have faults of their own in test_check.
        apart = {"set.blank_maps", "files.alpha", "opacity.edge", "metallic.extremes", "metallic.color"}
        self.assertEqual({rule.id for rule in OF_FILES} - apart, caught)


if __name__ == "__main__":
    unittest.main()
