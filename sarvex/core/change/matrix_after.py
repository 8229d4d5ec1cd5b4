"""All segments after an edit: of cells that are known, only what the edit can touch is led again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

import numpy as np

from sarvex.core.change.effect import Effect
from sarvex.core.change.network_effect import Versions, as_table
from sarvex.core.change.touched import touched
from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.model.records import Device, Segment
from sarvex.core.reach.matrix import Cell, between, cell_of, key_of, owners_of
from sarvex.core.reach.reach import everything, reach_about
from sarvex.core.sets.services import ServiceSet
from sarvex.core.tables.table import Table
from sarvex.core.time.moments import Times


def matrix_after(
    before: Sequence[Cell], of: Versions, effects: Iterable[Effect], at_places: Iterable[Effect], service: ServiceSet, times: Times,
    go_on: Callable[[], bool] = lambda: True,
) -> list[Cell] | None:  # fmt: skip
    """All cells of the newer version that say something, in any order; None where nothing can be kept.

    before: those of the older version, of plain boxes, of the same service and moments. Nothing is kept where somebody owns other
    addresses, moments are told apart otherwise, or there are too many classes for tables. effects, at_places: as for `network_effect`.
    Raises what `reach_of` raises.
    """
    routings = routing_of(of.old), routing_of(of.new)
    (_, mine), (sources, owners) = (
        owners_of(network, routing) for network, routing in zip((of.old, of.new), routings, strict=True)
    )
    same = [(key_of(o), some) for o, some in mine] == [(key_of(o), some) for o, some in owners]
    if not same or not of.before.moments.is_as(of.after.moments):
        return None
    there = {key_of(owner): owner for owner, _ in owners}
    known = {(key_of(c.source), key_of(c.destination)): _owned_now(c, there) for c in before}
    changed = touched(of.old, of.new, (of.before, of.after), effects, at_places)
    again = as_table(of, routings, changed) if changed else NOTHING
    if again:
        if not isinstance(again, Table):
            return None
        everybody = routings[1].addressed
        again = packet_sets.intersection(again, everything(again.space, everybody, everybody, service, times))
    if not again:
        return [*known.values()]
    reach = reach_about(of.new, of.after, again, go_on=go_on)
    met = between(again, [some for _, some in sources], [some for _, some in owners])
    for row, (source, hosts) in enumerate(sources):
        cols = [c for c in np.flatnonzero(met[row]).tolist() if owners[c][0] is not source]
        sent = [from_sources(some, hosts) for some in (again, *reach.told)] if cols else []
        for owner, own in (owners[c] for c in cols):
            led, *now = (_boxed(to_destinations(share, own)) for share in sent)
            asked = packet_sets.product(hosts, own, service, ("new",), times)
            ends = key_of(source), key_of(owner)
            cell = _merged(known.pop(ends, None), source, owner, asked, led, now)
            if cell.says_something:
                known[ends] = cell
    return [*known.values()]


def _merged(
    old: Cell | None, source: Segment, owner: Segment | Device, asked: PacketSet, led: PacketSet, now: Iterable[PacketSet]
) -> Cell:  # fmt: skip
    """A cell of which some packets were led again, and the others fare as they did."""
    was = (*old.told, old.unanswered) if old else (NOTHING,) * 4
    told = [
        packet_sets.coalesced(packet_sets.union((packet_sets.difference(kept, led), new)))
        for kept, new in zip(was, now, strict=True)
    ]
    return cell_of(source, owner, told, bool(packet_sets.difference(asked, told[0])))


def _owned_now(cell: Cell, there: dict[tuple[bool, str], Segment | Device]) -> Cell:
    """A cell between what is there now by the same names."""
    source, destination = there[key_of(cell.source)], there[key_of(cell.destination)]
    if source is cell.source and destination is cell.destination:
        return cell
    assert isinstance(source, Segment)
    return replace(cell, source=source, destination=destination)


def _boxed(some: PacketSet) -> PacketSet:
    return PacketSet(some.v4, some.v6)
