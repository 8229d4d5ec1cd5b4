"""What the draft changes between segments, against what is in force."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from sqlalchemy.orm import Session

from sarvex.core.change.network_effect import End, Shift, by_pairs
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import NameCycle, UnknownName
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.problems import Problem
from sarvex.core.sets import addresses
from sarvex.core.time.moments import ALWAYS
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.analysis.reach import moment_of
from sarvex.service.editions import comparisons
from sarvex.service.editions.versions import edition, in_force, of_draft
from sarvex.service.errors import Refused


@dataclass(frozen=True, eq=False)
class PairChange:
    """What the draft changes from the hosts of a segment to those of another, or to a device itself."""

    source: End
    destination: End
    opens: PacketSet
    closes: PacketSet
    otherwise: PacketSet
    """What works more or less surely."""


@dataclass(frozen=True, eq=False)
class ReachChanges:
    """The changes of all pairs; `before` is the edition in force, or None if nothing is."""

    before: int | None
    complete: bool
    pairs: tuple[PairChange, ...]


def of_the_draft(
    session: Session, cache: NetworkCache, network_id: int, service: str, at: str = ""
) -> ReachChanges:
    """What the draft changes, of a service, at a moment in words or at all moments. Raises `Refused`."""
    loaded = cache.open(session, network_id)
    number = in_force(session, network_id)
    if number is None:
        return ReachChanges(None, True, ())
    told = comparisons.compare(edition(session, network_id, number), of_draft(loaded)).told
    if told.network is None:
        return ReachChanges(number, True, ())
    moment = moment_of(loaded, at)
    try:
        times = ALWAYS if moment is None else 1 << told.names.moments.class_of(moment)
        asked = packet_sets.product(
            addresses.ANY, addresses.ANY, told.names.service(service), ("new",), times
        )
    except (UnknownName, NameCycle) as error:
        raise Refused([Problem(("service",), str(error))]) from None
    found: dict[tuple[End, End], list[tuple[Shift, PacketSet]]] = defaultdict(list)
    for source, destination, shift in by_pairs(told.network, loaded.network):
        share = packet_sets.intersection(shift.packets, asked)
        if share:
            found[source, destination].append((shift, share))
    pairs = (PairChange(*ends, *_kinds(shifts)) for ends, shifts in found.items())
    return ReachChanges(number, told.network.complete, tuple(pairs))


def _kinds(shifts: list[tuple[Shift, PacketSet]]) -> tuple[PacketSet, PacketSet, PacketSet]:
    kinds: dict[str, list[PacketSet]] = {"opens": [], "closes": [], "changes": []}
    for shift, share in shifts:
        kinds[shift.kind].append(share)
    opens, closes, otherwise = map(packet_sets.union, kinds.values())
    return opens, closes, otherwise
