"""A first-match list as a partition: any packet set, split by the rule that decides each part."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, NOTHING, SOURCE, PacketSet
from sarvex.core.model.records import Policy, Rule, fold
from sarvex.core.sets import boxes, common_ends
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.cache import Recent

KEEP = 3
"""Sieves of one policy that are kept with the names: of the draft, of what is in force, of what is being tried."""


def partition_of(policy: Policy, names: Names) -> Partition:
    """The partition of a policy, kept with its names: of the last one asked for only what changed is worked out again.

    One rule edited costs its own boxes and one pass over the rest. Raises what `Names` raises. O(boxes of all matches) at first.
    """
    kept: Recent[Policy, Partition] = names.partitions.get(fold(policy.name), lambda: Recent(KEEP))

    def make() -> Partition:
        return Partition(policy, [m.packets for m in matches_of(policy, names)], kept.newest())

    return kept.get(policy, make)


class Partition:
    """A policy's enabled rules as boxes of values, for parting any set of packets by the rule that decides it.

    `parts`: what each rule matches, in order. `before`: one that has most of these parts, which makes it quicker.
    Complexity: O(boxes); from `before` O(boxes of the parts that are new) and one pass over the rest.
    """

    def __init__(self, policy: Policy, parts: Sequence[PacketSet], before: Partition | None = None) -> None:
        self.policy, self.rules, self.parts = policy, policy.rules, parts
        self._parts = [
            part if rule.enabled else NOTHING for rule, part in zip(policy.rules, parts, strict=True)
        ]
        at = common_ends.places(self._parts, before._parts) if before else None
        self._stocks: dict[int, _Stock] = {
            f: _stocked(f, self._parts)
            if before is None or at is None
            else _grown(before._stocks[f], self._parts, at)
            for f in FAMILIES
        }

    def split(
        self, what: PacketSet, tick: Callable[[], None] = lambda: None
    ) -> Iterator[tuple[int, Rule | None, PacketSet]]:
        """Position (from 1), rule and share for each rule that decides some of `what`, in list order.

        Last, with position 0 and no rule, what is left to the default. Shares are disjoint if the boxes of `what` are. Each box
        is cut in two until few rules touch a piece, so that a long list costs O(boxes log boxes) as long as its rules do not
        all lie on top of each other. `tick` is called now and then, and may raise to end it.
        """
        found: dict[int, dict[int, list[Boxes]]] = defaultdict(lambda: {f: [NOTHING[f]] for f in FAMILIES})
        for f in FAMILIES:
            for index, share in self._shares(f, what[f], tick):
                found[index][f].append(share)
        rest = found.pop(DEFAULT, None)
        for index in sorted(found):
            yield index + 1, self.rules[index], _joined(found[index])
        if rest:
            yield 0, None, _joined(rest)

    def _shares(self, family: int, what: Boxes, tick: Callable[[], None]) -> Iterator[tuple[int, Boxes]]:
        if not len(what):
            return
        hull = np.stack((what[:, :, 0].min(axis=0), what[:, :, 1].max(axis=0)), axis=1)
        parts, owner = self._stocks[family].near(hull)
        tick()
        if len(set(owner.tolist())) <= FEW + 4 * len(what):
            yield from _in_turn(what, parts, owner)
            return
        for box in what:
            tick()
            touched = boxes.overlaps(parts, box)
            yield from _parted(box, parts[touched], owner[touched], tick)


Words = NDArray[np.uint64]
DEFAULT = -1
FEW = 24
"""A piece that so many boxes touch is not cut any more."""
WORTH = 0.8
"""A cut is worth it if neither half is touched by more than this share of the boxes."""


def _joined(parts: dict[int, list[Boxes]]) -> PacketSet:
    return PacketSet(*(np.concatenate(parts[f]) for f in FAMILIES))


def _parted(
    cell: Boxes, parts: Boxes, owner: NDArray[np.int64], tick: Callable[[], None]
) -> Iterator[tuple[int, Boxes]]:
    """The shares of a box (6, 2) that parts (n, 6, 2) have, of which the lowest owner (n,) has what several share."""
    cut = _cut(cell, parts) if len(parts) > FEW else None
    if cut is not None:
        tick()
        axis, at = cut
        for ends in ((cell[axis, 0], at - 1), (at, cell[axis, 1])):
            half = cell.copy()
            half[axis] = ends
            near = boxes.overlaps(parts, half)
            yield from _parted(half, parts[near], owner[near], tick)
        return
    yield from _in_turn(cell[None], parts, owner)


def _in_turn(left: Boxes, parts: Boxes, owner: NDArray[np.int64]) -> Iterator[tuple[int, Boxes]]:
    """The same of boxes (m, 6, 2), one owner after the other."""
    for number in np.unique(owner):
        share = boxes.intersection(left, parts[owner == number])
        if len(share):
            yield int(number), share
            left = boxes.difference(left, share)
            if not len(left):
                return
    yield DEFAULT, left


def _cut(cell: Boxes, parts: Boxes) -> tuple[int, int] | None:
    """The axis and the place at which a box is best cut: where the fewest parts lie on either side, or None if it is of no use."""
    best, found = int(WORTH * len(parts)), None
    for axis in range(cell.shape[0]):
        lows, highs = parts[:, axis, 0], parts[:, axis, 1]
        for at in (np.sort(lows)[len(parts) // 2], np.sort(highs)[len(parts) // 2] + 1):
            if cell[axis, 0] < at <= cell[axis, 1]:
                most = max(int((lows < at).sum()), int((highs >= at).sum()))
                if most < best:
                    best, found = most, (axis, at)
    return found


@dataclass(frozen=True, eq=False)
class _Stock:
    """The boxes of some parts in one family, part after part, and which part stands where in a list."""

    family: int
    numbers: NDArray[np.int64]
    """Of each place in the list, its part. A part may stand nowhere any more."""
    begin: NDArray[np.int64]
    """Part k has the boxes ``begin[k]..begin[k + 1] - 1``."""
    boxes: Boxes
    ends: Words
    """Of the boxes, see `_in_words`."""

    def near(self, box: Boxes) -> tuple[Boxes, NDArray[np.int64]]:
        """The boxes that share a packet with one, and the place in the list of each; of a part at several places each time."""
        asked = _in_words(self.family, box[None])
        near = [
            _at_most(self.ends[:, axis, 0], asked[:, axis, 1])
            & _at_most(asked[:, axis, 0], self.ends[:, axis, 1])
            for axis in (SOURCE, DESTINATION)
        ]
        found = np.flatnonzero(near[0] & near[1])
        found = found[boxes.overlaps(self.boxes[found], box)]
        part = np.searchsorted(self.begin, found, side="right") - 1
        order, numbers = self._standing
        first, last = (np.searchsorted(numbers, part, side=side) for side in ("left", "right"))
        many = np.repeat(np.arange(len(found)), last - first)
        place = order[np.arange(len(many)) - np.repeat(boxes.begins(last - first)[:-1] - first, last - first)]
        return self.boxes[found[many]], place

    @cached_property
    def _standing(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """The places by the part that stands there, and these parts, ascending."""
        order = np.argsort(self.numbers, kind="stable")
        return order, self.numbers[order]


def _stocked(family: int, parts: Sequence[PacketSet]) -> _Stock:
    made: Boxes = np.concatenate([NOTHING[family], *(part[family] for part in parts)])
    begin = boxes.begins([len(part[family]) for part in parts])
    return _Stock(family, np.arange(len(parts)), begin, made, _in_words(family, made))


def _grown(stock: _Stock, parts: Sequence[PacketSet], at: NDArray[np.int64]) -> _Stock:
    """The stock of other parts, made from one that has most of them, each at a place, by adding those that are at none."""
    if len(stock.begin) > MOST_STALE * (len(parts) + 1):
        return _stocked(stock.family, parts)
    there = at >= 0
    new = [parts[k][stock.family] for k in np.flatnonzero(~there).tolist()]
    numbers = np.empty(len(parts), dtype=np.int64)
    numbers[there] = stock.numbers[at[there]]
    numbers[~there] = len(stock.begin) - 1 + np.arange(len(new))
    made: Boxes = np.concatenate([NOTHING[stock.family], *new])
    return _Stock(
        stock.family,
        numbers,
        np.concatenate((stock.begin, stock.begin[-1] + boxes.begins([len(b) for b in new])[1:])),
        np.concatenate((stock.boxes, made)),
        np.concatenate((stock.ends, _in_words(stock.family, made)), axis=3),
    )


def _in_words(family: int, what: Boxes) -> Words:
    """The ends of boxes (n, 6, 2) on the two axes of addresses as numbers of the machine, (words, 2, 2, n): of IPv6 two of them, the
    higher one first."""
    ends = what[:, :2].transpose(1, 2, 0)
    words = [ends] if family == 4 else [ends >> WORD, ends & (1 << WORD) - 1]
    return np.stack([word.astype(np.uint64) for word in words])


def _at_most(a: Words, b: Words) -> NDArray[np.bool_]:
    """Whether numbers (words, n) are no higher than others."""
    if len(a) == 1:
        return np.asarray(a[0] <= b[0])
    return np.asarray((a[0] < b[0]) | ((a[0] == b[0]) & (a[1] <= b[1])))


WORD = 64
MOST_STALE = 2
"""A stock is made anew once it has so many times the parts that stand in the list."""
