"""Random networks for following packets: small, hostile, and with ways that mostly lead somewhere."""

from __future__ import annotations

import ipaddress
import random
from collections import deque
from dataclasses import replace

from oracle import Packet

from sarvex.core.model.records import (
    AddressObject,
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
    Sees,
    Segment,
    SourceTranslation,
    Steering,
    Zone,
    ZoneDefault,
)

SERVICES = [
    "any",
    "any",
    "tcp/443",
    "udp/53",
    "icmp",
    "icmp6",
    "icmp/8",
    "proto/47",
    "tcp from 443",
    "udp from 53",
    "sctp/443",
]
STAGES = ["inbound", "passage", "passage", "passage", "outbound", "to the device", "from the device"]


def prefixes_of(number: int) -> tuple[str, str]:
    return f"10.44.{number}.0/28", f"fd00:44:{number}::/64"


def inside(prefix: str, number: int) -> str:
    return str(ipaddress.ip_network(prefix)[number])


def random_network(rng: random.Random, devices: int = 6, rules: int | None = None) -> Network:
    segments = [
        Segment(
            name=f"s{i}",
            prefixes=rng.choice([prefixes_of(i), prefixes_of(i), prefixes_of(i)[:1], prefixes_of(i)[1:]]),
        )
        for i in range(rng.randrange(3, 7))
    ]
    if rng.random() < 0.5:
        own = ("192.168.9.0/29",) if rng.random() < 0.5 else ()
        segments.append(Segment(name="beyond", outside=True, prefixes=own))
    if rng.random() < 0.3:
        # Inner ones leave little of s0, so that what is left is smaller than a route that is longer.
        segments.append(Segment(name="inner", prefixes=("10.44.0.8/29", "10.44.0.0/30")))
    zones = tuple(Zone(name=f"z{i}", depth=rng.randrange(3)) for i in range(3))
    made = [_device(rng, f"d{i}", i, segments, zones) for i in range(rng.randrange(1, devices + 1))]
    routed = [replace(d, routes=_routes(rng, d, made, segments)) for d in made]
    hosts = tuple(
        Host(
            name=f"h{i}", segment=s.name,
            addresses=tuple(inside(p, rng.randrange(2, 6)) for p in s.prefixes if p.endswith(("/28", "/64"))),
        )
        for i, s in enumerate(segments) if any(p.endswith(("/28", "/64")) for p in s.prefixes)
    )  # fmt: skip
    groups = (AddressObject(name="some", members=(hosts[0].name, "10.44.1.0/29", segments[1].name)),)
    places = [
        "any",
        "any",
        "some",
        *(h.name for h in hosts),
        *(s.name for s in segments),
        *_literals(made, rng),
    ]
    policies = tuple(
        _policy(rng, f"p{i}", places, rng.randrange(4) if rules is None else rules) for i in range(4)
    )
    return Network(
        name="random", zones=zones, hosts=hosts, addresses=groups, policies=policies,
        segments=tuple(
            replace(s, gateways=tuple(d.name for d in rng.sample(made, min(len(made), rng.choice([1, 1, 2])))))
            if rng.random() < 0.35 else s
            for s in segments
        ),
        devices=tuple(replace(d, policies=attachments(rng, d, rng.randrange(4))) for d in routed),
        at_hosts=tuple(
            HostAttachment(
                policy=f"p{rng.randrange(4)}", direction=rng.choice(["inbound", "outbound"]),
                hosts=tuple(rng.sample([h.name for h in hosts], min(2, len(hosts)))),
            )
            for _ in range(rng.choice([0, 0, 1, 2]))
        ),
    )  # fmt: skip


