"""The algebra of cubes against sets of points, and the canonical form."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.cover import COVERED, HOLE
from sarvex.core.sets.cubes import MANY, Cube, canonical, hole_in, less, meet, runs, without

SETS = st.integers(1, 15)
CUBES = st.tuples(SETS, SETS, SETS, st.integers(1, 3))
LISTS = st.lists(CUBES, max_size=7)


def points(*cubes: Cube) -> set[tuple[int, ...]]:
    def atoms(bits: int) -> list[int]:
        return [i for i in range(4) if bits >> i & 1]

    return {point for cube in cubes for point in itertools.product(*map(atoms, cube))}


def disjoint(cubes: list[Cube]) -> bool:
    return sum(len(points(cube)) for cube in cubes) == len(points(*cubes))


@given(CUBES, CUBES)
def test_meet_and_without(a: Cube, b: Cube) -> None:
    both, left = meet(a, b), without(a, b)
    assert points(*([both] if both else [])) == points(a) & points(b)
    assert points(*left) == points(a) - points(b)
    assert disjoint(left)


@settings(deadline=None)  # the first question loads compiled code
@given(CUBES, LISTS)
def test_less_and_a_hole(cube: Cube, cutters: list[Cube]) -> None:
    left = less([cube], cutters, 10**6)
    assert points(*left) == points(cube) - points(*cutters)
    assert disjoint(left)
    answer, hole = hole_in(cube, cutters, 10**6)
    assert (answer == COVERED) == (not left)
    if answer == HOLE:
        assert points(hole) <= points(*left)


def test_work_is_bounded() -> None:
    with pytest.raises(WorkLimit):
        less([(15, 15, 15, 3)], [(1, 1, 1, 1), (2, 2, 2, 1), (4, 4, 4, 1)], 3)


@given(LISTS, CUBES)
def test_canonical_is_the_same_however_it_was_cut(cubes: list[Cube], knife: Cube) -> None:
    """Cut apart in list order, in reverse, and by a knife: one union, one canonical form."""
    forms = []
    for order in (cubes, cubes[::-1]):
        apart: list[Cube] = []
        for cube in order:
            apart += less([cube], apart, 10**6)
        cut = [piece for b in apart for piece in [*without(b, knife), meet(b, knife)] if piece]
        assume(max(len(apart), len(cut)) <= MANY)  # of more only neighbours are joined
        forms += [canonical(apart), canonical(cut)]
        assert points(*forms[-1]) == points(*cubes)
        assert disjoint(forms[-1])
    assert all(form == forms[0] for form in forms)


@given(st.integers(0, 2**70))
def test_runs(bits: int) -> None:
    told = runs(bits)
    assert sum((1 << high + 1) - (1 << low) for low, high in told) == bits
    assert all(b[0] > a[1] + 1 for a, b in itertools.pairwise(told))
