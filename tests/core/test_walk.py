"""Whole sets led through the network against a model that leads single packets by hand, and what used to be told wrongly."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from oracle import Packet
from packet_model import FAILS, UNKNOWN, WORKS, Model
from random_networks import aimed_packet, random_line, random_network, random_packet, translating

from sarvex.core.change.stage_effects import stage_effects
from sarvex.core.findings.of_network import network_findings
from sarvex.core.forwarding.journeys import Crossing
from sarvex.core.forwarding.routing import links
from sarvex.core.forwarding.walk import Answer, Question, trace
from sarvex.core.forwarding.way_back import TOO_MANY_WAYS
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    DestinationTranslation,
    Device,
    Host,
    HostAttachment,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
    SourceTranslation,
    Steering,
    ZoneDefault,
)
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.flows import STATES, Flow
from sarvex.core.sets.services import ServiceSet

NETWORKS = 90
PACKETS = 25
EVERYTHING = Question(addresses.ANY, addresses.ANY, services.ANY, STATES)
TOLD = {"delivered": WORKS, "undetermined": UNKNOWN}
VERDICTS = {
    frozenset({WORKS}): "allowed", frozenset({FAILS}): "blocked", frozenset({WORKS, FAILS}): "some",
    frozenset({WORKS, FAILS, UNKNOWN}): "some",
}  # fmt: skip
OPEN = ZoneDefault(mode="open")


def one(p: Packet) -> Question:
    """The question that asks about one packet."""
    box = np.array([[[p.proto] * 2, [p.first] * 2, [p.second] * 2]])
    service = ServiceSet(box, services.NOTHING.v6) if p.family == 4 else ServiceSet(services.NOTHING.v4, box)
    return Question(one_address(p.family, p.src), one_address(p.family, p.dst), service, (p.state,))


def one_address(family: int, value: int) -> AddressSet:
    return AddressSet(((value, value),), ()) if family == 4 else AddressSet((), ((value, value),))


def left_open(answer: Answer) -> bool:
    return any(part.missing == TOO_MANY_WAYS for part in answer.parts)


def fates(answer: Answer) -> set[str]:
    return {TOLD.get(part.result, FAILS) for part in answer.parts}


@pytest.fixture(params=["one by one", "merged"])
def ways(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> str:
    """Whether ways are followed one by one, as far as they are few, or merged at once."""
    if request.param == "merged":
        monkeypatch.setattr("sarvex.core.forwarding.walk.MOST_ONE_BY_ONE", 0)
        monkeypatch.setattr("sarvex.core.forwarding.conversations.ByEveryWay.most_straight", 0)
    return str(request.param)


def test_single_packets_fare_as_by_hand(rng: random.Random, ways: str) -> None:
    seen: Counter[frozenset[str]] = Counter()
    for _ in range(NETWORKS // 2):
        network = random_network(rng)
        assert not problems(network)
        device = rng.choice(network.devices)
        away = rng.choice([(), (), (device.name,), (f"{device.name}.{rng.choice(device.interfaces).name}",)])
        names, model = Names(network), Model(network, away)
        without = frozenset(link for name in away for link in links(network, name))
        for _ in range(PACKETS):
            p = random_packet(rng, network)
            put = (device.name, rng.choice(device.interfaces).name) if rng.random() < 0.2 else None
            answer = trace(network, names, replace(one(p), without=without, entering=put))
            wanted = model.asked(p, put)
            if left_open(answer):  # by merged ways it may be undecided whether any of them works
                assert ways == "merged" and fates(answer) - {UNKNOWN} <= wanted, (p, network)
                assert (FAILS in fates(answer)) == (FAILS in wanted), (p, network)
                continue
            assert fates(answer) == wanted, (p, network)
            assert answer.verdict == VERDICTS.get(frozenset(wanted), "undetermined"), (p, network)
            seen[frozenset(wanted)] += 1
    assert min(seen[frozenset(some)] for some in ({WORKS}, {FAILS}, {WORKS, FAILS}, {UNKNOWN})) > 5, seen
    assert seen.total() > 0.99 * PACKETS * (NETWORKS // 2)


OPEN_FOR = "too many ways", "translations chose", "translated too often"
"""Why it may be left open how a packet fares that the model follows."""


def test_translated_and_steered_packets_fare_as_by_hand(rng: random.Random, ways: str) -> None:
    """Lines of devices that translate, and hostile networks whose devices do; links taken away."""
    seen: Counter[str] = Counter()
    for index in range(NETWORKS * 2 // 3):
        network = random_line(rng) if index % 3 else translating(rng, random_network(rng, devices=4))
        assert not problems(network)
        device = rng.choice(network.devices)
        away = rng.choice([(), (), (device.name,), (f"{device.name}.{rng.choice(device.interfaces).name}",)])
        names, model = Names(network), Model(network, away)
        without = frozenset(link for name in away for link in links(network, name))
        for _ in range(PACKETS // 2):
            p = aimed_packet(rng, network)
            answer = trace(network, names, replace(one(p), without=without))
            wanted, found = model.asked(p), fates(answer)
            for kind in ("translates", "by"):
                seen[kind] += any(_happened(c, kind) for part in answer.parts for c in part.way)
            if any(why in (part.missing or "") for part in answer.parts for why in OPEN_FOR):
                assert found - {UNKNOWN} <= wanted, (p, network)
                seen["open"] += 1
                continue
            assert found == wanted, (p, network)
            assert answer.verdict == VERDICTS.get(frozenset(wanted), "undetermined"), (p, network)
    assert seen["translates"] > 30 and seen["by"] > 12 and seen["open"] < 0.01 * NETWORKS * PACKETS, seen


def _happened(crossing: Crossing, kind: str) -> bool:
    return crossing.translates if kind == "translates" else crossing.by[1] is not None


def test_sets_that_are_translated_fare_as_their_packets_do(rng: random.Random) -> None:
    for _ in range(NETWORKS // 30):
        network = random_line(rng)
        parts = trace(network, Names(network), EVERYTHING).parts
        model = Model(network)
        for _ in range(PACKETS):
            p = aimed_packet(rng, network)
            if model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue
            flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, p.state)  # type: ignore[arg-type]
            mine = [part for part in parts if packet_sets.contains(part.packets, flow)]
            told = {TOLD.get(part.result, FAILS) for part in mine}
            if any(why in (part.missing or "") for part in mine for why in OPEN_FOR):
                assert told - {UNKNOWN} <= model.asked(p), (p, network)
            else:
                assert told == model.asked(p), (p, network)


def test_sets_fare_as_their_packets_do(rng: random.Random, ways: str) -> None:
    """All that can be asked at once, taken apart: every packet is in the parts that it has alone."""
    for _ in range(NETWORKS // 15):
        network = random_network(rng, devices=3)
        parts = trace(network, Names(network), EVERYTHING).parts
        model = Model(network)
        for _ in range(PACKETS):
            p = random_packet(rng, network)
            if model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue  # not meant where many are asked about
            flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, p.state)  # type: ignore[arg-type]
            mine = [part for part in parts if packet_sets.contains(part.packets, flow)]
            told = {TOLD.get(part.result, FAILS) for part in mine}
            if any(part.missing == TOO_MANY_WAYS for part in mine):
                assert ways == "merged" and told - {UNKNOWN} <= model.asked(p), (p, network)
            else:
                assert told == model.asked(p), (p, network)


def test_what_is_told_to_decide_nothing_decides_nothing(rng: random.Random) -> None:
    told = 0
    for _ in range(NETWORKS // 8):
        network = random_network(rng, devices=4)
        names = Names(network)
        attached = Counter(a.policy for d in network.devices for a in d.policies)
        steps = {s for part in trace(network, names, EVERYTHING).parts for s in (*part.steps, *part.answer)}
        rules = {(s.policy, s.rule) for s in steps}
        policies = {s.policy for s in steps}
        for finding in network_findings(network, names):
            if finding.kind in ("out of place", "dead where attached"):
                told += 1
                assert (finding.policy, finding.rule) not in rules, (finding, network)
            elif finding.kind == "unreachable policy" and attached[finding.policy or ""] == 1:
                told += 1
                assert finding.policy not in policies, (finding, network)
    assert told > 3


def reordered(rng: random.Random, device: Device) -> Device:
    """Its policies in another order, all of them or two neighbours."""
    lists = list(device.policies)
    if rng.random() < 0.5:
        rng.shuffle(lists)
    else:
        at = rng.randrange(len(lists) - 1)
        lists[at : at + 2] = lists[at + 1], lists[at]
    return replace(device, policies=tuple(lists))


def test_no_trace_turns_without_an_effect(rng: random.Random) -> None:
    """Policies attached in another order: where no effect is told every packet fares as before."""
    silent = turned = 0
    for _ in range(NETWORKS):
        network = random_network(rng, devices=2)
        lists = [Attachment(policy=p.name) for p in network.policies]
        devices = tuple(replace(d, policies=(*d.policies, *lists)) for d in network.devices)
        network = replace(network, devices=devices)
        other = replace(network, devices=tuple(reordered(rng, d) for d in devices))
        names = Names(network)
        effects = list(stage_effects(network, other, names))
        differs = False
        for _ in range(PACKETS):
            question = one(random_packet(rng, network))
            before, after = (
                {(p.result, p.steps[-1:]) for p in trace(n, names, question).parts} for n in (network, other)
            )
            results = {r for r, _ in before} != {r for r, _ in after}
            assert effects or not results, (question, network, other)
            differs |= results
        turned += differs
        silent += not effects
    assert silent > 3 and turned > 1, (silent, turned)


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
        zone_default=OPEN,
    )
    far = Device(
        name="far",
        interfaces=(
            Interface(name="f0", segment="middle", addresses=("10.44.2.2",)),
            Interface(name="f1", segment="island", addresses=("10.44.3.1",)),
        ),
        routes=(Route(prefix="10.44.1.0/24", via="10.44.2.1"),) if back else (),
        zone_default=OPEN,
    )
    segments = tuple(
        Segment(name=name, prefixes=(f"10.44.{i}.0/24",))
        for i, name in enumerate(("quay", "middle", "island"), 1)
    )
    return Network(name="line", segments=segments, devices=(near, far))


def ask(network: Network, source: str, destination: str, service: str = "any", state: str = "new") -> Answer:
    names = Names(network)
    question = Question(names.address(source), names.address(destination), names.service(service), (state,))  # type: ignore[arg-type]
    return trace(network, names, question)


def test_a_route_leads_through_two_devices() -> None:
    answer = ask(line(), "10.44.1.9", "10.44.3.9")
    assert answer.verdict == "allowed"
    assert [s.device for s in answer.parts[0].steps] == ["near", "far"]


def test_an_answer_without_a_way_home_is_no_answer() -> None:
    network = line(back=False)
    unknown = ask(network, "10.44.1.9", "10.44.3.9", "tcp/443")
    assert (unknown.verdict, unknown.parts[0].missing) == ("undetermined", "the way back: the routes of far")
    elsewhere = (Route(prefix="10.44.9.0/24", via="10.44.2.1"),)
    known = replace(network, devices=(network.devices[0], replace(network.devices[1], routes=elsewhere)))
    answer = ask(known, "10.44.1.9", "10.44.3.9", "udp/53")
    assert (answer.verdict, answer.parts[0].result, answer.parts[0].symptom) == (
        "blocked",
        "unanswered",
        "silence",
    )
    assert answer.parts[0].missing == "the answer finds no route at far"


def test_no_route_is_blocked_and_says_where() -> None:
    atoll = Segment(name="atoll", prefixes=("10.44.9.0/24",))
    lost = ask(replace(line(), segments=(*line().segments, atoll)), "10.44.1.9", "10.44.9.9")
    assert (lost.verdict, lost.parts[0].result, lost.parts[0].missing) == (
        "blocked",
        "no route",
        "no route at near",
    )
    assert lost.parts[0].symptom == "unreachable"


def test_a_policy_at_a_host_filters_inside_its_segment() -> None:
    kept = replace(
        line(),
        hosts=(
            Host(name="safe", segment="quay", addresses=("10.44.1.20",), traits=("kind safe",)),
            Host(name="desk", segment="quay", addresses=("10.44.1.21",)),
        ),
        policies=(open_policy("own", block("no desks", "desk", "any")),),
        at_hosts=(HostAttachment(policy="own", direction="inbound", hosts=("safe",)),),
    )
    assert ask(kept, "desk", "safe").verdict == "blocked"
    assert ask(kept, "10.44.1.30", "safe").verdict == "allowed"
    assert ask(kept, "desk", "10.44.1.30").verdict == "allowed"


@pytest.mark.parametrize(("stage", "verdict"), [("from the device", "blocked"), ("passage", "allowed")])
def test_what_a_device_sends_itself_is_its_own_plane(stage, verdict: str) -> None:  # type: ignore[no-untyped-def]
    network = line()
    policy = open_policy("quiet", block("silent", "any", "10.44.3.0/24"))
    near = replace(network.devices[0], policies=(Attachment(policy="quiet", stage=stage),))
    changed = replace(network, devices=(near, network.devices[1]), policies=(policy,))
    assert ask(changed, "10.44.2.1", "10.44.3.9").verdict == verdict
    assert ask(changed, "10.44.1.7", "10.44.3.9").verdict == ("blocked" if stage == "passage" else "allowed")


def neighbours(*gateways: str) -> Network:
    """Two devices on one wire: the one is open and leads the way, the other lets nobody in but for ping."""
    ping = Rule(name="ping", action="allow", source=("any",), destination=("any",), service=("icmp/8",))
    r1 = Device(
        name="r1",
        zone_default=OPEN,
        interfaces=(
            Interface(name="a", segment="a", addresses=("10.0.1.1",)),
            Interface(name="k", segment="k", addresses=("10.0.9.1",)),
        ),
        routes=(Route(prefix="0.0.0.0/0", via="10.0.9.2"),),
    )
    r2 = Device(
        name="r2",
        interfaces=(
            Interface(name="k", segment="k", addresses=("10.0.9.2",)),
            Interface(name="lo", kind="loopback", addresses=("10.7.7.7",)),
        ),
        routes=(Route(prefix="10.0.1.0/24", via="10.0.9.1"),),
        policies=(Attachment(policy="itself", stage="to the device"),),
    )
    return Network(
        name="wire", devices=(r1, r2), policies=(Policy(name="itself", default="drop", rules=(ping,)),),
        segments=(
            Segment(name="a", prefixes=("10.0.1.0/24",)), Segment(name="k", prefixes=("10.0.9.0/29",), gateways=gateways),
        ),
        hosts=(Host(name="ha", segment="a", addresses=("10.0.1.20",)),),
    )  # fmt: skip


@pytest.mark.parametrize("gateways", [("r1",), ()])
@pytest.mark.parametrize("own", ["10.0.9.2", "10.7.7.7"])
def test_a_neighbours_own_address_is_behind_its_own_checks(gateways: tuple[str, ...], own: str) -> None:
    network = neighbours(*gateways)
    answer = ask(network, "ha", own, "tcp/22")
    assert answer.verdict == "blocked"
    assert [(s.device, s.stage, s.policy) for p in answer.parts for s in p.steps][-1] == (
        "r2",
        "to the device",
        "itself",
    )
    assert ask(network, "ha", own, "icmp/8").verdict == "allowed"
    assert ask(network, "10.0.9.1", own, "tcp/22").verdict == "blocked"  # from device to device on one wire
    assert ask(network, "10.0.9.5", "10.0.9.2", "tcp/22").verdict == "blocked"


def test_what_no_route_carries_is_never_told_to_arrive() -> None:
    network = line()
    for address in (
        "224.0.0.5",
        "255.255.255.255",
        "10.44.3.255",
        "169.254.1.1",
        "127.0.0.1",
        "0.0.0.0",
        "fe80::1",
        "ff02::1",
    ):
        assert ask(network, "10.44.1.9" if "." in address else "fd00::1", address).verdict == "undetermined"
    assert ask(network, "10.44.1.9-10.44.1.20", "10.44.3.9-10.44.3.255").verdict == "allowed"


def test_an_outside_segment_is_no_hidden_default_route() -> None:
    network = replace(line(), segments=(*line().segments, Segment(name="beyond", outside=True)))
    near = network.devices[0]
    joined = replace(
        near,
        interfaces=(*near.interfaces, Interface(name="n2", segment="beyond", addresses=("198.51.100.2",))),
    )
    outside = replace(network, devices=(joined, network.devices[1]))
    assert ask(outside, "10.44.1.9", "203.0.113.7").verdict == "allowed"
    bare = replace(joined, interfaces=(*near.interfaces, Interface(name="n2", segment="beyond")))
    lost = ask(replace(network, devices=(bare, network.devices[1])), "10.44.1.9", "203.0.113.7")
    assert (lost.verdict, lost.parts[0].result) == ("blocked", "no route")


def test_what_nobody_owns_is_dropped_on_the_way_before_nobody_has_it() -> None:
    network = line()
    shut = replace(
        network.devices[0],
        zone_default=ZoneDefault(mode="closed"),
        routes=(Route(prefix="0.0.0.0/0", via="10.44.2.2"),),
    )
    answer = ask(replace(network, devices=(shut, network.devices[1])), "10.44.1.9", "203.0.113.7")
    assert (answer.verdict, answer.parts[0].result) == ("blocked", "dropped")


def test_in_and_out_by_one_interface_is_a_passage() -> None:
    """What turns back on the wire it came from meets the rules there, and rules that decide it are not dead."""
    network = line()
    near, far = network.devices
    only = Rule(
        name="no turning",
        action="drop",
        source=("10.44.2.0/24",),
        destination=("10.44.3.0/24",),
        service=("any",),
    )
    policy = Policy(name="turn", default="allow", rules=(only,))
    near = replace(near, policies=(Attachment(policy="turn", entering=("n1",), leaving=("n1",)),))
    middle = replace(network.segments[1], gateways=("near",))
    turning = replace(
        network,
        devices=(near, far),
        policies=(policy,),
        segments=(network.segments[0], middle, network.segments[2]),
    )
    answer = ask(turning, "10.44.2.9", "10.44.3.9")
    assert (answer.verdict, answer.parts[0].steps[-1].rule) == ("blocked", "no turning")
    kinds = {f.kind for f in network_findings(turning, Names(turning)) if f.policy == "turn"}
    assert not kinds & {"dead where attached", "out of place", "unreachable policy"}


def test_a_second_way_out_loses_answers_of_tcp_alone() -> None:
    """Two open devices between two wires; the one wire sends by the one, the other by the other."""
    segments = (
        Segment(name="quay", prefixes=("10.44.1.0/24",), gateways=("north",)),
        Segment(name="island", prefixes=("10.44.3.0/24",), gateways=("south",)),
    )
    devices = tuple(
        Device(
            name=name,
            zone_default=OPEN,
            interfaces=(
                Interface(name="q", segment="quay", addresses=(f"10.44.1.{n}",)),
                Interface(name="i", segment="island", addresses=(f"10.44.3.{n}",)),
            ),
        )
        for n, name in enumerate(("north", "south"), 1)
    )
    network = Network(name="ring", segments=segments, devices=devices)
    lost = ask(network, "10.44.1.9", "10.44.3.9", "tcp/443")
    assert (lost.verdict, lost.parts[0].missing) == (
        "blocked",
        "the answer comes by south, which did not see the question",
    )
    assert ask(network, "10.44.1.9", "10.44.3.9", "udp/53").verdict == "allowed"
    assert ask(network, "10.44.1.9", "10.44.3.9", "tcp/443", "established").verdict == "allowed"
    assert ask(network, "10.44.1.9", "10.44.3.9", "tcp/443", "invalid").verdict == "blocked"
    both = replace(network, segments=(replace(segments[0], gateways=()), segments[1]))
    assert ask(both, "10.44.1.9", "10.44.3.9", "tcp/443").verdict == "some"  # the south sees both directions


def redundant_pairs() -> Network:
    """Eleven redundant pairs in series, all open: two thousand ways there, as many back for each."""
    pairs, wires = 11, 12
    devices = []
    for i in range(pairs):
        for side in (1, 2):
            there = [(j, f"10.{i + 1}.0.{x}") for j in range(i + 2, wires) for x in (1, 2)]
            back = [(j, f"10.{i}.0.{x}") for j in range(i) for x in (11, 12)]
            ends = (("l", i, f"10.{i}.0.{side}"), ("r", i + 1, f"10.{i + 1}.0.{10 + side}"))
            devices.append(
                Device(
                    name=f"d{i}{side}",
                    zone_default=OPEN,
                    interfaces=tuple(Interface(name=n, segment=f"s{k}", addresses=(a,)) for n, k, a in ends),
                    routes=tuple(Route(prefix=f"10.{j}.0.0/24", via=via) for j, via in (*there, *back)),
                )
            )
    segments = tuple(Segment(name=f"s{i}", prefixes=(f"10.{i}.0.0/24",)) for i in range(wires))
    return Network(name="pairs", segments=segments, devices=tuple(devices))


def test_ways_are_merged_where_they_are_many() -> None:
    network = redundant_pairs()
    far = ask(network, "10.0.0.9", "10.11.0.99", "udp/53")
    assert (far.verdict, [len(part.steps) for part in far.parts]) == ("allowed", [11])
    assert ask(network, "10.0.0.9", "10.3.0.99", "udp/53").verdict == "allowed"


def test_of_many_ways_those_fail_that_come_back_by_another() -> None:
    """Nobody of a pair knows what the other saw: any device may lose the answer, or what follows, and some way works."""
    answer = ask(redundant_pairs(), "10.0.0.9", "10.11.0.99", "tcp/443")
    assert answer.verdict == "some"
    lost = {p.missing: p for p in answer.parts if p.result == "unanswered"}
    names = {device.name for device in redundant_pairs().devices}
    assert lost.keys() == {
        f"the answer comes by {name}, which did not see the question" for name in names
    } | {f"{name} sees only one direction, so it drops what follows" for name in names}
    shown = [(why, p) for why, p in lost.items() if p.steps]
    assert len(shown) > 5
    for why, part in shown:
        stranger = (why or "").removeprefix("the answer comes by ").split(",")[0]
        assert len(part.steps) == 11 and stranger not in {step.device for step in part.steps}, why


def test_a_cluster_of_many_pairs_knows_what_each_of_them_saw() -> None:
    network = redundant_pairs()
    clustered = tuple(replace(d, cluster=d.name[:-1]) for d in network.devices)
    answer = ask(replace(network, devices=clustered), "10.0.0.9", "10.11.0.99", "tcp/443")
    assert answer.verdict == "allowed"


@pytest.mark.usefixtures("ways")
def test_a_device_without_memory_counts_also_if_no_answer_comes_by_it() -> None:
    """The question may come by d01, which keeps no state; all answers come by d02."""
    network = redundant_pairs()
    first, *others = network.devices
    past = {"d11", "d12"}
    away = tuple(
        replace(d, routes=tuple(r for r in d.routes if d.name not in past or r.via != "10.1.0.11"))
        for d in others
    )
    once = Rule(
        name="once",
        action="drop",
        source=("any",),
        destination=("10.2.0.0/24",),
        service=("tcp",),
        states=("established",),
    )
    shut = replace(first, filtering="stateless", policies=(Attachment(policy="shut"),))
    open_ones = (replace(d, filtering="stateless") for d in away)
    forgetful = replace(network, devices=(shut, *open_ones), policies=(open_policy("shut", once),))
    answer = ask(forgetful, "10.0.0.9", "10.2.0.99", "tcp/443")
    assert answer.verdict == "some"
    assert any(part.missing == "what follows is dropped by once at d01" for part in answer.parts)
    assert ask(forgetful, "10.0.0.9", "10.2.0.99", "udp/53").verdict == "allowed"


def test_more_than_is_followed_is_undetermined(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("sarvex.core.forwarding.walk.MOST_ENTERED", 20)
    monkeypatch.setattr("sarvex.core.forwarding.conversations.ByAllWays.most_straight", 20)
    answer = ask(redundant_pairs(), "10.0.0.9", "10.11.0.99", "udp/53")
    assert any(part.missing == TOO_MANY_WAYS for part in answer.parts)
    assert answer.verdict == "undetermined"  # nothing failed so far, and not all of it is known


def test_a_question_from_a_device_itself_wants_an_answer_too() -> None:
    network = line()
    far = replace(network.devices[1], routes=(Route(prefix="10.44.9.0/24", via="10.44.2.1"),))
    near = replace(
        network.devices[0],
        interfaces=(
            *network.devices[0].interfaces,
            Interface(name="lo", kind="loopback", addresses=("10.9.9.9",)),
        ),
    )
    changed = replace(network, devices=(near, far))
    assert ask(changed, "10.44.2.1", "10.44.3.9").verdict == "allowed"
    lost = ask(changed, "10.9.9.9", "10.44.3.9", "tcp/443")
    assert (lost.verdict, lost.parts[0].result) == ("blocked", "unanswered")
    assert ask(changed, "10.9.9.9", "10.44.2.1").verdict == "allowed"  # a device that asks itself


def test_a_device_without_memory_forgets_the_answer_until_a_rule_lets_it_pass() -> None:
    network = line()
    forward = Rule(
        name="ask", action="allow", source=("10.44.1.0/24",), destination=("10.44.3.0/24",), service=("any",)
    )
    answers = Rule(
        name="answers", action="allow", source=("10.44.3.0/24",), destination=("10.44.1.0/24",), service=("tcp",), states=("established",),
    )  # fmt: skip

    def over(*rules: Rule) -> Network:
        lock = replace(network.devices[1], filtering="stateless", policies=(Attachment(policy="lock"),))
        lists = (Policy(name="lock", default="drop", rules=rules),)
        return replace(network, devices=(network.devices[0], lock), policies=lists)

    lost = ask(over(forward), "10.44.1.9", "10.44.3.9", "tcp/443")
    assert (lost.verdict, lost.parts[0].result, lost.parts[0].missing) == (
        "blocked",
        "unanswered",
        "the answer is dropped by the default of lock at far",
    )
    mended = ask(over(forward, answers), "10.44.1.9", "10.44.3.9", "tcp/443")
    assert (mended.verdict, [s.rule for s in mended.parts[0].answer]) == ("allowed", ["answers"])
    assert (
        ask(over(forward, answers), "10.44.1.9", "10.44.3.9", "udp/53").verdict == "blocked"
    )  # it looks like new
    begun = replace(forward, states=("new",))
    assert ask(over(begun, answers), "10.44.1.9", "10.44.3.9", "tcp/443").parts[0].missing == (
        "what follows is dropped by the default of lock at far"
    )


def test_answers_left_to_rules_are_judged_as_established() -> None:
    network = line()
    near = replace(network.devices[0], replies="by rule", policies=(Attachment(policy="shut"),))
    new = Rule(name="new", action="allow", source=("10.44.1.0/24",), destination=("any",), service=("any",))
    policy = Policy(name="shut", default="drop", rules=(new,))
    left = replace(network, devices=(near, network.devices[1]), policies=(policy,))
    lost = ask(left, "10.44.1.9", "10.44.3.9", "udp/53")
    assert (lost.verdict, lost.parts[0].missing) == (
        "blocked",
        "the answer is dropped by the default of shut at near",
    )
    back = replace(new, name="back", source=("any",), destination=("10.44.1.0/24",), states=("established",))
    mended = replace(left, policies=(replace(policy, rules=(new, back)),))
    assert ask(mended, "10.44.1.9", "10.44.3.9", "udp/53").verdict == "allowed"


def published(
    *to: DestinationTranslation, from_: tuple[SourceTranslation, ...] = (), rules: tuple[Rule, ...] = ()
) -> Network:
    """quay, with a server, behind a lock to the sea: what is asked of the lock's outer address goes where its list says."""
    lock = Device(
        name="lock", zone_default=OPEN, routes=(Route(prefix="0.0.0.0/0", via="203.0.113.1"),),
        translate_destination=to, translate_source=from_, policies=(Attachment(policy="door"),) if rules else (),
        interfaces=(
            Interface(name="sea", segment="sea", addresses=("203.0.113.2",)),
            Interface(name="quay", segment="quay", addresses=("10.44.1.1",)),
        ),
    )  # fmt: skip
    segments = (
        Segment(name="sea", outside=True, prefixes=("203.0.113.0/28",)), Segment(name="quay", prefixes=("10.44.1.0/24",)),
        Segment(name="beyond", outside=True),
    )  # fmt: skip
    hosts = (Host(name="web", segment="quay", addresses=("10.44.1.20",)),)
    policies = (Policy(name="door", default="drop", rules=rules),)
    return Network(
        name="published", devices=(lock,), segments=segments, hosts=hosts, policies=policies if rules else ()
    )