def _device(
    rng: random.Random, name: str, number: int, segments: list[Segment], zones: tuple[Zone, ...]
) -> Device:
    joined = rng.sample(segments, min(len(segments), rng.choice([1, 2, 2, 3, 3])))
    if rng.random() < 0.1:
        joined.append(rng.choice(joined))  # two interfaces on one wire

    def addresses(at: int, segment: Segment) -> tuple[str, ...]:
        if not segment.prefixes:
            return rng.choice(
                [(f"198.18.0.{number + 1}",), (), (f"198.18.0.{number + 1}", f"2001:db8::{number + 1}")]
            )
        if segment.name == "inner":
            return ("10.44.0.9",)
        # Every other one shares its number with the device before: two devices may have one address.
        own = 10 + (number if rng.random() > 0.04 else number - 1) if at < 2 or number % 2 else 7
        return tuple(
            inside(p, own % 14 if p.endswith("/28") else own if p.endswith("/64") else number % 6 + 1)
            for p in segment.prefixes
        )

    interfaces = [
        Interface(
            name=f"{name}-{i}", segment=s.name, zone=rng.choice([*(z.name for z in zones), None]), addresses=addresses(i, s)
        )
        for i, s in enumerate(joined)
    ]  # fmt: skip
    if rng.random() < 0.3:
        loopback = rng.choice([f"10.99.0.{number + 1}", "10.44.1.13", f"fd00:99::{number + 1}"])
        interfaces.append(Interface(name=f"{name}-lo", kind="loopback", addresses=(loopback,)))
    return Device(
        name=name,
        filtering="stateless" if rng.random() < 0.15 else "stateful",
        replies=rng.choice(["by conversation", "by conversation", "by conversation", "by rule"]),
        zone_default=ZoneDefault(mode=rng.choice(["open", "open", "open", "by depth", "closed"])),
        interfaces=tuple(replace(i, management_only=rng.random() < 0.05) for i in interfaces),
        cluster=rng.choice(["", "", "pair", "Pair"]),
        out_of_state=rng.choice(["drop", "drop", "by rule"]),
        answers_leave=rng.choice(["by route", "by route", "where asked"]),
    )


def _routes(
    rng: random.Random, device: Device, devices: list[Device], segments: list[Segment]
) -> tuple[Route, ...]:
    """Mostly towards every segment by a shortest way, all of them if there are several; some lead astray."""
    routes = []
    wire = {i.segment for i in device.interfaces}
    for segment in segments:
        if segment.name in wire or rng.random() < 0.15:
            continue
        for hop in _nearest(device, devices, segment.name)[: rng.choice([1, 1, 2])]:
            for prefix in segment.prefixes or ("0.0.0.0/0", "::/0"):
                via = [a for a in hop.addresses if (":" in a) == (":" in prefix)]
                if via and rng.random() < 0.92:
                    routes.append(Route(prefix=prefix, via=via[0]))
    for _ in range(rng.choice([0, 0, 1, 2])):
        family = rng.choice([4, 4, 6])
        prefixes = (
            [
                "10.44.0.0/16",
                "0.0.0.0/0",
                "10.44.2.0/29",
                "10.44.0.4/30",
                "10.44.0.0/29",
                "10.44.1.13/32",
                "10.99.0.0/24",
            ]
            if family == 4
            else ["fd00:44::/32", "::/0", "fd00:44:1::/64", "fd00:44:2::/80", "fd00:99::/32"]
        )
        hops = [a for d in devices for i in d.interfaces for a in i.addresses if (":" in a) == (family == 6)]
        hops += ["10.44.1.14", "192.168.9.6"] if family == 4 else ["fd00:44:1::99"]
        via = rng.choice(hops) if rng.random() < 0.8 else None
        out = rng.choice(device.interfaces).name if via is None or rng.random() < 0.2 else None
        if rng.random() < 0.1:
            routes.append(Route(prefix=rng.choice(prefixes), discard=True))
            continue
        routes.append(
            Route(prefix=rng.choice(prefixes), via=via, interface=out, metric=rng.choice([0, 0, 5]))
        )
    return tuple(routes)


def _nearest(device: Device, devices: list[Device], segment: str) -> list[Interface]:
    """The interfaces of neighbours that begin shortest ways to a segment."""
    steps: dict[str, int] = {d.name: 0 for d in devices if any(i.segment == segment for i in d.interfaces)}
    queue = deque(d for d in devices if d.name in steps)
    while queue:
        near = queue.popleft()
        for other in devices:
            if other.name not in steps and _shared(near, other):
                steps[other.name] = steps[near.name] + 1
                queue.append(other)
    found = [
        (steps[d.name], i) for d in devices if d is not device and d.name in steps for i in _shared(device, d)
    ]
    nearest = min((n for n, _ in found), default=0)
    return [i for n, i in found if n == nearest]


def _shared(one: Device, other: Device) -> list[Interface]:
    wires = {i.segment for i in one.interfaces if i.segment}
    return [i for i in other.interfaces if i.segment in wires]


def translating(rng: random.Random, network: Network) -> Network:
    """The same with lists of translations and of steering at some devices, and stages that compare other forms of packets."""
    return replace(network, devices=tuple(_with_lists(rng, d, network) for d in network.devices))


