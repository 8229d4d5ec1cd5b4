"""Local coordinates: each axis cut into atoms that the matches in hand do not tell apart.

A set of addresses, of services, of states or of moments is then an integer with a bit for each of its atoms, and a match is a
`sarvex.core.sets.cubes.Cube`. Few matches meet at one rule, so the integers are short.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from sarvex.core.meaning.matches import Match
from sarvex.core.sets.boxes import Boxes, coalesced
from sarvex.core.sets.cubes import Cube, runs
from sarvex.core.sets.flows import STATES, State
from sarvex.core.sets.intervals import Intervals
from sarvex.core.time.moments import Times


class Axis:
    """One axis of numbers, cut at the ends of some sets of intervals."""

    def __init__(self, sets: Iterable[Intervals]) -> None:
        self.cuts = sorted({edge for ends in sets for low, high in ends for edge in (low, high + 1)})
        self._place = {value: place for place, value in enumerate(self.cuts)}

    def tells(self, ends: Intervals) -> bool:
        """Whether all ends of a set are among the cuts, so that its atoms tell it exactly. O(n)."""
        return all(low in self._place and high + 1 in self._place for low, high in ends)

    def bits(self, ends: Iterable[tuple[int, int]]) -> int:
        """The atoms of one of those sets."""
        place, out = self._place, 0
        for low, high in ends:
            out |= (1 << place[high + 1]) - (1 << place[low])
        return out

    def intervals(self, bits: int) -> list[tuple[int, int]]:
        """The intervals that atoms amount to, ascending, neighbours joined; the inverse of `bits`. O(runs of bits)."""
        return [(self.cuts[low], self.cuts[high + 1] - 1) for low, high in runs(bits)]


class _Slab(NamedTuple):
    """Protocols and first values over which the services in hand differ in their second values only."""

    protocol: tuple[int, int]
    first: tuple[int, int]
    seconds: Axis
    shift: int


class ServiceAxes:
    """The three axes of services, cut into slabs by protocol, then by first value, then by second."""

    def __init__(self, sets: Iterable[Boxes]) -> None:
        boxes = list({box for s in sets for box in map(_box, s.tolist())})
        self.slabs: list[_Slab] = []
        self.size = 0
        for protocol, here in _slabs(boxes, 0):
            for first, inside in _slabs(here, 1):
                seconds = Axis([(box[2],) for box in inside])
                self.slabs.append(_Slab(protocol, first, seconds, self.size))
                self.size += len(seconds.cuts) - 1

    def bits(self, boxes: Boxes) -> int:
        """The atoms of one of those sets."""
        out = 0
        for protocol, first, second in map(_box, boxes.tolist()):
            for slab in self.slabs:
                if _in(slab.protocol, protocol) and _in(slab.first, first):
                    out |= slab.seconds.bits((second,)) << slab.shift
        return out

    def boxes(self, bits: int) -> Boxes:
        """The disjoint boxes that atoms amount to, (n, 3, 2) over protocol, first, second; the inverse of `bits`."""
        rows = [
            (slab.protocol, slab.first, second)
            for slab in self.slabs
            for second in slab.seconds.intervals(bits >> slab.shift & (1 << len(slab.seconds.cuts) - 1) - 1)
        ]
        return coalesced(np.array(rows, dtype=np.int64).reshape(-1, 3, 2))


_Box = tuple[tuple[int, int], tuple[int, int], tuple[int, int]]


def _box(rows: Sequence[Sequence[int]]) -> _Box:
    (a, b), (c, d), (e, f) = rows
    return (a, b), (c, d), (e, f)


def _in(inner: tuple[int, int], outer: tuple[int, int]) -> bool:
    return outer[0] <= inner[0] and inner[1] <= outer[1]


def _slabs(boxes: Sequence[_Box], axis: int) -> Iterable[tuple[tuple[int, int], list[_Box]]]:
    """The stretches of one axis between neighbouring ends of boxes, with the boxes that span each."""
    cuts = sorted({edge for box in boxes for edge in (box[axis][0], box[axis][1] + 1)})
    for low, above in pairwise(cuts):
        there = [box for box in boxes if box[axis][0] <= low < box[axis][1] + 1]
        if there:
            yield (low, above - 1), there


class Atoms:
    """The atoms of one family: the coarsest cuts of each axis by which every one of some matches is a product of sets of atoms.

    Complexity: O(interval ends log ends) for each axis. Source: atomic predicates (Yang and Lam 2013), here one axis at a time, so
    that a match is one integer for each axis instead of a set of packets.
    """

    def __init__(self, family: int, matches: Sequence[Match]) -> None:
        self.family = family
        self.source = Axis({m.source[family] for m in matches})
        self.destination = Axis({m.destination[family] for m in matches})
        self.times = TimeAxis([m.times for m in matches])
        services = {id(m.service): m.service[family] for m in matches}
        self.services = ServiceAxes(services.values())
        self._known: dict[tuple[int, int], int] = {}

    def cube(self, match: Match) -> Cube | None:
        """One of those matches as a product of sets of atoms; None if it matches nothing in this family. O(its intervals)."""
        source, destination, service = (match.source, match.destination, match.service)
        made = (
            self._bits(0, source, self.source, source[self.family]),
            self._bits(1, destination, self.destination, destination[self.family]),
            self._bits(2, service, self.services, service[self.family]),
            states_bits(match.states),
            self.times.bits(match.times),
        )
        return made if all(made) else None

    def _bits(self, axis: int, of: object, line: Axis | ServiceAxes, value: object) -> int:
        key = axis, id(of)
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = line.bits(value)  # type: ignore[arg-type]
        return known


class TimeAxis:
    """The classes of moments up to the last that some sets tell apart; one atom if they tell none."""

    def __init__(self, sets: Iterable[Times]) -> None:
        self.size = max((times if times >= 0 else ~times).bit_length() for times in sets) + 1

    def bits(self, times: Times) -> int:
        """The atoms of one of those sets."""
        return times & (1 << self.size) - 1

    def times(self, bits: int) -> Times:
        """The set that atoms amount to; the last goes on for ever."""
        return bits - (1 << self.size) if bits >> self.size - 1 else bits


def states_bits(states: Sequence[State]) -> int:
    """States as bits; none named means all."""
    return sum(1 << i for i, state in enumerate(STATES) if not states or state in states)


def states_of(bits: int) -> tuple[State, ...]:
    """The states of bits; none for all of them."""
    told = tuple(state for i, state in enumerate(STATES) if bits >> i & 1)
    return () if len(told) == len(STATES) else told
