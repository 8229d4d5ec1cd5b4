"""Ways around a block: the nearest flows beside something that must be blocked which still work.

What is tried is near what is blocked: the address that stands for it before a translation, the same while something is unplugged, the other
addresses that a host with a leased one may have tomorrow, another port or transport of the same application, the other family, the other direction. Each is asked of the whole network; only what works, or
what nobody knows, is a way around.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

from sarvex.core.forwarding.fates import fates
from sarvex.core.forwarding.routing import Link, routing_of
from sarvex.core.forwarding.walk import TooWide
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.model.records import DestinationTranslation, Expectation, Network, fold
from sarvex.core.model.well_known_services import catalogue
from sarvex.core.reach.complements import other_families
from sarvex.core.reach.expectations import Judged, Spoken, judged, packets_of, spoken_of, verdict
from sarvex.core.reach.reach import Reach, space_for
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.services import ServiceSet

Kind = Literal[
    "before translation", "while unplugged", "leased address", "same application", "other family", "other direction"
]  # fmt: skip
KINDS: tuple[Kind, ...] = (
    "before translation",
    "while unplugged",
    "leased address",
    "same application",
    "other family",
    "other direction",
)
"""The nearest first."""
MOST_PIECES = 24
MOST_PORTS = 64
"""Services of more ports than these are no application."""
TRANSPORTS = {6: "tcp", 17: "udp", 132: "sctp"}


@dataclass(frozen=True, eq=False)
class Way:
    """Something near a block that works, or may: in which respect it is near, and what it is.

    judged: the same as something that must be blocked, which is broken or undetermined by it. unplugged: while this device or interface is. by: what
    makes it one: the device and entry that translate, the host whose address is leased, or the application.
    """

    kind: Kind
    judged: Judged
    unplugged: str = ""
    by: str = ""
    without: frozenset[Link] = frozenset()

    @property
    def works(self) -> bool:
        """Whether it surely works for some packet."""
        return self.judged.verdict == "broken"


def ways_around(
    of: Expectation, network: Network, names: Names, known: Reach | None = None, go_on: Callable[[], bool] = lambda: True
) -> list[Way]:  # fmt: skip
    """What works near something that must be blocked, the nearest first; nothing around what must be allowed.

    known: what everybody reaches, if that is known already; else all that is tried is led through the network at once. Raises what
    `expectations.judged` raises.
    """
    if of.must != "blocked":
        return []
    tried = list(_beside(of, spoken_of(of, names), network, names))
    asked = [expectation for _, _, expectation in tried]
    told = judged(network, names, asked, known, go_on=go_on)
    found = [
        Way(kind, one, by=by)
        for (kind, by, _), one in zip(tried, told, strict=True)
        if one.against or one.open
    ]
    return sorted(found, key=lambda way: (not way.works, KINDS.index(way.kind)))


def ways_while_unplugged(
    of: Expectation, network: Network, names: Names, go_on: Callable[[], bool] = lambda: True
) -> tuple[list[Way], list[str]]:
    """The same flows while one interface or one device is unplugged, as far as they do not work already; and what was not tried in time.

    Each packet is told once, by the first interface or device that lets it by. go_on: asked now and then; once it says no, the rest is not tried. Cost:
    once through the network for each. Raises what `Names` raises.
    """
    found: list[Way] = []
    if of.must != "blocked":
        return found, []
    links = list(_links(network))
    spoken = spoken_of(of, names)
    try:
        told = packet_sets.union(_works(spoken, network, names, frozenset(), go_on))
        while links:
            name, without = links[0]
            works, open_ = _works(spoken, network, names, without, go_on)
            fresh = packet_sets.difference(works, told)
            unsure = packet_sets.difference(packet_sets.difference(open_, told), works)
            if fresh or unsure:
                told = packet_sets.union((told, fresh, unsure))
                then = verdict(of, fresh, unsure, names.moments)
                found.append(Way("while unplugged", then, unplugged=name, without=without))
            del links[0]
    except TooWide:
        pass
    return sorted(found, key=lambda way: not way.works), [name for name, _ in links]


Tried = tuple[Kind, str, Expectation]


def _beside(of: Expectation, spoken: Spoken, network: Network, names: Names) -> Iterator[Tried]:
    """What is tried in the network as it is."""
    for device in network.devices:
        for entry in device.translate_destination:
            asked = _before(entry, spoken, names)
            if asked is not None:
                what = f"{', '.join(of.source)} ask for {', '.join(entry.destination)}"
                yield (
                    "before translation",
                    f"{device.name}, {entry.name}",
                    replace(of, name=what, destination=entry.destination, service=asked),
                )
    for end, host, others in _leased(spoken, network, names):
        what = f"{host} with another address"
        source, destination = (others, of.destination) if end == 0 else (of.source, others)
        yield "leased address", host, replace(of, name=what, source=source, destination=destination)
    for application, rest in _same_application(of, spoken.service, network, names):
        yield (
            "same application",
            application,
            replace(of, name=f"{application}: the rest of it", service=rest),
        )
    for family, ends in other_families(spoken, network):
        yield "other family", "", replace(of, name=f"over IPv{family}", source=ends[0], destination=ends[1])
    yield (
        "other direction",
        "",
        replace(of, name="the other way", source=of.destination, destination=of.source, service=("any",)),
    )


def _leased(spoken: Spoken, network: Network, names: Names) -> Iterator[tuple[int, str, tuple[str, ...]]]:
    """The hosts of either end that have a leased address, and the addresses of their segments that are not spoken of: theirs may be one of them.

    Of hosts in one segment the first is told.
    """
    routing = routing_of(network)
    fixed = addresses.union(names.address(h.name) for h in network.hosts if h.held != "leased")
    for end, side in enumerate(spoken.sides):
        done: set[str] = set()
        for host in network.hosts:
            own = names.address(host.name) if host.held == "leased" else addresses.NOTHING
            for segment, share in routing.owners(addresses.intersection(own, side)):
                if segment is None or fold(segment.name) in done or not share:
                    continue
                done.add(fold(segment.name))
                free = addresses.difference(routing.hosts(segment), addresses.union((side, fixed)))
                said = addresses.describe(free)
                if said and len(said) <= MOST_PIECES:
                    yield end, host.name, tuple(said)


def _before(entry: DestinationTranslation, spoken: Spoken, names: Names) -> tuple[str, ...] | None:
    """By which services a translation makes packets to something else into such that are spoken of; None if it does not."""
    if not entry.enabled or entry.to == ("none",) or set(entry.negate) & {"destination", "service"}:
        return None
    becomes = addresses.union(map(names.address, entry.to))
    asked = addresses.union(map(names.address, entry.destination))
    if not addresses.intersection(becomes, spoken.sides[1]) or addresses.covers(spoken.sides[1], asked):
        return None
    service = services.union(map(names.service, entry.service))
    if entry.port is None:
        service = services.intersection(service, spoken.service)
    elif not _any(
        services.intersection(spoken.service, services.union(map(services.parse, _at_port(entry.port))))
    ):
        return None
    said = services.describe(service)
    return tuple(said) if said and len(said) <= MOST_PIECES else None


def _at_port(port: str) -> Iterator[str]:
    return (f"{transport}/{port}" for transport in TRANSPORTS.values())


def _same_application(
    of: Expectation, spoken: ServiceSet, network: Network, names: Names
) -> Iterator[tuple[str, tuple[str, ...]]]:
    """What else belongs to the applications that the services are part of: the network's own first, then the well-known, then the same ports by
    another transport."""
    own = [(s.name, names.service(s.name)) for s in network.services]
    known = [(k.name, services.union(map(services.parse, k.members))) for k in catalogue()]
    done = spoken
    for member in of.service:
        part = names.service(member)
        if not _is_application(part):
            continue
        near = [(name, whole) for name, whole in (*own, *known) if _any(services.intersection(whole, part))]
        for name, whole in (*near, (f"{member} by another transport", _by_others(part))):
            rest = services.difference(whole, done)
            if _is_application(whole) and _any(rest):
                said = services.describe(rest)
                if len(said) <= MOST_PIECES:
                    yield name, tuple(said)
                    done = services.union((done, rest))


def _any(some: ServiceSet) -> bool:
    return any(len(some[f]) for f in FAMILIES)


def _is_application(some: ServiceSet) -> bool:
    """Whether it is a few ports of a few protocols, and not whole transports."""
    return _any(some) and all(
        low[0] == low[1] and (low[0] not in TRANSPORTS or ports[1] - ports[0] < MOST_PORTS)
        for f in FAMILIES
        for low, _, ports in some[f].tolist()
    )


def _by_others(part: ServiceSet) -> ServiceSet:
    """The same destination ports by the other transports."""
    texts = [
        f"{TRANSPORTS[other]}/{ports[0]}-{ports[1]}"
        if ports[0] < ports[1]
        else f"{TRANSPORTS[other]}/{ports[0]}"
        for f in FAMILIES
        for protocol, _, ports in part[f].tolist()
        if protocol[0] in TRANSPORTS
        for other in TRANSPORTS
        if other != protocol[0]
    ]
    return services.union(map(services.parse, dict.fromkeys(texts)))


def _links(network: Network) -> Iterator[tuple[str, frozenset[Link]]]:
    """Every interface with those that it carries, and every device, by name."""
    for device in network.devices:
        for interface in device.interfaces:
            carried = [i for i in device.interfaces if i.parent and fold(i.parent) == fold(interface.name)]
            if any(i.segment for i in (interface, *carried)):
                name = f"{device.name}.{interface.name}"
                yield name, frozenset((device.name, i.name) for i in (interface, *carried))
    for device in network.devices:
        yield device.name, frozenset({(device.name, ""), *((device.name, i.name) for i in device.interfaces)})


def _works(
    spoken: Spoken, network: Network, names: Names, without: frozenset[Link],
    go_on: Callable[[], bool],
) -> tuple[PacketSet, PacketSet]:  # fmt: skip
    """What of it works by some way, and what may."""
    carried = spoken.carried(routing_of(network, without))
    asked = packets_of(space_for(network, names, without), carried, spoken.service, spoken.times)
    if not asked:
        return NOTHING, NOTHING
    told = fates(network, names, asked, without, go_on)
    return told.works, told.open
