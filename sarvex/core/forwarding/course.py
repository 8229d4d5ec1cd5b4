"""The course of one flow, place by place: what decided it at each device, which route it took, and who knew its answer."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import zip_longest

from sarvex.core.forwarding.journeys import HOSTS, Crossing, Step
from sarvex.core.forwarding.routing import Routing
from sarvex.core.forwarding.walk import Part
from sarvex.core.forwarding.way_back import judges_later
from sarvex.core.model.records import Interface, Route
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow

KNOWN = "knows the conversation"
UNASKED = "no policy is asked about answers here"


@dataclass(frozen=True)
class Place:
    """One place of a course: a stage of a device, its table of routes, or hosts.

    where: `Step.stage`, "route", or "answer" for a device that lets an answer pass without a step: because it knows the question, or none of its policies is asked. step: what decided
    there; told: what is to be told without one.
    """

    device: str
    where: str
    entering: str | None = None
    leaving: str | None = None
    step: Step | None = None
    told: str = ""


@dataclass(frozen=True)
class Course:
    """The way of a part's sample there, and that of its answer back."""

    there: tuple[Place, ...]
    back: tuple[Place, ...]


def course_of(part: Part, routing: Routing) -> Course:
    """Place by place, in the order in which the sample of a part came by. O(devices × routes)."""
    if part.sample is None:
        return Course((), ())
    there = _Steps(part.steps)
    places = [Place(HOSTS, "outbound", step=step) for step in there.at(HOSTS, "outbound")]
    for crossing, following in zip_longest(part.way, part.way[1:]):
        next_ = following.device.name if following else ""
        places += _there(crossing, next_, there, part.sample, routing)
    places += [Place(HOSTS, "inbound", step=step) for step in there.at(HOSTS, "inbound")]
    answer = _Steps(part.answer)
    back = [place for crossing in part.way_back for place in _back(crossing, answer)]
    if back and back[-1].step is None and back[-1].device == part.lost_at:
        back[-1] = replace(back[-1], told=part.missing or "")
    return Course(tuple(places), tuple(back))


class _Steps:
    """Steps taken one after the other."""

    def __init__(self, steps: tuple[Step, ...]) -> None:
        self._steps = list(steps)

    def at(self, device: str, stage: str) -> Iterator[Step]:
        """The next step, if it is there."""
        if self._steps and (self._steps[0].device, self._steps[0].stage) == (device, stage):
            yield self._steps.pop(0)


def _there(crossing: Crossing, next_: str, steps: _Steps, flow: Flow, routing: Routing) -> Iterator[Place]:
    """The places of one device; `next_` is the device after it, by name."""
    name = crossing.device.name
    ends = _name(crossing.entering), _name(crossing.leaving)
    for step in steps.at(name, "inbound"):
        yield Place(name, "inbound", *ends, step)
        if step.action != "allow":
            return
    told = _route(crossing, next_, flow, routing)
    if told:
        yield Place(name, "route", *ends, told=told)
    for stage in ("passage", "from the device", "outbound", "to the device"):
        for step in steps.at(name, stage):
            yield Place(name, stage, *ends, step)


def _back(crossing: Crossing, steps: _Steps) -> Iterator[Place]:
    name = crossing.device.name
    ends = _name(crossing.entering), _name(crossing.leaving)
    stages = ("inbound", "passage", "from the device", "outbound", "to the device")
    judged = [Place(name, stage, *ends, step) for stage in stages for step in steps.at(name, stage)]
    told = UNASKED if judges_later(crossing.device) else KNOWN
    yield from judged or [Place(name, "answer", *ends, told=told)]


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
