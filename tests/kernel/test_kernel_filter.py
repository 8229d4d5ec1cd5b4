"""The model that judges the walk, judged by the operating system: random routers as namespaces with the kernel's own filter, real packets.

Policies at their stages, translation of both kinds, steering, answers, devices without memory, answers by rule, and TCP of which a router sees one
direction. Where namespaces are not to be had these tests are skipped, and say so.
"""

from __future__ import annotations

import os
import random
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace

import pytest
from kernel_rules import rules_of, ways_of
from namespaces import ACK, SETTLE, SYN, Ground, Sent, built, why_not
from oracle import Packet
from packet_model import FAILS, UNKNOWN, WORKS, Model, ends_of, turned
from test_walk import fates, one

from sarvex.core.forwarding.walk import trace
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    DestinationTranslation,
    Device,
    Host,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
    SourceTranslation,
    Stage,
    Steering,
    ZoneDefault,
)

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=f"NOT JUDGED BY THE KERNEL: {REASON}")
NETWORKS = int(os.environ.get("SARVEX_KERNEL_NETWORKS", "12"))
CONVERSATIONS = 60
PREFIXES = [(f"10.44.{i}.0/28", f"fd00:44:{i}::/64") for i in range(4)]
Port = tuple[str, str]
NOBODY = "", ""
"""Who answers for an address on a wire if only its sender would: a router does not answer itself."""


def address(wire: int, number: int, family: int = 4) -> str:
    return f"10.44.{wire}.{number}" if family == 4 else f"fd00:44:{wire}::{number:x}"


def interface(device: str, at: int, wire: int, number: int) -> Interface:
    return Interface(
        name=f"{device}e{at}", segment=f"s{wire}", addresses=(address(wire, number), address(wire, number, 6))
    )


def shapes() -> dict[str, tuple[tuple[Segment, ...], tuple[Device, ...]]]:
    """One router between three wires; two in a row, or joined by two wires; two beside each other, each the way of one side."""
    *wires, second = (Segment(name=f"s{i}", prefixes=PREFIXES[i]) for i in range(4))
    one = Device(name="r0", interfaces=tuple(interface("r0", i, i, 1) for i in range(3)), routes=GONE)
    near = Device(
        name="r0", interfaces=(interface("r0", 0, 0, 1), interface("r0", 1, 1, 1)),
        routes=tuple(Route(prefix=p, via=address(1, 2, f)) for p, f in zip(PREFIXES[2], (4, 6), strict=True)),
    )  # fmt: skip
    far = Device(
        name="r1", interfaces=(interface("r1", 0, 1, 2), interface("r1", 1, 2, 1)),
        routes=tuple(Route(prefix=p, via=address(1, 1, f)) for p, f in zip(PREFIXES[0], (4, 6), strict=True)),
    )  # fmt: skip
    beside = tuple(
        Device(name=f"r{n}", interfaces=(interface(f"r{n}", 0, 0, n + 1), interface(f"r{n}", 1, 2, n + 1)), routes=GONE)
        for n in range(2)
    )  # fmt: skip
    sides = (replace(wires[0], gateways=("r0",)), replace(wires[2], gateways=("r1",)))
    series = (replace(wires[0], gateways=("r0",)), wires[1], replace(wires[2], gateways=("r1",)))
    joined = (
        replace(near, interfaces=(*near.interfaces, interface("r0", 2, 3, 1))),
        replace(far, interfaces=(*far.interfaces, interface("r1", 2, 3, 2))),
    )
    return {
        "one": (tuple(wires), (one,)), "row": (series, (near, far)), "beside": (sides, beside), "joined": ((*series, second), joined)
    }  # fmt: skip


GONE = (Route(prefix="10.98.0.0/24", discard=True),)
"""So that a device lists a route."""


BARE = {"row": ("s1",), "joined": ("s1", "s3")}
"""Wires between routers, without hosts."""


def drawn(rng: random.Random, shape: str) -> Network:
    """A network of a shape, with random policies and translations, and with steering where one of two wires can be chosen."""
    segments, devices = shapes()[shape]
    hosts = tuple(
        Host(name=f"h{s.name[1]}{n}", segment=s.name, addresses=(address(int(s.name[1]), n), address(int(s.name[1]), n, 6)))
        for s in segments for n in (3, 4) if s.name not in BARE.get(shape, ())
    )  # fmt: skip
    names = [h.name for h in hosts]
    policies = tuple(_policy(rng, f"p{i}", names) for i in range(3))
    devices = tuple(_device(rng, d, names) for d in devices)
    if shape in BARE:
        devices = tuple(_steered(rng, d, devices, BARE[shape], names) for d in devices)
    return Network(
        name=shape, segments=segments, hosts=hosts, policies=policies, devices=devices
    )  # fmt: skip


