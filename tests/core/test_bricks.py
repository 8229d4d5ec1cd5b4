"""The algebra of bricks against sets of points, and the canonical form."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from sarvex.core.boxes import WorkLimit
from sarvex.core.bricks import MANY, Brick, canonical, hole_in, less, meet, runs, without
from sarvex.core.cover import COVERED, HOLE

SETS = st.integers(1, 15)
BRICKS = st.tuples(SETS, SETS, SETS, st.integers(1, 3))
LISTS = st.lists(BRICKS, max_size=7)


def points(*bricks: Brick) -> set[tuple[int, ...]]:
    def cells(bits: int) -> list[int]:
        return [i for i in range(4) if bits >> i & 1]

    return {point for brick in bricks for point in itertools.product(*map(cells, brick))}


def disjoint(bricks: list[Brick]) -> bool:
    return sum(len(points(brick)) for brick in bricks) == len(points(*bricks))


@given(BRICKS, BRICKS)
def test_meet_and_without(a: Brick, b: Brick) -> None:
    both, left = meet(a, b), without(a, b)
    assert points(*([both] if both else [])) == points(a) & points(b)
    assert points(*left) == points(a) - points(b)
    assert disjoint(left)


@settings(deadline=None)  # the first question loads compiled code
@given(BRICKS, LISTS)
def test_less_and_a_hole(brick: Brick, cutters: list[Brick]) -> None:
    left = less([brick], cutters, 10**6)
    assert points(*left) == points(brick) - points(*cutters)
    assert disjoint(left)
    answer, hole = hole_in(brick, cutters, 10**6)
    assert (answer == COVERED) == (not left)
    if answer == HOLE:
        assert points(hole) <= points(*left)


def test_work_is_bounded() -> None:
    with pytest.raises(WorkLimit):
        less([(15, 15, 15, 3)], [(1, 1, 1, 1), (2, 2, 2, 1), (4, 4, 4, 1)], 3)


@given(LISTS, BRICKS)
def test_canonical_is_the_same_however_it_was_cut(bricks: list[Brick], knife: Brick) -> None:
    """Cut apart in list order, in reverse, and by a knife: one union, one canonical form."""
    forms = []
    for order in (bricks, bricks[::-1]):
        apart: list[Brick] = []
        for brick in order:
            apart += less([brick], apart, 10**6)
        cut = [piece for b in apart for piece in [*without(b, knife), meet(b, knife)] if piece]
        assume(max(len(apart), len(cut)) <= MANY)  # of more only neighbours are joined
        forms += [canonical(apart), canonical(cut)]
        assert points(*forms[-1]) == points(*bricks)
        assert disjoint(forms[-1])
    assert all(form == forms[0] for form in forms)


@given(st.integers(0, 2**70))
def test_runs(bits: int) -> None:
    told = runs(bits)
    assert sum((1 << high + 1) - (1 << low) for low, high in told) == bits
    assert all(b[0] > a[1] + 1 for a, b in itertools.pairwise(told))
