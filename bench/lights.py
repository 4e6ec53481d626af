"""Bumps and dents of a light set: how often they are told apart for certain, on the bench and on twelve test reliefs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from amber_thicket.core.gather.lamps import bearings, directions_of
from amber_thicket.core.lightset.ring import HalfTurn, half_turn
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.standins.capture_rig.camera import Shot, photograph, ring
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.surface import Surface
from bench.timing import table
from tests.lightset import RELIEFS, relief
from tests.support import rig_surface

_SIDE, _SEEDS = 420, (101, 202)


def told(surface: Surface, seed: int, *, all_lights: bool) -> HalfTurn:
    """What is told of a ring of eight lamps at 45°; positive is right."""
    rng = np.random.default_rng(seed)
    first = float(rng.uniform(0, 360))
    shots = [replace(one, noise=0.01) for one in ring(8, first=first)]
    photos = np.stack([decode_srgb(photograph(surface, s, np.random.default_rng(k))) for k, s in enumerate(shots)])
    every: Pixels | None = None
    if all_lights:
        every = decode_srgb(
            photograph(surface, Shot(sun=0.0, sky=1.0, white=1.1, noise=0.01), np.random.default_rng(3))
        )
    return half_turn(photos, directions_of(bearings(8, first=first), 45.0), every)


def run(side: int = 0) -> None:
    """Every bench surface and every test relief, with and without a photograph under all lamps."""
    side = side or _SIDE
    rows, count = [], {}
    for name in (*KINDS, *RELIEFS):
        for seed in _SEEDS:
            if name in KINDS:
                surface = rig_surface(name, 1536, seed, (500, 500 + side))
            else:
                surface = relief(name, side, seed, steep=1.0 if seed == _SEEDS[0] else 1.6)
            for every in (False, True):
                cues = told(surface, seed, all_lights=every)
                shadowed = abs(cues.shadows) > 0.005
                word = "certain" if cues.certain else "asks"
                key = ("all lights" if every else "lamps alone", "with shadows" if shadowed else "without")
                found = count.setdefault(key, [0, 0, 0])
                found[0] += 1
                found[1] += cues.certain
                found[2] += cues.certain and cues.best < 0
                rows.append((name, str(seed), key[0], f"{cues.shadows:.3f}", f"{cues.all_lights:.2f}", word))
    table("Bumps or dents", ("surface", "seed", "photographs", "shadows", "all lights", "told"), rows)
    table(
        "How often certain",
        ("photographs", "relief", "certain", "certain and wrong"),
        [(*key, f"{sure} of {total}", str(wrong)) for key, (total, sure, wrong) in sorted(count.items())],
    )
