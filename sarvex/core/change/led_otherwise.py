"""What a change of the ground leads otherwise: the addresses to which some device or some wire has another way than before."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import fields
from functools import cached_property

from sarvex.core.forwarding.routing import Reached, Routing, Way
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import LISTS, Network, fold
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet

LED = {"name", "description", "accepted", "interfaces", "routes", "policies", *LISTS}
"""What of a device leads packets, or is told by the effects of its lists; anything else of it can touch whatever passes."""
PORT = {"name", "description", "segment", "addresses"}
"""The same of an interface."""


def touches_anything(old: Network, new: Network) -> bool:
    """Whether something differs that can touch whatever passes somewhere."""
    if {fold(z.name): z.depth for z in old.zones} != {fold(z.name): z.depth for z in new.zones}:
        return True
    before = {fold(d.name): d for d in old.devices}
    for device in new.devices:
        was = before.get(fold(device.name))
        if was is None or was == device:
            continue
        if any(getattr(was, f.name) != getattr(device, f.name) for f in fields(device) if f.name not in LED):
            return True
        ports = {fold(i.name): i for i in was.interfaces}
        both = [fold(i.name) for i in device.interfaces if fold(i.name) in ports]
        if both != [key for key in ports if key in both]:
            return True  # of equal ways the first is taken
        for port in device.interfaces:
            other = ports.get(fold(port.name), port)
            if any(
                getattr(other, f.name) != getattr(port, f.name) for f in fields(port) if f.name not in PORT
            ):
                return True
    return False


def led_otherwise(old: Routing, new: Routing) -> AddressSet:
    """The addresses to which some device, or some wire, leads by another way, or that somebody else owns."""
    if old is new:  # one ground has one routing
        return addresses.NOTHING
    found = [
        addresses.difference(a, b) for a, b in ((old.unrouted, new.unrouted), (new.unrouted, old.unrouted))
    ]
    maps = _Maps(old), _Maps(new)
    for kind in ("devices", "wires", "starts"):
        before, after = (getattr(each, kind) for each in maps)
        for key in {**before, **after}:
            a, b = before.get(key, {}), after.get(key, {})
            if a == b:
                continue
            for what in {**a, **b}:
                one, other = a.get(what, addresses.NOTHING), b.get(what, addresses.NOTHING)
                found += [addresses.difference(one, other), addresses.difference(other, one)]
    return addresses.union(found)


Led = dict[object, AddressSet]
"""Addresses by how they are led."""


class _Maps:
    """How a ground leads every address, by names."""

    def __init__(self, routing: Routing) -> None:
        self._routing = routing

    @cached_property
    def devices(self) -> dict[object, Led]:
        """At every device: what is its own, what its routes lead by which ways or not at all, and its steering."""
        out: dict[object, Led] = {}
        for device in self._routing.network.devices:
            key, led = fold(device.name), _by_way(self._routing.towards(device, addresses.ANY))
            rest = addresses.complement(addresses.union(led.values()))
            out[key] = {
                "own": self._routing.own(device),
                ("no route", self._routing.half_built(device)): rest,
                **led,
            }
            for entry in device.steering:
                out[key, fold(entry.name)] = _by_way(self._routing.steered(device, entry, addresses.ANY))
        return out

    @cached_property
    def wires(self) -> dict[object, Led]:
        """On every wire: what its segment owns, and who takes what is sent there."""
        out: dict[object, Led] = {}
        for segment in self._routing.network.segments:
            owned = self._routing.owned(segment)
            taken = ((r.share, _taker(r)) for r in self._routing.on_wire(segment, owned))
            out[fold(segment.name)] = _gathered(
                (("owned", segment.outside), owned), *((k, a) for a, k in taken)
            )
        return out

    @cached_property
    def starts(self) -> dict[object, Led]:
        """Of every segment, where what is sent from it enters its first devices."""
        return {
            fold(s.name): {
                tuple(sorted((fold(d.name), fold(i.name)) for d, i in self._routing.starts(s))): self._routing.owned(s)
            }
            for s in self._routing.network.segments
        }  # fmt: skip


def _by_way(led: Iterable[tuple[AddressSet, tuple[Way, ...]]]) -> Led:
    return _gathered(*((tuple(map(_way, ways)), share) for share, ways in led))


def _gathered(*led: tuple[object, AddressSet]) -> Led:
    out: dict[object, list[AddressSet]] = {}
    for key, share in led:
        out.setdefault(key, []).append(share)
    return {key: addresses.union(shares) for key, shares in out.items()}


def _way(way: Way) -> object:
    things = way.leaving, way.device, way.entering, way.beyond
    return tuple(thing and fold(thing.name) for thing in things), way.missing, way.discard


def _taker(reached: Reached) -> object:
    ports = tuple((fold(d.name), fold(i.name)) for d, i in reached.ports)
    return ports, reached.missing, reached.unplugged, reached.lost, reached.stands_in


def hosts_otherwise(old: Network, new: Network, names: tuple[Names, Names]) -> AddressSet:
    """The addresses at which other hosts are than before, where policies at hosts are consulted."""
    if not (old.at_hosts or new.at_hosts):
        return addresses.NOTHING
    chosen = [
        [
            addresses.intersection(each.address(name), each.known().hosts)
            for at in network.at_hosts
            for name in at.hosts
        ]
        for network, each in zip((old, new), names, strict=True)
    ]
    if chosen[0] == chosen[1]:
        return addresses.NOTHING
    return addresses.union(some for both in chosen for some in both)
