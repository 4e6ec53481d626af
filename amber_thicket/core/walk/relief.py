"""Height from parallax: what is nearer to the camera moves more between photographs than the plane does.

Sources: Irani & Anandan, "Parallax geometry of pairs of points for 3D scene analysis", ECCV 1996 (plane and parallax);
Kroeger et al., "Fast optical flow using dense inverse search", ECCV 2016 (the dense flow, by OpenCV).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import luminance
from amber_thicket.core.numeric.filters import blur, shrink
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.walk.poses import Poses, refine_poses

_CV: Any = cv2
# px that flow there and back may miss, and the residual at which a view counts half.
_THERE_AND_BACK, _HALF = 1.0, 0.6
_ROUNDS = 5
# How much smaller photographs are looked at in each pass, and how far it is when each begins.
_PASSES, _BEGIN = (2, 1, 1), (0.0, 0.12, 0.56, 1.0)
_ROUGH, _ROUGH_BEGIN = (2, 2), (0.0, 0.5, 1.0)
_EDGE = 14


class Parallax(NamedTuple):
    """height: (H, W) over the plane, toward the camera, in units of the camera's distance to it. spread: (H, W) how far
    photographs disagree, in the same unit. agree: (H, W) how many agree. poses: as they were at the end."""

    height: Pixels
    spread: Pixels
    agree: Pixels
    poses: Poses

    def share(self) -> float:
        """Of the picture, 0..1, where at least two other photographs agree; the one other, where there are only two."""
        return float((self.agree > (1.2 if len(self.poses.cameras) > 2 else 0.6)).mean())


def places_of(shape: tuple[int, ...]) -> Pixels:
    """(H·W, 2): the middles of all pixels, from the middle of the picture, in its widths."""
    height, width = shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    return np.stack([(x.ravel() + 0.5 - width / 2) / width, (y.ravel() + 0.5 - height / 2) / width], 1)


def look_up(poses: Poses, number: int, places: Pixels, height: Pixels, shape: tuple[int, ...]) -> tuple[Pixels, Pixels]:
    """(x, y), each (H, W) float32: px of another photograph where surface points are seen. places: (H·W, 2) of the
    first one, height: (H·W,) over the plane. shape: of both."""
    rows, columns = shape[:2]
    seen = poses.seen(number, poses.points(places, height)) * columns
    x, y = seen[:, 0] + columns / 2 - 0.5, seen[:, 1] + rows / 2 - 0.5
    return x.reshape(rows, columns).astype(np.float32), y.reshape(rows, columns).astype(np.float32)


def _flow_tone(pixels: Pixels) -> Any:
    """8 bit: tone without slow light, equally strong everywhere, so that exposure and fall-off do not move anything."""
    tone = np.log(np.maximum(luminance(np.ascontiguousarray(pixels)), 3e-3)).astype(np.float32)
    fine = tone - blur(tone, 16, wraps=False, fast=True)
    strong = np.sqrt(blur(fine * fine, 24, wraps=False, fast=True)) + 0.03
    return np.rint((fine / strong * 42 + 128).clip(0, 255)).astype(np.uint8)


def find_height(
    photographs: Sequence[Pixels],
    poses: Poses,
    *,
    hold_focal: bool,
    rough: bool = False,
    show: Callable[[Pixels], object] = lambda height: None,
) -> Parallax:
    """photographs: (H, W, 3) linear, of one size, the first the one the height lies on. rough: at half size, as much as
    poses need. show is given the first pass's height, at half size, long before the rest is worked out."""
    passes, begin = (_ROUGH, _ROUGH_BEGIN) if rough else (_PASSES, _BEGIN)
    flow = _CV.DISOpticalFlow_create(_CV.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow.setFinestScale(0)
    flow.setPatchSize(10)
    flow.setPatchStride(3)
    flow.setVariationalRefinementIterations(8)
    found: Parallax | None = None
    for number, factor in enumerate(passes):
        seen = [shrink(pixels, factor) for pixels in photographs]
        shape, places = seen[0].shape[:2], places_of(seen[0].shape)
        tones = [_flow_tone(pixels) for pixels in seen]
        before = np.zeros(shape, np.float32)
        if found is not None:
            poses, before = found.poses, found.height
            if before.shape != shape:
                before = cv2.resize(before, shape[::-1], interpolation=cv2.INTER_LINEAR)
        start = Parallax(before, before, before, poses)
        moves, steps, weights = [], [], []
        for view in range(1, len(seen)):
            share = (begin[number] + (begin[number + 1] - begin[number]) * (view - 1) / (len(seen) - 1)) * 0.6
            report_progress(0.35 + share, "Comparing what moved" if number else "Comparing what moved, roughly")
            move, weight = _moved(flow, tones, view, places, start)
            moves.append(move)
            weights.append(weight)
            steps.append(_per_height(poses, view, places, before.ravel(), shape))
        made, spread, agree = _merged(moves, steps, weights)
        height = _filled(before + made, agree)
        if rough or number < len(passes) - 1:
            poses = _refined(poses, moves, weights, places, before, height, hold_focal)
        found = Parallax(_level(height, agree, places), spread, agree, poses)
        if number == 0:
            show(found.height)
    assert found is not None
    return found


def how_alike(photographs: Sequence[Pixels], found: Parallax) -> tuple[float, ...]:
    """For every photograph after the first, how far it shows the same there, −1..1: correlation of fine tone, laid on
    the first by poses and height. One that is blurred, lit differently or matched one repeat off shows less than the
    others. photographs: as for find_height(), of the height's size."""
    shape = found.height.shape
    places = places_of(shape)
    tones = [_flow_tone(pixels).astype(np.float32) for pixels in photographs]
    told = []
    for number in range(1, len(tones)):
        x, y = look_up(found.poses, number, places, found.height.ravel(), shape)
        seen = cv2.remap(tones[number], x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        inside = np.minimum(np.minimum(x, shape[1] - 1 - x), np.minimum(y, shape[0] - 1 - y)) > 2 * _EDGE
        one, other = tones[0][inside], seen[inside]
        told.append(float(np.corrcoef(one, other)[0, 1]) if one.size > 1000 else 0.0)
    return tuple(told)


def _moved(flow: Any, tones: Sequence[Any], view: int, places: Pixels, found: Parallax) -> tuple[Pixels, Pixels]:
    """((H, W, 2) px that what is seen lies beside where the height so far puts it, weight (H, W) in 0..1).

    The move is told in px of the other photograph."""
    shape = tones[0].shape
    x, y = look_up(found.poses, view, places, found.height.ravel(), shape)
    warped = cv2.remap(tones[view], x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    there, back = flow.calc(tones[0], warped, None), flow.calc(warped, tones[0], None)
    row, column = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    returned = cv2.remap(back, column + there[..., 0], row + there[..., 1], cv2.INTER_LINEAR)
    miss = np.hypot(*np.moveaxis(there + returned, -1, 0))
    # Borders fade: what is not there cannot be matched, and a hard edge would cut a step into the height.
    inside = np.minimum(np.minimum(x, shape[1] - 1 - x), np.minimum(y, shape[0] - 1 - y))
    own = np.minimum(np.minimum(column, shape[1] - 1 - column), np.minimum(row, shape[0] - 1 - row))
    fade = np.clip(np.minimum(inside, own + _EDGE / 2) / (3 * _EDGE), 0, 1)
    weight = (fade / (1 + (miss / _THERE_AND_BACK) ** 4)).astype(np.float32)
    # From the warped picture to the other photograph: both grids are locally alike but for the mapping between them.
    gx = [np.gradient(part) for part in (x, y)]
    move = np.stack([part[1] * there[..., 0] + part[0] * there[..., 1] for part in gx], -1)
    return move.astype(np.float32), weight


def _per_height(poses: Poses, view: int, places: Pixels, height: Pixels, shape: tuple[int, ...]) -> Pixels:
    """(H, W, 2) px by which a point moves in another photograph for each unit of height."""
    small = 1e-3
    one, other = (look_up(poses, view, places, height + step, shape) for step in (-small, small))
    return np.stack([(b - a) / np.float32(2 * small) for a, b in zip(one, other, strict=True)], -1)


def _merged(moves: list[Pixels], steps: list[Pixels], weights: list[Pixels]) -> tuple[Pixels, Pixels, Pixels]:
    """(what is to be added to the height, how far views disagree, how many agree), each (H, W)."""
    power = [weight * (step * step).sum(-1) for weight, step in zip(weights, steps, strict=True)]
    told = [
        (move * step).sum(-1) / np.maximum((step * step).sum(-1), 1e-9) for move, step in zip(moves, steps, strict=True)
    ]
    lengths = [np.sqrt((step * step).sum(-1)) for step in steps]
    trust = [np.ones_like(part) for part in power]
    height = np.zeros_like(power[0])
    for _ in range(_ROUNDS):
        total = sum(p * t for p, t in zip(power, trust, strict=True))
        height = sum(p * t * h for p, t, h in zip(power, trust, told, strict=True)) / np.maximum(total, 1e-6)
        # What does not move along its own line, or by another amount, is another thing.
        offs = [move - step * height[..., None] for move, step in zip(moves, steps, strict=True)]
        trust = [1 / (1 + (np.hypot(off[..., 0], off[..., 1]) / _HALF) ** 2) for off in offs]
    total = sum(p * t for p, t in zip(power, trust, strict=True))
    spread = np.sqrt(
        sum(p * t * (h - height) ** 2 for p, t, h in zip(power, trust, told, strict=True)) / np.maximum(total, 1e-6)
    )
    count = sum(w * t * (n > 1) for w, t, n in zip(weights, trust, lengths, strict=True))
    return np.asarray(height, np.float32), np.asarray(spread, np.float32), np.asarray(count, np.float32)


def _filled(height: Pixels, count: Pixels) -> Pixels:
    """Where hardly anything agrees, what is around counts."""
    sure = np.clip(count / 0.6, 0, 1).astype(np.float32)
    result, known = height * sure, sure
    for sigma in (2.0, 6.0, 18.0, 54.0):
        total = blur(np.ascontiguousarray(known), sigma, wraps=False, fast=True)
        mean = blur(np.ascontiguousarray(result), sigma, wraps=False, fast=True) / np.maximum(total, 1e-6)
        lacking = np.clip(1 - known, 0, 1)
        result, known = result + lacking * mean * np.clip(total * 4, 0, 1), known + lacking * np.clip(total * 4, 0, 1)
    return np.asarray(result, np.float32)


def _level(height: Pixels, count: Pixels, places: Pixels) -> Pixels:
    """Without the plane that the height has of its own: that is the surface's, and belongs to the poses."""
    design = np.column_stack([places, np.ones(len(places))])
    weight = np.clip(count.ravel(), 0, 1)[::7]
    rows = design[::7]
    values = height.ravel()[::7]
    for _ in range(4):
        entries = np.linalg.lstsq(rows * weight[:, None], values * weight, rcond=None)[0]
        off = values - rows @ entries
        weight = np.clip(count.ravel(), 0, 1)[::7] / (1 + (off / max(1.48 * float(np.median(np.abs(off))), 1e-9)) ** 2)
    return np.asarray(height - (design @ entries).reshape(height.shape), np.float32)


def _refined(
    poses: Poses,
    moves: list[Pixels],
    weights: list[Pixels],
    places: Pixels,
    before: Pixels,
    height: Pixels,
    hold_focal: bool,
) -> Poses:
    """Poses that fit what was seen to move, with the relief where it is."""
    rng = np.random.default_rng(1)
    pairs = []
    shape = before.shape
    for view, (move, weight) in enumerate(zip(moves, weights, strict=True), 1):
        x, y = look_up(poses, view, places, before.ravel(), shape)
        at = np.stack(
            [(x + move[..., 0]).ravel() + 0.5 - shape[1] / 2, (y + move[..., 1]).ravel() + 0.5 - shape[0] / 2], 1
        )
        pick = rng.permutation(np.flatnonzero(weight.ravel() > 0.8))[:1500]
        pairs.append((places[pick], at[pick] / shape[1], height.ravel()[pick].astype(np.float64)))
    return refine_poses(poses, pairs, hold_focal=hold_focal)
