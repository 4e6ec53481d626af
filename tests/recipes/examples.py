"""Example recipes, one per feature, on surfaces that everybody can make; stored with the pictures they gave.

`python -m tests.recipes.examples` writes recipes and pictures of the present version, once, before that version is
released; what is stored is never written again. Every later release opens them and shows the same (test_recipes.py).
"""

from __future__ import annotations

import json
import sys
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.core.recipe import VERSION, Recipe, from_json
from amber_thicket.service.preview import codes_of
from tests.support import ArraySource, bumps, linear_photograph, size_of, stroke

FOLDER = Path(__file__).parent
SIDE, SHOWN = 256, 112
KEYS = {name: f"{number:016x}" for number, name in enumerate(("first", "height", "normal", "back", "one", "two", "three", "four"), 10)}  # fmt: skip
_ZONES = [
    {"id": "a", "name": "dark", "parts": [{"kind": "colour", "picks": ["#505050"], "tolerance": 14}]},
    {"id": "b", "name": "high", "parts": [{"kind": "height", "low": 60, "soft": 10}]},
    {
        "id": "c",
        "name": "brushed",
        "parts": [{"kind": "brush", "strokes": [stroke(0.1, 0.25, 0.5, 0.75, 0.5)], "soft": 20}],
    },
]