FORWARD = DestinationTranslation(
    name="web from outside",
    entering=("sea",),
    destination=("203.0.113.2",),
    service=("tcp/443",),
    to=("web",),
    port="8443",
)
HIDE = SourceTranslation(name="hide", leaving=("sea",), source=("quay",), to=("interface",))


def test_a_forward_is_judged_where_it_leads_and_answered_from_where_it_was_asked() -> None:
    admit = Rule(name="admit", action="allow", source=("any",), destination=("web",), service=("tcp/8443",))
    answer = ask(published(FORWARD, rules=(admit,)), "203.0.113.9", "203.0.113.2", "tcp/443")
    assert (answer.verdict, [s.rule for s in answer.parts[0].steps]) == ("allowed", ["admit"])
    (crossing,) = answer.parts[0].way
    assert crossing.by == ("web from outside", None, None) and crossing.translates
    hidden = replace(admit, destination=("203.0.113.2",), service=("tcp/443",))
    assert (
        ask(published(FORWARD, rules=(hidden,)), "203.0.113.9", "203.0.113.2", "tcp/443").verdict == "blocked"
    )
    assert (
        ask(published(FORWARD), "10.44.1.9", "203.0.113.2", "tcp/443").parts[0].destination_segment == "lock"
    )


def test_a_turn_inside_one_segment_is_answered_by_the_wrong_one() -> None:
    """The server answers its neighbour by itself, from an address that was not asked, unless the source is translated too."""
    everywhere = replace(FORWARD, entering=("any",))
    turned = ask(published(everywhere), "10.44.1.9", "203.0.113.2", "tcp/443")
    assert (turned.verdict, turned.parts[0].missing) == (
        "blocked",
        "the answer comes back with other addresses than were asked",
    )
    both = replace(HIDE, leaving=("quay",))
    assert (
        ask(published(everywhere, from_=(both,)), "10.44.1.9", "203.0.113.2", "tcp/443").verdict == "allowed"
    )


