"""Whether boxes cover a box, exactly: branch and bound over the faces of the covering boxes.

A node is a box with the cutters that touch it. It is settled when one cutter holds it whole (covered) or none
touches it (a hole). Cutters that span all axes but one shave slabs off it. What is left is split at a face of a
cutter: with many cutters at the plane that parts them best, so that a tiling of n boxes costs O(n log n); with few
at a face of the cutter that spans the most axes, which is then a slab. The half with more room to spare is looked at
first, so a single hole among thousands of tiles is found by walking straight to it. The worst case is exponential in
the number of axes (the problem is coNP-hard); `work` bounds it, and what is not settled is said to be so.
"""

from __future__ import annotations

import numpy as np

from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.compiled import compiled

COVERED, HOLE, UNDECIDED = 0, 1, 2
MANY = 24
PLANES = 8
SAMPLE = 256


@compiled
def uncovered(box: Boxes, cutters: Boxes, work: Boxes, hole: Boxes) -> int:
    """Box cover: `COVERED`, `HOLE` or `UNDECIDED`: is every point of `box` (axes, 2) in one of `cutters` (n, axes, 2)?

    All int32, ends included. With `HOLE`, `hole` (axes, 2) becomes a box inside `box` that no cutter touches. `work[0]` counts
    down by the cutters looked at; below zero the answer is `UNDECIDED`.

    Complexity: O(n log n) for a tiling; exponential in the axes at worst (coNP-hard). Source: the union of boxes by partition
    (Overmars and Yap 1991), slabs taken out first (Chan 2013); here by branch and bound, with the hole as witness.
    """
    axes = len(box)
    count = len(cutters)
    pool = np.empty((max(64, 4 * count), axes, 2), dtype=np.int32)
    pool[:count] = cutters
    nodes = np.empty((64, axes, 2), dtype=np.int32)
    spans = np.empty((64, 2), dtype=np.int64)
    nodes[0], spans[0, 0], spans[0, 1] = box, 0, count
    depth = 1
    here = np.empty((axes, 2), dtype=np.int32)
    while depth:
        depth -= 1
        here[:] = nodes[depth]
        start, stop = spans[depth, 0], spans[depth, 1]
        work[0] -= stop - start + 1
        if work[0] < 0:
            return UNDECIDED
        if len(pool) < 2 * stop - start:
            wider = np.empty((2 * (2 * stop - start), axes, 2), dtype=np.int32)
            wider[:stop] = pool[:stop]
            pool = wider
        end = _clip(pool, start, stop, here)
        if end < 0:
            continue
        if end == stop:
            hole[:] = here
            return HOLE
        slab = _shave(pool, stop, end, here)
        if slab == -2:
            continue
        if depth + 2 > len(nodes):
            more_nodes = np.empty((2 * len(nodes), axes, 2), dtype=np.int32)
            more_spans = np.empty((2 * len(nodes), 2), dtype=np.int64)
            more_nodes[:depth], more_spans[:depth] = nodes[:depth], spans[:depth]
            nodes, spans = more_nodes, more_spans
        if slab == -3:  # it shrank: look again at what still touches it
            nodes[depth], spans[depth, 0], spans[depth, 1] = here, stop, end
            depth += 1
            continue
        if slab >= 0:
            axis = _cut_axis(pool[slab], here)
            low, high = pool[slab, axis, 0], pool[slab, axis, 1] + 1
        else:
            work[0] -= min(end - stop, SAMPLE)
            axis, low = _plane(pool, stop, end, here)
            high = low
        nodes[depth], nodes[depth + 1] = here, here
        nodes[depth, axis, 1] = low - 1
        nodes[depth + 1, axis, 0] = high
        spans[depth : depth + 2, 0], spans[depth : depth + 2, 1] = stop, end
        if _fill(pool, stop, end, nodes[depth]) < _fill(pool, stop, end, nodes[depth + 1]):
            nodes[depth, axis, 1] = here[axis, 1]
            nodes[depth, axis, 0] = high
            nodes[depth + 1, axis, 0] = here[axis, 0]
            nodes[depth + 1, axis, 1] = low - 1
        depth += 2
    return COVERED


@compiled
def _clip(pool: Boxes, start: int, stop: int, box: Boxes) -> int:
    """Write the parts inside `box` of the cutters at ``start..stop-1`` from `stop` on; the end, or -1 if one is all."""
    end = stop
    axes = len(box)
    for k in range(start, stop):
        whole = True
        touches = True
        for a in range(axes):
            low, high = max(pool[k, a, 0], box[a, 0]), min(pool[k, a, 1], box[a, 1])
            if low > high:
                touches = False
                break
            whole = whole and low == box[a, 0] and high == box[a, 1]
            pool[end, a, 0], pool[end, a, 1] = low, high
        if touches:
            if whole:
                return -1
            end += 1
    return end


