"""Where packets go by addresses alone: a device's routes, who is on a wire, which segment owns what.

A device's own segments and its routes are one table of disjoint sets of destinations. The longest prefix wins, then the
lowest metric; equal ones are used alike. What a device is joined to by an interface counts as a route of metric -1 for each
prefix of the segment there; the segment without prefixes comes after every listed route.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from operator import itemgetter

from sarvex.core.meaning.ground_check import LINK_LOCAL
from sarvex.core.meaning.names import Names, pieces
from sarvex.core.model.records import Device, Interface, Network, Route, Segment, Steering, fold
from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.address_owners import AddressOwners
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.cache import Recent

CONNECTED = -1
NO_PREFIX = -1
EVERYWHERE = {4: AddressSet(addresses.ANY.v4, ()), 6: AddressSet((), addresses.ANY.v6)}

UNROUTED = addresses.union(
    addresses.parse(text)
    for text in (
        "0.0.0.0", "127.0.0.0/8", "169.254.0.0/16", "224.0.0.0/4", "255.255.255.255", "::", "::1", "fe80::/10", "ff00::/8",
    )
)  # fmt: skip
"""RFC 6890, 1112, 4291: what no route carries, but for the broadcast addresses of a network's own prefixes."""

FOR_EXAMPLES = (
    addresses.parse("198.51.100.10-198.51.100.250"),
    addresses.parse("2001:db8::10-2001:db8::ffff"),
)
"""RFC 5737, RFC 3849: they belong to nobody."""

Port = tuple[Device, Interface]
"""Where a packet enters a device."""


@dataclass(frozen=True)
class Way:
    """One way on: by which interface, and to which device, or onto its wire, or to what lies beyond an outside segment.

    `missing` says what the model would have to tell; nobody is guessed. Without a `leaving` not even that is known.
    """

    leaving: Interface | None
    device: Device | None = None
    entering: Interface | None = None
    beyond: Segment | None = None
    missing: str | None = None
    discard: bool = False
    """Dropped by a route."""


@dataclass(frozen=True)
class Reached:
    """Who takes packets that are sent onto a wire: devices, at their interfaces there, or, if there are none, hosts."""

    share: AddressSet
    ports: tuple[Port, ...] = ()
    missing: str | None = None
    unplugged: str | None = None
    """Who would take them and cannot."""
    lost: str | None = None
    """Why nobody takes them."""
    stands_in: bool = False
    """Whether the devices have not these addresses themselves, but translate them."""


Link = tuple[str, str]
"""An interface by the names of its device and itself; of a whole device also the one without a name."""

Table = tuple[AddressOwners, tuple[tuple[Way, ...], ...]]
"""Destinations parted by the ways there, and the ways of each part."""


def routing_of(network: Network, without: frozenset[Link] = frozenset()) -> Routing:
    """The routing of a ground: it is the same for all lists of rules and all names on it.

    without: interfaces that are unplugged, by the names of device and interface; see `links`.
    """
    ground = ground_of(network)
    return _RECENT.get((ground, without), lambda: Routing(ground, Names(ground), without))


def links(network: Network, name: str) -> frozenset[Link]:
    """The interfaces that a device's name, or ``DEVICE.INTERFACE``, stands for, with those that they carry; none if it is neither.

    Raises `ValueError` for a name that is both.
    """
    wanted = fold(name)
    devices = [d for d in network.devices if fold(d.name) == wanted]
    ports = [(d, i) for d in network.devices for i in d.interfaces if fold(f"{d.name}.{i.name}") == wanted]
    if len(devices) + len({d.name for d, _ in ports}) > 1:
        raise ValueError(
            f"{name!r} is a device and an interface, or the interface of two; rename one of them"
        )
    found = {(d.name, i.name) for d in devices for i in d.interfaces} | {(d.name, "") for d in devices}
    for device, interface in ports:
        carried = (i.name for i in device.interfaces if i.parent and fold(i.parent) == fold(interface.name))
        found |= {(device.name, name) for name in (interface.name, *carried)}
    return frozenset(found)


