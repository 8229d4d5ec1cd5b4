"""Ways around a block: what is told to work does by hand, also while something is unplugged, and what works is told."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace

import pytest
from packet_model import WORKS, Model
from random_networks import aimed_packet
from test_expectations import _speaks, drawn, flow_of, packet_of, random_expectation

from sarvex.core.forwarding.walk import TooWide
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Expectation, Network, Policy, Rule
from sarvex.core.reach.expectations import Judged, how_it_comes
from sarvex.core.reach.reach import reach_of
from sarvex.core.reach.ways_around import Way, ways_around, ways_while_unplugged
from sarvex.core.sets import addresses
from sarvex.formats import document

TWO_WAYS = """
sarvex: 1
name: two ways
segments:
  - {name: quay, prefixes: [10.44.1.0/24, "fd44:1::/64"], gateways: [front]}
  - {name: ring, prefixes: [10.44.9.0/24, "fd44:9::/64"]}
  - {name: back-ring, prefixes: [10.44.8.0/24]}
  - {name: pumps, prefixes: [10.44.2.0/24, "fd44:2::/64"], gateways: [spare]}
services:
  - {name: depth-meter, members: [tcp/7700, udp/7701]}
policies:
  - {name: shut, default: allow, rules: [{name: no meters, action: drop, source: [quay], destination: [pumps], service: [tcp/7700]}]}
devices:
  - name: front
    zone_default: {mode: open}
    interfaces:
      - {name: a, segment: quay, addresses: [10.44.1.1, "fd44:1::1"]}
      - {name: b, segment: ring, addresses: [10.44.9.1, "fd44:9::1"]}
      - {name: c, segment: back-ring, addresses: [10.44.8.1]}
    routes:
      - {prefix: 10.44.2.0/24, via: 10.44.9.2, metric: 1}
      - {prefix: 10.44.2.0/24, via: 10.44.8.3, metric: 9}
  - name: back
    zone_default: {mode: open}
    interfaces:
      - {name: a, segment: ring, addresses: [10.44.9.2, "fd44:9::2"]}
      - {name: b, segment: pumps, addresses: [10.44.2.1, "fd44:2::1"]}
    routes: [{prefix: 10.44.1.0/24, via: 10.44.9.1}]
    policies: [{policy: shut}]
  - name: spare
    zone_default: {mode: open}
    interfaces:
      - {name: a, segment: back-ring, addresses: [10.44.8.3]}
      - {name: b, segment: pumps, addresses: [10.44.2.2, "fd44:2::2"]}
    routes: [{prefix: 10.44.1.0/24, via: 10.44.8.1}]
"""
BACK_BY_THE_SAME = TWO_WAYS.replace("gateways: [spare]", "gateways: [back]")
METERS = Expectation(
    name="no meters", source=("quay",), destination=("pumps",), service=("tcp/7700",), must="blocked"
)


def two_ways(text: str = TWO_WAYS) -> Network:
    network = document.load(text)
    assert not problems(network)
    return network


def told(found: list[Way]) -> list[tuple[str, str, tuple[str, ...], str]]:
    return [(w.kind, w.by or w.unplugged, w.judged.expectation.service, w.judged.verdict) for w in found]


LEASED = BACK_BY_THE_SAME.replace(
    "services:\n",
    """hosts:
  - {name: gauge, segment: quay, addresses: [10.44.1.20], held: leased}
  - {name: winch, segment: quay, addresses: [10.44.1.30]}
