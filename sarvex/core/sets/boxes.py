"""Arrays of boxes: products of closed integer intervals, and their set algebra.

A box array has shape ``(n, d, 2)``: ``n`` boxes, ``d`` axes, lowest and highest value, both included.
The functions work on any integer dtype: ``int64`` for IPv4 and for ranks, ``object`` (Python integers)
for IPv6, whose 128 bits fit no machine integer. A union of boxes is the array of them; nothing here
needs the boxes of one array to be disjoint, and `difference` returns disjoint boxes for disjoint input.

The method is the plain one of computational geometry: an axis-parallel box minus another falls into at
most ``2 d`` disjoint boxes, cut off face by face.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

Boxes = NDArray[Any]


class WorkLimit(Exception):
    """An exact answer would cost more than the caller's budget; nothing may be concluded."""


def empty(axes: int, dtype: np.dtype[np.generic] | type = np.int64) -> Boxes:
    """No boxes at all: the empty set over `axes` axes."""
    return np.empty((0, axes, 2), dtype=dtype)


def begins(lengths: Sequence[int] | NDArray[np.int64]) -> NDArray[np.int64]:
    """Where runs of these lengths begin, one after the other, and last where they end: (n + 1,)."""
    return np.concatenate(([0], np.cumsum(lengths, dtype=np.int64))).astype(np.int64)


def overlaps(boxes: Boxes, box: Boxes) -> NDArray[np.bool_]:
    """Which of `boxes` (n, d, 2) share a point with `box` (d, 2): a mask of shape (n,). O(n d)."""
    shared = (boxes[:, :, 0] <= box[:, 1]) & (boxes[:, :, 1] >= box[:, 0])
    return np.asarray(shared.all(axis=1), dtype=bool)


def clip(boxes: Boxes, box: Boxes) -> Boxes:
    """The parts of `boxes` inside `box`; boxes that miss it are left out. O(n d)."""
    touched = boxes[overlaps(boxes, box)]  # a copy
    np.maximum(touched[:, :, 0], box[:, 0], out=touched[:, :, 0])
    np.minimum(touched[:, :, 1], box[:, 1], out=touched[:, :, 1])
    return touched


def intersection(a: Boxes, b: Boxes) -> Boxes:
    """All points in both unions, as boxes (m, d, 2); disjoint if both `a` (n, d, 2) and `b` are. O(len(a) len(b) d).

    >>> intersection(np.array([[[0, 4]], [[8, 9]]]), np.array([[[3, 8]]])).tolist()
    [[[3, 4]], [[8, 8]]]
    """
    if len(a) < len(b):
        a, b = b, a
    parts = [clip(a, box) for box in b]
    return parts[0] if len(parts) == 1 else np.concatenate(parts) if parts else a[:0]


def difference(boxes: Boxes, cutters: Boxes, limit: int | None = None) -> Boxes:
    """All points of `boxes` in none of `cutters`, as boxes (disjoint if `boxes` are).

    Raises `WorkLimit` when more than `limit` boxes would be alive at once. Each cutter multiplies a box
    it touches by at most 2 d; what it misses is untouched.
    """
    left = boxes
    for cutter in cutters:
        if not len(left):
            break
        touched = overlaps(left, cutter)
        if touched.any():
            left = np.concatenate((left[~touched], *_shavings(left[touched], cutter)))
            if limit is not None and len(left) > limit:
                raise WorkLimit(f"more than {limit} boxes")
    return left


def _shavings(boxes: Boxes, cutter: Boxes) -> list[Boxes]:
    """What is left of boxes that all touch `cutter`, cut off face by face."""
    core = boxes.copy()
    pieces = []
    sticks_out = (boxes[:, :, 0] < cutter[:, 0]) | (boxes[:, :, 1] > cutter[:, 1])
    for axis in np.flatnonzero(sticks_out.any(axis=0)):
        low, high = cutter[axis]
        below = core[core[:, axis, 0] < low]
        below[:, axis, 1] = low - 1
        above = core[core[:, axis, 1] > high]
        above[:, axis, 0] = high + 1
        pieces += [below, above]
        core[:, axis, 0] = np.maximum(core[:, axis, 0], low)
        core[:, axis, 1] = np.minimum(core[:, axis, 1], high)
    return pieces


def covers(cutters: Boxes, boxes: Boxes, limit: int | None = None) -> bool:
    """Whether every point of `boxes` lies in the union of `cutters`. Exact: each box less what touches it leaves nothing.

    Raises `WorkLimit` when more than `limit` boxes would be alive at once. For long lists of cutters see `cover.uncovered`,
    which cuts the axes instead.

    >>> covers(np.array([[[0, 4]], [[5, 9]]]), np.array([[[2, 7]]]))
    True
    """
    return all(not len(difference(box[None], cutters[overlaps(cutters, box)], limit=limit)) for box in boxes)


def disjoint(boxes: Boxes) -> Boxes:
    """The same points in boxes of which no two share one, the largest whole. O(n² d) where few overlap.

    >>> disjoint(np.array([[[0, 4]], [[3, 9]], [[3, 5]]])).tolist()
    [[[0, 9]]]
    """
    if len(boxes) < 2:
        return boxes
    alike = dict.fromkeys(tuple(map(tuple, box)) for box in boxes.tolist())
    sized = sorted(alike, key=lambda box: -prod(high - low + 1 for low, high in box))
    out = np.array(sized[:1], dtype=boxes.dtype)
    for box in sized[1:]:
        one = np.array([box], dtype=boxes.dtype)
        out = np.concatenate((out, difference(one, out[overlaps(out, one[0])])))
    return coalesced(out)


def coalesced(boxes: Boxes) -> Boxes:
    """The same points in fewer boxes: those that touch along one axis and agree on all others are joined. O(n log n d).

    The boxes must be disjoint, and stay so.
    """
    for axis in range(boxes.shape[1]):
        if len(boxes) < 2:
            break
        others = [boxes[:, a, side] for a in range(boxes.shape[1]) if a != axis for side in (0, 1)]
        boxes = boxes[np.lexsort((boxes[:, axis, 0], *others))]
        alike = np.delete(boxes, axis, axis=1)
        joins = (alike[1:] == alike[:-1]).all(axis=(1, 2)) & (boxes[1:, axis, 0] == boxes[:-1, axis, 1] + 1)
        begins = np.flatnonzero(np.concatenate(([True], ~joins)))
        joined = boxes[begins].copy()
        joined[:, axis, 1] = boxes[np.append(begins[1:], len(boxes)) - 1, axis, 1]
        boxes = joined
    return boxes
