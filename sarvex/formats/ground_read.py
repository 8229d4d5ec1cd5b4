"""The ground as a device tells it (RFC 8343, 8344, 8349), against what is written of it here: each difference by itself.

What it learned counts: routes of any protocol but those of its own interfaces, and neighbours that it has seen. A difference that can be
taken over carries what is to be there, as `settle` takes it; what is here and not there is told, and taken away by whoever decides it.
"""

from __future__ import annotations

import ipaddress
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sarvex.core.model.records import Device, Interface, Network, Route, Segment, fold, named
from sarvex.formats.device_yang import INTERFACES, ROUTING, Brought, bring
from sarvex.formats.document import VERSION

Data = dict[str, Any]
MOST_NEIGHBOURS = 2_000
STAYS, MADE = "is not in the document", "is made for it"
"""Notes on bringing a device in that say nothing where nothing is taken over yet."""
SEEN = "reachable", "stale", "delay", "probe"
"""States of IPv6 neighbours (RFC 8344) that somebody has answered in."""


@dataclass(frozen=True)
class Otherwise:
    """One thing that a device tells otherwise than it is here. `wish`: what takes it over, as text; empty where nothing can."""

    what: str
    wish: str = ""


@dataclass(frozen=True)
class GroundRead:
    """All differences, and what of the device's data could not be told here."""

    differences: tuple[Otherwise, ...]
    notes: tuple[str, ...]


def ground_read(data: Data, network: Network, device: str) -> GroundRead:
    """What a device tells of interfaces, routes and neighbours otherwise than the network has it.

    data: `ietf-interfaces:interfaces` and, if the device routes, `ietf-routing:routing`. Raises `KeyError` for a device that is not there and
    `document.InvalidDocument` for data that is none. O(interfaces + routes + neighbours + hosts).
    """
    old = named(network.devices, device)
    told = {part: data[part] for part in (INTERFACES, ROUTING) if part in data}
    brought = bring(json.dumps(told), network, old.name)
    new = named(brought.network.devices, old.name)
    fresh = brought.network.segments[len(network.segments) :]
    found = [
        *_interfaces(old, new, fresh, _named_in(data)),
        *(_routes(old, new) if ROUTING in data else ()),
        *_neighbours(data, brought, new, network),
    ]
    made = any('"segments"' in one.wish for one in found)
    notes = (n for n in brought.notes if STAYS not in n and (made or MADE not in n))
    return GroundRead(tuple(found), tuple(notes))


def _wish(**sections: Any) -> str:
    return json.dumps({"sarvex": VERSION, "settle": sections}, ensure_ascii=False)


def _named_in(data: Data) -> set[str]:
    listed = data.get(INTERFACES, {}).get("interface", [])
    return {fold(str(one.get("name"))) for one in listed if isinstance(one, dict)}


def _interfaces(old: Device, new: Device, fresh: tuple[Segment, ...], there: set[str]) -> Iterator[Otherwise]:
    before = {fold(i.name): i for i in old.interfaces}
    for one in new.interfaces:
        was = before.get(fold(one.name))
        addresses = ", ".join(one.addresses) or "no address"
        if was is None:
            where = f" on {one.segment}" if one.segment else ""
            yield Otherwise(
                f"it has an interface {one.name}{where} with {addresses}", _interface(old, one, fresh)
            )
        elif fold(one.name) in there and set(was.addresses) != set(one.addresses):
            yield Otherwise(
                f"{one.name} has {addresses}; here it has {', '.join(was.addresses) or 'no address'}",
                _interface(old, one, fresh),
            )
    for was in old.interfaces:
        if fold(was.name) not in there:
            yield Otherwise(f"it tells nothing of {was.name}")


def _interface(device: Device, one: Interface, fresh: tuple[Segment, ...]) -> str:
    """An interface as the device has it, with its segment if nobody lists that prefix."""
    made: Data = {"name": one.name, "kind": one.kind, "addresses": {"replace": list(one.addresses)}}
    if one.segment:
        made["segment"] = one.segment
    new = [{"name": s.name, "prefixes": {"merge": list(s.prefixes)}} for s in fresh if s.name == one.segment]
    sections = {"segments": new} if new else {}
    return _wish(**sections, devices=[{"name": device.name, "interfaces": [made]}])


