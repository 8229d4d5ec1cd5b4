"""The pairs that expectations speak of: those, and no others, whose addresses lie in both ends."""

from __future__ import annotations

import random
from collections import defaultdict
from dataclasses import replace

from random_networks import random_network
from test_expectations import SELLING, quay, random_expectation

from sarvex.core.forwarding.parties import parties
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Device, Expectation, Network
from sarvex.core.reach.expectations import judged
from sarvex.core.reach.mentioned import mentioned
from sarvex.core.sets import addresses


def told(network: Network) -> dict[tuple[str, str, bool], list[str]]:
    names = Names(network)
    found = mentioned(judged(network, names, network.expectations), network, names)
    return {
        (m.source.name, m.destination.name, isinstance(m.destination, Device)): [j.expectation.name for j in m.by] for m in found
    }  # fmt: skip


def test_hosts_segments_and_devices_themselves() -> None:
    to_lock = Expectation(
        name="m", source=("quay",), destination=("lock",), service=("tcp/22",), must="blocked"
    )
    all_out = replace(to_lock, name="all", source=("any",), destination=("plant",))
    network = quay(SELLING, to_lock, all_out)
    assert told(network) == {
        ("quay", "pumps", False): ["selling", "all"],
        ("quay", "lock", True): ["m"],
    }


def test_what_has_ended_or_speaks_of_nothing_marks_no_pair() -> None:
    ended = replace(SELLING, until="2020-01-01")
    nobody = replace(SELLING, name="nobody", source=("10.44.1.7",), destination=("fd44:2::9",))
    assert told(quay(ended, nobody)) == {}


def test_a_pair_is_marked_where_some_address_of_both_is_meant(rng: random.Random) -> None:
    seen = 0
    for _ in range(12):
        network = random_network(rng, devices=3)
        network = replace(network, expectations=tuple(random_expectation(rng, network, n) for n in range(4)))
        names, routing = Names(network), routing_of(network)
        wanted = defaultdict(list)
        for one in network.expectations:
            source, destination = parties(one.source, names), parties(one.destination, names)
            if not any(source[f] and destination[f] for f in (4, 6)):
                continue
            for s in network.segments:
                ends = [(d.name, False, routing.hosts(d)) for d in network.segments if d is not s]
                ends += [(d.name, True, routing.own(d)) for d in network.devices]
                for name, itself, own in ends:
                    if addresses.intersection(source, routing.hosts(s)) and addresses.intersection(
                        destination, own
                    ):
                        wanted[s.name, name, itself].append(one.name)
        found = told(network)
        assert found == dict(wanted), network
        seen += len(found)
    assert seen > 20


def test_only_the_pair_that_breaks_it_is_bad() -> None:
    """Of two destinations one is reached."""
    out = Expectation(
        name="out", source=("quay",), destination=("pumps", "lock"), service=("any",), must="blocked"
    )
    network = quay(out)
    names = Names(network)

    def bad_of(one: Expectation) -> dict[tuple[str, str], int]:
        told = judged(network, names, [one])
        assert told[0].verdict in ("broken", "undetermined")
        return {(m.source.name, m.destination.name): len(m.bad) for m in mentioned(told, network, names)}

    assert bad_of(out) == {("quay", "pumps"): 1, ("quay", "lock"): 1}
    assert bad_of(replace(out, at="sat 03:00")) == {("quay", "pumps"): 0, ("quay", "lock"): 1}
