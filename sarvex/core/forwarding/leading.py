"""Packets led from device to device by their addresses: the one step of decision 30, for questions and for their answers.

A question is led by its destination, the answer to it by the question's source; what the stages of a device make of either, and what
it means to arrive, those say that lead them. What is still under way is in a list of work: ways are followed one by one, or
merged where they meet.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator
from typing import ClassVar, Protocol

from sarvex.core.forwarding.journeys import End, Journey, Result, altered, name_of, together
from sarvex.core.forwarding.routing import Routing, Way
from sarvex.core.forwarding.stages import Stages
from sarvex.core.model.records import Device, Interface, Segment, Stage
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet

MOST_TURNS = 8
"""So often a packet may come back changed before it is given up."""
MOST_TRANSLATORS = 4
"""So many devices may translate a packet before it is given up."""
TRANSLATED_TOO_OFTEN = "translated too often to follow"
Entry = tuple[Device, Interface | None, Journey]
"""Packets that enter a device by an interface, or by none if it sends them itself."""


class Ahead(Protocol):
    """What is still under way."""

    def push(self, entry: Entry) -> None: ...
    def pop(self) -> Entry | None:
        """What to follow next; None when nothing is left."""


class OneByOne:
    """Every way by itself, each to its end before the next."""

    def __init__(self) -> None:
        self._next: list[Entry] = []
        self._stack: list[Entry] = []

    def push(self, entry: Entry) -> None:
        self._next.append(entry)

    def pop(self) -> Entry | None:
        self._stack += reversed(self._next)
        self._next.clear()
        return self._stack.pop() if self._stack else None


class OneWay(OneByOne):
    """Of one packet each place once: some way to wherever it gets to, though not all of them.

    avoid: what it must not pass; through: what it must (both as told `together`).
    """

    def __init__(self, avoid: str | None = None, through: str | None = None) -> None:
        super().__init__()
        self._avoid, self._through = avoid, through
        self._met: set[tuple[str, str]] = set()

    @property
    def astray(self) -> bool:
        """Whether it has still to pass where it must."""
        return self._through is not None

    def pop(self) -> Entry | None:
        while (entry := super().pop()) is not None:
            device, entering, _ = entry
            place = name_of(device, entering)
            if place in self._met or together(device) == self._avoid:
                continue
            if together(device) == self._through:
                self._through = None
                self._stack.clear()
                self._met.clear()
            self._met.add(place)
            return entry
        return None


class Leading(ABC):
    """What leads packets along the routes.

    stages: what devices let pass. tick: called for every device that is entered; it may raise to end what goes on.
    """

    axis: ClassVar[int]
    """The address packets are led by, on the axis of the packets that were asked about."""

    def __init__(self, stages: Stages, routing: Routing, tick: Callable[[], None], ahead: Ahead) -> None:
        self.stages, self.routing, self.tick, self.ahead = stages, routing, tick, ahead
        self.several = False
        """Whether some packet has more than one way."""

    @abstractmethod
    def judged(
        self,
        device: Device,
        entering: Interface | None,
        leaving: Interface | None,
        journey: Journey,
        only: tuple[Stage, ...] = (),
    ) -> Iterator[End]:
        """What a device lets pass (*delivered*, the device noted), and what ends there."""

    @abstractmethod
    def at_host(self, segment: Segment, journey: Journey) -> Iterator[End]:
        """Arrived at hosts of a segment."""

    @abstractmethod
    def at_device(self, device: Device, end: End) -> Iterator[End]:
        """Arrived at a device itself, past its stages."""

    @abstractmethod
    def admitted(
        self, device: Device, entering: Interface | None, journey: Journey
    ) -> Iterator[End | Journey]:
        """What enters a device as it is routed there, by what the device makes of it."""

    @abstractmethod
    def leaving(self, device: Device, by: Interface, journey: Journey) -> Iterator[End | Journey]:
        """What is about to leave a device as it leaves."""

    def onward(self, device: Device, entering: Interface | None, journey: Journey) -> Iterator[End]:
        """What a device sends on, by each of its ways, and what it has none for."""
        yield from self._chosen(device, entering, journey, 0)

    def _chosen(
        self, device: Device, entering: Interface | None, journey: Journey, after: int
    ) -> Iterator[End]:
        """By what the device's steering from some entry on makes of packets that entered, then by its routes."""
        if entering is None:
            yield from self._routed(device, entering, journey)
            return
        for index, one in self.stages.translating.steered(device, entering, journey, after):
            if index is None:
                yield from self._routed(device, entering, one)
            else:
                yield from self._steered(device, entering, one, index)

    def _routed(self, device: Device, entering: Interface | None, journey: Journey) -> Iterator[End]:
        wanted = self.wanted(journey)
        alike: dict[Hashable, list[tuple[AddressSet, Way]]] = defaultdict(list)
        for share, ways in self.routing.towards(device, wanted):
            wanted = addresses.difference(wanted, share)
            self.several |= len(ways) > 1
            for way in self.in_order(ways):
                judged_as = self.stages.judged_as(device, entering, way.leaving) if way.leaving else None
                alike[judged_as or (share, way)].append((share, way))
        for some in alike.values():
            yield from self._leave_alike(device, entering, some, journey)
        if wanted:
            lost = self.towards(wanted, journey)
            for end in self.judged(device, entering, None, lost, ("inbound",)):
                yield self._routeless(device, end) if end.result == "delivered" else end

    def _steered(self, device: Device, entering: Interface, journey: Journey, index: int) -> Iterator[End]:
        """By the way that an entry chooses, as long as it is not down."""
        entry = device.steering[index]
        one = altered(journey, by=journey.entry(1, entry.name))
        wanted = self.wanted(one)
        for share, ways in self.routing.steered(device, entry, wanted):
            wanted = addresses.difference(wanted, share)
            self.several |= len(ways) > 1
            for way in self.in_order(ways):
                yield from self._leave(device, entering, way, self.towards(share, one))
        if not wanted:
            return
        if entry.when_down == "route":
            yield from self._chosen(device, entering, self.towards(wanted, journey), index + 1)
            return
        told = f"the way of {entry.name} at {device.name} is down"
        result: Result = "dropped" if entry.when_down == "drop" else "undetermined"
        for end in self.judged(device, entering, None, self.towards(wanted, one), ("inbound",)):
            yield (
                altered(end, result=result, where=device.name, missing=told)
                if end.result == "delivered"
                else end
            )

    def in_order(self, ways: tuple[Way, ...]) -> tuple[Way, ...]:
        """Equal ways in the order in which they are followed."""
        return ways

    def wanted(self, journey: Journey) -> AddressSet:
        """Where packets go."""
        return journey.spread(self.axis)

    def towards(self, spread: AddressSet, journey: Journey) -> Journey:
        """The share of a journey that goes to some addresses."""
        return journey.to(self.axis, spread)

    def go(self) -> Iterator[End]:
        """Every end of what is under way."""
        while (entry := self.ahead.pop()) is not None:
            yield from self.entered(*entry)

    def put(self, device: Device, interface: Interface, journey: Journey) -> Iterator[End]:
        """Into an interface, if it is plugged in."""
        if self.routing.is_up(device, interface):
            self.enter(device, interface, journey)
        else:
            yield unplugged(journey, device.name)

    def from_wire(self, segment: Segment, journey: Journey) -> Iterator[End]:
        """From a host: to whoever is on its wire, or by the gateways there."""
        owned, wanted = self.routing.owned(segment), self.wanted(journey)
        yield from self._on_wire(segment, self.towards(addresses.intersection(wanted, owned), journey))
        away = self.towards(addresses.difference(wanted, owned), journey)
        if not away.packets:
            return
        there = self.routing.starts(segment)
        starts = [port for port in there if self.routing.is_up(*port)]
        if not there:
            yield End(away, "undetermined", segment.name, missing=f"no device is on {segment.name}")
        elif not starts:
            yield unplugged(away, there[0][0].name)
        self.several |= len(starts) > 1
        for device, interface in starts:
            self.enter(device, interface, away)

    def enter(self, device: Device, entering: Interface | None, journey: Journey) -> None:
        """To a device, when its turn has come."""
        if journey.packets:
            self.ahead.push((device, entering, journey))

    def entered(self, device: Device, entering: Interface | None, journey: Journey) -> Iterator[End]:
        """One device: what is for itself, and what it sends on."""
        self.tick()
        journey = journey.arriving()
        again = [c for c in journey.crossings if c.port == name_of(device, entering)]
        if any(c.came == journey.header for c in again):
            yield End(journey, "loop", device.name)
        elif len(again) >= MOST_TURNS or sum(c.translates for c in journey.crossings) > MOST_TRANSLATORS:
            yield End(journey, "undetermined", device.name, missing=TRANSLATED_TOO_OFTEN)
        else:
            for one in self.admitted(device, entering, journey):
                if isinstance(one, End):
                    yield one
                else:
                    yield from self._within(device, entering, altered(one, routed=one.header))

    def _within(self, device: Device, entering: Interface | None, journey: Journey) -> Iterator[End]:
        """What is for a device itself, and what it sends on."""
        wanted = self.wanted(journey)
        if journey.header[self.axis] != journey.came[self.axis]:
            odd = self.towards(addresses.intersection(wanted, self.routing.unrouted), journey)
            for end in self.judged(device, entering, None, odd, ("inbound",)) if odd.packets else ():
                yield translated_oddly(device, end) if end.result == "delivered" else end
            wanted = addresses.difference(wanted, self.routing.unrouted)
        own = addresses.intersection(wanted, self.routing.own(device))
        if own:
            for end in self.judged(device, entering, None, self.towards(own, journey)):
                yield from self.at_device(device, end) if end.result == "delivered" else (end,)
        rest = addresses.difference(wanted, own)
        passing = journey if not own and rest == self.wanted(journey) else self.towards(rest, journey)
        if not passing.packets:
            return
        if entering and entering.management_only:
            for end in self.judged(device, entering, None, passing, ("inbound",)):
                yield management_only(end, device, entering) if end.result == "delivered" else end
        else:
            yield from self.onward(device, entering, passing)

    def _on_wire(self, segment: Segment, journey: Journey) -> Iterator[End]:
        """To what a wire's own segment owns: a device that has the address, or a host."""
        sender = journey.before[0] if journey.before else None
        for reached in self.routing.on_wire(segment, self.wanted(journey), sender):
            share = self.towards(reached.share, journey)
            self.several |= len(reached.ports) > 1
            if reached.missing:
                yield End(share, "undetermined", segment.name, missing=reached.missing)
            elif reached.unplugged:
                yield unplugged(share, reached.unplugged)
            elif reached.lost:
                yield End(share, "no route", segment.name, missing=reached.lost)
            elif not reached.ports:
                yield from self.at_host(segment, share)
            for device, interface in reached.ports:
                self.enter(device, interface, share)

    def _leave_alike(
        self, device: Device, entering: Interface | None, ways: list[tuple[AddressSet, Way]], journey: Journey
    ) -> Iterator[End]:
        """By ways at all of which the stages say the same: they are asked once."""
        if len(ways) == 1:
            share, way = ways[0]
            yield from self._leave(device, entering, way, self.towards(share, journey))
            return
        going = self.towards(addresses.union(share for share, _ in ways), journey)
        port = ways[0][1].leaving
        assert port is not None
        for one in self.leaving(device, port, going):
            for end in (one,) if isinstance(one, End) else self.judged(device, entering, port, one):
                if end.result != "delivered":
                    yield end
                    continue
                for share, way in ways:
                    left = self.towards(share, end.journey).leaving(way.leaving)
                    yield from self._sent_by(way, device, entering, iter((altered(end, journey=left),)))

    def _leave(self, device: Device, entering: Interface | None, way: Way, journey: Journey) -> Iterator[End]:
        """By one way, past the stages, to whatever is there."""
        if way.leaving is None:
            yield from self._sent_by(
                way, device, entering, self.judged(device, entering, None, journey, ("inbound",))
            )
            return
        for one in self.leaving(device, way.leaving, journey):
            if isinstance(one, End):
                yield one
                continue
            yield from self._sent_by(way, device, entering, self.judged(device, entering, way.leaving, one))

    def _sent_by(
        self, way: Way, device: Device, entering: Interface | None, ends: Iterator[End]
    ) -> Iterator[End]:
        """What passed the stages of a device, to where a way leads."""
        for end in ends:
            if end.result != "delivered":
                yield end
            elif way.discard:
                told = f"a route of {device.name} discards it"
                yield altered(end, result="dropped", where=device.name, missing=told)
            elif entering and way.leaving and way.leaving.management_only:
                yield management_only(end, device, way.leaving)
            elif way.missing or way.leaving is None:
                yield altered(end, result="undetermined", where=device.name, missing=way.missing)
            elif way.device is not None:
                self.enter(way.device, way.entering, end.journey)
            elif way.beyond is not None:
                yield from self.at_host(way.beyond, end.journey)
            else:
                yield from self._on_wire(self.routing.wire(way.leaving), end.journey)

    def _routeless(self, device: Device, end: End) -> End:
        if self.routing.half_built(device):
            told = f"the routes of {device.name}"
            return altered(end, result="undetermined", where=device.name, missing=told)
        return altered(end, result="no route", where=device.name, missing=f"no route at {device.name}")


def unplugged(journey: Journey, name: str) -> End:
    """What goes to a device that is not plugged in."""
    return End(journey, "no route", name, missing=f"{name} is unplugged")


def translated_oddly(device: Device, end: End) -> End:
    """What a translation sends where, or makes come from where, no route carries anything."""
    told = f"{device.name} translates to an address that no route carries"
    return altered(end, result="undetermined", where=device.name, missing=told)


def management_only(end: End, device: Device, interface: Interface) -> End:
    """What would pass an interface that nothing passes."""
    told = f"{interface.name} of {device.name} is for management only"
    return altered(end, result="dropped", where=device.name, missing=told)