def _policy(rng: random.Random, name: str, hosts: list[str]) -> Policy:
    ends = [
        *hosts,
        *hosts,
        "any",
        "any",
        "10.44.0.9",
        "10.44.2.9",
        "10.44.2.0/29",
        "10.44.0.1",
        "s0",
        "s2",
        "fd00:44:2::/125",
    ]
    services = ["any", "any", "tcp/443", "tcp/8443", "udp/53", "tcp", "icmp/8", "udp from 53", "tcp from 443"]
    rules = tuple(
        Rule(
            name=f"r{n}", action=rng.choice(["allow", "allow", "drop", "reject"]), source=(rng.choice(ends),),
            destination=(rng.choice(ends),), service=(rng.choice(services),),
            negate=("destination",) if rng.random() < 0.08 else (),
            states=tuple(rng.sample(["new", "established", "invalid"], rng.choice([1, 2]))) if rng.random() < 0.3 else (),
        )
        for n in range(rng.randrange(4))
    )  # fmt: skip
    return Policy(
        name=name, default=rng.choice(["allow", "allow", "continue", "continue", "drop"]), rules=rules,
        families=rng.choice(["both", "both", "both", "4"]),
    )  # fmt: skip


def _device(rng: random.Random, device: Device, hosts: list[str]) -> Device:
    stages: list[Stage] = ["inbound", "passage", "passage", "outbound"]
    ports = [i.name for i in device.interfaces]
    attached = []
    for _ in range(rng.choice([0, 1, 1, 2, 3])):
        stage = rng.choice(stages)
        entering, leaving = (rng.choice(["any", "any", *ports]) for _ in range(2))
        attached.append(
            Attachment(
                policy=f"p{rng.randrange(3)}", stage=stage, entering=(entering,),
                leaving=("any",) if stage == "inbound" else (leaving,),
            )
        )  # fmt: skip
    stateful = rng.random() > 0.15
    return replace(
        device, policies=tuple(attached), zone_default=ZoneDefault(mode=rng.choice(["open", "open", "open", "closed"])),
        filtering="stateful" if stateful else "stateless",
        replies=rng.choice(["by conversation", "by conversation", "by rule"]), out_of_state=rng.choice(["drop", "drop", "by rule"]),
        translate_destination=tuple(_to(rng, f"t{n}", ports, hosts) for n in range(rng.choice([0, 1, 2]) if stateful else 0)),
        translate_source=tuple(_from(rng, f"t{n}", ports, hosts) for n in range(rng.choice([0, 1, 2]) if stateful else 0)),
    )  # fmt: skip


def _steered(
    rng: random.Random,
    device: Device,
    devices: tuple[Device, ...],
    between: tuple[str, ...],
    hosts: list[str],
) -> Device:
    """A device that leads some of what enters by a wire of its choice, by the address of the next router or by the wire alone."""
    (other,) = (d for d in devices if d.name != device.name)
    out = [i for i in device.interfaces if i.segment in between]

    def entry(number: int) -> Steering:
        by = rng.choice([*out, out[-1]])
        next_ = next(i for i in other.interfaces if i.segment == by.segment)
        via = rng.choice([*next_.addresses, None])
        return Steering(
            name=f"t{number}", entering=(rng.choice(["any", "any", *(i.name for i in device.interfaces)]),),
            source=(rng.choice(["any", "any", *hosts]),), destination=(rng.choice(["any", "s0", "s2", *hosts]),),
            service=(rng.choice(["any", "any", "tcp/443", "udp/53", "icmp/8"]),), via=via, when_down="drop",
            leave=by.name if via is None or rng.random() < 0.3 else None, negate=("destination",) if rng.random() < 0.08 else (),
        )  # fmt: skip

    return replace(device, steering=tuple(entry(n) for n in range(rng.choice([0, 1, 2, 2]))))


VIRTUAL = ["10.44.0.9", "10.44.2.9", "10.44.2.10", "10.99.0.5"]


