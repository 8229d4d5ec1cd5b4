"""Forwarding by hand: single packets, led by every way and every choice there is. Written from the contract, not from the core.

`Model(net).asked(packet)` tells which of `works`, `fails` and `unknown` come about by some way there, some way back and some
choice.
"""

from __future__ import annotations

import functools
import ipaddress
import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import clock
import oracle
from oracle import Packet

from sarvex.core.model.records import (
    Device,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
    Steering,
    Translation,
)

WORKS, FAILS, UNKNOWN = "works", "fails", "unknown"
WITH_PORTS = {6, 17, 33, 132, 136}
OUT_OF_STATE = {6, 33, 132}
"""Whose unseen answers are out of state, beside ICMP: TCP, DCCP, SCTP."""
ICMP = {4: 1, 6: 58}
ECHO = {4: (8, 0), 6: (128, 129)}
TURNS = 8
SPECIAL = [ipaddress.ip_network(n) for n in (
    "0.0.0.0/32", "127.0.0.0/8", "169.254.0.0/16", "224.0.0.0/4", "255.255.255.255/32", "::/127", "fe80::/10", "ff00::/8",
)]  # fmt: skip


@dataclass(frozen=True)
class Hop:
    """One device on a way: the packet as it came, when it was routed, and as it left (or was received)."""

    device: Device
    entering: Interface | None
    leaving: Interface | None
    came: Packet
    routed: Packet
    left: Packet


@dataclass(frozen=True)
class End:
    result: str
    """delivered, received, dropped, rejected, no route, loop, down, or unknown."""
    packet: Packet
    hops: tuple[Hop, ...] = ()
    segment: Segment | None = None
    device: Device | None = None


@dataclass(frozen=True)
class Lead:
    """How a packet is led: which of the contract's treatments it gets at devices."""

    hops: tuple[Hop, ...] = ()
    """Of the packet it answers, where it is an answer."""
    answer: bool = False


