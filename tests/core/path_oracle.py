"""An independent model of routing and stages, one packet at a time, for checking traces of whole sets.

It shares no code with the core: addresses are read with `ipaddress`, and a packet is led by hand from device
to device. `fates` gives the results over all paths the packet may take.
"""

from __future__ import annotations

import ipaddress
import random
from dataclasses import replace

import oracle
from oracle import Packet

from sarvex.core.model.records import (  # fmt: skip
    Attachment,
    Device,
    Host,
    HostAttachment,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
    Zone,
    ZoneDefault,
)

STOP = {"drop": "dropped", "reject": "rejected"}


def fates(net: Network, p: Packet) -> set[str]:
    source, destination = _owner(net, p.src), _owner(net, p.dst)
    if not source or not destination:
        return {"undetermined"}
    stopped = _at_hosts(net, p, "outbound", p.src)
    if stopped:
        return {stopped}
    if source is destination:
        for device, interface in _on(net, source):
            if _own(device, p.dst):
                return _receive(net, p, device, interface, [], source)
        return {_at_hosts(net, p, "inbound", p.dst) or "delivered"}
    starts = [(d, i) for d, i in _on(net, source) if not source.gateways or d.name in source.gateways]
    if not starts:
        return {"undetermined"}
    return set().union(*(_through(net, p, d, i, [], source, destination) for d, i in starts))


def _through(net, p, device, entering, passed, source, destination):  # type: ignore[no-untyped-def]
    if device.name in passed:
        return {"loop"}
    if _own(device, p.dst):
        return _receive(net, p, device, entering, passed, source)
    stopped = _stage(net, p, device, "inbound", entering, None)
    if stopped:
        return {stopped}
    passed = [*passed, device.name]
    ways = _ways(net, device, p.dst)
    if not ways:
        return {"no route"} if device.routes else {"undetermined"}
    found = set()
    for leaving, onward, connected in ways:
        stopped = _stage(net, p, device, "passage", entering, leaving) or _stage(
            net, p, device, "outbound", entering, leaving
        )
        if stopped:
            found.add(stopped)
        elif leaving.segment == destination.name and (connected or not onward):
            found.add(_at_hosts(net, p, "inbound", p.dst) or _back(net, p, passed, source, destination, None))
        elif onward:
            found |= _through(net, p, *onward, passed, source, destination)
        else:
            found.add("undetermined")
    return found


def _receive(net, p, device, interface, passed, source):  # type: ignore[no-untyped-def]
    stopped = _stage(net, p, device, "inbound", interface, None) or _stage(
        net, p, device, "to the device", interface, None
    )
    if stopped:
        return {stopped}
    return {_back(net, p, passed, source, _owner(net, p.dst), device) if passed else "delivered"}


def _back(net, p, passed, source, destination, receiver):  # type: ignore[no-untyped-def]
    """Whether every way of the reply is known and passes only devices that saw the request.

    A packet is delivered by one path; should any reply way be bad, it is undetermined.
    """
    if any(d.filtering == "stateless" for d in net.devices if d.name in passed):
        return "undetermined"
    if receiver:
        starts = [receiver]
    else:
        starts = [
            d for d, _ in _on(net, destination) if not destination.gateways or d.name in destination.gateways
        ]
    known = {*passed, *([receiver.name] if receiver else [])}

    def good(device: Device, seen: list[str]) -> bool:
        if device.name in seen or device.name not in known:
            return False
        ways = _ways(net, device, p.src)
        return bool(ways) and all(
            (leaving.segment == source.name and (connected or not onward))
            or (onward is not None and good(onward[0], [*seen, device.name]))
            for leaving, onward, connected in ways
        )

    return "delivered" if starts and all(good(d, []) for d in starts) else "undetermined"


def _ways(net: Network, device: Device, dst: int):  # type: ignore[no-untyped-def]
    found = []
    for interface in device.interfaces:
        segment = _segment(net, interface.segment)
        if segment and segment is _owner(net, dst):
            lengths = [n.prefixlen for n in map(ipaddress.ip_network, segment.prefixes) if _in(n, dst)]
            found.append((max(lengths, default=-1), -1, [(interface, None, True)]))
    for route in device.routes:
        network = ipaddress.ip_network(route.prefix)
        if _in(network, dst):
            found.append((network.prefixlen, route.metric, _hops(net, device, route)))
    if not found:
        return []
    best = max(length for length, _, _ in found)
    metric = min(m for length, m, _ in found if length == best)
    return [way for length, m, ways in found if (length, m) == (best, metric) for way in ways]


