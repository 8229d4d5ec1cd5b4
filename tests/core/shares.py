"""Who decides what: each rule's share of one family's packets, exactly, in one pass down the list.

Shares are disjoint, so their volumes add up. That is the whole method: a rule decides all of what it
matches if no share touches it, nothing if the volumes of the shares inside it sum to its own, and a part
otherwise; and the rules that take something from it are the owners of the shares that touch it. Volumes are
counted in elementary cells (`sarvex.core.sets.ranks`), as exact integers.

A share is kept as boxes while they are few. A *broad* rule, whose share would fall into too many boxes (a
final catch-all over thousands of exceptions), keeps only its volume: its share inside a region is what the
region holds, less the shares in boxes, less the shares of earlier broad rules. A witness for it is found by
halving: of two halves of a box that is not fully covered, one is not fully covered.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from columns import Columns
from numpy.typing import NDArray

from sarvex.core.sets import boxes
from sarvex.core.sets.boxes import Boxes, WorkLimit

FEW_PIECES = 160
FEW_BOXES = 400
SAFE = 2**62


@dataclass(frozen=True, eq=False)
class Share:
    """What one rule decides in one family, in ranks. `boxes` is None for a broad rule."""

    matched: int
    decided: int
    by: tuple[int, ...]
    boxes: Boxes | None
    taken: Boxes

    @property
    def broad(self) -> bool:
        return self.boxes is None


class Ledger:
    """Disjoint boxes with their owners."""

    def __init__(self, axes: int) -> None:
        self._boxes = Columns(axes)
        self._owner = np.empty(0, dtype=np.int64)

    def add(self, what: Boxes, owner: int) -> None:
        """Append boxes that are disjoint from all there are."""
        self._boxes.append(what)
        if self._boxes.size > len(self._owner):
            wider = np.empty(2 * self._boxes.size, dtype=np.int64)
            wider[: len(self._owner)] = self._owner
            self._owner = wider
        self._owner[self._boxes.size - len(what) : self._boxes.size] = owner

    def clip(self, box: Boxes) -> tuple[Boxes, NDArray[np.int64]]:
        """The parts of all boxes inside one box, with their owners."""
        found = self._boxes.touching(box)
        pieces = self._boxes.at(found)
        np.maximum(pieces[:, :, 0], box[:, 0], out=pieces[:, :, 0])
        np.minimum(pieces[:, :, 1], box[:, 1], out=pieces[:, :, 1])
        return pieces, self._owner[found]


class Shares:
    """The shares of the rules of one list in one family.

    `of` gives the boxes of a rule by position; `whole` is everything the family holds, one box. `budget`
    bounds the look-ups spent on regions where broad rules meet.
    """

    def __init__(self, rules: list[Boxes], whole: Boxes, budget: int) -> None:
        self.rules, self.whole, self.budget = rules, whole, budget
        extent = [int(high) - int(low) + 1 for low, high in whole]
        cells = 1
        for length in extent:
            cells *= length
        self._wide: type = np.int64 if cells < SAFE else object
        self._ledger = Ledger(len(whole))
        self._broad: list[int] = []
        self._left = budget

    def volume(self, what: Boxes) -> int:
        """How many elementary cells disjoint boxes hold."""
        if not len(what):
            return 0
        lengths: Boxes = (what[:, :, 1].astype(self._wide) - what[:, :, 0]) + 1
        return int(lengths.prod(axis=1).sum())

    def each(self) -> Iterator[Share | None]:
        """The share of every rule in order; None where the budget was exceeded.

        A rule after such a one is exact only outside it, so it is None too where it meets it.
        """
        unknown: list[int] = []
        for position, mine in enumerate(self.rules):
            if any(boxes.overlaps(self.rules[u], box).any() for u in unknown for box in mine):
                share = None
            else:
                self._left = self.budget
                try:
                    share = self._share(mine)
                except WorkLimit:
                    share = None
            if share is None:
                unknown.append(position)
            elif share.boxes is None:
                self._broad.append(position)
            else:
                self._ledger.add(share.boxes, position)
            yield share

    def _share(self, mine: Boxes) -> Share:
        matched = self.volume(mine)
        pieces, owners = self._pieces(mine)
        by = set(np.unique(owners).tolist())
        taken = pieces[:1]
        broad = [b for b in self._broad if self._meets(b, mine)]
        if len(pieces) <= FEW_PIECES:
            try:
                rest = boxes.difference(mine, pieces, FEW_BOXES)
                for b in broad:
                    inside = boxes.intersection(rest, self.rules[b])
                    if len(inside):
                        by.add(b)
                        taken = taken if len(taken) else inside[:1]
                        rest = boxes.difference(rest, self.rules[b], FEW_BOXES)
                return Share(matched, self.volume(rest), tuple(sorted(by)), rest, taken)
            except WorkLimit:
                by = set(np.unique(owners).tolist())
        decided = matched - self.volume(pieces)
        for index, b in enumerate(broad):
            inside = boxes.intersection(mine, self.rules[b])
            lost = self._broad_volume(broad[:index], inside)
            if lost:
                by.add(b)
                decided -= lost
        return Share(matched, decided, tuple(sorted(by)), None if decided else mine[:0], taken)

    def _pieces(self, what: Boxes) -> tuple[Boxes, NDArray[np.int64]]:
        found = [self._ledger.clip(box) for box in what]
        if not found:
            return what, np.empty(0, dtype=np.int64)
        return np.concatenate([p for p, _ in found]), np.concatenate([o for _, o in found])

    def _meets(self, rule: int, what: Boxes) -> bool:
        return any(boxes.overlaps(self.rules[rule], box).any() for box in what)

    def _broad_volume(self, earlier: list[int], region: Boxes) -> int:
        """How much of a region inside a broad rule that rule decides; `earlier` are the broad ones before it."""
        if not len(region):
            return 0
        self._left -= 1
        if self._left < 0:
            raise WorkLimit("too many broad rules meet")
        volume = self.volume(region) - self.volume(self._pieces(region)[0])
        for index, b in enumerate(earlier):
            if volume == 0:
                break
            volume -= self._broad_volume(earlier[:index], boxes.intersection(region, self.rules[b]))
        return volume

    def witness(self, position: int | None, share: Share | None) -> Boxes:
        """Boxes, at least one, wholly decided by a rule (None: by the default); none if it decides nothing.

        Only after `each` has run to the end. Halving costs O(boxes in reach × axes × log of their lengths).
        """
        if share is not None and share.boxes is not None:
            return share.boxes
        region = self.whole[None] if position is None else self.rules[position]
        for b in self._broad:
            if position is None or b < position:
                region = boxes.difference(region, self.rules[b])
        for box in region:
            pieces = self._ledger.clip(box)[0]
            if self.volume(box[None]) > self.volume(pieces):
                return self._halve(box, pieces)[None]
        return region[:0]

    def _halve(self, box: Boxes, pieces: Boxes) -> Boxes:
        """A part of `box` that none of `pieces` (inside it, disjoint, not filling it) touches."""
        while len(pieces):
            axis = int(np.argmax(box[:, 1] - box[:, 0]))
            middle = (int(box[axis, 0]) + int(box[axis, 1])) // 2
            half = box.copy()
            half[axis, 1] = middle
            inside = boxes.clip(pieces, half)
            if self.volume(inside) == self.volume(half[None]):
                half[axis] = middle + 1, box[axis, 1]
                inside = boxes.clip(pieces, half)
            box, pieces = half, inside
        return box

    def default_volume(self, shares: list[Share | None]) -> int | None:
        """How much is left to the default; None if that is not known."""
        if any(share is None for share in shares):
            return None
        return self.volume(self.whole[None]) - sum(share.decided for share in shares if share)
