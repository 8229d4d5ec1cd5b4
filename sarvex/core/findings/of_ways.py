"""Findings about where packets go and who answers: ways out, ways back, devices themselves, and what devices share."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from sarvex.core.findings.finding import Finding, Weight, facts
from sarvex.core.forwarding.journeys import Crossing, together
from sarvex.core.forwarding.routing import FOR_EXAMPLES, Routing, ground_of, routing_of
from sarvex.core.forwarding.stages import Stages, speaks_of
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE, PacketSet
from sarvex.core.model.records import Device, Network, Segment, Stage, ZoneDefault, fold
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.cache import Recent

OPEN = ZoneDefault(mode="open")
MOST_BOXES = 20_000
ITSELF: Stage = "to the device"
HTTPS = services.parse("tcp/443")
"""One service over a connection: whether it works tells of both directions."""
ALIKE = "policies", "zone_default", "filtering", "out_of_state"
"""What members of a cluster should have in common."""


def findings_of_ways(network: Network, names: Names) -> Iterator[Finding]:
    """What is wrong with ways on a ground without any policy, what is never consulted, and who reaches devices themselves.

    Raises what `Names` raises. The ways are worked out once for a ground, whatever its policies are.
    """
    opened = tuple(replace(d, policies=(), zone_default=OPEN) for d in network.devices)
    ground = ground_of(replace(network, devices=opened))
    yield from _RECENT.get(ground, lambda: tuple(_ways(ground)))
    yield from _members_differ(network)
    yield from _never_for_answers(network)
    yield from _exposed(network, names)


def _ways(ground: Network) -> Iterator[Finding]:
    """What is lost though no policy drops it."""
    names, routing = Names(ground), routing_of(ground)
    yield from _no_way_out(ground, names, routing)
    yield from _one_way_out(ground, names, routing)


def _no_way_out(network: Network, names: Names, routing: Routing) -> Iterator[Finding]:
    """Devices without a route outside in one family, though they have one in the other, and for whom that is."""
    question = Question(_inside(network, routing), _outside(network, routing), HTTPS)
    parts = trace(network, names, question).parts
    out = packet_sets.union(p.packets for p in parts if p.result in ("delivered", "unanswered"))
    told: dict[tuple[str, int], list[PacketSet]] = defaultdict(list)
    for part in parts:
        for family in FAMILIES:
            if part.result == "no route" and len(part.packets[family]):
                told[part.destination_segment, family].append(part.packets)
    for (device, family), lost in told.items():
        here = addresses.in_family(packet_sets.project(packet_sets.union(lost), SOURCE), family)
        both = [s for s, _ in routing.owners(here) if s and _sends(out, s, 10 - family, routing)]
        neither = any(_sends(out, s, family, routing) for s in both)
        if both and not neither:
            known = facts(family=family, other=10 - family, segments=tuple(s.name for s in both))
            yield Finding("no way out", "warning", None, None, name=device, facts=known)


def _sends(out: PacketSet, segment: Segment, family: int, routing: Routing) -> bool:
    """Whether some of what gets out in one family is sent by a segment."""
    sources = addresses.in_family(packet_sets.project(out, SOURCE), family)
    return bool(addresses.intersection(sources, routing.owned(segment)))


def _one_way_out(network: Network, names: Names, routing: Routing) -> Iterator[Finding]:
    """Connections that arrive and of which no answer comes back by any way, told by where they are lost."""
    inside = _inside(network, routing)
    parts = trace(
        network, names, Question(inside, addresses.union((inside, _outside(network, routing))), HTTPS)
    ).parts
    works = packet_sets.union(p.packets for p in parts if p.result in ("delivered", "undetermined"))
    told: dict[str, list[PacketSet]] = defaultdict(list)
    for part in parts:
        if part.result == "unanswered":
            told[part.missing or ""].append(part.packets)
    for why, some in told.items():
        try:
            lost = packet_sets.difference(packet_sets.union(some), works, MOST_BOXES)
        except WorkLimit:
            continue
        ends = (packet_sets.project(lost, axis) for axis in (SOURCE, DESTINATION))
        sources, destinations = (tuple(s.name for s, _ in routing.owners(end) if s) for end in ends)
        if sources:
            sample = packet_sets.sample(lost, replace(names.known(), others=routing.plausible))
            known = facts(sources=sources, destinations=destinations, why=why, sample=str(sample))
            yield Finding("one way out", "warning", None, None, name=sources[0], facts=known)


def _inside(network: Network, routing: Routing) -> AddressSet:
    """The hosts of segments that are not outside, nor wires between devices of which none is said to be the gateway."""
    inside = (s for s in network.segments if not s.outside and (s.gateways or len(routing.starts(s)) < 2))
    return addresses.union(_meant(s, routing) for s in inside)


def _outside(network: Network, routing: Routing) -> AddressSet:
    return addresses.union(_meant(s, routing) for s in network.segments if s.outside)


def _meant(segment: Segment, routing: Routing) -> AddressSet:
    """The addresses of a segment's hosts; of all that lies elsewhere some for examples."""
    owned = routing.owned(segment)
    if not segment.prefixes:
        owned = addresses.intersection(owned, addresses.union(FOR_EXAMPLES))
    return addresses.difference(owned, addresses.union((routing.unrouted, routing.all_own)))


