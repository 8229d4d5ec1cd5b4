"""Where a device sends what: its own segments and its routes as one table of disjoint sets.

The longest prefix wins, then the lowest metric; equal ones are used alike. What a device is joined to by an
interface counts as a route of metric -1 for each prefix of the segment there.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Device, Interface, Network, Route, Segment, fold
from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.address_owners import AddressOwners
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.cache import Recent

CONNECTED = -1
NO_PREFIX = -1


@dataclass(frozen=True)
class Way:
    """One way on: by which interface, and to which device if the next hop is known to be one.

    `connected`: what is on the interface's own segment is handed over there, whoever else is on it. `missing`
    says what the model would have to tell; nobody is guessed.
    """

    leaving: Interface
    device: Device | None = None
    entering: Interface | None = None
    connected: bool = False
    missing: str | None = None

    def ends_on(self, segment: Segment) -> bool:
        """Whether it leads onto this segment itself, with no further device between."""
        on_it = fold(self.leaving.segment or "") == fold(segment.name)
        return on_it and (self.connected or self.device is None)


Table = tuple[AddressOwners, tuple[tuple[Way, ...], ...]]
"""Destinations parted by the ways there, and the ways of each part."""


@dataclass(frozen=True)
class Return:
    """One way by which packets get home: which of them, past whom, and what may keep them from it."""

    share: AddressSet
    passed: tuple[str, ...]
    trouble: str | None = None


def routing_of(network: Network) -> Routing:
    """The routing of a ground: it is the same for all lists of rules and all names on it."""
    ground = ground_of(network)
    return _RECENT.get(ground, lambda: Routing(ground, Names(ground)))


def ground_of(network: Network) -> Network:
    """Devices and segments alone: what is kept for them keeps nothing else."""
    return Network(name="", devices=network.devices, segments=network.segments)


class Routing:
    """The routing of one network; each device's table is made once."""

    def __init__(self, network: Network, names: Names) -> None:
        self.network, self.names = network, names
        self._on: dict[str, list[tuple[Device, Interface]]] = defaultdict(list)
        for device in network.devices:
            for interface in device.interfaces:
                if interface.segment is not None:
                    self._on[fold(interface.segment)].append((device, interface))
        self._tables: dict[str, Table] = {}
        self._own: dict[str, AddressSet] = {}

    def owners(self, wanted: AddressSet) -> Iterator[tuple[Segment | None, AddressSet]]:
        """The share of each segment that owns some of an address set; last, with None, what nobody owns."""
        left = wanted
        for number, share in self._owned.split(wanted):
            yield self.network.segments[number], share
            left = addresses.difference(left, share)
        if left:
            yield None, left

    @cached_property
    def _owned(self) -> AddressOwners:
        return AddressOwners([self.names.owned_by_segment[fold(s.name)] for s in self.network.segments])

    def starts(self, segment: Segment) -> list[tuple[Device, Interface]]:
        """Where traffic of a segment enters its first device: at its gateways, or else at every device on it."""
        wanted = {fold(g) for g in segment.gateways}
        return [
            (device, interface)
            for device, interface in self._on[fold(segment.name)]
            if not wanted or fold(device.name) in wanted
        ]

    def own(self, device: Device) -> AddressSet:
        """All addresses of the device itself."""
        if device.name not in self._own:
            texts = (a for i in device.interfaces for a in i.addresses)
            self._own[device.name] = addresses.union(addresses.parse(a) for a in texts)
        return self._own[device.name]

    def towards(self, device: Device, wanted: AddressSet) -> Iterator[tuple[AddressSet, tuple[Way, ...]]]:
        """The shares of destinations that the device has a route for, each with its ways; disjoint, one for each choice of
        ways. The device's table is made once, in O(routes²)."""
        if device.name not in self._tables:
            alike: dict[tuple[Way, ...], list[AddressSet]] = defaultdict(list)
            for share, ways in self._entries(device):
                alike[ways].append(share)
            self._tables[device.name] = AddressOwners([*map(addresses.union, alike.values())]), tuple(alike)
        parted, choices = self._tables[device.name]
        for number, share in parted.split(wanted):
            yield share, choices[number]

    def _entries(self, device: Device) -> Iterator[tuple[AddressSet, tuple[Way, ...]]]:
        entries: dict[tuple[int, AddressSet], list[tuple[int, Way]]] = defaultdict(list)
        for interface in device.interfaces:
            for length, spread in self._connected(interface):
                entries[length, spread].append((CONNECTED, Way(interface, connected=True)))
        for route in device.routes:
            ways = [(route.metric, way) for way in self._ways(device, route)]
            entries[_length(route.prefix), addresses.parse(route.prefix)] += ways
        best = {key: min((metric for metric, _ in ways), default=0) for key, ways in entries.items()}
        order = sorted(entries, key=lambda key: (-key[0], best[key]))
        for key, share in zip(order, addresses.apart(spread for _, spread in order), strict=True):
            if share:
                yield share, tuple(dict.fromkeys(way for metric, way in entries[key] if metric == best[key]))

    def returns(self, starts: list[Device], home: Segment, wanted: AddressSet) -> list[Return]:
        """All ways, by routing alone, from devices to addresses of a segment. One address may have several."""
        if not starts:
            return [Return(wanted, (), "no device is on the segment it sets out from")]
        return [way for device in starts for way in self._home(device, home, wanted, ())]

    def _home(
        self, device: Device, home: Segment, wanted: AddressSet, passed: tuple[str, ...]
    ) -> Iterator[Return]:
        if device.name in passed:
            yield Return(wanted, passed, f"it goes in circles at {device.name}")
            return
        passed = (*passed, device.name)
        for share, ways in self.towards(device, wanted):
            wanted = addresses.difference(wanted, share)
            for way in ways:
                if way.ends_on(home):
                    yield Return(share, passed)
                elif way.device is not None:
                    yield from self._home(way.device, home, share, passed)
                else:
                    yield Return(share, passed, way.missing or f"what is beyond {way.leaving.name}")
        if wanted:
            yield Return(wanted, passed, f"no route at {device.name}")

    def _connected(self, interface: Interface) -> Iterator[tuple[int, AddressSet]]:
        """What is on an interface's segment: per prefix its length and what of it the segment owns."""
        if interface.segment is None:
            return
        owned = self.names.owned_by_segment[fold(interface.segment)]
        segment = next(s for s in self.network.segments if fold(s.name) == fold(interface.segment))
        if not segment.prefixes:
            yield NO_PREFIX, owned
        for prefix in segment.prefixes:
            share = addresses.intersection(addresses.parse(prefix), owned)
            if share:
                yield _length(prefix), share

    def _ways(self, device: Device, route: Route) -> Iterator[Way]:
        """The ways of one written route. A next hop is found on the segments the device is on."""
        by = [i for i in device.interfaces if i.segment is not None]
        if route.interface is not None:
            by = [i for i in by if fold(i.name) == fold(route.interface)]
        if route.via is not None:
            hop = addresses.parse(route.via)
            by = [i for i in by if addresses.covers(self.names.owned_by_segment[fold(i.segment or "")], hop)]
            found = [(i, d, e) for i in by for d, e in self._others(device, i) if _has(e, hop)]
            if found:
                yield from (Way(i, d, e) for i, d, e in found)
                return
        for interface in by or _first(device, route):
            yield self._beyond(device, route, interface)

    def _beyond(self, device: Device, route: Route, interface: Interface) -> Way:
        """A next hop nobody knows, or none written: one other device on the segment is the only one possible."""
        others = self._others(device, interface) if route.via is None else []
        if len(others) == 1:
            return Way(interface, *others[0], connected=True)
        told = f"which device has {route.via}" if route.via else f"the next hop of {route.prefix}"
        return Way(interface, missing=f"{told}, as {device.name} routes to it by {interface.name}")

    def _others(self, device: Device, interface: Interface) -> list[tuple[Device, Interface]]:
        return [(d, i) for d, i in self._on[fold(interface.segment or "")] if d is not device]


def _length(prefix: str) -> int:
    """The length of a prefix; of a single address or a range, that of the smallest prefix it could be."""
    spread = addresses.parse(prefix)
    bits = 32 if spread.v4 else 128
    return bits - (intervals.size(spread.v4 or spread.v6) - 1).bit_length()


def _has(interface: Interface, hop: AddressSet) -> bool:
    return any(addresses.parse(a) == hop for a in interface.addresses)


def _first(device: Device, route: Route) -> list[Interface]:
    """Where a next hop is on no connected segment, the route still leads somewhere: told as missing."""
    named = [i for i in device.interfaces if route.interface and fold(i.name) == fold(route.interface)]
    return named or list(device.interfaces[:1])


_RECENT: Recent[Network, Routing] = Recent(6)