def test_what_is_hidden_is_told_by_the_chosen_ports() -> None:
    """A filter beyond sees any source port from 1024 on: some conversations pass it, by chance."""
    hidden = published(from_=(HIDE,))
    low = Rule(
        name="low", action="drop", source=("any",), destination=("any",), service=("tcp from 1024-2000",)
    )
    far = Device(
        name="far", zone_default=OPEN, routes=(Route(prefix="10.44.1.0/24", via="203.0.113.2"),), policies=(Attachment(policy="low"),),
        interfaces=(Interface(name="f", segment="sea", addresses=("203.0.113.1",)), Interface(name="g", segment="isle", addresses=("10.9.0.1",))),
    )  # fmt: skip
    network = replace(
        hidden, devices=(*hidden.devices, far), policies=(open_policy("low", low),),
        segments=(*hidden.segments, Segment(name="isle", prefixes=("10.9.0.0/24",))),
    )  # fmt: skip
    answer = ask(network, "10.44.1.9", "10.9.0.9", "tcp/443 from 40000")
    assert answer.verdict == "some"
    assert {p.result for p in answer.parts} == {"delivered", "dropped"}
    kept = replace(network.devices[0], translate_source=(replace(HIDE, ports="keep"),))
    assert (
        ask(replace(network, devices=(kept, far)), "10.44.1.9", "10.9.0.9", "tcp/443 from 40000").verdict
        == "allowed"
    )


