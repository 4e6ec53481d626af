"""What changed between the photographs of a light set besides the lamp: the camera's place, exposure, uneven lamps."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from amber_thicket.core.lightset.solve import solve_light_set
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.fitted import fit_rows
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels

# Exposures that differ by less are one exposure.
_SAME = 0.03
_ROUNDS = 3
# How much better a moved photograph must fit, and how far it must have moved, px.
_CLEARLY, _STILL = 1.15, 0.3
# The middle of the photographs that tells a move, px.
_PART = 512


class Stabilization(NamedTuple):
    """shifts: (N, 2) px right and down that each photograph lies away from the others, in shares of the width.
    gains: (N,) factors that bring all to one exposure. fields: (N, 6) the light of each lamp across the picture:
    log gain as polynomial in x and y from −1 to 1: 1, x, y, x², xy, y²."""

    shifts: Pixels
    gains: Pixels
    fields: Pixels


def stabilize(photographs: Pixels, lamps: Pixels, *, align: bool, exposure: bool, lamp_light: bool) -> Stabilization:
    """What has to be put right. photographs: (N, H, W, 3) float32 linear. lamps: (N, 3); their bearing may be wrong."""
    count = photographs.shape[0]
    values = np.ascontiguousarray(photographs.mean(-1))
    gains = _gains(values) if exposure else np.ones(count)
    values = values * gains[:, None, None].astype(np.float32)
    shifts = _shifts(middle(values, _PART), lamps) / values.shape[2] if align else np.zeros((count, 2))
    fields = _fields(values) if lamp_light else np.zeros((count, 6))
    return Stabilization(shifts, gains, fields)


def middle(photographs: Pixels, side: int) -> Pixels:
    """The middle of photographs (N, H, W[, C]), at most side px wide and high."""
    rows, columns = photographs.shape[1:3]
    top, left = max(0, (rows - side) // 2), max(0, (columns - side) // 2)
    return np.ascontiguousarray(photographs[:, top : top + side, left : left + side])


def _gains(values: Pixels) -> Pixels:
    """A leaning surface changes its brightness round the ring as 1, cos, sin; whatever leaves that was exposed
    otherwise. Two photographs of five or more may."""
    count = len(values)
    if count < 5:
        return np.ones(count)
    level = np.log(np.maximum(np.array([np.median(v) for v in values]), 1e-5))
    angle = 2 * np.pi * np.arange(count) / count
    basis = np.stack([np.ones(count), np.cos(angle), np.sin(angle)], 1)
    weights = np.ones(count)
    for _ in range(30):
        root = np.sqrt(weights)
        fit = basis @ np.linalg.lstsq(basis * root[:, None], level * root, rcond=None)[0]
        off = level - fit
        weights = 1 / np.maximum(np.abs(off), 1e-4)
    return np.where(np.abs(off) > _SAME, np.exp(-off), 1.0)


def _shifts(values: Pixels, lamps: Pixels) -> Pixels:
    """Each photograph against what the others say it should look like, by ECC to some hundredths of a pixel. (N, 2) px.

    Relief under another lamp looks a little moved too, so a move is believed only where it makes the photograph fit
    clearly better once all are solved again. Source: Evangelidis & Psarakis, "Parametric image alignment using enhanced
    correlation coefficient maximization", IEEE TPAMI 30(10), 2008 (OpenCV).
    """
    count, rows, columns = values.shape
    still, coarse = np.zeros((count, 2)), _coarse(values)
    better = _misfits(values, coarse, lamps) * _CLEARLY < _misfits(values, still, lamps)
    shifts = np.where(better[:, None], coarse, 0.0)
    asked = np.ones(count, bool)
    for number in range(_ROUNDS):
        report_progress(0.3 + 0.4 * number / _ROUNDS, "Comparing the photographs")
        before = _misfits(values, shifts, lamps)
        tried = np.where(asked[:, None], _refined(values, shifts, lamps), shifts)
        if np.all(asked):
            tried -= np.median(tried, axis=0)
        after = _misfits(values, tried, lamps)
        moved = np.hypot(*(tried - shifts).T) > 1e-3
        better = (after * _CLEARLY < before) | (np.any(shifts, axis=1) & (after < before))
        shifts = np.where((better & moved)[:, None], tried, shifts)
        shifts[np.hypot(*shifts.T) < _STILL] = 0
        asked = np.any(shifts, axis=1)
        if not asked.any():
            break
    return shifts


def _coarse(values: Pixels) -> Pixels:
    """Whole pixels by phase correlation of each photograph with those of the lamps beside; 0 for small moves."""
    count, rows, columns = values.shape
    window = cv2.createHanningWindow((columns, rows), cv2.CV_32F)
    fine = [_fine(v) for v in values]
    beside = [(fine[k - 1] + fine[(k + 1) % count]) / 2 for k in range(count)]
    found = np.array([cv2.phaseCorrelate(near, own, window)[0] for near, own in zip(beside, fine, strict=True)])
    far = np.hypot(*found.T)
    return np.where(((far > 1.5) & (far < 0.1 * columns))[:, None], found, 0.0)


def _relit(values: Pixels, shifts: Pixels, lamps: Pixels) -> tuple[Pixels, Pixels]:
    """(photographs moved into place, what each should look like), both (N, H, W)."""
    moved = np.stack([moved_by(v, -s) for v, s in zip(values, shifts, strict=True)])
    made = solve_light_set(np.repeat(moved[..., None], 3, -1), lamps)
    facing = np.maximum(np.einsum("hwc,kc->khw", made.normal, lamps.astype(np.float32)), 0)
    return moved, made.albedo[..., 0] * facing / lamps[:, 2, None, None].astype(np.float32)


def _plain(seen: Pixels, guess: Pixels) -> Pixels:
    """A photograph without its glints and cast shadows, which move with the lamp."""
    return np.clip(seen, 0.6 * guess, 1.25 * guess)


def _misfits(values: Pixels, shifts: Pixels, lamps: Pixels) -> Pixels:
    moved, guess = _relit(values, shifts, lamps)
    return np.array([float(np.mean(np.abs(_plain(m, g) - g))) for m, g in zip(moved, guess, strict=True)])


def _refined(values: Pixels, shifts: Pixels, lamps: Pixels) -> Pixels:
    steps = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 50, 1e-5)
    moved, guesses = _relit(values, shifts, lamps)
    out = shifts.copy()
    for k, (seen, guess) in enumerate(zip(moved, guesses, strict=True)):
        matrix = np.eye(2, 3, dtype=np.float32)
        try:
            _, matrix = cv2.findTransformECC(
                cv2.GaussianBlur(guess, (0, 0), 1.0),
                _plain(seen, guess),
                matrix,
                cv2.MOTION_TRANSLATION,
                steps,
                None,
                5,
            )
        except cv2.error:
            continue
        if np.hypot(matrix[0, 2], matrix[1, 2]) < 4:
            out[k] += matrix[:, 2]
    return out


def _fine(value: Pixels) -> Pixels:
    tone = np.log(np.maximum(blur(value, 1.0, wraps=False), 1e-3))
    return (tone - blur(tone, 8.0, wraps=False)).astype(np.float32)


def moved_by(pixels: Pixels, shift: Pixels) -> Pixels:
    """Pixels (H, W[, C]) moved right and down by a part of a pixel, cubic."""
    if not np.any(shift):
        return pixels
    move = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float64)
    size = (pixels.shape[1], pixels.shape[0])
    return np.asarray(cv2.warpAffine(pixels, move, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT))


def _basis(rows: int, columns: int) -> Pixels:
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    x, y = (x + 0.5) / columns * 2 - 1, (y + 0.5) / rows * 2 - 1
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], -1)


def _fields(values: Pixels) -> Pixels:
    """Smooth light of each lamp across the picture, as the polynomial of its ratio to the typical photograph.

    What bends the whole surface in one sweep looks the same and goes with it: a sample is taken to be flat at large.
    """
    small = np.stack([cv2.resize(v, (48, 48), interpolation=cv2.INTER_AREA) for v in values])
    ratio = np.log(np.maximum(small, 1e-4)) - np.log(np.maximum(small.mean(0), 1e-4))
    basis = _basis(48, 48).reshape(-1, 6)
    fields = np.zeros((len(values), 6))
    for k, one in enumerate(ratio.reshape(len(values), -1)):
        weights = np.ones(one.size)
        for _ in range(8):
            root = np.sqrt(weights)
            fields[k] = fit_rows(basis * root[:, None], one * root)
            weights = 1 / np.maximum(np.abs(one - basis @ fields[k]), 0.02)
    # The constant part is how the surface leans; it stays.
    fields[:, 0] = 0
    return -fields


def apply_stabilization(photograph: Pixels, number: int, steady: Stabilization) -> Pixels:
    """One photograph (H, W, 3) of any size as if camera, exposure and lamp had been the same for all."""
    rows, columns = photograph.shape[:2]
    moved = moved_by(photograph, -steady.shifts[number] * columns)
    gain = float(steady.gains[number])
    if not np.any(steady.fields[number]):
        return moved * np.float32(gain) if gain != 1 else moved
    field = np.exp(_basis(64, 64) @ steady.fields[number]).astype(np.float32) * np.float32(gain)
    wide = cv2.resize(field, (columns, rows), interpolation=cv2.INTER_CUBIC)
    result: Pixels = moved * wide[..., None]
    return result