def _to(rng: random.Random, name: str, ports: list[str], hosts: list[str]) -> DestinationTranslation:
    service, port = rng.choice(
        [
            ("any", None),
            ("any", None),
            ("tcp/443", "8443"),
            ("udp/53", "5353"),
            ("any", "8443"),
            ("icmp/8", None),
        ]
    )
    return DestinationTranslation(
        name=name, entering=(rng.choice(["any", *ports]),), source=(rng.choice(["any", "any", "any", rng.choice(hosts)]),),
        destination=(rng.choice([*VIRTUAL, *VIRTUAL, *hosts, "10.44.0.1", "10.44.2.1"]),), service=(service,), port=port,
        to=(rng.choice([*hosts, *hosts, *hosts, "none"]),),
    )  # fmt: skip


def _from(rng: random.Random, name: str, ports: list[str], hosts: list[str]) -> SourceTranslation:
    return SourceTranslation(
        name=name, leaving=(rng.choice(["any", *ports]),), source=(rng.choice(["any", "any", *hosts, "s0"]),),
        destination=(rng.choice(["any", "any", "any", *hosts]),), service=(rng.choice(["any", "any", "tcp", "udp/53"]),),
        to=(rng.choice(["interface", "interface", "10.44.2.10", "10.44.0.9", "none"]),),
    )  # fmt: skip


def packets(rng: random.Random, network: Network, keys: Iterator[int]) -> Iterator[Packet]:
    """First packets, each with a source port of its own."""
    hosts = [a for h in network.hosts for a in h.addresses]
    for _ in range(CONVERSATIONS):
        family = rng.choice([4, 4, 4, 6])
        here = [a for a in hosts if (":" in a) == (family == 6)]
        there = here if family == 6 else [*here, *here, *VIRTUAL, "10.44.0.1", "10.44.2.1"]
        src, dst = rng.choice(here), rng.choice(there)
        port = 20000 + next(keys) % 40000
        proto, first, second = rng.choice(
            [(6, port, 443), (6, port, 8443), (17, port, 53), (17, port, 5353), (1, 8, 0)]
        )
        if family == 6 and proto == 1:
            continue
        yield Packet(family, _value(src), _value(dst), proto, first, second, "new")


def _value(text: str) -> int:
    from ipaddress import ip_address

    return int(ip_address(text))


@dataclass
class Play:
    """Conversations played on the routers of a network."""

    ground: Ground
    model: Model
    packets = 0

    def lead(self, going: dict[int, tuple[Segment, Sent]]) -> dict[int, tuple[Segment, Sent]]:
        """Packets from hosts of segments, by their keys, to wherever they are delivered."""
        arrived: dict[int, tuple[Segment, Sent]] = {}
        ahead: list[tuple[Port, Sent]] = []
        for key, (segment, packet) in going.items():
            port = self._from(segment, packet)
            if port is None:
                arrived[key] = segment, packet
            else:
                ahead.append((port, packet))
        for _ in range(6):
            if not ahead:
                break
            self.packets += len(ahead)
            out, ahead = self.ground.play(ahead), []
            for (device, name), packet in out:
                if packet.key not in going:
                    continue  # the routers' own
                segment = self._segment(device, name)
                port = self._to(segment, packet, device)
                if port is None:
                    arrived[packet.key] = segment, packet
                elif port != NOBODY:
                    ahead.append((port, packet))
        return arrived

    def _segment(self, device: str, name: str) -> Segment:
        wire = self.ground.wires[device, name].segment
        return next(s for s in self.model.net.segments if s.name == wire)

    def _from(self, segment: Segment, p: Sent) -> Port | None:
        """Where a host of a segment sends a packet; nowhere if whoever has the address is on its wire."""
        if self.model.owner(p.family, p.dst) is segment:
            return self._to(segment, p, "")
        ports = [
            (d.name, i.name)
            for d, i in self.model.on(segment, None)
            if not segment.gateways or d.name in segment.gateways
        ]
        return ports[0]

    def _to(self, segment: Segment, p: Sent, sender: str) -> Port | None:
        """Who takes a packet off a wire: a router that has its address or stands in for it, or the next one; None: a host."""
        others = [(d, i) for d, i in self.model.on(segment, None) if d.name != sender]
        if self.model.owner(p.family, p.dst) is not segment:
            return (others[0][0].name, others[0][1].name) if others else None
        host = any(
            _value(a) == p.dst and (":" in a) == (p.family == 6)
            for h in self.model.net.hosts
            for a in h.addresses
        )
        own = [(d, i) for d, i in others if any(_value(a) == p.dst for a in i.addresses)]
        on = [] if host else self.model.on(segment, None)
        stand_ins = [(d, i) for d, i in on if self.model.answers_for(d, p.family, p.dst)]
        if stand_ins and not own and all(d.name == sender for d, _ in stand_ins):
            return NOBODY
        return next(((d.name, i.name) for d, i in (*own, *stand_ins) if d.name != sender), None)


