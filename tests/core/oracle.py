"""An independent model of first-match lists, slow and obvious, for checking the core.

It shares no code with the core: members are read with `ipaddress` and string splitting, a packet is
matched by asking every member, and a list is judged by trying every packet that could make a difference.
"""

from __future__ import annotations

import functools
import ipaddress
import itertools
import random
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import clock

from sarvex.core.model.records import Policy, Rule, Schedule

STATES = ["new", "established", "related", "invalid"]
PORTS = {"tcp": 6, "udp": 17, "sctp": 132}
ICMP = {"icmp": (4, 1), "icmp6": (6, 58)}


@dataclass(frozen=True)
class Packet:
    family: int
    src: int
    dst: int
    proto: int
    first: int
    second: int
    state: str
    moment: datetime | None = None


@functools.cache
def _span(text: str) -> tuple[int, int, int]:
    if "-" in text:
        low, high = (ipaddress.ip_address(t) for t in text.split("-"))
        return low.version, int(low), int(high)
    net = ipaddress.ip_network(text)
    return net.version, int(net.network_address), int(net.broadcast_address)


@functools.cache
def _address_in(text: str, family: int, value: int) -> bool:
    if text == "any":
        return True
    version, low, high = _span(text)
    return version == family and low <= value <= high


@functools.cache
def _numbers(text: str) -> tuple[int, int]:
    low, _, high = text.partition("-")
    return int(low), int(high or low)


def _service_in(text: str, p: Packet) -> bool:
    return _service_has(text, p.family, p.proto, p.first, p.second)


@functools.cache
def _service_has(text: str, family: int, proto: int, first: int, second: int) -> bool:
    if text == "any":
        return True
    word, _, source = text.partition(" from ")
    protocol, _, value = word.partition("/")
    if protocol == "proto":
        return proto == int(value)
    if protocol in PORTS:
        if proto != PORTS[protocol]:
            return False
        for text_range, port in ((value, second), (source, first)):
            if text_range and not _numbers(text_range)[0] <= port <= _numbers(text_range)[1]:
                return False
        return True
    own_family, number = ICMP[protocol]
    if proto != number:
        return False
    if not value:
        return True
    kind, _, code = value.partition(".")
    return family == own_family and first == int(kind) and (not code or second == int(code))


def matches(rule: Rule, p: Packet, schedules: Sequence[Schedule] = clock.SCHEDULES) -> bool:
    if rule.schedule is not None:
        assert p.moment is not None
        if not clock.active(next(s for s in schedules if s.name == rule.schedule), p.moment):
            return False
    if rule.until:
        assert p.moment is not None
        if not clock.lasts(rule.until, p.moment):
            return False
    fields = {
        "source": any(_address_in(m, p.family, p.src) for m in rule.source),
        "destination": any(_address_in(m, p.family, p.dst) for m in rule.destination),
        "service": any(_service_in(m, p) for m in rule.service),
    }
    return all(hit != (name in rule.negate) for name, hit in fields.items()) and (
        not rule.states or p.state in rule.states
    )


def decide(policy: Policy, p: Packet) -> int | None:
    """The index of the deciding rule; None for the default."""
    for index, rule in enumerate(policy.rules):
        if rule.enabled and policy.families in ("both", str(p.family)) and matches(rule, p):
            return index
    return None


def packets(policy: Policy) -> list[Packet]:
    """One packet of every kind the list could tell apart: each axis takes the first value of every
    stretch between two neighbouring end points."""
    used = tuple(s for s in clock.SCHEDULES if any(rule.schedule == s.name for rule in policy.rules))
    used += tuple(s for s in clock.LASTING if any(rule.until == s.last for rule in policy.rules))
    moments = clock.classes(used) if used else (None,)
    return [
        Packet(family, src, dst, *service, state, moment)
        for family in (4, 6)
        for src, dst, service, state, moment in itertools.product(
            *axes(policy.rules, family), STATES, moments
        )
    ]


def axes(rules: Sequence[Rule], family: int) -> tuple[list[int], list[int], list[tuple[int, int, int]]]:
    """The sources, destinations and services to try."""
    addresses = {"src": {0}, "dst": {0}}
    firsts, seconds, protocols = {0}, {0}, {0, 1, 6, 7, 17, 18, 47, 48, 58, 59, 132, 133}
    for rule in rules:
        for axis, members in (("src", rule.source), ("dst", rule.destination)):
            for member in members:
                if member != "any" and _span(member)[0] == family:
                    _, low, high = _span(member)
                    addresses[axis] |= {low, high + 1}
        for member in rule.service:
            word, _, source = member.partition(" from ")
            value = word.partition("/")[2]
            if word.startswith("proto"):
                protocols |= {int(value), int(value) + 1}
            elif word.startswith("icmp") and value:
                kind, _, code = value.partition(".")
                firsts |= {int(kind), int(kind) + 1}
                seconds |= {int(code or 0), int(code or 0) + 1}
            else:
                for text, axis_values in ((value, seconds), (source, firsts)):
                    if text:
                        axis_values |= {_numbers(text)[0], _numbers(text)[1] + 1}
    top = 2**32 if family == 4 else 2**128
    return (
        sorted(v for v in addresses["src"] if v < top),
        sorted(v for v in addresses["dst"] if v < top),
        [
            (proto, first, second)
            for proto, first, second in itertools.product(sorted(protocols), sorted(firsts), sorted(seconds))
            if proto < 256 and _exists(family, proto, first, second)
        ],
    )


