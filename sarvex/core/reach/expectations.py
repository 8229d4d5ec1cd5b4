"""What must hold: whether it does, exactly, or what is missing to know.

An expectation speaks of new packets from some ends to others, by services, at moments; devices' own addresses are not meant by the name
of what they are in. *Allowed* is broken as soon as one packet fails by one way, *blocked* as soon as one works by one; else what nobody
knows leaves it undetermined. What speaks of no packet says nothing and holds nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, fields, replace
from datetime import date
from typing import Literal

from sarvex.core.forwarding.fates import fates
from sarvex.core.forwarding.headers import like
from sarvex.core.forwarding.parties import parties
from sarvex.core.forwarding.routing import Link, Routing, routing_of
from sarvex.core.forwarding.walk import NO_ROUTE_CARRIES, Part, about, trace, trace_new
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.model.records import Expectation, Network, fold
from sarvex.core.reach.reach import Reach, everything, space_for
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.cache import Bounded
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.services import ServiceSet
from sarvex.core.tables.address_classes import CutsAClass
from sarvex.core.tables.table import Space, Table
from sarvex.core.time import moment_words
from sarvex.core.time.moments import ALWAYS, NEVER, Moments, OutOfReach, Times

Verdict = Literal["kept", "broken", "undetermined", "empty", "ended", "other time"]
"""empty: it speaks of no packet; that is as bad as broken. ended: it was to hold until a date that is past. other time: it does not speak of the
moment that is asked about."""
MOST_SPOKEN = 4_000
BAD: tuple[Verdict, ...] = ("broken", "undetermined", "empty")


@dataclass(frozen=True, eq=False)
class Judged:
    """An expectation and whether it holds.

    against: the packets that break it. open: those of which nobody knows; of what is against it perhaps not all. why: of an empty or undetermined
    one what is the matter, if it is known without following a packet. moments: by whose classes the packets are told.
    """

    expectation: Expectation
    verdict: Verdict
    against: PacketSet = NOTHING
    open: PacketSet = NOTHING
    why: str = ""
    moments: Moments | None = None

    @property
    def packets(self) -> PacketSet:
        """Of a broken one those that break it, of an undetermined one those of which nobody knows."""
        return self.against or self.open


@dataclass(frozen=True)
class Spoken:
    """What an expectation speaks of: from whom to whom, by what, when; `ended` if it was to hold until a date, or at a moment, that is past."""

    sides: tuple[AddressSet, AddressSet]
    service: ServiceSet
    times: Times
    ended: bool

    def carried(self, routing: Routing) -> tuple[AddressSet, AddressSet]:
        """Its ends, without what no route carries."""
        source, destination = (addresses.difference(side, routing.unrouted) for side in self.sides)
        return source, destination

    def is_as(self, other: Spoken) -> bool:
        """Whether both speak of the same, by the same classes of moments."""
        if self is other:
            return True
        mine, theirs = ((one.sides, one.times, one.ended) for one in (self, other))
        return mine == theirs and not any(
            len(services.difference(a, b)[f])
            for a, b in ((self.service, other.service), (other.service, self.service))
            for f in FAMILIES
        )


@dataclass(frozen=True)
class Shares:
    """What works by some way, what fails by some, and what may be either by some; of the last as much as is told where neither is known."""

    works: PacketSet
    fails: PacketSet
    open: PacketSet

    def of(self, asked: PacketSet) -> Shares:
        """The same of some packets."""
        return Shares(*(packet_sets.intersection(asked, getattr(self, f.name)) for f in fields(Shares)))

    def against(self, one: Expectation) -> PacketSet:
        """What breaks an expectation that speaks of these packets."""
        return self.fails if one.must == "allowed" else self.works


def judged(
    network: Network, names: Names, expectations: Iterable[Expectation], known: Reach | None = None,
    at: Times = ALWAYS, go_on: Callable[[], bool] = lambda: True, space: Space | None = None,
) -> list[Judged]:  # fmt: skip
    """Whether each of some expectations holds, in their order.

    known: what everybody reaches, if that is known already: then nothing is led through the network that it tells. at: the moments that are asked
    about. space: of the network's tables, if it is at hand. Raises what `Names` raises, and `walk.TooWide` once `go_on` says no. Cost: once through the network, for all of them.
    """
    listed = list(expectations)
    if not listed:
        return []
    known = known if known and isinstance(known.asked, Table) and known.network is network else None
    there = known.asked if known else None
    space = there.space if isinstance(there, Table) else space or space_for(network, names)
    spoken = [_asked_by(one, network, names, space, at) for one in listed]
    asked = [one for one in spoken if not isinstance(one, Judged)]
    shares = _fared(network, names, asked, known, go_on)
    return [
        one
        if isinstance(one, Judged)
        else verdict(of, (how := next(shares)).against(of), how.open, names.moments)
        for of, one in zip(listed, spoken, strict=True)
    ]


def how_it_comes(
    one: Judged, network: Network, names: Names, without: frozenset[Link] = frozenset()
) -> tuple[Flow | None, tuple[Part, ...]]:
    """A packet that breaks an expectation, or of which nobody knows how it fares, and those of its ways that are the reason. Costs one walk.

    without: what is unplugged.
    """
    sample = packet_sets.sample(one.packets, names.known()) if one.packets else None
    if sample is None:
        return None, ()
    if without:
        parts = trace(network, names, replace(about(sample, names), without=without)).parts
    else:
        parts = trace_new(network, names, like(one.packets, sample)).parts
    works, unknown = ([p for p in parts if p.result == result] for result in ("delivered", "undetermined"))
    if one.verdict == "undetermined":
        return sample, tuple(unknown)
    return sample, tuple(
        works if one.expectation.must == "blocked" else (p for p in parts if p not in (*works, *unknown))
    )


# --- what it speaks of -----------------------------------------------------------------------------------


def times_of(one: Expectation, names: Names) -> Times:
    """When it must hold, of the moments from today on; `NEVER` if they are all past. Raises what `Names` raises."""
    moments = names.moments
    until = moments.coming(last=_date(one.until)) if one.until else ALWAYS
    if one.at is None:
        return until
    if is_schedule(one.at, names):
        return until & names.times(one.at)
    minute = moment_words.weekly(one.at)
    if minute is not None:
        return until & moments.coming(last=_date(one.until) if one.until else None, minute=minute)
    moment = moment_words.parse(one.at, moments.zone)
    try:
        return until & moments.at(moment) if moment.date() >= moments.since else NEVER
    except OutOfReach:
        return NEVER


def is_schedule(at: str, names: Names) -> bool:
    """Whether it must hold while a schedule says, and not at a moment."""
    return any(fold(s.name) == fold(at) for s in names.network.schedules)


def has_ended(one: Expectation, names: Names) -> bool:
    """Whether it was to hold until a date, or at a moment, that is past."""
    since = names.moments.since
    if one.until and _date(one.until) < since:
        return True
    if one.at is None or is_schedule(one.at, names):
        return False
    return (
        moment_words.weekly(one.at) is None and moment_words.parse(one.at, names.moments.zone).date() < since
    )


def spoken_of(one: Expectation, names: Names) -> Spoken:
    """What an expectation speaks of, worked out once for its names. Raises what `Names` raises."""
    kept: Bounded[Expectation, Spoken] = names.keep("spoken of", lambda: Bounded(MOST_SPOKEN))
    return kept.get(one, lambda: _spoken_of(one, names))


def _spoken_of(one: Expectation, names: Names) -> Spoken:
    sides = parties(one.source, names), parties(one.destination, names)
    service = services.union(names.service(member) for member in one.service)
    return Spoken(sides, service, times_of(one, names), has_ended(one, names))


def _asked_by(
    one: Expectation, network: Network, names: Names, space: Space | None, at: Times
) -> PacketSet | Judged:
    """The packets it speaks of, of the moments that are asked about; or its verdict if there are none."""
    spoken = spoken_of(one, names)
    sides, service, times = spoken.sides, spoken.service, spoken.times
    if spoken.ended:
        return Judged(one, "ended")
    if not packets_of(space, sides, service, times):
        return Judged(one, "empty", why=_nothing(sides, service, times))
    if not times & at:
        return Judged(one, "other time")
    carried = spoken.carried(routing_of(network))
    return packets_of(space, carried, service, times & at) or Judged(
        one, "undetermined", why=NO_ROUTE_CARRIES
    )


def packets_of(
    space: Space | None, sides: tuple[AddressSet, AddressSet], service: ServiceSet, times: Times
) -> PacketSet:
    """All new packets between two sides: as a table where that tells apart what is spoken of, or as boxes."""
    try:
        if space is not None:
            return everything(space, *sides, service, times)
    except CutsAClass:
        pass
    return packet_sets.product(*sides, service, ("new",), times)


def _nothing(sides: tuple[AddressSet, AddressSet], service: ServiceSet, times: Times) -> str:
    """Why it speaks of no packet."""
    for told, some in (("source", sides[0]), ("destination", sides[1]), ("service", service)):
        if not some:
            return f"its {told} is empty"
    if times == NEVER:
        return "it speaks of no moment that will come"
    return "source, destination and service have no family of addresses in common"


def _date(text: str) -> date:
    return date.fromisoformat(text)


# --- how that fares --------------------------------------------------------------------------------------


def _fared(
    network: Network, names: Names, asked: Sequence[PacketSet], known: Reach | None, go_on: Callable[[], bool]
) -> Iterator[Shares]:
    """How some sets fare; all tables of them are led through the network together, as far as it is not known."""
    tables = packet_sets.union(one for one in asked if isinstance(one, Table))
    told: list[Shares] = []
    if known is not None and tables:
        told.append(
            Shares(
                packet_sets.union((known.surely, known.by_some)),
                known.fails,
                packet_sets.union((known.open, known.by_some)),
            )
        )
        tables = packet_sets.difference(tables, known.asked)
    if tables:
        told.append(_led(network, names, tables, go_on))
    for one in asked:
        if isinstance(one, Table):
            mine = [t.of(one) for t in told]
            yield Shares(*(packet_sets.union(getattr(m, f.name) for m in mine) for f in fields(Shares)))
        else:
            yield _led(network, names, one, go_on)


def _led(network: Network, names: Names, asked: PacketSet, go_on: Callable[[], bool]) -> Shares:
    found = fates(network, names, asked, go_on=go_on)
    return Shares(found.works, found.fails, found.open)


def verdict(one: Expectation, against: PacketSet, open_: PacketSet, moments: Moments) -> Judged:
    """Whether an expectation holds that speaks of some packet, by those that are against it and those of which nobody knows."""
    how: Verdict = "broken" if against else "undetermined" if open_ else "kept"
    return Judged(one, how, against, open_, moments=moments)