# The version an example came with, where that is not the first.
SINCE = {"made_of": 5}
# Surface, and settings that differ from their defaults.
EXAMPLES: dict[str, tuple[str, dict[str, Any]]] = {
    "orientation_and_white": ("colours", {"gather.orient.turn": "90", "gather.orient.mirror": True, "gather.white.red": 1.1, "gather.white.blue": 0.9}),
    "lens_and_corners": ("brick", {"square.lens.k1": -0.05, "square.flat.upper_left_x": 4.0, "square.flat.upper_left_y": 3.0, "square.flat.turn": 1.5, "square.crop.left": 6.0, "square.crop.bottom": 92.0}),
    "enlarged_with_real_size": ("gravel", {"square.crop.left": 40.0, "square.crop.top": 40.0, "square.crop.resampling": "detail", "square.size.sample_mm": 400.0}),
    "light_out": ("colours", {"even.light.amount": 90.0, "even.shadow.amount": 50.0, "even.highlight.amount": 40.0, "even.raking.amount": 40.0, "even.drift.amount": 60.0, "even.blotches.dark": 40.0}),
    "tone_and_hues": ("colours", {"even.tone.curve": [[0, 0], [0.4, 0.55], [1, 1]], "even.tone.saturation": 20.0, "even.hues.red_light": 20.0, "even.hues.green_colour": -30.0}),
    "cut_with_brushes": ("gravel", {"tile.join.method": "cut", "tile.join.overlap_x": 30.0, "tile.join.excluded": [stroke(0.03, 0.86, 0.2, 0.9, 0.8)], "tile.join.kept": [stroke(0.04, 0.3, 0.3, 0.35, 0.3)]}),
    "blend": ("grass", {"tile.join.method": "blend", "tile.join.feather": 6.0}),
    "lattice": ("brick", {"tile.join.method": "lattice"}),
    "regrow": ("gravel", {"tile.join.method": "regrow", "tile.join.seed": 3}),
    "strew": ("gravel", {"tile.join.method": "strew", "tile.join.turn": 40.0, "tile.join.spread": 20.0, "tile.join.seed": 2}),
    "stochastic": ("noise", {"tile.join.method": "stochastic"}),
    "filled_and_healed": ("gravel", {"tile.repair.spots": [{"x": 0.5, "y": 0.5, "radius": 0.08, "from_x": 0.2, "from_y": 0.25}], "tile.retouch.strokes": [stroke(0.05, 0.5, 0.5, 0.6, 0.55, kind="clone", dx=0.3, dy=-0.2), stroke(0.04, 0.2, 0.7, 0.3, 0.72, kind="heal", dx=-0.2, dy=0.1)]}),
    "cut_out": ("thing", {"tile.cutout.on": True, "tile.join.method": "none", "even.light.amount": 0.0, "pack.files.profile": "cut_out", "tile.cutout.strokes": [stroke(0.03, 0.1, 0.1, kind="keep")]}),
    "height": ("gravel", {"relief.cues.estimator": "shading", "relief.cues.light": "typed", "relief.cues.bearing": 120.0, "relief.bands.fine": 1.8, "relief.bands.large_contrast": 0.4, "relief.height.low": 5.0, "relief.height.invert": True, "relief.shape.strokes": [stroke(0.08, 0.4, 0.4, 0.6, 0.6, kind="add", value=0.3, strength=1, soft=0)]}),
    "normal_occlusion_curvature": ("grass", {"relief.normal.strength": 1.6, "relief.normal.kernel": "crisp", "relief.normal.y_in_files": "minus", "relief.occlusion.reach": 12.0, "relief.occlusion.tight": 60.0, "relief.curvature.side": "convex", "relief.curvature.in_pack": True}),
    "zones": ("colours", {"response.zones.zones": _ZONES, "response.on_roughness.in_zones": {"a": {"level": 0.2, "spread": 0.1}, "b": {"level": 0.8, "spread": 0}}, "response.on_metallic.in_zones": {"a": {"level": 1, "spread": 0}}, "relief.shape.in_zones": {"c": {"raised": 40}}, "response.on_base_color.in_zones": {"b": {"colour": "#3246a0"}}}),
    "covers": ("gravel", {"response.covers.covers": [{"id": "c1", "where": "recesses", "share": 40}, {"id": "c2", "where": "level", "share": 20}]}),
    "made_of": ("colours", {"response.zones.zones": [{**_ZONES[0], "kind": "stone"}, {**_ZONES[1], "kind": "moss"}], "response.zones.kind": "plaster", "response.on_roughness.in_zones": {"a": {"level": 0.6, "spread": 1.2, "recesses": 60, "grain": 40}, "b": {"level": 0.9, "spread": 0.4, "pale": -50}}, "response.roughness.contrast": 30.0, "response.roughness.curve": [[0, 0.1], [1, 0.9]], "response.covers.wet": 0.4, "response.covers.puddles": 12.0, "response.covers.wet_zones": {"b": 0.0}, "response.on_specular.in_zones": {"b": {"colour": "#303030"}}}),
    "painted": ("grass", {"response.on_roughness.strokes": [stroke(0.08, 0.2, 0.2, 0.8, 0.4, kind="set", value=0.9, strength=1, soft=0.5)], "response.on_base_color.strokes": [stroke(0.05, 1.0, 0.5, kind="set", value="#c08040", strength=1, soft=0.3)], "response.roughness.centre": 0.4}),
    "own_profile": ("gravel", {"pack.files.profile": "own", "pack.files.own": {"label": "Two files", "y": "minus", "files": [{"suffix": "colour", "channels": ["base_color", "height"]}, {"suffix": "mix", "channels": ["ambient_occlusion", "1-roughness", "metallic"]}]}, "pack.files.sizes": "half", "pack.files.name": "shore"}),
    "brought_maps": ("gravel", {"gather.maps.height": KEYS["height"], "gather.maps.normal": KEYS["normal"], "gather.maps.normal_y": "minus", "tile.join.method": "cut"}),
    "light_set": ("lights", {"gather.lights.first": 0.0, "gather.lights.frames": [{"file": KEYS[name]} for name in ("one", "two", "three", "four")], "gather.lights.align": False, "tile.join.method": "none", "even.light.amount": 0.0}),
    "placed_beside": ("thing", {"tile.cutout.on": True, "tile.join.method": "none", "even.light.amount": 0.0, "gather.maps.back_color": KEYS["back"], "gather.registration.files": [{"file": KEYS["back"], "matrix": [1, 0, 6, 0, 1, 4, 0, 0, 1]}]}),
}  # fmt: skip


def _colours() -> Pixels:
    """Patches of four colours, with light that falls off and fine grain."""
    rng = np.random.default_rng(2)
    names = np.array([(150, 60, 50), (70, 120, 60), (80, 80, 80), (170, 160, 130)], np.float32)
    field = cv2.resize(rng.random((7, 7), np.float32), (384, 384), interpolation=cv2.INTER_CUBIC)
    which = np.digitize(field, np.quantile(field, [0.25, 0.5, 0.75]))
    codes = names[which] * np.linspace(1.1, 0.8, 384)[None, :, None] + rng.normal(0, 5, (384, 384, 3))
    return decode_srgb(codes.clip(0, 255).astype(np.uint8))