def _members_differ(network: Network) -> Iterator[Finding]:
    """Members of a cluster that do not decide alike."""
    clusters: dict[str, list[Device]] = defaultdict(list)
    for device in network.devices:
        if device.cluster:
            clusters[together(device)].append(device)
    for first, *others in clusters.values():
        for other in others:
            differing = tuple(field for field in ALIKE if getattr(first, field) != getattr(other, field))
            if differing:
                known = facts(other=first.name, cluster=first.cluster, differing=differing)
                yield Finding("cluster members differ", "warning", None, None, name=other.name, facts=known)


def _never_for_answers(network: Network) -> Iterator[Finding]:
    """Rules about answers alone, in policies consulted only where answers pass by their conversation."""
    at: dict[str, list[Device]] = defaultdict(list)
    for device in network.devices:
        for attachment in device.policies:
            at[fold(attachment.policy)].append(device)
    hosts = {fold(a.policy) for a in network.at_hosts}
    for policy in network.policies:
        devices = at[fold(policy.name)]
        by_conversation = all(d.filtering == "stateful" for d in devices)
        if not devices or not by_conversation or fold(policy.name) in hosts:
            continue
        for rule in policy.rules:
            if rule.enabled and rule.states == ("established",):
                where = tuple(dict.fromkeys(d.name for d in devices))
                yield Finding("never consulted for answers", "note", policy.name, rule.name, by=where)


def _exposed(network: Network, names: Names) -> Iterator[Finding]:
    """From which zones a device's management is reached, the outermost first."""
    routing, stages, zones = routing_of(network), Stages(network, names), _zones(network)
    hosts = addresses.union(_meant(s, routing) for s in network.segments)
    for device in network.devices:
        service = services.union(names.service(s) for s in device.management)
        meant = packet_sets.product(hosts, routing.own(device), service, ("new",))
        admitted = packet_sets.project(_admitted(device, meant, stages), SOURCE)
        question = Question(admitted, routing.own(device), service)
        parts = trace(network, names, question).parts if admitted else ()
        through = packet_sets.union(p.packets for p in parts if p.result == "delivered")
        from_ = [s for s, _ in routing.owners(packet_sets.project(through, SOURCE)) if s]
        if from_:
            told = sorted({zones[fold(s.name)] for s in from_})
            sample = packet_sets.sample(through, replace(names.known(), others=routing.plausible))
            known = facts(zones=tuple(zone for _, zone in told), sample=str(sample))
            weight: Weight = "warning" if any(s.outside for s in from_) else "note"
            yield Finding("exposed management", weight, None, None, name=device.name, facts=known)


def _admitted(device: Device, meant: PacketSet, stages: Stages) -> PacketSet:
    """What a device lets in for itself by some interface: the rest is not worth following there."""
    consulted = {
        tuple(a.policy for a in device.policies if a.stage == ITSELF and speaks_of(a, i, None)): i
        for i in device.interfaces
    }
    return packet_sets.union(
        share
        for interface in consulted.values()
        for share, step, _ in stages.stage(ITSELF, Crossing(device, interface, None), meant)
        if step is None or step.action == "allow"
    )


def _zones(network: Network) -> dict[str, tuple[int, str]]:
    """The zone of each segment by the first interface on it, with its depth; a segment in no zone by its own name."""
    depths = {fold(z.name): z.depth for z in network.zones}
    found = {fold(s.name): (0, s.name) for s in network.segments}
    for device in reversed(network.devices):
        for interface in reversed(device.interfaces):
            if interface.segment and interface.zone:
                zone = interface.zone
                found[fold(interface.segment)] = depths.get(fold(zone), 0), zone
    return found


_RECENT: Recent[Network, tuple[Finding, ...]] = Recent(4)
