"""Where a rule would work: what it would decide at every place of a list, and what it would take from others there.

What a rule decides only shrinks as it moves down, because each further rule before it can only take more. So the places
fall into three runs: all, then part, then nothing; one walk over the rules that share a packet with it finds them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sarvex.core.addresses import FAMILIES
from sarvex.core.boxes import WorkLimit
from sarvex.core.bricks import hole_in, less, meet
from sarvex.core.cells import Cells
from sarvex.core.cover import COVERED
from sarvex.core.firstmatch import FirstMatch
from sarvex.core.matches import Match, in_family, minus
from sarvex.core.model import Rule

WORK = 150_000
"""Bricks looked at before advice is given up: a fraction of a second."""
MOST_ASKED = 100
"""Rules that reach beyond the new one are asked what they decide there up to so many."""


@dataclass(frozen=True)
class Starved:
    """A rule that would decide nothing any more if the new one stood at `until` or above."""

    position: int
    """Where it stands in the list, from 0."""
    until: int


@dataclass(frozen=True)
class Advice:
    """Places count from 1; place p is right before the rule that is p-th in the list without this rule.

    At places up to `all_until` it decides all it matches, up to `some_until` at least a part, below nothing.
    `best` is the lowest place at which no rule of another outcome takes any of it.
    """

    all_until: int
    some_until: int
    best: int
    starves: tuple[Starved, ...] = ()

    def starved_at(self, place: int) -> tuple[Starved, ...]:
        """The rules that would decide nothing any more with the new one at a place."""
        return tuple(s for s in self.starves if place <= s.until)


def of_dead(takers: Sequence[tuple[int, bool]]) -> Advice:
    """Advice for a dead rule from the rules that take all of it: (position from 1, same outcome?) in order.

    The first taker ends the run of `all`; the last one leaves nothing.
    """
    first, last = takers[0][0], takers[-1][0]
    best = next((p for p, same in takers if not same), last)
    return Advice(first, last, best)


def advise(ready: FirstMatch, rule: Rule, match: Match, instead: int | None = None) -> Advice | None:
    """Advice for `rule` in a list, in which the rule at `instead` is taken not to be there.

    None if it matches nothing or the work limit is hit. O(rules that share a packet with it × bricks in hand).
    """
    end = len(ready.matches) + (1 if instead is None else 0)

    def place(position: int) -> int:
        return position + (1 if instead is None or position < instead else 0)

    walks = [
        walk
        for f in FAMILIES
        if in_family(match, f)
        for walk in [_Walk(ready, f, match, instead)]
        if walk.own
    ]
    if not walks:
        return None
    try:
        for walk in walks:
            walk.go()
    except WorkLimit:
        return None
    takers = sorted({k for walk in walks for k in walk.takes})
    unlike = [place(k) for k in takers if ready.policy.rules[k].outcome != rule.outcome]
    first = place(takers[0]) if takers else end
    some = max(end if walk.last is None else place(walk.last) for walk in walks)
    starves = tuple(Starved(k, place(k)) for k in takers[:MOST_ASKED] if _starved(ready, k, match, instead))
    return Advice(first, some, min([some, *unlike]), starves)


class _Walk:
    """One family of the walk down a list."""

    def __init__(self, ready: FirstMatch, family: int, match: Match, instead: int | None) -> None:
        self.near = [k for k in ready.layers[family].near(match).tolist() if k != instead]
        cells = Cells(family, [match, *(ready.matches[k] for k in self.near)])
        self.own = cells.brick(match)
        self.bricks = [cells.brick(ready.matches[k]) for k in self.near]
        self.takes: list[int] = []
        self.last: int | None = None
        """The rule that leaves nothing."""

    def go(self) -> None:
        """Who takes some of the match, were it last. Raises `WorkLimit`."""
        left = [self.own] if self.own else []
        work = WORK
        for k, brick in zip(self.near, self.bricks, strict=True):
            work -= len(left)
            if brick and any(meet(piece, brick) for piece in left):
                self.takes.append(k)
                left = less(left, [brick], work)
                if not left:
                    self.last = k
                    return


def _starved(ready: FirstMatch, k: int, match: Match, instead: int | None) -> bool:
    """Whether all that a rule decides is in a match; false if that is not settled."""
    beyond = minus(ready.matches[k], match)
    return not any(_decides_some(ready, f, k, region, instead) for region in beyond for f in FAMILIES)


def _decides_some(ready: FirstMatch, family: int, k: int, region: Match, instead: int | None) -> bool:
    """Whether a rule decides some of a region, which it matches; true if that is not settled."""
    if not in_family(region, family):
        return False
    near = [i for i in ready.layers[family].near(region).tolist() if i < k and i != instead]
    cells = Cells(family, [region, *(ready.matches[i] for i in near)])
    own = cells.brick(region)
    cutters = [both for i in near if own and (b := cells.brick(ready.matches[i])) and (both := meet(own, b))]
    return own is not None and hole_in(own, cutters, WORK)[0] != COVERED
