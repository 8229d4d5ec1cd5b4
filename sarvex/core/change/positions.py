"""Where a rule would work: what it would decide at every place of a list, and what it would take from others there.

What a rule decides only shrinks as it moves down, because each further rule before it can only take more. So the places
fall into three runs: all, then part, then nothing; one walk over the rules that share a packet with it finds them.
"""

from __future__ import annotations

import random
from bisect import bisect_left
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from sarvex.core.change.effect import part_of, sample
from sarvex.core.firstmatch.atoms import Atoms
from sarvex.core.firstmatch.rule_list import Decides, FirstMatch
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import Match, in_family, minus
from sarvex.core.meaning.packet_sets import DTYPE
from sarvex.core.model.records import Rule
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.cover import COVERED
from sarvex.core.sets.cubes import Cube, hole_in, less, meet
from sarvex.core.sets.flows import Flow

WORK = 150_000
"""Cubes looked at before advice is given up: a fraction of a second."""
TRIES = 24
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


class Standing:
    """What one rule would decide at each place of a first-match list, and what it would take from the others there.

    `ready`: the list. `rule`, `match`: the rule that is placed; it need not be of the list. `instead`: the position, from 0, of a
    rule that is taken not to be there, such as itself where it moves. Places count from 1: place p is right before the rule that
    is p-th without it.

    Raises `WorkLimit`. Complexity: O(rules that share a packet with it × cubes in hand), once for all places.
    Source: what a rule decides only shrinks as it moves down, so the places fall into three runs, found in one walk.
    """

    def __init__(self, ready: FirstMatch, rule: Rule, match: Match, instead: int | None = None) -> None:
        self.ready, self.rule, self.match, self.instead = ready, rule, match, instead
        walks = [_Walk(ready, f, match, instead) for f in FAMILIES if in_family(match, f)]
        self._walks = [walk for walk in walks if walk.own]
        self.takers = sorted({k for walk in self._walks for k in walk.takes})
        """The rules that would take some of it, were it last."""
        self.end = len(ready.matches) + (1 if instead is None else 0)

    def place(self, position: int) -> int:
        """The place right before a rule of the list."""
        return position + (1 if self.instead is None or position < self.instead else 0)

    def takers_at(self, place: int) -> list[int]:
        """The rules that decide some of it when it stands at a place."""
        return [k for k in self.takers if self.place(k) < place]

    def decides_at(self, place: int) -> Decides:
        """How much of what it matches it decides at a place."""
        if not self._walks or not any(walk.left_before(self._position(place)) for walk in self._walks):
            return "none"
        return "part" if self.takers_at(place) else "all"

    def witness_at(self, place: int) -> Flow | None:
        """A packet it decides at a place."""
        left = [(walk, walk.left_before(self._position(place))) for walk in self._walks]
        return self._sample((walk, cubes) for walk, cubes in left)

    def taken_at(self, place: int) -> Flow | None:
        """A packet it matches and an earlier rule decides, at a place."""
        return self._sample((walk, walk.taken_before(self._position(place))) for walk in self._walks)

    def _position(self, place: int) -> int:
        """The first rule, by its place in the list as it is, that is not before the rule at a place."""
        return place - 1 + (1 if self.instead is not None and place - 1 >= self.instead else 0)

    def _sample(self, found: Iterable[tuple[_Walk, Sequence[Cube]]]) -> Flow | None:
        known = self.ready.known
        flows = [sample(part_of(walk.atoms, cube), known) for walk, cubes in found for cube in cubes[:8]]
        return packet_sets.legible(flows, known)

    def advice(self) -> Advice | None:
        """Where it would work; None if it matches nothing."""
        if not self._walks:
            return None
        others = self.ready.policy.rules
        unlike = [self.place(k) for k in self.takers if others[k].outcome != self.rule.outcome]
        first = self.place(self.takers[0]) if self.takers else self.end
        some = max(self.end if walk.last is None else self.place(walk.last) for walk in self._walks)
        starves = tuple(
            Starved(k, self.place(k))
            for k in self.takers[:MOST_ASKED]
            if _starved(self.ready, k, self.match, self.instead)
        )
        return Advice(first, some, min([some, *unlike]), starves)


class _Walk:
    """One family of the walk down a list."""

    def __init__(self, ready: FirstMatch, family: int, match: Match, instead: int | None) -> None:
        near = [k for k in ready.layers[family].near(match).tolist() if k != instead]
        self.atoms = Atoms(family, [match, *(ready.matches[k] for k in near)])
        self.own = self.atoms.cube(match)
        self.takes: list[int] = []
        self._left: list[list[Cube]] = [[self.own] if self.own else []]
        self._shares: list[Cube] = []
        self.last: int | None = None
        """The rule that leaves nothing."""
        work = WORK
        for k in near:
            left = self._left[-1]
            cube = self.atoms.cube(ready.matches[k])
            work -= len(left)
            share = next((both for piece in left if cube and (both := meet(piece, cube))), None)
            if cube and share:
                self.takes.append(k)
                self._shares.append(share)
                self._left.append(less(left, [cube], work))
                if not self._left[-1]:
                    self.last = k
                    return

    def left_before(self, position: int) -> list[Cube]:
        """What the rules before a position leave."""
        return self._left[bisect_left(self.takes, position)]

    def taken_before(self, position: int) -> list[Cube]:
        """Some of what they take."""
        return self._shares[: bisect_left(self.takes, position)]


def _starved(ready: FirstMatch, k: int, match: Match, instead: int | None) -> bool:
    """Whether all that a rule decides is in a match; false if that is not settled."""
    beyond = minus(ready.matches[k], match)
    return not any(_decides_some(ready, f, k, region, instead) for region in beyond for f in FAMILIES)


def _decides_some(ready: FirstMatch, family: int, k: int, region: Match, instead: int | None) -> bool:
    """Whether a rule decides some of a region, which it matches; true if that is not settled."""
    if not in_family(region, family):
        return False
    if (ready.decide(family, _some_points(family, region)) == k).any():
        return True
    near = [i for i in ready.layers[family].near(region).tolist() if i < k and i != instead]
    atoms = Atoms(family, [region, *(ready.matches[i] for i in near)])
    own = atoms.cube(region)
    cutters = [both for i in near if own and (b := atoms.cube(ready.matches[i])) and (both := meet(own, b))]
    return own is not None and hole_in(own, cutters, WORK)[0] != COVERED


def _some_points(family: int, region: Match) -> list[Boxes]:
    """A few packets of a region, as arrays for `FirstMatch.decide`: most rules that decide some are found by them."""
    made = random.Random(7)
    ends = [region.source[family], region.destination[family]]
    services, states = (
        region.service[family].tolist(),
        packet_sets.class_intervals(region.states, region.times),
    )
    rows = []
    for turn in range(TRIES):
        box = [made.choice(end) for end in ends]
        box += [*map(tuple, services[turn % len(services)]), made.choice(states)]
        rows.append([low if turn % 2 else made.randint(low, high) for low, high in box])
    columns = zip(*rows, strict=True)
    return [np.array(c, dtype=DTYPE[family] if axis < 2 else np.int64) for axis, c in enumerate(columns)]
