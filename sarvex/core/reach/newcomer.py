"""A segment that is not there yet, put on a device in a zone: the network as it would be, to be compared with the one that is."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from dataclasses import replace

from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.model.records import Device, Interface, Network, Route, Segment, fold, named
from sarvex.core.sets import addresses

NEW = "newcomer"


def grown(network: Network, segment: Segment, device: str, zone: str | None) -> Network:
    """The network with a segment on a new interface of a device, in a zone or none, led to as its neighbours are.

    The interface has the first free address of each prefix. Every other device leads the new prefixes where it leads a segment that is
    on the device already, of that zone if there is one. Raises `KeyError` if there is no such device, `ValueError` for a prefix that
    is none.
    """
    home = named(network.devices, device)
    routing = routing_of(network)
    prefixes = [ipaddress.ip_network(prefix) for prefix in segment.prefixes]
    taken = {fold(i.name) for i in home.interfaces}
    name = next(n for n in (NEW, *(f"{NEW}-{k}" for k in range(2, 100))) if n not in taken)
    own = tuple(str(next(p.hosts())) for p in prefixes)
    port = Interface(name=name, segment=segment.name, zone=zone, addresses=own)
    devices = tuple(
        replace(d, interfaces=(*d.interfaces, port))
        if d is home
        else replace(d, routes=(*d.routes, *_led(routing, d, home, zone, segment)))
        for d in network.devices
    )
    return replace(network, segments=(*network.segments, segment), devices=devices)


def _led(routing: Routing, device: Device, home: Device, zone: str | None, new: Segment) -> Iterator[Route]:
    """The routes of a device to a new segment's prefixes, as to a neighbour of the same family."""
    for prefix in new.prefixes:
        version = ipaddress.ip_network(prefix).version
        for text in _neighbours(routing, home, zone):
            network = ipaddress.ip_network(text)
            if network.version != version or network.num_addresses < 2:
                continue
            lead = routing.entry(device, addresses.parse(str(next(network.hosts()))), None)
            if isinstance(lead, Route):
                yield replace(lead, prefix=prefix)
                break


def _neighbours(routing: Routing, home: Device, zone: str | None) -> Iterator[str]:
    """The prefixes of segments on a device, those in a zone first, that have hosts of their own."""
    ports = [i for i in home.interfaces if i.segment]
    for port in sorted(ports, key=lambda i: fold(i.zone or "") != fold(zone or "")):
        wire = routing.wire(port)
        if not wire.outside and len(routing.starts(wire)) == 1:
            yield from wire.prefixes
