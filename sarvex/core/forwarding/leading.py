"""Packets led from device to device by their addresses: the one step of decision 30, for questions and for their answers.

A question is led by its destination, the answer to it by the question's source; what the stages of a device make of either, and what
it means to arrive, those say that lead them. What is still under way is in a list of work: ways are followed one by one, or
merged where they meet.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import ClassVar, Protocol

from sarvex.core.forwarding.headers import cut_to
from sarvex.core.forwarding.journeys import End, Journey, name_of, together
from sarvex.core.forwarding.routing import Routing, Way
from sarvex.core.forwarding.stages import Stages
from sarvex.core.meaning import packet_sets
from sarvex.core.model.records import Device, Interface, Segment, Stage
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet

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
    """The address packets are led by, on the axis of the packets as they were asked."""

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

    def onward(self, device: Device, entering: Interface | None, journey: Journey) -> Iterator[End]:
        """What a device sends on, by each of its ways, and what it has none for."""
        wanted = self.wanted(journey)
        for share, ways in self.routing.towards(device, wanted):
            wanted = addresses.difference(wanted, share)
            going = self.towards(share, journey)
            self.several |= len(ways) > 1
            for way in self.in_order(ways):
                yield from self._leave(device, entering, way, going)
        if wanted:
            lost = self.towards(wanted, journey)
            for end in self.judged(device, entering, None, lost, ("inbound",)):
                yield self._routeless(device, end) if end.result == "delivered" else end

    def in_order(self, ways: tuple[Way, ...]) -> tuple[Way, ...]:
        """Equal ways in the order in which they are followed."""
        return ways

    def wanted(self, journey: Journey) -> AddressSet:
        """Where packets go."""
        return packet_sets.project(journey.packets, self.axis)

    def towards(self, spread: AddressSet, journey: Journey) -> Journey:
        """The share of a journey that goes to some addresses."""
        return journey.on(cut_to(journey.packets, self.axis, spread))

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
        if journey.met(device, entering):
            yield End(journey, "loop", device.name)
            return
        wanted = self.wanted(journey)
        own = addresses.intersection(wanted, self.routing.own(device))
        if own:
            for end in self.judged(device, entering, None, self.towards(own, journey)):
                yield from self.at_device(device, end) if end.result == "delivered" else (end,)
        passing = self.towards(addresses.difference(wanted, own), journey) if own else journey
        if not passing.packets:
            return
        if entering and entering.management_only:
            for end in self.judged(device, entering, None, passing, ("inbound",)):
                yield management_only(end, device, entering) if end.result == "delivered" else end
        else:
            yield from self.onward(device, entering, passing)

    def _on_wire(self, segment: Segment, journey: Journey) -> Iterator[End]:
        """To what a wire's own segment owns: a device that has the address, or a host."""
        for reached in self.routing.on_wire(segment, self.wanted(journey)):
            share = self.towards(reached.share, journey)
            self.several |= len(reached.ports) > 1
            if reached.missing:
                yield End(share, "undetermined", segment.name, missing=reached.missing)
            elif reached.unplugged:
                yield unplugged(share, reached.unplugged)
            elif not reached.ports:
                yield from self.at_host(segment, share)
            for device, interface in reached.ports:
                self.enter(device, interface, share)

    def _leave(self, device: Device, entering: Interface | None, way: Way, journey: Journey) -> Iterator[End]:
        """By one way, past the stages, to whatever is there."""
        only: tuple[Stage, ...] = ("inbound",) if way.leaving is None else ()
        for end in self.judged(device, entering, way.leaving, journey, only):
            if end.result != "delivered":
                yield end
            elif way.discard:
                told = f"a route of {device.name} discards it"
                yield replace(end, result="dropped", where=device.name, missing=told)
            elif entering and way.leaving and way.leaving.management_only:
                yield management_only(end, device, way.leaving)
            elif way.missing or way.leaving is None:
                yield replace(end, result="undetermined", where=device.name, missing=way.missing)
            elif way.device is not None:
                self.enter(way.device, way.entering, end.journey)
            elif way.beyond is not None:
                yield from self.at_host(way.beyond, end.journey)
            else:
                yield from self._on_wire(self.routing.wire(way.leaving), end.journey)

    def _routeless(self, device: Device, end: End) -> End:
        if self.routing.half_built(device):
            told = f"the routes of {device.name}"
            return replace(end, result="undetermined", where=device.name, missing=told)
        return replace(end, result="no route", where=device.name, missing=f"no route at {device.name}")


def unplugged(journey: Journey, name: str) -> End:
    """What goes to a device that is not plugged in."""
    return End(journey, "no route", name, missing=f"{name} is unplugged")


def management_only(end: End, device: Device, interface: Interface) -> End:
    """What would pass an interface that nothing passes."""
    told = f"{interface.name} of {device.name} is for management only"
    return replace(end, result="dropped", where=device.name, missing=told)
