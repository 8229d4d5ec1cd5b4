"""The first packets of conversations, led from where their sources are to wherever they end."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from sarvex.core.forwarding.headers import from_sources
from sarvex.core.forwarding.journeys import End, Journey, altered
from sarvex.core.forwarding.leading import Ahead, Leading, translated_oddly, unplugged
from sarvex.core.forwarding.routing import Link, Routing
from sarvex.core.forwarding.stages import Stages
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE, PacketSet
from sarvex.core.model.records import Device, Interface, Segment, Stage, named
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import State


class FirstPackets(Leading):
    """All that is asked about in one state, led through the network."""

    axis = DESTINATION

    def __init__(
        self, stages: Stages, routing: Routing, tick: Callable[[], None], ahead: Ahead, state: State
    ) -> None:
        super().__init__(stages, routing, tick, ahead)
        self.state = state

    def led(self, asked: PacketSet, entering: Link | None) -> Iterator[End]:
        """Every end of packets that are put at an interface, or else set out where their sources are."""
        yield from self._put_at(entering, asked) if entering else self._sent(asked)
        yield from self.go()

    def judged(
        self, device: Device, entering: Interface | None, leaving: Interface | None, journey: Journey, only: tuple[Stage, ...] = ()
    ) -> Iterator[End]:  # fmt: skip
        yield from self.stages.judged(device, entering, leaving, journey, self.state, only)

    def admitted(
        self, device: Device, entering: Interface | None, journey: Journey
    ) -> Iterator[End | Journey]:
        if entering is None or not self._translates(device):
            yield journey
        else:
            yield from self.stages.translating.destination(device, entering, journey)

    def leaving(self, device: Device, by: Interface, journey: Journey) -> Iterator[End | Journey]:
        if not self._translates(device):
            yield journey
            return
        for one in self.stages.translating.source(device, by, journey):
            if one.header[SOURCE] != journey.header[SOURCE]:
                sources = one.spread(SOURCE)
                odd = one.to(SOURCE, addresses.intersection(sources, self.routing.unrouted))
                if odd.packets:
                    yield translated_oddly(device, End(odd, "undetermined"))
                    one = one.to(SOURCE, addresses.difference(sources, self.routing.unrouted))
            if one.packets:
                yield one

    def _translates(self, device: Device) -> bool:
        """Whether a device's translations are asked about these packets."""
        return device.filtering == "stateful" and self.state != "invalid"

    def at_host(self, segment: Segment, journey: Journey) -> Iterator[End]:
        for end in self.stages.at_hosts("inbound", journey):
            yield altered(end, segment=segment, where=segment.name)

    def at_device(self, device: Device, end: End) -> Iterator[End]:
        yield altered(end, device=device, where=device.name)

    def _put_at(self, entering: Link, asked: PacketSet) -> Iterator[End]:
        device = named(self.routing.network.devices, entering[0])
        interface = named(device.interfaces, entering[1])
        yield from self.put(device, interface, Journey(f"{device.name}.{interface.name}", asked))

    def _sent(self, asked: PacketSet) -> Iterator[End]:
        sources = packet_sets.project(asked, SOURCE)
        yield from self._by_devices(asked, sources)
        others = addresses.difference(sources, self.routing.all_own)
        for segment, share in self.routing.owners(others):
            packets = from_sources(asked, share)
            if segment is None:
                told = "no segment owns the source addresses"
                yield End(Journey("nowhere", packets), "undetermined", "nowhere", missing=told)
                continue
            for end in self.stages.at_hosts("outbound", Journey(segment.name, packets)):
                yield from self.from_wire(segment, end.journey) if end.result == "delivered" else (end,)

    def _by_devices(self, asked: PacketSet, sources: addresses.AddressSet) -> Iterator[End]:
        """What devices send themselves; of several that have an address every one that is plugged in does."""
        askers = addresses.NOTHING
        for device in sorted(self.routing.network.devices, key=lambda d: not self.routing.is_up(d)):
            mine = addresses.intersection(sources, self.routing.own(device))
            if self.routing.is_up(device):
                self.several |= bool(addresses.intersection(askers, mine))
                askers = addresses.union((askers, mine))
                self.enter(device, None, Journey(device.name, from_sources(asked, mine)))
            else:
                lost = from_sources(asked, addresses.difference(mine, askers))
                yield unplugged(Journey(device.name, lost), device.name)
