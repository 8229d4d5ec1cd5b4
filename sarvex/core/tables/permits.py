"""What first-match lists let pass, painted once over the classes of addresses that each list itself tells apart.

A list's table is as large as its own rules make it, and serves tables of whatever classes, as long as these are told apart as finely:
their rows and columns are looked up in it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import Match, matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, NOTHING, SOURCE, PacketSet
from sarvex.core.model.records import Policy, Rule, fold
from sarvex.core.sets.cache import Bounded, Recent
from sarvex.core.sets.flows import State
from sarvex.core.tables.address_classes import AddressClasses
from sarvex.core.tables.cells import Cells, Ids
from sarvex.core.tables.making import within
from sarvex.core.tables.service_diagrams import JOIN, MEET
from sarvex.core.tables.table import EMPTY, Plane, Table, trimmed, upto

KEEP = 3
"""Versions of a list that are kept with the names: of the draft, of what is in force, of what is being tried."""
MOST_PAINTED = 8
"""Families and states of one list."""


@dataclass(frozen=True, eq=False)
class Painted:
    """Of one family and state: by classes of sources and destinations, what is allowed, and what is left to the next list."""

    sources: AddressClasses
    destinations: AddressClasses
    allowed: Ids
    left: Ids | None


class Permits:
    """What one list lets pass."""

    def __init__(self, policy: Policy, matches: list[Match]) -> None:
        self.policy = policy
        self._ruled = [(m, r.action) for m, r in zip(matches, policy.rules, strict=True) if r.enabled]
        self._painted: Bounded[tuple[int, State, int], tuple[Cells, Painted]] = Bounded(MOST_PAINTED)

    def painted(self, family: int, state: State, cells: Cells) -> Painted:
        """The list in one family and state. O(rules × the cells that each touches), once."""
        key = family, state, id(cells)
        return self._painted.get(key, lambda: (cells, self._paint(family, state, cells)))[1]

    def _paint(self, family: int, state: State, cells: Cells) -> Painted:
        ruled = [
            (m, action)
            for m, action in self._ruled
            if m.source[family] and m.destination[family] and state in (m.states or (state,))
        ]
        sources = AddressClasses(family, (m.source[family] for m, _ in ruled))
        destinations = AddressClasses(family, (m.destination[family] for m, _ in ruled))
        shape = sources.count, destinations.count
        left: Ids = np.full(shape, cells.sets.any, dtype=np.int32)
        allowed: Ids = np.zeros(shape, dtype=np.int32)
        stopped: Ids = np.zeros(shape, dtype=np.int32)
        for match, action in ruled:
            rows = sources.numbers(match.source[family])
            cols = destinations.numbers(match.destination[family])
            service = cells.sets.of(match.service[family], match.times)
            if service:
                cells.painted(left, allowed if action == "allow" else stopped, rows, cols, service)
        if self.policy.default == "continue":
            return Painted(sources, destinations, allowed, left)
        if self.policy.default == "allow":
            whole = np.arange(shape[0]), np.arange(shape[1])
            allowed = cells.combined(JOIN, allowed, whole, left, whole)
        return Painted(sources, destinations, allowed, None)


def permits_of(policy: Policy, names: Names) -> Permits:
    """What a list lets pass, kept with its names. Raises what `Names` raises."""
    kept: Recent[Policy, Permits] = names.permits.get(fold(policy.name), lambda: Recent(KEEP))
    return kept.get(policy, lambda: Permits(policy, matches_of(policy, names)))


def judged(policy: Policy, names: Names, what: Table) -> tuple[PacketSet, PacketSet, PacketSet]:
    """What a list allows, stops, and leaves to the next, of packets of families of which it speaks."""
    permits = permits_of(policy, names)
    allowed, left = (
        what.each(lambda f, plane, which=which: _met(permits, f, plane, what, which)) for which in ("allowed", "left")  # type: ignore[misc]
    )  # fmt: skip
    taken = packet_sets.union((allowed, left))
    return allowed, packet_sets.difference(what, taken) if taken else what, left


def _met(permits: Permits, family: int, plane: Plane, what: Table, which: str) -> Plane:
    space = what.space
    painted = permits.painted(family, what.state, space.cells)
    ids: Ids | None = getattr(painted, which)
    if ids is None:
        return EMPTY
    there = (
        space.places(family, painted.sources)[plane.rows],
        space.places(family, painted.destinations)[plane.cols],
    )
    whole = upto(len(plane.rows)), upto(len(plane.cols))
    return trimmed(plane.rows, plane.cols, space.cells.combined(MEET, plane.ids, whole, ids, there))


def split(policy: Policy, names: Names, what: Table) -> Iterator[tuple[int, Rule | None, PacketSet]]:
    """Position (from 1), rule and share for each rule that decides some packets, last with 0 and None the rest. O(rules) sets."""
    left: PacketSet = what
    for position, (rule, match) in enumerate(zip(policy.rules, matches_of(policy, names), strict=True), 1):
        if not isinstance(left, Table):
            return
        mine = share(match, left) if rule.enabled else NOTHING
        if mine:
            yield position, rule, mine
            left = packet_sets.difference(left, mine)
    if left:
        yield 0, None, left


def share(match: Match, what: Table) -> PacketSet:
    """What a rule matches of a table. Raises `CutsAClass`."""
    if what.state not in (match.states or (what.state,)):
        return NOTHING
    between = what.cut_to(SOURCE, match.source)
    between = between.cut_to(DESTINATION, match.destination) if isinstance(between, Table) else between
    return within(between, match.service, match.times) if between else between
