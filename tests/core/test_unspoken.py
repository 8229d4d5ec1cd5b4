"""Who manages devices from where, and what reaches deep unsaid: against questions about each pair by itself."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace

from random_networks import random_line, random_network, translating

from sarvex.core.forwarding.routing import routing_of
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Expectation, Network, Segment
from sarvex.core.reach.infrastructure import infrastructure
from sarvex.core.reach.reach import reach_of
from sarvex.core.reach.unspoken import deepest, depths, managed
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.services import ServiceSet


def drawn(rng: random.Random, index: int) -> Network:
    network = random_line(rng) if index % 3 else translating(rng, random_network(rng, devices=4))
    return replace(
        network, devices=tuple(replace(d, management=("tcp/22", "tcp/443")) for d in network.devices)
    )


def works(
    network: Network, names: Names, source: AddressSet, to: AddressSet, service: ServiceSet, at: str = ""
) -> PacketSet:
    parts = trace(network, names, Question(source, to, service)).parts
    return packet_sets.union(
        p.packets for p in parts if p.result == "delivered" and at in ("", p.destination_segment)
    )


def test_those_who_reach_the_management_of_a_device_are_told(rng: random.Random) -> None:
    seen: Counter[bool] = Counter()
    for index in range(10):
        network = drawn(rng, index)
        names, routing = Names(network), routing_of(network)
        service = services.union(map(services.parse, ("tcp/22", "tcp/443")))
        for one in managed(reach_of(network, names)):
            for segment in network.segments:
                hosts = addresses.difference(routing.hosts(segment), routing.unrouted)
                wanted = bool(hosts) and bool(
                    works(network, names, hosts, routing.own(one.device), service, one.device.name)
                )
                assert (segment in one.segments) == wanted, (one.device.name, segment.name, network)
                seen[wanted] += 1
    assert seen[True] > 3 and seen[False] > 3, seen


def test_what_reaches_deep_and_is_not_spoken_of_is_told(rng: random.Random) -> None:
    seen: Counter[str] = Counter()
    for index in range(10):
        network = drawn(rng, index)
        routing, depth = routing_of(network), depths(network)
        some = [s.name for s in network.segments if s.prefixes]
        spoken = Expectation(
            name="e", source=(rng.choice(some),), destination=tuple(some), service=("tcp",), must="allowed"
        )
        network = replace(network, expectations=(spoken,))
        names = Names(network)
        told = {(d.source.name, d.destination.name): d for d in deepest(reach_of(network, names))}
        rest = services.difference(services.ANY, infrastructure(names))

        def hosts(segment: Segment, routing=routing) -> AddressSet:  # type: ignore[no-untyped-def]
            return addresses.difference(routing.hosts(segment), routing.unrouted)

        for source in network.segments:
            service = (
                services.difference(rest, services.parse("tcp")) if source.name in spoken.source else rest
            )
            for destination in network.segments:
                steps = depth.get(destination.name.casefold(), 0) - depth.get(source.name.casefold(), 0)
                one = told.get((source.name, destination.name))
                if steps <= 0:
                    assert one is None
                    continue
                of = service if destination.name in spoken.destination else rest
                wanted = works(network, names, hosts(source), hosts(destination), of)
                found = one.packets if one else packet_sets.NOTHING
                assert packet_sets.covers(wanted, found) and packet_sets.covers(found, wanted), (
                    source.name,
                    destination.name,
                    network,
                )
                seen["told" if one else "nothing"] += 1
                assert one is None or one.steps == steps
    assert min(seen.values()) > 1 and len(seen) == 2, seen