class Model:
    def __init__(self, net: Network, without: tuple[str, ...] = ()) -> None:
        self.net = net
        self.down = {d.name for d in net.devices if d.name in without}
        self.unplugged = {
            (d.name, i.name)
            for d in net.devices
            for i in d.interfaces
            if d.name in self.down
            or f"{d.name}.{i.name}" in without
            or (i.parent is not None and f"{d.name}.{i.parent}" in without)
        }

    # --- the question ---------------------------------------------------------------------------------

    def asked(self, p: Packet, entering: tuple[str, str] | None = None) -> set[str]:
        if self.special(p.family, p.src) or self.special(p.family, p.dst):
            return {UNKNOWN}
        found: set[str] = set()
        for end in self.first(p, entering):
            if end.result == UNKNOWN:
                found.add(UNKNOWN)
            elif end.result not in ("delivered", "received"):
                found.add(FAILS)
            elif p.state != "new" or not self.wants_answer(p):
                found.add(WORKS)
            else:
                found |= self.answered(p, end)
        return found

    def first(self, p: Packet, entering: tuple[str, str] | None = None) -> list[End]:
        """Every end of the packet that is asked about."""
        lead = Lead()
        if entering:
            device = next(d for d in self.net.devices if d.name == entering[0])
            interface = next(i for i in device.interfaces if i.name == entering[1])
            if not self.up(device, interface):
                return [End("down", p)]
            return list(self.enter(device, interface, p, (), lead))
        askers = self.holders(p.family, p.src)
        if askers:
            up = [d for d in askers if d.name not in self.down]
            if not up:
                return [End("down", p)]
            return [end for d in up for end in self.enter(d, None, p, (), lead)]
        source = self.owner(p.family, p.src)
        if source is None:
            return [End(UNKNOWN, p)]
        stopped = self.at_hosts("outbound", p, p.src)
        if stopped:
            return [End(stopped, p)]
        return list(self.from_segment(source, p, (), lead))

    def answered(self, asked: Packet, end: End) -> set[str]:
        """What becomes of the conversation after a first packet that arrived."""
        answer = turned(end.packet)
        lead = Lead(end.hops, True)
        if end.result == "received":
            assert end.device
            ends = list(self.enter(end.device, None, answer, (), lead))
        else:
            assert end.segment
            ends = list(self.from_segment(end.segment, answer, (), lead))
        found = set()
        for back in ends:
            if back.result == UNKNOWN:
                found.add(UNKNOWN)
            elif not self.is_back(asked, end, back) or not self.goes_on(asked, end, back):
                found.add(FAILS)
            else:
                found.add(WORKS)
        return found

    def is_back(self, asked: Packet, end: End, back: End) -> bool:
        """Whether the answer came back to whoever asked, from where it was asked."""
        if back.result not in ("delivered", "received") or ends_of(back.packet) != ends_of(turned(asked)):
            return False
        asker = end.hops[0].device if end.hops and end.hops[0].entering is None else None
        if asker is None:
            return back.result == "delivered"
        return back.device is not None and self.cluster(back.device) == self.cluster(asker)

    def goes_on(self, asked: Packet, end: End, back: End) -> bool:
        """Whether the TCP packets that follow the first pass the devices on the way."""
        if asked.proto != 6:
            return True
        both = {self.cluster(h.device) for h in back.hops}
        for hop in end.hops:
            device = hop.device
            state = "established" if device.filtering == "stateless" or device.replies == "by rule" else None
            if device.filtering == "stateful" and self.cluster(device) not in both:
                if device.out_of_state == "drop":
                    return False
                state = "invalid"
            if state and self.stopped(hop, state):
                return False
        return True

    @staticmethod
    def wants_answer(p: Packet) -> bool:
        return p.proto != ICMP[p.family] or (p.first == ECHO[p.family][0] and p.second == 0)

    # --- one device -----------------------------------------------------------------------------------

    def enter(
        self, device: Device, entering: Interface | None, p: Packet, hops: tuple[Hop, ...], lead: Lead
    ) -> Iterator[End]:
        """A packet that enters a device, or that it sends itself."""
        met = [h for h in hops if h.device is device and h.entering is entering]
        if any(h.came == p for h in met):
            yield End("loop", p, hops)
            return
        if len(met) >= TURNS:
            yield End(UNKNOWN, p, hops)
            return
        known = self.knows(device, p, lead)
        state, pass_all = self.treated(device, p, lead, known)
        if state == "out":
            yield End("dropped", p, hops)
            return
        if state == UNKNOWN:
            yield End(UNKNOWN, p, hops)
            return
        stateful = device.filtering == "stateful"
        # An answer that was not seen asked for is a first packet to whoever judges it as new.
        fresh = state == "new" and not known if lead.answer else p.state != "invalid"
        translate = stateful and fresh
        if entering is None:
            routes: list[Packet | None] = [p]
        elif known:
            routes = (
                [replace(p, dst=known.routed.src, second=known.routed.first)]
                if has_two(p)
                else [replace(p, dst=known.routed.src)]
            )
        elif translate:
            routes = self.destination_translated(device, entering, p)
        else:
            routes = [p]
        for routed in routes:
            if routed is None or self.special(p.family, routed.dst):
                arrived = Hop(device, entering, None, p, p, p)
                yield End(self.judged(arrived, state, pass_all, ("inbound",)) or UNKNOWN, p, hops)
                continue
            yield from self.routed(device, entering, p, routed, hops, lead, known, state, pass_all, translate)

    def routed(
        self, device: Device, entering: Interface | None, p: Packet, routed: Packet, hops: tuple[Hop, ...], lead: Lead,
        known: Hop | None, state: str, pass_all: str | None, translate: bool,
    ) -> Iterator[End]:  # fmt: skip
        arrived = Hop(device, entering, None, p, routed, routed)
        if entering and (refused := self.judged(arrived, state, pass_all, ("inbound",))):
            yield End(refused, p, (*hops, arrived))
            return
        if device in self.holders(p.family, routed.dst):
            hop = Hop(device, entering, None, p, routed, routed)
            stopped = self.judged(hop, state, pass_all)
            yield End(stopped or "received", routed, (*hops, hop), None, device)
            return
        if entering and entering.management_only:
            yield End("dropped", p, (*hops, arrived))
            return
        for leaving, onward in self.ways(device, entering, routed, known, lead):
            if leaving is None:
                yield End(onward, routed, hops, None, device)
                continue
            if known:
                lefts: list[Packet | None] = [
                    replace(routed, src=known.came.dst, first=known.came.second)
                    if has_two(p)
                    else replace(routed, src=known.came.dst)
                ]
            elif translate:
                lefts = self.source_translated(device, leaving, routed, hops)
            else:
                lefts = [routed]
            for left in lefts:
                if left is None or self.special(p.family, left.src):
                    yield End(UNKNOWN, routed, hops)
                    continue
                hop = Hop(device, entering, leaving, p, routed, left)
                stopped = self.judged(hop, state, pass_all)
                management = leaving.management_only
                if stopped:
                    yield End(stopped, left, (*hops, hop))
                elif management and entering is not None:
                    yield End("dropped", left, (*hops, hop))
                elif onward == UNKNOWN:
                    yield End(UNKNOWN, left, (*hops, hop))
                elif onward is None:
                    segment = self.segment(leaving)
                    assert segment
                    yield from self.on_wire(segment, left, (*hops, hop), lead)
                elif isinstance(onward, Segment):
                    yield from self.delivered(onward, left, (*hops, hop), lead)
                else:
                    yield from self.enter(*onward, left, (*hops, hop), lead)

    def knows(self, device: Device, p: Packet, lead: Lead) -> Hop | None:
        """The first packet's crossing of this device, or of one of its cluster, that the answer belongs to."""
        if not lead.answer or device.filtering == "stateless":
            return None
        same = [
            h
            for h in lead.hops
            if self.cluster(h.device) == self.cluster(device) and h.device.filtering == "stateful"
        ]
        fitting = [h for h in reversed(same) if ends_of(turned(h.left)) == ends_of(p)]
        return next((h for h in fitting if h.device is device), fitting[0] if fitting else None)

    def treated(self, device: Device, p: Packet, lead: Lead, known: Hop | None) -> tuple[str, str | None]:
        """The state in which rules judge a packet (or `out`, `unknown`), and another in which it may pass instead."""
        stateless = device.filtering == "stateless"
        if stateless:
            if p.state in ("related", "invalid"):
                return UNKNOWN, None
            later = lead.answer or p.state == "established"
            return ("established" if later and p.proto == 6 else "new"), None
        if lead.answer:
            if known:
                return ("pass" if device.replies == "by conversation" else "established"), None
            if p.proto in OUT_OF_STATE or p.proto == ICMP[p.family]:
                return ("out" if device.out_of_state == "drop" else "invalid"), None
            return "new", None
        if p.state == "invalid":
            return ("out" if device.out_of_state == "drop" else "invalid"), None
        if p.state == "established" and device.replies == "by conversation":
            return "established", "new"
        return p.state, None

    def judged(self, hop: Hop, state: str, other: str | None, at: tuple[str, ...] = ()) -> str | None:
        """What stops a packet at the stages of one device (or some of them), or None."""
        if state == "pass":
            return None
        if other and not self.stopped(hop, other, at):
            return None
        return self.stopped(hop, state, at)

    def stopped(self, hop: Hop, state: str, at: tuple[str, ...] = ()) -> str | None:
        seen = {"entered": hop.came, "routed": hop.routed, "left": hop.left}
        compared = vars(hop.device.sees)
        stages = ["inbound"] if hop.entering else []
        if hop.leaving is None:
            stages += ["to the device"] if hop.entering else []
        else:
            stages += ["passage" if hop.entering else "from the device", "outbound"]
        for stage in [s for s in stages if not at or s in at]:
            action = self.stage(hop, stage, replace(seen[compared.get(stage, "routed")], state=state))
            if action != "allow":
                return {"drop": "dropped", "reject": "rejected"}[action]
        return None

    def stage(self, hop: Hop, stage: str, p: Packet) -> str:
        for at in hop.device.policies:
            if (
                at.stage != stage
                or not in_scope(at.entering, hop.entering)
                or not in_scope(at.leaving, hop.leaving)
            ):
                continue
            action = self.by_policy(at.policy, p)
            if action != "continue":
                return action
        if stage == "passage":
            assert hop.entering and hop.leaving
            return "allow" if self.zones_open(hop.device, hop.entering, hop.leaving) else "drop"
        return "allow"

    def by_policy(self, name: str, p: Packet) -> str:
        policy: Policy = next(q for q in self.net.policies if q.name == name)
        if policy.families not in ("both", str(p.family)):
            return "continue"
        for rule in policy.rules:
            if rule.enabled and self.matches(rule, p):
                return rule.action
        return policy.default

    def zones_open(self, device: Device, entering: Interface, leaving: Interface) -> bool:
        rule = device.zone_default
        if rule.mode != "by depth":
            return rule.mode == "open"
        if not entering.zone or not leaving.zone:
            return False
        if entering.zone == leaving.zone:
            return rule.within == "open"
        a, b = (next(z.depth for z in self.net.zones if z.name == i.zone) for i in (entering, leaving))
        return (rule.level if a == b else rule.outward if a > b else rule.inward) == "open"

    # --- translation ----------------------------------------------------------------------------------

    def destination_translated(self, device: Device, entering: Interface, p: Packet) -> list[Packet | None]:
        for entry in device.translate_destination:
            if not entry.enabled or not in_scope(entry.entering, entering) or not self.matches(entry, p):
                continue
            if entry.to == ("none",):
                return [p]
            become = self.become(entry, entry.destination, "destination", p.family, p.dst, None)
            if become is None:
                continue  # it has no address of this family
            ports = [p.second]
            if entry.port is not None and p.proto in WITH_PORTS:
                low, high = numbers(entry.port)
                start = (
                    numbers(entry.service[0].partition("/")[2].partition(" ")[0])[0]
                    if low != high
                    else p.second
                )
                ports = [low + p.second - start]
            return [replace(p, dst=a, second=port) for a in become for port in ports]
        return [p]

    def source_translated(
        self, device: Device, leaving: Interface, p: Packet, hops: tuple[Hop, ...]
    ) -> list[Packet | None]:
        for entry in device.translate_source:
            if not entry.enabled or not in_scope(entry.leaving, leaving) or not self.matches(entry, p):
                continue
            if entry.to == ("none",):
                return [p]
            become = self.become(entry, entry.source, "source", p.family, p.src, leaving)
            if become is None:
                continue
            one_to_one = self.one_to_one(entry, entry.source, "source", p.family, leaving)
            rewrite = (
                entry.ports or ("keep" if one_to_one else "rewrite")
            ) == "rewrite" and p.proto in WITH_PORTS
            often = (
                sum(h.left.first != h.routed.first for h in hops) > 1
            )  # in circles: all of them were there before
            ports = ([1024, 65535] if often else self.free_ports()) if rewrite else [p.first]
            return [replace(p, src=a, first=port) for a in become for port in ports]
        return [p]

    def one_to_one(
        self, entry: Translation, members: tuple[str, ...], side: str, family: int, leaving: Interface | None
    ) -> bool:
        matched, to = self.stretches(members, family), self.to_stretches(entry, family, leaving)
        if side in entry.negate or members == ("any",) or len(matched) != 1 or len(to) != 1:
            return False
        return matched[0][1] - matched[0][0] == to[0][1] - to[0][0]

    def become(
        self,
        entry: Translation,
        members: tuple[str, ...],
        side: str,
        family: int,
        now: int,
        leaving: Interface | None,
    ) -> list[int] | None:
        """The addresses that one may become; None where the entry has none of the family."""
        to = self.to_stretches(entry, family, leaving)
        if not to:
            return None
        if self.one_to_one(entry, members, side, family, leaving):
            return [to[0][0] + now - self.stretches(members, family)[0][0]]
        return sorted(
            {a for low, high in to for a in (range(low, high + 1) if high - low < 4 else (low, high))}
        )

    def to_stretches(
        self, entry: Translation, family: int, leaving: Interface | None
    ) -> list[tuple[int, int]]:
        if entry.to == ("interface",):
            assert leaving
            return [(v, v) for f, v in map(address, leaving.addresses) if f == family]
        return self.stretches(entry.to, family)

    def stretches(
        self, members: tuple[str, ...], family: int, segments: bool = True
    ) -> list[tuple[int, int]]:
        """What names and literals stand for, as a list of stretches; those of whole segments only if wanted."""
        out: list[tuple[int, int]] = []
        for member in members:
            host = next((h for h in self.net.hosts if h.name == member), None)
            group = next((o for o in self.net.addresses if o.name == member), None)
            segment = next((s for s in self.net.segments if s.name == member), None)
            if segment:
                out += self.owned(segment, family) if segments else []
            elif group:
                out += self.stretches(group.members, family, segments)
            else:
                texts = host.addresses if host else (member,)
                spans = [oracle._span(text) for text in texts if text != "any"]
                out += [span[1:] for span in spans if span[0] == family]
        return out

    def owned(self, segment: Segment, family: int) -> list[tuple[int, int]]:
        """What a segment owns of its prefixes; of one that owns the rest only that it is more than one stretch."""
        if not segment.prefixes:
            return [(0, 0), (0, 0)]
        others = [ipaddress.ip_network(t) for s in self.net.segments if s is not segment for t in s.prefixes]
        edges = set()
        for network in map(ipaddress.ip_network, segment.prefixes):
            for n in (network, *others):
                if n.version == family:
                    edges |= {int(n.network_address), int(n.broadcast_address) + 1}
        out: list[tuple[int, int]] = []
        for low, above in itertools.pairwise(sorted(edges)):
            if self.owner(family, low) is segment:
                if out and out[-1][1] == low - 1:
                    low = out.pop()[0]
                out.append((low, above - 1))
        return out

    def free_ports(self) -> list[int]:
        """Ports of 1024–65535 that some rule or entry may tell apart, of packets or of their answers."""
        cut = {1024, 65535}
        matching = [
            *(r for p in self.net.policies for r in p.rules),
            *(e for d in self.net.devices for e in d.entries),
        ]
        for member in (m for one in matching for m in one.service):
            for text in member.partition("/")[2].partition(" ")[0], member.partition(" from ")[2]:
                if text.replace("-", "").isdigit():
                    low, high = numbers(text)
                    cut |= {low, high + 1}
        return sorted(port for port in cut if 1024 <= port <= 65535)

    def answers_for(self, device: Device, family: int, value: int) -> bool:
        """Whether a device answers on a wire for an address that its translations name."""
        if device.filtering == "stateless":
            return False
        named = [
            (e.destination, "destination" in e.negate) for e in device.translate_destination if e.enabled
        ] + [
            (e.to, False)
            for e in device.translate_source
            if e.enabled and e.to not in (("none",), ("interface",))
        ]
        return any(
            low <= value <= high
            for members, negated in named
            if not negated
            for low, high in self.stretches(members, family, segments=False)
        )

    # --- routing --------------------------------------------------------------------------------------

    def ways(
        self, device: Device, entering: Interface | None, p: Packet, known: Hop | None, lead: Lead
    ) -> list[Any]:
        """Interface and what is behind: None for its wire, a device with its interface, or a segment beyond; or None and why not."""
        if (
            known
            and device.answers_leave == "where asked"
            and known.entering is not None
            and known.device is device
        ):
            return self.where_asked(known, lead.hops)
        if entering is not None:
            for entry in device.steering:
                if not entry.enabled or not in_scope(entry.entering, entering) or not self.matches(entry, p):
                    continue
                if entry.via is not None and address(entry.via)[0] != p.family:
                    continue
                found = self.hops(device, p, entry.via, entry.leave)
                if found != "down":
                    return found
                if entry.when_down == "drop":
                    return [(None, "dropped")]
                if entry.when_down is None:
                    return [(None, UNKNOWN)]
        entries: list[tuple[int, int, list[Any]]] = []
        owner = self.owner(p.family, p.dst)
        for interface in device.interfaces:
            segment = self.segment(interface)
            if segment is None or segment is not owner or not self.up(device, interface):
                continue
            lengths = [
                n.prefixlen for n in map(ipaddress.ip_network, segment.prefixes) if inside(n, p.family, p.dst)
            ]
            if lengths:
                entries.append((max(lengths), -1, [(interface, None)]))
            elif not segment.prefixes and any(address(a)[0] == p.family for a in interface.addresses):
                entries.append((-1, -1, [(interface, None)]))
        for route in device.routes:
            network = ipaddress.ip_network(route.prefix)
            if inside(network, p.family, p.dst):
                found = (
                    [(None, "dropped")] if route.discard else self.hops(device, p, route.via, route.interface)
                )
                if found != "down":
                    entries.append((network.prefixlen, route.metric, found))
        if not entries:
            half_built = not device.routes and len(self.net.devices) > 1
            return [(None, UNKNOWN if half_built else "no route")]
        length = max(e[0] for e in entries)
        metric = min(e[1] for e in entries if e[0] == length)
        return [way for e in entries if e[:2] == (length, metric) for way in e[2]]

    def where_asked(self, known: Hop, first: tuple[Hop, ...]) -> list[Any]:
        """By the interface that the first packet came in by, back to whom it came from."""
        assert known.entering
        if not self.up(known.device, known.entering):
            return [(None, "dropped")]
        at = first.index(known)
        before = (
            (first[at - 1].device, first[at - 1].leaving)
            if at
            else self.segment(known.entering) or Segment(name="whoever is there")
        )
        return [(known.entering, before)]

    def hops(self, device: Device, p: Packet, via: str | None, leave: str | None) -> Any:
        """Where a next hop or an interface leads; `down` where that is unplugged."""
        out: list[Any] = []
        by = [i for i in device.interfaces if leave in (None, i.name) and self.segment(i)]
        if via is not None:
            family, value = address(via)
            linklocal = ipaddress.ip_address(via).is_link_local
            if not (linklocal and leave):
                by = [i for i in by if self.owner(family, value) is self.segment(i)]
            there = [
                (i, (d, e))
                for i in by
                for d, e in self.on(self.segment(i), device)
                if (family, value) in map(address, e.addresses)
            ]
            if there:
                up = [(i, onward) for i, onward in there if self.up(device, i) and self.up(*onward)]
                return up or "down"
        if not by:
            named = next((i for i in device.interfaces if i.name == leave), None)
            return "down" if named and not self.up(device, named) else [(named, UNKNOWN)]
        downs = 0
        for interface in by:
            if not self.up(device, interface):
                downs += 1
                continue
            segment = self.segment(interface)
            assert segment
            owns = self.owner(p.family, p.dst) is segment
            if via is None and owns:
                out.append((interface, None))
            elif via is not None and owns and segment.outside:
                out.append((interface, segment))
            else:
                others = [(d, e) for d, e in self.on(segment, device) if not e.management_only]
                if len({d.name for d, _ in others}) != 1:
                    out.append((interface, UNKNOWN))
                else:
                    up = [(interface, o) for o in others if self.up(*o)]
                    out += up
                    downs += not up
        return out or "down"

    # --- wires ----------------------------------------------------------------------------------------

    def from_segment(self, segment: Segment, p: Packet, hops: tuple[Hop, ...], lead: Lead) -> Iterator[End]:
        if self.owner(p.family, p.dst) is segment:
            yield from self.on_wire(segment, p, hops, lead)
            return
        there = [(d, i) for d, i in self.on(segment, None) if not i.management_only]
        if segment.gateways:
            there = [(d, i) for d, i in there if d.name in segment.gateways]
        starts = [(d, i) for d, i in there if self.up(d, i)]
        if not starts:
            yield End("down" if there else UNKNOWN, p, hops)
        for device, interface in starts:
            yield from self.enter(device, interface, p, hops, lead)

    def on_wire(self, segment: Segment, p: Packet, hops: tuple[Hop, ...], lead: Lead) -> Iterator[End]:
        """Sent onto the wire of the segment that owns its destination."""
        there = [(d, i) for d, i in self.on(segment, None) if self.up(d, i)]
        having = [(d, i) for d, i in there if (p.family, p.dst) in map(address, i.addresses)]
        holders = self.holders(p.family, p.dst)
        if not having:
            having = [(d, i) for d, i in there if d in holders]
        if holders and not having:
            lost = any(
                d.name in self.down or any((d.name, i.name) in self.unplugged for i in d.interfaces)
                for d in holders
            )
            yield End("down" if lost else UNKNOWN, p, hops)
            return
        host = any((p.family, p.dst) in map(address, h.addresses) for h in self.net.hosts)
        if not having and not host:
            having = [(d, i) for d, i in there if self.answers_for(d, p.family, p.dst)]
            others = [(d, i) for d, i in having if not hops or d is not hops[-1].device]
            if having and not others:
                yield End("down", p, hops)  # a device does not answer itself
                return
            having = others
        if not having:
            yield from self.delivered(segment, p, hops, lead)
        for device, interface in having:
            yield from self.enter(device, interface, p, hops, lead)

    def delivered(self, segment: Segment, p: Packet, hops: tuple[Hop, ...], lead: Lead) -> Iterator[End]:
        stopped = None if lead.answer else self.at_hosts("inbound", p, p.dst)
        yield End(stopped or "delivered", p, hops, segment)

    def at_hosts(self, direction: str, p: Packet, value: int) -> str | None:
        known = {a for h in self.net.hosts for a in map(address, h.addresses)}
        for at in self.net.at_hosts:
            if (
                at.direction == direction
                and (p.family, value) in known
                and any(self.in_member(m, p.family, value) for m in at.hosts)
            ):
                action = self.by_policy(at.policy, p)
                if action != "continue":
                    return {"drop": "dropped", "reject": "rejected"}.get(action)
        return None

    # --- who is where ---------------------------------------------------------------------------------

    def up(self, device: Device, interface: Interface) -> bool:
        return (device.name, interface.name) not in self.unplugged

    def segment(self, interface: Interface) -> Segment | None:
        return next((s for s in self.net.segments if s.name == interface.segment), None)

    def on(self, segment: Segment | None, but: Device | None) -> list[tuple[Device, Interface]]:
        assert segment
        return [
            (d, i)
            for d in self.net.devices
            if d is not but
            for i in d.interfaces
            if i.segment == segment.name
        ]

    def holders(self, family: int, value: int) -> list[Device]:
        return [
            d
            for d in self.net.devices
            if any((family, value) == a for i in d.interfaces for a in map(address, i.addresses))
        ]

    def owner(self, family: int, value: int) -> Segment | None:
        at = _owner_of(self.net.segments, family, value)
        return self.net.segments[at] if at >= 0 else None

    @staticmethod
    def cluster(device: Device) -> str:
        name = device.cluster
        return f"cluster {name.lower()}" if name else device.name

    def special(self, family: int, value: int) -> bool:
        if any(inside(n, family, value) for n in SPECIAL):
            return True
        owner = self.owner(family, value)
        return family == 4 and any(
            n.version == 4 and n.prefixlen <= 30 and int(n.broadcast_address) == value
            for n in map(ipaddress.ip_network, owner.prefixes if owner else ())
        )

    # --- matching -------------------------------------------------------------------------------------

    def matches(self, rule: Rule | Steering | Translation, p: Packet) -> bool:
        schedule, states = getattr(rule, "schedule", None), getattr(rule, "states", ())
        if schedule is not None:
            assert p.moment is not None
            if not clock.active(next(s for s in self.net.schedules if s.name == schedule), p.moment):
                return False
        fields = {
            "source": any(self.in_member(m, p.family, p.src) for m in rule.source),
            "destination": any(self.in_member(m, p.family, p.dst) for m in rule.destination),
            "service": any(oracle._service_in(m, p) for m in rule.service),
        }
        return all(hit != (name in rule.negate) for name, hit in fields.items()) and (
            not states or p.state in states
        )

    def in_member(self, member: str, family: int, value: int) -> bool:
        for segment in self.net.segments:
            if segment.name == member:
                return self.owner(family, value) is segment
        for host in self.net.hosts:
            if host.name == member:
                return (family, value) in map(address, host.addresses)
        for thing in self.net.addresses:
            if thing.name == member:
                return any(self.in_member(m, family, value) for m in thing.members)
        return oracle._address_in(member, family, value)