def _thing() -> Pixels:
    """An oval thing on a pale ground."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:320, 0:320] / 320 - 0.5
    inside = ((x / 0.36) ** 2 + (y / 0.22) ** 2 < 1)[..., None]
    codes = np.where(inside, (60, 110, 50), (225, 225, 220)) + rng.normal(0, 4, (320, 320, 3))
    return decode_srgb(codes.clip(0, 255).astype(np.uint8))


def _lit(azimuth: float) -> Pixels:
    """Bumps under one lamp, 45 degrees up."""
    height = np.tile(bumps(160), (2, 2)) * 0.04 * 320
    dy, dx = np.gradient(height)
    normal = np.dstack([-dx, dy, np.ones_like(dx)]) / np.sqrt(dx**2 + dy**2 + 1)[..., None]
    lamp = np.array([np.cos(azimuth), np.sin(azimuth), 1.0]) / 2**0.5
    shade = (normal @ lamp).clip(0, None)[..., None]
    return (shade * np.array([0.5, 0.4, 0.3])).astype(np.float32)


def _noise() -> Pixels:
    field = cv2.GaussianBlur(np.random.default_rng(6).random((400, 400, 3)).astype(np.float32), (0, 0), 1.5)
    return ((field - field.min()) / (field.max() - field.min()) * 0.5 + 0.2).astype(np.float32)


def surface(name: str) -> Pixels:
    """(H, W, 3) linear light."""
    made = {"colours": _colours, "thing": _thing, "noise": _noise, "lights": lambda: _lit(0.0)}
    return made[name]() if name in made else linear_photograph(name)


# What examples have in common is made once.
_MADE = Memory(800_000_000)


@cache
def _beside() -> dict[str, ArraySource]:
    """The files that may go with an example, by the names recipes have for them."""
    height = np.repeat(bumps(512, 90, 8)[..., None], 3, -1)
    dy, dx = np.gradient(height[..., 0] * 20)
    normal = np.dstack([-dx, -dy, np.ones_like(dx)])
    normal = (normal / np.linalg.norm(normal, axis=-1, keepdims=True) * 0.5 + 0.5).astype(np.float32)
    files = {"height": height, "normal": normal, "back": np.ascontiguousarray(_thing()[:, ::-1] * 0.8)}
    for number, lamp in enumerate(("one", "two", "three", "four")):
        files[lamp] = _lit(number * np.pi / 2)
    return {KEYS[name]: ArraySource(pixels, KEYS[name]) for name, pixels in files.items()}


def evaluation_of_example(name: str, recipe: Recipe, memory: Memory | None = None) -> Evaluation:
    """A recipe on the surface of an example, with the files that go with it. memory: as tests.support.evaluation()."""
    first = ArraySource(surface(EXAMPLES[name][0]), KEYS["first"])
    return Evaluation(recipe, first, memory or _MADE, None, {KEYS["first"]: first, **_beside()})


def picture(made: Evaluation) -> Any:
    """The main maps of an example beside each other, (SHOWN, 5 × SHOWN, 3) uint8."""
    shown = []
    for layer in ("base_color", "height", "normal", "roughness", "ambient_occlusion"):
        codes = codes_of(layer, made.layer(layer, (SIDE, SIDE)).pixels)
        codes = (
            codes if codes.ndim == 3 and codes.shape[-1] == 3 else np.repeat(codes.reshape(*codes.shape[:2], 1), 3, -1)
        )
        shown.append(cv2.resize(codes, (SHOWN, SHOWN), interpolation=cv2.INTER_AREA))
    return np.hstack(shown)


def main() -> None:
    folder = FOLDER / f"v{VERSION}"
    folder.mkdir(exist_ok=True)
    size = {name.replace("__", "."): value for name, value in size_of(SIDE).items()}
    for name, (_, changes) in EXAMPLES.items():
        # What was released says the same in the present version: what migration makes of it.
        older = sorted(FOLDER.glob(f"v*/{name}.json"))
        recipe = from_json(older[-1].read_text()) if older else Recipe().with_changes({**size, **changes})
        target = folder / f"{name}.json"
        if target.exists():
            continue
        if not any(FOLDER.glob(f"v*/{name}.png")):
            # What a version shows must look the same in every later one: one picture serves them all.
            codes = picture(evaluation_of_example(name, recipe))
            cv2.imwrite(str(folder / f"{name}.png"), codes[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 9])
        target.write_text(json.dumps(recipe.as_json(), indent=1) + "\n")
        assert from_json(target.read_text()) == recipe
        print(name, file=sys.stderr)


if __name__ == "__main__":
    main()