def _with_lists(rng: random.Random, device: Device, net: Network) -> Device:
    stateful = device.filtering == "stateful"
    count = [0, 1, 1, 2] if stateful else [0]
    names = [f"e{n}" for n in range(2)]
    return replace(
        device,
        translate_destination=tuple(_to_there(rng, device, net, n) for n in names[: rng.choice(count)]),
        translate_source=tuple(_from_here(rng, device, net, n) for n in names[: rng.choice(count)]),
        steering=tuple(_steer(rng, device, net, n) for n in names[: rng.choice([0, 0, 1, 2])]),
        sees=Sees(
            inbound=rng.choice(["entered", "entered", "routed"]),
            passage=rng.choice(["routed", "routed", "entered"]),
            outbound=rng.choice(["routed", "routed", "entered", "left"]),
        ),
    )


def _some(rng: random.Random, net: Network, device: Device) -> str:
    """A member of a field of an entry: hosts and what may be asked about more often than whole segments."""
    own = [a for i in device.interfaces for a in i.addresses]
    literals = [
        "10.44.0.0/29",
        "10.44.1.0/30",
        "10.44.2.8",
        "fd00:44:1::/126",
        "198.51.100.7",
        "10.44.3.14",
        "fd00:44:2::e",
    ]
    hosts = [h.name for h in net.hosts]
    return rng.choice([*hosts, *hosts, *literals, *own, *(s.name for s in net.segments), "some"])


def _become(rng: random.Random, net: Network, device: Device) -> str:
    own = [a for i in device.interfaces for a in i.addresses]
    literals = [
        "10.44.4.0/29",
        "10.44.2.0/30",
        "10.44.2.9",
        "fd00:44:2::/126",
        "10.44.3.14",
        "fd00:44:2::e",
        "10.44.1.4/31",
    ]
    return rng.choice([*(h.name for h in net.hosts), *literals, *literals, *own])


def _scope(rng: random.Random, device: Device) -> tuple[str, ...]:
    places = [
        *(i.zone for i in device.interfaces if i.zone),
        *(i.name for i in device.interfaces),
        "any",
        "any",
    ]
    return (rng.choice(places),)


def _to_there(rng: random.Random, device: Device, net: Network, name: str) -> DestinationTranslation:
    service, port = rng.choice(
        [("any", None), ("any", None), ("tcp/443", "8443"), ("udp/53", None), ("icmp/8", None), ("tcp/440-450", "8000-8010"), ("any", "53")]
    )  # fmt: skip
    fields = ["source", "destination", *(["service"] if service not in ("any", "tcp/440-450") else [])]
    return DestinationTranslation(
        name=name, entering=_scope(rng, device), source=(rng.choice(["any", "any", "any", _some(rng, net, device)]),),
        destination=(_some(rng, net, device),), service=(service,), port=port,
        to=("none",) if rng.random() < 0.1 else tuple(_become(rng, net, device) for _ in range(rng.choice([1, 1, 1, 2]))),
        negate=(rng.choice(fields),) if rng.random() < 0.1 else (),
        enabled=rng.random() > 0.05,
    )  # fmt: skip


def _from_here(rng: random.Random, device: Device, net: Network, name: str) -> SourceTranslation:
    to = rng.choice([("none",), ("interface",), ("interface",), None, None, None])
    return SourceTranslation(
        name=name, leaving=_scope(rng, device), source=(rng.choice(["any", "any", _some(rng, net, device)]),),
        destination=(rng.choice(["any", "any", _some(rng, net, device)]),),
        service=(rng.choice(["any", "any", "any", "tcp", "udp/53"]),),
        to=to or tuple(_become(rng, net, device) for _ in range(rng.choice([1, 1, 1, 2]))),
        ports=rng.choice([None, None, "keep", "rewrite"]),
        negate=(rng.choice(["destination", "service"]),) if rng.random() < 0.1 else (),
    )  # fmt: skip


def _steer(rng: random.Random, device: Device, net: Network, name: str) -> Steering:
    hops = [a for d in net.devices if d is not device for i in d.interfaces for a in i.addresses]
    hops.append("10.44.1.14")
    via = rng.choice(hops) if rng.random() < 0.8 else None
    return Steering(
        name=name, entering=_scope(rng, device), source=(rng.choice(["any", _some(rng, net, device)]),),
        destination=(rng.choice(["any", _some(rng, net, device)]),), service=(rng.choice(["any", "any", "tcp/443", "icmp/8"]),),
        via=via, leave=rng.choice(device.interfaces).name if via is None or rng.random() < 0.3 else None,
        when_down=rng.choice(["drop", "route", "route", None]), negate=("service",) if rng.random() < 0.05 else (),
    )  # fmt: skip


def attachments(rng: random.Random, device: Device, count: int) -> tuple[Attachment, ...]:
    return tuple(_attachment(rng, device) for _ in range(count))


