"""A simulation of a service that makes pictures from words: it draws surfaces of the bench and photographs them.

As with real ones, wishes are sometimes not quite met: the view leans, light is baked in, the edges do not meet, or the
features are too large. Triage and checks are there to find that.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.generate import Candidate, Provider, Request
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8
from amber_thicket.errors import UnreadableFile
from amber_thicket.standins.capture_rig.camera import Shot, Stand, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.noise import Field, flat, fractal, mix, smoothstep
from amber_thicket.standins.capture_rig.plain_kinds import (
    brick_wall,
    cast_concrete,
    cushion_moss,
    garden_soil,
    rippled_sand,
    rusted_plate,
    sail_canvas,
)
from amber_thicket.standins.capture_rig.surface import Surface

_MAKERS: dict[str, Callable[[int, int], Surface]] = {
    **KINDS,
    **{m.__name__: m for m in (brick_wall, rippled_sand, cushion_moss, rusted_plate, sail_canvas)},
    **{m.__name__: m for m in (cast_concrete, garden_soil)},
}
# Words for a kind of surface. A later word wins over an earlier one.
KIND_WORDS: dict[str, str] = {
    word: kind
    for kind, words in {
        "slate_shingles": "slate shingles roof",
        "lime_render": "render plaster lime stucco whitewash",
        "coir_matting": "coir matting mat rope",
        "cork_board": "cork",
        "verdigris_copper": "copper verdigris",
        "deck_planks": "planks wood wooden boards deck timber",
        "tide_pebbles": "pebbles cobbles stones shingle",
        "tarred_felt": "felt tarred tar roofing asphalt",
        "embossed_hide": "hide leather",
        "brick_wall": "brick bricks masonry wall",
        "rippled_sand": "sand beach dune",
        "cushion_moss": "moss",
        "rusted_plate": "rust iron steel plate",
        "sail_canvas": "canvas linen cloth fabric sailcloth weave",
        "cast_concrete": "concrete cement",
        "garden_soil": "soil earth dirt ground mud",
    }.items()
    for word in words.split()
}
_COLOURS: dict[str, tuple[int, int, int]] = {
    "red": (168, 52, 44), "orange": (196, 108, 40), "ochre": (186, 138, 60), "yellow": (206, 178, 70),
    "green": (78, 122, 62), "olive": (104, 104, 54), "teal": (48, 120, 118), "blue": (58, 92, 152),
    "violet": (104, 74, 142), "pink": (196, 128, 136), "brown": (110, 74, 50), "grey": (128, 128, 128),
    "black": (40, 40, 40), "white": (226, 224, 218), "cream": (222, 206, 172),
}  # fmt: skip
# What describes it, and what that changes; each from 0 to 1.
_STATES = {
    "wet": "wet", "soaked": "wet", "damp": "damp", "dusty": "dust", "dirty": "dust", "stained": "stain",
    "weathered": "stain", "worn": "worn", "old": "worn", "cracked": "crack", "mossy": "moss", "rusty": "rusty",
    "dark": "dark", "pale": "pale", "light": "pale", "large": "large", "coarse": "large", "close": "large",
    "fine": "small", "small": "small", "sunlit": "sun", "sunny": "sun", "dry": "dry", "new": "fresh", "fresh": "fresh",
}  # fmt: skip
_IDLE = frozenset(
    "a an and the of with in on some very surface texture material pattern seen from above".split()  # noqa: SIM905
)
DESCRIBING = (*_COLOURS, *_STATES)
# What lies on a surface, named after "with": what of it can be drawn there.
_ON_IT = {"cushion_moss": "moss", "rusted_plate": "rusty", "rippled_sand": "dust", "garden_soil": "dust"}
_WITH = ("with", "under", "covered")
# How often a wish is not met.
_MISSED = 0.3


@dataclass(frozen=True)
class Reading:
    """What the words were taken for."""

    kind: str
    colours: tuple[str, ...] = ()
    states: frozenset[str] = frozenset()
    unread: tuple[str, ...] = ()


@dataclass(frozen=True)
class Made:
    """A candidate and what was done to it: what triage should find. missed: "tilt", "light", "edges", "large"."""

    candidate: Candidate
    missed: frozenset[str] = field(default_factory=frozenset)


def reading(words: str) -> Reading:
    """What a request means. kind is "" where no word names a surface. One surface is drawn: other ones that are named
    lie on it where that can be, and are unread where it cannot."""
    kind, named, colours, states, unread = "", "", [], set(), []
    upon = False
    for word in re.findall(r"[a-z]+", words.lower()):
        singular = word.removesuffix("s")
        found = KIND_WORDS.get(word) or KIND_WORDS.get(singular)
        if found and kind and upon:
            if found in _ON_IT:
                states.add(_ON_IT[found])
            elif found != kind:
                unread.append(word)
        elif found:
            if kind and found != kind:
                unread.append(named)
            kind, named = found, word
        elif word in _WITH:
            upon = True
        elif word in _COLOURS or (word == "gray"):
            colours.append("grey" if word == "gray" else word)
        elif word in _STATES:
            states.add(_STATES[word])
        elif word not in _IDLE:
            unread.append(word)
    return Reading(kind, tuple(colours), frozenset(states), tuple(unread))


class SimulatedProvider(Provider):
    """Draws and photographs surfaces of the bench."""

    label = "Simulation"
    simulation = True

    def unread(self, words: str) -> list[str]:
        return list(reading(words).unread)

    def candidates(
        self, request: Request, count: int, say: Callable[[float, str], None], check: Callable[[], None]
    ) -> Iterator[Candidate]:
        asked = reading(request.words)
        if not asked.kind:
            known = ", ".join(sorted({words.split("_")[-1] for words in _MAKERS}))
            raise UnreadableFile("No word names a surface.", remedy=f"Name one, as: {known}.")
        for number in range(count):
            check()
            say(number / count, f"Drawing {number + 1} of {count} (simulated)")
            yield make(asked, request, request.seed * 1000 + number).candidate


def make(asked: Reading, request: Request, seed: int) -> Made:
    """One picture."""
    rng = np.random.default_rng(seed)
    side = request.side
    large = "large" in asked.states or ("small" not in asked.states and rng.random() < _MISSED / 2)
    surface = _MAKERS[asked.kind](side * 2 if large else side, seed)
    if large:
        surface = _part(surface, side)
    surface = _described(surface, asked, rng)
    tilted = rng.random() < (_MISSED if request.top_down else 0.8)
    baked = "sun" in asked.states or rng.random() < _MISSED
    sky = 0.35 if baked else 1.4
    shot = Shot(

        bearing=float(rng.uniform(70, 140)), elevation=float(rng.uniform(34, 40) if baked else rng.uniform(58, 68)),
                sky=sky, white=1 + 0.75 * sky, fall_off=float(rng.uniform(0.4, 0.6)) if baked else 0.05, noise=0.004,
        gloss=0.5 if "wet" in asked.states else 0.2,
    )  # fmt: skip
    stand = None
    if tilted:
        tilt = float(rng.uniform(16, 26))
        stand = Stand(tilt=-tilt, pan=float(rng.uniform(-8, 8)), focal=1.5, distance=1.55, picture=(side, side))
    codes = photograph(surface, shot, rng, stand)
    seamless = request.tileable and rng.random() >= _MISSED
    if seamless:
        codes = _edges_met(codes)
    missed = {name for name, is_so in (("tilt", tilted), ("light", baked), ("large", large)) if is_so}
    if request.tileable and not seamless:
        missed.add("edges")
    return Made(Candidate(codes, seed), frozenset(missed))


def _part(surface: Surface, side: int) -> Surface:
    at = slice(side // 2, side // 2 + side)
    return replace(surface, height=surface.height[at, at].copy(), albedo=surface.albedo[at, at].copy(),
                   roughness=surface.roughness[at, at].copy(), metallic=surface.metallic[at, at].copy(),
                   width_mm=surface.width_mm / 2)  # fmt: skip


def _described(surface: Surface, asked: Reading, rng: np.random.Generator) -> Surface:
    """The surface as the words describe it."""
    shape: tuple[int, int] = surface.height.shape
    albedo, rough, height, metal = surface.albedo, surface.roughness, surface.height, surface.metallic
    for name in asked.colours:
        tone = albedo.mean(-1, keepdims=True)
        want = decode_srgb(np.array(_COLOURS[name], np.uint8))
        tinted = tone / max(float(tone.mean()), 1e-3) * want
        albedo, metal = 0.2 * albedo + 0.8 * tinted, metal * 0.2
    cloud = fractal(shape, rng, slope=1.5, largest=0.3)
    low = cv2.GaussianBlur(height, (0, 0), shape[0] / 40) - height
    deep = smoothstep(0, 2 * float(low.std()) + 1e-3, low)
    states = asked.states
    if "crack" in states:
        line = np.exp(-((fractal(shape, rng, slope=1.8, largest=0.25) / 0.03) ** 2))
        height, albedo = height - 0.6 * float(height.std() * 3 + 2) * line, albedo * (1 - 0.5 * line)[..., None]
    if "stain" in states:
        albedo = albedo * (1 - 0.35 * smoothstep(0, 1.2, cloud))[..., None]
    if "worn" in states:
        albedo = mix(albedo, albedo.mean((0, 1)) * np.ones_like(albedo), 0.35 * smoothstep(-0.5, 1, -cloud))
        height, rough = cv2.GaussianBlur(height, (0, 0), shape[0] / 700), rough * 0.9
    if "dust" in states:
        albedo, rough = mix(albedo, flat(shape, (146, 136, 118)), 0.7 * deep), mix(rough, np.full(shape, 0.95), deep)
    if "moss" in states:
        share = smoothstep(0.2, 0.8, cloud + deep)
        albedo, rough = mix(albedo, flat(shape, (74, 92, 40)), 0.85 * share), mix(rough, np.full(shape, 0.95), share)
    if "rusty" in states:
        albedo = mix(albedo, flat(shape, (142, 78, 42)), 0.8 * smoothstep(0.1, 0.7, cloud))
    if "wet" in states or "damp" in states:
        strength = 1.0 if "wet" in states else 0.5
        albedo, rough = albedo ** (1 + 0.35 * strength), rough * (1 - 0.65 * strength)
    if "dry" in states:
        albedo, rough = albedo * 1.12, rough * 1.1
    if "fresh" in states:
        albedo = albedo.mean(-1, keepdims=True) + 1.25 * (albedo - albedo.mean(-1, keepdims=True))
    if "dark" in states or "pale" in states:
        albedo = albedo * 0.55 if "dark" in states else 1 - (1 - albedo) * 0.7
    return replace(
        surface, height=(height - height.min()).astype(np.float32), albedo=albedo.clip(0.008, 0.95).astype(np.float32),
        roughness=rough.clip(0.05, 1).astype(np.float32), metallic=metal.astype(np.float32),
    )  # fmt: skip


def _edges_met(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Opposite edges made to meet by fading into the picture shifted by half, as such services do it: with ghosts."""
    light: Field = decode_srgb(codes)
    for axis in (0, 1):
        size = light.shape[axis]
        from_edge = np.minimum(np.arange(size), np.arange(size)[::-1]) / (0.12 * size)
        keep = smoothstep(0, 1, from_edge.astype(np.float32))
        weight = keep[:, None, None] if axis == 0 else keep[None, :, None]
        light = light * weight + np.roll(light, size // 2, axis) * (1 - weight)
    return encode_srgb8(np.ascontiguousarray(light, np.float32))
