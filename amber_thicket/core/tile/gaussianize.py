"""Makes the channels of a layer Gaussian and independent of each other, and gives them their values back.

Source: Rosenblatt, "Remarks on a multivariate transformation", The Annals of Mathematical Statistics 23(3), 1952: the
first channel by its own distribution, each further one by its distribution given those before it. Mixtures of what is
made Gaussian so have the colours that were there; with each channel by its own distribution, values that do not go
together come together (blue in the cracks of brown earth).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import special
from amber_thicket.core.numeric.parallel import over_rows
from amber_thicket.core.raster import Pixels

# Levels of the first channel, and evenly spaced places in them where to begin looking.
_LEVELS, _HINTS = 2048, 4096
# Levels of further channels: evenly spaced Gaussian ones, from minus this to this.
_GIVEN_LEVELS, _TAIL = 65, np.float32(3.5)
# Where means and spreads of further channels are known, given the first; beyond, they stay.
_MEANS, _MEANS_TO = 49, np.float32(2.8)
# Where their levels are known besides: of the second given the first, of others given the first and the second.
_KNOTS, _PAIRED_KNOTS, _KNOTS_TO = 9, 7, np.float32(2.4)
# Pixels of further channels that are counted, how many a knot needs at least, and what is no spread.
_COUNTED, _ENOUGH, _NO_SPREAD = 100_000, 100, np.float32(1e-6)


@dataclass(frozen=True)
class GaussianLevels:
    """Of C channels. axes: (C, C), columns are the directions in which values vary on their own, the strongest first;
    middle: (C,) their mean. levels, values: (L,) rising Gaussian levels and values of the first. means, spreads:
    (C − 1, m) of further ones, at evenly spaced levels of the first. second: (k, 1, l) and others:
    (max(C − 2, 0), k, k, l) what lies at evenly spaced levels of theirs, in spreads from the mean, at evenly spaced
    levels of the first and the second."""

    axes: Pixels
    middle: Pixels
    levels: Pixels
    values: Pixels
    means: Pixels
    spreads: Pixels
    second: Pixels
    others: Pixels


def count_levels(counted: Pixels) -> GaussianLevels:
    """How values become Gaussian. counted: (N, C) float64 pixels."""
    axes, middle = _axes(counted)
    turned = ((counted - middle) @ axes).astype(np.float32)
    shares = (np.arange(_LEVELS) + 0.5) / _LEVELS
    # Looking up needs rising values.
    values = np.maximum.accumulate(np.quantile(turned[:, 0], shares) + np.arange(_LEVELS) * 1e-9).astype(np.float32)
    levels = special.ndtri(shares).astype(np.float32)
    some = turned[:: max(1, len(turned) // _COUNTED)]
    first = np.interp(some[:, 0], values, levels).astype(np.float32)
    further = turned.shape[1] - 1
    means = np.zeros((further, _MEANS), np.float32)
    spreads = np.ones((further, _MEANS), np.float32)
    second = np.zeros((_KNOTS, 1, _GIVEN_LEVELS), np.float32)
    others = np.zeros((max(further - 1, 0), _PAIRED_KNOTS, _PAIRED_KNOTS, _GIVEN_LEVELS), np.float32)
    beside = np.zeros_like(first)
    for channel in range(further):
        means[channel], spreads[channel], rest = _standardize(some[:, channel + 1], first)
        if channel:
            others[channel - 1] = _given_levels(rest, first, beside, others.shape[1:3])
        else:
            second[:] = _given_levels(rest, first, beside, second.shape[:2])
            beside = np.empty_like(first)
            _level_each(rest, first, second, beside)
    return GaussianLevels(axes, middle, levels, values, means, spreads, second, others)


def gaussianize(layer: Pixels, by: GaussianLevels) -> Pixels:
    """Values as Gaussian levels. layer: (H, W, C) float32; returns the same, of mean 0 and variance 1."""
    out = np.empty(layer.shape, np.float32)
    hints = _hints(by.values)

    def rows(first: int, last: int) -> None:
        _gaussianize_rows(
            layer, by.axes, by.middle, by.values, by.levels, hints, by.means, by.spreads, by.second, by.others, out,
            first, last,
        )  # fmt: skip

    over_rows(rows, len(layer), least=16)
    return out


def restore(gaussian: Pixels, by: GaussianLevels) -> None:
    """Values of Gaussian levels, in place. gaussian: (H, W, C) float32."""
    hints = _hints(by.levels)

    def rows(first: int, last: int) -> None:
        _restore_rows(
            gaussian, by.axes, by.middle, by.levels, by.values, hints, by.means, by.spreads, by.second, by.others,
            first, last,
        )  # fmt: skip

    over_rows(rows, len(gaussian), least=16)


def _hints(at: Pixels) -> NDArray[np.int64]:
    """(n,) where in a rising table to begin looking, for values evenly spaced over it."""
    return np.searchsorted(at, np.linspace(at[0], at[-1], _HINTS), side="right") - 1


def _axes(every: Pixels) -> tuple[Pixels, Pixels]:
    """The directions in which the channels vary on their own, the strongest first, and their mean."""
    middle = every.mean(axis=0).astype(np.float32)
    if every.shape[1] == 1:
        return np.ones((1, 1), np.float32), middle
    _, axes = np.linalg.eigh(np.cov((every - middle).T))
    return np.ascontiguousarray(axes[:, ::-1], np.float32), middle


def _standardize(values: Pixels, first: Pixels) -> tuple[Pixels, Pixels, Pixels]:
    """Mean and spread given the first channel, at evenly spaced levels of it, and the values in those."""
    places = np.linspace(-_MEANS_TO, _MEANS_TO, _MEANS)
    at = np.clip((first + _MEANS_TO) * (_MEANS - 1) / (2 * _MEANS_TO), 0, _MEANS - 1.001)
    below = at.astype(int)
    part = at - below

    def gather(what: Pixels) -> Pixels:
        found: Pixels = np.bincount(below, what * (1 - part), _MEANS) + np.bincount(below + 1, what * part, _MEANS)
        return found

    weight = gather(np.ones_like(first))
    known = weight >= min(_ENOUGH / 4, weight.max())
    weight = np.maximum(weight, 1e-9)
    mean = np.interp(places, places[known], (gather(values) / weight)[known])
    off = values - np.interp(first, places, mean)
    spread = np.interp(places, places[known], np.sqrt(gather(off * off) / weight)[known])
    spread = np.maximum(spread, _NO_SPREAD)
    return mean, spread, (off / np.interp(first, places, spread)).astype(np.float32)


def _given_levels(values: Pixels, first: Pixels, second: Pixels, knots: tuple[int, ...]) -> Pixels:
    """What lies at each of the levels of a channel, given those before it. Returns knots + (levels,)."""
    shares = special.ndtr(np.linspace(-_TAIL, _TAIL, _GIVEN_LEVELS))
    found = np.empty((*knots, _GIVEN_LEVELS), np.float32)
    step = float(2 * _KNOTS_TO / (knots[0] - 1))
    across, down = (np.clip(one, -_KNOTS_TO, _KNOTS_TO) for one in (first, second))
    for i, at in enumerate(np.linspace(-_KNOTS_TO, _KNOTS_TO, knots[0])):
        near = _nearest(np.abs(across - at), step)
        here, beside = values[near], down[near]
        for j, other in enumerate(np.linspace(-_KNOTS_TO, _KNOTS_TO, knots[1])):
            some = here[_nearest(np.abs(beside - other), step)] if knots[1] > 1 else here
            found[i, j] = np.quantile(some, shares)
    return found


def _nearest(distance: Pixels, within: float) -> NDArray[np.bool_] | NDArray[np.intp]:
    """Which lie within a distance, or the nearest ones where those are too few to count."""
    near = distance < within
    if near.sum() >= _ENOUGH or near.all():
        return near
    nearest: NDArray[np.intp] = np.argsort(distance)[:_ENOUGH]
    return nearest


@compiled()
def _between(value, at, there, hints):  # type: ignore[no-untyped-def]
    """Piecewise linear, like numpy.interp. hints: as _hints() gives them."""
    last = at.size - 1
    if value <= at[0]:
        return there[0]
    if value >= at[last]:
        return there[last]
    k = max(hints[int((value - at[0]) * ((len(hints) - 1) / (at[last] - at[0])))], 0)
    while k + 1 < last and at[k + 1] <= value:
        k += 1
    step = at[k + 1] - at[k]
    part = (value - at[k]) / step if step > 0 else np.float32(0)
    return there[k] + (there[k + 1] - there[k]) * part


@compiled()
def _place(level, to, count):  # type: ignore[no-untyped-def]
    """Between which of so many evenly spaced places a level lies: the one before it, and the part of the way on."""
    if count < 2:
        return 0, np.float32(0)
    at = (level + to) * np.float32((count - 1) / (2 * to))
    at = min(max(at, np.float32(0)), np.float32(count - 1.001))
    return int(at), np.float32(at - int(at))


@compiled()
def _on_the_way(table, k, part):  # type: ignore[no-untyped-def]
    return table[k] + (table[k + 1] - table[k]) * part


@compiled()
def _corners(first, second, table):  # type: ignore[no-untyped-def]
    """Between which four knots of a table something lies: where their levels begin in it, and the parts of the way
    on. first, second: levels of the channels before."""
    i, s = _place(first, _KNOTS_TO, table.shape[0])
    j, t = _place(second, _KNOTS_TO, table.shape[1])
    count, wide = table.shape[2], table.shape[1] * table.shape[2]
    begin, beside = i * wide + j * count, i * wide + min(j + 1, table.shape[1] - 1) * count
    return begin, begin + wide, beside, beside + wide, s, t


@compiled()
def _lies_at(levels, corners, k):  # type: ignore[no-untyped-def]
    """What lies at one level, between four knots. levels: those of all knots one after the other."""
    a, b, c, d, s, t = corners
    upper = levels[a + k] + (levels[b + k] - levels[a + k]) * s
    lower = levels[c + k] + (levels[d + k] - levels[c + k]) * s
    return upper + (lower - upper) * t


@compiled()
def _level(value, levels, corners):  # type: ignore[no-untyped-def]
    """The level of a value, in spreads from the mean, between four knots."""
    last = _GIVEN_LEVELS - 1
    # Near where it would lie if the channel were normal: from there in strides twice as long each.
    low, _ = _place(value, _TAIL, _GIVEN_LEVELS)
    high, stride = low, 1
    least = most = _lies_at(levels, corners, low)
    if least <= value:
        while most <= value:
            if high == last:
                return _TAIL
            low, least = high, most
            high, stride = min(high + stride, last), 2 * stride
            most = _lies_at(levels, corners, high)
    else:
        while least > value:
            if low == 0:
                return -_TAIL
            high, most = low, least
            low, stride = max(low - stride, 0), 2 * stride
            least = _lies_at(levels, corners, low)
    while high - low > 1:
        middle = (low + high) // 2
        found = _lies_at(levels, corners, middle)
        if found <= value:
            low, least = middle, found
        else:
            high, most = middle, found
    return -_TAIL + (low + (value - least) / (most - least)) * np.float32(2 * _TAIL / last)


@compiled()
def _level_each(values, first, table, out):  # type: ignore[no-untyped-def]
    """Levels of the second channel, given those of the first."""
    levels = table.ravel()
    for n in range(len(values)):
        out[n] = _level(values[n], levels, _corners(first[n], np.float32(0), table))


@compiled()
def _gaussianize_rows(  # type: ignore[no-untyped-def]
    layer, axes, middle, values, levels, hints, means, spreads, second, others, out, first, last
):
    channels = layer.shape[2]
    turned = np.empty(channels, np.float32)
    of_second, of_others = second.ravel(), others.reshape(len(others), -1)
    for y in range(first, last):
        for x in range(layer.shape[1]):
            for c in range(channels):
                turned[c] = 0.0
                for d in range(channels):
                    turned[c] += (layer[y, x, d] - middle[d]) * axes[d, c]
            level = _between(turned[0], values, levels, hints)
            out[y, x, 0] = level
            if channels == 1:
                continue
            m, part = _place(level, _MEANS_TO, means.shape[1])
            for c in range(1, channels):
                mean, spread = _on_the_way(means[c - 1], m, part), _on_the_way(spreads[c - 1], m, part)
                value = (turned[c] - mean) / spread
                if spread <= _NO_SPREAD:
                    out[y, x, c] = 0.0
                elif c == 1:
                    out[y, x, c] = _level(value, of_second, _corners(level, np.float32(0), second))
                else:
                    corners = _corners(level, out[y, x, 1], others[c - 2])
                    out[y, x, c] = _level(value, of_others[c - 2], corners)


@compiled()
def _restore_rows(  # type: ignore[no-untyped-def]
    gaussian, axes, middle, levels, values, hints, means, spreads, second, others, first, last
):
    channels = gaussian.shape[2]
    turned = np.empty(channels, np.float32)
    of_second, of_others = second.ravel(), others.reshape(len(others), -1)
    for y in range(first, last):
        for x in range(gaussian.shape[1]):
            level = gaussian[y, x, 0]
            turned[0] = _between(level, levels, values, hints)
            if channels > 1:
                m, part = _place(level, _MEANS_TO, means.shape[1])
                for c in range(1, channels):
                    k, on = _place(gaussian[y, x, c], _TAIL, _GIVEN_LEVELS)
                    if c == 1:
                        corners = _corners(level, np.float32(0), second)
                        before, after = _lies_at(of_second, corners, k), _lies_at(of_second, corners, k + 1)
                    else:
                        corners = _corners(level, gaussian[y, x, 1], others[c - 2])
                        other = of_others[c - 2]
                        before, after = _lies_at(other, corners, k), _lies_at(other, corners, k + 1)
                    mean, spread = _on_the_way(means[c - 1], m, part), _on_the_way(spreads[c - 1], m, part)
                    turned[c] = mean + (before + (after - before) * on) * spread
            for d in range(channels):
                value = middle[d]
                for c in range(channels):
                    value += turned[c] * axes[d, c]
                gaussian[y, x, d] = value
