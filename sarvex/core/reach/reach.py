"""What everybody reaches in a network, as one answer: tables that are cut, and of which after an edit only what it touched is led again."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from sarvex.core.forwarding.fates import fates
from sarvex.core.forwarding.routing import Link, routing_of
from sarvex.core.forwarding.spaces import space_of
from sarvex.core.forwarding.walk import Fates
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Network
from sarvex.core.sets import services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.services import ServiceSet
from sarvex.core.tables.address_classes import TooManyClasses
from sarvex.core.tables.making import product, within
from sarvex.core.tables.table import Space
from sarvex.core.time.moments import ALWAYS, Times


@dataclass(frozen=True, eq=False)
class Reach:
    """How new packets fare: what works by every way, by some ways only, and what nobody knows. What else is asked does not work:
    of that, what arrives and is not answered is told.

    All are tables of one space, or boxes where there are too many classes of addresses for tables.
    """

    network: Network
    names: Names
    without: frozenset[Link]
    asked: PacketSet
    surely: PacketSet
    by_some: PacketSet
    open: PacketSet
    unanswered: PacketSet
    fails: PacketSet
    """What fails by some way, whatever else is known of it."""

    def only(self, service: ServiceSet, times: Times) -> Reach:
        """What it tells of a service at some moments."""
        if service is services.ANY and times == ALWAYS:
            return self
        shares = (within(one, service, times) for one in (self.asked, *self.told, self.fails))
        return Reach(self.network, self.names, self.without, *shares)

    @property
    def told(self) -> tuple[PacketSet, PacketSet, PacketSet, PacketSet]:
        """How what is asked fares, in the order above."""
        return self.surely, self.by_some, self.open, self.unanswered


def reach_of(
    network: Network, names: Names, service: ServiceSet = services.ANY, times: Times = ALWAYS,
    without: frozenset[Link] = frozenset(), sources: AddressSet | None = None, go_on: Callable[[], bool] = lambda: True,
    space: Space | None = None,
) -> Reach:  # fmt: skip
    """What hosts and devices reach, or some sources alone, of hosts and devices. What no route carries is not meant.

    go_on: asked now and then. space: of the network's tables, if it is at hand. Raises what `Names` raises, and `walk.TooWide` once `go_on` says no.
    """
    routing = routing_of(network, without)
    ends = routing.addressed if sources is None else sources, routing.addressed
    space = space or space_for(network, names, without)
    asked = (
        everything(space, *ends, service, times)
        if space
        else packet_sets.product(*ends, service, ("new",), times)
    )
    return reach_about(network, names, asked, without, go_on)


def reach_about(
    network: Network, names: Names, asked: PacketSet, without: frozenset[Link] = frozenset(), go_on: Callable[[], bool] = lambda: True
) -> Reach:  # fmt: skip
    """How some new packets fare, as boxes or as a table of the network's own space. Raises what `reach_of` raises."""
    told = fates(network, names, asked, without, go_on)
    return Reach(network, names, without, asked, *apart(told), told.fails)


def between(
    network: Network, names: Names, ends: Iterable[tuple[AddressSet, AddressSet]], service: ServiceSet
) -> PacketSet:
    """All new packets of a service from the first to the second of each two sets, as `reach_about` takes them."""
    space = space_for(network, names)
    return packet_sets.union(
        everything(space, *both, service, ALWAYS) if space else packet_sets.product(*both, service, ("new",))
        for both in ends
    )


def space_for(network: Network, names: Names, without: frozenset[Link] = frozenset()) -> Space | None:
    """The space of a network's tables; None if it tells too many classes of addresses apart."""
    try:
        return space_of([(network, names, routing_of(network, without))])
    except TooManyClasses:
        return None


def everything(
    space: Space, source: AddressSet, destination: AddressSet, service: ServiceSet, times: Times
) -> PacketSet:
    """All new packets from a set to a set by a service at some moments, as a table. Raises `CutsAClass`."""
    numbers = {f: space.sets.of(service[f], times) for f in FAMILIES}
    return product(space, "new", source, destination, numbers)


def apart(told: Fates) -> tuple[PacketSet, PacketSet, PacketSet, PacketSet]:
    """What works by every way, what by some, what is open, and what is not answered and works by no way; of tables."""
    surely = packet_sets.difference(told.works, packet_sets.union((told.fails, told.open)))
    return (
        surely,
        packet_sets.difference(told.works, surely),
        packet_sets.difference(told.open, told.works),
        packet_sets.difference(told.unanswered, told.works),
    )
