"""A large made-up network for trying scale: the ferry line with a hundred berths and as many rules as wanted.

Lists are made as people make them: specific rules before general ones, one rule in seven on groups, both
families, a last rule that drops the rest. The same seed gives the same network.
"""

from __future__ import annotations

import random
from typing import Annotated

import typer

from sarvex.core.model import (
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
from sarvex.formats import document

BERTHS = 100
SERVICES = {
    "https": "tcp/443", "http": "tcp/80", "ssh": "tcp/22", "dns": "udp/53", "ntp": "udp/123", "modbus": "tcp/502",
    "mqtts": "tcp/8883", "rtsp": "tcp/554", "postgres": "tcp/5432", "syslog": "udp/514", "snmp": "udp/161",
    "gate-control": "tcp/18440", "tide-feed": "udp/18110", "ping": "icmp/8", "feeds": "udp/18100-18120",
}  # fmt: skip


def network(rules: int, seed: int) -> Network:
    """The network with one long policy of `rules` rules."""
    rng = random.Random(seed)
    segments = tuple(
        Segment(
            name=f"berth-{b:03}",
            prefixes=(f"10.44.{b}.0/24", f"fd00:44:{b:x}::/64"),
            description=f"quay wall {b}",
        )
        for b in range(BERTHS)
    )
    hosts = tuple(
        Host(
            name=f"station-{b:03}-{h}",
            segment=f"berth-{b:03}",
            addresses=(f"10.44.{b}.{10 + h}", f"fd00:44:{b:x}::{10 + h:x}"),
            description=f"station {h} on quay wall {b}",
        )
        for b in range(BERTHS)
        for h in range(6)
    )
    halves = tuple(
        AddressObject(
            name=f"pier-{b:03}-{side}", members=(f"10.44.{b}.{at}/25",), description="one side of a pier"
        )
        for b in range(BERTHS)
        for side, at in (("east", 0), ("west", 128))
    )
    groups = tuple(
        AddressObject(
            name=f"round-{g:02}",
            members=tuple(h.name for h in rng.sample(hosts, 5)),
            description="stations on one round",
        )
        for g in range(40)
    )
    services = tuple(ServiceObject(name=n, members=(m,), description=n) for n, m in SERVICES.items())
    names = _Names(
        rng,
        [s.name for s in segments],
        [h.name for h in hosts],
        [a.name for a in halves],
        [g.name for g in groups],
    )
    made = sorted((_rule(i, rng, names) for i in range(rules - 1)), key=lambda pair: (pair[0], rng.random()))
    policy = Policy(
        name="long-list",
        default="drop",
        description="made for trying scale",
        rules=(*(rule for _, rule in made), _last()),
    )
    lock = Device(
        name="long-lock",
        interfaces=tuple(
            Interface(name=f"wall-{i:03}", segment=s.name, zone="quays") for i, s in enumerate(segments)
        ),
        policies=(Attachment(policy="long-list"),),
    )
    return Network(
        name=f"Merrow Long List {rules}",
        description="a hundred berths and one long policy, made for trying scale",
        zones=(Zone(name="quays", depth=1),),
        segments=segments,
        hosts=hosts,
        devices=(lock,),
        addresses=(*halves, *groups),
        services=services,
        policies=(policy,),
    )


class _Names:
    def __init__(self, rng: random.Random, *levels: list[str]) -> None:
        self._rng, (self._segments, self._hosts, self._halves, self._groups) = rng, levels

    def draw(self) -> tuple[int, str]:
        """How wide (0 a host, 3 a segment) and a name."""
        chance = self._rng.random()
        if chance < 1 / 7:
            return 1, self._rng.choice(self._groups)
        if chance < 0.6:
            return 0, self._rng.choice(self._hosts)
        return (2, self._rng.choice(self._halves)) if chance < 0.75 else (3, self._rng.choice(self._segments))


def _rule(index: int, rng: random.Random, names: _Names) -> tuple[int, Rule]:
    (a, source), (b, destination) = names.draw(), names.draw()
    action: Action = rng.choice(["allow", "allow", "allow", "drop"])
    service = rng.choice([*SERVICES, "any"]) if a + b < 4 else rng.choice(list(SERVICES))
    # Mostly specific before general, with the slips that make lists interesting.
    width = a + b + (2 if service == "any" else 0) + (rng.randint(-4, 4) if rng.random() < 0.1 else 0)
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


def generate(
    rules: Annotated[int, typer.Option(help="How many rules the long policy has.")] = 10_000,
    seed: Annotated[int, typer.Option(help="The same seed gives the same network.")] = 1,
) -> None:
    """A large made-up network document, as JSON, for trying scale.

    Example: sarvex generate --rules 10000 > long.json
    """
    print(document.dump(network(rules, seed), "json"), end="")
