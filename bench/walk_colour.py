"""Colour of walk-bys: how far fine tone is from a photograph without noise, merged from several against the first."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from amber_thicket.core.gather.walk import Held, Settings
from amber_thicket.core.memory import Memory
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Pixels
from amber_thicket.core.walk.poses import find_poses, matched
from amber_thicket.core.walk.source import walk_by
from amber_thicket.standins.capture_rig.handheld import hands, seen_by
from amber_thicket.standins.capture_rig.kinds import KINDS
from bench.timing import table
from bench.walk import LIGHTS, SEED
from tests.support import ArraySource

SIZE = (640, 512)
NOISES, COUNTS = (0.006, 0.02), (2, 3, 5)
# Tone finer than this, px.
FINE = 1.2
_RIM = 24


def merged(photographs: list[Pixels]) -> Pixels:
    """(H, W, 3) linear colour of a walk-by, on the first photograph."""
    poses = find_poses(matched(photographs), 1.15)
    names = [f"{number:016x}" for number in range(len(photographs))]
    frames = tuple(
        Held(file=name, turn=tuple(camera.turn), place=tuple(camera.place))
        for name, camera in zip(names, poses.cameras, strict=True)
    )
    settings = Settings(frames=frames, normal=tuple(poses.normal), focal=poses.focal)
    files = {name: ArraySource(pixels, name) for name, pixels in zip(names, photographs, strict=True)}
    made = walk_by(settings, names[0], files, Memory(10**9))
    if made is None:
        raise ValueError("No walk-by.")
    return made.colour(0)


def fine_error(made: Pixels, clean: Pixels) -> tuple[float, float]:
    """(rms of fine tone against the clean picture's, how much of its contrast is kept)."""
    one, true = ((part - blur(part, FINE, wraps=False))[_RIM:-_RIM, _RIM:-_RIM] for part in (made, clean))
    return float(np.sqrt(((one - true) ** 2).mean())), float((one * true).sum() / (true * true).sum())


def run(side: int) -> None:
    rows = []
    for number, (name, make) in enumerate(KINDS.items()):
        surface, light = make(side or 768, SEED), LIGHTS[number % len(LIGHTS)]
        places = hands(max(COUNTS), np.random.default_rng(SEED))
        clean = decode_srgb(
            seen_by(surface, replace(light, noise=0.0), places[0], SIZE, np.random.default_rng(0)).codes
        )
        for noise in NOISES:
            shot = replace(light, noise=noise)
            seen = [seen_by(surface, shot, hand, SIZE, np.random.default_rng(k)) for k, hand in enumerate(places)]
            photographs = [decode_srgb(view.codes) for view in seen]
            first, _ = fine_error(photographs[0], clean)
            cells = [f"{1e4 * first:.0f}"]
            for count in COUNTS:
                error, kept = fine_error(merged(photographs[:count]), clean)
                cells.append(f"{error / first:.2f}, {kept:.2f}")
            rows.append([name, f"{noise:.3f}", *cells])
            print(" ".join(rows[-1]), flush=True)
    head = ["surface", "noise", "first, 1/10000", *(f"of {count}: error, contrast" for count in COUNTS)]
    table("Fine tone of a walk-by against a photograph without noise; error as a share of the first's", head, rows)
