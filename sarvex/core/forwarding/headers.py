"""Sets of packets cut, turned and told apart by their headers: what following them through a network takes."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache

import numpy as np

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import (
    CLASS,
    DESTINATION,
    FIRST,
    NOTHING,
    PROTOCOL,
    SECOND,
    SOURCE,
    PacketSet,
)
from sarvex.core.sets import intervals
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.flows import STATES, Flow, State
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import ECHO, ICMP_OF, PROTOCOL_TOP, TOP, WITH_PORTS
from sarvex.core.tables.service_diagrams import JOIN, ServiceDiagrams
from sarvex.core.tables.table import Table
from sarvex.core.time.moments import CLASSES

TCP, DCCP, SCTP = 6, 33, 132


def cut(what: PacketSet, axis: int, stretches: list[tuple[int, int]]) -> PacketSet:
    """The packets whose value on an axis is in disjoint stretches. O(boxes × stretches)."""
    return cut_each(what, axis, dict.fromkeys(FAMILIES, tuple(stretches)))


def cut_each(what: PacketSet, axis: int, stretches: Mapping[int, Intervals]) -> PacketSet:
    """The same with other stretches for each family."""
    if isinstance(what, Table):
        return what.cut(axis, stretches)
    return PacketSet(*(_cut_boxes(what[f], axis, list(stretches[f])) for f in FAMILIES))


def _cut_boxes(what: Boxes, axis: int, stretches: list[tuple[int, int]]) -> Boxes:
    if not len(what):
        return what
    lows, highs = what[:, axis, 0], what[:, axis, 1]
    lowest, highest = lows.min(), highs.max()
    found = [what[:0]]
    for low, high in stretches:
        if high < lowest or low > highest:
            continue
        if low <= lowest and highest <= high:
            return what
        some = what[(lows <= high) & (highs >= low)]
        some[:, axis, 0] = np.maximum(some[:, axis, 0], low)
        some[:, axis, 1] = np.minimum(some[:, axis, 1], high)
        found.append(some)
    return found[-1] if len(found) <= 2 else np.concatenate(found)


def cut_to(what: PacketSet, axis: int, spread: AddressSet) -> PacketSet:
    if isinstance(what, Table):
        return what.cut_to(axis, spread)
    return cut_each(what, axis, {f: spread[f] for f in FAMILIES})


def from_sources(what: PacketSet, sources: AddressSet) -> PacketSet:
    return cut_to(what, SOURCE, sources)


def to_destinations(what: PacketSet, destinations: AddressSet) -> PacketSet:
    return cut_to(what, DESTINATION, destinations)


def any_outside(what: PacketSet, spread: AddressSet) -> bool:
    """Whether some packet has neither its source nor its destination in a set. O(boxes × log intervals)."""
    return any(
        all(not _lies_in(box[axis], spread[f]) for axis in (SOURCE, DESTINATION))
        for f in FAMILIES
        for box in what[f].tolist()
    )


def _lies_in(stretch: list[int], spread: Intervals) -> bool:
    at = bisect_right(spread, stretch[0], key=lambda pair: pair[0]) - 1
    return at >= 0 and stretch[1] <= spread[at][1]


def in_state(what: PacketSet, state: State) -> PacketSet:
    if isinstance(what, Table):
        return what if what.state == state else NOTHING
    first = STATES.index(state) * CLASSES
    return cut(what, CLASS, [(first, first + CLASSES - 1)])


def restated(what: PacketSet, state: State, seen: State) -> PacketSet:
    """Packets that are all in one state as they are in another."""
    if state == seen:
        return what
    if isinstance(what, Table):
        return Table(what.space, seen, what.planes)
    shift = np.zeros((6, 1), dtype=np.int64)
    shift[CLASS] = (STATES.index(seen) - STATES.index(state)) * CLASSES
    return PacketSet(what.v4 + shift, what.v6 + shift.astype(object))


def asking(what: PacketSet) -> tuple[PacketSet, PacketSet]:
    """The packets that ask for an answer, and those that ask for none: ICMP, but for echo requests."""
    if isinstance(what, Table):
        sets = what.space.sets
        return what.parted("asking", lambda f: _asking_of(f, sets))
    wanting, silent = {}, {}
    for f in FAMILIES:
        icmp = _cut_boxes(what[f], PROTOCOL, [(ICMP_OF[f], ICMP_OF[f])])
        others = _cut_boxes(what[f], PROTOCOL, [(0, ICMP_OF[f] - 1), (ICMP_OF[f] + 1, PROTOCOL_TOP)])
        kind = ECHO[f][0]
        asking = _cut_boxes(icmp, FIRST, [(kind, kind)])
        wanting[f] = np.concatenate((others, _cut_boxes(asking, SECOND, [(0, 0)])))
        silent[f] = np.concatenate(
            (
                _cut_boxes(icmp, FIRST, [(0, kind - 1), (kind + 1, TOP)]),
                _cut_boxes(asking, SECOND, [(1, TOP)]),
            )
        )
    return PacketSet(wanting[4], wanting[6]), PacketSet(silent[4], silent[6])


def _asking_of(family: int, sets: ServiceDiagrams) -> int:
    """The services that ask for an answer."""
    icmp, kind = ICMP_OF[family], ECHO[family][0]
    others = sets.on_axes({0: intervals.complement(((icmp, icmp),), 0, PROTOCOL_TOP)})
    return sets.apply(JOIN, others, sets.on_axes({0: ((icmp, icmp),), 1: ((kind, kind),), 2: ((0, 0),)}))


def turned(what: PacketSet) -> PacketSet:
    """The answers to packets, and of answers the packets: addresses and ports turned, an echo request its reply."""
    if isinstance(what, Table):
        return what.turned()
    return PacketSet(*(_turned_boxes(f, what[f]) for f in FAMILIES))


def _turned_boxes(family: int, what: Boxes) -> Boxes:
    number = ICMP_OF[family]
    out = np.concatenate(
        [_cut_boxes(what, PROTOCOL, [(0, number - 1), (number + 1, PROTOCOL_TOP)])[:, [1, 0, 2, 4, 3, 5]]]
        + [
            _retyped(_cut_boxes(what, PROTOCOL, [(number, number)]), one, other)
            for one, other in (ECHO[family], ECHO[family][::-1])
        ]
    )
    return out


def _retyped(icmp: Boxes, one: int, other: int) -> Boxes:
    found = _cut_boxes(icmp, FIRST, [(one, one)])[:, [1, 0, 2, 3, 4, 5]]
    found[:, FIRST] = other
    return found


@lru_cache(maxsize=256)  # the same set comes to device after device
def out_of_state(what: PacketSet) -> tuple[PacketSet, PacketSet]:
    """Packets whose answers are out of state where the question was not seen, and those whose answers look like new."""
    return _by_protocol(what, {f: (TCP, DCCP, SCTP, ICMP_OF[f]) for f in FAMILIES})


@lru_cache(maxsize=256)
def by_tcp(what: PacketSet) -> tuple[PacketSet, PacketSet]:
    """The packets of TCP, and all others."""
    return _by_protocol(what, dict.fromkeys(FAMILIES, (TCP,)))


def by_ports(what: PacketSet) -> tuple[PacketSet, PacketSet]:
    """The packets of protocols with ports, and all others."""
    return _by_protocol(what, dict.fromkeys(FAMILIES, tuple(WITH_PORTS)))


def _by_protocol(what: PacketSet, numbers: dict[int, tuple[int, ...]]) -> tuple[PacketSet, PacketSet]:
    """The packets of some protocols, by family, and all others."""
    if isinstance(what, Table):
        sets = what.space.sets
        return what.parted(
            ("protocols", *numbers.values()),
            lambda f: sets.on_axes({0: intervals.union((n, n) for n in numbers[f])}),
        )
    some, others = {}, {}
    for f in FAMILIES:
        mine = intervals.union((n, n) for n in numbers[f])
        some[f] = _cut_boxes(what[f], PROTOCOL, list(mine))
        others[f] = _cut_boxes(what[f], PROTOCOL, list(intervals.complement(mine, 0, PROTOCOL_TOP)))
    return PacketSet(some[4], some[6]), PacketSet(others[4], others[6])


def by_family(what: PacketSet, families: str) -> tuple[PacketSet, PacketSet]:
    """The packets a policy speaks of, and those of a family it passes over."""
    if families == "both":
        return what, NOTHING
    v4, v6 = (packet_sets.of_family(what, f) for f in FAMILIES)
    return (v4, v6) if families == "4" else (v6, v4)


def like(what: PacketSet, flow: Flow) -> PacketSet:
    """The packets of a set that are like one of them in all but the moment."""
    some = in_state(what, flow.state)[flow.family]
    for axis, value in enumerate((flow.src, flow.dst, flow.protocol, flow.first, flow.second)):
        if value is not None:
            some = _cut_boxes(some, axis, [(value, value)])
    return packet_sets.of_boxes(flow.family, some)


def answer_to(flow: Flow) -> Flow:
    """What answers one packet: its ends turned."""
    if flow.protocol == ICMP_OF[flow.family]:
        return replace(flow, src=flow.dst, dst=flow.src, first=ECHO[flow.family][1])
    return replace(flow, src=flow.dst, dst=flow.src, first=flow.second, second=flow.first)
