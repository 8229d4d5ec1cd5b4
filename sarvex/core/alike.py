"""Where two versions of a list are the same: an edit leaves most of both ends."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import takewhile
from operator import is_, truth


def ends(a: Sequence[object], b: Sequence[object]) -> tuple[int, int]:
    """How many things at the beginning, and how many of the others at the end, are the very same in both. O(n)."""
    front = _same(a, b)
    rest = min(len(a), len(b)) - front
    return front, min(rest, _same(a[::-1], b[::-1]) if rest else 0)


def _same(a: Sequence[object], b: Sequence[object]) -> int:
    return len(list(takewhile(truth, map(is_, a, b))))
