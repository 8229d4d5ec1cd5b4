"""Rules that others of their stage leave nothing to, against leading packets through the stage by hand."""

from __future__ import annotations

import random
from dataclasses import replace

import oracle
import pytest

from sarvex.core.findings.dead_where_attached import dead_where_attached
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    Device,
    Host,
    HostAttachment,
    Interface,
    Network,
    Policy,
    Segment,
)
from sarvex.formats import finding_words

INTERFACES = ("a", "b", "c")


def scope(rng: random.Random) -> tuple[str, ...]:
    return ("any",) if rng.random() < 0.8 else tuple(rng.sample(INTERFACES, rng.choice([1, 2])))


def random_network(rng: random.Random) -> Network:
    whole = oracle.random_policy(rng, 9)
    policies = [
        replace(whole, name=f"p{i}", rules=whole.rules[3 * i : 3 * i + 3],
                default=rng.choice(["continue"] * 5 + ["drop"]), families=rng.choice(["both", "both", "4"]))
        for i in range(3)
    ]  # fmt: skip
    attached = [
        Attachment(policy=policies[i % 3].name, stage=rng.choice(["passage", "passage", "inbound"]),
                   entering=scope(rng), leaving=("any",))
        for i in range(rng.randint(2, 4))
    ]  # fmt: skip
    attached = [replace(a, leaving=scope(rng)) if a.stage == "passage" else a for a in attached]
    device = Device(
        name="lock", interfaces=tuple(Interface(name=n) for n in INTERFACES), policies=tuple(attached)
    )
    return Network(name="n", policies=tuple(policies), devices=(device,))


def consulted(network: Network, stage: str, entering: str, leaving: str) -> list[Policy]:
    return [
        network.policy(a.policy)
        for a in network.devices[0].policies
        if a.stage == stage
        and (a.entering == ("any",) or entering in a.entering)
        and (a.leaving == ("any",) or leaving in a.leaving)
    ]


def deciders(stage: list[Policy], p: oracle.Packet) -> list[tuple[str, str]]:
    """The rules that decide a packet at a stage: the first match of each policy until one ends it."""
    for policy in stage:
        if policy.families in ("both", str(p.family)):
            found = oracle.decide(policy, p)
            if found is not None:
                return [(policy.name, policy.rules[found].name)]
            if policy.default != "continue":
                return []
    return []


def reaches(stage: list[Policy], policy: Policy) -> bool:
    before = stage[: [p.name for p in stage].index(policy.name)]
    ended = {
        f for p in before if p.default != "continue" for f in ("46" if p.families == "both" else p.families)
    }
    return not set("46" if policy.families == "both" else policy.families) <= ended


@pytest.mark.parametrize("round_", range(8))
def test_dead_where_attached_agrees_with_brute_force(round_: int, rng: random.Random) -> None:
    network = random_network(rng)
    told = {(f.policy, f.rule) for f in dead_where_attached(network, Names(network))}
    every = oracle.packets(
        replace(network.policies[0], rules=tuple(r for p in network.policies for r in p.rules))
    )
    ways = [("passage", a, b) for a in INTERFACES for b in INTERFACES if a != b]
    ways += [("inbound", a, "") for a in INTERFACES]
    stages = list({tuple(p.name for p in s): s for s in (consulted(network, *way) for way in ways)}.values())
    alive = {d for stage in stages for p in every for d in deciders(stage, p)}
    expected = set()
    for policy in network.policies:
        reached = [s for s in stages if any(x.name == policy.name for x in s) and reaches(s, policy)]
        own = {d for p in every for d in deciders([policy], p)}
        expected |= own - alive if reached else set()
    assert told == expected


def test_at_hosts_the_policies_of_a_host_are_one_list() -> None:
    wide, narrow = oracle.random_policy(random.Random(1), 0), oracle.random_policy(random.Random(1), 0)
    block = oracle.random_policy(random.Random(3), 1).rules[0]
    block = replace(
        block, source=("any",), destination=("any",), service=("tcp",), negate=(), states=(), enabled=True
    )
    allow = replace(block, name="ssh", service=("tcp/22",), action="allow")
    wide = replace(
        wide, name="wide", default="continue", families="both", rules=(replace(block, name="no tcp"),)
    )
    narrow = replace(narrow, name="narrow", default="drop", families="both", rules=(allow,))
    hosts = tuple(Host(name=n, segment="quay", addresses=(f"10.44.0.{i}",)) for i, n in enumerate("ab", 1))
    network = Network(
        name="n", segments=(Segment(name="quay", prefixes=("10.44.0.0/24",)),), hosts=hosts, policies=(wide, narrow),
        at_hosts=(
            HostAttachment(policy="wide", direction="inbound", hosts=("a",)),
            HostAttachment(policy="narrow", direction="inbound", hosts=("a",)),
        ),
    )  # fmt: skip
    [finding] = dead_where_attached(network, Names(network))
    assert (finding.policy, finding.rule, finding.by) == ("narrow", "ssh", ("no tcp of wide",))
    assert "inbound at hosts" in finding_words.text(finding)
    other = HostAttachment(policy="narrow", direction="inbound", hosts=("b",))
    network = replace(network, at_hosts=(network.at_hosts[0], other))
    assert not list(dead_where_attached(network, Names(network)))