def _hops(net: Network, device: Device, route: Route):  # type: ignore[no-untyped-def]
    out = []
    for interface in device.interfaces:
        if route.interface not in (None, interface.name):
            continue
        others = [
            (d, i)
            for d in net.devices
            if d is not device
            for i in d.interfaces
            if i.segment == interface.segment
        ]
        if route.via:
            if _owner(net, int(ipaddress.ip_address(route.via))) is not _segment(net, interface.segment):
                continue
            out += [(interface, (d, i), False) for d, i in others if route.via in i.addresses]
        elif len(others) == 1:
            out.append((interface, others[0], True))
        else:
            out.append((interface, None, False))
    if out:
        return out
    on = [
        i
        for i in device.interfaces
        if route.interface in (None, i.name)
        and route.via
        and _owner(net, int(ipaddress.ip_address(route.via))) is _segment(net, i.segment)
    ]
    named = [i for i in device.interfaces if i.name == route.interface]
    return [(i, None, False) for i in on or named or device.interfaces[:1]]


def _stage(net, p, device, stage, entering, leaving):  # type: ignore[no-untyped-def]
    """What stops the packet there, or None."""
    for at in device.policies:
        if at.stage != stage or not _scoped(at.entering, entering) or not _scoped(at.leaving, leaving):
            continue
        policy = next(q for q in net.policies if q.name == at.policy)
        if policy.families != "both" and policy.families != str(p.family):
            continue
        index = oracle.decide(policy, p)
        action = policy.default if index is None else policy.rules[index].action
        if action != "continue":
            return STOP.get(action)
    if stage == "passage":
        return None if _zone_open(net, device, entering, leaving) else "dropped"
    return None


def _zone_open(net, device, entering, leaving):  # type: ignore[no-untyped-def]
    rule = device.zone_default
    if rule.mode != "by depth":
        return rule.mode == "open"
    if not entering.zone or not leaving.zone:
        return False
    if entering.zone == leaving.zone:
        return rule.within == "open"
    a, b = (next(z.depth for z in net.zones if z.name == i.zone) for i in (entering, leaving))
    return (rule.level if a == b else rule.outward if a > b else rule.inward) == "open"


def _at_hosts(net, p, direction, address):  # type: ignore[no-untyped-def]
    known = {int(ipaddress.ip_address(a)) for h in net.hosts for a in h.addresses}
    for at in net.at_hosts:
        meant = {int(ipaddress.ip_address(a)) for h in net.hosts if h.name in at.hosts for a in h.addresses}
        if at.direction == direction and address in known & meant:
            policy = next(q for q in net.policies if q.name == at.policy)
            index = oracle.decide(policy, p)
            action = policy.default if index is None else policy.rules[index].action
            if action != "continue":
                return STOP.get(action)
    return None


def _scoped(scope, interface) -> bool:  # type: ignore[no-untyped-def]
    return interface is None or bool({"any", interface.name, interface.zone} & set(scope))


def _owner(net: Network, address: int) -> Segment | None:
    best: tuple[int, Segment] | None = None
    for segment in net.segments:
        for network in map(ipaddress.ip_network, segment.prefixes):
            if _in(network, address) and (best is None or network.prefixlen > best[0]):
                best = network.prefixlen, segment
    return best[1] if best else next((s for s in net.segments if not s.prefixes), None)


def _segment(net: Network, name: str | None) -> Segment | None:
    return next((s for s in net.segments if s.name == name), None)


def _on(net: Network, segment: Segment):  # type: ignore[no-untyped-def]
    return [(d, i) for d in net.devices for i in d.interfaces if i.segment == segment.name]


def _own(device: Device, address: int) -> bool:
    return any(int(ipaddress.ip_address(a)) == address for i in device.interfaces for a in i.addresses)


def _in(network, address: int) -> bool:  # type: ignore[no-untyped-def]
    return int(network.network_address) <= address <= int(network.broadcast_address)


