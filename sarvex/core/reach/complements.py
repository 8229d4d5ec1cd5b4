"""What belongs around a thing that must be allowed: who must not do the same, what else they must not do, in which other family."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Expectation, Network, Segment, fold
from sarvex.core.reach.expectations import Spoken, spoken_of
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet

_USUAL = services.union(map(services.parse, ("tcp", "udp", "icmp", "icmp6")))
MOST_PIECES = 24
"""A set of addresses or services in more pieces is not proposed: nobody would read it."""
Kind = Literal["neighbours", "other services", "other family", "other direction"]


@dataclass(frozen=True)
class Complement:
    """Something that must stay blocked, and in which respect it lies beside what must be allowed."""

    kind: Kind
    expectation: Expectation


def complements(of: Expectation, network: Network, names: Names) -> list[Complement]:
    """What lies around something that must be allowed; nothing around what must be blocked. Raises what `Names` raises.

    *Neighbours*: the other hosts of the segments that its source is in, or where it is whole segments, the other segments of their zones, by the same
    services. *Other services*: all else between the same ends over TCP, UDP and ICMP. *Other family*: the same between the segments, in a family in which
    both have addresses and nothing is spoken of. *Other direction*: what its destination might begin.
    """
    if of.must != "allowed":
        return []
    return [Complement(kind, replace(made, must="blocked", description=f"beside what must be allowed: {of.name}")) for kind, made in _found(of, network, names)]  # fmt: skip


def _found(of: Expectation, network: Network, names: Names) -> Iterator[tuple[Kind, Expectation]]:
    spoken = spoken_of(of, names)
    neighbours = _neighbours(of, spoken, network)
    if neighbours:
        yield "neighbours", replace(of, name=f"neighbours of {of.name}", source=neighbours, at=None)
    rest = services.describe(services.difference(_USUAL, spoken.service))
    if rest and len(rest) <= MOST_PIECES:
        yield (
            "other services",
            replace(of, name=f"nothing else than {of.name}", service=tuple(rest), at=None),
        )
    for family, ends in other_families(spoken, network):
        made = replace(
            of, name=f"not over IPv{family}: {of.name}", source=ends[0], destination=ends[1], at=None
        )
        yield "other family", made
    yield (
        "other direction",
        replace(
            of,
            name=f"not the other way: {of.name}",
            source=of.destination,
            destination=of.source,
            service=("any",),
            at=None,
        ),
    )


def _owners(some: AddressSet, network: Network) -> list[tuple[Segment, AddressSet]]:
    """The segments inside that some addresses are in, with the hosts of each."""
    routing = routing_of(network)
    hosts = ((s, routing.hosts(s)) for s in network.segments if s.prefixes and not s.outside)
    return [(s, own) for s, own in hosts if addresses.intersection(own, some)]


def _neighbours(of: Expectation, spoken: Spoken, network: Network) -> tuple[str, ...]:
    source = spoken.sides[0]
    owners = _owners(source, network)
    rest = addresses.difference(addresses.union(own for _, own in owners), source)
    if rest:
        said = addresses.describe(rest)
        return tuple(said) if len(said) <= MOST_PIECES else ()
    zones = {
        fold(i.zone) for d in network.devices for i in d.interfaces for s, _ in owners
        if i.zone and i.segment and fold(i.segment) == fold(s.name)
    }  # fmt: skip
    mine = {fold(s.name) for s, _ in owners} | {fold(m) for m in of.destination}
    there = {fold(s.name) for s, _ in _owners(spoken.sides[1], network)}
    beside = {
        fold(i.segment) for d in network.devices for i in d.interfaces if i.segment and i.zone and fold(i.zone) in zones
    }  # fmt: skip
    return tuple(s.name for s in network.segments if fold(s.name) in beside - mine - there and not s.outside)


Ends = tuple[tuple[str, ...], tuple[str, ...]]


def other_families(spoken: Spoken, network: Network) -> Iterator[tuple[int, Ends]]:
    """The families in which nothing is spoken of, though both ends have addresses there, with these."""
    for family in FAMILIES:
        ends = _other_family(spoken, family, network)
        if ends:
            yield family, ends


def _other_family(spoken: Spoken, family: int, network: Network) -> Ends | None:
    if all(side[family] for side in spoken.sides):
        return None
    ends = []
    for side in spoken.sides:
        own = addresses.union(own for _, own in _owners(side, network))
        said = addresses.describe(addresses.in_family(own, family))
        if not said or len(said) > MOST_PIECES:
            return None
        ends.append(tuple(said))
    return ends[0], ends[1]
