"""All segments: which packets work from the hosts of one segment to those of another, and to devices themselves.

The whole of what one segment may send is led through the network at once, and what becomes of it is cut by who owns the destination. A
cell is exact: what works by every way, what works by some ways only, and what nobody knows; the rest does not work.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from sarvex.core.forwarding.headers import to_destinations
from sarvex.core.forwarding.routing import Link, Routing, routing_of
from sarvex.core.forwarding.walk import fates
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.model.records import Device, Network, Segment
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.services import ServiceSet
from sarvex.core.time.moments import ALWAYS, Times

Verdict = Literal["all", "some", "none", "undetermined"]


@dataclass(frozen=True, eq=False)
class Cell:
    """New packets from the hosts of a segment to those of another, or to a device itself.

    verdict: *all* of what may be asked works by every way, *some* of it works by some way, *none* does, or what is known leaves it
    open. allowed: what works by every way; by_some_ways: what works by one and fails, or may fail, by another; undetermined: what may
    work, and is not known to by any.
    """

    source: Segment
    destination: Segment | Device
    verdict: Verdict
    allowed: PacketSet
    by_some_ways: PacketSet
    undetermined: PacketSet


def matrix(
    network: Network, names: Names, service: ServiceSet, times: Times = ALWAYS, without: frozenset[Link] = frozenset(),
    go_on: Callable[[], bool] = lambda: True,
) -> Iterator[Cell]:  # fmt: skip
    """Every pair of segments, in the order of the network and without the diagonal, and after the segments the devices.

    Hosts of a segment are its addresses but those of devices, and those that no route carries; a cell without any is left out. Raises
    what `trace` raises. Cost: one question for each segment.
    """
    routing = routing_of(network, without)
    owners: list[tuple[Segment | Device, AddressSet]] = [(s, _hosts(s, routing)) for s in network.segments]
    owners += [(d, addresses.difference(routing.own(d), routing.unrouted)) for d in network.devices]
    owners = [(owner, some) for owner, some in owners if some]
    everywhere = addresses.union(some for _, some in owners)
    for source, hosts in owners:
        if isinstance(source, Segment):
            asked = packet_sets.product(hosts, everywhere, service, ("new",), times)
            told = fates(network, names, asked, without, go_on)
            for owner, some in owners:
                if owner is not source:
                    here = (to_destinations(share, some) for share in (told.works, told.fails, told.open))
                    yield _cell(source, owner, told.several, *here)


def _hosts(segment: Segment, routing: Routing) -> AddressSet:
    return addresses.difference(routing.hosts(segment), routing.unrouted)


def _cell(
    source: Segment, owner: Segment | Device, several: bool, works: PacketSet, fails: PacketSet, open_: PacketSet
) -> Cell:  # fmt: skip
    """several: whether a packet may be in more than one of the three sets."""
    if not works and not open_:
        return Cell(source, owner, "none", NOTHING, NOTHING, NOTHING)
    if not fails and not open_:
        return Cell(source, owner, "all", works, NOTHING, NOTHING)
    verdict: Verdict = "some" if works else "undetermined"
    if not several:
        return Cell(source, owner, verdict, works, NOTHING, open_)
    allowed = packet_sets.difference(works, packet_sets.union((fails, open_)))
    by_some = packet_sets.difference(works, allowed)
    return Cell(source, owner, verdict, allowed, by_some, packet_sets.difference(open_, works))