def ground_of(network: Network) -> Network:
    """Devices and segments alone, and the names that lists of devices may use: what is kept for them keeps nothing else."""
    if any(d.entries for d in network.devices):
        return replace(network, name="", description="", policies=(), at_hosts=(), zones=(), expectations=())
    return Network(name="", devices=network.devices, segments=network.segments)


class Routing:
    """The routing of one network; each device's table is made once."""

    def __init__(self, network: Network, names: Names, without: frozenset[Link] = frozenset()) -> None:
        self.network, self.names, self.without = network, names, without
        self.segments = {fold(s.name): s for s in network.segments}
        self._on: dict[str, list[Port]] = defaultdict(list)
        for device in network.devices:
            for interface in device.interfaces:
                if interface.segment is not None:
                    self._on[fold(interface.segment)].append((device, interface))
        self._tables: dict[str, Table] = {}
        self._own: dict[str, AddressSet] = {}
        self._wires: dict[str, list[Reached]] = {}

    @cached_property
    def unrouted(self) -> AddressSet:
        """What no route carries: `UNROUTED`, and the broadcast address of every IPv4 prefix of 30 bits or shorter."""
        broadcasts = [
            addresses.span(4, high, high)
            for segment in self.network.segments
            for prefix in segment.prefixes
            for low, high in addresses.parse(prefix).v4
            if high - low >= 3 and addresses.covers(self.owned(segment), addresses.span(4, high, high))
        ]
        return addresses.union((UNROUTED, *broadcasts))

    @cached_property
    def addressed(self) -> AddressSet:
        """What segments own or devices have, and routes carry."""
        everything = addresses.union((*map(self.owned, self.network.segments), self.all_own))
        return addresses.difference(everything, self.unrouted)

    @cached_property
    def plausible(self) -> AddressSet:
        """Addresses that hosts might have: of each prefix from the eleventh on, of what lies beyond those for examples."""
        inner = [
            (f, low + 10, high - 1)
            for segment in self.network.segments
            for prefix in segment.prefixes
            for f in FAMILIES
            for low, high in addresses.parse(prefix)[f]
            if high - low > 12
        ]
        spread = [addresses.span(*each) for each in inner]
        taken = addresses.union((self.all_own, self.unrouted))
        return addresses.difference(addresses.union((*spread, *FOR_EXAMPLES)), taken)

    def owned(self, segment: Segment) -> AddressSet:
        """What a segment owns, by longest prefix."""
        return self.names.owned_by_segment[fold(segment.name)]

    def hosts(self, segment: Segment) -> AddressSet:
        """What a segment owns but devices' own addresses."""
        return addresses.difference(self.owned(segment), self.all_own)

    def wire(self, interface: Interface) -> Segment:
        """The segment an interface is on; a `KeyError` if it is on none."""
        return self.segments[fold(interface.segment or "")]

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
        return AddressOwners([self.owned(s) for s in self.network.segments])

    def is_up(self, device: Device, interface: Interface | None = None) -> bool:
        """Whether an interface, or a device at all, is plugged in."""
        return (device.name, interface.name if interface else "") not in self.without

    def starts(self, segment: Segment) -> list[Port]:
        """Where traffic of a segment enters its first device: at its gateways, or else at every device on it; unplugged or not."""
        wanted = {fold(g) for g in segment.gateways}
        on = self._on[fold(segment.name)]
        return [(d, i) for d, i in on if not i.management_only and (not wanted or fold(d.name) in wanted)]

    def own(self, device: Device) -> AddressSet:
        """All addresses of the device itself."""
        if device.name not in self._own:
            texts = (a for i in device.interfaces for a in i.addresses)
            self._own[device.name] = addresses.union(addresses.parse(a) for a in texts)
        return self._own[device.name]

    @cached_property
    def all_own(self) -> AddressSet:
        """The addresses of all devices themselves."""
        return addresses.union(self.own(d) for d in self.network.devices)

    def on_wire(
        self, segment: Segment, wanted: AddressSet, sender: Device | None = None
    ) -> Iterator[Reached]:
        """Who takes what is sent onto the wire of the segment that owns it, in disjoint shares.

        An address of a device is reached at the interface on this wire that has it, or else at any of that device on it. One that
        nobody has, but that translations name, at the devices on this wire that translate it; none of them answers itself.
        """
        if segment.name not in self._wires:
            self._wires[segment.name] = list(self._devices_reached(segment))
        left = wanted
        for reached in self._wires[segment.name]:
            share = addresses.intersection(wanted, reached.share)
            if share:
                left = addresses.difference(left, share)
                yield _without_itself(replace(reached, share=share), sender)
        if left:
            yield Reached(left)

    def _devices_reached(self, segment: Segment) -> Iterator[Reached]:
        owned = self.owned(segment)
        on = [port for port in self._on[fold(segment.name)] if self.is_up(*port)]
        unplugged: dict[str, list[AddressSet]] = defaultdict(list)
        alike: dict[tuple[Port, ...], list[AddressSet]] = defaultdict(list)
        lost: dict[str, list[AddressSet]] = defaultdict(list)
        for one in self._of_devices(owned):
            holders = self._holders[one]
            ports = tuple((d, i) for d, i in on if _has(i, one)) or tuple(
                (d, i) for d, i in on if d in holders
            )
            if ports:
                alike[ports].append(one)
                continue
            cut = next((d for d in holders if any(name == d.name for name, _ in self.without)), None)
            if cut is not None:
                unplugged[cut.name].append(one)
            else:
                lost[f"{holders[0].name} has this address and is not on {segment.name}"].append(one)
        yield from (Reached(addresses.union(shares), ports) for ports, shares in alike.items())
        yield from (Reached(addresses.union(shares), missing=missing) for missing, shares in lost.items())
        yield from (Reached(addresses.union(shares), unplugged=name) for name, shares in unplugged.items())
        yield from self._translators_reached(segment, on)

    @cached_property
    def _holders(self) -> dict[AddressSet, list[Device]]:
        """The addresses of devices, each with those that have it."""
        found: dict[AddressSet, list[Device]] = defaultdict(list)
        for device in self.network.devices:
            for text in dict.fromkeys(a for i in device.interfaces for a in i.addresses):
                found[addresses.parse(text)].append(device)
        return found

    @cached_property
    def _points(self) -> dict[int, list[tuple[int, int, AddressSet]]]:
        """The same by family in their order: where each is, and the how manieth it is of all."""
        numbered = list(enumerate(self._holders))
        return {f: sorted((one[f][0][0], n, one) for n, one in numbered if one[f]) for f in FAMILIES}

    def _of_devices(self, owned: AddressSet) -> list[AddressSet]:
        """The addresses of devices in a set, in the order of the network. O(log addresses) for each stretch."""
        found = []
        for f in FAMILIES:
            for low, high in owned[f]:
                there = self._points[f]
                found += there[bisect_left(there, (low,)) : bisect_left(there, (high + 1,))]
        return [one for _, _, one in sorted(found, key=itemgetter(1))]

    def _translators_reached(self, segment: Segment, on: list[Port]) -> Iterator[Reached]:
        """The devices that answer on a wire for addresses of its segment which their translations name."""
        hosts = addresses.union(addresses.parse(a) for h in self.network.hosts for a in h.addresses)
        theirs = addresses.difference(self.owned(segment), addresses.union((hosts, self.all_own)))
        parted: list[tuple[AddressSet, tuple[Port, ...]]] = []
        for port in on:
            named = addresses.intersection(theirs, named_by_translations(port[0], self.names))
            split = []
            for share, ports in parted:
                split.append((addresses.intersection(share, named), (*ports, port)))
                split.append((addresses.difference(share, named), ports))
                named = addresses.difference(named, share)
            parted = [each for each in (*split, (named, (port,))) if each[0]]
        yield from (Reached(share, ports, stands_in=True) for share, ports in parted)

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

    def steered(
        self, device: Device, entry: Steering, wanted: AddressSet
    ) -> Iterator[tuple[AddressSet, tuple[Way, ...]]]:
        """The shares of destinations that an entry has a way for that is not down, each with its ways."""
        route = Route(prefix=entry.name, via=entry.via, interface=entry.leave)
        yield from self._parted(device, wanted, [(0, route)])

    def entry(
        self, device: Device, address: AddressSet, leaving: Interface | None
    ) -> Interface | Route | None:
        """What leads one address on, if it leaves by one interface: that, if it is on the address's own segment, or a route."""
        found: list[tuple[int, int, Interface | Route]] = [
            (-length, CONNECTED, interface)
            for interface in device.interfaces
            if self.is_up(device, interface) and leaving in (None, interface)
            for length, spread in self._connected(interface)
            if addresses.covers(spread, address)
        ]
        for route in device.routes:
            if addresses.covers(addresses.parse(route.prefix), address) and (
                route.discard or leaving is None or leaving in self._by(device, route)
            ):
                found.append((-_length(route.prefix), route.metric, route))
        return min(found, key=lambda each: each[:2], default=(0, 0, None))[2]

    def half_built(self, device: Device) -> bool:
        """Whether a missing route tells nothing: no route is listed at all, in a network of several devices."""
        return not device.routes and len(self.network.devices) > 1

    def _entries(self, device: Device) -> Iterator[tuple[AddressSet, tuple[Way, ...]]]:
        entries: dict[tuple[int, AddressSet], list[tuple[int, Interface | Route]]] = defaultdict(list)
        for interface in device.interfaces:
            if self.is_up(device, interface):
                for length, spread in self._connected(interface):
                    entries[length, spread].append((CONNECTED, interface))
        for route in device.routes:
            entries[_length(route.prefix), addresses.parse(route.prefix)].append((route.metric, route))
        taken = addresses.NOTHING
        for key in sorted(entries, key=lambda key: (-key[0], min(metric for metric, _ in entries[key]))):
            for share, ways in self._parted(device, addresses.difference(key[1], taken), entries[key]):
                taken = addresses.union((taken, share))
                yield share, ways

    def _parted(
        self, device: Device, share: AddressSet, leads: Sequence[tuple[int, Interface | Route]]
    ) -> Iterator[tuple[AddressSet, tuple[Way, ...]]]:
        """The ways of the best routes of one prefix, which may depend on whether the wire they lead to owns the destination.

        What no route leads on, because all are withdrawn, is left out.
        """
        routes = [lead for _, lead in leads if isinstance(lead, Route)]
        wires = dict.fromkeys(
            self.wire(i) for r in routes for i in self._by(device, r) if not self._next(device, r)
        )
        for owner in (*wires, None):
            here = addresses.intersection(share, self.owned(owner)) if owner else share
            share = addresses.difference(share, here)
            if not here:
                continue
            found: dict[int, list[Way]] = defaultdict(list)
            for metric, lead in leads:
                found[metric] += (
                    [Way(lead)] if isinstance(lead, Interface) else self._ways(device, lead, owner)
                )
            best = min((metric for metric, ways in found.items() if ways), default=None)
            if best is not None:
                yield here, tuple(dict.fromkeys(found[best]))

    def _connected(self, interface: Interface) -> Iterator[tuple[int, AddressSet]]:
        """What is on an interface's segment: per prefix its length and what of it the segment owns.

        What the segment without prefixes owns is sent there only in the families in which the interface has an address.
        """
        if interface.segment is None:
            return
        segment = self.wire(interface)
        owned = self.owned(segment)
        if not segment.prefixes:
            for family, everywhere in EVERYWHERE.items():
                if any(addresses.parse(a)[family] for a in interface.addresses):
                    yield NO_PREFIX, addresses.intersection(owned, everywhere)
        for prefix in segment.prefixes:
            share = addresses.intersection(addresses.parse(prefix), owned)
            if share:
                yield _length(prefix), share

    def _by(self, device: Device, route: Route) -> list[Interface]:
        """The interfaces that a route may leave by: the one it names, or those on whose segment its next hop is."""
        if route.discard:
            return []
        by = [i for i in device.interfaces if i.segment is not None]
        if route.interface is not None:
            by = [i for i in by if fold(i.name) == fold(route.interface)]
        if route.via is None:
            return by
        hop = addresses.parse(route.via)
        if route.interface is not None and addresses.covers(LINK_LOCAL, hop):
            return by
        return [i for i in by if addresses.covers(self.owned(self.wire(i)), hop)]

    def _next(self, device: Device, route: Route) -> list[Way]:
        """The devices that have a route's next hop."""
        if route.via is None:
            return []
        hop = addresses.parse(route.via)
        by = self._by(device, route)
        return [Way(i, d, e) for i in by for d, e in self._others(device, i) if _has(e, hop)]

    def _ways(self, device: Device, route: Route, owner: Segment | None) -> list[Way]:
        """The ways of one written route to destinations that a segment owns; none if it is withdrawn, because all of them lead
        by or to what is unplugged."""
        if route.discard:
            return [Way(None, discard=True)]
        found = self._next(device, route)
        if not found:
            found = [
                way
                for interface in self._by(device, route)
                for way in self._beyond(device, route, interface, owner)
            ]
        if not found:
            named = [
                i for i in device.interfaces if route.interface and fold(i.name) == fold(route.interface)
            ]
            found = [
                Way(named[0] if named else None, missing=f"{_told(route)}, as {device.name} routes to it")
            ]
        return [way for way in found if self._stands(device, way)]

    def _beyond(
        self, device: Device, route: Route, interface: Interface, owner: Segment | None
    ) -> Iterator[Way]:
        """By an interface on whose wire no device has the next hop, or none is written."""
        wire = self.wire(interface)
        others = [(d, i) for d, i in self._others(device, interface) if not i.management_only]
        if owner is wire and route.via is None:
            yield Way(interface)
        elif owner is wire and wire.outside:
            yield Way(interface, beyond=wire)
        elif len({d.name for d, _ in others}) == 1:
            yield from (Way(interface, *other) for other in others)
        else:
            yield Way(interface, missing=f"{_told(route)}, as {device.name} routes to it by {interface.name}")

    def _stands(self, device: Device, way: Way) -> bool:
        """Whether neither end of a way is unplugged."""
        here = way.leaving is None or self.is_up(device, way.leaving)
        return here and (way.device is None or self.is_up(way.device, way.entering))

    def _others(self, device: Device, interface: Interface) -> list[Port]:
        return [(d, i) for d, i in self._on[fold(interface.segment or "")] if d.name != device.name]


