"""Findings about where packets go and who answers: ways out, ways back, devices themselves, and what devices share."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from sarvex.core.findings.finding import Finding, Weight, facts
from sarvex.core.forwarding.journeys import Crossing, judges_later, name_of, together
from sarvex.core.forwarding.merged_ways import MOST_BOXES
from sarvex.core.forwarding.routing import FOR_EXAMPLES, Routing, ground_of, routing_of
from sarvex.core.forwarding.scopes import speaks_of
from sarvex.core.forwarding.stages import Stages
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE, PacketSet
from sarvex.core.model.records import Device, Network, Segment, Stage, ZoneDefault, fold
from sarvex.core.sets import addresses, intervals, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.cache import Recent

OPEN = ZoneDefault(mode="open")
ITSELF: Stage = "to the device"
HTTPS = services.parse("tcp/443")
"""One service over a connection: whether it works tells of both directions."""
ALIKE = "policies", "zone_default", "filtering", "replies", "out_of_state"
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
    examples = _Examples(ground, routing)
    yield from _no_way_out(ground, names, examples)
    yield from _one_way_out(ground, names, examples)


class _Examples:
    """One host of each kind in each family instead of all. Hosts are of one kind if every device leads what is for them alike, and
    the same devices lead what they send: on an open ground they fare alike."""

    def __init__(self, network: Network, routing: Routing) -> None:
        self.routing = routing
        inside, outside = (
            addresses.union(
                _meant(s, routing)
                for s in network.segments
                if s.outside is wanted and not _between(s, routing)
            )
            for wanted in (False, True)
        )
        self._of = {
            (f, _first(kind, f, routing)): addresses.in_family(kind, f)
            for kind in _kinds(network, routing, addresses.union((inside, outside)))
            for f in FAMILIES
            if kind[f]
        }
        everybody = addresses.union(addresses.span(f, value, value) for f, value in self._of)
        self.inside, self.outside = (addresses.intersection(everybody, some) for some in (inside, outside))
        self.everywhere = everybody

    def segments(self, some: AddressSet) -> list[Segment]:
        """Those with hosts of the kinds of some examples."""
        like = addresses.union(
            self._of[f, value] for f in FAMILIES for low, high in some[f] for value in range(low, high + 1)
        )
        return [segment for segment, _ in self.routing.owners(like) if segment]


def _between(segment: Segment, routing: Routing) -> bool:
    """Whether it is a wire between devices: several are on it, and none is said to be the gateway."""
    return not segment.outside and not segment.gateways and len(routing.starts(segment)) > 1


def _kinds(network: Network, routing: Routing, wanted: AddressSet) -> list[AddressSet]:
    """Addresses parted by whether they are outside, who leads what they send, and where each device sends what is for them.

    O(devices × kinds × routes).
    """
    cells: dict[tuple[object, ...], AddressSet] = {}
    for segment, share in routing.owners(wanted):
        starts = tuple(d.name for d, _ in routing.starts(segment)) if segment else None
        key: tuple[object, ...] = (starts, segment and segment.outside)
        cells[key] = addresses.union((cells.get(key, addresses.NOTHING), share))
    for device in network.devices:
        parted: dict[tuple[object, ...], list[AddressSet]] = defaultdict(list)
        for key, spread in cells.items():
            left = spread
            for share, ways in routing.towards(device, spread):
                left = addresses.difference(left, share)
                there = tuple(
                    (w.device and name_of(w.device, w.entering), w.discard, w.missing, w.beyond is None)
                    for w in ways
                )
                parted[*key, there].append(share)
            parted[*key, None].append(left)
        cells = {key: addresses.union(shares) for key, shares in parted.items() if any(shares)}
    return _parted_by_lists(network, list(cells.values()), routing.names)


def _parted_by_lists(network: Network, kinds: list[AddressSet], names: Names) -> list[AddressSet]:
    """Cut where lists of devices tell addresses apart."""
    members = dict.fromkeys(
        m
        for d in network.devices
        for e in d.entries
        for m in (*e.source, *e.destination, *getattr(e, "to", ()))
    )
    for member in members:
        if member in ("none", "interface"):
            continue
        some = names.address(member)
        parts = [p for k in kinds for p in (addresses.intersection(k, some), addresses.difference(k, some))]
        kinds = [part for part in parts if part]
    return kinds


def _first(kind: AddressSet, family: int, routing: Routing) -> int:
    """An address of a kind that a host might have."""
    likely = intervals.intersection(kind[family], routing.plausible[family])
    return (likely or kind[family])[0][0]


def _no_way_out(network: Network, names: Names, examples: _Examples) -> Iterator[Finding]:
    """Devices without a route outside in one family, though they have one in the other, and for whom that is."""
    parts = trace(network, names, Question(examples.inside, examples.outside, HTTPS)).parts
    out = packet_sets.union(p.packets for p in parts if p.result in ("delivered", "unanswered"))
    sends = {f: examples.segments(addresses.in_family(packet_sets.project(out, SOURCE), f)) for f in FAMILIES}
    told: dict[tuple[str, int], list[AddressSet]] = defaultdict(list)
    for part in parts:
        for family in FAMILIES:
            if part.result == "no route" and len(part.packets[family]):
                sources = packet_sets.project(part.packets, SOURCE)
                told[part.destination_segment, family].append(addresses.in_family(sources, family))
    for (device, family), lost in told.items():
        both = [s for s in examples.segments(addresses.union(lost)) if s in sends[10 - family]]
        if both and not any(s in sends[family] for s in both):
            known = facts(family=family, other=10 - family, segments=tuple(s.name for s in both))
            yield Finding("no way out", "warning", None, None, name=device, facts=known)


def _one_way_out(network: Network, names: Names, examples: _Examples) -> Iterator[Finding]:
    """Connections that arrive and of which no answer comes back by any way, told by where they are lost."""
    parts = trace(network, names, Question(examples.inside, examples.everywhere, HTTPS)).parts
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
        for sources, destinations, sample in _pairs(lost, examples):
            known = facts(sources=sources, destinations=destinations, why=why, sample=sample)
            yield Finding("one way out", "warning", None, None, name=sources[0], facts=known)


def _pairs(lost: PacketSet, examples: _Examples) -> Iterator[tuple[tuple[str, ...], tuple[str, ...], str]]:
    """Packets between examples by the segments at both ends, those with the same other ends together; with one of them told."""
    there: dict[str, dict[str, str]] = defaultdict(dict)
    for family in FAMILIES:
        for box in lost[family]:
            one = packet_sets.of_boxes(family, box[None])
            sources, destinations = (
                examples.segments(packet_sets.project(one, axis)) for axis in (SOURCE, DESTINATION)
            )
            for source in sources:
                for destination in destinations:
                    there[source.name].setdefault(destination.name, str(packet_sets.sample(one)))
    alike: dict[tuple[str, ...], list[str]] = defaultdict(list)
    for name, found in there.items():
        alike[tuple(found)].append(name)
    for ends, names in alike.items():
        yield tuple(names), ends, there[names[0]][ends[0]]


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
        if not devices or any(map(judges_later, devices)) or fold(policy.name) in hosts:
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
