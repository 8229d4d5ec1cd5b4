"""A first-match list as a partition: any packet set, split by the rule that decides each part."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
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

        Last, with position 0 and no rule, what is left to the default. O(rules touched × boxes in hand). `tick` is called now
        and then, and may raise to end it.
        """
        touching: set[int] = set()
        for f in FAMILIES:
            for box in what[f]:
                tick()
                touching.update(self._stocks[f].touching(box).tolist())
        for index in sorted(touching):
            tick()
            share = packet_sets.intersection(what, self._parts[index])
            if share:
                yield index + 1, self.rules[index], share
                what = packet_sets.difference(what, share)
        if what:
            yield 0, None, what


@dataclass(frozen=True, eq=False)
class _Stock:
    """The boxes of some parts in one family, part after part, and which part stands where in a list."""

    family: int
    numbers: NDArray[np.int64]
    """Of each place in the list, its part. A part may stand nowhere any more."""
    begin: NDArray[np.int64]
    """Part k has the boxes ``begin[k]..begin[k + 1] - 1``."""
    boxes: Boxes
    ends: NDArray[np.int64]

    def touching(self, box: Boxes) -> NDArray[np.int64]:
        """The places whose parts share a packet with a box: those whose addresses may, looked at closely."""
        (src, dst), ends = _coarse(self.family, box[None]), self.ends
        near = (
            (ends[0, 0] <= src[1]) & (ends[0, 1] >= src[0]) & (ends[1, 0] <= dst[1]) & (ends[1, 1] >= dst[0])
        )
        found = np.flatnonzero(near)
        found = found[boxes.overlaps(self.boxes[found], box)]
        touches = np.zeros(len(self.begin), dtype=bool)
        touches[np.searchsorted(self.begin, found, side="right") - 1] = True
        return np.flatnonzero(touches[self.numbers])


def _stocked(family: int, parts: Sequence[PacketSet]) -> _Stock:
    made: Boxes = np.concatenate([NOTHING[family], *(part[family] for part in parts)])
    begin = boxes.begins([len(part[family]) for part in parts])
    return _Stock(family, np.arange(len(parts)), begin, made, _coarse(family, made))


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
        np.concatenate((stock.ends, _coarse(stock.family, made)), axis=2),
    )


def _coarse(family: int, what: Boxes) -> NDArray[np.int64]:
    """The ends of boxes (n, 6, 2) on the two axes of addresses, (2, 2, n): of IPv6 the first 63 bits, which numbers of the
    machine hold. Boxes that share an address share one here."""
    ends = what[:, :2].transpose(1, 2, 0)
    return np.ascontiguousarray(ends if family == 4 else ends >> SPARE, dtype=np.int64)


SPARE = 65
MOST_STALE = 2
"""A stock is made anew once it has so many times the parts that stand in the list."""
