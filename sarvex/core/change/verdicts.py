"""What a change does to what must hold: which expectations it breaks and mends."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from sarvex.core.change.network_effect import NetworkEffect, Versions
from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.model.records import Expectation, Network, fold
from sarvex.core.reach.expectations import BAD, Judged, Shares, Spoken, judged, packets_of, spoken_of, verdict
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.tables.address_classes import CutsAClass
from sarvex.core.tables.making import recast
from sarvex.core.tables.table import Table


@dataclass(frozen=True, eq=False)
class VerdictChange:
    """An expectation that holds otherwise after a change; None where it is not there."""

    before: Judged | None
    after: Judged | None

    @property
    def breaks(self) -> bool:
        """Whether it does not hold any more, or not as surely, or does not from the beginning."""
        return _rank(self.after) > _rank(self.before)

    @property
    def mends(self) -> bool:
        """Whether it holds again, or is not known to be broken any more."""
        return self.after is not None and _rank(self.after) < _rank(self.before)


@dataclass(frozen=True, eq=False)
class VerdictChanges:
    """All of them, and those of which it is not known because the effect of the change is not worked out."""

    changes: tuple[VerdictChange, ...]
    unknown: tuple[Expectation, ...]


def verdict_changes(
    of: Versions,
    effect: NetworkEffect | None,
    before: Sequence[Judged],
    go_on: Callable[[], bool] = lambda: True,
) -> VerdictChanges:
    """Which expectations a change makes hold otherwise.

    effect: what it does in the network; None: nothing is told of it, and all are judged anew. before: the verdicts in the older version. Of what an
    expectation speaks of, the effect tells how fares what it touched, and the rest fares as before; what is not what it spoke of is judged anew.
    Raises what `expectations.judged` raises.
    """
    was = {fold(one.expectation.name): one for one in before}
    owned = addresses.intersection(*map(_told_of, (of.old, of.new)))
    again: list[Expectation] = []
    unknown: list[Expectation] = []
    made: dict[str, Judged] = {}
    touched = _carried(of, effect.touched) if effect is not None else NOTHING
    space = touched.space if isinstance(touched, Table) else None
    # Alone, what no route carries is undetermined: where that differs all that is touched is judged anew.
    routed_alike = routing_of(of.old).unrouted == routing_of(of.new).unrouted
    speaking = [spoken_of(one, of.after) for one in of.new.expectations]
    for one, spoken, near in zip(of.new.expectations, speaking, _near(touched, speaking), strict=True):
        old = was.get(fold(one.name))
        if (
            old is None
            or effect is None
            or old.expectation.must != one.must
            or not spoken.is_as(spoken_of(old.expectation, of.before))
        ):
            again.append(one)
        elif not all(addresses.covers(owned, side) for side in spoken.sides):
            again.append(one)  # of what nobody owns no effect is told
        elif near:
            about = packets_of(space, spoken.sides, spoken.service, spoken.times)
            asked = packet_sets.intersection(touched, about)
            if asked and packet_sets.intersection(effect.left, asked):
                unknown.append(one)
            elif asked:
                now = _afterwards(one, old, asked, effect, of) if routed_alike else None
                made |= {fold(one.name): now} if now else {}
                again += [] if now else [one]
    found = judged(of.new, of.after, again, go_on=go_on, space=space)
    made |= {fold(one.expectation.name): one for one in found}
    return VerdictChanges(tuple(_changed(was, made, of)), tuple(unknown))


def _carried(of: Versions, touched: PacketSet) -> PacketSet:
    """What routes carry of some packets, in either version."""
    carried = addresses.union(
        addresses.difference(addresses.ANY, routing_of(n).unrouted) for n in (of.old, of.new)
    )
    return to_destinations(from_sources(touched, carried), carried)


def _near(touched: PacketSet, speaking: Sequence[Spoken]) -> list[bool]:
    """Of each whether it speaks of ends between which some packet may be touched."""
    sources, destinations = ({id(one.sides[n]): one.sides[n] for one in speaking} for n in (0, 1))
    if not isinstance(touched, Table):
        return [bool(touched)] * len(speaking)
    try:
        there = touched.between([*sources.values()], [*destinations.values()])
    except CutsAClass:
        return [True] * len(speaking)
    row, column = ({key: n for n, key in enumerate(some)} for some in (sources, destinations))
    return [bool(there[row[id(s)], column[id(d)]]) for s, d in (one.sides for one in speaking)]


def _afterwards(
    one: Expectation, old: Judged, asked: PacketSet, effect: NetworkEffect, of: Versions
) -> Judged | None:
    """The verdict on what fares as before but for some packets of which the effect tells how they fare; None where not all of it is a table by
    the same classes of moments."""
    before = old.against, old.open
    if not isinstance(asked, Table) or not all(isinstance(some, Table) for some in before if some):
        return None
    if old.moments is None or not old.moments.is_as(of.before.moments):
        return None
    now = Shares(effect.afterwards.works, effect.afterwards.fails, effect.afterwards.open).of(asked)
    against, open_ = (
        packet_sets.union((packet_sets.difference(recast(kept, asked.space), effect.touched), fresh))
        for kept, fresh in zip(before, (now.against(one), now.open), strict=True)
    )
    return verdict(one, against, open_, of.after.moments)


def _told_of(network: Network) -> AddressSet:
    """The addresses between which an effect tells what changes, and those that nothing changes for."""
    routing = routing_of(network)
    return addresses.union((routing.addressed, routing.unrouted))


def _changed(was: dict[str, Judged], made: dict[str, Judged], of: Versions) -> Iterable[VerdictChange]:
    for key, now in made.items():
        before = was.get(key)
        if before is None or before.verdict != now.verdict:
            yield VerdictChange(before, now)
    there = {fold(one.name) for one in of.new.expectations}
    for key, one in was.items():
        if key not in there:
            yield VerdictChange(one, None)


def _rank(one: Judged | None) -> int:
    """How bad a verdict is."""
    if one is None or one.verdict not in BAD:
        return 0
    return 1 if one.verdict == "undetermined" else 2
