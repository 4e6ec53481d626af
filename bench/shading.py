"""What the known relief takes of the shading, on every surface of the bench in a low sun, against its true colour."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from amber_thicket.core.even.known_shading import remove_known_shading
from amber_thicket.core.even.sun import sun
from amber_thicket.core.numeric.colour import decode_srgb, luminance
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.raster import Frame, Pixels, Raster
from amber_thicket.standins.capture_rig.camera import Shot, photograph
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.surface import Surface
from bench.timing import table

SHOT = Shot(bearing=60, elevation=30, sky=0.35)
_DARK, _LARGE = 1e-3, 1 / 12


def error(pixels: Pixels, albedo: Pixels) -> float:
    """Rms difference of log tone from the true colour, without what is larger than a twelfth of the picture."""
    tones = [np.log(np.maximum(luminance(field), _DARK)) for field in (pixels, albedo)]
    off = np.asarray(tones[0] - tones[1], np.float32)
    fine = off - blur(off, pixels.shape[1] * _LARGE, wraps=False, fast=True)
    return float(np.sqrt(np.mean(fine * fine)))


def exact(surface: Surface) -> Pixels:
    """The light itself, (H, W): what the camera sees of the same relief when it is grey, without gloss and noise."""
    grey = replace(surface, albedo=np.full_like(surface.albedo, 0.5), metallic=np.zeros_like(surface.metallic))
    seen = photograph(grey, replace(SHOT, gloss=0, noise=0, white=4.0), np.random.default_rng(1))
    return np.maximum(luminance(decode_srgb(seen)), _DARK)[..., None]


def run(side: int) -> None:
    rows = []
    for name, make in KINDS.items():
        row = [name]
        for size in (side // 2, side) if side else (768, 2048):
            surface = make(size, 11)
            frame = Frame(size, size, float(size), False)
            lit = Raster(decode_srgb(photograph(surface, SHOT, np.random.default_rng(1))))
            light = sun(lit, Raster((surface.height / surface.height.max()).astype(np.float32)), frame=frame)
            steep = np.degrees(np.arctan2(1, np.hypot(light.evidence["x"], light.evidence["y"])))
            # No division sharpens a picture: the true colour is as sharp as the lens shows it. Beside it, what is
            # gone against the sharp one, and how much of that goes by the exact light.
            seen = cv2.GaussianBlur(surface.albedo, (0, 0), SHOT.focus)
            made, best = remove_known_shading(lit, light, frame).pixels, lit.pixels / exact(surface)
            before = error(lit.pixels, seen)
            sharp = [1 - error(field, surface.albedo) / error(lit.pixels, surface.albedo) for field in (made, best)]
            row += [f"{before:.2f}", f"{100 * (1 - error(made, seen) / before):.0f} %"]
            row += [f"{100 * sharp[0]:.0f} of {100 * sharp[1]:.0f} %", f"{steep:.0f}°"]
        rows.append(row)
        print(" ".join(row), flush=True)
    head = ["surface", "error", "gone", "sharp", "sun", "error, larger", "gone", "sharp", "sun"]
    table(f"Shading the known relief takes out; the sun stood {SHOT.elevation:.0f}° high", head, rows)
