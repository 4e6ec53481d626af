"""Rebuilds the surface from blocks of the sample, at any size, and mends the worst joins with further pieces.

Source: Efros & Freeman, "Image quilting for texture synthesis and transfer", SIGGRAPH 2001 (blocks chosen by their
overlap); Kwatra et al., "Graphcut textures", SIGGRAPH 2003 (joins by minimum cut, worst joins mended).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.window import Window
from amber_thicket.core.progress import report_progress
from amber_thicket.core.raster import Pixels
from amber_thicket.core.synthesis.mosaic import moved
from amber_thicket.core.synthesis.patch_search import PatchSearch
from amber_thicket.core.synthesis.patchwork import Mask, Patchwork

# Sizes of blocks and how far they overlap, in tile widths, and wider ones for pieces that stay whole: in a narrow
# overlap there is often no way round a stone, and two halves of different ones meet in a straight line.
BLOCK, OVERLAP, PATCH = 0.34, 0.12, 0.3
WIDE_BLOCK, WIDE_OVERLAP = 0.45, 0.2
_MOST_OF_SAMPLE = 0.45
_RING = 0.3
_AVOID_RING, _MOST_AVOIDED = 24 / 768, 120


def grow(
    work: Patchwork,
    sample: PatchSearch,
    unfit: Mask | None,
    *,
    apart: float,
    seed: int,
    tries: int = 1,
    wide: bool = False,
) -> None:
    """Fills what is bare of a tile with blocks, row by row. apart: px within which nothing of the sample should show
    twice. tries: places that are tried for each block; the one whose joins cost least is laid. wide: blocks are
    large, and overlap by more than a piece."""
    height, width = work.labels.shape
    rows, columns = sample.features.shape[:2]
    block, overlap = (WIDE_BLOCK, WIDE_OVERLAP) if wide else (BLOCK, OVERLAP)
    blocks = [min(block * width, _MOST_OF_SAMPLE * columns), min(block * height, _MOST_OF_SAMPLE * rows)]
    counts = [
        max(2, round(size / (b * (1 - overlap / block)))) for size, b in zip((width, height), blocks, strict=True)
    ]
    steps = [size / count for size, count in zip((width, height), counts, strict=True)]
    spans = [int(np.ceil(step * (1 + overlap / (block - overlap)))) + 2 for step in steps]
    choose = np.random.default_rng(seed)
    for number in range(counts[0] * counts[1]):
        report_progress(0.6 * number / (counts[0] * counts[1]), "Laying blocks")
        row, column = divmod(number, counts[0])
        around = Window(round(column * steps[0]) - 1, round(row * steps[1]) - 1, spans[0], spans[1])
        inner = _inner(around)
        bare = (work.labels[around.on(work.labels.shape)] < 0) & inner
        if not bare.any():
            continue
        beside = ~bare & inner
        free = not beside.any()
        found = sample.find(work, around, beside, bare, apart=apart, count=40 if free else tries)
        if free and found:
            found = [found[int(choose.integers(len(found)))]]
        if found:
            put(work, sample, unfit, around, _cheapest(work, sample, unfit, around, found, bare), must=bare)


def _cheapest(
    work: Patchwork,
    sample: PatchSearch,
    unfit: Mask | None,
    around: Window,
    places: Sequence[tuple[int, int]],
    must: Mask,
) -> tuple[int, int]:
    """The place whose joins cost least."""
    if len(places) == 1:
        return places[0]
    gains = [put(work, sample, unfit, around, place, must=must, dry_run=True) for place in places]
    return places[int(np.argmax(gains))]


def put(
    work: Patchwork,
    sample: PatchSearch,
    unfit: Mask | None,
    around: Window,
    place: tuple[int, int],
    *,
    must: Mask,
    dry_run: bool = False,
) -> float:
    """Lays the sample from a corner into a window; returns how much cheaper the joins became. dry_run: only
    tells."""
    x, y = place
    part = (slice(y, y + around.height), slice(x, x + around.width))
    dear = None
    if unfit is not None and unfit[part].any():
        dear = unfit[part].astype(np.float32) * np.float32(10)
    placement = moved(x - around.left, y - around.top, around.as_tuple)
    return work.lay(around, sample.features[part], placement, must=must, may=_inner(around), dear=dear, dry_run=dry_run)


def keep_in_place(work: Patchwork, sample: PatchSearch, kept: Mask) -> None:
    """Lays every kept part of the sample where it lies in it, and locks it."""
    height, width = work.labels.shape
    rows, columns = sample.features.shape[:2]
    _, _, boxes, _ = cv2.connectedComponentsWithStats(kept.astype(np.uint8))
    locked = np.zeros((height, width), bool)
    for left, top, wide, high, _ in boxes[1:]:
        x0, y0 = max(0, left - 3), max(0, top - 3)
        x1, y1 = min(columns, left + wide + 3, x0 + width), min(rows, top + high + 3, y0 + height)
        around = Window(int(x0), int(y0), int(x1 - x0), int(y1 - y0))
        here = kept[y0:y1, x0:x1] & _inner(around)
        put(work, sample, None, around, (int(x0), int(y0)), must=here)
        locked[around.on(locked.shape)] |= here
    work.locked = locked


def avoid(work: Patchwork, sample: PatchSearch, unfit: Mask, *, tries: int = 1, wide: float = 0.0) -> None:
    """Covers whatever unfit pixels of the sample show with other parts of it. The joins lie in a ring around them.
    tries: as in grow(); wide: of the ring at least, px."""
    height, width = work.labels.shape
    rows, columns = unfit.shape
    least = min(width, height)
    ring = max(6, round(_AVOID_RING * width), round(wide))
    most = int(min(0.6 * least, _MOST_OF_SAMPLE * columns, _MOST_OF_SAMPLE * rows)) - 2 * ring
    given_up = np.zeros((height, width), bool)
    shown = _unfit_shown(work, unfit)
    for number in range(_MOST_AVOIDED):
        if not shown.any():
            return
        report_progress(min(0.95, number / 40), "Leaving out what was brushed")
        around = _window_on(shown, max(most, 8), ring)
        must = cv2.dilate(shown[around.on(shown.shape)].astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        must &= _core(around, ring // 2)
        found = sample.find(work, around, ~must, must, apart=0.3 * width, count=tries)
        if found:
            put(work, sample, unfit, around, _cheapest(work, sample, unfit, around, found, must), must=must)
        at = around.on(shown.shape)
        # What a piece could not cover with anything better is left as it is.
        given_up[at] |= must
        # Nothing but the window has changed.
        shown[at] = _unfit_shown(work, unfit, around) & ~given_up[at]


def _unfit_shown(work: Patchwork, unfit: Mask, around: Window | None = None) -> Mask:
    """Where the tile, or a window of it, shows unfit pixels of the sample and may be changed."""
    rows, columns = unfit.shape
    at = work.sources(around).astype(np.int64)
    shown: Mask = unfit[at[..., 1].clip(0, rows - 1), at[..., 0].clip(0, columns - 1)]
    if work.locked is not None:
        shown &= ~(work.locked[around.on(work.locked.shape)] if around else work.locked)
    return shown


def _window_on(shown: Mask, most: int, ring: int) -> Window:
    """A window on the largest part of a mask on a tile whose edges meet."""
    # Two by two tiles where a part may go on round an edge.
    goes_on = (shown[0].any() and shown[-1].any()) or (shown[:, 0].any() and shown[:, -1].any())
    seen = np.tile(shown, (2, 2)) if goes_on else shown
    _, _, boxes, _ = cv2.connectedComponentsWithStats(seen.astype(np.uint8))
    left, top, wide, high, _ = max(boxes[1:], key=lambda box: int(box[4]))
    return Window(int(left) - ring, int(top) - ring, min(int(wide), most) + 2 * ring, min(int(high), most) + 2 * ring)


def mend(work: Patchwork, sample: PatchSearch, unfit: Mask | None, *, apart: float, times: int, tries: int = 1) -> None:
    """Lays further pieces over the worst joins, each kept when the joins become cheaper by it. tries: as in grow(); 1
    takes the first of two that makes them cheaper."""
    height, width = work.labels.shape
    rows, columns = sample.features.shape[:2]
    spans = [int(min(PATCH * width, _MOST_OF_SAMPLE * columns)), int(min(PATCH * height, _MOST_OF_SAMPLE * rows))]
    tried = np.ones((height, width), np.float32)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    for number in range(times):
        report_progress(0.6 + 0.4 * number / times, "Mending joins")
        worst = blur(work.across + work.below, 0.2 * spans[0], wraps=True) * tried
        row, column = divmod(int(worst.argmax()), width)
        if worst[row, column] <= 0:
            break
        around = Window(column - spans[0] // 2, row - spans[1] // 2, spans[0], spans[1])
        away_x, away_y = np.abs(x - column), np.abs(y - row)
        away = np.hypot(np.minimum(away_x, width - away_x), np.minimum(away_y, height - away_y))
        tried *= np.clip(away / (0.35 * spans[0]), 0.25, 1)
        core = _core(around, int(_RING * min(spans)))
        nothing = np.zeros_like(core)
        found = sample.find(work, around, ~core, core, apart=apart, count=max(2, tries))
        if tries > 1 and found:
            found = [_cheapest(work, sample, unfit, around, found, nothing)]
        for place in found:
            if put(work, sample, unfit, around, place, must=nothing) > 0:
                break


def _inner(around: Window) -> Mask:
    """All but the outermost pixels."""
    mask = np.zeros((around.height, around.width), bool)
    mask[1:-1, 1:-1] = True
    return mask


def _core(around: Window, ring: int) -> Mask:
    """The middle of a window, without the ring that is compared."""
    mask = np.zeros((around.height, around.width), bool)
    mask[ring:-ring, ring:-ring] = True
    return mask


def features_with_height(colour: Pixels, height: Pixels | None) -> Pixels:
    """What is compared across joins; a height counts too, so that it does not step where the colour agrees.

    colour: (H, W, 3) linear RGB, height: (H, W) → (H, W, C).
    """
    if height is None:
        return colour
    fine = height - blur(height, 0.06 * height.shape[1], wraps=False)
    spread = max(float(fine.std()), 1e-6)
    return np.concatenate([colour, (0.1 / spread * fine)[..., None].astype(np.float32)], -1)
