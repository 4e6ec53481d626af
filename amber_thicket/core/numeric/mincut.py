"""The cheapest cut through a grid: which pixels to take and which to keep, so that the line between costs least.

Source: Boykov & Kolmogorov, "An experimental comparison of min-cut/max-flow algorithms for energy minimization in
vision", IEEE TPAMI 26(9), 2004: two search trees that are mended, not grown anew, after each flow.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.numeric.libraries import cv2

# Costs become whole numbers, so that no rest too small to matter keeps the search going.
_SCALE = 4096.0
_MOST = 2**28
_ROOT, _LOST, _NONE = 4, 5, -1
# Of a grid found by halves: how far the cut may lie from where the coarse one ran; the least side that is halved.
_BAND, _LEAST_COARSE = 5, 96


def cheapest_cut(
    keep: NDArray[Any], take: NDArray[Any], right: NDArray[Any], down: NDArray[Any]
) -> tuple[NDArray[np.bool_], float]:
    """Which nodes of a 4-connected grid to take, and what that costs.

    keep, take: (H, W) what it costs to keep or to take each node; np.inf forbids it. right, down: (H, W) what it costs
    to part a node from its right or lower neighbour (last column and row unused). All ≥ 0.
    Returns (taken, cost). Nodes for which both are as cheap are kept.
    """
    unit = _SCALE / max(float(np.mean(right) + np.mean(down)), 1e-12)
    whole = [np.minimum(np.asarray(part, np.float64) * unit, _MOST).astype(np.int32) for part in (keep, take)]
    across = [np.minimum(np.asarray(part, np.float64) * unit, _MOST).astype(np.int32) for part in (right, down)]
    taken, flow = _cut(whole[0], whole[1], across[0], across[1])
    return taken, float(flow) / unit


def near_cheapest_cut(
    keep: NDArray[Any], take: NDArray[Any], right: NDArray[Any], down: NDArray[Any]
) -> NDArray[np.bool_]:
    """Nearly what cheapest_cut() takes, in less than half the time on large grids: it is found on a grid of half as
    many rows and columns first, then only within _BAND nodes of where it ran there. All as for cheapest_cut(), and 1 %
    dearer on surfaces; halved once more it would be a third dearer.

    Source: Lombaert, Sun, Grady, Xu, "A multilevel banded graph cuts method for fast image segmentation", ICCV 2005.
    """
    height, width = keep.shape
    if min(height, width) < _LEAST_COARSE:
        taken, _ = cheapest_cut(keep, take, right, down)
        return taken
    rough, _ = cheapest_cut(_pooled(keep, take), _pooled(take, keep), _parted(right), _parted(down.T).T)
    near = np.repeat(np.repeat(rough, 2, 0), 2, 1)
    near = np.pad(near, ((0, height - near.shape[0]), (0, width - near.shape[1])), mode="edge").astype(np.uint8)
    around = np.ones((2 * _BAND + 1, 2 * _BAND + 1), np.uint8)
    # What lies deep on one side stays there, unless that is forbidden.
    deep = cv2.erode(near, around) > 0
    out = cv2.dilate(near, around) == 0
    return cheapest_cut(
        np.where(deep & np.isfinite(take), np.inf, keep), np.where(out & np.isfinite(keep), np.inf, take), right, down
    )[0]


def _pooled(cost: NDArray[Any], other: NDArray[Any]) -> NDArray[Any]:
    """(H // 2, W // 2) what costs sum up to; forbidden where one of them is, unless another forbids the opposite."""
    blocks = [
        part[: part.shape[0] // 2 * 2, : part.shape[1] // 2 * 2].reshape(part.shape[0] // 2, 2, -1, 2)
        for part in (cost, other)
    ]
    never = np.isinf(blocks[0])
    total = np.where(never, 0, blocks[0]).sum(axis=(1, 3))
    forbidden = never.any(axis=(1, 3)) & ~np.isinf(blocks[1]).any(axis=(1, 3))
    return np.where(forbidden, np.inf, total)


def _parted(right: NDArray[Any]) -> NDArray[Any]:
    """(H // 2, W // 2) what it costs to part blocks of 2 × 2 nodes from the ones to their right."""
    rows, columns = right.shape[0] // 2, right.shape[1] // 2
    edge = right[: 2 * rows, 1 : 2 * columns : 2]
    return np.asarray(edge[::2] + edge[1::2])


@compiled()
def _cut(keep, take, right, down):  # type: ignore[no-untyped-def]
    """Grows two trees from the roots until they touch, sends a flow over it, mends the trees; until none flows."""
    height, width = keep.shape
    count = height * width
    rest, root, flow = _capacities(keep, take, right, down)
    step = np.array([1, -1, width, -width])
    # Of each node: the way to its parent (or _ROOT, _LOST, _NONE), whether it hangs from the "take" root, when its
    # distance from the root was seen last, and that distance.
    parent = np.full(count, _NONE, np.int8)
    of_take = root < 0
    seen = np.zeros(count, np.int32)
    far = np.zeros(count, np.int32)
    tree = (parent, of_take, seen, far)
    # A ring of nodes whose neighbours are still to be looked at; each is in it once at most. ends: its head and tail.
    queue = np.empty(count + 1, np.int32)
    queued = np.zeros(count, np.bool_)
    ends = np.zeros(2, np.int64)
    for at in range(count):
        if root[at] != 0:
            parent[at] = _ROOT
            far[at] = 1
            _enqueue(at, queue, queued, ends)
    orphans = np.empty(count, np.int32)
    time = 0
    current = -1
    while True:
        if current < 0 or parent[current] == _NONE:
            current = _next_in_queue(parent, queue, queued, ends)
            if current < 0:
                break
        over = _grow(current, rest, step, tree, queue, queued, ends)
        time += 1
        if over < 0:
            current = -1
            continue
        amount, lost = _augment(current, over, rest, root, step, tree, orphans)
        flow += amount
        _adopt(lost, time, rest, step, tree, orphans, queue, queued, ends)
    taken = np.zeros((height, width), np.bool_)
    for at in range(count):
        if parent[at] != _NONE and of_take[at]:
            taken[at // width, at % width] = True
    return taken, flow


@compiled()
def _capacities(keep, take, right, down):  # type: ignore[no-untyped-def]
    """What may still flow from each node to its neighbours (count, 4) and from its root (count), and what flows now."""
    height, width = keep.shape
    # To the right, left, lower, upper neighbour; the reverse of d is d ^ 1.
    rest = np.zeros((height * width, 4), np.int32)
    # Taking a node costs `take`: that is the edge from the "keep" root to it being cut. < 0: from the "take" root.
    root = np.empty(height * width, np.int32)
    flow = 0
    for y in range(height):
        for x in range(width):
            at = y * width + x
            if x + 1 < width:
                rest[at, 0] = right[y, x]
                rest[at + 1, 1] = right[y, x]
            if y + 1 < height:
                rest[at, 2] = down[y, x]
                rest[at + width, 3] = down[y, x]
            root[at] = take[y, x] - keep[y, x]
            flow += min(take[y, x], keep[y, x])
    return rest, root, flow


@compiled(inline=True)
def _enqueue(at, queue, queued, ends):  # type: ignore[no-untyped-def]
    if not queued[at]:
        queue[ends[1]] = at
        ends[1] = ends[1] + 1 if ends[1] < queued.size else 0
        queued[at] = True


@compiled(inline=True)
def _next_in_queue(parent, queue, queued, ends):  # type: ignore[no-untyped-def]
    """The next node that hangs from a root; −1 when there is none."""
    found = -1
    while ends[0] != ends[1] and found < 0:
        at = queue[ends[0]]
        ends[0] = ends[0] + 1 if ends[0] < queued.size else 0
        queued[at] = False
        if parent[at] != _NONE:
            found = at
    return found


@compiled(inline=True)
def _neighbour(at, column, d, step, count):  # type: ignore[no-untyped-def]
    """The node to the right, left, below, above of one in that column; −1 beyond the border."""
    other = at + step[d]
    if (d == 0 and column == step[2] - 1) or (d == 1 and column == 0) or other < 0 or other >= count:
        other = -1
    return other


@compiled()
def _grow(current, rest, step, tree, queue, queued, ends):  # type: ignore[no-untyped-def]
    """Lets the tree of a node take its free neighbours; the way over which it touches the other tree, or −1."""
    parent, of_take, seen, far = tree
    column = current % step[2]
    for d in range(4):
        other = _neighbour(current, column, d, step, queued.size)
        if other < 0:
            continue
        open_ = rest[other, d ^ 1] if of_take[current] else rest[current, d]
        if open_ == 0:
            continue
        if parent[other] == _NONE:
            of_take[other] = of_take[current]
            parent[other] = d ^ 1
            seen[other] = seen[current]
            far[other] = far[current] + 1
            _enqueue(other, queue, queued, ends)
        elif of_take[other] != of_take[current]:
            return d
        elif seen[other] <= seen[current] and far[other] > far[current]:
            parent[other] = d ^ 1
            seen[other] = seen[current]
            far[other] = far[current] + 1
    return -1


@compiled()
def _augment(touched, over, rest, root, step, tree, orphans):  # type: ignore[no-untyped-def]
    """Sends what fits from the "keep" root down to the touch, over it, and on to the "take" root.

    Returns how much that was, and how many nodes lost their parent by it; those are in orphans.
    """
    parent, of_take, _, _ = tree
    low, high, link = touched, touched + step[over], over
    if of_take[touched]:
        low, high, link = high, low, over ^ 1
    amount = rest[low, link]
    at = low
    while parent[at] != _ROOT:
        up = parent[at]
        amount = min(amount, rest[at + step[up], up ^ 1])
        at += step[up]
    amount = min(amount, root[at])
    at = high
    while parent[at] != _ROOT:
        amount = min(amount, rest[at, parent[at]])
        at += step[parent[at]]
    amount = min(amount, -root[at])
    rest[low, link] -= amount
    rest[high, link ^ 1] += amount
    lost = 0
    for end, sign in ((low, 1), (high, -1)):
        at = end
        while parent[at] != _ROOT:
            up = parent[at]
            nearer = at + step[up]
            # Towards the "take" root the flow goes up the tree, from the "keep" root down.
            rest[at, up] += sign * amount
            rest[nearer, up ^ 1] -= sign * amount
            left = rest[nearer, up ^ 1] if sign > 0 else rest[at, up]
            if left == 0:
                parent[at] = _LOST
                orphans[lost] = at
                lost += 1
            at = nearer
        root[at] -= sign * amount
        if root[at] == 0:
            parent[at] = _LOST
            orphans[lost] = at
            lost += 1
    return amount, lost


@compiled()
def _way_to_root(start, time, step, tree):  # type: ignore[no-untyped-def]
    """How many nodes there are from here to a root, noted on the way; −1 where it hangs from none."""
    parent, _, seen, far = tree
    length, at = np.int64(0), start
    while True:
        if seen[at] == time:
            length += far[at]
            break
        up = parent[at]
        length += 1
        if up == _ROOT:
            seen[at] = time
            far[at] = 1
            break
        if up in (_LOST, _NONE):
            length = np.int64(-1)
            break
        at += step[up]
    at, left = start, length
    while length >= 0 and seen[at] != time:
        seen[at] = time
        far[at] = left
        left -= 1
        at += step[parent[at]]
    return length


@compiled()
def _adopt(lost, time, rest, step, tree, orphans, queue, queued, ends):  # type: ignore[no-untyped-def]
    """Finds each lost node a new parent in its own tree, the nearest to the root, or lets it go."""
    parent, of_take, seen, far = tree
    count = queued.size
    done = 0
    while done < lost:
        at = orphans[done % count]
        done += 1
        column = at % step[2]
        best, best_far = -1, np.int64(2**62)
        for d in range(4):
            other = _neighbour(at, column, d, step, count)
            if other < 0 or parent[other] == _NONE or of_take[other] != of_take[at]:
                continue
            open_ = rest[at, d] if of_take[at] else rest[other, d ^ 1]
            if open_ == 0:
                continue
            length = _way_to_root(other, time, step, tree)
            if 0 < length < best_far:
                best, best_far = d, length
        if best >= 0:
            parent[at] = best
            seen[at] = time
            far[at] = best_far + 1
            continue
        for d in range(4):
            other = _neighbour(at, column, d, step, count)
            if other < 0 or parent[other] == _NONE or of_take[other] != of_take[at]:
                continue
            open_ = rest[at, d] if of_take[at] else rest[other, d ^ 1]
            if open_ != 0:
                _enqueue(other, queue, queued, ends)
            if parent[other] == (d ^ 1):
                parent[other] = _LOST
                orphans[lost % count] = other
                lost += 1
        parent[at] = _NONE
