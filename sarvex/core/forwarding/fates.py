"""How all that some packets may do fares, whichever rules decide it: led through the network as tables, all sources at once.

The walk is that of `walk`, by ways that are merged; what is undecided then, because the ways meet too often, is followed by every way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from contextlib import suppress

from sarvex.core.forwarding.conversations import ByEveryWay, Conversations, Faring, Outcome
from sarvex.core.forwarding.routing import Link, routing_of
from sarvex.core.forwarding.spaces import space_of
from sarvex.core.forwarding.stages import Stages
from sarvex.core.forwarding.walk import Fates, TooWide, fates_of_boxes
from sarvex.core.forwarding.way_back import TOO_MANY_WAYS
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Network
from sarvex.core.tables.address_classes import CutsAClass, TooManyClasses
from sarvex.core.tables.making import tabled
from sarvex.core.tables.table import Table

MOST_FOLLOWED = 50_000
"""So many times devices are entered before the rest is asked by itself."""


def fates(
    network: Network, names: Names, asked: PacketSet, without: frozenset[Link] = frozenset(),
    go_on: Callable[[], bool] = lambda: True,
) -> Fates:  # fmt: skip
    """How new packets of a set fare. What no route carries is not meant.

    asked: boxes, or a table of the network's own space, which is quicker; what is told is of the same kind, as far as its classes do for all
    that the network tells apart. go_on: asked now and then.
    Raises what `Names` raises, and `walk.TooWide` once `go_on` says no.
    """
    if isinstance(asked, Table):
        with suppress(CutsAClass):
            return led(network, names, asked, without, go_on)
        return fates_of_boxes(network, names, PacketSet(asked.v4, asked.v6), without, go_on)
    with suppress(CutsAClass, TooManyClasses):
        space = space_of([(network, names, routing_of(network, without))])
        table = tabled(space, asked, "new", around=True)
        if not isinstance(table, Table):
            return Fates(asked, asked, asked, False, asked)
        told = led(network, names, table, without, go_on)
        works, fails, open_, lost = (
            packet_sets.intersection(one, asked)
            for one in (told.works, told.fails, told.open, told.unanswered)
        )
        return Fates(works, fails, open_, told.several, lost)
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
    found = _Found()

    def follow(kind: type[Conversations], some: PacketSet) -> PacketSet:
        walk = kind(stages, routing, some, None, tick, MOST_FOLLOWED)
        walk.most_straight = walk.most
        walk.follow(("new",))
        return some if walk.gave_up else found.note(walk.found)

    left = follow(Faring, asked)
    if left:
        left = follow(ByEveryWay, _together(asked, [left]))
    if left:
        told = fates_of_boxes(network, names, PacketSet(left.v4, left.v6), without, go_on)
        found.add(told.works, told.fails, told.open, told.unanswered)
    works, fails, open_, lost = (_together(asked, shares) for shares in found.shares)
    return Fates(works, fails, open_, True, lost)


class _Found:
    """What is known to work, to fail and to be open, and what of it is not answered."""

    def __init__(self) -> None:
        self.shares: tuple[list[PacketSet], ...] = ([], [], [], [])

    def add(self, *told: PacketSet) -> None:
        """Note what works, what fails, what is open, and what is not answered."""
        for shares, one in zip(self.shares, told, strict=True):
            shares.append(one)

    def note(self, outcomes: Iterable[Outcome]) -> PacketSet:
        """Note how packets fare, and return those of which it is left open because their ways meet too often."""
        left = []
        for one in outcomes:
            if one.end.missing == TOO_MANY_WAYS:
                left.append(one.packets)
            else:
                which = {"delivered": 0, "undetermined": 2}.get(one.end.result, 1)
                self.shares[which].append(one.packets)
                if one.end.result == "unanswered":
                    self.shares[3].append(one.packets)
        return packet_sets.union(left)


def _together(asked: Table, shares: list[PacketSet]) -> PacketSet:
    """Tables, and boxes of what was translated, as one table. Boxes that cut a class by themselves may be whole together."""
    tables = [one for one in shares if isinstance(one, Table)]
    boxes = packet_sets.union(one for one in shares if not isinstance(one, Table))
    return packet_sets.union((*tables, tabled(asked.space, boxes, "new")))