def random_network(rng: random.Random) -> Network:
    """A few segments joined by a few devices with routes of all kinds, good and bad, and dense policies."""
    prefixes = [f"10.44.{i}.0/28" for i in range(5)]
    segments = [Segment(name=f"s{i}", prefixes=(p,)) for i, p in enumerate(prefixes)]
    if rng.random() < 0.5:
        segments.append(Segment(name="beyond", outside=True))
    if rng.random() < 0.3:
        # Inner ones leave little of s0, so that what is left is smaller than a route that is longer.
        segments.append(Segment(name="inner", prefixes=("10.44.0.8/29", "10.44.0.0/30")))
    zones = tuple(Zone(name=f"z{i}", depth=rng.randrange(3)) for i in range(3))
    devices = [_random_device(rng, f"d{i}", i, segments, zones) for i in range(rng.choice([1, 2, 3]))]
    hops = [a for d in devices for i in d.interfaces for a in i.addresses] + ["10.44.1.14"]
    routes_of = {d.name: _random_routes(rng, d, hops, prefixes) for d in devices}
    hosts = tuple(
        Host(name=f"h{i}", segment=f"s{i}", addresses=(f"10.44.{i}.{rng.randrange(2, 8)}",)) for i in range(5)
    )
    policies = tuple(replace(_random_policy(rng), name=f"p{i}") for i in range(4))
    stages = ["inbound", "passage", "passage", "outbound", "to the device"]

    def attachment(device: Device) -> Attachment:
        stage = rng.choice(stages)
        places = [*(z.name for z in zones), *(i.name for i in device.interfaces), "any", "any"]
        leaving = () if stage in ("inbound", "to the device") else (rng.choice(places),)
        return Attachment(
            policy=f"p{rng.randrange(4)}",
            stage=stage,
            entering=(rng.choice(places),),
            leaving=leaving or ("any",),
        )

    return Network(
        name="random", zones=zones, hosts=hosts, policies=policies,
        segments=tuple(
            replace(s, gateways=tuple(rng.sample([d.name for d in devices], 1)) if rng.random() < 0.3 else ())
            for s in segments
        ),
        devices=tuple(
            replace(d, routes=routes_of[d.name], policies=tuple(attachment(d) for _ in range(rng.randrange(3))))
            for d in devices
        ),
        at_hosts=tuple(
            HostAttachment(
                policy=f"p{rng.randrange(4)}", direction=rng.choice(["inbound", "outbound"]),
                hosts=tuple(rng.sample([h.name for h in hosts], 2)),
            )
            for _ in range(rng.randrange(3))
        ),
    )  # fmt: skip


def _random_device(
    rng: random.Random, name: str, number: int, segments: list[Segment], zones: tuple[Zone, ...]
) -> Device:
    joined = rng.sample(segments, min(len(segments), rng.choice([2, 3, 4])))

    def address(segment: Segment) -> tuple[str, ...]:
        if not segment.prefixes:
            return ()
        return (
            str(ipaddress.ip_network(segment.prefixes[0])[1 if segment.name == "inner" else number + 10]),
        )

    return Device(
        name=name,
        filtering="stateless" if rng.random() < 0.1 else "stateful",
        zone_default=ZoneDefault(mode=rng.choice(["open", "open", "by depth", "closed"])),
        interfaces=tuple(
            Interface(
                name=f"{name}-{i}", segment=s.name, zone=rng.choice([*zones]).name, addresses=address(s)
            )
            for i, s in enumerate(joined)
        ),
    )


def _random_routes(
    rng: random.Random, device: Device, hops: list[str], prefixes: list[str]
) -> tuple[Route, ...]:
    def route() -> Route:
        via = rng.choice(hops) if rng.random() < 0.8 else None
        out = rng.choice(device.interfaces).name if via is None or rng.random() < 0.2 else None
        prefix = rng.choice(
            [*prefixes, "10.44.0.0/16", "0.0.0.0/0", "10.44.2.0/29", "10.44.0.4/30", "10.44.0.0/29"]
        )
        return Route(prefix=prefix, via=via, interface=out, metric=rng.choice([0, 0, 5]))

    return tuple(route() for _ in range(rng.randrange(5)))


def _random_policy(rng: random.Random) -> Policy:
    places = ["any", *(f"10.44.{i}.0/28" for i in range(5)), *(f"10.44.{i}.0/29" for i in range(5))]

    def rule(index: int) -> Rule:
        return Rule(
            name=f"r{index}",
            action=rng.choice(["allow", "allow", "drop", "reject"]),
            source=(rng.choice(places),),
            destination=(rng.choice(places),),
            service=(rng.choice(["any", "tcp/443", "udp/53"]),),
        )

    default = rng.choice(["allow", "drop", "continue", "continue"])
    return Policy(name="p", default=default, rules=tuple(rule(i) for i in range(3)))


def random_packet(rng: random.Random, net: Network) -> Packet:
    def address() -> int:
        return int(ipaddress.ip_address(f"10.44.{rng.randrange(6)}.{rng.randrange(16)}"))

    proto, port = rng.choice([(6, 443), (6, 22), (17, 53)])
    return Packet(4, address(), address(), proto, 49152, port, "new")
