"""The algebra of sets against explicit sets of points."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sarvex.core.sets import addresses, boxes, intervals, services
from sarvex.core.sets.boxes import Boxes, WorkLimit

SIDE = 5
pairs = st.tuples(st.integers(0, SIDE), st.integers(0, SIDE)).map(lambda p: (min(p), max(p)))
interval_sets = st.lists(pairs, max_size=4).map(intervals.union)
box_arrays = st.lists(st.tuples(pairs, pairs, pairs), max_size=5).map(
    lambda rows: np.array(rows, dtype=np.int64) if rows else boxes.empty(3)
)


def points(array: Boxes) -> set[tuple[int, ...]]:
    return {
        p for box in array.tolist() for p in itertools.product(*(range(low, high + 1) for low, high in box))
    }


def values(s: intervals.Intervals) -> set[int]:
    return {v for low, high in s for v in range(low, high + 1)}


@given(interval_sets, interval_sets)
def test_intervals_are_sets(a: intervals.Intervals, b: intervals.Intervals) -> None:
    assert values(intervals.intersection(a, b)) == values(a) & values(b)
    assert values(intervals.union((*a, *b))) == values(a) | values(b)
    assert values(intervals.complement(a, 0, SIDE)) == set(range(SIDE + 1)) - values(a)
    assert intervals.size(a) == len(values(a))


@given(box_arrays, box_arrays)
def test_boxes_are_sets(a: Boxes, b: Boxes) -> None:
    assert points(boxes.difference(a, b)) == points(a) - points(b)
    assert points(boxes.intersection(a, b)) == points(a) & points(b)
    assert boxes.covers(a, b) == (points(b) <= points(a))
    assert boxes.difference(a.astype(object), b.astype(object)).tolist() == boxes.difference(a, b).tolist()


@given(st.tuples(pairs, pairs, pairs), box_arrays)
def test_what_is_left_of_one_box_is_disjoint(one: tuple[tuple[int, int], ...], b: Boxes) -> None:
    left = boxes.difference(np.array([one]), b)
    assert len(points(left)) == sum(int(np.prod(box[:, 1] - box[:, 0] + 1)) for box in left)


def test_a_work_limit_is_an_error_not_an_answer() -> None:
    whole = np.array([[[0, 99]] * 3])
    holes = np.array([[[i, i]] * 3 for i in range(1, 60, 2)])
    with pytest.raises(WorkLimit):
        boxes.difference(whole, holes, limit=20)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("10.44.1.7/24", "the prefix is 10.44.1.0/24"),
        ("fd00:44::1/64", "the prefix is fd00:44::/64"),
        ("10.44.1.9-10.44.1.3", "write 10.44.1.3-10.44.1.9"),
        ("10.44.1.1-fd00::1", "stays in one family"),
        ("::ffff:10.44.1.1", "write 10.44.1.1"),
        ("10.44.1.0/33", "from 0 to 32"),
        ("10.44.1", "not an IP address"),
        ("fe80::1%eth0", "zone index"),
        ("", "not an IP address"),
    ],
)
def test_bad_addresses_say_how_to_mend_them(text: str, says: str) -> None:
    with pytest.raises(addresses.InvalidAddress, match=says):
        addresses.parse(text)


@pytest.mark.parametrize("text", ["10.44.0.0/16", "10.44.0.1", "10.44.0.1-10.44.0.6", "fd00:44::/64", "any"])
def test_addresses_are_spelled_as_written(text: str) -> None:
    assert addresses.describe(addresses.parse(text)) == [text]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("tcp/70000", "0 to 65535"),
        ("tcp/443-80", "write 80-443"),
        ("gre/4", "no ports"),
        ("icmp/8 from 3", "no ports"),
        ("icmp/256", "0 to 255"),
        ("icmp/3.x", "is no service"),
        ("proto/256", "proto/0 to proto/255"),
        ("carrier-pigeon", "no protocol is called"),
        ("tcp/", "is no service"),
        ("tcp/-5", "ports are written"),
    ],
)
def test_bad_services_say_how_to_mend_them(text: str, says: str) -> None:
    with pytest.raises(services.InvalidService, match=says):
        services.parse(text)


@pytest.mark.parametrize(
    "text",
    [
        "any",
        "tcp",
        "tcp/443",
        "udp/8000-8100",
        "tcp/5432 from 1024-65535",
        "icmp/8",
        "icmp/3.4",
        "icmp6/255",
        "gre",
        "proto/200",
    ],
)
def test_services_are_spelled_as_written(text: str) -> None:
    assert services.describe(services.parse(text.upper())) == [text]


def test_icmp_types_end_where_icmp_ends() -> None:
    """All 256 types together are all of ICMP: no packet that cannot exist is left over."""
    every = services.union(services.parse(f"icmp/{n}") for n in range(256))
    assert boxes.covers(every.v4, services.parse("icmp").v4)
    assert not len(every.v6)
