"""How all that some packets may do fares, whichever rules decide it: led through the network as tables, all sources at once.

The walk is that of `walk`, by ways that are merged; what is undecided then, because the ways meet too often, is followed by every way.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress

from sarvex.core.forwarding.conversations import MOST_ENTERED, ByAllWays
from sarvex.core.forwarding.routing import Link, routing_of
from sarvex.core.forwarding.spaces import space_of
from sarvex.core.forwarding.stages import Stages
from sarvex.core.forwarding.walk import Fates, TooWide, fates_of_boxes
from sarvex.core.forwarding.way_back import TOO_MANY_WAYS
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Network
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.tables.address_classes import CutsAClass, TooManyClasses
from sarvex.core.tables.table import Table, tabled


def fates(
    network: Network, names: Names, asked: PacketSet, without: frozenset[Link] = frozenset(),
    go_on: Callable[[], bool] = lambda: True,
) -> Fates:  # fmt: skip
    """How new packets of a set fare. What no route carries is not meant.

    asked: boxes, or a table of the network's own space, which is quicker; what is told is of the same kind. go_on: asked now and then.
    Raises what `Names` raises, and `walk.TooWide` once `go_on` says no.
    """
    if isinstance(asked, Table):
        return led(network, names, asked, without, go_on)
    with suppress(CutsAClass, TooManyClasses):
        space = space_of([(network, names, routing_of(network, without))])
        table = tabled(space, asked, "new", around=True)
        if not isinstance(table, Table):
            return Fates(asked, asked, asked, False)
        told = led(network, names, table, without, go_on)
        shares = (packet_sets.intersection(one, asked) for one in (told.works, told.fails, told.open))
        return Fates(*shares, told.several)
    return fates_of_boxes(network, names, asked, without, go_on)


def led(
    network: Network, names: Names, asked: Table, without: frozenset[Link], go_on: Callable[[], bool]
) -> Fates:
    """The same of a table, as tables. Raises `CutsAClass` if its space does not tell apart what the network does."""

    def tick() -> None:
        if not go_on():
            raise TooWide

    routing = routing_of(network, without)
    stages = Stages(network, names, tick, by_rule=False)
    walk = ByAllWays(stages, routing, asked, None, tick, MOST_ENTERED * (1 + len(network.segments)))
    walk.most_straight = walk.most
    walk.follow(("new",))
    found: tuple[list[PacketSet], ...] = ([], [], [])
    again: list[PacketSet] = [asked] if walk.gave_up else []
    for one in () if walk.gave_up else walk.found:
        if one.end.missing == TOO_MANY_WAYS:
            again.append(one.packets)
        else:
            found[{"delivered": 0, "undetermined": 2}.get(one.end.result, 1)].append(one.packets)
    for some in again:
        try:
            told = fates_of_boxes(network, names, PacketSet(some.v4, some.v6), without, go_on)
        except WorkLimit:
            found[2].append(some)
            continue
        for shares, share in zip(found, (told.works, told.fails, told.open), strict=True):
            shares.append(share)
    return Fates(*(_together(asked, shares) for shares in found), several=True)


def _together(asked: Table, shares: list[PacketSet]) -> PacketSet:
    """Tables, and boxes of what was translated, as one table. Boxes that cut a class by themselves may be whole together."""
    tables = [one for one in shares if isinstance(one, Table)]
    boxes = packet_sets.union(one for one in shares if not isinstance(one, Table))
    return packet_sets.union((*tables, tabled(asked.space, boxes, "new")))
