"""What becomes of conversations: the first packets led there, their answers led back, by every way or by all ways at once."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass

from sarvex.core.forwarding.first_packets import FirstPackets
from sarvex.core.forwarding.headers import asking, from_sources, in_state, to_destinations
from sarvex.core.forwarding.journeys import End, altered
from sarvex.core.forwarding.leading import OneByOne, OneWay
from sarvex.core.forwarding.merged_ways import MOST_BOXES, MergedWays, circling, group, joined, knows
from sarvex.core.forwarding.rewriting import ASKED
from sarvex.core.forwarding.routing import Link, Routing
from sarvex.core.forwarding.stages import Stages
from sarvex.core.forwarding.way_back import TOO_MANY_WAYS, Fate, WayBack
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import DESTINATION, PacketSet
from sarvex.core.model.records import fold
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.flows import State
from sarvex.core.tables.address_classes import CutsAClass

MOST_ONE_BY_ONE = 500
"""So many times devices are entered by ways followed one by one before ways are merged."""
MOST_ENTERED = 5_000
"""So many times devices are entered before the rest is given up."""


@dataclass(frozen=True, eq=False)
class Outcome:
    """Packets of a question with one end, as they were asked, and what decided the answer."""

    end: End
    fate: Fate | None = None

    @property
    def packets(self) -> PacketSet:
        return self.end.journey.packets

    def on(self, packets: PacketSet) -> Outcome:
        """That of other packets."""
        return altered(self, end=altered(self.end, journey=self.end.journey.on(packets)))


class TooManyWays(Exception):
    """More than is followed."""


class Conversations(ABC):
    """All that is asked, followed until it is answered or lost.

    entering: where it is put, whatever its sources are. tick: called for every device entered; it may raise to end what goes on.
    most: how many may be entered once some packet has several ways.
    """

    most_straight = MOST_ENTERED
    """As many as long as no packet has."""

    def __init__(
        self, stages: Stages, routing: Routing, asked: PacketSet, entering: Link | None, tick: Callable[[], None], most: int
    ) -> None:  # fmt: skip
        self.stages, self.routing, self.asked, self.entering = stages, routing, asked, entering
        self._tick, self.most, self._count = tick, most, 0
        self.several = False
        """Whether some packet has more than one way."""
        self.gave_up = False
        """Whether more was to be followed than is."""
        self.found: list[Outcome] = []
        """How packets fare, all of them by all of their ways unless it gave up."""

    def follow(self, states: tuple[State, ...]) -> None:
        """Follow all that is asked in some states."""
        try:
            for state in states:
                self.found.extend(self._in_state(state))
        except (TooManyWays, WorkLimit):
            self.gave_up = True

    @abstractmethod
    def _in_state(self, state: State) -> Iterator[Outcome]: ...

    def _entered(self) -> None:
        self._tick()
        self._count += 1
        if self._count > (self.most if self.several else self.most_straight):
            raise TooManyWays

    def _answered(self, end: End, fates: Callable[[PacketSet], list[Fate]]) -> Iterator[Outcome]:
        """What arrived counts if the answer comes back, where one is asked for."""
        wanting, silent = asking(end.journey.packets)
        if wanting:
            yield from (came_to(end, fate) for fate in fates(wanting))
        if silent:
            yield Outcome(altered(end, journey=end.journey.on(silent)))


class ByEveryWay(Conversations):
    """Each way followed by itself, with all that decided it."""

    def _in_state(self, state: State) -> Iterator[Outcome]:
        first = FirstPackets(self.stages, self.routing, self._entered, OneByOne(), state)
        known: dict[object, list[Fate]] = {}
        asked = in_state(self.asked, state)
        for end in first.led(asked, self.entering):
            self.several |= first.several
            if end.result == "delivered" and state == "new":
                yield from self._answered(end, lambda wanting, end=end: self._fates(end, wanting, known))  # type: ignore[misc]
            else:
                yield Outcome(end)
        self.several |= first.several

    def _fates(self, end: End, wanting: PacketSet, known: dict[object, list[Fate]]) -> list[Fate]:
        """What becomes of answers. It is worked out once for all that is asked between two ends and takes one way: which rules let
        it pass there makes no difference."""
        if any(base is None and by for base, by in end.journey.header):
            return self._led_back(end, wanting)  # what else is asked would be moved too far
        key = end.journey.source, end.where, end.segment is None, group(end.journey)
        if key not in known:
            known[key] = self._led_back(end, self._between(end))
        fates = known[key]
        if len(fates) == 1 and not self.gave_up:
            return [altered(fates[0], packets=wanting)]
        return [self._among(fate, wanting) for fate in fates]

    def _led_back(self, end: End, wanting: PacketSet) -> list[Fate]:
        """What becomes of the answers to packets that arrived, or of as many as are followed."""
        fates: list[Fate] = []
        back = WayBack(self.stages, self.routing, self._entered, OneByOne(), end)
        try:
            fates.extend(back.led((end, wanting)))
        except (TooManyWays, WorkLimit):
            self.gave_up = True  # what is known until then stands
        self.several |= back.several
        return fates

    def _among(self, fate: Fate, packets: PacketSet) -> Fate:
        self._tick()
        return fate.among(packets)

    def _between(self, end: End) -> PacketSet:
        """All that is asked for an answer between the ends of a journey, to whichever destination if that became another."""
        asked, _ = asking(in_state(self.asked, "new"))
        if end.journey.translated:  # that is of one family
            family = packet_sets.family_of(end.journey.packets)
            asked = packet_sets.of_family(asked, family)
        if end.journey.asker is not None:
            asked = from_sources(asked, self.routing.own(end.journey.crossings[0].device))
        elif not self.entering:
            asked = from_sources(asked, self.routing.hosts(self.routing.segments[fold(end.journey.source)]))
        if end.journey.header[DESTINATION] != ASKED:
            return asked
        if end.segment:
            return to_destinations(asked, self.routing.owned(end.segment))
        return to_destinations(asked, self.routing.own(end.device)) if end.device else asked


class ByAllWays(Conversations):
    """Ways merged where they meet: outcomes by what decides last, without the steps before."""

    def follow(self, states: tuple[State, ...]) -> None:
        super().follow(states)
        alike: dict[object, list[Outcome]] = defaultdict(list)
        for one in self.found:
            if one.packets:
                alike[decided(one)].append(one)
        self.found = [some[0].on(packet_sets.union(o.packets for o in some)) for some in alike.values()]

    def _in_state(self, state: State) -> Iterator[Outcome]:
        ways = MergedWays(self.stages)
        first = FirstPackets(self.stages, self.routing, self._entered, ways, state)
        arrived: dict[object, list[End]] = defaultdict(list)
        for end in first.led(in_state(self.asked, state), self.entering):
            if end.result == "delivered" and state == "new":
                arrived[end.where, end.segment is None].append(end)
            else:
                yield Outcome(end)
        loops = list(circling(first, ways))
        yield from map(Outcome, loops)
        there = (
            altered(ends[0], journey=journey)
            for ends in arrived.values()
            for journey in joined(ways.summary(end.journey) for end in ends)
        )
        for some in self._answered_at_once(there):
            wanting = []
            for end in some:
                asks, silent = asking(end.journey.packets)
                if silent:
                    yield Outcome(altered(end, journey=end.journey.on(silent)))
                if asks:
                    wanting.append(altered(end, journey=end.journey.on(asks)))
            if wanting:
                yield from (came_to(wanting[0], fate) for fate in self._fates(wanting, not loops))

    def _answered_at_once(self, ends: Iterator[End]) -> Iterator[list[End]]:
        """What arrived, as it is answered: at each place by itself, so that it is told where."""
        return ([end] for end in ends)

    def _fates(self, ends: list[End], straight: bool) -> list[Fate]:
        """What becomes of answers; straight: no question went in circles, so that its ways are those that it is told to have."""
        ways = MergedWays(self.stages)
        back = WayBack(self.stages, self.routing, self._entered, ways, ends[0])
        if not straight:
            back.certain = 0
        fates = list(back.led(*((end, end.journey.packets) for end in ends)))
        circles = [back.fate(end) for end in circling(back, ways)]
        if not circles:
            return fates
        around = packet_sets.union(fate.packets for fate in circles)
        for fate in fates:
            if fate.result == "delivered":
                circles.append(altered(fate.among(around), result="undetermined", why=TOO_MANY_WAYS))
                fate = altered(fate, packets=packet_sets.difference(fate.packets, around, MOST_BOXES))
            circles.append(fate)
        return circles


class Faring(ByAllWays):
    """The same, and not where packets arrive: those of which devices know the same are answered at once, wherever they are."""

    def _answered_at_once(self, ends: Iterator[End]) -> Iterator[list[End]]:
        alike: dict[object, list[tuple[AddressSet, list[End]]]] = defaultdict(list)
        for end in ends:
            groups = alike[knows(end.journey)]
            there = packet_sets.project(end.journey.packets, DESTINATION)
            for at, (met, some) in enumerate(groups):
                with suppress(CutsAClass):  # then it is not told whether they are apart
                    if not addresses.intersection(met, there):
                        groups[at] = addresses.union((met, there)), [*some, end]
                        break
            else:
                groups.append((there, [end]))
        return (some for groups in alike.values() for _, some in groups)


def came_to(end: End, fate: Fate) -> Outcome:
    """What arrived, by the fate of its answer."""
    return Outcome(
        altered(end, journey=end.journey.on(fate.packets), result=fate.result, missing=fate.why), fate
    )


def example(
    stages: Stages,
    routing: Routing,
    packet: PacketSet,
    state: State,
    entering: Link | None,
    tick: Callable[[], None],
    one: Outcome,
) -> Outcome | None:
    """An outcome by one way there and one back of one of its packets, with all that decided it; None if it is not found."""
    fate = one.fate
    stranger, half = (fate.stranger, fate.half) if fate else (None, None)
    ways = OneWay(avoid=stranger, through=half)
    first = FirstPackets(stages, routing, tick, ways, state)
    for end in first.led(packet, entering):
        if fate is None:
            if decided(Outcome(end)) == decided(one):
                return Outcome(end)
        elif end.result == "delivered" and end.where == one.end.where and not ways.astray:
            back = WayBack(stages, routing, tick, OneWay(avoid=half), end)
            outcomes = (came_to(end, found) for found in back.led((end, packet)))
            return next((o for o in outcomes if decided(o) == decided(one)), None)
    return None


def decided(one: Outcome) -> object:
    """What outcomes have in common that are told as one."""
    end = one.end
    return (
        end.result,
        end.where,
        end.missing,
        end.journey.steps[-1:] if end.result in ("dropped", "rejected") else (),
    )