def _attachment(rng: random.Random, device: Device) -> Attachment:
    stage = rng.choice(STAGES)
    places = [
        *(i.zone for i in device.interfaces if i.zone),
        *(i.name for i in device.interfaces),
        "any",
        "any",
        "any",
    ]
    entering = (rng.choice(places),) if stage != "from the device" else ("any",)
    leaving = (rng.choice(places),) if stage not in ("inbound", "to the device") else ("any",)
    return Attachment(policy=f"p{rng.randrange(4)}", stage=stage, entering=entering, leaving=leaving)


def _literals(devices: list[Device], rng: random.Random) -> list[str]:
    own = [a for d in devices for i in d.interfaces for a in i.addresses]
    return [
        *rng.sample(own, min(3, len(own))),
        "10.44.0.0/29",
        "10.44.2.0/24",
        "fd00:44:1::/64",
        "fd00:44::/48",
    ]


def _policy(rng: random.Random, name: str, places: list[str], rules: int) -> Policy:
    def rule(index: int) -> Rule:
        return Rule(
            name=f"r{index}", action=rng.choice(["allow", "allow", "allow", "drop", "reject"]),
            source=(rng.choice(places),), destination=(rng.choice(places),), service=(rng.choice(SERVICES),),
            negate=(rng.choice(["source", "destination", "service"]),) if rng.random() < 0.08 else (),
            states=tuple(rng.sample(["new", "established", "invalid"], rng.choice([1, 2]))) if rng.random() < 0.15 else (),
            enabled=rng.random() > 0.05,
        )  # fmt: skip

    return Policy(
        name=name,
        default=rng.choice(["allow", "allow", "drop", "continue", "continue"]),
        families=rng.choice(["both", "both", "both", "4", "6"]),
        rules=tuple(rule(i) for i in range(rules)),
    )


def random_packet(rng: random.Random, net: Network) -> Packet:
    family = rng.choice([4, 4, 6])
    known = [
        a for a in (*(a for h in net.hosts for a in h.addresses), *(a for d in net.devices for i in d.interfaces for a in i.addresses))
        if (":" in a) == (family == 6)
    ]  # fmt: skip

    def address() -> int:
        if known and rng.random() < 0.5:
            return int(ipaddress.ip_address(rng.choice(known)))
        if family == 4:
            text = rng.choice(
                [f"10.44.{rng.randrange(7)}.{rng.randrange(16)}", "198.51.100.7", "192.168.9.5", "10.99.0.1"]
            )
        else:
            text = rng.choice([f"fd00:44:{rng.randrange(7)}::{rng.randrange(1, 16):x}", "2001:db8:7::7"])
        return int(ipaddress.ip_address(text))

    echo = (1, 8) if family == 4 else (58, 128)
    proto, first, second = rng.choice(
        [(6, 49152, 443), (6, 443, 49152), (17, 49152, 53), (17, 53, 49152), (*echo, 0), (*echo, 1), (echo[0], 3, 0), (47, 0, 0),
         (132, 49152, 443)]
    )  # fmt: skip
    state = rng.choice(["new", "new", "new", "new", "established", "related", "invalid"])
    return Packet(family, address(), address(), proto, first, second, state)


def random_line(rng: random.Random) -> Network:
    """One to three devices in a line, all routes told, most of what they let pass translated; sometimes one more beside them."""
    count = rng.choice([1, 1, 2, 2, 3])
    wires = [Segment(name=f"s{i}", prefixes=prefixes_of(i)) for i in range(count + 1)]
    if rng.random() < 0.5:
        wires[-1] = Segment(name=f"s{count}", outside=True, prefixes=prefixes_of(count))
    ends = [(i, i + 1) for i in range(count)] + ([(0, count)] if rng.random() < 0.25 else [])
    devices = [_in_line(rng, n, near, far, count) for n, (near, far) in enumerate(ends)]
    hosts = tuple(
        Host(name=f"h{i}{n}", segment=w.name, addresses=tuple(inside(p, 3 + n) for p in w.prefixes))
        for i, w in enumerate(wires) for n in range(2)
    )  # fmt: skip
    groups = (AddressObject(name="some", members=(hosts[0].name, "10.44.1.0/30")),)
    net = Network(
        name="line", segments=tuple(wires), devices=tuple(devices), hosts=hosts, addresses=groups,
        zones=tuple(Zone(name=f"z{i}", depth=i) for i in range(2)),
    )  # fmt: skip
    net = translating(rng, net)
    attached = tuple(replace(d, policies=attachments(rng, d, rng.choice([0, 1, 1, 2]))) for d in net.devices)
    return replace(net, devices=attached, policies=tuple(_telling(rng, f"p{i}", net) for i in range(4)))


