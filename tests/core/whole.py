"""Random networks with something of everything the model has, all of it valid."""

from __future__ import annotations

import random
from dataclasses import replace

import clock
import random_networks

from sarvex.core.model.records import (  # fmt: skip
    Accepted,
    AddressObject,
    Expectation,
    FindingKind,
    Host,
    Interface,
    Network,
    Note,
    Policy,
    Rule,
    Section,
    ServiceObject,
)

SCHEDULES = ("Nights", "spring tides")
TRAITS = ("kind kiosk", "kind desk", "pier east", "pier west")


def random_whole(rng: random.Random) -> Network:
    """A random routed network with names, groups of groups, traits, notes, sub-interfaces, sections, translations and steering."""
    net = random_networks.translating(rng, random_networks.random_network(rng, devices=3, rules=3))
    hosts = tuple(_host(rng, h) for h in net.hosts)
    beside = [*(d.name for d in net.devices), *{h.user for h in hosts if h.user}]
    addresses = _groups(rng, [*(h.name for h in hosts), *(s.name for s in net.segments), *beside])
    services = (
        ServiceObject(
            name="Web",
            members=("tcp/443", "tcp/80"),
            notes=(Note(member="tcp/80", until="2027-01-31"),),
            accepted=_accepted(rng, "unused"),
        ),
        ServiceObject(name="suite", members=("web", "udp/53 from 1024-65535", "icmp/8")),
        ServiceObject(name="none yet", members=()),
    )
    names, words = [*(a.name for a in addresses), *beside], ["web", "SUITE", "tcp/8000-8100", "any", "esp"]
    return replace(
        net,
        description="made at random: ä € “quoted”, 'yes', null, 010",
        time_zone=rng.choice(["UTC", "Europe/London"]),
        hosts=hosts,
        addresses=(*net.addresses, *addresses),
        services=services,
        schedules=tuple(clock.random_schedule(rng, name) for name in SCHEDULES),
        devices=tuple(
            replace(
                d,
                interfaces=(*d.interfaces, Interface(name="trunk"), *_tagged(rng, net)),
                management=("ssh-own", "web")[1:],
                tunnels=("udp/51820",),
                accepted=_accepted(rng, "exposed management"),
                steering=tuple(replace(e, schedule=rng.choice([None, *SCHEDULES])) for e in d.steering),
            )
            for d in net.devices
        ),
        policies=tuple(_policy(rng, p, names, words) for p in net.policies),
        expectations=tuple(_expectation(rng, n, [*names, *(z.name for z in net.zones)]) for n in range(3)),
    )


def _expectation(rng: random.Random, number: int, names: list[str]) -> Expectation:
    return Expectation(
        name=f"must {number}", source=tuple(rng.sample(names, 2)), destination=(rng.choice(names), "10.9.0.0/24"),
        service=(rng.choice(["web", "any", "tcp/8000"]),), must=rng.choice(["allowed", "blocked"]),
        at=rng.choice([None, "nights", "sat 03:00"]), owner=rng.choice(["", "Maren"]), until=rng.choice(["", "2099-12-31"]),
    )  # fmt: skip


def _host(rng: random.Random, host: Host) -> Host:
    return replace(
        host,
        traits=tuple(rng.sample(TRAITS, rng.randrange(3))),
        held=rng.choice(["fixed", "reserved", "leased"]),
        user=rng.choice(["", "maren"]),
        description=rng.choice(["", "a host", "1.0"]),
    )


def _groups(rng: random.Random, members: list[str]) -> tuple[AddressObject, ...]:
    """Groups over what is there and over earlier groups, so that none contains itself."""
    made: list[AddressObject] = []
    for index in range(6):
        pool = [
            *members,
            *(a.name.upper() for a in made),
            "10.44.3.0/24",
            "10.44.0.1 mask 255.255.255.1",
            "fd00::/64",
        ]
        chosen = tuple(dict.fromkeys(rng.sample(pool, rng.randrange(4))))
        notes = tuple(Note(member=m, text="why", owner="", until="") for m in chosen[:1])
        traits = tuple(rng.sample(TRAITS, 1)) if rng.random() < 0.3 else ()
        made.append(AddressObject(name=f"Group {index}", members=chosen, traits=traits, notes=notes))
    return tuple(made)


def _tagged(rng: random.Random, net: Network) -> tuple[Interface, ...]:
    vlans = rng.sample(range(1, 4095), 2)
    return tuple(
        Interface(
            name=f"trunk.{v}", kind="vlan", parent="Trunk", vlan=v, zone=rng.choice([None, net.zones[0].name])
        )
        for v in vlans
    )


def _accepted(rng: random.Random, kind: FindingKind) -> tuple[Accepted, ...]:
    """Sometimes a finding that is accepted, for its field or not, as it was found or whatever it says."""
    if rng.random() < 0.6:
        return ()
    mark = rng.choice(["", "3f9a2c1d77aa"])
    return (
        Accepted(
            finding=kind,
            reason="until ‘the refit’",
            until="2031-03-31",
            field=rng.choice([None, "source"]),
            as_found=mark,
        ),
    )


def _policy(rng: random.Random, policy: Policy, names: list[str], words: list[str]) -> Policy:
    def rule(old: Rule) -> Rule:
        return replace(
            old,
            source=(*old.source, rng.choice(names)),
            service=(rng.choice(words),),
            description=rng.choice(["", "no", "~", "multi\nline"]),
            log=rng.random() < 0.5,
            enabled=rng.random() < 0.8,
            negate=tuple(f for f in ("source", "service") if rng.random() < 0.2),
            states=tuple(rng.sample(["new", "established", "related"], rng.randrange(3))),
            schedule=rng.choice([None, None, *SCHEDULES, "NIGHTS"]),
            until=rng.choice(["", "", "2031-03-31", "2031-04-01"]),
            owner=rng.choice(["", "Maren"]),
            accepted=_accepted(rng, "redundant"),
            reject_with="reset" if old.action == "reject" else None,
        )

    rules = tuple(rule(r) for r in policy.rules)
    begins = sorted(rng.sample(range(len(rules) + 1), 2))
    sections = tuple(
        Section(name=f"run {at}", before=rules[at].name if at < len(rules) else None, description="a run")
        for at in begins
    )
    return replace(policy, rules=rules, sections=sections)
