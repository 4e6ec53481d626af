"""The cheapest cut through a grid: which pixels to take and which to keep, so that the line between costs least.

Source: Boykov & Kolmogorov, "An experimental comparison of min-cut/max-flow algorithms for energy minimization in
vision", IEEE TPAMI 26(9), 2004: two search trees that are mended, not grown anew, after each flow.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_thicket.core.numeric.compiled import compiled

# Costs become whole numbers, so that no rest too small to matter keeps the search going.
_SCALE = 4096.0
_MOST = 2**28
_ROOT, _LOST, _NONE = 4, 5, -1


def cheapest_cut(
    keep: NDArray[Any], take: NDArray[Any], right: NDArray[Any], down: NDArray[Any]
) -> tuple[NDArray[np.bool_], float]:
    """Which nodes of a 4-connected grid to take, and what that costs.

    keep, take: (H, W) what it costs to keep or to take each node; np.inf forbids it. right, down: (H, W) what it costs
    to part a node from its right or lower neighbour (last column and row unused). All ≥ 0.
    Returns (taken, cost). Nodes for which both are as cheap are kept.
    """
    unit = _SCALE / max(float(np.mean(right) + np.mean(down)), 1e-12)
    whole = [np.minimum(np.asarray(part, np.float64) * unit, _MOST).astype(np.int64) for part in (keep, take)]
    across = [np.minimum(np.asarray(part, np.float64) * unit, _MOST).astype(np.int64) for part in (right, down)]
    taken, flow = _cut(whole[0], whole[1], across[0], across[1])
    return taken, float(flow) / unit


@compiled()
def _cut(keep, take, right, down):  # type: ignore[no-untyped-def]
    height, width = keep.shape
    count = height * width
    # Residual capacity to the right, left, lower, upper neighbour; reverse of d is d ^ 1.
    rest = np.zeros((count, 4), np.int64)
    step = np.array([1, -1, width, -width])
    # Taking a node costs `take`: that is the edge from the "keep" root to it being cut.
    root = np.empty(count, np.int64)
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
    parent = np.full(count, _NONE, np.int8)
    of_take = np.zeros(count, np.bool_)
    seen = np.zeros(count, np.int64)
    far = np.zeros(count, np.int64)
    # A ring of nodes whose neighbours are still to be looked at; each is in it once at most.
    queue = np.empty(count + 1, np.int64)
    queued = np.zeros(count, np.bool_)
    head, tail = 0, 0
    for at in range(count):
        if root[at] != 0:
            of_take[at] = root[at] < 0
            parent[at] = _ROOT
            far[at] = 1
            queue[tail] = at
            tail += 1
            queued[at] = True
    orphans = np.empty(count, np.int64)
    time = 0
    current = -1
    while True:
        if current < 0 or parent[current] == _NONE:
            current = -1
            while head != tail:
                at = queue[head]
                head = head + 1 if head < count else 0
                queued[at] = False
                if parent[at] != _NONE:
                    current = at
                    break
            if current < 0:
                break
        # Grow the tree from the current node until it touches the other one.
        touched, over = -1, 0
        cx = current % width
        for d in range(4):
            if (d == 0 and cx == width - 1) or (d == 1 and cx == 0):
                continue
            other = current + step[d]
            if other < 0 or other >= count:
                continue
            open_ = rest[other, d ^ 1] if of_take[current] else rest[current, d]
            if open_ == 0:
                continue
            if parent[other] == _NONE:
                of_take[other] = of_take[current]
                parent[other] = d ^ 1
                seen[other] = seen[current]
                far[other] = far[current] + 1
                if not queued[other]:
                    queue[tail] = other
                    tail = tail + 1 if tail < count else 0
                    queued[other] = True
            elif of_take[other] != of_take[current]:
                touched, over = current, d
                break
            elif seen[other] <= seen[current] and far[other] > far[current]:
                parent[other] = d ^ 1
                seen[other] = seen[current]
                far[other] = far[current] + 1
        time += 1
        if touched < 0:
            current = -1
            continue
        low, high, link = touched, touched + step[over], over
        if of_take[touched]:
            low, high, link = high, low, over ^ 1
        # From the "keep" root down to low, over the link, and on to the "take" root.
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
        flow += amount
        lost = 0
        rest[low, link] -= amount
        rest[high, link ^ 1] += amount
        at = low
        while parent[at] != _ROOT:
            up = parent[at]
            before = at + step[up]
            rest[at, up] += amount
            rest[before, up ^ 1] -= amount
            if rest[before, up ^ 1] == 0:
                parent[at] = _LOST
                orphans[lost] = at
                lost += 1
            at = before
        root[at] -= amount
        if root[at] == 0:
            parent[at] = _LOST
            orphans[lost] = at
            lost += 1
        at = high
        while parent[at] != _ROOT:
            up = parent[at]
            after = at + step[up]
            rest[after, up ^ 1] += amount
            rest[at, up] -= amount
            if rest[at, up] == 0:
                parent[at] = _LOST
                orphans[lost] = at
                lost += 1
            at = after
        root[at] += amount
        if root[at] == 0:
            parent[at] = _LOST
            orphans[lost] = at
            lost += 1
        # Find each lost node a new parent in its own tree, or let it go.
        done = 0
        while done < lost:
            at = orphans[done % count]
            done += 1
            best, best_far = -1, np.int64(2**62)
            ax = at % width
            for d in range(4):
                if (d == 0 and ax == width - 1) or (d == 1 and ax == 0):
                    continue
                other = at + step[d]
                if other < 0 or other >= count or parent[other] == _NONE or of_take[other] != of_take[at]:
                    continue
                open_ = rest[at, d] if of_take[at] else rest[other, d ^ 1]
                if open_ == 0:
                    continue
                # Does it still hang from a root?
                length, up_at = np.int64(0), other
                hangs = False
                while True:
                    if seen[up_at] == time:
                        length += far[up_at]
                        hangs = True
                        break
                    up = parent[up_at]
                    length += 1
                    if up == _ROOT:
                        seen[up_at] = time
                        far[up_at] = 1
                        hangs = True
                        break
                    if up in (_LOST, _NONE):
                        break
                    up_at += step[up]
                if not hangs:
                    continue
                if length < best_far:
                    best, best_far = d, length
                up_at = other
                while seen[up_at] != time:
                    seen[up_at] = time
                    far[up_at] = length
                    length -= 1
                    up_at += step[parent[up_at]]
            if best >= 0:
                parent[at] = best
                seen[at] = time
                far[at] = best_far + 1
                continue
            for d in range(4):
                if (d == 0 and ax == width - 1) or (d == 1 and ax == 0):
                    continue
                other = at + step[d]
                if other < 0 or other >= count or parent[other] == _NONE or of_take[other] != of_take[at]:
                    continue
                open_ = rest[at, d] if of_take[at] else rest[other, d ^ 1]
                if open_ != 0 and not queued[other]:
                    queue[tail] = other
                    tail = tail + 1 if tail < count else 0
                    queued[other] = True
                if parent[other] == (d ^ 1):
                    parent[other] = _LOST
                    orphans[lost % count] = other
                    lost += 1
            parent[at] = _NONE
    taken = np.zeros((height, width), np.bool_)
    for at in range(count):
        if parent[at] != _NONE and of_take[at]:
            taken[at // width, at % width] = True
    return taken, flow
