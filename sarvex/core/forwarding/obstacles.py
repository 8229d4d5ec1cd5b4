"""What stands in the way of one flow: every place that would have to decide otherwise until it works, in the order in which it is met.

The place that stops it is made to let exactly this flow pass, and the flow is led again; so what stands behind comes to light, on the way
back too. Nothing is proposed: it is told where.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from sarvex.core.forwarding.course import Place, course_of
from sarvex.core.forwarding.journeys import HOSTS
from sarvex.core.forwarding.routing import Link, routing_of
from sarvex.core.forwarding.walk import Part, Question, about, trace
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Attachment, Device, Network, Policy, Rule, Stage, fold
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow

MOST = 12
"""So many places are told at most."""


@dataclass(frozen=True)
class Obstacles:
    """The places in order, each with whether it is on the way back; and what becomes of the flow if they all let it pass."""

    places: tuple[tuple[Place, bool], ...]
    then: Part | None
    """None if there are more than are told."""


def obstacles(
    network: Network, names: Names, flow: Flow, without: frozenset[Link] = frozenset(), entering: Link | None = None,
    go_on: Callable[[], bool] = lambda: True,
) -> Obstacles:  # fmt: skip
    """What stops a flow, and what would stop it then. Of several ways the first that fails is told.

    Raises what `trace` raises. Cost: one question about one flow for each place.
    """
    question = replace(about(flow, names), without=without, entering=entering)
    found: list[tuple[Place, bool]] = []
    while len(found) < MOST:
        parts = trace(network, names, question, go_on).parts
        part = next((p for p in parts if p.result != "delivered"), parts[0] if parts else None)
        stopped = _stopped(part, network, question) if part else None
        if stopped is None:
            return Obstacles(tuple(found), part)
        found.append(stopped)
        network = _let_pass(network, stopped[0], len(found))
    return Obstacles(tuple(found), None)


def _stopped(part: Part, network: Network, question: Question) -> tuple[Place, bool] | None:
    """The place at which rules or a default stop it, or its answer; None if nothing of that kind does."""
    course = course_of(part, routing_of(network, question.without))
    for places, back in ((course.there, False), (course.back, True)):
        for place in places:
            if place.step and place.step.action != "allow":
                return place, back
    return None


def _let_pass(network: Network, place: Place, number: int) -> Network:
    """The network with a rule before all others at the place that lets exactly this packet pass."""
    step, seen = place.step, place.seen
    assert step is not None and seen is not None
    name = f"let pass {number}"
    ends = (addresses.spell(seen.family, value) for value in (seen.src, seen.dst))
    source, destination = ((end,) for end in ends)
    rule = Rule(name=name, action="allow", source=source, destination=destination, service=(seen.service,))
    if step.policy is not None:
        policies = tuple(
            replace(p, rules=(rule, *p.rules)) if fold(p.name) == fold(step.policy) else p
            for p in network.policies
        )
        return replace(network, policies=policies)
    assert place.device != HOSTS
    policy = Policy(name=name, default="continue", rules=(rule,))
    devices = tuple(_consulting(d, name, place) if d.name == place.device else d for d in network.devices)
    return replace(network, policies=(*network.policies, policy), devices=devices)


def _consulting(device: Device, policy: str, place: Place) -> Device:
    stage: Stage = place.where  # type: ignore[assignment]
    return replace(device, policies=(*device.policies, Attachment(policy=policy, stage=stage)))
