"""A segment that is not there yet, on a device in a zone: what it would reach and who would reach it, by hand."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace

import pytest
from oracle import Packet
from random_networks import random_line, random_network, translating
from test_network_effect import Circling, Patient, fare, left_open, told

from sarvex.core.change.network_effect import newcomer_effect
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Device, Interface, Network, Route, Segment
from sarvex.core.reach.newcomer import grown
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow

NEW = Segment(name="spare", prefixes=("10.77.5.0/28", "fd00:77:5::/64"))


def test_its_hosts_reach_and_are_reached_as_by_hand(rng: random.Random) -> None:
    seen: Counter[str] = Counter()
    for index in range(20):
        old = random_line(rng) if index % 3 else translating(rng, random_network(rng, devices=4))
        home = rng.choice(old.devices)
        zone = rng.choice([*(z.name for z in old.zones), None])
        network = grown(old, NEW, home.name, zone)
        if problems(network):
            continue
        names, model = Names(network), Patient(network)
        effect = newcomer_effect(network, names, NEW)
        assert effect.complete
        for _ in range(40):
            family = rng.choice((4, 6))
            mine = addresses.parse("10.77.5.9" if family == 4 else "fd00:77:5::9")[family][0][0]
            others = [a for s in old.segments for p in s.prefixes for a in addresses.parse(p)[family]]
            if not others:
                continue
            low, high = rng.choice(others)
            there = min(high, low + rng.randrange(1, 14))
            src, dst = rng.choice([(mine, there), (there, mine)])
            p = Packet(family, src, dst, rng.choice((6, 17)), 49152, rng.choice((53, 443)), "new")
            if model.holders(family, src):
                continue  # what devices send themselves is not told of newcomers
            try:
                wanted = fare(model, p)
            except Circling:
                continue
            found = told(effect, Flow(family, src, dst, p.proto, p.first, p.second, "new"))
            if found != ([] if wanted == "blocked" else [("blocked", wanted)]):
                assert left_open(network, p), (p, found, wanted, network)
            seen[wanted] += 1
    assert seen["allowed"] > 20 and seen["blocked"] > 20, seen


def test_it_is_led_to_as_its_neighbours_are_and_nowhere_else() -> None:
    def device(name: str, *ports: tuple[str, str], routes: tuple[Route, ...] = ()) -> Device:
        made = tuple(Interface(name=s, segment=s, addresses=(a,), zone=None) for s, a in ports)
        return Device(name=name, interfaces=made, routes=routes)

    network = Network(
        name="pier",
        segments=(
            Segment(name="quay", prefixes=("10.44.1.0/24",)), Segment(name="ring", prefixes=("10.44.2.0/28",)),
            Segment(name="shed", prefixes=("10.44.3.0/24",)),
        ),
        devices=(
            device("near", ("quay", "10.44.1.1"), ("ring", "10.44.2.1"), routes=(Route(prefix="10.44.3.0/24", via="10.44.2.2"),)),
            device("far", ("ring", "10.44.2.2"), ("shed", "10.44.3.1"), routes=(Route(prefix="10.44.1.0/24", via="10.44.2.1", metric=5),)),
        ),
    )  # fmt: skip
    new = replace(NEW, prefixes=NEW.prefixes[:1])
    near, far = grown(network, new, "near", None).devices
    assert [i.addresses for i in near.interfaces][-1] == ("10.77.5.1",) and near.routes == network.devices[
        0
    ].routes
    assert far.routes[1:] == (Route(prefix="10.77.5.0/28", via="10.44.2.1", metric=5),)
    with pytest.raises(KeyError):
        grown(network, new, "nowhere", None)
