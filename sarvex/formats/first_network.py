"""A first network from an addressing plan and a few answers: what is there, what it does by default, one wanted yes and one wanted no.

What the plan does not say is asked for, never assumed: until it is answered nobody has an address that nobody told, and the network begins
closed inwards. What must work and does not gets a rule written for it; what must not and does gets one that drops it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from ipaddress import ip_address, ip_interface, ip_network
from typing import Literal

from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import (
    Attachment,
    Device,
    Expectation,
    Host,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
    ServiceObject,
    SourceTranslation,
    Zone,
    ZoneDefault,
    fold,
)
from sarvex.core.model.well_known_services import catalogue
from sarvex.core.reach.expectations import judged
from sarvex.formats import expectation_text
from sarvex.formats.plan_text import OUTSIDE, Row, is_address

Lets = Literal["outward", "everything", "nothing"]
DEFAULTS: dict[Lets, ZoneDefault] = {
    "outward": ZoneDefault(mode="by depth"),
    "everything": ZoneDefault(mode="open"),
    "nothing": ZoneDefault(mode="closed"),
}
"""What the device does with what no rule speaks of."""
Serves = Literal["name service", "time", "ping"]
SERVED: dict[Serves, tuple[str, ...]] = {
    "name service": ("udp/53", "tcp/53"),
    "time": ("udp/123",),
    "ping": ("icmp/8", "icmp6/128"),
}
MANAGED_BY = ("tcp/22", "tcp/443")
POLICY = "first rules"
ITSELF = "the device itself"
INSIDE_ZONE, OUTSIDE_ZONE, INTERNET, UPLINK, DEVICE = "inside", "outside", "internet", "uplink", "gateway"
EARLY = ("guest", "visitor", "public", "dmz", "wifi")
LATE = ("inside", "server", "core", "control", "management", "internal", "plant")


@dataclass(frozen=True)
class Answers:
    """What the plan did not say. order: zones, the outermost first. addresses: of the device in segments, by their names."""

    order: tuple[str, ...] = ()
    device: str = ""
    lets: Lets = "outward"
    uplink: str = ""
    next_hop: str = ""
    hides: bool = False
    addresses: Mapping[str, str] = field(default_factory=dict)
    managed_from: str = ""
    """The segment from which the device is managed; nothing: nobody says, and its own services are open to all."""
    serves: tuple[Serves, ...] = ()
    """What the device itself answers to everybody inside."""
    must: str = ""
    must_not: str = ""


@dataclass(frozen=True)
class Asked:
    """Something that nothing says: what it is about, and what would be usual."""

    kind: Literal["device", "address", "uplink", "next hop"]
    about: str
    usual: str


@dataclass(frozen=True)
class Wanted:
    """One wanted yes or no: as it was written, as it is meant, whether it held by itself, and whether it holds with what was written for it."""

    text: str
    expectation: Expectation | None
    problem: str
    alone: str
    verdict: str


@dataclass(frozen=True)
class First:
    """A network that may be begun with if there are no problems; what is asked; zones, the outermost first; and both wishes."""

    network: Network
    asked: tuple[Asked, ...]
    zones: tuple[str, ...]
    usual: tuple[str, str]
    """A wanted yes and a wanted no that fit what is there, for whoever has written none."""
    wanted: tuple[Wanted, ...]
    problems: tuple[Problem, ...]


def first_network(base: Network, rows: Sequence[Row], answers: Answers) -> First:
    """What an empty network becomes. O(rows², and what it takes to judge two wishes)."""
    told = [row for row in rows if not row.problem]
    segments = _segments(told)
    asked: list[Asked] = []
    found: list[Problem] = []
    zones = _zones(told, answers.order)
    zone_of = {fold(s.name): INSIDE_ZONE for s in segments}
    zone_of |= {fold(r.name): r.zone for r in told if r.kind == "segment" and r.zone}
    outside = next(s for s in segments if s.outside)
    zone_of[fold(outside.name)] = next((r.zone for r in told if r.kind == "outside" and r.zone), OUTSIDE_ZONE)
    devices: list[Device] = []
    held: set[str] = set()
    rows_of = _devices(told, answers.device)
    for name, addresses in rows_of.items():
        interfaces = tuple(_interfaces(segments, zone_of, addresses, held))
        devices.append(Device(name=name, zone_default=DEFAULTS[answers.lets], interfaces=interfaces))
    if not answers.device and not any(r.kind == "device" or r.device for r in told):
        asked.append(Asked("device", "", DEVICE))
    joins = devices[0]
    for segment in segments:
        if fold(segment.name) in held or segment.outside:
            continue
        address = answers.addresses.get(segment.name, "").strip() or _gateway(told, segment)
        if not address:
            asked.append(Asked("address", segment.name, _usual(segment)))
        elif not _in(address, segment):
            found.append(
                Problem(
                    ("answers", "addresses", segment.name),
                    f"{address} is not in {', '.join(segment.prefixes)}",
                )
            )
            address = ""
        port = Interface(
            name=segment.name,
            segment=segment.name,
            zone=zone_of[fold(segment.name)],
            addresses=(address,) if address else (),
        )
        joins = replace(joins, interfaces=(*joins.interfaces, port))
    joins, more = _uplink(joins, told, segments, outside, zone_of, answers)
    asked += more
    devices[0] = joins
    hosts = [
        Host(name=r.name, segment=_holder(segments, r.addresses[0]), addresses=tuple(r.addresses), description=r.description)
        for r in told if r.kind == "host"
    ]  # fmt: skip
    made = replace(
        base, zones=tuple(Zone(name=z, depth=n) for n, z in enumerate(zones)), segments=tuple(segments), hosts=tuple(hosts), devices=tuple(devices)
    )  # fmt: skip
    if answers.managed_from:
        if fold(answers.managed_from) in {fold(t.name) for t in made.address_things()}:
            made = _guarded(made, answers)
        else:
            told_wrong = f"no segment and no host is called {answers.managed_from!r}"
            found.append(Problem(("answers", "managed_from"), told_wrong))
    try:
        found += problems(made)
    except ValueError as error:
        found.append(Problem((), str(error)))
    usual = _usual_wishes(made, zones, zone_of)
    wanted: tuple[Wanted, ...] = ()
    if not found and any(not s.outside for s in segments):
        made, wanted = _with_wishes(made, (answers.must, answers.must_not))
    return First(made, tuple(asked), tuple(zones), usual, wanted, tuple(found))


def _segments(told: Sequence[Row]) -> list[Segment]:
    segments = [
        Segment(name=r.name, prefixes=tuple(r.prefixes), vlan=r.vlan, description=r.description) for r in told if r.kind == "segment"
    ]  # fmt: skip
    taken = {fold(s.name) for s in segments}
    known = [ip_network(p) for s in segments for p in s.prefixes]
    for row in told:
        for address in row.addresses if row.kind == "interface" else ():
            there = ip_interface(address).network
            if there not in known:
                known.append(there)
                name = row.name or "net"
                while fold(name) in taken:
                    name += "-net"
                taken.add(fold(name))
                segments.append(
                    Segment(name=name, prefixes=(str(there),), vlan=row.vlan, description=row.description)
                )
    outside = next((r.name for r in told if r.kind == "outside" and r.name), INTERNET)
    while fold(outside) in taken:
        outside += "-outside"
    return [*segments, Segment(name=outside, outside=True)]


def _zones(told: Sequence[Row], order: Sequence[str]) -> list[str]:
    """The zones that are named, the outermost first: as somebody ordered them, the rest as their names have it."""
    named: dict[str, str] = {}
    for row in told:
        if row.kind in ("segment", "outside"):
            zone = row.zone or (OUTSIDE_ZONE if row.kind == "outside" else INSIDE_ZONE)
            named.setdefault(fold(zone), zone)
    outer = next((r.zone for r in told if r.kind == "outside" and r.zone), OUTSIDE_ZONE)
    named.setdefault(fold(outer), outer)
    if any(r.kind == "interface" for r in told):
        named.setdefault(fold(INSIDE_ZONE), INSIDE_ZONE)

    def guess(zone: str) -> int:
        if zone == fold(outer) or zone in OUTSIDE:
            return 0
        return 1 if any(w in zone for w in EARLY) else 3 if any(w in zone for w in LATE) else 2

    asked = [fold(z) for z in order if fold(z) in named]
    rest = sorted((z for z in named if z not in asked), key=guess)
    found = [*asked]
    for zone in rest:  # in between, where its name has it
        at = next((n for n, other in enumerate(found) if guess(other) > guess(zone)), len(found))
        found.insert(at, zone)
    return [named[z] for z in found]


def _devices(told: Sequence[Row], answered: str) -> dict[str, list[str]]:
    """The addresses of each device, with their prefix lengths where they are told; the first device joins what no other does."""
    devices: dict[str, list[str]] = {}
    for row in told:
        if row.kind == "device":
            devices.setdefault(row.name, []).extend(row.addresses)
    for row in told:
        if row.kind == "interface":
            name = row.device or next(iter(devices), answered or DEVICE)
            devices.setdefault(name, []).extend(row.addresses)
        elif row.device and row.kind == "segment":
            devices.setdefault(row.device, [])
    return devices or {answered or DEVICE: []}


def _interfaces(
    segments: Sequence[Segment], zone_of: Mapping[str, str], addresses: Sequence[str], held: set[str]
) -> Iterator[Interface]:
    of: dict[str, list[str]] = {}
    for address in addresses:
        plain = address.partition("/")[0]
        segment = _holder(segments, plain)
        of.setdefault(segment, []).append(plain)
    for segment, own in of.items():
        held.add(fold(segment))
        yield Interface(name=segment, segment=segment, zone=zone_of[fold(segment)], addresses=tuple(own))


def _holder(segments: Sequence[Segment], address: str) -> str:
    """The segment with the longest prefix that has an address, or what lies outside."""
    at = ip_address(address)
    fitting = [(ip_network(p).prefixlen, s.name) for s in segments for p in s.prefixes if at in ip_network(p)]
    return max(fitting)[1] if fitting else next(s.name for s in segments if s.outside)


def _gateway(told: Sequence[Row], segment: Segment) -> str:
    return next(
        (r.gateway for r in told if r.kind == "segment" and r.gateway and fold(r.name) == fold(segment.name)),
        "",
    )


def _usual(segment: Segment) -> str:
    return str(ip_network(segment.prefixes[0]).network_address + 1)


def _in(address: str, segment: Segment) -> bool:
    try:
        return any(ip_address(address) in ip_network(p) for p in segment.prefixes)
    except ValueError:
        return False


def _uplink(
    device: Device, told: Sequence[Row], segments: Sequence[Segment], outside: Segment, zone_of: Mapping[str, str], answers: Answers
) -> tuple[Device, list[Asked]]:  # fmt: skip
    """The device with its way out and its routes."""
    asked: list[Asked] = []
    there = next((i for i in device.interfaces if i.segment == outside.name), None)
    address = answers.uplink.strip().partition("/")[0] or (
        there.addresses[0] if there and there.addresses else ""
    )
    next_hop = answers.next_hop.strip() or next(
        (r.via for r in told if r.kind == "route" and "0.0.0.0/0" in r.prefixes), ""
    )
    if not address:
        asked.append(Asked("uplink", outside.name, ""))
    if not next_hop:
        asked.append(Asked("next hop", outside.name, ""))
    up = Interface(
        name=UPLINK,
        segment=outside.name,
        zone=zone_of[fold(outside.name)],
        addresses=(address,) if address else (),
    )
    interfaces = tuple(i for i in device.interfaces if i is not there)
    families = {ip_network(p).version for s in segments for p in s.prefixes}
    routes = [
        Route(prefix=prefix, via=next_hop) if next_hop and ip_address(next_hop).version == family else Route(prefix=prefix, interface=UPLINK)
        for family, prefix in ((4, "0.0.0.0/0"), (6, "::/0")) if family in families or family == 4
    ] if is_address(next_hop) or not next_hop else [Route(prefix="0.0.0.0/0", via=next_hop)]  # fmt: skip
    routes += [
        Route(prefix=p, via=r.via)
        for r in told
        if r.kind == "route"
        for p in r.prefixes
        if p not in ("0.0.0.0/0", "::/0")
    ]
    inside = tuple(p for s in segments for p in s.prefixes if ip_network(p).version == 4)
    hidden: tuple[SourceTranslation, ...] = ()
    if answers.hides and address and inside:
        hidden = (
            SourceTranslation(
                name="hide what is inside", leaving=(UPLINK,), source=inside, to=("interface",)
            ),
        )
    return replace(device, interfaces=(*interfaces, up), routes=tuple(routes), translate_source=hidden), asked


def _guarded(network: Network, answers: Answers) -> Network:
    """With what the device itself lets in: management from one segment, and what it serves to everybody inside; the rest is dropped."""
    device, inside = network.devices[0], tuple(s.name for s in network.segments if not s.outside)

    def rule(name: str, source: tuple[str, ...], service: tuple[str, ...]) -> Rule:
        return Rule(
            name=name, action="allow", source=source, destination=(device.name,), service=service,
            description="of the device itself",
        )  # fmt: skip

    rules = [rule("management", (answers.managed_from,), MANAGED_BY)]
    rules += [rule(served, inside, SERVED[served]) for served in SERVED if served in answers.serves]
    policy = Policy(
        name=ITSELF, default="drop", rules=tuple(rules), description="who may speak to the device itself"
    )
    guarded = replace(
        device, management=MANAGED_BY, policies=(Attachment(policy=ITSELF, stage="to the device"),)
    )
    return replace(network, policies=(policy,), devices=(guarded, *network.devices[1:]))


# --- one yes and one no -------------------------------------------------------------------------------------


def _usual_wishes(network: Network, zones: Sequence[str], zone_of: Mapping[str, str]) -> tuple[str, str]:
    """From the next zone to the innermost something works, from the outermost of ours nothing does."""
    rank = {fold(z): n for n, z in enumerate(zones)}
    depth = {s.name: rank[fold(zone_of[fold(s.name)])] for s in network.segments if not s.outside}
    if len(depth) < 2:
        return "", ""
    target = max(depth, key=lambda name: depth[name])
    others = [name for name in depth if name != target]
    near, outer = max(others, key=lambda name: depth[name]), min(others, key=lambda name: depth[name])
    return (
        f"{_quoted(near)} must reach {_quoted(target)} on https",
        f"{_quoted(outer)} must not reach {_quoted(target)} on ssh",
    )


def _quoted(name: str) -> str:
    return f'"{name}"' if " " in name else name


def _with_wishes(network: Network, texts: Sequence[str]) -> tuple[Network, tuple[Wanted, ...]]:
    """The network with what is wanted of it, and a rule for each wish that does not hold by itself."""
    read: list[tuple[str, Expectation | None, str]] = []
    network = replace(network, services=tuple(_taken(network, texts)))
    names = Names(network)
    for text in texts:
        if not text.strip():
            continue
        line = next(
            iter(
                expectation_text.read(text.strip().splitlines()[0], names, [one for _, one, _ in read if one])
            ),
            None,
        )
        read.append(
            (text, line.expectation if line else None, line.problem if line else "nothing is written there")
        )
    meant = [one for _, one, _ in read if one]
    alone = [one.verdict for one in judged(network, names, meant)]
    rules = [_rule(one) for one, verdict in zip(meant, alone, strict=True) if verdict == "broken"]
    made = replace(network, expectations=tuple(meant))
    if rules:
        policy = Policy(
            name=POLICY,
            default="continue",
            rules=tuple(rules),
            description="what must work and what must not",
        )
        own = network.devices[0]
        first = replace(own, policies=(*own.policies, Attachment(policy=POLICY)))
        made = replace(made, policies=(*made.policies, policy), devices=(first, *network.devices[1:]))
    then = iter([*zip(alone, (one.verdict for one in judged(made, Names(made), meant)), strict=True)])
    wanted = [Wanted(text, one, problem, *(next(then) if one else ("", ""))) for text, one, problem in read]
    return made, tuple(wanted)


def _taken(network: Network, texts: Sequence[str]) -> Iterator[ServiceObject]:
    """The network's services with the well-known ones that the wishes name."""
    yield from network.services
    there = {fold(s.name) for s in network.services}
    asked = {word for text in texts for word in re.split(r"[\s,]+", fold(text).partition(" on ")[2])}
    for known in catalogue():
        if known.name in asked and known.name not in there:
            yield ServiceObject(name=known.name, members=known.members, description=known.words)


def _rule(one: Expectation) -> Rule:
    return Rule(
        name=one.name[:150], action="allow" if one.must == "allowed" else "drop", source=one.source, destination=one.destination,
        service=one.service, log=one.must == "blocked", description=f"so that it holds: {one.name}"[:400],
    )  # fmt: skip
