"""Findings about ways, clusters and devices themselves, in networks where they are known by hand."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from packet_model import FAILS, Model
from random_networks import random_network
from test_walk import OPEN, line, open_policy

from sarvex.core.findings import of_ways
from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_ways import findings_of_ways
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    Device,
    Interface,
    Network,
    Route,
    Rule,
    Segment,
    Zone,
)
from sarvex.core.sets import addresses


def found(network: Network, kind: str) -> list[Finding]:
    return [f for f in findings_of_ways(network, Names(network)) if f.kind == kind]


def harbour(*routes: Route, six: bool = True) -> Network:
    """quay and pier behind one lock, which joins the sea over IPv4; over IPv6 only if `six`."""
    sea = Interface(
        name="sea", segment="sea", zone="out", addresses=("203.0.113.2", *(("2001:db8::2",) if six else ()))
    )
    lock = Device(
        name="lock", zone_default=OPEN, routes=routes, management=("tcp/22",),
        interfaces=(
            sea,
            Interface(name="quay", segment="quay", zone="in", addresses=("10.44.1.1", "fd00:44:1::1")),
            Interface(name="pier", segment="pier", zone="in", addresses=("10.44.2.1",)),
        ),
    )  # fmt: skip
    segments = (
        Segment(name="sea", outside=True),
        Segment(name="quay", prefixes=("10.44.1.0/24", "fd00:44:1::/64")),
        Segment(name="pier", prefixes=("10.44.2.0/24",)),
    )
    zones = (Zone(name="out", depth=0), Zone(name="in", depth=2))
    return Network(name="harbour", devices=(lock,), segments=segments, zones=zones)


def test_a_family_without_a_way_out_is_told_at_the_device_without_a_route() -> None:
    (finding,) = found(harbour(six=False), "no way out")
    assert (finding.name, finding.fact("family"), finding.fact("segments")) == ("lock", 6, ("quay",))
    assert not found(harbour(), "no way out")
    by_route = Route(prefix="::/0", via="2001:db8::1", interface="sea")
    assert not found(harbour(by_route, six=False), "no way out")


def test_who_has_no_way_out_at_all_is_not_meant_to_get_out() -> None:
    network = harbour(six=False)
    lock = network.devices[0]
    shut = replace(network, devices=(replace(lock, interfaces=lock.interfaces[1:]),))
    assert not found(shut, "no way out")


def test_answers_that_no_way_brings_back_are_told_by_where_they_are_lost() -> None:
    near, far = line().devices
    astray = replace(far, routes=(Route(prefix="10.44.9.0/24", via="10.44.2.1"),))
    network = replace(line(), devices=(near, astray))
    network = replace(network, segments=tuple(replace(s, gateways=()) for s in network.segments))
    (finding,) = found(network, "one way out")
    assert finding.fact("why") == "the answer finds no route at far"
    assert (finding.fact("sources"), finding.fact("destinations")) == (("quay",), ("island",))
    assert not found(line(), "one way out")


def test_only_those_segments_are_told_together_that_lose_the_same() -> None:
    """far answers quay by near, and knows no way to the yard, which near leads to it as well."""
    near, far = line().devices
    yard = Interface(name="n2", segment="yard", addresses=("10.44.4.1",))
    network = replace(
        line(),
        segments=(*line().segments, Segment(name="yard", prefixes=("10.44.4.0/24",))),
        devices=(replace(near, interfaces=(*near.interfaces, yard)), far),
    )
    (finding,) = found(network, "one way out")
    assert (finding.fact("sources"), finding.fact("destinations")) == (("yard",), ("island",))


def test_hosts_that_fare_alike_are_asked_about_once() -> None:
    near, far = line().devices
    more = [
        (
            Interface(name=f"m{k}", segment=f"m{k}", addresses=(f"10.45.{k}.1",)),
            Segment(name=f"m{k}", prefixes=(f"10.45.{k}.0/24",)),
        )
        for k in range(40)
    ]
    many = replace(far, interfaces=(*far.interfaces, *(i for i, _ in more)))
    toward = replace(near, routes=(*near.routes, Route(prefix="10.45.0.0/16", via="10.44.2.2")))
    network = replace(line(), devices=(toward, many), segments=(*line().segments, *(s for _, s in more)))
    examples = of_ways._Examples(network, routing_of(network))
    assert len(examples.everywhere.v4) <= 4
    assert len(examples.segments(examples.everywhere)) == 42  # all but the wire between the two


def test_a_policy_that_drops_all_hides_no_lost_answer() -> None:
    near, far = line().devices
    astray = replace(far, routes=(Route(prefix="10.44.9.0/24", via="10.44.2.1"),))
    shut = replace(near, policies=(Attachment(policy="shut"),))
    network = replace(
        line(), devices=(shut, astray), policies=(replace(open_policy("shut"), default="drop"),)
    )
    assert len(found(network, "one way out")) == 1


def test_lost_answers_are_lost_in_the_model_too(rng: random.Random) -> None:
    told = 0
    for _ in range(150):
        network = random_network(rng, devices=3)
        opened = tuple(replace(d, policies=(), zone_default=OPEN) for d in network.devices)
        bare = replace(network, devices=opened, policies=(), at_hosts=())
        model = Model(bare)
        for finding in found(network, "one way out"):
            packet = packet_of(finding.fact("sample"))
            told += 1
            assert model.asked(packet) == {FAILS}, (finding, network)
    assert told > 5


def packet_of(text: str):  # type: ignore[no-untyped-def]
    """The packet of a sample as it is told."""
    from oracle import Packet

    src, _, dst, service, _, port = text.split()
    ends = [addresses.parse(end) for end in (src, dst)]
    family = 4 if ends[0].v4 else 6
    a, b = (end[family][0][0] for end in ends)
    return Packet(family, a, b, 6, int(port), int(service.removeprefix("tcp/")), "new")


@pytest.mark.parametrize("members", [("a", "a"), ("a", "b"), ("", "")])
def test_members_of_one_cluster_decide_alike(members: tuple[str, str]) -> None:
    near, far = line().devices
    lists = (Attachment(policy="p"),)
    pair = (replace(near, cluster=members[0], policies=lists), replace(far, cluster=members[1]))
    network = replace(line(), devices=pair, policies=(open_policy("p"),))
    told = found(network, "cluster members differ")
    assert [(f.name, f.fact("differing")) for f in told] == (
        [("far", ("policies",))] if members == ("a", "a") else []
    )
    same = replace(network, devices=(pair[0], replace(pair[1], policies=lists)))
    assert not found(same, "cluster members differ")


def answers(name: str, *states: str) -> Rule:
    everything = {"source": ("any",), "destination": ("any",), "service": ("any",)}
    return Rule(name=name, action="allow", states=states, **everything)  # type: ignore[arg-type]


def test_rules_about_answers_alone_are_told_where_answers_are_not_asked_about() -> None:
    near, far = line().devices
    policy = open_policy("p", answers("back", "established"), answers("both", "new", "established"))
    network = replace(
        line(), devices=(replace(near, policies=(Attachment(policy="p"),)), far), policies=(policy,)
    )
    told = found(network, "never consulted for answers")
    assert [(f.policy, f.rule, f.by) for f in told] == [("p", "back", ("near",))]
    forgetful = replace(network, devices=(replace(network.devices[0], filtering="stateless"), far))
    assert not found(forgetful, "never consulted for answers")


def test_who_reaches_the_management_is_told_from_the_outermost_on() -> None:
    (finding,) = found(harbour(), "exposed management")
    assert (finding.name, finding.weight, finding.fact("zones")) == ("lock", "warning", ("out", "in"))
    ssh = Rule(
        name="ssh", action="allow", source=("10.44.1.0/24",), destination=("any",), service=("tcp/22",)
    )
    network = harbour()
    kept = replace(
        network,
        policies=(replace(open_policy("own", ssh), default="drop"),),
        devices=(replace(network.devices[0], policies=(Attachment(policy="own", stage="to the device"),)),),
    )
    (finding,) = found(kept, "exposed management")
    assert (finding.weight, finding.fact("zones")) == ("note", ("in",))
    assert addresses.covers(
        routing_of(kept).own(kept.devices[0]), addresses.parse(finding.fact("sample").split()[2])
    )
