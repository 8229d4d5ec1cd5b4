"""Answers led back: past devices that know the conversation, and past others; and whether what follows passes too."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import cast

from sarvex.core.forwarding.headers import TCP, cut, from_sources, out_of_state, turned
from sarvex.core.forwarding.journeys import Crossing, End, Journey, Result, Step
from sarvex.core.forwarding.routing import Routing, Way
from sarvex.core.forwarding.stages import Stages
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import PROTOCOL, SOURCE, PacketSet
from sarvex.core.model.records import Device, Interface, Segment, Stage, fold
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import State
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
        self.asker = together(self.first[0].device) if self.first and self.first[0].entering is None else None
        self.knows = {together(c.device) for c in self.first}

    def led(self, asked: PacketSet) -> Iterator[Fate]:
        """The fate of every packet by each way of its answer."""
        if self.end.device is not None:
            yield from self._enter(self.end.device, None, asked, (), ())
        elif self.end.segment is not None:
            segment = self.end.segment
            askers = packet_sets.project(asked, SOURCE)
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
        for reached in self.routing.on_wire(segment, packet_sets.project(asked, SOURCE)):
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
        if together(device) not in self.knows and device.out_of_state == "drop":
            strange, asked = out_of_state(asked)
            if strange:
                told = f"the answer comes by {device.name}, which did not see the question"
                yield strange, "unanswered", told, steps
        wanted = packet_sets.project(asked, SOURCE)
        own = addresses.intersection(wanted, self.routing.own(device))
        if own:
            crossing = Crossing(device, entering, None)
            for share, on in self._passing(crossing, from_sources(asked, own), steps):
                if isinstance(on, tuple):
                    yield from self._came_back(share, device, (*passed, crossing), on)
                else:
                    yield share, "unanswered", on, steps
            wanted = addresses.difference(wanted, own)
        rest = from_sources(asked, wanted)
        if entering and entering.management_only:
            for share, on in self._passing(Crossing(device, entering, None), rest, steps, ("inbound",)):
                told = f"{entering.name} of {device.name} is for management only"
                yield share, "unanswered", on if isinstance(on, str) else told, steps
            return
        where_asked = self._where_asked(device)
        if where_asked is not None:
            yield from self._back_where_asked(where_asked, entering, rest, passed, steps)
            return
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
            elif way.discard:
                yield share, "unanswered", f"a route of {device.name} discards the answer", on
            elif entering and way.leaving and way.leaving.management_only:
                yield share, "unanswered", f"{way.leaving.name} of {device.name} is for management only", on
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
        if together(crossing.device) in self.knows:
            yield asked, steps
            return
        invalid, new = out_of_state(asked)
        for some, seen in ((invalid, "invalid"), (new, "new")):
            for end in self.stages.staged(
                crossing, Journey("", turned(some)), "new", cast(State, seen), only
            ):
                share = turned(end.journey.packets)
                if end.result == "delivered":
                    yield share, steps + end.journey.steps
                else:
                    by = decider(end.journey.steps[-1])
                    yield share, f"the answer is {end.result} by {by} at {crossing.device.name}"

    def _where_asked(self, device: Device) -> int | None:
        """Which crossing of the first packet answers leave a device by, if not by route."""
        if device.answers_leave == "by route":
            return None
        own = [k for k, c in enumerate(self.first) if c.device.name == device.name]
        return own[-1] if own and self.first[own[-1]].entering is not None else None

    def _back_where_asked(
        self, at: int, entering: Interface | None, asked: PacketSet, passed: tuple[Crossing, ...], steps: tuple[Step, ...]
    ) -> Iterator[Fate]:  # fmt: skip
        """By the interface that the first packet came in by, back to whom it came from. The device knows the answer."""
        device, leaving = self.first[at].device, self.first[at].entering
        if not asked or leaving is None:
            return
        onward = (*passed, Crossing(device, entering, leaving))
        before = self.first[at - 1] if at else None
        if entering and leaving.management_only:
            yield asked, "unanswered", f"{leaving.name} of {device.name} is for management only", steps
        elif before is not None:
            yield from self._enter(before.device, before.leaving, asked, onward, steps)
        else:
            yield from self._came_back(asked, None, onward, steps)

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
        if (together(receiver) if receiver else None) != self.asker:
            yield (
                asked,
                "unanswered",
                f"the answer ends at {receiver.name if receiver else 'a host'}, which did not ask",
                steps,
            )
            return
        both = {together(c.device) for c in passed}
        half = [c for c in self.first if together(c.device) not in both]
        others = asked
        if half:
            yield from self._half_seen(half, cut(asked, PROTOCOL, [(TCP, TCP)]), steps)
            others = cut(asked, PROTOCOL, [(0, TCP - 1), (TCP + 1, PROTOCOL_TOP)])
        if others:
            yield others, "delivered", None, steps

    def _half_seen(self, half: list[Crossing], tcp: PacketSet, steps: tuple[Step, ...]) -> Iterator[Fate]:
        """TCP past devices that see one direction only: what follows the first packet is out of state there."""
        for crossing in half:
            name = crossing.device.name
            if not tcp:
                return
            if crossing.device.out_of_state == "drop":
                yield tcp, "unanswered", f"{name} sees only one direction, so it drops what follows", steps
                return
            passed = []
            for end in self.stages.staged(crossing, Journey("", tcp), "new", "invalid"):
                if end.result == "delivered":
                    passed.append(end.journey.packets)
                else:
                    by = decider(end.journey.steps[-1])
                    yield (
                        end.journey.packets,
                        "unanswered",
                        f"what follows is {end.result} by {by} at {name}",
                        steps,
                    )
            tcp = packet_sets.union(passed)
        if tcp:
            yield tcp, "delivered", None, steps


def together(device: Device) -> str:
    """Devices that share what they know have this in common."""
    return f"cluster {fold(device.cluster)}" if device.cluster else device.name


def decider(step: Step) -> str:
    return step.rule or (f"the default of {step.policy}" if step.policy else f"the {step.stage} default")
