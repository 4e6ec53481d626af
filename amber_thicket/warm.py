"""Compiles the kernels once, so that the first picture a user asks for does not wait for it.

`python -m amber_thicket.warm` in a shell, an image or a set-up; the parts of a group are in the order in which they are
likely to be asked for.
"""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from amber_thicket.core.gather.triage import triage
from amber_thicket.core.graph import Evaluation, fit_side
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.filters import shrink
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.recipe import Recipe
from amber_thicket.core.roles import MADE
from amber_thicket.service.bake import check, pack
from amber_thicket.service.still import still
from amber_thicket.store.work import StillLook

_HUES = {"even.hues.red_colour": 10.0, "even.hues.red_light": 10.0, "relief.cues.red": 10.0}
_SIDE = 256
_SQUARE = {"square.size.width": _SIDE, "square.size.height": _SIDE}
# What is off by default in Even, on a picture that is tilted.
_EVENED = {
    "square.flat.turn": 2.0,
    "even.known_shading.amount": 50.0,
    "even.raking.amount": 50.0,
    "even.shadow.amount": 20.0,
    "even.glare.amount": 50.0,
    "even.blotches.dark": 50.0,
    "even.drift.amount": 50.0,
    "even.tone.saturation": 10.0,
}
_ZONES = {
    "response.zones.zones": [
        {
            "id": "pale",
            "parts": [
                {"kind": "colour", "picks": ["#c0a090"], "against": ["#402010"]},
                {"kind": "height", "low": 40.0, "high": 80.0},
            ],
        }
    ],
    "response.on_roughness.in_zones": {"pale": {"level": 0.3}},
    "response.on_base_color.in_zones": {"pale": {"colour": "#a08060"}},
    "response.covers.wet": 0.3,
    "response.covers.covers": [{"id": "mud", "where": "level"}],
}


class _Capture:
    """A small made-up capture of as many px a side."""

    def __init__(self, key: str, pixels: Pixels) -> None:
        self.key, self.pixels = key, pixels
        self.height, self.width = pixels.shape[:2]

    def read(self, level: int, **_: object) -> Raster:
        return Raster(shrink(self.pixels, 1 << level) if level else self.pixels)

    def alpha(self, level: int) -> Raster:
        return Raster(np.ones((self.height >> level, self.width >> level), np.float32))


def _noise(side: int = 400) -> _Capture:
    return _Capture(f"noise/{side}", np.random.default_rng(1).random((side, side, 3), np.float32))


def _bricks() -> _Capture:
    """Bricks in courses with dark joints, each of its own tone."""
    choose = np.random.default_rng(2)
    y, x = np.mgrid[0:480, 0:480]
    course = y // 40
    along = x + 37 * (course % 2)
    tone = choose.uniform(0.3, 0.6, (12, 8)).astype(np.float32)[course, along // 80]
    joint = (y % 40 < 5) | (along % 80 < 5)
    grain = choose.normal(0, 0.02, (480, 480, 1)).astype(np.float32)
    pixels = np.where(joint, np.float32(0.08), tone)[..., None] * np.array([1.0, 0.7, 0.6], np.float32) + grain
    return _Capture("bricks", pixels.clip(0.01, 1).astype(np.float32))


def _evaluated(capture: _Capture, layers: tuple[str, ...], changes: dict[str, Any], **more: Any) -> Evaluation:
    evaluation = Evaluation(Recipe().with_changes(changes), capture, Memory(200_000_000), **more)
    for layer in layers:
        evaluation.layer(layer, fit_side(evaluation.recipe, _SIDE))
    return evaluation


def _methods() -> None:
    """What is looked at first, with every method of tiling; checked and packed."""
    noise = _noise()
    triage(noise.read(0).pixels, bits=8, floating=False)
    for method in ("blend", "cut", "lattice", "regrow", "strew", "stochastic"):
        ready = _evaluated(noise, tuple(MADE), {"tile.join.method": method, **_SQUARE, **_HUES})
    check(ready, "warm")
    for _ in pack(ready, "warm", lambda _share, _text: None):
        pass


def _even() -> None:
    """All of Even, with a height that came along."""
    height = _Capture(f"{1:016x}", _noise().pixels)
    changes = {**_SQUARE, **_HUES, **_EVENED, "gather.maps.height": height.key}
    _evaluated(_noise(), ("base_color", "height"), changes, files={height.key: height})


def _pieces() -> None:
    """Joints between pieces, whole pieces strewn, and what joins break."""
    check(_evaluated(_bricks(), ("base_color", "normal"), {**_SQUARE, "tile.join.method": "joints"}), "warm")
    _evaluated(_bricks(), ("base_color",), {**_SQUARE, "tile.join.method": "strew", "tile.join.whole": True})


def _response() -> None:
    """Zones, what is done in them, and what lies on the surface."""
    _evaluated(_bricks(), ("base_color", "roughness", "normal"), {**_SQUARE, **_ZONES})


def _larger() -> None:
    """Own detail beyond what the capture has."""
    _evaluated(_noise(100), ("base_color",), {**_SQUARE, "square.crop.resampling": "learnt"})


def _still() -> None:
    """A still of few pixels."""
    for _ in still(_evaluated(_noise(), (), _SQUARE), StillLook(width=64, height=64), Path(), 1):
        pass


# Two processes compile side by side, about as long either.
GROUPS: tuple[tuple[Callable[[], None], ...], ...] = (
    (_methods, _larger),
    (_pieces, _even, _response, _still),
)


def warm(group: int) -> None:
    """Looks at small captures, evaluates, checks and packs them in the ways of one group."""
    for part in GROUPS[group]:
        part()


def main() -> int:
    """Compiles all, in as many processes as there are groups; 0, or what the first of them that failed ended with."""
    if len(sys.argv) > 1:
        warm(int(sys.argv[1]))
        return 0
    others = [subprocess.Popen([sys.executable, "-m", __spec__.name, str(n)]) for n in range(1, len(GROUPS))]
    try:
        warm(0)
    finally:
        codes = [other.wait() for other in others]
    return next((code for code in codes if code), 0)


if __name__ == "__main__":
    sys.exit(main())
