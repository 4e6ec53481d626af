"""Steps from tile to tile at which joins can follow joints: every step is tried, with a path through its overlap."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.joints.depth import DepthField
from amber_thicket.core.tile.joints.price import COLOUR, FUSED, PIXEL, TRIMMED, usual_difference

_SIDE = 256
# Steps in shares of the sample; how far one may lie aslant; how far a tile may be stretched to its shape.
_LEAST, _MOST, _ASLANT, _STRETCH = 0.58, 0.9, 0.04, 0.04
# What counts beside the joins themselves.
_WASTES, _STRETCHED, _SHEARED = (0.15, 0.6), 0.5, 1.0
# Of each axis the best so many; two are the same if they lie this near, in shares of the sample.
_KEPT, _SAME = 40, 0.012


@dataclass(frozen=True)
class Step:
    """From a tile to the next: (right, down) in shares of the sample's width and of its height; the mean price of the
    join."""

    right: float
    down: float
    price: float


@dataclass(frozen=True)
class StepPair:
    """The steps of a tile: across and down. total: its price, less is better."""

    across: Step
    down: Step
    total: float


def find_step_pairs(field: DepthField, shape: tuple[int, int], count: int) -> list[StepPair]:
    """The best pairs of steps that differ, half of them where a large tile counts much. field: of the whole sample;
    shape: (width, height) of the tile, for its proportion."""
    height, width = field.depth.shape
    scale = _SIDE / max(height, width)
    size = (max(24, round(width * scale)), max(24, round(height * scale)))
    depth, lab = (cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in (field.depth, field.lab))
    tried = [_tried(depth, lab), _tried(np.ascontiguousarray(depth.T), np.ascontiguousarray(lab.transpose(1, 0, 2)))]
    kept: list[StepPair] = []
    for waste, wanted in zip(_WASTES, (count // 2, count), strict=True):
        across = _best(*tried[0], waste)
        down = [Step(step.down, step.right, step.price) for step in _best(*tried[1], waste)]
        pairs = _pairs(across, down, shape[0] / shape[1], (width, height), waste)
        kept = _different(kept, pairs, wanted)
    return kept


def _pairs(across: list[Step], down: list[Step], shape: float, sample: tuple[int, int], waste: float) -> list[StepPair]:
    """Steps that go together into a tile of about the shape (width to height), cheapest first."""
    width, height = sample
    wanted = shape * height / width
    pairs = []
    for one in across:
        for other in down:
            stretch = abs(np.log(one.right / other.down / wanted))
            if stretch > _STRETCH:
                continue
            shear = abs(one.down * height / (one.right * width) + other.right * width / (other.down * height))
            lost = (1 - one.right) + (1 - other.down)
            total = one.price + other.price + waste * lost + _STRETCHED * stretch + _SHEARED * shear
            pairs.append(StepPair(one, other, float(total)))
    return sorted(pairs, key=lambda pair: pair.total)


def _different(kept: list[StepPair], pairs: list[StepPair], count: int) -> list[StepPair]:
    """Those kept, and of others the first that differ from all before them, until there are so many."""
    kept = list(kept)
    for pair in pairs:
        if all(
            max(
                abs(pair.across.right - other.across.right),
                abs(pair.across.down - other.across.down),
                abs(pair.down.right - other.down.right),
                abs(pair.down.down - other.down.down),
            )
            > 2 * _SAME
            for other in kept
        ):
            kept.append(pair)
        if len(kept) == count:
            break
    return kept


def _tried(depth: Pixels, lab: Pixels) -> tuple[NDArray[np.float64], Pixels]:
    """Every step across, (right, down) in shares of width and height, (n, 2), and the mean price of a join at each."""
    height, width = depth.shape
    rights = np.arange(int(_LEAST * width), int(_MOST * width) + 1)
    steps = []
    for right in rights:
        most = int(_ASLANT * right)
        steps += [(right, down) for down in range(-most, most + 1)]
    tried = np.array(steps, np.int32)
    out = np.empty(len(tried), np.float32)
    planes = np.ascontiguousarray(lab.transpose(2, 0, 1))
    run = partial(_try_steps, depth, planes, np.float32(usual_difference(lab)), tried, out)
    over_rows(run, len(tried), least=16)
    return tried / np.array([width, height]), out


def _best(steps: NDArray[np.float64], prices: Pixels, waste: float) -> list[Step]:
    """The best steps that differ, cheapest first. waste: what it counts that all of the sample is left over."""
    kept: list[Step] = []
    for number in np.argsort(prices + waste * (1 - steps[:, 0])):
        step = Step(float(steps[number, 0]), float(steps[number, 1]), float(prices[number]))
        if all(max(abs(step.right - k.right), abs(step.down - k.down)) > _SAME for k in kept):
            kept.append(step)
        if len(kept) == _KEPT:
            break
    return kept


@compiled(loose=True)
def _try_steps(depth, lab, usual, steps, out, first, last):  # type: ignore[no-untyped-def]
    """Mean price of the cheapest join at each step: it goes down a row at a time, and any way along a row. lab: (3, H,
    W); a pixel and the one a step away lie at the same place of two lines, so that many are told at once."""
    height, width = depth.shape
    path, price = np.empty(width, np.float32), np.empty(width, np.float32)
    for number in range(first, last):
        right, down = steps[number, 0], steps[number, 1]
        over = width - right
        margin = 1 + over // 12
        low, high = margin, over - margin
        count = high - low
        if count < 2:
            out[number] = np.float32(1e6)
            continue
        top, bottom = max(0, -down), height - max(0, down)
        for y in range(top, bottom):
            here, there = depth[y, low:high], depth[y + down, low + right : high + right]
            light, other_light = lab[0, y, low:high], lab[0, y + down, low + right : high + right]
            red, other_red = lab[1, y, low:high], lab[1, y + down, low + right : high + right]
            yellow, other_yellow = lab[2, y, low:high], lab[2, y + down, low + right : high + right]
            for x in range(count):
                by_light, by_red = light[x] - other_light[x], red[x] - other_red[x]
                by_yellow = yellow[x] - other_yellow[x]
                off = by_light * by_light + by_red * by_red + by_yellow * by_yellow
                cost = np.float32(PIXEL) + np.float32(FUSED) * min(here[x], there[x])
                cost += np.float32(TRIMMED) * max(here[x], there[x])
                price[x] = cost + np.float32(COLOUR) * np.sqrt(off) / usual
            if y == top:
                path[:count] = price[:count]
            else:
                for x in range(count):
                    path[x] += price[x]
            best = path[0]
            for x in range(1, count):
                best = min(path[x], best + price[x])
                path[x] = best
            for x in range(count - 2, -1, -1):
                best = min(path[x], best + price[x])
                path[x] = best
        out[number] = path[:count].min() / np.float32(bottom - top)
