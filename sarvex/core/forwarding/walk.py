"""Where packets go, what decides them there, and whether the answers come back: whole sets led through the network.

A question's packets set out from the wires of the segments that own their sources, or from a device whose own address that
is. At every device they are parted by where they go on, and at each of its stages by the rules that decide them; each of
several equal ways is followed. What arrives is answered: the answer is led back in the same manner, past devices that know
the conversation and devices that never saw it. Every part of the result keeps its packets, always as they were asked; the
parts of one packet that has several ways may differ. What the model does not tell is *undetermined*: never kept, never
allowed. The contract is decision 30; the method is symbolic execution over boxes of header values (Kazemian et al. 2012,
Xie et al. 2005), with first match as the transfer function of each stage.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from sarvex.core.forwarding.headers import (
    any_outside,
    asking,
    from_sources,
    in_state,
    to_destinations,
)
from sarvex.core.forwarding.journeys import Crossing, End, Journey, Result, Step
from sarvex.core.forwarding.routing import Link, Way, routing_of
from sarvex.core.forwarding.stages import Stages
from sarvex.core.forwarding.way_back import Fate, WayBack
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE, PacketSet
from sarvex.core.model.records import Device, Interface, Network, Segment, Stage, fold, named
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.flows import STATES, Flow, State
from sarvex.core.sets.services import ServiceSet
from sarvex.core.time.moments import ALWAYS, Times

Verdict = Literal["allowed", "blocked", "some", "undetermined", "empty"]
SYMPTOM = {
    "delivered": "reached",
    "unanswered": "silence",
    "dropped": "silence",
    "no route": "unreachable",
    "loop": "unreachable",
    "undetermined": "unknown",
}
REJECT_SYMPTOM = {
    "reset": "refused",
    "port-unreachable": "refused",
    "host-unreachable": "unreachable",
    "prohibited": "prohibited",
}
MOST_BOXES = 20_000
"""So many boxes at a time, when packets with several ways are told apart by how they fare on all of them."""
MOST_ENTERED = 20_000
"""So many times devices are entered, all ways together, before the rest is given up."""
TOO_MANY_WAYS = "too many ways to follow all of them; ask about less"
NO_ROUTE_CARRIES = (
    "addresses that no route carries: multicast, broadcast, link-local, loopback or unspecified"
)


@dataclass(frozen=True)
class Question:
    """What is asked: from where to where, by what, in which state, at which moments.

    `without`: what is unplugged meanwhile (`routing.links`). `entering`: a device and its interface at which the packets come in,
    whatever their source is; otherwise they set out where their source is.
    """

    source: AddressSet
    destination: AddressSet
    service: ServiceSet
    states: tuple[State, ...] = ("new",)
    times: Times = ALWAYS
    without: frozenset[Link] = frozenset()
    entering: Link | None = None


@dataclass(frozen=True, eq=False)
class Part:
    """Packets of a question that share one fate, as they were asked.

    `steps`: what decided them on the way there, in order; what was stopped there was stopped by the last. `answer`: what decided
    the answer on its way back, where rules did. `missing`: why it is undetermined, unanswered or finds no route.
    """

    packets: PacketSet
    result: Result
    symptom: str
    source_segment: str
    destination_segment: str
    steps: tuple[Step, ...]
    answer: tuple[Step, ...] = ()
    missing: str | None = None
    sample: Flow | None = None


@dataclass(frozen=True, eq=False)
class Answer:
    """All parts of a question and the verdict over all of it. What no route carries is not meant, if anything else is asked."""

    verdict: Verdict
    parts: tuple[Part, ...]


class _TooManyWays(Exception):
    """More ways than are followed; what was found until then stands."""


class TooWide(Exception):
    """A question takes longer than its asker waits."""


def trace(
    network: Network, names: Names, question: Question, go_on: Callable[[], bool] = lambda: True
) -> Answer:
    """Answer a question over the whole network.

    question: sets of addresses and services, states and moments; every packet of their product is asked about.
    go_on: asked now and then; once it says no the walk ends.

    The parts cover the question: every packet is in one part for each way that it may take, and the answer to it. A packet
    *works* by a way if it is delivered and its answer comes back; the verdict is *allowed* if every packet works by every
    way, *blocked* if none works by any, *undetermined* if what is known leaves it open, *some* otherwise.

    Raises what `Names` raises, and `TooWide` once `go_on` says no. Cost: ways × rules consulted × boxes in hand.
    """
    return _Walk(network, names, question, go_on).answer()


class _Walk:
    def __init__(self, network: Network, names: Names, question: Question, go_on: Callable[[], bool]) -> None:
        self.network, self.question, self._go_on = network, question, go_on
        self.stages = Stages(network, names, self._tick)
        self.routing = routing_of(network, question.without)
        self.known = replace(names.known(), others=self.routing.plausible)
        self._several = False
        self._entries = 0
        self._known_fates: dict[tuple[object, ...], list[Fate]] = {}

    def answer(self) -> Answer:
        """The answer to the question it was made for."""
        question = self.question
        self._asked = asked = packet_sets.product(
            question.source, question.destination, question.service, question.states, question.times
        )
        if asked and not self._carried(asked):
            part = End(Journey("", asked), "undetermined", missing=NO_ROUTE_CARRIES)
            return Answer("undetermined", (self._part(part),))
        parts: list[Part] = []
        try:
            parts.extend(filter(lambda part: self._carried(part.packets), self._parts(question)))
        except _TooManyWays:
            rest = End(Journey("", asked), "undetermined", missing=TOO_MANY_WAYS)
            parts.append(self._part(rest))
            self._several = True
        parts.sort(key=lambda p: _ORDER[p.result])
        return Answer(self._verdict(parts), tuple(parts))

    def _parts(self, question: Question) -> Iterator[Part]:
        for state in question.states or STATES:
            for end in self._sent(in_state(self._asked, state), state):
                yield from self._conversation(end, state)

    def _carried(self, what: PacketSet) -> bool:
        """Whether some packet is of those that routes carry."""
        return any_outside(what, self.routing.unrouted)

    def _tick(self) -> None:
        if not self._go_on():
            raise TooWide

    def _entered(self) -> None:
        """A device is entered, by a first packet or by an answer."""
        self._tick()
        self._entries += 1
        if self._entries > MOST_ENTERED:
            raise _TooManyWays

    # --- the first packet ---------------------------------------------------------------------------------

    def _sent(self, asked: PacketSet, state: State) -> Iterator[End]:
        """Every end of packets that set out where their sources are."""
        if not asked:
            return
        if self.question.entering:
            yield from self._put(self.question.entering, asked, state)
            return
        sources = packet_sets.project(asked, SOURCE)
        askers = addresses.NOTHING
        for device in sorted(self.network.devices, key=lambda d: not self.routing.is_up(d)):
            mine = addresses.intersection(sources, self.routing.own(device))
            if self.routing.is_up(device):
                self._several |= bool(addresses.intersection(askers, mine))
                askers = addresses.union((askers, mine))
                yield from self._enter(device, None, Journey(device.name, from_sources(asked, mine)), state)
            else:
                lost = from_sources(asked, addresses.difference(mine, askers))
                yield self._unplugged(Journey(device.name, lost), device.name)
        others = addresses.difference(sources, self.routing.all_own)
        for segment, share in self.routing.owners(others):
            packets = from_sources(asked, share)
            if segment is None:
                missing = "no segment owns the source addresses"
                yield End(Journey("nowhere", packets), "undetermined", "nowhere", missing=missing)
                continue
            for end in self.stages.at_hosts("outbound", Journey(segment.name, packets)):
                if end.result == "delivered":
                    yield from self._from_segment(segment, end.journey, state)
                else:
                    yield end

    def _put(self, entering: Link, asked: PacketSet, state: State) -> Iterator[End]:
        """At an interface, whatever the sources are."""
        device = named(self.network.devices, entering[0])
        interface = named(device.interfaces, entering[1])
        journey = Journey(f"{device.name}.{interface.name}", asked)
        if self.routing.is_up(device, interface):
            yield from self._enter(device, interface, journey, state)
        else:
            yield self._unplugged(journey, device.name)

    @staticmethod
    def _unplugged(journey: Journey, name: str) -> End:
        return End(journey, "no route", name, missing=f"{name} is unplugged")

    def _from_segment(self, segment: Segment, journey: Journey, state: State) -> Iterator[End]:
        """From a wire: to whoever is on it, or by its gateways."""
        owned = self.routing.owned(segment)
        destinations = packet_sets.project(journey.packets, DESTINATION)
        here = addresses.intersection(destinations, owned)
        yield from self._on_wire(segment, journey, here, state)
        away = journey.on(to_destinations(journey.packets, addresses.difference(destinations, owned)))
        if not away.packets:
            return
        there = self.routing.starts(segment)
        starts = [port for port in there if self.routing.is_up(*port)]
        if not there:
            yield End(away, "undetermined", segment.name, missing=f"no device is on {segment.name}")
        elif not starts:
            yield self._unplugged(away, there[0][0].name)
        self._several |= len(starts) > 1
        for device, interface in starts:
            yield from self._enter(device, interface, away, state)

    def _on_wire(self, segment: Segment, journey: Journey, here: AddressSet, state: State) -> Iterator[End]:
        """To what a wire's own segment owns: a device that has the address, or a host."""
        for reached in self.routing.on_wire(segment, here):
            share = journey.on(to_destinations(journey.packets, reached.share))
            self._several |= len(reached.ports) > 1
            if reached.missing:
                yield End(share, "undetermined", segment.name, missing=reached.missing)
            elif reached.unplugged:
                yield self._unplugged(share, reached.unplugged)
            elif not reached.ports:
                yield from self._arrive(segment, share)
            for device, interface in reached.ports:
                yield from self._enter(device, interface, share, state)

    def _enter(
        self, device: Device, entering: Interface | None, journey: Journey, state: State
    ) -> Iterator[End]:
        """One device: what is for itself, and what it sends on by each of its ways."""
        self._entered()
        if not journey.packets:
            return
        if journey.met(Crossing(device, entering, None).port):
            yield End(journey, "loop", device.name)
            return
        wanted = packet_sets.project(journey.packets, DESTINATION)
        own = addresses.intersection(wanted, self.routing.own(device))
        if own:
            crossing = Crossing(device, entering, None)
            for end in self.stages.judged(crossing, journey.on(to_destinations(journey.packets, own)), state):
                yield replace(end, device=device, where=device.name) if end.result == "delivered" else end
            wanted = addresses.difference(wanted, own)
        if entering and entering.management_only:
            passing = journey.on(to_destinations(journey.packets, wanted))
            for end in self.stages.judged(Crossing(device, entering, None), passing, state, ("inbound",)):
                yield management_only(end, device, entering) if end.result == "delivered" else end
            return
        for share, ways in self.routing.towards(device, wanted):
            wanted = addresses.difference(wanted, share)
            going = journey.on(to_destinations(journey.packets, share))
            self._several |= len(ways) > 1
            for way in ways:
                yield from self._leave(device, entering, way, going, state)
        if wanted:
            lost = journey.on(to_destinations(journey.packets, wanted))
            for end in self.stages.judged(Crossing(device, entering, None), lost, state, ("inbound",)):
                yield self._routeless(device, end) if end.result == "delivered" else end

    def _routeless(self, device: Device, end: End) -> End:
        if self.routing.half_built(device):
            return replace(
                end, result="undetermined", where=device.name, missing=f"the routes of {device.name}"
            )
        return replace(end, result="no route", where=device.name, missing=f"no route at {device.name}")

    def _leave(
        self, device: Device, entering: Interface | None, way: Way, journey: Journey, state: State
    ) -> Iterator[End]:
        """By one way, past the stages, to whatever is there."""
        only: tuple[Stage, ...] = ("inbound",) if way.leaving is None else ()
        for end in self.stages.judged(Crossing(device, entering, way.leaving), journey, state, only):
            if end.result != "delivered":
                yield end
            elif way.discard:
                yield replace(
                    end, result="dropped", where=device.name, missing=f"a route of {device.name} discards it"
                )
            elif entering and way.leaving and way.leaving.management_only:
                yield management_only(end, device, way.leaving)
            elif way.missing or way.leaving is None:
                yield replace(end, result="undetermined", where=device.name, missing=way.missing)
            elif way.device is not None:
                yield from self._enter(way.device, way.entering, end.journey, state)
            elif way.beyond is not None:
                yield from self._arrive(way.beyond, end.journey)
            else:
                wire = self.routing.wire(way.leaving)
                yield from self._on_wire(
                    wire, end.journey, packet_sets.project(end.journey.packets, DESTINATION), state
                )

    def _arrive(self, segment: Segment, journey: Journey) -> Iterator[End]:
        for end in self.stages.at_hosts("inbound", journey):
            yield replace(end, segment=segment, where=segment.name)

    # --- the answer ---------------------------------------------------------------------------------------

    def _conversation(self, end: End, state: State) -> Iterator[Part]:
        """The parts that an end of first packets comes to: what arrived counts if the answer comes back."""
        if end.result != "delivered" or state != "new":
            yield self._part(end)
            return
        wanting, silent = asking(end.journey.packets)
        stateless = next((c.device for c in end.journey.crossings if c.device.filtering == "stateless"), None)
        if stateless is not None:
            missing = f"replies through the stateless {stateless.name} are not followed yet"
            yield self._part(
                replace(end, journey=end.journey.on(wanting), result="undetermined", missing=missing)
            )
        elif wanting:
            fates = self._fates(end)
            for among, result, why, steps in fates:
                share = wanting if len(fates) == 1 else packet_sets.intersection(wanting, among)
                part = replace(end, journey=end.journey.on(share), result=result, missing=why)
                yield self._part(part, steps)
        if silent:
            yield self._part(replace(end, journey=end.journey.on(silent)))

    def _fates(self, end: End) -> list[Fate]:
        """What becomes of the answers to all that is asked between two ends and takes one way.

        Which rules let it pass there makes no difference, so it is worked out once for all of them.
        """
        way = tuple((*c.port, c.leaving and c.leaving.name) for c in end.journey.crossings)
        key = end.journey.source, end.where, end.segment is None, way
        if key not in self._known_fates:
            back = WayBack(self.stages, self.routing, end, self._entered)
            self._known_fates[key] = list(back.led(self._between(end)))
            self._several |= back.several
        return self._known_fates[key]

    @cached_property
    def _wanting(self) -> PacketSet:
        """All that asks for an answer."""
        return asking(in_state(self._asked, "new"))[0]

    def _between(self, end: End) -> PacketSet:
        """All that is asked for an answer between the ends of a journey."""
        asked = self._wanting
        first = end.journey.crossings[:1]
        if first and first[0].entering is None:
            asked = from_sources(asked, self.routing.own(first[0].device))
        elif not self.question.entering:
            asked = from_sources(asked, self.routing.owned(self.routing.segments[fold(end.journey.source)]))
        if end.segment:
            return to_destinations(asked, self.routing.owned(end.segment))
        return to_destinations(asked, self.routing.own(end.device)) if end.device else asked

    def _part(self, end: End, answer: tuple[Step, ...] = ()) -> Part:
        symptom = (
            SYMPTOM.get(end.result) or REJECT_SYMPTOM[(end.rule and end.rule.reject_with) or "prohibited"]
        )
        journey = end.journey
        sample = packet_sets.sample(journey.packets, self.known)
        return Part(
            journey.packets,
            end.result,
            symptom,
            journey.source,
            end.where,
            journey.steps,
            answer,
            end.missing,
            sample,
        )

    def _verdict(self, parts: list[Part]) -> Verdict:
        """What all parts come to, each packet by all of its ways."""
        works, unknown, fails = (
            [p.packets for p in parts if p.result in results]
            for results in (("delivered",), ("undetermined",), _FAILED)
        )
        if not parts:
            return "empty"
        if not fails and not unknown:
            return "allowed"
        if not works:
            return "undetermined" if unknown else "blocked"
        if not self._several:
            return "some"
        try:
            surely = self._without(works, unknown) or self._meet(works, fails)
        except WorkLimit:
            return "undetermined"
        return "some" if surely else "undetermined"

    def _without(self, some: list[PacketSet], others: list[PacketSet]) -> bool:
        gone = packet_sets.union(others)
        return any(self._carried(packet_sets.difference(one, gone, MOST_BOXES)) for one in some)

    def _meet(self, some: list[PacketSet], others: list[PacketSet]) -> bool:
        return any(self._carried(packet_sets.intersection(one, other)) for one in some for other in others)


def management_only(end: End, device: Device, interface: Interface) -> End:
    """What would pass an interface that nothing passes."""
    return replace(
        end,
        result="dropped",
        where=device.name,
        missing=f"{interface.name} of {device.name} is for management only",
    )


_FAILED = ("unanswered", "dropped", "rejected", "no route", "loop")
_ORDER = {
    "delivered": 0,
    "undetermined": 1,
    "unanswered": 2,
    "rejected": 3,
    "dropped": 4,
    "no route": 5,
    "loop": 6,
}
