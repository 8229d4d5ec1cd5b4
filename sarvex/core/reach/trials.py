"""Trials: packets with which people try in the network itself whether what must hold does, and what they must see.

Of every two places between which an expectation speaks, in each family: a packet of each of its services, between hosts that are known
or plausible. Of one that is broken the packets that break it are preferred. Where it speaks of any service, what others are let in to
there is tried, for that is what answers if it is not blocked, and an echo request.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.forwarding.walk import Part, TooWide, about, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Expectation, Network, Policy, fold
from sarvex.core.reach.expectations import Judged, Spoken, spoken_of
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.cache import Recent
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.services import ServiceSet

MOST_OF_ONE = 12
"""Trials of one expectation; of more it is told how many."""
MOST_SERVICES = 4
KEEP = 3
"""Versions of the lists of which it is known what they let in to: the draft's, that in force, one more."""
ECHO = services.union((services.parse("icmp/8.0"), services.parse("icmp6/128.0")))
USUAL = services.parse("tcp/443")


@dataclass(frozen=True, eq=False)
class Trial:
    """A packet to try, and all its ways as the network is told to be."""

    expectation: Expectation
    flow: Flow
    parts: tuple[Part, ...]

    @property
    def works(self) -> bool | None:
        """Whether an answer must be seen; None where nobody knows, or ways differ."""
        kinds = {part.result == "delivered" for part in self.parts if part.result != "undetermined"}
        known = all(part.result != "undetermined" for part in self.parts)
        return next(iter(kinds)) if known and len(kinds) == 1 else None

    @property
    def as_it_must(self) -> bool | None:
        """Whether what must be seen is what the expectation says."""
        return None if self.works is None else self.works == (self.expectation.must == "allowed")


@dataclass(frozen=True, eq=False)
class Trials:
    """What to try of one expectation, and how many packets more there would be; why there is nothing to try."""

    expectation: Expectation
    trials: tuple[Trial, ...]
    more: int = 0
    why: str = ""


def trials_of(
    one: Judged, network: Network, names: Names, go_on: Callable[[], bool] = lambda: True
) -> Trials:
    """What to try of an expectation: what breaks it; then a packet between every two places, by other services, of the other family.

    Raises what `Names` raises, and `walk.TooWide` once `go_on` says no. Cost: a walk for each packet.
    """
    if one.verdict in ("empty", "ended"):
        return Trials(one.expectation, (), why=one.why or "it has ended")
    routing = routing_of(network)
    hosts = addresses.difference(names.known().hosts, _astray(network, names))
    known = replace(names.known(), hosts=hosts, others=routing.plausible)
    flows: dict[str, Flow] = {}
    for asked in (one.against, *_asked(one, network, names, routing)):
        breaking = packet_sets.intersection(asked, one.against) if one.against else asked
        flow = packet_sets.sample(breaking or asked, known)
        if flow is not None:
            flows.setdefault(str(flow), flow)
    if not flows:
        return Trials(one.expectation, (), why=one.why or "it speaks of no packet between two places")
    chosen = list(flows.values())[:MOST_OF_ONE]
    made = []
    for flow in chosen:
        if not go_on():
            raise TooWide
        made.append(Trial(one.expectation, flow, trace(network, names, about(flow, names), go_on).parts))
    return Trials(one.expectation, tuple(made), len(flows) - len(chosen))


def _astray(network: Network, names: Names) -> AddressSet:
    """The addresses of hosts that their segments do not own: nobody tries anything from there."""
    return addresses.union(
        addresses.difference(names.address(host.name), names.owned_by_segment[fold(host.segment)])
        for host in network.hosts
    )


def _asked(one: Judged, network: Network, names: Names, routing: Routing) -> Iterator[PacketSet]:
    """Of what an expectation speaks of what each trial may be one of: soon of every source, and of every destination."""
    spoken = spoken_of(one.expectation, names)
    places = [[share for _, share in routing.owners(side)] for side in spoken.carried(routing)]
    many = len(places[1])
    pairs = [(s, places[1][(at + n) % many]) for n in range(many) for at, s in enumerate(places[0])]
    tried = {id(d): _services(one.expectation, spoken, d, network, names) for d in places[1]}
    for family in FAMILIES:
        for number in range(MOST_SERVICES):
            for source, destination in pairs:
                some = tried[id(destination)][number : number + 1]
                if some:
                    ends = addresses.in_family(source, family), addresses.in_family(destination, family)
                    asked = packet_sets.product(*ends, some[0], ("new",), spoken.times)
                    if asked:
                        yield asked


def _services(
    one: Expectation, spoken: Spoken, destination: AddressSet, network: Network, names: Names
) -> list[ServiceSet]:
    """What is tried of the services of an expectation at some destination."""
    found = []
    for member in one.service:
        own = names.service(member)
        if any(len(services.difference(services.ANY, own)[f]) for f in FAMILIES):
            found.append(own)
        else:
            offered = _offered(network, names)
            there = [s for d, s in offered if addresses.intersection(d, destination)]
            found += [next(iter(there), USUAL), ECHO]
    return [services.intersection(some, spoken.service) for some in found[:MOST_SERVICES]]


def _offered(network: Network, names: Names) -> list[tuple[AddressSet, ServiceSet]]:
    """To which destinations rules let somebody, by a single service with a port of its own."""
    kept: Recent[tuple[Policy, ...], list[tuple[AddressSet, ServiceSet]]] = names.keep(
        "offered", lambda: Recent(KEEP)
    )
    return kept.get(network.policies, lambda: list(_offers(network, names)))


def _offers(network: Network, names: Names) -> Iterator[tuple[AddressSet, ServiceSet]]:
    for policy in network.policies:
        for rule, match in zip(policy.rules, matches_of(policy, names), strict=True):
            if rule.enabled and rule.action == "allow" and not rule.negate and _is_one(match.service):
                yield match.destination, match.service


def _is_one(some: ServiceSet) -> bool:
    """Whether it is single ports, or a single type, of single protocols."""
    boxes = [box for f in FAMILIES for box in some[f].tolist()]
    return bool(boxes) and all(p[0] == p[1] and second[0] == second[1] for p, _, second in boxes)
