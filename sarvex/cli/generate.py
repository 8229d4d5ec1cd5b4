"""A large made-up network for trying scale: the ferry line with a hundred berths and as many rules as wanted.

Lists are made as people make them: specific rules before general ones, one rule in seven on groups, both
families, a last rule that drops the rest. The same seed gives the same network.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass

from sarvex.core.model.records import (
    Action,
    AddressObject,
    Attachment,
    Device,
    Host,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
    ServiceObject,
    Zone,
)

BERTHS = 100
# Parts of a quay wall, nested: name, first address, prefix length, how wide.
PARTS = [
    ("pier-east", 0, 25, 4), ("pier-west", 128, 25, 4), ("shed", 0, 26, 3), ("yard", 64, 26, 3), ("bay", 0, 28, 2),
    ("hut", 16, 28, 2),
]  # fmt: skip
SERVICES = {
    "https": "tcp/443", "http": "tcp/80", "ssh": "tcp/22", "dns": "udp/53", "ntp": "udp/123", "modbus": "tcp/502",
    "mqtts": "tcp/8883", "rtsp": "tcp/554", "postgres": "tcp/5432", "syslog": "udp/514", "snmp": "udp/161",
    "gate-control": "tcp/18440", "tide-feed": "udp/18110", "ping": "icmp/8", "feeds": "udp/18100-18120",
}  # fmt: skip


def network(rules: int, seed: int) -> Network:
    """The network with one long policy of `rules` rules."""
    rng = random.Random(seed)
    segments, hosts = _segments(), _hosts()
    parts = tuple(_part(b, *part) for b in range(BERTHS) for part in PARTS)
    groups, reaches = _groups(rng, hosts), _reaches(segments)
    harbour = AddressObject(
        name="harbour",
        members=("10.44.0.0/17", "fd00:44::/32"),
        description="all quay walls, and room for more",
    )
    names = _Names(
        rng,
        hosts=[h.name for h in hosts],
        parts=[(p.name, width) for p, width in zip(parts, [w for *_, w in PARTS] * BERTHS, strict=True)],
        segments=[s.name for s in segments],
        groups=[g.name for g in groups],
        reaches=[r.name for r in reaches],
    )
    made = sorted((_rule(i, rng, names) for i in range(rules - 1)), key=lambda pair: (pair[0], rng.random()))
    policy = Policy(
        name="long-list",
        default="drop",
        description="made for trying scale",
        rules=(*(rule for _, rule in made), _last()),
    )
    return Network(
        name=f"Merrow Long List {rules}",
        description="a hundred berths and one long policy, made for trying scale",
        zones=(Zone(name="quays", depth=1),),
        segments=segments,
        hosts=hosts,
        devices=(_lock(segments),),
        addresses=(*parts, *groups, *reaches, harbour),
        services=tuple(ServiceObject(name=n, members=(m,), description=n) for n, m in SERVICES.items()),
        policies=(policy,),
    )


def _segments() -> tuple[Segment, ...]:
    return tuple(
        Segment(
            name=f"berth-{b:03}",
            prefixes=(f"10.44.{b}.0/24", f"fd00:44:{b:x}::/64"),
            description=f"quay wall {b}",
        )
        for b in range(BERTHS)
    )


def _hosts() -> tuple[Host, ...]:
    return tuple(
        Host(
            name=f"station-{b:03}-{h}",
            segment=f"berth-{b:03}",
            addresses=(f"10.44.{b}.{10 + h}", f"fd00:44:{b:x}::{10 + h:x}"),
            description=f"station {h} on quay wall {b}",
        )
        for b in range(BERTHS)
        for h in range(6)
    )


def _groups(rng: random.Random, hosts: Sequence[Host]) -> tuple[AddressObject, ...]:
    return tuple(
        AddressObject(
            name=f"round-{g:02}",
            members=tuple(h.name for h in rng.sample(hosts, 5)),
            description="stations on one round",
        )
        for g in range(40)
    )


def _reaches(segments: Sequence[Segment]) -> tuple[AddressObject, ...]:
    return tuple(
        AddressObject(
            name=f"reach-{r}",
            members=tuple(s.name for s in segments[10 * r : 10 * r + 10]),
            description="ten quay walls in a row",
        )
        for r in range(BERTHS // 10)
    )


def _lock(segments: Sequence[Segment]) -> Device:
    return Device(
        name="long-lock",
        interfaces=tuple(
            Interface(name=f"wall-{i:03}", segment=s.name, zone="quays") for i, s in enumerate(segments)
        ),
        policies=(Attachment(policy="long-list"),),
    )


def _part(berth: int, name: str, low: int, length: int, width: int) -> AddressObject:
    """A part of a quay wall's prefix; every other berth's in both families."""
    members = [f"10.44.{berth}.{low}/{length}"]
    if berth % 2:
        members.append(f"fd00:44:{berth:x}::{low:x}/{length + 96}")
    return AddressObject(
        name=f"{name}-{berth:03}", members=tuple(members), description=f"a part {width} wide"
    )


@dataclass(frozen=True)
class _Names:
    rng: random.Random
    hosts: list[str]
    parts: list[tuple[str, int]]
    segments: list[str]
    groups: list[str]
    reaches: list[str]

    def draw(self) -> tuple[int, str]:
        """How wide (0 a host, 9 anywhere) and a name."""
        rng, chance = self.rng, self.rng.random()
        if chance < 1 / 14:  # of two ends, so in one rule of seven
            return 1, rng.choice(self.groups)
        if chance < 0.45:
            return 0, rng.choice(self.hosts)
        if chance < 0.75:
            name, width = rng.choice(self.parts)
            return width, name
        if chance < 0.9:
            return 5, rng.choice(self.segments)
        if chance < 0.95:
            return 6, rng.choice(self.reaches)
        return (7, "harbour") if chance < 0.98 else (9, "any")


def _rule(index: int, rng: random.Random, names: _Names) -> tuple[int, Rule]:
    (a, source), (b, destination) = names.draw(), names.draw()
    action: Action = rng.choice(["allow", "allow", "allow", "drop"])
    service = rng.choice([*SERVICES, "any"]) if a + b < 8 else rng.choice(list(SERVICES))
    # Mostly specific before general, with the slips that make lists interesting.
    width = a + b + (3 if service == "any" else 0) + (rng.randint(-8, 8) if rng.random() < 0.1 else 0)
    rule = Rule(
        name=f"line {index + 1:05}", action=action, source=(source,), destination=(destination,), service=(service,),
        log=rng.random() < 0.1, description=f"{source} and {destination}",
    )  # fmt: skip
    return width, rule


def _last() -> Rule:
    return Rule(
        name="rest is logged", action="drop", source=("any",), destination=("any",), service=("any",), log=True,
        description="the last word with a log",
    )  # fmt: skip
