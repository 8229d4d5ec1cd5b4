"""A list made into its `Form`: the different sets of its rules, in ranks, with their bit rows."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence, Sized
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from sarvex.core.firstmatch import bit_vectors
from sarvex.core.firstmatch.form import Arrays, Form, Index, Int
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import Match
from sarvex.core.sets.addresses import HIGHEST
from sarvex.core.sets.boxes import Boxes, begins, coalesced
from sarvex.core.sets.compiled import passed_as, ready
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.ranks import Ranks
from sarvex.core.sets.services import PROTOCOL_TOP, TOP

T = TypeVar("T")


def form_of(arrays: Arrays) -> Form:
    """The arrays as compiled functions take them: one record in place of forty arguments, which would be checked at every call."""
    return _by_reference(arrays) if ready() else arrays


def _by_reference(arrays: Arrays) -> Form:
    from sarvex.core.firstmatch import form_reference

    made: Form = form_reference.form_of(arrays)
    return made


passed_as(Arrays, _by_reference)


def _distinct(keys: Sequence[Hashable], what: Sequence[T]) -> tuple[Int, list[T]]:
    """For each key its number among the different ones, which are counted as they come, and one thing of each."""
    one = dict(zip(keys, what, strict=True))
    number = dict(zip(one, range(len(one)), strict=True))
    return np.array(list(map(number.__getitem__, keys)), dtype=np.int32), list(one.values())


def _sets(
    matches: Sequence[Match],
    keys: Sequence[Hashable],
    made: Callable[[Match], T],
    key: Callable[[T], Hashable],
) -> tuple[Int, list[T]]:
    """The different sets of one field, and the number of each match's. Of matches with the same of `keys` one is looked at;
    sets with the same `key` are one."""
    numbers, few = _distinct(keys, matches)
    found = [made(match) for match in few]
    merged, sets = _distinct([key(one) for one in found], found)
    return merged[numbers], sets


def arrays_of(
    family: int, matches: Sequence[Match], enabled: Sequence[bool], known: Intervals
) -> tuple[Arrays, Ranks]:
    """The arrays of the rules' matches, and the ranks in which it is told; `known` are the hosts samples prefer.

    O(rules + ends log ends), and the bit rows.
    """
    source, sources = _sets(matches, [id(m.source) for m in matches], lambda m: m.source[family], lambda s: s)
    destination, destinations = _sets(
        matches, [id(m.destination) for m in matches], lambda m: m.destination[family], lambda s: s
    )
    service, services = _sets(
        matches,
        [(id(m.service), m.states, m.times) for m in matches],
        lambda m: with_classes(coalesced(m.service[family]), m),
        lambda boxes: boxes.tobytes(),
    )
    used = np.array(enabled, dtype=bool)
    used &= _some(sources)[source] & _some(destinations)[destination] & _some(services)[service]
    numbers = np.full((3, len(matches)), -1, dtype=np.int32)
    which, numbers[0, used] = np.unique(source[used], return_inverse=True)
    both = [sources[k] for k in which]
    which, numbers[1, used] = np.unique(destination[used], return_inverse=True)
    numbers[1, used] += len(both)
    middle_set = len(both)
    both += [destinations[k] for k in which]
    which, numbers[2, used] = np.unique(service[used], return_inverse=True)
    service_sets = [services[k] for k in which]
    begin = begins([len(s) for s in both])
    values: Boxes = np.array([pair for s in both for pair in s], dtype=packet_sets.DTYPE[family]).reshape(
        -1, 2
    )
    middle = int(begin[middle_set])
    service_begin = begins([len(s) for s in service_sets])
    boxes: Boxes = np.concatenate([np.empty((0, 4, 2), dtype=np.int64), *service_sets])
    top = HIGHEST[family]
    ranks = Ranks.of(
        [(values[:middle], top), (values[middle:], top)]
        + [
            (boxes[:, axis], high)
            for axis, high in enumerate((PROTOCOL_TOP, TOP, TOP, packet_sets.CLASS_TOP))
        ]
    )
    ranked = np.empty((len(boxes), 4, 2), dtype=np.int32)
    for axis in range(4):
        ranked[:, axis] = ranks.encode_axis(axis + 2, boxes[:, axis])
    ends = np.concatenate((ranks.encode_axis(0, values[:middle]), ranks.encode_axis(1, values[middle:])))
    sizes = np.array([ranks.size(axis) for axis in range(6)], dtype=np.int64)
    samples = _known(ranks, known, family), _likely(ranks)
    return _assembled(numbers, begin, ends, service_begin, ranked, sizes, *samples), ranks


def arrays_from(before: Arrays, at: Index, enabled: NDArray[np.bool_]) -> Arrays:
    """The arrays of a list each of whose rules matches what the rule ``at[k]`` of another does, told in that one's ranks; none
    may be enabled that is not there. O(rules), and the bit rows."""
    numbers = np.ascontiguousarray(before.sets[:, at])
    numbers[:, ~enabled] = -1
    return _assembled(
        numbers, before.begin, before.ends, before.service_begin, before.service_boxes, before.sizes, before.known,
        before.likely,
    )  # fmt: skip


def _assembled(
    numbers: Int,
    begin: Index,
    ends: Int,
    service_begin: Index,
    boxes: Int,
    sizes: Index,
    known: Int,
    likely: Int,
) -> Arrays:
    """Arrays of rules whose sets have these numbers, before anything is proven of them."""
    rules = numbers.shape[1]
    lengths = np.where(numbers[2] >= 0, np.diff(service_begin, append=0)[numbers[2]], 0)
    entries = begins(lengths)
    rule = np.repeat(np.arange(rules), lengths)
    box = np.arange(len(rule)) - entries[rule] + service_begin[numbers[2][rule]]
    rows = bit_vectors.rows_of(numbers, begin, ends, boxes, rule, box, sizes)
    return Arrays(
        numbers, begin, ends, service_begin, boxes, entries, rule.astype(np.int32), sizes, (lengths > 0).astype(np.int8),
        bit_vectors.all_on(len(rule)), *rows, known, likely, np.zeros(rules, dtype=np.int8),
        np.zeros((rules, 6, 2), dtype=np.int32), np.full((rules, 6, 2), -1, dtype=np.int32),
    )  # fmt: skip


def _some(sets: Sequence[Sized]) -> NDArray[np.bool_]:
    """Which of them are not empty."""
    return np.array([len(s) > 0 for s in sets], dtype=bool)


def _known(ranks: Ranks, known: Intervals, family: int) -> Int:
    out = np.zeros((2, max(ranks.size(axis) for axis in range(2)) + 1), dtype=np.int32)
    lows: Boxes = np.array([low for low, _ in known], dtype=packet_sets.DTYPE[family])
    for axis in range(2):
        size = ranks.size(axis)
        held = np.searchsorted(ranks.starts[axis], lows, side="right") - 1
        following = np.full(size + 1, size, dtype=np.int32)
        following[held] = held
        out[axis, : size + 1] = np.minimum.accumulate(following[::-1])[::-1]
    return out


def _likely(ranks: Ranks) -> Int:
    spots = [(2, 6), (2, 17), (3, packet_sets.EPHEMERAL), (4, packet_sets.HTTPS)]
    return np.array([ranks.encode_points(axis, np.array([v]))[0] for axis, v in spots], dtype=np.int32)


def with_classes(service: Boxes, match: Match) -> Boxes:
    """Service boxes (n, 3, 2) with a match's states and moments on a fourth axis, one box for each run of classes: (m, 4, 2)."""
    classes = packet_sets.class_intervals(match.states, match.times)
    parts = [
        np.concatenate((service, np.full((len(service), 1, 2), ends, dtype=np.int64)), axis=1)
        for ends in classes
    ]
    return np.concatenate(parts) if parts else np.empty((0, 4, 2), dtype=np.int64)