def _without_itself(reached: Reached, sender: Device | None) -> Reached:
    """Those that answer for an address they translate, but for who sent the packet."""
    if not reached.stands_in or sender is None:
        return reached
    others = tuple(port for port in reached.ports if port[0].name != sender.name)
    if others:
        return replace(reached, ports=others)
    return replace(reached, ports=(), lost=f"{sender.name} alone answers for it there, and not itself")


def named_by_translations(device: Device, names: Names) -> AddressSet:
    """The addresses for which a device answers because its translations name them: destinations, and what sources become.

    Names of segments, `any` and negated fields name none: whoever is there answers.
    """
    if device.filtering == "stateless":
        return addresses.NOTHING
    named = [
        m
        for e in device.translate_destination
        if e.enabled and "destination" not in e.negate
        for m in e.destination
    ]
    named += [
        m
        for e in device.translate_source
        if e.enabled and e.to not in (("none",), ("interface",))
        for m in e.to
    ]
    return addresses.union(piece for m in named for piece in pieces(m, names, segments=False))


def _length(prefix: str) -> int:
    """The length of a prefix; of a single address or a range, that of the smallest prefix it could be."""
    spread = addresses.parse(prefix)
    bits = 32 if spread.v4 else 128
    return bits - (intervals.size(spread.v4 or spread.v6) - 1).bit_length()


def _told(route: Route) -> str:
    return f"which device has {route.via}" if route.via else f"the next hop of {route.prefix}"


def _has(interface: Interface, hop: AddressSet) -> bool:
    return any(addresses.parse(a) == hop for a in interface.addresses)


_RECENT: Recent[tuple[Network, frozenset[Link]], Routing] = Recent(6)
