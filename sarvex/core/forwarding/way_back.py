"""Answers led back: past devices that know the conversation, and past others; and whether what follows passes too.

Where ways there were merged, it is not certain of every device whether it saw the question. What it would stop if it had not fails by
some way, if no other device stops it before; what passes on if it had needs that device on the way there. With one such device at
most the answer is exact, with more it is *undetermined* whether the conversation works by any way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import cast

from sarvex.core.forwarding import rewriting
from sarvex.core.forwarding.headers import by_tcp, out_of_state
from sarvex.core.forwarding.journeys import (
    Crossing,
    End,
    Journey,
    Memory,
    Result,
    Step,
    altered,
    judges_later,
    keys,
    together,
)
from sarvex.core.forwarding.leading import Ahead, Leading, management_only
from sarvex.core.forwarding.rewriting import AS_ASKED, Choices, Header
from sarvex.core.forwarding.routing import Routing, Way
from sarvex.core.forwarding.stages import Stages, gathered
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import DESTINATION, FIRST, NOTHING, SECOND, SOURCE, PacketSet
from sarvex.core.model.records import Device, Interface, Segment, Stage
from sarvex.core.sets.flows import State

OTHER_ADDRESSES = "the answer comes back with other addresses than were asked"
TOO_MANY_WAYS = "too many ways to follow all of them; ask about less"


@dataclass(frozen=True, eq=False)
class Fate:
    """Packets as they were asked, what became of the conversation, why, and what decided the answer.

    stranger: a device that stopped the answer because it did not see the question; half: one that saw it and not the answer.
    Both as they are told `together`.
    """

    packets: PacketSet
    result: Result
    why: str | None = None
    steps: tuple[Step, ...] = ()
    stranger: str | None = None
    half: str | None = None
    way: tuple[Crossing, ...] = ()
    lost_at: str = ""
    """The device at which the answer was lost, if it was at one."""
    choices: Choices = ()
    """What translations may have chosen, for all that is known."""

    def among(self, packets: PacketSet) -> Fate:
        """That of some of the packets."""
        return altered(self, packets=packet_sets.intersection(packets, self.packets))


class WayBack(Leading):
    """The answers to packets that arrived, led back by the sources of the packets.

    end: where some of them arrived; of the others devices know the same.
    """

    axis = SOURCE

    def __init__(
        self, stages: Stages, routing: Routing, tick: Callable[[], None], ahead: Ahead, end: End
    ) -> None:
        super().__init__(stages, routing, tick, ahead)
        self.first = end.journey
        self._may, self._must = keys(end.journey.may), keys(end.journey.must)
        self.certain = 1
        """With so many devices at most that an answer needs it is certain that the conversation works."""

    def led(self, *arrived: tuple[End, PacketSet]) -> Iterator[Fate]:
        """The fate of every packet by each way of its answer: of those that arrived at each end, none at two."""
        first = Journey("", NOTHING, answers=True, header=self.first.header, choices=self.first.choices)
        for end, packets in arrived:
            if end.device is not None:
                self.enter(end.device, None, first.on(packets))
            elif end.segment is not None:
                yield from map(self.fate, self.from_wire(end.segment, first.on(packets)))
        yield from map(self.fate, self.go())

    def fate(self, end: End) -> Fate:
        """How a conversation fares whose answer ends somewhere."""
        result, why, at, steps = end.result, end.missing, end.where, end.journey.steps
        if result == "undetermined" and why != TOO_MANY_WAYS:
            why = f"the way back: {why}"
        elif result in ("dropped", "rejected") and not why:
            why = f"the answer is {result} by {decider(steps[-1])} at {at}"
        elif result == "dropped":
            why = f"the answer is dropped: {why}"
        elif result == "no route":
            why = (
                f"the answer finds {why}"
                if (why or "").startswith("no route")
                else f"the answer is lost: {why}"
            )
        elif result == "loop":
            why = f"the answer goes in circles at {at}"
        lost = result not in ("delivered", "undetermined")
        return Fate(
            end.journey.packets,
            "unanswered" if lost else result,
            why,
            steps,
            end.stranger,
            end.half,
            end.journey.way,
            "" if end.half or result == "delivered" else at,
            end.journey.choices,
        )

    def in_order(self, ways: tuple[Way, ...]) -> tuple[Way, ...]:
        """Where the question came by first: there an answer is known."""
        return tuple(sorted(ways, key=lambda w: w.device is not None and together(w.device) not in self._may))

    def admitted(
        self,
        device: Device,
        entering: Interface | None,
        journey: Journey,
    ) -> Iterator[End | Journey]:
        """A device that knows the conversation undoes its destination translation first."""
        for memory in self._memories(device, journey):
            same, unlike, unsure = rewriting.agreement(
                journey.packets, journey.header, memory.left, journey.choices
            )
            if unsure:
                told = f"whether {device.name} knows the answer, of which translations chose the addresses"
                yield End(journey.on(unsure), "undetermined", device.name, missing=told)
            if same:
                yield _undone(journey.on(same), memory)
            journey = journey.on(unlike)
        strange, new = (
            out_of_state(journey.packets) if self._translates(device) else (journey.packets, NOTHING)
        )
        if strange:
            yield journey.on(strange)
        if new:  # a first packet, to this device
            one = journey.on(new)
            yield from self.stages.translating.destination(device, entering, one) if entering else (one,)

    @staticmethod
    def _translates(device: Device) -> bool:
        """Whether a device translates answers of questions it did not see, where they look like new to it."""
        return device.filtering == "stateful" and bool(
            device.translate_destination or device.translate_source
        )

    def leaving(self, device: Device, by: Interface, journey: Journey) -> Iterator[End | Journey]:
        through = journey.memory.through if journey.memory else None
        if through is not None:
            yield altered(journey, header=with_ports(journey.header, DESTINATION, through.came))
        elif journey.memory is None and self._translates(device):
            strange, new = out_of_state(journey.packets)
            if strange:
                yield journey.on(strange)
            if new:
                yield from self.stages.translating.source(device, by, journey.on(new))
        else:
            yield journey

    def _memories(self, device: Device, journey: Journey) -> list[Memory]:
        """What a device, and those that share what they know with it, know of the question: its own and latest first."""
        if device.filtering == "stateless":
            return []
        key = together(device)
        there = [
            c
            for c in reversed(self.first.crossings)
            if c.device.filtering == "stateful" and together(c.device) == key
        ]
        there.sort(key=lambda c: c.device.name != device.name)  # stable
        found: dict[Header, Memory] = {}
        for c in there:
            found.setdefault(c.left, Memory(c.left, c))
        surely = self.first.must | journey.needs
        for some in surely, self.first.may:
            for left in sorted((left for other, left in some if other == key), key=str):
                found.setdefault(left, Memory(left, certain=some is surely))
        return list(found.values())

    def judged(
        self, device: Device, entering: Interface | None, leaving: Interface | None, journey: Journey, only: tuple[Stage, ...] = ()
    ) -> Iterator[End]:  # fmt: skip
        """A device that knows the conversation lets its answers pass; another judges them as new, or as out of state."""
        memory, journey = journey.memory, journey.past(device, entering, leaving)
        key, through = together(device), journey.crossings[-1]
        if device.filtering == "stateless":
            yield from self.stages.without_memory(through, journey, "new", "established", only)
        elif memory and memory.certain and device.replies == "by conversation":
            yield End(journey, "delivered")
        elif memory and memory.certain:
            yield from self.stages.staged(through, journey, "new", "established", only)
        else:
            for end in self._as_stranger(through, journey, only):
                if end.result == "delivered":
                    yield end
                    continue
                yield altered(end, stranger=key)
                if memory:
                    needs = journey.needs | {(key, memory.left)}
                    yield End(altered(end.journey, steps=journey.steps, needs=needs), "delivered")

    def _as_stranger(self, through: Crossing, journey: Journey, only: tuple[Stage, ...]) -> Iterator[End]:
        """At a device that did not see the question."""
        name = through.device.name
        for some, seen in zip(out_of_state(journey.packets), ("invalid", "new"), strict=True):
            if not some:
                continue
            if seen == "invalid" and through.device.out_of_state == "drop":
                told = f"the answer comes by {name}, which did not see the question"
                yield End(journey.on(some), "unanswered", name, missing=told)
            else:
                yield from self.stages.staged(through, journey.on(some), "new", cast(State, seen), only)

    def onward(self, device: Device, entering: Interface | None, journey: Journey) -> Iterator[End]:
        """By route, or by the interface that the question last came in by, back to whom it came from."""
        through = self._where_asked(device, journey)
        if through is None or through.entering is None:
            yield from super().onward(device, entering, journey)
            return
        for one in self.leaving(device, through.entering, journey):
            if isinstance(one, Journey):
                for end in self.judged(device, entering, through.entering, one):
                    yield from self._sent_back(device, entering, through, end)

    def _sent_back(
        self, device: Device, entering: Interface | None, through: Crossing, end: End
    ) -> Iterator[End]:
        if end.result != "delivered":
            yield end
        elif entering and through.entering and through.entering.management_only:
            yield management_only(end, device, through.entering)
        elif through.before is not None:
            self.enter(*through.before, end.journey)
        else:
            yield from self._came_back(end.journey, None)

    @staticmethod
    def _where_asked(device: Device, journey: Journey) -> Crossing | None:
        through = journey.memory.through if journey.memory else None
        if device.answers_leave == "by route" or through is None or through.device.name != device.name:
            return None
        return through

    # --- arrived ------------------------------------------------------------------------------------------

    def at_host(self, segment: Segment, journey: Journey) -> Iterator[End]:  # noqa: ARG002
        yield from self._came_back(journey, None)

    def at_device(self, device: Device, end: End) -> Iterator[End]:
        yield from self._came_back(end.journey, device)

    def _came_back(self, journey: Journey, receiver: Device | None) -> Iterator[End]:
        """The answer arrived: it was for whoever asked, and what follows it passes too."""
        if not journey.packets:
            return
        if (together(receiver) if receiver else None) != self.first.asker:
            name = receiver.name if receiver else "a host"
            yield End(journey, "unanswered", name, missing=f"the answer ends at {name}, which did not ask")
            return
        same, unlike, unsure = rewriting.agreement(journey.packets, journey.header, AS_ASKED, journey.choices)
        if unlike:
            yield End(journey.on(unlike), "unanswered", missing=OTHER_ADDRESSES)
        if unsure:
            told = "whether the answer comes back with the addresses that were asked: translations chose them"
            yield End(journey.on(unsure), "undetermined", missing=told)
        if same:
            yield from self._answered(journey.on(same))

    def _answered(self, journey: Journey) -> Iterator[End]:
        """It came back; what follows it over TCP passes too."""
        if self._may <= keys(journey.must) and not any(judges_later(c.device) for c in self.first.crossings):
            yield self._worked(journey)
            return
        tcp, others = by_tcp(journey.packets)
        if tcp:
            yield from self._followed(journey.on(tcp))
        if others:
            yield self._worked(journey.on(others))

    def _worked(self, journey: Journey, surely: bool = True) -> End:
        if surely and len(journey.needs) <= self.certain:
            return End(journey, "delivered")
        return End(journey, "undetermined", missing=TOO_MANY_WAYS)

    def _followed(self, journey: Journey) -> Iterator[End]:
        """TCP past devices that see one direction only: what follows the first packet is out of state there."""
        surely, may, must = True, keys(journey.may), keys(journey.must)
        for key in sorted(self._may - must):
            if self.stages.drops_strangers[key]:
                told = f"{key} sees only one direction, so it drops what follows"
                yield End(journey, "unanswered", missing=told, half=key)
                if key in self._must and key not in may:
                    return
                surely = False
        here = [altered(journey, answers=False)]
        for through in self.first.crossings:
            key, stateless = together(through.device), through.device.filtering == "stateless"
            if not stateless and key not in must and self.stages.drops_strangers[key]:
                continue  # told above
            certain = stateless or key in must or key not in may
            for seen in self._seen_later(through.device, key in may, key in must):
                ends = [end for one in here for end in self._later(through, one, seen)]
                lost = [end for end in ends if end.result != "delivered"]
                yield from lost
                surely = surely and (certain or not lost)
                if certain:
                    here = gathered(
                        [altered(end.journey, steps=()) for end in ends if end.result == "delivered"]
                    )
        for one in here:
            if one.packets:
                yield self._worked(altered(one, steps=journey.steps, answers=True), surely)

    @staticmethod
    def _seen_later(device: Device, may: bool, must: bool) -> list[State]:
        """In which states rules judge what follows; more than one if it is not certain whether the answer passed there."""
        by_rule: list[State] = ["established"] if judges_later(device) else []
        if device.filtering == "stateless" or must:
            return by_rule
        return ["invalid", *(by_rule if may else ())]

    def _later(self, through: Crossing, journey: Journey, seen: State) -> Iterator[End]:
        """What follows the first packet at one device; out of state it may be dropped without a rule."""
        name = through.device.name
        half = together(through.device) if seen == "invalid" else None
        if half and through.device.out_of_state == "drop":
            told = f"{name} sees only one direction, so it drops what follows"
            yield End(journey, "unanswered", name, missing=told, half=half)
            return
        for end in self.stages.staged(through, journey, "new", seen):
            if end.result == "delivered":
                yield end
            else:
                by = decider(end.journey.steps[-1])
                told = f"what follows is {end.result} by {by} at {name}"
                yield End(journey.on(end.journey.packets), "unanswered", name, missing=told, half=half)


def with_ports(header: Header, axis: int, other: Header) -> Header:
    """A header with the source or the destination of another, and with its port."""
    port = FIRST if axis == SOURCE else SECOND
    return rewriting.put(rewriting.put(header, axis, other[axis]), port, other[port])


def _undone(journey: Journey, memory: Memory) -> Journey:
    """An answer as a device routes it that knows the question."""
    if memory.through is None:
        return altered(journey, memory=memory)
    header = with_ports(journey.header, SOURCE, memory.through.routed)
    return altered(journey, header=header, memory=memory)


def decider(step: Step) -> str:
    return step.rule or (f"the default of {step.policy}" if step.policy else f"the {step.stage} default")
