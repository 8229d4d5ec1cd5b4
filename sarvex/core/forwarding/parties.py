"""Who is meant by a name in a question or an expectation: what is meant by it in a rule, or else a zone."""

from __future__ import annotations

from collections.abc import Iterable

from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning.names import Names, UnknownName
from sarvex.core.model.records import fold
from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.cache import Bounded

MOST_KEPT = 4_000
FEW = 4
"""Fewer addresses than a segment has are meant one by one."""


def party(name: str, names: Names) -> AddressSet:
    """The addresses of a host, segment, address object, device, zone, user or literal; of one name the first of these.

    Raises `UnknownName`.
    """
    try:
        return names.address(name)
    except UnknownName:
        bearer = names.beside.get(fold(name))
        if bearer is None or bearer.kind != "zone":
            raise
        return addresses.union(
            names.owned_by_segment[fold(i.segment)]
            for device in names.network.devices
            for i in device.interfaces
            if i.segment is not None and fold(i.zone or "") == fold(name)
        )


def device_itself(name: str, names: Names) -> AddressSet:
    """A device's own addresses. Raises `UnknownName`."""
    device = next((d for d in names.network.devices if fold(d.name) == fold(name)), None)
    if device is None:
        raise UnknownName(f"no device is called {name!r}")
    return routing_of(names.network).own(device)


def parties(members: Iterable[str], names: Names) -> AddressSet:
    """Who is meant by some members together, worked out once for its names. Raises what `Names` raises."""
    kept: Bounded[tuple[str, ...], AddressSet] = names.keep("parties", lambda: Bounded(MOST_KEPT))
    listed = tuple(members)
    return kept.get(
        listed, lambda: addresses.union(hosts_of(party(member, names), names) for member in listed)
    )


def hosts_of(named: AddressSet, names: Names) -> AddressSet:
    """What somebody means who names many addresses: hosts, not the devices among them. A device by itself stays."""
    if intervals.size(named.v4) + intervals.size(named.v6) < FEW:
        return named
    apart = addresses.difference(named, routing_of(names.network).all_own)
    return apart or named
