"""All segments: which packets work from the hosts of one segment to those of another, and to devices themselves.

What all of them may send is led through the network at once, and what becomes of it is cut by who owns source and destination. A
cell is exact: what works by every way, what works by some ways only, and what nobody knows; the rest does not work.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.routing import Link, Routing, routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, NOTHING, PacketSet
from sarvex.core.model.records import Device, Network, Segment, fold
from sarvex.core.reach.reach import Reach, reach_of, space_for
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.services import ServiceSet
from sarvex.core.tables.table import Table
from sarvex.core.time.moments import ALWAYS, Times

MOST_CELLS = 24_000_000
"""Tables of more are led in parts."""
Verdict = Literal["all", "some", "none", "undetermined"]


@dataclass(frozen=True, eq=False)
class Cell:
    """New packets from the hosts of a segment to those of another, or to a device itself.

    verdict: *all* of what may be asked works by every way, *some* of it works by some way, *none* does, or what is known leaves it
    open. allowed: what works by every way; by_some_ways: what works by one and fails, or may fail, by another; undetermined: what may
    work, and is not known to by any; unanswered: what arrives by some way and is not answered, and works by none.
    """

    source: Segment
    destination: Segment | Device
    verdict: Verdict
    allowed: PacketSet
    by_some_ways: PacketSet
    undetermined: PacketSet
    unanswered: PacketSet

    @property
    def told(self) -> tuple[PacketSet, PacketSet, PacketSet]:
        """What works by every way, what by some, and what nobody knows."""
        return self.allowed, self.by_some_ways, self.undetermined

    @property
    def says_something(self) -> bool:
        """Whether something works, may work, or arrives and is not answered."""
        return self.verdict != "none" or bool(self.unanswered)

    def boxed(self) -> Cell:
        """The same with plain boxes, to be sent or kept."""
        sets = (PacketSet(one.v4, one.v6) for one in (*self.told, self.unanswered))
        return Cell(self.source, self.destination, self.verdict, *sets)


def matrix(
    network: Network, names: Names, service: ServiceSet, times: Times = ALWAYS, without: frozenset[Link] = frozenset(),
    go_on: Callable[[], bool] = lambda: True,
) -> Iterator[Cell]:  # fmt: skip
    """Every pair of segments, in the order of the network and without the diagonal, and after the segments the devices.

    Hosts of a segment are its addresses but those of devices, and those that no route carries; a cell without any is left out. Raises
    what `reach_of` raises. Cost: once through the network, for all at once as long as that is not too large.
    """
    yield from (
        cell for _, part in matrix_in_parts(network, names, service, times, without, go_on) for cell in part
    )


def matrix_in_parts(
    network: Network, names: Names, service: ServiceSet, times: Times = ALWAYS, without: frozenset[Link] = frozenset(),
    go_on: Callable[[], bool] = lambda: True,
) -> Iterator[tuple[float, list[Cell]]]:  # fmt: skip
    """The same, some sources at a time, each part with the share of all that is done then: no more is held than a part takes."""
    routing = routing_of(network, without)
    hosts: list[tuple[Segment | None, AddressSet]] = [*owners_of(network, routing)[0]]
    space = space_for(network, names, without)
    per_row = space.classes[4].count + space.classes[6].count if space else 0
    most = max(1, MOST_CELLS // max(1, per_row))
    part: list[tuple[Segment, AddressSet]] = []
    rows = done = 0
    for segment, some in (*hosts, (None, addresses.NOTHING)):
        more = space.count(some) if space else 1
        if part and (segment is None or rows + more > most):
            sources = addresses.union(one for _, one in part)
            reach = reach_of(network, names, service, times, without, sources, go_on, space)
            done += len(part)
            yield done / len(hosts), list(cells(reach, [one for one, _ in part]))
            part, rows = [], 0
        if segment is not None:
            part.append((segment, some))
            rows += more


def every_pair(network: Network, told: Iterable[Cell]) -> Iterator[Cell]:
    """Cells in the order of `matrix`, with those that are not told as *none*."""
    there = {(key_of(c.source), key_of(c.destination)): c for c in told}
    sources, owners = owners_of(network, routing_of(network))
    for source, _ in sources:
        for owner, _ in owners:
            if owner is not source:
                found = there.get((key_of(source), key_of(owner)))
                yield found or Cell(source, owner, "none", NOTHING, NOTHING, NOTHING, NOTHING)


def key_of(end: Segment | Device) -> tuple[bool, str]:
    """An end by its kind and name."""
    return isinstance(end, Device), fold(end.name)


def owners_of(
    network: Network, routing: Routing
) -> tuple[list[tuple[Segment, AddressSet]], list[tuple[Segment | Device, AddressSet]]]:
    """Segments with their hosts, and the same and devices with their own addresses; those that have any."""
    owners: list[tuple[Segment | Device, AddressSet]] = [(s, _hosts(s, routing)) for s in network.segments]
    owners += [(d, addresses.difference(routing.own(d), routing.unrouted)) for d in network.devices]
    owners = [(owner, some) for owner, some in owners if some]
    return [(owner, some) for owner, some in owners if isinstance(owner, Segment)], owners


def cells(reach: Reach, of: Sequence[Segment] | None = None) -> Iterator[Cell]:
    """The cells of some sources, or of all, by what is known of a network."""
    sources, owners = owners_of(reach.network, routing_of(reach.network, reach.without))
    sources = [each for each in sources if of is None or each[0] in of]
    ends = [some for _, some in sources], [some for _, some in owners]
    fails = between(packet_sets.difference(reach.asked, reach.surely), *ends)
    to_each = [_dealing(some, ends[1]) for some in reach.told]
    for row, (source, hosts) in enumerate(sources):
        sent = [to(from_sources(some, hosts)) for to, some in zip(to_each, reach.told, strict=True)]
        for col, (owner, _) in enumerate(owners):
            if owner is not source:
                yield cell_of(
                    source, owner, (shares.get(col, NOTHING) for shares in sent), bool(fails[row, col])
                )


def _dealing(what: PacketSet, owners: Sequence[AddressSet]) -> Callable[[PacketSet], dict[int, PacketSet]]:
    """What gives the packets to each owner, by its place; of part of what there is. An address may have several owners."""
    if not isinstance(what, Table):
        return lambda some: {n: to_destinations(some, own) for n, own in enumerate(owners) if some}
    alone: list[int] = []
    shared: list[int] = []
    taken = addresses.NOTHING
    for n, own in enumerate(owners):
        (shared if addresses.intersection(own, taken) else alone).append(n)
        taken = addresses.union((taken, own))
    labels = what.space.both.labels([owners[n] for n in alone], what.bits(DESTINATION))

    def deal(some: PacketSet) -> dict[int, PacketSet]:
        if not isinstance(some, Table):
            return {}
        dealt = {alone[n]: share for n, share in some.dealt(DESTINATION, labels).items()}
        return dealt | {n: to_destinations(some, owners[n]) for n in shared}

    return deal


def between(what: PacketSet, sources: list[AddressSet], destinations: list[AddressSet]) -> NDArray[np.bool_]:
    """From which of some disjoint sets to which there are packets, (sources, destinations)."""
    if isinstance(what, Table):
        return what.between(sources, destinations)
    sent = (from_sources(what, one) for one in sources)
    found = [[bool(to_destinations(some, one)) for one in destinations] for some in sent]
    return np.array(found, dtype=bool).reshape(len(sources), len(destinations))


def _hosts(segment: Segment, routing: Routing) -> AddressSet:
    return addresses.difference(routing.hosts(segment), routing.unrouted)


def cell_of(source: Segment, owner: Segment | Device, told: Iterable[PacketSet], fails: bool) -> Cell:
    """A cell by what is allowed, works by some ways, is open and is not answered in it, and whether something of it fails."""
    allowed, by_some, open_, lost = told
    verdict: Verdict = "some"
    if not by_some and not open_:
        verdict = "none" if not allowed else "some" if fails else "all"
    elif not allowed and not by_some:
        verdict = "undetermined"
    return Cell(source, owner, verdict, allowed, by_some, open_, lost)