def _exists(family: int, proto: int, first: int, second: int) -> bool:
    if proto in (6, 17, 132):
        return first < 65536 and second < 65536
    if (family, proto) in ICMP.values():
        return first < 256 and second < 256
    return first == second == 0


ADDRESSES = [
    "any", "10.44.0.0/29", "10.44.0.0/30", "10.44.0.4/30", "10.44.0.1", "10.44.0.2-10.44.0.5",
    "fd00:44::/126", "fd00:44::1", "fd00:44::2-fd00:44::3", "10.44.0.6",
]  # fmt: skip
SERVICES = [
    "any", "tcp", "tcp/443", "tcp/440-443", "tcp/443-445", "udp/53", "tcp/443 from 1024-65535", "udp",
    "icmp", "icmp/8", "icmp/255", "icmp/3.4", "icmp6/128", "icmp6", "proto/47", "proto/6", "sctp/36412",
]  # fmt: skip


def random_policy(rng: random.Random, rules: int, schedules: Sequence[str] = ()) -> Policy:
    """A policy of literals over a few addresses and ports, dense enough that rules meet.

    Each policy draws on a few members of the pools only: that keeps the packets to try few. Some rules are active by one
    of `schedules`; then some are there for a while, too.
    """
    hosts, words = rng.sample(ADDRESSES, 5), rng.sample(SERVICES, 4)

    def some(pool: list[str]) -> tuple[str, ...]:
        return tuple(rng.sample(pool, rng.choice([1, 1, 1, 2, 3])))

    def rule(index: int) -> Rule:
        action = rng.choice(["allow", "allow", "drop", "reject"])
        return Rule(
            name=f"r{index}",
            action=action,
            source=some(hosts),
            destination=some(hosts),
            service=some(words),
            negate=tuple(f for f in ("source", "destination", "service") if rng.random() < 0.08),
            states=tuple(rng.sample(STATES, rng.choice([1, 2]))) if rng.random() < 0.2 else (),
            schedule=rng.choice(schedules) if schedules and rng.random() < 0.5 else None,
            until=rng.choice(clock.ENDS) if schedules and rng.random() < 0.2 else "",
            log=rng.random() < 0.3,
            enabled=rng.random() > 0.1,
            description="made at random",
        )

    return Policy(
        name="random",
        default=rng.choice(["allow", "drop", "continue"]),
        families=rng.choice(["both", "both", "4", "6"]),
        rules=tuple(rule(i) for i in range(rules)),
    )


def planted_policy(rng: random.Random, rules: int) -> tuple[Policy, dict[str, bool]]:
    """A random policy with shadows planted in it, and by rule name whether the planted rule is dead.

    Each plant is a rule over a region that earlier rules cut into tiles, one of them (a single shadow) or several (a
    union), along addresses and ports, in one family or over both; a near miss leaves out one address and port.
    """
    base = random_policy(rng, max(1, rules // 3))
    made = list(base.rules)
    dead: dict[str, bool] = {}
    plants = max(1, rules // 12)
    for plant in range(plants):
        family = rng.choice(["4", "6", "both"])
        site, low = rng.randrange(200), rng.choice([1000, 8000, 30000])
        miss = rng.random() < 0.4
        tiles = rng.choice([1, 2, 3, 4])
        cuts = sorted(rng.sample(range(low + 1, low + 99), tiles - 1))
        spans = list(zip([low, *cuts], [*(c - 1 for c in cuts), low + 99], strict=True))
        hole = rng.randrange(tiles) if miss else None
        for number, (first, last) in enumerate(spans):
            if number == hole:
                first += 1
            if first > last:
                continue
            made.append(_plant(rng, f"tile-{plant}-{number}", family, site, f"tcp/{first}-{last}", wide=True))
        name = f"over-{plant}"
        made.append(_plant(rng, name, family, site, f"tcp/{low}-{low + 99}", wide=False))
        dead[name] = not miss
    return replace(base, rules=tuple(made), families="both"), dead


def _plant(rng: random.Random, name: str, family: str, site: int, service: str, wide: bool) -> Rule:
    source = {"4": f"10.99.{site}.0/{24 if wide else 25}", "6": f"fd00:99:{site:x}::/{64 if wide else 65}"}
    destination = {
        "4": "10.98.0.0/16" if wide else "10.98.7.0/24",
        "6": "fd00:98::/32" if wide else "fd00:98::/64",
    }
    chosen = ["4", "6"] if family == "both" else [family]
    return Rule(
        name=name,
        action=rng.choice(["allow", "drop"]),
        source=tuple(source[f] for f in chosen),
        destination=tuple(destination[f] for f in chosen),
        service=(service,),
        log=rng.random() < 0.3,
        description="planted",
    )
