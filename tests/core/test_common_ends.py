"""Where two versions of a list are the same."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from sarvex.core.sets.common_ends import ends, places

THINGS = [object() for _ in range(3)]
LISTS = st.lists(st.sampled_from(THINGS), max_size=8)


@given(LISTS, LISTS)
def test_the_ends_are_as_long_as_they_can_be_and_do_not_overlap(a: list[object], b: list[object]) -> None:
    front, back = ends(a, b)
    assert front + back <= min(len(a), len(b))
    assert a[:front] == b[:front] and a[len(a) - back :] == b[len(b) - back :]
    if front + back < min(len(a), len(b)):
        assert a[front] is not b[front] and a[-1 - back] is not b[-1 - back]


@given(LISTS, LISTS)
def test_a_place_is_where_the_very_same_stands(a: list[object], b: list[object]) -> None:
    at = places(a, b).tolist()
    front, back = ends(a, b)
    between = b[front : len(b) - back]
    assert len(at) == len(a)
    for k, (thing, place) in enumerate(zip(a, at, strict=True)):
        assert b[place] is thing if place >= 0 else thing not in between and front <= k < len(a) - back


def test_equal_is_not_the_same() -> None:
    assert ends([[1], [2]], [[1], [2]]) == (0, 0)