def _telling(rng: random.Random, name: str, net: Network) -> Policy:
    """A list whose rules tell apart what translations change: what they match and what it becomes, and ports."""
    entries = [e for d in net.devices for e in (*d.translate_destination, *d.translate_source)]
    ends = [m for e in entries for m in (*e.source, *e.destination, *e.to) if m not in ("none", "interface")]
    ends += [
        *(h.name for h in net.hosts),
        *(a for d in net.devices for i in d.interfaces for a in i.addresses),
    ]
    services = ["any", "any", "tcp/8443", "tcp/443", "tcp from 1024-40000", "udp/53", "icmp/8"]
    rules = tuple(
        Rule(
            name=f"r{n}", action=rng.choice(["allow", "drop", "drop"]), source=(rng.choice(["any", rng.choice(ends)]),),
            destination=(rng.choice(["any", rng.choice(ends)]),), service=(rng.choice(services),),
            negate=("destination",) if rng.random() < 0.1 else (),
        )
        for n in range(rng.randrange(1, 4))
    )  # fmt: skip
    return Policy(name=name, default=rng.choice(["allow", "continue", "drop"]), rules=rules)


def _in_line(rng: random.Random, number: int, near: int, far: int, last: int) -> Device:
    name = f"d{number}"
    beside = number >= last
    interfaces = tuple(
        Interface(
            name=f"{name}-{i}", segment=f"s{wire}", zone=rng.choice(["z0", "z1", None]),
            addresses=tuple(inside(p, (11 if beside else 1) + (wire == near)) for p in prefixes_of(wire)),
        )
        for i, wire in enumerate((near, far))
    )  # fmt: skip
    lower = [(p, inside(prefixes_of(near)[f], 1)) for w in range(near) for f, p in enumerate(prefixes_of(w))]
    higher = [
        (p, inside(prefixes_of(far)[f], 2))
        for w in range(far + 1, last + 1)
        for f, p in enumerate(prefixes_of(w))
    ]
    wild = [("10.99.0.0/24", inside(prefixes_of(far)[0], 2))] if far < last else []
    return Device(
        name=name, interfaces=interfaces, zone_default=OPENED,
        routes=tuple(Route(prefix=p, via=via) for p, via in (*lower, *higher, *wild)) or (Route(prefix="10.98.0.0/24", discard=True),),
        filtering="stateless" if rng.random() < 0.1 else "stateful", replies=rng.choice(["by conversation", "by conversation", "by rule"]),
        cluster=rng.choice(["", "", "pair"]), out_of_state=rng.choice(["drop", "by rule"]),
        answers_leave=rng.choice(["by route", "by route", "where asked"]),
    )  # fmt: skip


OPENED = ZoneDefault(mode="open")


AIMED = {
    "tcp/443": (6, 49152, 443), "udp/53": (17, 49152, 53), "icmp/8": (1, 8, 0), "tcp/440-450": (6, 49152, 443), "tcp": (6, 443, 49152),
}  # fmt: skip


def aimed_packet(rng: random.Random, net: Network) -> Packet:
    """A packet that some translation or steering may match, from a host to what an entry names; else any."""
    entries = [e for d in net.devices for e in d.entries if e.enabled]
    packet = random_packet(rng, net)
    hosts = {h.name: h.addresses for h in net.hosts}
    if not entries or rng.random() < 0.1:
        return packet
    entry = rng.choice(entries)
    service = rng.choice([entry.service[0], entry.service[0], "tcp/443"])
    proto, first, second = AIMED.get(service, (packet.proto, packet.first, packet.second))
    family = 4 if proto == 1 else 6 if proto == 58 else packet.family

    def pick(members: tuple[str, ...]) -> int | None:
        texts = [a for m in members for a in hosts.get(m, (m,)) if (":" in a) == (family == 6)]
        networks = [ipaddress.ip_network(t) for t in texts if t[0].isdigit() or t.startswith("fd")]
        if not networks:
            return None
        chosen = rng.choice(networks)
        return int(chosen[rng.randrange(min(chosen.num_addresses, 8))])

    src = pick(entry.source) or pick(tuple(hosts))
    dst = pick(entry.destination) or pick(tuple(hosts))
    if src is None or dst is None:
        return packet
    return Packet(family, src, dst, proto, first, second, rng.choice(["new", "new", "new", packet.state]))
