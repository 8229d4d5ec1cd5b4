"""Which packets a change of the network can touch: a superset, as they are asked, of those that fare otherwise afterwards.

A packet fares otherwise only if one of its forms, on its way or on that of its answer, meets something that treats it otherwise:
a list of rules, of translations or of steering, or a device that leads its destination by another way. What lists treat otherwise is
told by their effects; what is led otherwise is found here. A packet that was translated before it got there had another address
when it was asked: so every address that a translation may have made of another stands for that one too.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from sarvex.core.change.effect import Effect, outcome_of
from sarvex.core.change.led_otherwise import hosts_otherwise, led_otherwise, touches_anything
from sarvex.core.forwarding.headers import from_sources, to_destinations, turned
from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.forwarding.translating import NONE, Translating
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.entries import match_of_entry
from sarvex.core.meaning.matches import EVERYTHING, Match
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, FIRST, PROTOCOL, SECOND, SOURCE, PacketSet
from sarvex.core.model.records import Device, Network, Translation, fold
from sarvex.core.sets import addresses, boxes
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.services import TOP, WITH_PORTS

MOST_BOXES = 400
"""More are taken together, and what lies between them with them."""
STOPS = ("drop", "reject")


def touched(
    old: Network,
    new: Network,
    names: tuple[Names, Names],
    effects: Iterable[Effect],
    at_places: Iterable[Effect] = (),
) -> PacketSet:
    """New packets, between what segments or devices own, that may fare otherwise afterwards; disjoint boxes.

    names: before and after, with the same classes of moments. effects: of every policy that does something else with some packet;
    at_places: of places where other policies are consulted, and of lists of devices. Raises what `Names` raises.
    O(changed products × translations) and the size of both grounds.
    """
    routings = routing_of(old), routing_of(new)
    felt = [match for effect in at_places for match in _felt(effect)]
    for effect in effects:
        felt += _where_consulted(
            list(_felt(effect)), {fold(effect.old.name), fold(effect.new.name)}, (old, new), routings
        )
    if touches_anything(old, new):
        felt = [EVERYTHING]
    before_translations = _Before([*_translations(old, names[0]), *_translations(new, names[1])])
    led = addresses.union((led_otherwise(*routings), hosts_otherwise(old, new, names)))
    sets = [before_translations.match(match).packets for match in felt]
    for ends in ((led, addresses.ANY), (addresses.ANY, led)):
        if led:
            sets.append(before_translations.match(Match(*ends, EVERYTHING.service, ())).packets)
    owned = addresses.union(routing.addressed for routing in routings)
    there = _few(packet_sets.union(sets))
    both = (_few(to_destinations(from_sources(one, owned), owned)) for one in (there, turned(there)))
    asked = packet_sets.union(both)
    return PacketSet(*(boxes.disjoint(asked[f]) for f in FAMILIES))


def _felt(effect: Effect) -> Iterator[Match]:
    """What passes in one version and not in the other, or becomes something else, or is not settled."""
    yield from effect.left
    for shift in effect.shifts:
        family = shift.parts[0].family
        was, now = (
            outcome_of(policy, at, family)[:2]
            for policy, at in ((effect.old, shift.before), (effect.new, shift.after))
        )
        if was != now and not (was[0] in STOPS and now[0] in STOPS):
            yield from (part.match for part in shift.parts)


def _where_consulted(
    felt: list[Match], called: set[str], networks: tuple[Network, Network], routings: tuple[Routing, Routing]
) -> Iterator[Match]:
    """What of some matches a policy is ever asked about: at a device for what is for it, or from it, its own addresses alone."""
    if not felt:
        return
    to, by = [], []
    for network, routing in zip(networks, routings, strict=True):
        for device in network.devices:
            for attached in device.policies:
                if fold(attached.policy) in called:
                    own = routing.own(device)
                    to.append(own if attached.stage == "to the device" else addresses.ANY)
                    by.append(own if attached.stage == "from the device" else addresses.ANY)
        if any(fold(at.policy) in called for at in network.at_hosts):
            to.append(addresses.ANY)
            by.append(addresses.ANY)
    ends = addresses.union(by), addresses.union(to)
    for match in felt:
        source, destination = (
            addresses.intersection(*both)
            for both in zip((match.source, match.destination), ends, strict=True)
        )
        if source and destination:
            yield replace(match, source=source, destination=destination)


def _few(what: PacketSet) -> PacketSet:
    """The same in few boxes, or, of many, the product that contains them all."""
    return PacketSet(*(_hull(what, f) if len(what[f]) > MOST_BOXES else what[f] for f in FAMILIES))


def _hull(what: PacketSet, family: int) -> boxes.Boxes:
    some = packet_sets.of_boxes(family, what[family])
    ends = [packet_sets.project(some, axis)[family] for axis in (SOURCE, DESTINATION)]
    while len(ends[0]) * len(ends[1]) > MOST_BOXES:
        longer = max((0, 1), key=lambda axis: len(ends[axis]))
        ends[longer] = ((ends[longer][0][0], ends[longer][-1][1]),)
    around = some[family][:, PROTOCOL:]
    rest = np.stack((around[:, :, 0].min(axis=0), around[:, :, 1].max(axis=0)), axis=1).tolist()
    return np.array([[*pair, *rest] for pair in product(*ends)], dtype=around.dtype)


# Translations before -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Made:
    """What a translation may make of which addresses."""

    of: AddressSet
    to: AddressSet
    ports: bool


def _translations(network: Network, names: Names) -> Iterator[_Made]:
    translating = Translating(names)
    for device in network.devices:
        if device.filtering == "stateless":
            continue
        for field in ("translate_destination", "translate_source"):
            for entry in getattr(device, field):
                if entry.enabled and entry.to != NONE:
                    yield from _made(entry, device, names, translating, field == "translate_destination")


def _made(
    entry: Translation, device: Device, names: Names, translating: Translating, inward: bool
) -> Iterator[_Made]:
    matched = match_of_entry(entry, names)
    for port in device.interfaces:
        to = addresses.union(translating.to(entry, port))
        for f in FAMILIES:
            spread = addresses.in_family(to, f)
            if spread:
                yield _Made(
                    addresses.in_family(matched.destination if inward else matched.source, f),
                    spread,
                    translating.changes_ports(entry, f, port),
                )


class _Before:
    """What was asked of which translations made what is met: its addresses and ports before all that may have changed them."""

    def __init__(self, made: list[_Made]) -> None:
        self._made = list(dict.fromkeys(made))

    def match(self, match: Match) -> Match:
        """All that a match's packets may have been, and they themselves, as new packets: what follows stands or falls with these."""
        source, ported = self._addresses(match.source)
        destination, ported_too = self._addresses(match.destination)
        service = match.service
        if ported or ported_too:
            service = replace(service, v4=_any_port(service.v4), v6=_any_port(service.v6))
        return Match(source, destination, service, ("new",), match.times)

    def _addresses(self, some: AddressSet) -> tuple[AddressSet, bool]:
        left, ports = list(self._made), False
        while met := [m for m in left if addresses.intersection(m.to, some)]:
            some = addresses.union((some, *(m.of for m in met)))
            ports |= any(m.ports for m in met)
            left = [m for m in left if m not in met]
        return some, ports


def _any_port(service: boxes.Boxes) -> boxes.Boxes:
    """Services whatever their ports."""
    out = service.copy()
    ported = np.isin(out[:, 0, 0], list(WITH_PORTS)) | (out[:, 0, 0] != out[:, 0, 1])
    out[ported, FIRST - PROTOCOL] = out[ported, SECOND - PROTOCOL] = (0, TOP)
    return out
