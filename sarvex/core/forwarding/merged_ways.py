"""Ways joined where they meet: what enters a device, by interfaces that are alike, after as many devices is led on at once.

A packet that has several ways to one place goes on once. Of the devices before it is told which it may have passed and which it must
have; packets that differ in that go on apart. So the work grows with the devices, not with the ways.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterator

import numpy as np

from sarvex.core.forwarding.journeys import End, Journey, Seen, altered, name_of
from sarvex.core.forwarding.leading import Entry, Leading
from sarvex.core.forwarding.stages import Stages
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.tables.table import Table

MOST_BOXES = 20_000
"""So many boxes at a time, when packets are told apart by the ways they came."""
SEVERAL: frozenset[Seen] = frozenset({("several", ()), ("more", ())})
"""Instead of two or more devices that an answer needs: which does not matter, it is undecided then."""
Name = tuple[str, str]
Passed = tuple[frozenset[Seen], frozenset[Seen]]
"""Whom packets may have passed, and whom they must have."""


class MergedWays:
    """What is under way, nearest first, joined before it goes on.

    stages: tell of which devices the crossings matter (`counts`), of others it is told only whether they were passed; and by which
    interfaces it makes no difference to enter one.
    """

    def __init__(self, stages: Stages) -> None:
        self._stages = stages
        self._arrived: dict[int, dict[Name, list[Entry]]] = {}
        self._joined: list[Entry] = []
        self._seen: dict[tuple[Name, Hashable], PacketSet] = {}
        self.again: list[Entry] = []
        """What came to a place as it had been there before: in circles, or by ways that pass the same devices."""

    def push(self, entry: Entry) -> None:
        device, entering, journey = entry
        entering = entering and self._stages.entrance(device, entering)
        place = self._arrived.setdefault(journey.hops, {}).setdefault(name_of(device, entering), [])
        before = journey.before if device.answers_leave != "by route" else None
        place.append((device, entering, altered(self.summary(journey), before=before)))

    def pop(self) -> Entry | None:
        while not self._joined:
            if not self._arrived:
                return None
            hops = min(self._arrived)
            place, entries = self._arrived[hops].popitem()
            if not self._arrived[hops]:
                del self._arrived[hops]
            device, entering, _ = entries[0]
            for journey in joined(journey for _, _, journey in entries):
                self._joined += self._new(place, (device, entering, journey))
        return self._joined.pop()

    def summary(self, journey: Journey) -> Journey:
        """A journey as it is told with others: of its crossings those alone that its answer depends on."""
        crossings = tuple(c for c in journey.crossings if self._stages.counts(c.device))
        needs = journey.needs if len(journey.needs) <= 1 else SEVERAL
        return altered(journey.arriving(), source="", steps=(), crossings=crossings, needs=needs, before=None)

    def _new(self, place: Name, entry: Entry) -> Iterator[Entry]:
        """As far as it was not there in the same manner."""
        device, entering, journey = entry
        key = place, knows(journey)
        seen = self._seen.get(key)
        self._seen[key] = journey.packets if seen is None else packet_sets.union((seen, journey.packets))
        if seen is not None:
            again = packet_sets.intersection(journey.packets, seen)
            if again:
                self.again.append((device, entering, journey.on(again)))
                journey = journey.on(packet_sets.difference(journey.packets, seen, MOST_BOXES))
        if journey.packets:
            yield device, entering, journey


def group(journey: Journey) -> Hashable:
    """What keeps journeys apart, besides the devices they passed."""
    crossings = tuple(
        (*c.port, name_of(c.device, c.leaving), c.before and name_of(*c.before), c.came, c.routed, c.left)
        for c in journey.crossings
    )
    before = journey.before and name_of(*journey.before)
    return journey.asker, crossings, before, journey.needs, journey.header, journey.choices


def joined(journeys: Iterator[Journey]) -> list[Journey]:
    """Journeys to one place with each packet once: what came by several ways passed some devices of each, and all of both.

    Those of different groups stay apart. Raises `WorkLimit`. O(classes² × boxes²).
    """
    alike: dict[Hashable, list[Journey]] = defaultdict(list)
    for journey in journeys:
        if isinstance(journey.packets, Table):
            alike[knows(journey)].append(journey)
        else:
            alike[id(journey)].append(journey)
    found: dict[Hashable, dict[Passed, Journey]] = defaultdict(dict)
    for some in alike.values():
        one = some[0].on(packet_sets.union(j.packets for j in some)) if len(some) > 1 else some[0]
        _join(found[group(one)], one)
    return [journey for some in found.values() for journey in some.values()]


def _join(there: dict[Passed, Journey], new: Journey) -> None:
    """Add a journey to some that have no packet in common, and leave them so."""
    found: dict[Passed, list[PacketSet]] = defaultdict(list)
    rest = new.packets
    for passed, old in list(there.items()):
        common, left = _common(old.packets, rest)
        if common:
            rest = NOTHING if common is rest else packet_sets.difference(rest, common, MOST_BOXES)
            found[old.may | new.may, old.must & new.must].append(common)
            del there[passed]
            if left:
                found[passed].append(left)
            if not rest:
                break
    if rest:
        found[new.may, new.must].append(rest)
    for passed, some in found.items():
        if passed in there:
            some.append(there[passed].packets)
        packets = some[0] if len(some) == 1 else packet_sets.union(some)
        there[passed] = altered(new, packets=packets, may=passed[0], must=passed[1])


def _common(old: PacketSet, new: PacketSet) -> tuple[PacketSet, PacketSet]:
    """What two sets share, and what only the first has."""
    if isinstance(old, Table) and isinstance(new, Table) and not old.meets(new):
        return NOTHING, old
    if isinstance(old, Table) or isinstance(new, Table):
        common = packet_sets.intersection(old, new)
        return common, packet_sets.difference(old, common) if common else old
    if all(old[f].shape == new[f].shape and np.array_equal(old[f], new[f]) for f in FAMILIES):
        return new, NOTHING
    common = packet_sets.intersection(old, new)
    return common, packet_sets.difference(old, common, MOST_BOXES) if common else old


class _Rounds:
    """What is under way after each device, by place and header alone, until it is known to go on for ever.

    That is so after more devices than it meets, and as soon as it is all as it was before: then it goes on as it did from there. It is
    compared with what it was after one, two, four devices and so on, which any circle returns to (Brent, 1980).
    """

    def __init__(self, entries: list[Entry]) -> None:
        self._now: list[Entry] = []
        self._next: dict[Hashable, Entry] = {}
        self._met: set[Hashable] = set()
        self._was: dict[Hashable, Entry] = {}
        self._again = False
        self.rounds = 0
        for entry in entries:
            self.push(entry)

    def push(self, entry: Entry) -> None:
        device, entering, journey = entry
        place = *name_of(device, entering), journey.header, journey.choices
        journey = altered(journey, crossings=())
        if place in self._next:
            there = self._next[place][2]
            fresh = packet_sets.difference(journey.packets, there.packets, MOST_BOXES)
            journey = there.on(packet_sets.union((there.packets, fresh)))
        self._next[place] = device, entering, journey

    def pop(self) -> Entry | None:
        if not self._now:
            self._met |= set(self._next)
            self.rounds += 1
            self._again = _are_as(self._next, self._was)
            if self.rounds & (self.rounds - 1) == 0:
                self._was = self._next
            self._now, self._next = list(self._next.values()), {}
        if not self._now or self._again or self.rounds > len(self._met):
            return None
        return self._now.pop()

    @property
    def left(self) -> list[Entry]:
        """What is still under way."""
        return self._now


def _are_as(some: dict[Hashable, Entry], others: dict[Hashable, Entry]) -> bool:
    """Whether the same is under way everywhere, and the same is known of it."""
    return some.keys() == others.keys() and all(
        knows(one[2]) == knows(others[place][2]) and _equal(one[2].packets, others[place][2].packets)
        for place, one in some.items()
    )


def knows(journey: Journey) -> Hashable:
    """What keeps journeys apart, and the devices they passed."""
    return group(journey), journey.may, journey.must


def _equal(one: PacketSet, other: PacketSet) -> bool:
    if isinstance(one, Table) and isinstance(other, Table):
        return one.is_as(other)
    return type(one) is type(other) and all(np.array_equal(one[f], other[f]) for f in FAMILIES)


def circling(leading: Leading, ways: MergedWays) -> Iterator[End]:
    """What goes in circles, of all that came to a place again."""
    if not ways.again:
        return
    rounds = leading.ahead = _Rounds(ways.again)
    for _ in leading.go():
        pass  # how else it ends is told already
    for device, _, journey in rounds.left:
        yield End(journey, "loop", device.name)
