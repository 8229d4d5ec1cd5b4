"""The course of one flow, place by place: what decided it at each device, which route it took, and who knew its answer."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import zip_longest

from sarvex.core.forwarding.headers import answer_to
from sarvex.core.forwarding.journeys import HOSTS, Crossing, Step, judges_later
from sarvex.core.forwarding.rewriting import Choices, flow_as
from sarvex.core.forwarding.routing import Routing
from sarvex.core.forwarding.stages import compared
from sarvex.core.forwarding.walk import Part
from sarvex.core.model.records import Interface, Route, Stage
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow

KNOWN = "knows the conversation"
UNDONE = "undone"
UNASKED = "no policy is asked about answers here"


@dataclass(frozen=True)
class Place:
    """One place of a course: a stage of a device, its table of routes or one of its lists, or hosts.

    where: `Step.stage`, "route", one of `journeys.ENTRIES`, or "answer" for a device that lets an answer pass without a step: because
    it knows the question, or none of its policies is asked. step: what decided there; told: what is to be told without one, of a
    list the entry. seen: the packet as this place sees it; became: what a translation made of it.
    """

    device: str
    where: str
    entering: str | None = None
    leaving: str | None = None
    step: Step | None = None
    told: str = ""
    seen: Flow | None = None
    became: Flow | None = None


@dataclass(frozen=True)
class Course:
    """The way of a part's sample there, and that of its answer back."""

    there: tuple[Place, ...]
    back: tuple[Place, ...]


def course_of(part: Part, routing: Routing) -> Course:
    """Place by place, in the order in which the sample of a part came by. O(devices × routes)."""
    if part.sample is None:
        return Course((), ())
    there, sample = _Steps(part.steps), part.sample
    places = [Place(HOSTS, "outbound", step=step, seen=sample) for step in there.at(HOSTS, "outbound")]
    for crossing, following in zip_longest(part.way, part.way[1:]):
        next_ = following.device.name if following else ""
        places += _there(_Seen(crossing, sample, part.choices), next_, there, routing)
    arrived = _Seen(part.way[-1], sample, part.choices).left if part.way else sample
    places += [Place(HOSTS, "inbound", step=step, seen=arrived) for step in there.at(HOSTS, "inbound")]
    answer = _Steps(part.answer)
    back = [
        place for c in part.way_back for place in _back(_Seen(c, sample, part.choices, answer_to), answer)
    ]
    if back and back[-1].step is None and back[-1].device == part.lost_at:
        back[-1] = replace(back[-1], told=part.missing or "")
    return Course(tuple(places), tuple(back))


class _Seen:
    """A packet as it was at one device, told of the packet that was asked about."""

    def __init__(
        self,
        crossing: Crossing,
        sample: Flow,
        choices: Choices,
        turned: Callable[[Flow], Flow] = lambda flow: flow,
    ) -> None:
        self.crossing, self.name = crossing, crossing.device.name
        self.ends = _name(crossing.entering), _name(crossing.leaving)
        self.came, self.routed, self.left = (
            turned(flow_as(sample, header, choices))
            for header in (crossing.came, crossing.routed, crossing.left)
        )

    def at(self, stage: Stage) -> Flow:
        """As a stage compares it."""
        header = compared(self.crossing, stage)
        return {self.crossing.left: self.left, self.crossing.routed: self.routed}.get(header, self.came)

    def judged(self, stages: tuple[Stage, ...], steps: _Steps) -> Iterator[Place]:
        """The places of some stages at which something was decided."""
        for stage in stages:
            for step in steps.at(self.name, stage):
                yield Place(self.name, stage, *self.ends, step, seen=self.at(stage))

    def translated(self, where: str, entry: str, seen: Flow, became: Flow) -> Place:
        """The place at which it was made another."""
        return Place(self.name, where, *self.ends, told=entry, seen=seen, became=became)


class _Steps:
    """Steps taken one after the other."""

    def __init__(self, steps: tuple[Step, ...]) -> None:
        self._steps = list(steps)

    def at(self, device: str, stage: str) -> Iterator[Step]:
        """The next step, if it is there."""
        if self._steps and (self._steps[0].device, self._steps[0].stage) == (device, stage):
            yield self._steps.pop(0)


def _there(here: _Seen, next_: str, steps: _Steps, routing: Routing) -> Iterator[Place]:
    """The places of one device; `next_` is the device after it, by name."""
    crossing = here.crossing
    to, steered, from_ = crossing.by
    for place in here.judged(("inbound",), steps):
        yield place
        if place.step and place.step.action != "allow":
            return
    if to:
        yield here.translated("destination translation", to, here.came, here.routed)
    if steered:
        yield Place(here.name, "steering", *here.ends, told=steered, seen=here.routed)
    elif told := _route(crossing, next_, here.routed, routing):
        yield Place(here.name, "route", *here.ends, told=told, seen=here.routed)
    for place in here.judged(("passage", "from the device", "outbound", "to the device"), steps):
        yield place
        if place.step and place.step.action != "allow":
            return
    if from_:
        yield here.translated("source translation", from_, here.routed, here.left)


def _back(here: _Seen, steps: _Steps) -> Iterator[Place]:
    if here.came != here.routed:
        yield here.translated("source translation", UNDONE, here.came, here.routed)
    judged = list(here.judged(("inbound", "passage", "from the device", "outbound", "to the device"), steps))
    told = UNASKED if judges_later(here.crossing.device) else KNOWN
    yield from judged or [Place(here.name, "answer", *here.ends, told=told, seen=here.routed)]
    if here.routed != here.left:
        yield here.translated("destination translation", UNDONE, here.routed, here.left)


def _name(interface: Interface | None) -> str | None:
    return interface.name if interface else None


def _route(crossing: Crossing, following: str, flow: Flow, routing: Routing) -> str:
    """The route that a flow takes at a device, told; nothing where none leads it on."""
    address = addresses.span(flow.family, flow.dst, flow.dst)
    if addresses.covers(routing.own(crossing.device), address):
        return ""
    entry = routing.entry(crossing.device, address, crossing.leaving)
    if entry is None:
        return ""
    by = f" by {crossing.leaving.name}" if crossing.leaving else ""
    if isinstance(entry, Route):
        hop = " ".join(filter(None, (following, entry.via)))
        next_ = f", next {hop}" if hop else ""
        return f"{entry.prefix}, discarded" if entry.discard else f"{entry.prefix}{by}{next_}"
    return f"{entry.segment} itself{by}"
