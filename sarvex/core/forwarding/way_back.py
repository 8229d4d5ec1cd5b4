"""Answers led back: past devices that know the conversation, and past others; and whether what follows passes too."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from sarvex.core.forwarding.headers import TCP, cut, from_sources, on_axis, out_of_state, turned
from sarvex.core.forwarding.journeys import Crossing, End, Journey, Result, Step
from sarvex.core.forwarding.routing import Routing, Way
from sarvex.core.forwarding.stages import Stages
from sarvex.core.meaning.packet_sets import PROTOCOL, SOURCE, PacketSet
from sarvex.core.model.records import Device, Interface, Segment, Stage
from sarvex.core.sets import addresses
from sarvex.core.sets.services import PROTOCOL_TOP

Fate = tuple[PacketSet, Result, str | None, tuple[Step, ...]]
"""Packets as they were asked, what became of the conversation, why, and what decided the answer."""


class WayBack:
    """The answers to packets that took one way, led back: past devices of that way, which know them, and others."""

    def __init__(self, stages: Stages, routing: Routing, end: End, tick: Callable[[], None]) -> None:
        self.stages, self.routing, self.end, self.tick = stages, routing, end, tick
        self.several = False
        """Whether some answer has more than one way."""
        self.first = end.journey.crossings
        self.asker = self.first[0].device.name if self.first and self.first[0].entering is None else None
        self.knows = {c.device.name for c in self.first}

    def led(self, asked: PacketSet) -> Iterator[Fate]:
        """The fate of every packet by each way of its answer."""
        if self.end.device is not None:
            yield from self._enter(self.end.device, None, asked, (), ())
        elif self.end.segment is not None:
            segment = self.end.segment
            askers = on_axis(asked, SOURCE)
            owned = self.routing.owned(segment)
            yield from self._on_wire(
                segment, from_sources(asked, addresses.intersection(askers, owned)), (), ()
            )
            away = from_sources(asked, addresses.difference(askers, owned))
            if away:
                there = self.routing.starts(segment)
                starts = [port for port in there if self.routing.is_up(*port)]
                if there and not starts:
                    yield (
                        away,
                        "unanswered",
                        f"{there[0][0].name} is unplugged, by which the answer would leave",
                        (),
                    )
                if not there:
                    yield away, "undetermined", f"the way back: no device is on {segment.name}", ()
                self.several |= len(starts) > 1
                for device, interface in starts:
                    yield from self._enter(device, interface, away, (), ())

    def _on_wire(
        self, segment: Segment, asked: PacketSet, passed: tuple[Crossing, ...], steps: tuple[Step, ...]
    ) -> Iterator[Fate]:
        for reached in self.routing.on_wire(segment, on_axis(asked, SOURCE)):
            share = from_sources(asked, reached.share)
            self.several |= len(reached.ports) > 1
            if reached.missing:
                yield share, "undetermined", f"the way back: {reached.missing}", steps
            elif reached.unplugged:
                yield share, "unanswered", f"{reached.unplugged} is unplugged", steps
            elif not reached.ports:
                yield from self._came_back(share, None, passed, steps)
            for device, interface in reached.ports:
                yield from self._enter(device, interface, share, passed, steps)

    def _enter(
        self, device: Device, entering: Interface | None, asked: PacketSet, passed: tuple[Crossing, ...], steps: tuple[Step, ...]
    ) -> Iterator[Fate]:  # fmt: skip
        self.tick()
        if not asked:
            return
        if any(c.port == Crossing(device, entering, None).port for c in passed):
            yield asked, "unanswered", f"the answer goes in circles at {device.name}", steps
            return
        if device.filtering == "stateless":
            yield (
                asked,
                "undetermined",
                f"replies through the stateless {device.name} are not followed yet",
                steps,
            )
            return
        if device.name not in self.knows:
            strange, judged = out_of_state(asked)
            if strange:
                yield (
                    strange,
                    "unanswered",
                    f"the answer comes by {device.name}, which did not see the question",
                    steps,
                )
            asked = judged
        wanted = on_axis(asked, SOURCE)
        own = addresses.intersection(wanted, self.routing.own(device))
        if own:
            crossing = Crossing(device, entering, None)
            for share, on in self._passing(crossing, from_sources(asked, own), steps):
                if isinstance(on, tuple):
                    yield from self._came_back(share, device, (*passed, crossing), on)
                else:
                    yield share, "unanswered", on, steps
            wanted = addresses.difference(wanted, own)
        for towards, ways in self.routing.towards(device, wanted):
            wanted = addresses.difference(wanted, towards)
            self.several |= len(ways) > 1
            for way in ways:
                yield from self._leave(device, entering, way, from_sources(asked, towards), passed, steps)
        if wanted:
            lost = from_sources(asked, wanted)
            for share, on in self._passing(Crossing(device, entering, None), lost, steps, ("inbound",)):
                if isinstance(on, str):
                    yield share, "unanswered", on, steps
                elif self.routing.half_built(device):
                    yield share, "undetermined", f"the way back: the routes of {device.name}", on
                else:
                    yield share, "unanswered", f"the answer finds no route at {device.name}", on

    def _leave(
        self, device: Device, entering: Interface | None, way: Way, asked: PacketSet, passed: tuple[Crossing, ...],
        steps: tuple[Step, ...],
    ) -> Iterator[Fate]:  # fmt: skip
        crossing = Crossing(device, entering, way.leaving)
        only: tuple[Stage, ...] = ("inbound",) if way.leaving is None else ()
        onward = (*passed, crossing)
        for share, on in self._passing(crossing, asked, steps, only):
            if isinstance(on, str):
                yield share, "unanswered", on, steps
            elif way.missing or way.leaving is None:
                yield share, "undetermined", f"the way back: {way.missing}", on
            elif way.device is not None:
                yield from self._enter(way.device, way.entering, share, onward, on)
            elif way.beyond is not None:
                yield from self._came_back(share, None, onward, on)
            else:
                yield from self._on_wire(self.routing.wire(way.leaving), share, onward, on)

    def _passing(
        self, crossing: Crossing, asked: PacketSet, steps: tuple[Step, ...], only: tuple[Stage, ...] = ()
    ) -> Iterator[tuple[PacketSet, tuple[Step, ...] | str]]:
        """Shares that pass a device, with what decided them, or are stopped there, with why.

        A device that knows the conversation lets its answers pass; another judges them as new.
        """
        if crossing.device.name in self.knows:
            yield asked, steps
            return
        journey = Journey("", turned(asked))
        for end in self.stages.staged(crossing, journey, "new", "new", only):
            share = turned(end.journey.packets)
            if end.result == "delivered":
                yield share, steps + end.journey.steps
            else:
                yield (
                    share,
                    f"the answer is {end.result} by {decider(end.journey.steps[-1])} at {crossing.device.name}",
                )

    def _came_back(
        self,
        asked: PacketSet,
        receiver: Device | None,
        passed: tuple[Crossing, ...],
        steps: tuple[Step, ...],
    ) -> Iterator[Fate]:
        """The answer arrived: it was for whoever asked, and what follows it passes too."""
        if not asked:
            return
        if (receiver.name if receiver else None) != self.asker:
            yield (
                asked,
                "unanswered",
                f"the answer ends at {receiver.name if receiver else 'a host'}, which did not ask",
                steps,
            )
            return
        both = {c.device.name for c in passed}
        half = next((c.device.name for c in self.first if c.device.name not in both), None)
        if half is not None:
            tcp = cut(asked, PROTOCOL, [(TCP, TCP)])
            if tcp:
                yield tcp, "unanswered", f"{half} sees only one direction, so it drops what follows", steps
            asked = cut(asked, PROTOCOL, [(0, TCP - 1), (TCP + 1, PROTOCOL_TOP)])
        if asked:
            yield asked, "delivered", None, steps


def decider(step: Step) -> str:
    return step.rule or (f"the default of {step.policy}" if step.policy else f"the {step.stage} default")
