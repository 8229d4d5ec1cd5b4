"""Traces of whole sets against an independent model that leads single packets by hand."""

from __future__ import annotations

import random
from collections import Counter

import path_oracle
import pytest

from sarvex.core.forwarding.paths import Question, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Device,
    Host,
    HostAttachment,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
)
from sarvex.core.sets import addresses, services
from sarvex.core.sets.flows import Flow

NETWORKS = 40
PACKETS = 60
EVERYTHING = Question(addresses.ANY, addresses.ANY, services.ANY)


def test_traces_agree_with_packets_led_by_hand(rng: random.Random) -> None:
    seen: Counter[str] = Counter()
    for _ in range(NETWORKS):
        network = path_oracle.random_network(rng)
        assert not problems(network)
        parts = trace(network, Names(network), EVERYTHING).parts
        for _ in range(PACKETS):
            p = path_oracle.random_packet(rng, network)
            flow = Flow(4, p.src, p.dst, p.proto, p.first, p.second, "new")
            told = {part.result for part in parts if packet_sets.contains(part.packets, flow)}
            assert told == path_oracle.fates(network, p), (flow, network)
            seen.update(told)
    assert {"delivered", "dropped", "no route", "undetermined"} <= seen.keys(), seen


def open_policy(name: str, *rules: Rule) -> Policy:
    return Policy(name=name, default="allow", rules=rules)


def block(name: str, source: str, destination: str) -> Rule:
    return Rule(name=name, action="drop", source=(source,), destination=(destination,), service=("any",))


def line(*, back: bool = True) -> Network:
    """quay – near – middle – far – island, routed both ways; `back` says whether far knows the way home."""
    near = Device(
        name="near",
        interfaces=(
            Interface(name="n0", segment="quay", addresses=("10.44.1.1",)),
            Interface(name="n1", segment="middle", addresses=("10.44.2.1",)),
        ),
        routes=(Route(prefix="10.44.3.0/24", via="10.44.2.2"),),
        zone_default=path_oracle.ZoneDefault(mode="open"),
    )
    far = Device(
        name="far",
        interfaces=(
            Interface(name="f0", segment="middle", addresses=("10.44.2.2",)),
            Interface(name="f1", segment="island", addresses=("10.44.3.1",)),
        ),
        routes=(Route(prefix="10.44.1.0/24", via="10.44.2.1"),) if back else (),
        zone_default=path_oracle.ZoneDefault(mode="open"),
    )
    segments = tuple(
        Segment(name=name, prefixes=(f"10.44.{i}.0/24",))
        for i, name in enumerate(("quay", "middle", "island"), 1)
    )
    return Network(name="line", segments=segments, devices=(near, far))


def ask(network: Network, source: str, destination: str):  # type: ignore[no-untyped-def]
    names = Names(network)
    return trace(network, names, Question(names.address(source), names.address(destination), services.ANY))


def test_a_route_leads_through_two_devices() -> None:
    answer = ask(line(), "quay", "10.44.3.9")
    assert answer.verdict == "allowed"
    assert [s.device for s in answer.parts[0].steps] == ["near", "far"]


def test_a_reply_without_a_way_home_is_undetermined_not_allowed() -> None:
    answer = ask(line(back=False), "quay", "10.44.3.9")
    assert answer.verdict == "undetermined"
    assert answer.parts[0].missing == "the way back: no route at far"


def test_no_route_is_blocked_and_says_where() -> None:
    answer = ask(line(), "quay", "island")
    lost = ask(
        Network(
            **{
                **vars(line()),
                "segments": (*line().segments, Segment(name="atoll", prefixes=("10.44.9.0/24",))),
            }
        ),
        "quay",
        "atoll",
    )
    assert answer.verdict == "allowed"
    assert (lost.verdict, lost.parts[0].result, lost.parts[0].missing) == (
        "blocked",
        "no route",
        "no route at near",
    )
    assert lost.parts[0].symptom == "unreachable"


def test_a_policy_at_a_host_filters_inside_its_segment() -> None:
    network = line()
    kept = Network(
        **{
            **vars(network),
            "hosts": (
                Host(name="safe", segment="quay", addresses=("10.44.1.20",), traits=("kind safe",)),
                Host(name="desk", segment="quay", addresses=("10.44.1.21",)),
            ),
            "policies": (open_policy("own", block("no desks", "desk", "any")),),
            "at_hosts": (HostAttachment(policy="own", direction="inbound", hosts=("safe",)),),
        }
    )
    assert ask(kept, "desk", "safe").verdict == "blocked"
    assert ask(kept, "10.44.1.30", "safe").verdict == "allowed"
    assert ask(kept, "desk", "10.44.1.30").verdict == "allowed"


@pytest.mark.parametrize(("stage", "verdict"), [("from the device", "blocked"), ("passage", "allowed")])
def test_what_a_device_sends_itself_is_its_own_plane(stage, verdict: str) -> None:  # type: ignore[no-untyped-def]
    network = line()
    policy = open_policy("quiet", block("silent", "any", "10.44.3.0/24"))
    near = path_oracle.replace(
        network.devices[0], policies=(path_oracle.Attachment(policy="quiet", stage=stage),)
    )
    changed = path_oracle.replace(network, devices=(near, network.devices[1]), policies=(policy,))
    assert ask(changed, "10.44.2.1", "10.44.3.9").verdict == verdict
    assert ask(changed, "10.44.1.7", "10.44.3.9").verdict == ("blocked" if stage == "passage" else "allowed")
