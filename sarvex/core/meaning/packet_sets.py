"""Packet sets: unions of boxes over source, destination, protocol, first, second and class.

The value type of the core. A set holds one box array per family, because families never mix. `first`
and `second` are explained in `sarvex.core.sets.services`; the *class* axis numbers what is not in the header:
the connection state and, within each state, the classes of moments (`sarvex.core.time.moments`). The last class takes up the
rest of its state's `CLASSES` places, so the axis is the same whatever the schedules are.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import singledispatch

import numpy as np

from sarvex.core.sets import boxes, intervals
from sarvex.core.sets.addresses import FAMILIES, HIGHEST, AddressSet
from sarvex.core.sets.addresses import NOTHING as NO_ADDRESSES
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.flows import STATES, Flow, State
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import PROTOCOL_TOP, TOP, ServiceSet, has_ports, has_type
from sarvex.core.time.moments import ALWAYS, CLASSES, NEVER, NO_SCHEDULES, Moments, Times

SOURCE, DESTINATION, PROTOCOL, FIRST, SECOND, CLASS = range(6)
DTYPE: dict[int, type] = {4: np.int64, 6: object}
EPHEMERAL = 49152  # RFC 6335: dynamic ports start here
MOST_TRIED = 64
"""Of so many boxes, spread over the set, a sample is the best."""
HTTPS = 443  # where any port will do, one that reads well
CLASS_TOP = len(STATES) * CLASSES - 1


@dataclass(frozen=True, eq=False)
class Known:
    """What a sample prefers: the addresses of known hosts, then others that hosts might have; and what it tells moments by."""

    hosts: AddressSet = NO_ADDRESSES
    others: AddressSet = NO_ADDRESSES
    moments: Moments = NO_SCHEDULES


@dataclass(frozen=True, eq=False)
class PacketSet:
    """A set of packets as a union of boxes over six axes, one array (n, 6, 2) for each family.

    Axes: source, destination, protocol, first, second (ports, or type and code), class (state and moment). Lowest and highest
    value, both included; int64 for IPv4, Python integers (dtype object) for IPv6. The boxes of one set may overlap.
    Other kinds of sets tell boxes too, and may have quicker ways for what is a `singledispatch` here.
    """

    v4: Boxes
    v6: Boxes

    def __getitem__(self, family: int) -> Boxes:
        return self.v4 if family == 4 else self.v6

    def __bool__(self) -> bool:
        return bool(len(self.v4) or len(self.v6))


def _each(make: dict[int, Boxes]) -> PacketSet:
    return PacketSet(make[4], make[6])


NOTHING = PacketSet(boxes.empty(6, np.int64), boxes.empty(6, object))
NOTHING_OF = {family: NOTHING[family] for family in FAMILIES}
EVERYTHING = _each(
    {
        family: np.array(
            [
                [
                    [0, HIGHEST[family]],
                    [0, HIGHEST[family]],
                    [0, PROTOCOL_TOP],
                    [0, TOP],
                    [0, TOP],
                    [0, CLASS_TOP],
                ]
            ],
            dtype=DTYPE[family],
        )
        for family in FAMILIES
    }
)


def product(
    source: AddressSet,
    destination: AddressSet,
    service: ServiceSet,
    states: Sequence[State] = (),
    times: Times = ALWAYS,
) -> PacketSet:
    """All packets from `source` to `destination` by `service` in one of `states` (none given: any state) at `times`.

    The boxes are disjoint if those of `service` are. O(product of the four numbers of intervals).
    """
    classes = class_intervals(states, times)
    return _each(
        {
            family: _product(family, source[family], destination[family], service[family], classes)
            for family in FAMILIES
        }
    )


def _product(
    family: int,
    source: Sequence[tuple[int, int]],
    destination: Sequence[tuple[int, int]],
    service: Boxes,
    classes: Sequence[tuple[int, int]],
) -> Boxes:
    rows = [
        [s, d, *service_box, c]
        for s in source
        for d in destination
        for service_box in service.tolist()
        for c in classes
    ]
    return np.array(rows, dtype=DTYPE[family]) if rows else boxes.empty(6, DTYPE[family])


def class_intervals(states: Sequence[State], times: Times = ALWAYS) -> list[tuple[int, int]]:
    """States at moments as intervals of the class axis; no state named means all of them."""
    moments = times_intervals(times)
    numbers = range(len(STATES)) if not states else sorted({STATES.index(state) for state in states})
    return list(
        intervals.union((n * CLASSES + low, n * CLASSES + high) for n in numbers for low, high in moments)
    )


def times_intervals(times: Times) -> list[tuple[int, int]]:
    """The classes of moments of a set as intervals of their numbers."""
    edges = [n for n in range(times.bit_length() + 1) if (times >> n & 1) != (times << 1 >> n & 1)]
    if times < 0:
        edges.append(CLASSES)
    return [(low, above - 1) for low, above in zip(edges[::2], edges[1::2], strict=True)]


def times_of(classes: Iterable[tuple[int, int]]) -> Times:
    """The classes of moments that occur in intervals of the class axis, whatever the state."""
    out = NEVER
    for low, high in classes:
        for state in range(low // CLASSES, high // CLASSES + 1):
            first, last = (
                max(low, state * CLASSES) % CLASSES,
                min(high, state * CLASSES + CLASSES - 1) % CLASSES,
            )
            out |= (ALWAYS if last == CLASSES - 1 else (1 << last + 1) - 1) & ~((1 << first) - 1)
    return out


def times_of_set(what: PacketSet) -> Times:
    """The classes of moments that occur in a set."""
    return times_of({(int(low), int(high)) for f in FAMILIES for low, high in what[f][:, CLASS]})


def differs_in_time(what: PacketSet) -> bool:
    """Whether some packet is in a set at some moments and not at others."""
    whole = {}
    for family in FAMILIES:
        spread = what[family].copy()
        spread[:, CLASS, 0] = spread[:, CLASS, 0] // CLASSES * CLASSES
        spread[:, CLASS, 1] = spread[:, CLASS, 1] // CLASSES * CLASSES + CLASSES - 1
        whole[family] = spread[(spread[:, CLASS] != what[family][:, CLASS]).any(axis=1)]
    return bool(difference(_each(whole), what))


@singledispatch
def project(what: PacketSet, axis: int) -> AddressSet:
    """All addresses that occur on one axis of a packet set: `SOURCE` or `DESTINATION`. O(boxes log boxes)."""
    return AddressSet(_joined(what.v4[:, axis]), intervals.union(map(tuple, what.v6[:, axis].tolist())))


def _joined(stretches: Boxes) -> Intervals:
    """The union of intervals that are the rows of an array of machine integers."""
    if len(stretches) < 16:
        return intervals.union(map(tuple, stretches.tolist()))
    lows, highs = stretches[np.argsort(stretches[:, 0])].T
    reach = np.maximum.accumulate(highs)
    first = np.append(True, lows[1:] > reach[:-1] + 1)
    return tuple(zip(lows[first].tolist(), reach[np.append(first[1:], True)].tolist(), strict=True))


def of_boxes(family: int, some: Boxes) -> PacketSet:
    """The packets of boxes of one family."""
    return _each({family: some, 10 - family: NOTHING_OF[10 - family]})


@singledispatch
def of_family(what: PacketSet, family: int) -> PacketSet:
    """The packets of one family."""
    return of_boxes(family, what[family])


@singledispatch
def has(what: PacketSet, family: int) -> bool:
    """Whether there are packets of a family."""
    return len(what[family]) > 0


def family_of(what: PacketSet) -> int:
    """The family of packets that are all of one."""
    return 4 if has(what, 4) else 6


def union(sets: Iterable[PacketSet]) -> PacketSet:
    """All packets of any of the sets: their boxes one after the other, which may overlap. O(boxes)."""
    some = [s for s in sets if s]
    return (some[0] if len(some) == 1 else union_of(some[0], some)) if some else NOTHING


@singledispatch
def union_of(first: PacketSet, sets: list[PacketSet]) -> PacketSet:  # noqa: ARG001
    """The same of several that have something. first: the first of them, by whose kind it is chosen how."""
    return _each({f: np.concatenate([s[f] for s in sets]) for f in FAMILIES})


@singledispatch
def intersection(a: PacketSet, b: PacketSet) -> PacketSet:
    """All packets in both sets, as boxes; disjoint if those of both are. O(len(a) len(b)) in each family."""
    return _each({f: boxes.intersection(a[f], b[f]) for f in FAMILIES}) if a and b else NOTHING


@singledispatch
def difference(a: PacketSet, b: PacketSet, limit: int | None = None) -> PacketSet:
    """All packets of `a` not in `b`, as boxes (disjoint if those of `a` are).

    Raises `WorkLimit` when more than `limit` boxes would be alive at once in a family. Each box of `b` multiplies one that it
    touches by at most twelve.
    """
    return _each({f: boxes.difference(a[f], b[f], limit) for f in FAMILIES}) if a and b else a


@singledispatch
def coalesced(a: PacketSet) -> PacketSet:
    """The same packets in fewer boxes; those of `a` must be disjoint."""
    return _each({f: boxes.coalesced(a[f]) for f in FAMILIES})


def covers(a: PacketSet, b: PacketSet, limit: int | None = None) -> bool:
    """Whether `b` lies wholly in `a`."""
    return all(boxes.covers(a[f], b[f], limit) for f in FAMILIES)


def contains(a: PacketSet, flow: Flow, moments: Moments = NO_SCHEDULES) -> bool:
    """Whether one packet is in the set. O(boxes).

    moments: the classes of moments that the set is told in; a flow without a moment is one at every moment.
    """
    point: Boxes = np.array(point_of(flow, moments), dtype=DTYPE[flow.family])
    return bool(boxes.overlaps(a[flow.family], np.stack((point, point), axis=1)).any())


def sample(a: PacketSet, known: Known | None = None) -> Flow | None:
    """A packet of the set that reads well: a known address, TCP or UDP, an ephemeral source port.

    None only for the empty set. `known` is what it prefers.
    """
    for family in FAMILIES:
        if len(a[family]):
            some = a[family][:: -(-len(a[family]) // MOST_TRIED)]
            flows = [flow_in(family, box.tolist(), known) for box in some]
            return legible(flows, known)
    return None


def legible(flows: Iterable[Flow | None], known: Known | None) -> Flow | None:
    """The one of some packets that reads best."""
    there = [f for f in flows if f is not None]
    return there[0] if len(there) == 1 else max(there, key=lambda f: _legibility(f, known), default=None)


def _legibility(flow: Flow, known: Known | None) -> tuple[bool, int, int, bool]:
    preferred = (known.hosts[flow.family], known.others[flow.family]) if known else ((), ())
    named, likely = (
        sum(intervals.first_within(some, v, v) is not None for v in (flow.src, flow.dst))
        for some in preferred
    )
    return flow.state == "new", named, likely, flow.protocol in (6, 17)


def flow_in(family: int, box: list[list[int]], known: Known | None) -> Flow:
    """The packet of one box that reads best, see `sample`. It tells a moment only if not any of all will do.

    box: six closed intervals as lists ``[lowest, highest]``, in the order of `PacketSet`.
    """
    preferred = (known.hosts[family], known.others[family]) if known else ()
    src = _prefer(box[SOURCE], preferred)
    dst = _prefer(box[DESTINATION], preferred)
    if dst == src and box[DESTINATION][1] > dst:
        dst += 1
    low, high = box[PROTOCOL]
    protocol = next((p for p in (6, 17) if low <= p <= high), low)
    first = second = None
    if has_ports(protocol):
        first = EPHEMERAL if box[FIRST][0] <= EPHEMERAL <= box[FIRST][1] else box[FIRST][1]
        second = HTTPS if box[SECOND][0] <= HTTPS <= box[SECOND][1] else box[SECOND][0]
    elif has_type(family, protocol):
        first, second = box[FIRST][0], box[SECOND][0]
    state, number = divmod(box[CLASS][0], CLASSES)
    always = number == 0 and box[CLASS][1] >= (state + 1) * CLASSES - 1
    when = None if always or known is None else known.moments.first(number)
    return Flow(family, src, dst, protocol, first, second, STATES[state], when)


def point_of(
    flow: Flow, moments: Moments = NO_SCHEDULES, any_moment: bool = False
) -> tuple[int, int, int, int, int, int]:
    """The flow as a point of the six box axes; absent values are 0, where every set is whole.

    Raises `OutOfReach` for a moment of no class, and `MomentMissing` if classes of moments differ and it tells none, unless
    `any_moment` will do.
    """
    number = 0 if any_moment and flow.moment is None else moments.class_of(flow.moment)
    place = STATES.index(flow.state) * CLASSES + number
    return flow.src, flow.dst, flow.protocol, flow.first or 0, flow.second or 0, place


def _prefer(interval: list[int], preferred: Iterable[Intervals]) -> int:
    """The first of an interval that one of some sets has, or its lowest."""
    low, high = interval
    if low == high:
        return low
    found = (intervals.first_within(some, low, high) for some in preferred)
    return next((value for value in found if value is not None), low)
