"""Whom a segment that is not there yet would reach, and who would reach it: what rules let pass that nobody wrote for it.

At every device a segment is put into every zone that it has, next to one that is there, all at once; what comes from outer zones to it,
or from it to deeper ones, came in by `any`, by a prefix that is wider than what it holds, or by a default. Name service, time and ping
are looked past.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from threading import Lock

from sarvex.core.change.all_effects import all_effects
from sarvex.core.change.network_effect import Versions, reach_after
from sarvex.core.findings.finding import Finding, Weight, facts
from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Device, HostAttachment, Network, Policy, Segment, fold, named
from sarvex.core.reach.infrastructure import infrastructure
from sarvex.core.reach.newcomer import grown
from sarvex.core.reach.reach import Reach, between, reach_about
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.cache import Recent

MOST_PLACES = 60
"""At more places it is not asked."""
OUTSIDE = -1
"""How deep what lies outside is."""


@dataclass(frozen=True)
class Place:
    """A zone of a device, and the segment that stands for a newcomer there."""

    device: str
    zone: str
    depth: int
    segment: Segment


class _Newcomers:
    """Newcomers in the ground of some names, and what they reach, and who reaches them, by the lists that were asked about last."""

    def __init__(self, network: Network, names: Names) -> None:
        bare = replace(network, policies=(), at_hosts=(), expectations=())
        ground = replace(bare, services=(), schedules=())
        made, self.places = _RECENT.get(ground, lambda: _grown(ground))
        self._network = replace(bare, devices=made.devices, segments=made.segments)
        self._names = Names(self._network, names.moments)
        routing = routing_of(self._network)
        self.ends = {
            fold(s.name): addresses.difference(routing.hosts(s), routing.unrouted) for s in made.segments
        }
        self._known: Reach | None = None
        self._lock = Lock()

    def reach(self, policies: tuple[Policy, ...], at_hosts: tuple[HostAttachment, ...]) -> Reach:
        """What is let pass from and to newcomers by some lists; of the last ones' only what differs is led again."""
        new = replace(self._network, policies=policies, at_hosts=at_hosts)
        with self._lock:
            if self._known is None:
                newcomers = addresses.union(self.ends[fold(p.segment.name)] for p in self.places)
                others = addresses.difference(addresses.union(self.ends.values()), newcomers)
                service = services.difference(services.ANY, infrastructure(self._names))
                asked = between(new, self._names, ((others, newcomers), (newcomers, others)), service)
                self._known = reach_about(new, self._names, asked)
            elif self._known.network != new:
                of = Versions(self._known.network, new, self._names, self._names)
                self._known = reach_after(self._known, of, *all_effects(of))
            return self._known


def open_to_newcomers(network: Network, names: Names) -> Iterator[Finding]:
    """Zones of devices in which a new segment would be reached from outer ones, or would reach deeper ones.

    Raises what `Names` raises. Cost: once through the network; by the same names again, for what other rules changed alone.
    """
    new: _Newcomers = names.keep("newcomers", lambda: _Newcomers(network, names))
    if not new.places:
        return
    reach = new.reach(network.policies, network.at_hosts)
    works = packet_sets.union((reach.surely, reach.by_some))
    depths, ends = _depths(network), new.ends
    for place in new.places:
        own = ends[fold(place.segment.name)]
        inward = [s for s in network.segments if depths[fold(s.name)] < place.depth]
        deeper = [s for s in network.segments if depths[fold(s.name)] > place.depth and not s.outside]
        comes = _those(inward, ends, to_destinations(works, own), from_sources)
        goes = _those(deeper, ends, from_sources(works, own), to_destinations)
        if comes or goes:
            told = facts(zone=place.zone, by=tuple(comes), to=tuple(goes))
            weight: Weight = "warning" if any(named(network.segments, s).outside for s in comes) else "note"
            yield Finding("open to newcomers", weight, None, None, name=place.device, facts=told)


def _those(
    some: list[Segment],
    ends: dict[str, AddressSet],
    works: PacketSet,
    cut: Callable[[PacketSet, AddressSet], PacketSet],
) -> list[str]:
    return [s.name for s in some if works and cut(works, ends[fold(s.name)])]


def _depths(network: Network) -> dict[str, int]:
    """How deep each segment lies: its outermost zone; what is in no zone is as deep as the deepest."""
    deepest = max((z.depth for z in network.zones), default=0)
    found = {fold(s.name): OUTSIDE if s.outside else deepest for s in network.segments}
    zoned: dict[str, int] = {}
    for device in network.devices:
        for port in device.interfaces:
            if port.segment and port.zone:
                key, depth = fold(port.segment), named(network.zones, port.zone).depth
                zoned[key] = min(zoned.get(key, depth), depth)
    return found | {key: depth for key, depth in zoned.items() if found[key] != OUTSIDE}


def _grown(network: Network) -> tuple[Network, tuple[Place, ...]]:
    """The ground with a newcomer in every zone of every device that has a segment to stand next to."""
    places: list[Place] = []
    made = network
    for device in network.devices:
        for zone in dict.fromkeys(i.zone for i in device.interfaces if i.zone and i.segment):
            routing = routing_of(network)
            prefixes = tuple(_next_to(_neighbours(device, zone, routing), made))
            if not prefixes or len(places) == MOST_PLACES:
                continue
            name = f"a new segment of {zone} at {device.name}"
            if any(fold(s.name) == fold(name) for s in made.segments):
                continue
            segment = Segment(name=name, prefixes=prefixes)
            made = grown(made, segment, device.name, zone)
            places.append(Place(device.name, zone, named(network.zones, zone).depth, segment))
    return made, tuple(places)


def _neighbours(device: Device, zone: str, routing: Routing) -> list[Segment]:
    ports = [i for i in device.interfaces if i.segment and i.zone and fold(i.zone) == fold(zone)]
    return [wire for i in ports if not (wire := routing.wire(i)).outside]


AROUND = {4: (24, 16), 6: (64, 48)}
"""How long a newcomer's prefix is, and within which a free one is looked for."""


def _next_to(neighbours: list[Segment], network: Network) -> Iterator[str]:
    """A free prefix of each family near what is there."""
    taken = addresses.union(addresses.parse(p) for s in network.segments for p in s.prefixes)
    for family, (length, around) in AROUND.items():
        near = [ipaddress.ip_network(p) for s in neighbours for p in s.prefixes]
        first = next((p for p in near if p.version == family and p.prefixlen >= around), None)
        if first is None:
            continue
        size = 1 << first.max_prefixlen - length
        free = addresses.difference(addresses.parse(str(first.supernet(new_prefix=around))), taken)
        starts = ((-(-low // size) * size, high) for low, high in free[family])
        if (start := next((at for at, high in starts if at + size - 1 <= high), None)) is not None:
            yield f"{addresses.spell(family, start)}/{length}"


_RECENT: Recent[Network, tuple[Network, tuple[Place, ...]]] = Recent(4)
