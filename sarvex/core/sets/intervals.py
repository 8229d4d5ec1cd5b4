"""Sets of integers as sorted, disjoint, non-touching closed intervals: ``((lowest, highest), ...)``."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable

Intervals = tuple[tuple[int, int], ...]


def union(pairs: Iterable[tuple[int, int]]) -> Intervals:
    """The normal form of any closed intervals. O(n log n).

    >>> union([(5, 9), (0, 3), (4, 4)])
    ((0, 9),)
    """
    merged: list[tuple[int, int]] = []
    for low, high in sorted(pairs):
        if merged and low <= merged[-1][1] + 1:
            merged[-1] = (merged[-1][0], max(high, merged[-1][1]))
        else:
            merged.append((low, high))
    return tuple(merged)


def complement(intervals: Intervals, low: int, high: int) -> Intervals:
    """All of ``low..high`` outside `intervals`, which must be in normal form. O(n).

    >>> complement(((2, 3),), 0, 9)
    ((0, 1), (4, 9))
    """
    gaps = []
    for start, end in intervals:
        if start > low:
            gaps.append((low, start - 1))
        low = end + 1
    if low <= high:
        gaps.append((low, high))
    return tuple(gaps)


def intersection(a: Intervals, b: Intervals) -> Intervals:
    """All integers in both. O(len(a) + len(b)).

    >>> intersection(((0, 4), (8, 9)), ((3, 8),))
    ((3, 4), (8, 8))
    """
    shared = []
    i = j = 0
    while i < len(a) and j < len(b):
        low, high = max(a[i][0], b[j][0]), min(a[i][1], b[j][1])
        if low <= high:
            shared.append((low, high))
        if a[i][1] < b[j][1]:
            i += 1
        else:
            j += 1
    return tuple(shared)


def first_within(intervals: Intervals, low: int, high: int) -> int | None:
    """The lowest integer of the set in ``low..high``, if there is one. O(log n).

    >>> first_within(((0, 4), (8, 9)), 5, 20)
    8
    """
    at = bisect_right(intervals, low, key=lambda pair: pair[0]) - 1
    if at >= 0 and intervals[at][1] >= low:
        return low
    if at + 1 < len(intervals) and intervals[at + 1][0] <= high:
        return intervals[at + 1][0]
    return None


def size(intervals: Intervals) -> int:
    """How many integers a set in normal form has. O(n).

    >>> size(((0, 3), (8, 8)))
    5
    """
    return sum(high - low + 1 for low, high in intervals)
