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

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from sarvex.core.forwarding.conversations import (
    MOST_ENTERED,
    MOST_ONE_BY_ONE,
    ByAllWays,
    ByEveryWay,
    Conversations,
    Outcome,
    example,
)
from sarvex.core.forwarding.headers import any_outside, like
from sarvex.core.forwarding.journeys import Crossing, End, Journey, Result, Step
from sarvex.core.forwarding.merged_ways import MOST_BOXES
from sarvex.core.forwarding.rewriting import Choices
from sarvex.core.forwarding.routing import Link, routing_of
from sarvex.core.forwarding.stages import Stages
from sarvex.core.forwarding.way_back import TOO_MANY_WAYS
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Network
from sarvex.core.sets import addresses, services
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
MOST_FOR_EXAMPLES = 500
"""So many times devices are entered to tell by examples how outcomes come about, where ways were merged."""
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


_NOTHING_ELSE = Question(addresses.NOTHING, addresses.NOTHING, services.NOTHING)


def about(flow: Flow, names: Names, untold: tuple[int, int] = (0, 0)) -> Question:
    """The question about one flow, at its moment or at all. untold: what ports or types are that it does not tell."""
    numbers = [
        (flow.protocol, flow.protocol),
        *(untold if n is None else (n, n) for n in (flow.first, flow.second)),
    ]
    box = np.array([numbers])
    service = (
        ServiceSet(box, services.NOTHING.v6) if flow.family == 4 else ServiceSet(services.NOTHING.v4, box)
    )
    source, destination = (addresses.span(flow.family, value, value) for value in (flow.src, flow.dst))
    times = ALWAYS if flow.moment is None else 1 << names.moments.class_of(flow.moment)
    return Question(source, destination, service, (flow.state,), times)