services:
""",
)


def test_a_host_with_a_leased_address_gets_by_with_another() -> None:
    """What is told as its other addresses is the rest of its segment, but what others have for good; of fixed ones nothing is told."""
    shut = LEASED.replace("source: [quay]", "source: [gauge]")
    network = two_ways(shut)
    names = Names(network)
    block = replace(METERS, source=("gauge",))
    (leased,) = [w for w in ways_around(block, network, names) if w.kind == "leased address"]
    source = leased.judged.expectation.source
    assert leased.by == "gauge" and leased.works and source[1] == "10.44.1.2-10.44.1.19"
    some = addresses.union(map(names.address, source))
    assert not addresses.intersection(
        some, addresses.union(map(names.address, ("gauge", "winch", "10.44.1.1")))
    )
    for host in ("10.44.1.21", "10.44.1.200", "fd44:1::7"):
        assert addresses.covers(some, addresses.parse(host))
    for spoken in (("winch",), ("quay",)):
        assert not [
            w
            for w in ways_around(replace(block, source=spoken), network, names)
            if w.kind == "leased address"
        ]


def test_the_rest_of_the_application_and_the_other_way() -> None:
    network = two_ways()
    found = told(ways_around(METERS, network, Names(network)))
    assert ("same application", "depth-meter", ("udp/7701",), "broken") in found
    assert ("same application", "tcp/7700 by another transport", ("udp/7700", "sctp/7700"), "broken") in found
    assert found[-1][0] == "other direction"
    known = reach_of(network, names := Names(network))
    assert told(ways_around(METERS, network, names, known)) == found


def test_the_other_family_where_both_have_one() -> None:
    network = two_ways(BACK_BY_THE_SAME)
    four = replace(METERS, source=("10.44.1.0/24",), destination=("10.44.2.0/24",))
    route = tuple(
        replace(d, routes=(*d.routes, replace(d.routes[0], prefix="fd44:2::/64", via="fd44:9::2", metric=1)))
        if d.name == "front"
        else replace(d, routes=(*d.routes, replace(d.routes[0], prefix="fd44:1::/64", via="fd44:9::1")))
        for d in network.devices
    )
    open_six = replace(network, devices=route)
    rule = replace(network.policies[0].rules[0], source=("10.44.1.0/24",), destination=("10.44.2.0/24",))
    open_six = replace(open_six, policies=(replace(network.policies[0], rules=(rule,)),))
    (way,) = [w for w in ways_around(four, open_six, Names(open_six)) if w.kind == "other family"]
    assert way.works and way.judged.expectation.source[-1] == "fd44:1::2-fd44:1::ffff:ffff:ffff:ffff"
    kept = [
        w
        for w in ways_around(four, replace(open_six, policies=network.policies), Names(open_six))
        if w.kind == "other family"
    ]
    assert kept == [] or not kept[0].works


def test_while_the_guarded_way_is_unplugged_another_leads_around() -> None:
    network = two_ways()
    found, _ = ways_while_unplugged(METERS, network, Names(network))
    assert [(w.unplugged, w.works) for w in found] == [("front.b", True)]
    sample, parts = how_it_comes(found[0].judged, network, Names(network), found[0].without)
    assert sample and parts and {s.device for s in parts[0].steps} == {"front", "spare"}
    guarded = replace(
        network,
        devices=tuple(
            replace(d, policies=network.devices[1].policies) if d.name == "spare" else d
            for d in network.devices
        ),
    )
    assert ways_while_unplugged(METERS, guarded, Names(guarded)) == ([], [])


def test_the_address_before_translation() -> None:
    text = BACK_BY_THE_SAME.replace(
        "    routes:\n      - {prefix: 10.44.2.0/24, via: 10.44.9.2, metric: 1}",
        "    translate_destination: [{name: meters, destination: [10.44.9.200], service: [tcp/80], to: [10.44.2.10], port: '7700'}]\n"
        "    routes:\n      - {prefix: 10.44.2.0/24, via: 10.44.9.2, metric: 1}",
    )
    network = document.load(text)
    only_quay = replace(network.policies[0].rules[0], source=("10.44.1.0/25",))
    network = replace(network, policies=(replace(network.policies[0], rules=(only_quay,)),))
    half = replace(METERS, source=("10.44.1.0/25",))
    assert not [
        w for w in ways_around(half, network, Names(network)) if w.kind == "before translation" and w.works
    ]
    asked = replace(METERS, source=("10.44.1.128/26",))
    found = [w for w in ways_around(asked, network, Names(network)) if w.kind == "before translation"]
    assert [(w.by, w.judged.expectation.destination, w.works) for w in found] == [
        ("front, meters", ("10.44.9.200",), True)
    ]


def test_nothing_is_around_what_must_be_allowed_and_time_runs_out_in_words() -> None:
    network = two_ways()
    assert ways_around(replace(METERS, must="allowed"), network, Names(network)) == []
    assert ways_while_unplugged(replace(METERS, must="allowed"), network, Names(network)) == ([], [])
    found, untried = ways_while_unplugged(METERS, network, Names(network), lambda: False)
    assert found == [] and untried[:2] == ["front.a", "front.b"] and untried[-1] == "spare"
    with pytest.raises(TooWide):
        ways_around(METERS, network, Names(network), go_on=lambda: False)


def test_services_of_many_ports_are_no_application() -> None:
    network = two_ways()
    for service in ("any", "tcp", "tcp/1-60000"):
        kinds = {w.kind for w in ways_around(replace(METERS, service=(service,)), network, Names(network))}
        assert "same application" not in kinds


def test_what_is_told_works_by_hand_and_what_works_is_told(rng: random.Random) -> None:
    """While each interface and device of random networks is unplugged."""
    seen: Counter[str] = Counter()
    for index in range(20):
        network = drawn(rng, index)
        names = Names(network)
        of = replace(random_expectation(rng, network, 0), must="blocked", service=("any",))
        found, _ = ways_while_unplugged(of, network, names)
        for way in found:
            sample, parts = how_it_comes(way.judged, network, names, way.without)
            assert sample is not None
            model = Model(network, (way.unplugged,))
            if way.works:
                assert parts and WORKS in set(model.asked(packet_of(sample))), (way, network)
                seen["works"] += 1
        said = packet_sets.union(p for w in found for p in (w.judged.against, w.judged.open))
        speaks = Judged(of, "kept")
        plain = Model(network, ())
        unplugged = [d.name for d in network.devices] + [
            f"{d.name}.{i.name}" for d in network.devices for i in d.interfaces if i.segment
        ]
        for _ in range(30):
            p = aimed_packet(rng, network)
            if p.state != "new" or plain.special(p.family, p.src) or plain.special(p.family, p.dst):
                continue
            if not _speaks(speaks, network, p) or WORKS in set(plain.asked(p)):
                continue
            name = rng.choice(unplugged)
            if WORKS in set(Model(network, (name,)).asked(p)):
                assert packet_sets.contains(said, flow_of(p)) or "unknown" in str(set(plain.asked(p))), (
                    name,
                    p,
                    of,
                    network,
                )
                seen["around"] += 1
    assert seen["works"], seen


def test_beside_a_block_what_is_told_works_by_hand(rng: random.Random) -> None:
    seen = 0
    for index in range(12):
        network = drawn(rng, index)
        names, model = Names(network), Model(network, ())
        of = replace(
            random_expectation(rng, network, 0), must="blocked", service=(rng.choice(["tcp/443", "udp/53"]),)
        )
        for way in ways_around(of, network, names):
            sample, _ = how_it_comes(way.judged, network, names)
            assert sample is not None
            if way.works:
                assert WORKS in set(model.asked(packet_of(sample))), (way, network)
                seen += 1
    assert seen > 3


def test_a_block_rule_with_no_policy_around_it() -> None:
    """Nothing is there at all: nothing works, and nothing is told."""
    empty = Network(name="e", policies=(Policy(name="p", default="drop", rules=(
        Rule(name="r", action="drop", source=("any",), destination=("any",), service=("any",)),
    )),))  # fmt: skip
    of = replace(METERS, source=("10.44.1.1",), destination=("10.44.2.1",))
    assert not [w for w in ways_around(of, empty, Names(empty)) if w.works]
    assert ways_while_unplugged(of, empty, Names(empty)) == ([], [])