def _key(route: Route) -> tuple[str, str, bool]:
    """Devices tell the interface beside the next device; here it may be left out."""
    prefix = str(ipaddress.ip_network(route.prefix, strict=False))
    hop = str(ipaddress.ip_address(route.via)) if route.via else fold(route.interface or "")
    return prefix, hop, route.discard


def _way(route: Route) -> str:
    return "is dropped" if route.discard else f"goes by {route.via or route.interface}"


def _routes(old: Device, new: Device) -> Iterator[Otherwise]:
    told = () if new.routes is old.routes else new.routes
    here, there = ({_key(r): r for r in routes} for routes in (old.routes, told))
    for key, route in there.items():
        if key not in here:
            way: Data = {"via": route.via} if route.via else {"interface": route.interface}
            plain = {"prefix": route.prefix, **({"discard": True} if route.discard else way)}
            wish = _wish(devices=[{"name": old.name, "routes": {"merge": [plain]}}])
            yield Otherwise(f"{route.prefix} {_way(route)}, and here nothing says so", wish)
    for key, route in here.items():
        if key not in there:
            yield Otherwise(f"it has no route for {route.prefix}; here it {_way(route)}")


def _neighbours(data: Data, brought: Brought, device: Device, network: Network) -> Iterator[Otherwise]:
    """Addresses that were seen on a segment and that nobody has here."""
    known = {ipaddress.ip_address(a) for h in network.hosts for a in h.addresses}
    known |= {
        ipaddress.ip_address(a) for d in brought.network.devices for i in d.interfaces for a in i.addresses
    }
    prefixes = {fold(s.name): [ipaddress.ip_network(p) for p in s.prefixes] for s in brought.network.segments}
    own = named(network.devices, device.name).interfaces
    segments = {fold(i.name): i.segment for i in (*device.interfaces, *own)}
    taken = {fold(t.name) for t in network.address_things()}
    count = 0
    for interface, one in _listed(data):
        address, segment = _seen(one), segments.get(fold(interface))
        if address is None or address in known or segment is None:
            continue
        known.add(address)
        count += 1
        if count > MOST_NEIGHBOURS:
            yield Otherwise(f"more than {MOST_NEIGHBOURS} neighbours that no host is; the rest is left")
            return
        where = prefixes[fold(segment)]
        if where and not any(address in p for p in where):
            yield Otherwise(f"{address} is at {interface}, though it is none of {segment}")
        else:
            yield _neighbour(str(address), segment, interface, device, taken)


def _listed(data: Data) -> Iterator[tuple[str, Any]]:
    """Every neighbour with the name of the interface that it was seen at."""
    for interface in data[INTERFACES].get("interface", []):
        for family in ("ietf-ip:ipv4", "ietf-ip:ipv6"):
            for one in (interface.get(family) or {}).get("neighbor", []):
                yield str(interface.get("name")), one


def _seen(one: Any) -> Any:
    """The address of a neighbour that is there, and is one of its segment."""
    if not isinstance(one, dict) or one.get("state", SEEN[0]) not in SEEN:
        return None
    try:
        address = ipaddress.ip_address(str(one.get("ip")))
    except ValueError:
        return None
    return None if address.is_link_local or address.is_multicast else address


def _neighbour(address: str, segment: str, interface: str, device: Device, taken: set[str]) -> Otherwise:
    name = f"seen-{address.replace('.', '-').replace(':', '-')}"
    while fold(name) in taken:
        name += "-again"
    wish = _wish(
        hosts=[
            {
                "name": name, "segment": segment, "addresses": {"merge": [address]}, "held": "leased",
                "description": f"a neighbour of {device.name} at {interface}",
            }
        ]
    )  # fmt: skip
    return Otherwise(f"{address} is on {segment} ({interface}), and no host here has it", wish)
