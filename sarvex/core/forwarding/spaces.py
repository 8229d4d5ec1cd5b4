"""The classes of addresses that a network tells apart: by its ground, its lists and its translations."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator

from sarvex.core.forwarding.parties import parties
from sarvex.core.forwarding.routing import Routing
from sarvex.core.forwarding.translating import NONE, Translating
from sarvex.core.meaning.entries import match_of_entry
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names, pieces
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE
from sarvex.core.model.records import Device, Network, Translation, fold
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.tables.address_classes import Move
from sarvex.core.tables.table import Space, cells

Told = tuple[Network, Names, Routing]
"""A network with its names, and its routing, some of it unplugged or not."""


def space_of(versions: Iterable[Told]) -> Space:
    """Tables of packets in some networks. Raises what `Names` raises, and `TooManyClasses`."""
    sets: dict[AddressSet, None] = {}
    chosen: dict[AddressSet, None] = {}
    moves: dict[int, list[Move]] = defaultdict(list)
    for network, names, routing in versions:
        sets |= dict.fromkeys(_of_ground(network, routing))
        sets |= dict.fromkeys(_of_policies(network, names))
        sets |= dict.fromkeys(_of_expectations(network, names))
        chosen |= dict.fromkeys(_chosen(network, names))
        for family, move in _moves(network, names):
            if move not in moves[family]:
                moves[family].append(move)
    return Space(sets, moves, cells(), chosen)


def _of_ground(network: Network, routing: Routing) -> Iterator[AddressSet]:
    """What routes, wires and owners tell apart."""
    yield routing.unrouted
    yield routing.all_own
    for segment in network.segments:
        yield routing.owned(segment)
        yield from (reached.share for reached in routing.on_wire(segment, addresses.ANY))
    for device in network.devices:
        yield routing.own(device)
        yield from (addresses.parse(a) for i in device.interfaces for a in i.addresses)
        yield from (share for share, _ in routing.towards(device, addresses.ANY))
        for entry in device.steering:
            yield from (share for share, _ in routing.steered(device, entry, addresses.ANY))


def _of_policies(network: Network, names: Names) -> Iterator[AddressSet]:
    """What lists tell apart that are consulted somewhere."""
    consulted = {fold(a.policy) for d in network.devices for a in d.policies}
    consulted |= {fold(at.policy) for at in network.at_hosts}
    for policy in network.policies:
        if fold(policy.name) in consulted:
            for match in matches_of(policy, names):
                yield match.source
                yield match.destination
    yield names.known().hosts
    for at in network.at_hosts:
        yield addresses.union(names.address(h) for h in at.hosts)
    translating = Translating(names)
    for device in network.devices:
        for entry in device.entries:
            match = match_of_entry(entry, names)
            yield match.source
            yield match.destination
        for translation in _translations(device):
            if translation.to != NONE:
                for port in device.interfaces:
                    yield from translating.to(translation, port)


def _of_expectations(network: Network, names: Names) -> Iterator[AddressSet]:
    """What is spoken of that must hold."""
    for one in network.expectations:
        for members in (one.source, one.destination):
            yield parties(members, names)


def _translations(device: Device) -> tuple[Translation, ...]:
    return (*device.translate_destination, *device.translate_source)


def _chosen(network: Network, names: Names) -> Iterator[AddressSet]:
    """Of what translations choose one: a choice is followed stretch by stretch."""
    translating = Translating(names)
    for device in network.devices:
        for entry in _translations(device):
            if entry.to != NONE:
                for port in device.interfaces:
                    yield addresses.union(translating.to(entry, port))


def _moves(network: Network, names: Names) -> Iterator[tuple[int, Move]]:
    """By how much translations move which addresses."""
    translating = Translating(names)
    for device in network.devices:
        for axis, entries in ((DESTINATION, device.translate_destination), (SOURCE, device.translate_source)):
            for entry in entries:
                if entry.to == NONE or not entry.enabled:
                    continue
                members = entry.destination if axis == DESTINATION else entry.source
                for family in FAMILIES:
                    found = {translating.moves_by(entry, axis, family, port) for port in device.interfaces}
                    matched = [p for m in members for one in pieces(m, names) for p in one[family]]
                    for by in found - {None, 0}:
                        assert by is not None
                        yield family, (*matched[0], by)