@compiled
def _shave(pool: Boxes, start: int, end: int, box: Boxes) -> int:
    """Shrink `box` by the slabs at its faces. -2: nothing is left; -3: it shrank; a cutter's place: that one is a slab
    in its middle; -1: no slabs."""
    axes = len(box)
    middle = -1
    shrank = False
    for k in range(start, end):
        axis = -1
        for a in range(axes):
            if pool[k, a, 0] > box[a, 0] or pool[k, a, 1] < box[a, 1]:
                if axis >= 0:
                    axis = -2
                    break
                axis = a
        if axis == -1:
            return -2
        if axis < 0:
            continue
        if pool[k, axis, 0] <= box[axis, 0]:
            box[axis, 0] = max(box[axis, 0], pool[k, axis, 1] + 1)
            shrank = True
        elif pool[k, axis, 1] >= box[axis, 1]:
            box[axis, 1] = min(box[axis, 1], pool[k, axis, 0] - 1)
            shrank = True
        else:
            middle = k
        if box[axis, 0] > box[axis, 1]:
            return -2
    return -3 if shrank else middle


@compiled
def _cut_axis(cutter: Boxes, box: Boxes) -> int:
    for a in range(len(box)):
        if cutter[a, 0] > box[a, 0] or cutter[a, 1] < box[a, 1]:
            return a
    return 0


@compiled
def _plane(pool: Boxes, start: int, end: int, box: Boxes) -> tuple[int, int]:
    """Where to split a box: an axis and the first value of the upper half.

    ==================  =========================================================================================
    cutters             the plane
    ==================  =========================================================================================
    more than `MANY`    a face of one of `PLANES` of them, by which the larger half has the fewest cutters and few
                        stand in both: a tiling is halved each time
    at most `MANY`      a face of the cutter that spans the most axes (of those the largest), the one that leaves
                        most room beside it: one half is then covered or has a hole soon
    ==================  =========================================================================================

        +---+-------+        the face of the wide cutter `c` parts the box: below it only what `c` does
        |   |   a   |        not reach is left, above it `c` is a slab at the edge, which `_shave` takes
        | b +-------+
        |   |cccccccc
        +---+cccccccc
    """
    count = end - start
    best_axis, best_value = -1, 0
    if count > MANY:
        best = 4 * count
        step = max(1, count // PLANES)
        sparse = max(1, count // SAMPLE)
        for k in range(start, end, step):
            for a in range(len(box)):
                for side in range(2):
                    value = pool[k, a, 0] if side == 0 else pool[k, a, 1] + 1
                    if value <= box[a, 0] or value > box[a, 1]:
                        continue
                    below = above = 0
                    for other in range(start, end, sparse):
                        below += pool[other, a, 0] < value
                        above += pool[other, a, 1] >= value
                    score = max(below, above) * 2 + below + above
                    if score < best:
                        best, best_axis, best_value = score, a, value
        return best_axis, best_value
    least, most = 99, -1.0
    chosen = start
    for k in range(start, end):
        cuts = 0
        volume = 1.0
        for a in range(len(box)):
            cuts += pool[k, a, 0] > box[a, 0] or pool[k, a, 1] < box[a, 1]
            volume *= (pool[k, a, 1] - pool[k, a, 0] + 1) / (box[a, 1] - box[a, 0] + 1)
        if cuts < least or (cuts == least and volume > most):
            least, most, chosen = cuts, volume, k
    gain = -1.0
    for a in range(len(box)):
        length = box[a, 1] - box[a, 0] + 1.0
        low, high = pool[chosen, a, 0], pool[chosen, a, 1]
        if low > box[a, 0] and (low - box[a, 0]) / length > gain:
            gain, best_axis, best_value = (low - box[a, 0]) / length, a, low
        if high < box[a, 1] and (box[a, 1] - high) / length > gain:
            gain, best_axis, best_value = (box[a, 1] - high) / length, a, high + 1
    return best_axis, best_value


@compiled
def _fill(pool: Boxes, start: int, end: int, box: Boxes) -> float:
    """The cutters' volume inside `box`, each for itself, as a share of the box's: below one there is a hole."""
    total = 0.0
    for k in range(start, end):
        share = 1.0
        for a in range(len(box)):
            low, high = max(pool[k, a, 0], box[a, 0]), min(pool[k, a, 1], box[a, 1])
            if low > high:
                share = 0.0
                break
            share *= (high - low + 1) / (box[a, 1] - box[a, 0] + 1)
        total += share
    return total
