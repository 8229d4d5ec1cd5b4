"""What nobody speaks for: who manages devices from where, and what reaches deep without anything saying that it must."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.forwarding.walk import trace_new
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Device, Network, Segment, fold
from sarvex.core.reach.expectations import packets_of, spoken_of
from sarvex.core.reach.infrastructure import infrastructure
from sarvex.core.reach.reach import Reach
from sarvex.core.sets import services
from sarvex.core.tables.making import within
from sarvex.core.tables.table import Table
from sarvex.core.time.moments import ALWAYS


@dataclass(frozen=True, eq=False)
class Managed:
    """A device, and the segments whose hosts reach a service that it is managed by."""

    device: Device
    segments: tuple[Segment, ...]


@dataclass(frozen=True, eq=False)
class Deep:
    """What works from the hosts of a segment to those of a deeper one, and no expectation says that it must."""

    source: Segment
    destination: Segment
    packets: PacketSet
    steps: int
    """How many steps of depth it goes inwards."""


def managed(reach: Reach) -> list[Managed]:
    """Every device that is managed by some service, in the order of the network. Raises what `Names` raises."""
    network, names = reach.network, reach.names
    routing = routing_of(network)
    works = packet_sets.union((reach.surely, reach.by_some))
    found = []
    for device in network.devices:
        if not device.management:
            continue
        service = services.union(names.service(member) for member in device.management)
        there = within(to_destinations(works, routing.own(device)), service, ALWAYS)
        segments = tuple(
            s
            for s in network.segments
            if _gets_to(device, from_sources(there, routing.hosts(s)), network, names)
        )
        found.append(Managed(device, segments))
    return found


def _gets_to(device: Device, packets: PacketSet, network: Network, names: Names) -> bool:
    """Whether some packets get to a device itself: what asks for an address of it may be translated to another."""
    if not packets or not any(d.translate_destination for d in network.devices):
        return bool(packets)
    parts = trace_new(network, names, PacketSet(packets.v4, packets.v6)).parts
    return any(part.result == "delivered" and part.destination_segment == device.name for part in parts)


def deepest(reach: Reach) -> list[Deep]:
    """What works inwards by some way and nobody says that it must, the deepest first; name service, time and ping aside.

    Raises what `Names` raises. O(pairs of segments).
    """
    network, names = reach.network, reach.names
    works = packet_sets.union((reach.surely, reach.by_some))
    works = within(works, services.difference(services.ANY, infrastructure(names)), ALWAYS)
    works = packet_sets.difference(works, packet_sets.union(_spoken_for(reach)))
    routing, depth = routing_of(network), depths(network)
    found = []
    for source in network.segments:
        sent = from_sources(works, routing.hosts(source))
        for destination in network.segments if sent else ():
            steps = depth.get(fold(destination.name), 0) - depth.get(fold(source.name), 0)
            if steps > 0:
                packets = to_destinations(sent, routing.hosts(destination))
                if packets:
                    found.append(Deep(source, destination, packets, steps))
    found.sort(key=lambda one: (-one.steps, -depth[fold(one.destination.name)]))
    return found


def _spoken_for(reach: Reach) -> Iterator[PacketSet]:
    """What must be allowed, at whatever moments: whoever wrote that has thought of it."""
    space = reach.asked.space if isinstance(reach.asked, Table) else None
    for one in reach.network.expectations:
        if one.must == "allowed":
            spoken = spoken_of(one, reach.names)
            yield packets_of(space, spoken.sides, spoken.service, ALWAYS)


def depths(network: Network) -> dict[str, int]:
    """The depth of each segment, by folded name: that of the deepest zone with an interface on it. Segments without are left out."""
    of_zone = {fold(zone.name): zone.depth for zone in network.zones}
    found: dict[str, int] = {}
    for segment, zone in _interfaces(network.devices):
        found[segment] = max(found.get(segment, of_zone[zone]), of_zone[zone])
    return found


def _interfaces(devices: Iterable[Device]) -> Iterator[tuple[str, str]]:
    return ((fold(i.segment), fold(i.zone)) for d in devices for i in d.interfaces if i.segment and i.zone)