def turned(p: Packet) -> Packet:
    """What answers a packet: its ends turned."""
    if p.proto == ICMP[p.family]:
        return (
            replace(p, src=p.dst, dst=p.src, first=ECHO[p.family][1], second=0)
            if p.first == ECHO[p.family][0]
            else replace(p, src=p.dst, dst=p.src, first=ECHO[p.family][0])
        )
    return replace(p, src=p.dst, dst=p.src, first=p.second, second=p.first)


def ends_of(p: Packet) -> tuple[int, ...]:
    return p.family, p.src, p.dst, p.proto, p.first, p.second


def has_two(p: Packet) -> bool:
    return p.proto in WITH_PORTS


def numbers(text: str) -> tuple[int, int]:
    low, _, high = text.partition("-")
    return int(low), int(high or low)


@functools.cache
def address(text: str) -> tuple[int, int]:
    a = ipaddress.ip_address(text)
    return a.version, int(a)


def inside(network: Any, family: int, value: int) -> bool:
    return network.version == family and int(network.network_address) <= value <= int(
        network.broadcast_address
    )


def in_scope(scope: tuple[str, ...], interface: Interface | None) -> bool:
    if interface is None:
        return "any" in scope
    return bool({"any", interface.name, interface.zone} & set(scope))


@functools.lru_cache(maxsize=200_000)
def _owner_of(segments: tuple[Segment, ...], family: int, value: int) -> int:
    best = (-2, -1)
    for at, segment in enumerate(segments):
        if not segment.prefixes:
            best = max(best, (-1, at))
        for network in map(ipaddress.ip_network, segment.prefixes):
            if inside(network, family, value):
                best = max(best, (network.prefixlen, at))
    return best[1]
