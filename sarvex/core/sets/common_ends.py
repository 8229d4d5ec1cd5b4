"""Where two versions of a list are the same: an edit leaves most of both ends."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from itertools import takewhile
from operator import is_, truth

import numpy as np
from numpy.typing import NDArray


def ends(a: Sequence[object], b: Sequence[object]) -> tuple[int, int]:
    """How many things at the beginning, and how many of the others at the end, are the very same in both. O(n)."""
    front = _same(a, b)
    rest = min(len(a), len(b)) - front
    return front, min(rest, _same(a[::-1], b[::-1]) if rest else 0)


def places(a: Sequence[object], b: Sequence[object]) -> NDArray[np.int64]:
    """For each thing of `a` its place in `b`, -1 where it has none between the ends that are the same. O(n)."""
    front, back = ends(a, b)
    rest = len(b) - back
    known = dict(zip(map(id, b[front:rest]), range(front, rest), strict=True))
    middle = [known.get(id(thing), -1) for thing in a[front : len(a) - back]]
    return np.concatenate((np.arange(front), np.array(middle, dtype=np.int64), np.arange(rest, len(b))))


def _same(a: Sequence[object], b: Sequence[object]) -> int:
    return len(list(takewhile(truth, map(is_, a, b))))


def longest_rise(values: NDArray[np.int64]) -> NDArray[np.int64]:
    """The places of a longest rising run of different numbers (Schensted 1961). O(n log n).

    >>> longest_rise(np.array([3, 0, 1, 4, 2])).tolist()
    [1, 2, 4]
    """
    tails: list[int] = []
    places: list[int] = []
    parent = np.full(len(values), -1)
    for at, value in enumerate(values.tolist()):
        k = bisect_left(tails, value)
        parent[at] = places[k - 1] if k else -1
        tails[k : k + 1] = [value]
        places[k : k + 1] = [at]
    run = places[-1:]
    while run and parent[run[-1]] >= 0:
        run.append(int(parent[run[-1]]))
    return np.array(run[::-1], dtype=np.int64)
