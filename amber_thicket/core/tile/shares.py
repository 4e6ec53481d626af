"""How pieces share the output near their joins: each piece's mask, smoothed by the width of a feather."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.filters import blur, pad
from amber_thicket.core.numeric.libraries import cv2
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

# A mask that is smoothed by this or more is smoothed on a grid half as fine: off by less than 1 % at a join.
_SOFT = 3.5
# Side of the squares that are looked at for more than one label; most have one alone.
_SQUARE = 48


def feathered(labels: NDArray[np.uint8], pieces: int, widths: tuple[float, ...]) -> tuple[Pixels, ...]:
    """Shares (pieces, h, w) from hard labels (H, W) that wrap: each label's mask smoothed per band by widths (px), on
    the grid of the labels or a coarser one. They sum to 1."""
    return tuple(_feathered(np.ascontiguousarray(labels), pieces, sigma) for sigma in widths)


def _feathered(labels: NDArray[np.uint8], pieces: int, sigma: float) -> Pixels:
    """The shares of one band."""
    height, width = labels.shape
    factor = 1
    while factor * _SOFT <= sigma and height % (2 * factor) == 0 and width % (2 * factor) == 0:
        factor *= 2
    shares = np.empty((pieces, height // factor, width // factor), np.float32)
    # Area averaging and linear enlarging blur by about f²/4 together.
    rest = max(sigma * sigma - factor * factor / 4, 0.01) ** 0.5 / factor
    if factor == 1:
        reach = max(1, int(np.ceil(3.5 * rest)))
        taps = cv2.getGaussianKernel(2 * reach + 1, rest, cv2.CV_32F)[reach:, 0].copy()
        over_rows(partial(_soften, pad(labels, reach, wraps=True), taps, shares), -(-height // _SQUARE), least=4)
        return shares
    over_rows(partial(_parts, labels, factor, shares), height // factor)
    for share in shares:
        share[:] = blur(share, rest, wraps=True)
    return shares


@compiled(loose=True)
def _parts(labels, factor, shares, first, last):  # type: ignore[no-untyped-def]
    """What part of each square of factor × factor labels is which."""
    one = np.float32(1 / (factor * factor))
    columns = shares.shape[2]
    for y in range(first, last):
        shares[:, y] = 0.0
        for row in range(y * factor, (y + 1) * factor):
            line = labels[row]
            for x in range(columns):
                for at in range(x * factor, (x + 1) * factor):
                    shares[line[at], y, x] += one


@compiled(loose=True)
def _one_alone(wide, top, end, left, right):  # type: ignore[no-untyped-def]
    """Whether all labels of a square are the same."""
    one, other = wide[top, left], np.uint8(0)
    for y in range(top, end):
        line = wide[y, left:right]
        for x in range(len(line)):
            other |= line[x] ^ one
    return other == 0


@compiled(loose=True)
def _soften(wide, taps, shares, first, last):  # type: ignore[no-untyped-def]
    """Gaussian smoothing of each label's mask, down and across, in rows first..last of squares. wide: the labels with
    as many around them as the taps reach."""
    pieces, height, width = shares.shape
    reach, room = len(taps) - 1, 2 * (len(taps) - 1)
    masks = np.empty((_SQUARE + room, _SQUARE + room), np.float32)
    soft = np.empty(_SQUARE + room, np.float32)
    for top in range(first * _SQUARE, min(last * _SQUARE, height), _SQUARE):
        end = min(top + _SQUARE, height)
        for left in range(0, width, _SQUARE):
            right = min(left + _SQUARE, width)
            count = right - left
            alone = _one_alone(wide, top, end + room, left, right + room)
            for piece in range(pieces):
                if alone:
                    whole = np.float32(1.0) if piece == wide[top, left] else np.float32(0.0)
                    for y in range(top, end):
                        to = shares[piece, y, left:right]
                        for x in range(count):
                            to[x] = whole
                    continue
                for y in range(top, end + room):
                    line, mask = wide[y, left : right + room], masks[y - top]
                    for x in range(count + room):
                        mask[x] = np.float32(1.0) if line[x] == np.uint8(piece) else np.float32(0.0)
                for y in range(end - top):
                    here, to = masks[y + reach], shares[piece, top + y, left:right]
                    for x in range(count + room):
                        soft[x] = taps[0] * here[x]
                    for k in range(1, reach + 1):
                        above, below, tap = masks[y + reach - k], masks[y + reach + k], taps[k]
                        for x in range(count + room):
                            soft[x] += tap * (above[x] + below[x])
                    middle = soft[reach:]
                    for x in range(count):
                        to[x] = middle[x] * taps[0]
                    for k in range(1, reach + 1):
                        before, after, tap = soft[reach - k :], soft[reach + k :], taps[k]
                        for x in range(count):
                            to[x] += tap * (before[x] + after[x])