@pytest.mark.parametrize(
    ("when_down", "verdict", "why"),
    [("drop", "blocked", "is down"), ("route", "allowed", ""), (None, "undetermined", "is down")],
)
def test_what_is_steered_leaks_or_does_not_when_its_way_is_down(when_down, verdict: str, why: str) -> None:  # type: ignore[no-untyped-def]
    """near sends what is asked of the island by the radio, which is unplugged, or else by its route."""
    network = line()
    near, far = network.devices
    near = replace(
        near, interfaces=(*near.interfaces, Interface(name="radio", segment="air", addresses=("10.44.8.1",))),
        steering=(Steering(name="by radio", destination=("10.44.3.0/24",), via="10.44.8.2", when_down=when_down),),
    )  # fmt: skip
    far = replace(
        far, interfaces=(*far.interfaces, Interface(name="aerial", segment="air", addresses=("10.44.8.2",))),
        answers_leave="where asked",
    )  # fmt: skip
    air = Segment(name="air", prefixes=("10.44.8.0/29",))
    steered = replace(network, devices=(near, far), segments=(*network.segments, air))
    names = Names(steered)
    question = Question(names.address("10.44.1.9"), names.address("10.44.3.9"), names.service("tcp/443"))
    up = trace(steered, names, question)
    assert (up.verdict, [c.by[1] for c in up.parts[0].way]) == ("allowed", ["by radio", None])
    assert up.parts[0].way[0].leaving is not None and up.parts[0].way[0].leaving.name == "radio"
    down = trace(steered, names, replace(question, without=links(steered, "far.aerial")))
    assert down.verdict == verdict
    assert why in (down.parts[0].missing or "")
