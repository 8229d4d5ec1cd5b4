"""Many flows at once against the same flows asked one by one, and against the model that leads single packets by hand."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from oracle import Packet
from packet_model import FAILS, UNKNOWN, WORKS, Model
from random_networks import random_network, random_packet
from test_walk import VERDICTS, line, one, open_policy

from sarvex.core.forwarding.many_flows import FlowFate, alike, fates_of
from sarvex.core.forwarding.walk import TooWide, trace
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Attachment, Network, Rule, Schedule
from sarvex.core.sets.flows import Flow

NETWORKS, PACKETS = 16, 40


def flow_of(p: Packet) -> Flow:
    return Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, p.state)  # type: ignore[arg-type]


@pytest.mark.parametrize("merged", [False, True])
def test_they_fare_as_the_model_says(
    rng: random.Random, monkeypatch: pytest.MonkeyPatch, merged: bool
) -> None:
    if merged:
        monkeypatch.setattr("sarvex.core.forwarding.walk.MOST_ONE_BY_ONE", 0)
        monkeypatch.setattr("sarvex.core.forwarding.conversations.ByEveryWay.most_straight", 0)
    seen: Counter[str] = Counter()
    for _ in range(NETWORKS // 2):
        network = random_network(rng, devices=4)
        model = Model(network)
        packets = [random_packet(rng, network) for _ in range(PACKETS)]
        fates = fates_of(network, Names(network), [flow_of(p) for p in packets])
        for p, fate in zip(packets, fates, strict=True):
            wanted = frozenset(model.asked(p))
            assert fate.verdict in (VERDICTS.get(wanted, "undetermined"), "undetermined"), (p, network)
            if fate.verdict == "undetermined":
                assert UNKNOWN in wanted or (merged and {WORKS, FAILS} & wanted), (p, network)
            seen[fate.verdict] += 1
            assert not fate.asks
    assert min(seen[v] for v in ("allowed", "blocked", "undetermined")) > 10, seen


def test_the_part_that_tells_is_one_that_the_flow_has_alone(rng: random.Random) -> None:
    for _ in range(NETWORKS // 4):
        network = random_network(rng, devices=3)
        names = Names(network)
        packets = [random_packet(rng, network) for _ in range(PACKETS)]
        for p, fate in zip(packets, fates_of(network, names, [flow_of(p) for p in packets]), strict=True):
            if fate.part is not None:
                alone = trace(network, names, one(p)).parts
                assert (fate.part.result, fate.part.steps, fate.part.missing) in {
                    (a.result, a.steps, a.missing) for a in alone
                }, (p, network)


def night() -> Network:
    """What crosses is let through at night only, but for one service."""
    always = {"source": ("any",), "destination": ("any",)}
    rules = (
        Rule(name="web", action="allow", service=("tcp/443",), **always),  # type: ignore[arg-type]
        Rule(name="no files", action="drop", service=("sctp/7",), **always),  # type: ignore[arg-type]
        Rule(name="dark", action="allow", service=("any",), schedule="night", **always),  # type: ignore[arg-type]
    )
    near, far = line().devices
    return replace(
        line(),
        schedules=(Schedule(name="night", windows=("daily 22:00-02:00",)),),
        policies=(replace(open_policy("p", *rules), default="drop"),),
        devices=(replace(near, policies=(Attachment(policy="p"),)), far),
    )


def web(network: Network, port: int, at: datetime | None) -> FlowFate:
    ends = (int.from_bytes(bytes(map(int, text.split(".")))) for text in ("10.44.1.9", "10.44.3.9"))
    source, destination = ends
    (fate,) = fates_of(network, Names(network), [Flow(4, source, destination, 6, 50_000, port, "new", at)])
    return fate


def test_a_flow_without_a_moment_asks_for_one_where_that_matters() -> None:
    network = night()
    zone = Names(network).moments.zone
    noon = datetime.now(zone).replace(hour=12, minute=0) + timedelta(days=1)
    assert (web(network, 443, None).verdict, web(network, 443, None).asks) == ("allowed", False)
    assert web(network, 80, None).asks
    assert (web(network, 80, noon).verdict, web(network, 80, noon.replace(hour=23)).verdict) == (
        "blocked",
        "allowed",
    )


def test_ports_that_are_not_told_count_only_where_all_fare_alike() -> None:
    network, names = night(), Names(night())
    zone = names.moments.zone
    noon = datetime.now(zone).replace(hour=12, minute=0) + timedelta(days=1)
    ends = (int.from_bytes(bytes(map(int, text.split(".")))) for text in ("10.44.1.9", "10.44.3.9"))
    source, destination = ends
    flow = Flow(4, source, destination, 132, None, None, "new", noon)
    assert alike(network, names, flow)  # all of it is dropped at noon
    assert not alike(network, names, replace(flow, moment=noon.replace(hour=23)))


def test_nothing_is_asked_of_no_flows_and_whoever_waits_may_end_it() -> None:
    network = line()
    assert fates_of(network, Names(network), []) == []
    flow = Flow(4, 0x0A2C0109, 0x0A2C0309, 6, 50_000, 443, "new")
    with pytest.raises(TooWide):
        fates_of(network, Names(network), [flow], lambda: False)