@dataclass(frozen=True, eq=False)
class Part:
    """Packets of a question that share one fate, as they were asked.

    `source_segment`: where they set out, or the device that sends them; nothing where ways were merged, from several places.
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
    way: tuple[Crossing, ...] = ()
    way_back: tuple[Crossing, ...] = ()
    """The devices that the sample came by, and its answer; nothing if ways were merged and none is shown."""
    lost_at: str = ""
    """The device at which the answer was lost."""
    choices: Choices = ()
    """What translations may have chosen, where they chose."""


@dataclass(frozen=True, eq=False)
class Answer:
    """All parts of a question and the verdict over all of it. What no route carries is not meant, if anything else is asked."""

    verdict: Verdict
    parts: tuple[Part, ...]
    several: bool = True
    """Whether some packet may be in several parts: by other ways, or other choices of translations."""
    merged: bool = False
    """Whether ways were followed merged, so that ways and all but the last step are told of samples alone."""


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
    asked = packet_sets.product(
        question.source, question.destination, question.service, question.states, question.times
    )
    return _Walk(network, names, question, asked, go_on).answer()


def trace_new(
    network: Network, names: Names, asked: PacketSet, go_on: Callable[[], bool] = lambda: True
) -> Answer:
    """The same for new packets of any set, by what decides them."""
    return _Walk(network, names, _NOTHING_ELSE, asked, go_on).answer()


def fates_of_boxes(
    network: Network, names: Names, asked: PacketSet, without: frozenset[Link] = frozenset(),
    go_on: Callable[[], bool] = lambda: True,
) -> Fates:  # fmt: skip
    """How new packets of a set fare, whichever rules decide it. As `trace`, at a part of its cost; what no route carries is not meant."""
    return _Walk(network, names, replace(_NOTHING_ELSE, without=without), asked, go_on, by_rule=False).fates()


@dataclass(frozen=True, eq=False)
class Fates:
    """What works by some way, what fails by some, and what is open by some.

    several: whether a packet may be in more than one of the three. unanswered: of what fails, what arrives and is not answered.
    """

    works: PacketSet
    fails: PacketSet
    open: PacketSet
    several: bool
    unanswered: PacketSet


class _Walk:
    def __init__(
        self, network: Network, names: Names, question: Question, asked: PacketSet, go_on: Callable[[], bool], by_rule: bool = True
    ) -> None:  # fmt: skip
        self.question, self._asked, self._go_on, self._by_rule = question, asked, go_on, by_rule
        self.stages = Stages(network, names, self._tick, by_rule)
        self.routing = routing_of(network, question.without)
        self.known = replace(names.known(), others=self.routing.plausible)
        self._several = False
        self._for_examples = MOST_FOR_EXAMPLES
        self._samples: dict[int, tuple[PacketSet, Flow | None]] = {}

    def answer(self) -> Answer:
        """The answer to the question it was made for."""
        if self._asked and not self._carried(self._asked):
            return Answer("undetermined", (self._part(self._all("undetermined", NO_ROUTE_CARRIES)),))
        outcomes = self._outcomes()
        parts = [self._part(one) for one in outcomes if self._carried(one.packets)]
        parts.sort(key=lambda p: _ORDER[p.result])
        return Answer(
            self._verdict(parts),
            tuple(parts),
            self._several or any(p.choices for p in parts),
            self._merged,
        )

    def fates(self) -> Fates:
        """The same without what decides it."""
        outcomes = self._outcomes()
        several = self._several or any(_choices(one) for one in outcomes)
        found: list[list[PacketSet]] = [[], [], []]
        for one in outcomes:
            found[{"delivered": 0, "undetermined": 2}.get(one.end.result, 1)].append(one.packets)
        works, fails, open_ = map(packet_sets.union, found)
        lost = packet_sets.union(one.packets for one in outcomes if one.end.result == "unanswered")
        return Fates(works, fails, open_, several, lost)

    def _outcomes(self) -> list[Outcome]:
        """How all that is asked fares, by every way or by all ways at once."""
        every_way = self._follow(ByEveryWay, self._asked, MOST_ONE_BY_ONE)
        self._merged = every_way.gave_up
        self._several = every_way.several or every_way.gave_up
        return self._by_all_ways(every_way.found) if every_way.gave_up else every_way.found

    def _follow(self, kind: type[Conversations], asked: PacketSet, most: int) -> Conversations:
        """Conversations, followed."""
        out = kind(self.stages, self.routing, asked, self.question.entering, self._tick, most)
        out.follow(self.question.states or STATES)
        return out

    def _by_all_ways(self, some: list[Outcome]) -> list[Outcome]:
        """All outcomes by ways that are merged, of which some are known: where it is undecided whether packets work by any way,
        those that work by a known one are told."""
        merged = self._follow(ByAllWays, self._asked, MOST_ENTERED)
        if merged.gave_up:
            return [*some, self._all("undetermined", TOO_MANY_WAYS)]
        works = [o for o in some if o.end.result == "delivered"]
        known = packet_sets.union(o.packets for o in works)
        out = []
        for one in sorted(merged.found, key=lambda o: _ORDER[o.end.result]):
            if one.end.missing == TOO_MANY_WAYS:
                out += [o.on(packet_sets.intersection(o.packets, one.packets)) for o in works]
                with suppress(WorkLimit):  # then more is left open than need be
                    one = one.on(packet_sets.difference(one.packets, known, MOST_BOXES))
            out.append(self._by_example(one))
        return [o for o in out if o.packets]

    def _by_example(self, one: Outcome) -> Outcome:
        """An outcome with the steps of its sample."""
        if not self._by_rule:
            return one
        sample = self._sample(one.packets)
        if sample is None or one.end.missing == TOO_MANY_WAYS or self._for_examples <= 0:
            return one
        alone = like(one.packets, sample)
        found = example(
            self.stages, self.routing, alone, sample.state, self.question.entering, self._shown, one
        )
        if found is None:
            return one
        journey = replace(found.end.journey, packets=one.packets, source="")
        return replace(found, end=replace(found.end, journey=journey))

    def _sample(self, packets: PacketSet) -> Flow | None:
        """A packet that reads well; of one set the same, and found once."""
        if id(packets) not in self._samples:
            self._samples[id(packets)] = packets, packet_sets.sample(packets, self.known)
        return self._samples[id(packets)][1]

    def _shown(self) -> None:
        self._tick()
        self._for_examples -= 1

    def _all(self, result: Result, missing: str) -> Outcome:
        return Outcome(End(Journey("", self._asked), result, missing=missing))

    def _carried(self, what: PacketSet) -> bool:
        """Whether some packet is of those that routes carry."""
        return any_outside(what, self.routing.unrouted)

    def _tick(self) -> None:
        if not self._go_on():
            raise TooWide

    def _part(self, one: Outcome) -> Part:
        end, journey = one.end, one.end.journey
        symptom = (
            SYMPTOM.get(end.result) or REJECT_SYMPTOM[(end.rule and end.rule.reject_with) or "prohibited"]
        )
        sample = self._sample(journey.packets)
        return Part(
            journey.packets,
            end.result,
            symptom,
            journey.source,
            end.where,
            journey.steps,
            one.fate.steps if one.fate else (),
            end.missing,
            sample,
            journey.way,
            one.fate.way if one.fate else (),
            one.fate.lost_at if one.fate else "",
            _choices(one),
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
        if not self._several and not any(p.choices for p in parts):
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


def _choices(one: Outcome) -> Choices:
    return (one.fate.choices if one.fate else ()) or one.end.journey.choices


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