def sent(p: Packet, key: int, flags: int = 0) -> Sent:
    return Sent(p.family, p.src, p.dst, p.proto, p.first, p.second, key, flags if p.proto == 6 else 0)


def as_packet(s: Sent) -> Packet:
    return Packet(s.family, s.src, s.dst, s.proto, s.first, s.second, "new")


def played(play: Play, asked: dict[int, Packet]) -> set[int]:
    """The conversations that work: answered, from where they were asked, and over TCP gone on with."""
    model = play.model
    home = {key: model.owner(p.family, p.src) for key, p in asked.items()}
    first = play.lead({key: (home[key], sent(p, key, SYN)) for key, p in asked.items()})  # type: ignore[misc]
    answers = {
        key: (segment, sent(turned(as_packet(s)), key, SYN | ACK))
        for key, (segment, s) in first.items()
        if s.flags in (0, SYN)
    }
    back = play.lead(answers)
    answered = {
        key for key, (segment, s) in back.items()
        if s.flags in (0, SYN | ACK) and segment is home[key] and ends_of(as_packet(s)) == ends_of(turned(asked[key]))
    }  # fmt: skip
    later = play.lead(
        {key: (home[key], sent(asked[key], key, ACK)) for key in answered if asked[key].proto == 6}
    )  # type: ignore[misc]
    going_on = {
        key
        for key, (_, s) in later.items()
        if s.flags == ACK and ends_of(as_packet(s)) == ends_of(as_packet(first[key][1]))
    }
    return {key for key in answered if asked[key].proto != 6 or key in going_on}


def once_more(play: Play, p: Packet, keys: Iterator[int]) -> bool:
    """The same conversation by itself, from another port and with more patience: a busy machine may be late."""
    key, port = 1 + next(keys) % 60000, 20000 + next(keys) % 40000
    play.ground.settle = 0.5
    again = played(play, {key: p if p.proto == 1 else replace(p, first=port)})
    play.ground.settle = SETTLE
    return bool(again)


def judged(model: Model, p: Packet) -> set[str] | None:
    """What the model expects; nothing if it is not played here: undetermined, or for a router itself."""
    wanted = model.asked(p)
    ends = model.first(p)
    if UNKNOWN in wanted or any(end.result in ("received", UNKNOWN) for end in ends):
        return None
    for end in ends:
        if end.result == "delivered":
            answer = turned(end.packet)
            if (
                model.holders(answer.family, answer.dst)
                and end.hops
                and end.hops[-1].left == end.hops[-1].routed
            ):
                return None
    return wanted


@pytest.mark.parametrize("shape", ["one", "row", "beside", "joined"])
def test_the_kernel_agrees(rng: random.Random, shape: str) -> None:
    seen: Counter[str] = Counter()
    keys = iter(range(1 << 30))
    with built(drawn(rng, shape)) as ground:
        for _ in range(NETWORKS):
            network = drawn(rng, shape)
            assert not problems(network), problems(network)
            model, names = Model(network), Names(network)
            for device in network.devices:
                ground.load(device.name, rules_of(model, device), ways_of(model, device))
            asked = {1 + next(keys) % 60000: p for p in dict.fromkeys(packets(rng, network, keys))}
            wanted = {key: judged(model, p) for key, p in asked.items()}
            asked = {key: p for key, p in asked.items() if wanted[key] is not None}
            play = Play(ground, model)
            works = played(play, asked)
            for key, p in asked.items():
                found = WORKS if key in works else FAILS
                if found not in (wanted[key] or ()):
                    found = WORKS if once_more(play, p, keys) else FAILS
                assert found in (wanted[key] or ()), (found, wanted[key], p, network)
                if key % 8 == 1:  # the walk itself too, not only by way of the model
                    assert {found, UNKNOWN} & fates(trace(network, names, one(p))), (found, p, network)
                seen[found] += 1
                hops = [h for end in model.first(p) for h in end.hops]
                seen["translated"] += any(h.came != h.left for h in hops)
                seen["by the second"] += any(
                    h.leaving is not None and h.leaving.segment == "s3" for h in hops
                )
            seen["packets"] += play.packets
    assert seen[WORKS] > 3 * NETWORKS and seen[FAILS] > 3 * NETWORKS and seen["translated"] > NETWORKS // 4, (
        seen
    )
    assert bool(seen["by the second"]) is (shape == "joined"), seen
    told = f"{shape}: {seen['packets']} packets, {seen[WORKS]} conversations work, {seen[FAILS]} fail"
    print(told)
