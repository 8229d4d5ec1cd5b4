"""Where packets go and what decides them: whole sets traced through the network.

A question's packets are split by the segments that own their addresses and led from the source's gateways
along the routes, device by device; at each stage they are split again by the rules that decide them. Every
part of the answer keeps its packets. Where there are several paths each is followed, so that the parts of
one packet may differ: that packet gets through on some paths only.

What the model does not tell is *undetermined*: never kept, never allowed. That includes a reply which comes
back through a device that never saw the request, or by a way nobody has described.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from sarvex.core.firstmatch.partition import partition_of
from sarvex.core.forwarding.routing import Return, Way, routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet
from sarvex.core.model.records import (
    Action,
    Attachment,
    Device,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
    fold,
    named,
)
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.flows import Flow, State
from sarvex.core.sets.services import ServiceSet
from sarvex.core.time.moments import ALWAYS, Times

Result = Literal["delivered", "dropped", "rejected", "no route", "loop", "undetermined"]
Verdict = Literal["allowed", "blocked", "some", "undetermined", "empty"]
SYMPTOM = {
    "delivered": "reached",
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


@dataclass(frozen=True)
class Question:
    """What is asked: from where to where, by what, in which state, at which moments."""

    source: AddressSet
    destination: AddressSet
    service: ServiceSet
    states: tuple[State, ...] = ("new",)
    times: Times = ALWAYS


@dataclass(frozen=True)
class Step:
    """One place passed or stopped at. `rule` is None for a default; `policy` is None for a zone default.
    At hosts the device is `hosts`."""

    device: str
    stage: str
    policy: str | None
    rule: str | None
    position: int | None
    action: Action


@dataclass(frozen=True, eq=False)
class Part:
    """Packets of a question that share one fate. The last of `steps` decided them."""

    packets: PacketSet
    result: Result
    symptom: str
    source_segment: str
    destination_segment: str
    steps: tuple[Step, ...]
    missing: str | None = None
    sample: Flow | None = None


@dataclass(frozen=True, eq=False)
class Answer:
    """All parts of a question and the verdict over all of it."""

    verdict: Verdict
    parts: tuple[Part, ...]


HOSTS = "hosts"


@dataclass(frozen=True)
class _Crossing:
    """One device on the way. `entering` is None for what it sends itself, `leaving` for what it receives."""

    device: Device
    entering: Interface | None
    leaving: Interface | None


@dataclass(frozen=True)
class _Journey:
    """Packets under way from one segment to another, with what decided them so far and whom they passed."""

    source: Segment
    destination: Segment
    packets: PacketSet
    steps: tuple[Step, ...] = ()
    passed: tuple[Device, ...] = ()

    def on(self, packets: PacketSet, step: Step | None = None) -> _Journey:
        """The journey of a share of the packets, one step further."""
        return replace(self, packets=packets, steps=(*self.steps, step) if step else self.steps)


class TooWide(Exception):
    """A question takes longer than its asker waits."""


def trace(
    network: Network, names: Names, question: Question, go_on: Callable[[], bool] = lambda: True
) -> Answer:
    """Answer a question over the whole network. Raises what `Names` raises, and `TooWide` once `go_on` says no.

    Cost: pairs of segments × rules consulted × boxes in hand.
    """
    return _Tracer(network, names, go_on).answer(question)


class _Tracer:
    def __init__(self, network: Network, names: Names, go_on: Callable[[], bool]) -> None:
        self.network, self.names, self._go_on = network, names, go_on
        self.known = names.known()
        self.routing = routing_of(network)
        self._returns: dict[tuple[str, str, str], list[Return]] = {}
        self.from_devices = False

    def answer(self, question: Question) -> Answer:
        # Only who asks for a device's own addresses and nothing else means the device. A segment's addresses
        # include them, but there they stand for whoever on the wire would use them.
        own = addresses.union(self.routing.own(d) for d in self.network.devices)
        self.from_devices = bool(question.source) and addresses.covers(own, question.source)
        parts: list[Part] = []
        for source, source_addresses in self.routing.owners(question.source):
            for destination, destination_addresses in self.routing.owners(question.destination):
                asked = packet_sets.product(
                    source_addresses, destination_addresses, question.service, question.states, question.times
                )
                if asked:
                    parts += self._between(source, destination, asked)
        parts = [p for p in parts if p.packets]
        parts.sort(key=lambda p: _ORDER[p.result])
        return Answer(_verdict(parts), tuple(parts))

    def _tick(self) -> None:
        if not self._go_on():
            raise TooWide

    def _between(
        self, source: Segment | None, destination: Segment | None, asked: PacketSet
    ) -> Iterator[Part]:
        if source is None or destination is None:
            side = "source" if source is None else "destination"
            here, there = (s.name if s else "nowhere" for s in (source, destination))
            missing = f"no segment owns the {side} addresses"
            sample = packet_sets.sample(asked, self.known)
            yield Part(asked, "undetermined", "unknown", here, there, (), missing, sample)
            return
        sent = _Journey(source, destination, asked)
        if self.from_devices:
            for device in self.network.devices:
                own = packet_sets.intersection(sent.packets, _from(self.routing.own(device)))
                yield from self._forward(device, None, sent.on(own))
            return
        for journey, result, rule in self._at_hosts("outbound", sent):
            if result is None:
                yield from self._set_out(journey)
            else:
                yield self._ended(journey, result, rule)

    def _set_out(self, journey: _Journey) -> Iterator[Part]:
        """From the source's segment: to a neighbour, to a device on it, or by its gateways."""
        if journey.source is journey.destination:
            for device, interface in self.routing.starts(replace(journey.source, gateways=())):
                own = packet_sets.intersection(journey.packets, _to(self.routing.own(device)))
                if own:
                    yield from self._receive(device, interface, journey.on(own))
                    journey = journey.on(packet_sets.difference(journey.packets, own))
            yield from self._arrive(journey)
            return
        starts = self.routing.starts(journey.source)
        if not starts and journey.packets:
            yield self._unknown(journey, f"no device is on {journey.source.name}")
        for device, interface in starts:
            yield from self._forward(device, interface, journey)

    def _forward(self, device: Device, entering: Interface | None, journey: _Journey) -> Iterator[Part]:
        """Through one device: what is for itself, and what it sends on by each of its ways."""
        if not journey.packets:
            return
        if device in journey.passed:
            yield self._ended(journey, "loop")
            return
        own = packet_sets.intersection(journey.packets, _to(self.routing.own(device)))
        if own:
            yield from self._receive(device, entering, journey.on(own))
            journey = journey.on(packet_sets.difference(journey.packets, own))
        journey = replace(journey, passed=(*journey.passed, device))
        first = "inbound" if entering else "from the device"
        if entering:
            ended, journeys = self._stages((first,), _Crossing(device, entering, None), journey)
            yield from ended
        else:
            journeys = [journey]
        for arrived in journeys:
            yield from self._send(device, entering, arrived)

    def _send(self, device: Device, entering: Interface | None, journey: _Journey) -> Iterator[Part]:
        """By the device's routes; every equal way is followed."""
        stages = ("passage", "outbound") if entering else ("from the device", "outbound")
        wanted = packet_sets.destinations(journey.packets)
        for spread, ways in self.routing.towards(device, wanted):
            share = packet_sets.intersection(journey.packets, _to(spread))
            journey = journey.on(packet_sets.difference(journey.packets, share))
            for way in ways:
                crossing = _Crossing(device, entering, way.leaving)
                ended, passed = self._stages(stages, crossing, journey.on(share))
                yield from ended
                for onward in passed:
                    yield from self._onward(way, onward)
        if journey.packets:
            if device.routes:
                yield self._ended(journey, "no route", at=device)
            else:
                joined = f"no device joins {journey.source.name} and {journey.destination.name}"
                missing = f"the routes of {device.name}" if len(self.network.devices) > 1 else joined
                yield self._unknown(journey, missing)

    def _onward(self, way: Way, journey: _Journey) -> Iterator[Part]:
        if way.ends_on(journey.destination):
            yield from self._arrive(journey)
        elif way.device is not None:
            yield from self._forward(way.device, way.entering, journey)
        else:
            yield self._unknown(journey, way.missing or f"what is beyond {way.leaving.name}")

    def _receive(self, device: Device, entering: Interface | None, journey: _Journey) -> Iterator[Part]:
        """What is for the device itself; from its own address nothing is checked but what it sends."""
        if entering is None:
            yield self._ended(journey, "delivered")
            return
        stages = ("inbound", "to the device")
        ended, passed = self._stages(stages, _Crossing(device, entering, None), journey)
        yield from ended
        for received in passed:
            yield from self._delivered(received, device)

    def _arrive(self, journey: _Journey) -> Iterator[Part]:
        for arrived, result, rule in self._at_hosts("inbound", journey):
            if result is None:
                yield from self._delivered(arrived, None)
            else:
                yield self._ended(arrived, result, rule)

    def _delivered(self, journey: _Journey, receiver: Device | None) -> Iterator[Part]:
        """Delivered, if the reply surely comes back: what counts is the conversation."""
        if not journey.packets:
            return
        stateless = [d.name for d in journey.passed if d.filtering == "stateless"]
        if stateless:
            yield self._unknown(journey, f"replies through the stateless {stateless[0]} are not followed yet")
            return
        if journey.passed and not self.from_devices:
            for sources, missing in self._not_back(journey, receiver):
                lost = packet_sets.intersection(journey.packets, _from(sources))
                if lost:
                    yield self._unknown(journey.on(lost), missing)
                    journey = journey.on(packet_sets.difference(journey.packets, lost))
        if journey.packets:
            yield self._ended(journey, "delivered")

    def _not_back(self, journey: _Journey, receiver: Device | None) -> Iterator[tuple[AddressSet, str]]:
        """The sources whose replies may not come back by devices that know the conversation, and why."""
        key = (receiver.name if receiver else "", journey.source.name, journey.destination.name)
        if key not in self._returns:
            starts = [receiver] if receiver else [d for d, _ in self.routing.starts(journey.destination)]
            owned = self.names.owned_by_segment[fold(journey.source.name)]
            self._returns[key] = self.routing.returns(starts, journey.source, owned)
        known = {*(d.name for d in journey.passed), *([receiver.name] if receiver else [])}
        for back in self._returns[key]:
            strangers = [name for name in back.passed if name not in known]
            if back.trouble:
                yield back.share, f"the way back: {back.trouble}"
            elif strangers:
                stranger = f"{strangers[0]}, which did not see the request"
                yield back.share, f"the reply comes back through {stranger}"

    # --- stages ------------------------------------------------------------------------------------------

    def _stages(
        self, stages: tuple[str, ...], crossing: _Crossing, journey: _Journey
    ) -> tuple[list[Part], list[_Journey]]:
        """Through stages in order: the parts that ended there, and what passes all of them."""
        ended: list[Part] = []
        carried = [journey]
        for stage in stages:
            passed = []
            for journey in carried:
                for share, step, rule in self._stage(stage, crossing, journey.packets):
                    onward = journey.on(share, step)
                    if step is None or step.action == "allow":
                        passed.append(onward)
                    else:
                        ended.append(self._ended(onward, _STOPPED[step.action], rule))
            carried = passed
        return ended, [journey for journey in carried if journey.packets]

    def _stage(
        self, stage: str, crossing: _Crossing, what: PacketSet
    ) -> Iterator[tuple[PacketSet, Step | None, Rule | None]]:
        """Split packets by what decides them at one stage: share, step (None: nothing decides), rule."""
        device = crossing.device
        for attachment in device.policies:
            if attachment.stage == stage and self._in_scope(attachment, crossing):
                policy = named(self.network.policies, attachment.policy)
                for share, rule, position, action in self._judged(policy, what):
                    if action is not None:
                        name = rule.name if rule else None
                        yield share, Step(device.name, stage, policy.name, name, position, action), rule
                    else:
                        what = share
                if not what:
                    return
        if stage == "passage":
            is_open = zone_default(self.network, device, crossing.entering, crossing.leaving) == "open"
            yield what, Step(device.name, stage, None, None, None, "allow" if is_open else "drop"), None
        elif stage == "to the device":
            yield what, Step(device.name, stage, None, None, None, "allow"), None
        else:
            yield what, None, None

    def _judged(
        self, policy: Policy, what: PacketSet
    ) -> Iterator[tuple[PacketSet, Rule | None, int | None, Action | None]]:
        """What one policy makes of packets: share, rule, position, action; the last is what it leaves to the
        next policy (no action)."""
        spoken, silent = _by_family(what, policy.families)
        for position, rule, share in partition_of(policy, self.names).split(spoken, self._tick):
            yield share, rule, position, rule.action
            spoken = packet_sets.difference(spoken, share)
        if policy.default == "continue":
            silent = packet_sets.union((spoken, silent))
        elif spoken:
            yield spoken, None, None, policy.default
        yield silent, None, None, None

    def _at_hosts(
        self, direction: str, journey: _Journey
    ) -> Iterator[tuple[_Journey, Result | None, Rule | None]]:
        """Policies at hosts themselves: what ends there with its result, and what passes (no result)."""
        side = _from if direction == "outbound" else _to
        allowed: list[_Journey] = []
        for at in self.network.at_hosts:
            if at.direction != direction or not journey.packets:
                continue
            spread = addresses.intersection(
                addresses.union(self.names.address(h) for h in at.hosts), self.known.hosts
            )
            here = packet_sets.intersection(journey.packets, side(spread))
            elsewhere = packet_sets.difference(journey.packets, side(spread)) if here else journey.packets
            policy = named(self.network.policies, at.policy)
            for share, rule, position, action in self._judged(policy, here):
                if action is None:
                    elsewhere = packet_sets.union((elsewhere, share))
                    continue
                step = Step(HOSTS, direction, policy.name, rule.name if rule else None, position, action)
                onward = journey.on(share, step)
                if action == "allow":
                    allowed.append(onward)
                else:
                    yield onward, _STOPPED[action], rule
            journey = journey.on(elsewhere)
        for passing in (*allowed, journey):
            if passing.packets:
                yield passing, None, None

    def _in_scope(self, attachment: Attachment, crossing: _Crossing) -> bool:
        return (crossing.entering is None or in_scope(attachment.entering, crossing.entering)) and (
            crossing.leaving is None or in_scope(attachment.leaving, crossing.leaving)
        )

    # --- ends --------------------------------------------------------------------------------------------

    def _ended(
        self, journey: _Journey, result: Result, rule: Rule | None = None, at: Device | None = None
    ) -> Part:
        symptom = SYMPTOM.get(result) or REJECT_SYMPTOM[(rule and rule.reject_with) or "prohibited"]
        missing = f"no route at {at.name}" if at else None
        return self._part(journey, result, symptom, missing)

    def _unknown(self, journey: _Journey, missing: str) -> Part:
        return self._part(journey, "undetermined", "unknown", missing)

    def _part(self, journey: _Journey, result: Result, symptom: str, missing: str | None) -> Part:
        return Part(
            journey.packets, result, symptom, journey.source.name, journey.destination.name,
            journey.steps, missing, packet_sets.sample(journey.packets, self.known),
        )  # fmt: skip


_STOPPED: dict[str, Result] = {"drop": "dropped", "reject": "rejected"}


@lru_cache(maxsize=4096)
def _from(spread: AddressSet) -> PacketSet:
    return packet_sets.product(spread, addresses.ANY, services.ANY)


@lru_cache(maxsize=4096)
def _to(spread: AddressSet) -> PacketSet:
    return packet_sets.product(addresses.ANY, spread, services.ANY)


def between_zones(network: Network, device: Device, entering: str, leaving: str) -> str:
    """`open` or `closed`: what a device does by default with traffic from one zone to another, by name."""
    return zone_default(
        network, device, Interface(name="from", zone=entering), Interface(name="to", zone=leaving)
    )


def zone_default(
    network: Network, device: Device, entering: Interface | None, leaving: Interface | None
) -> str:
    """`open` or `closed`: what the device does by default between two of its interfaces."""
    rule = device.zone_default
    if rule.mode != "by depth":
        return rule.mode
    if entering is None or leaving is None or entering.zone is None or leaving.zone is None:
        return "closed"
    if fold(entering.zone) == fold(leaving.zone):
        return rule.within
    outer, inner = (named(network.zones, zone).depth for zone in (entering.zone, leaving.zone))
    return rule.level if outer == inner else rule.outward if outer > inner else rule.inward


_ORDER = {"delivered": 0, "undetermined": 1, "rejected": 2, "dropped": 3, "no route": 4, "loop": 5}


def _verdict(parts: list[Part]) -> Verdict:
    results = {p.result for p in parts}
    if not results:
        return "empty"
    if results == {"delivered"}:
        return "allowed"
    if "delivered" in results:
        return "some"
    return "undetermined" if "undetermined" in results else "blocked"


def _by_family(what: PacketSet, families: str) -> tuple[PacketSet, PacketSet]:
    """The packets a policy speaks of, and those of a family it passes over."""
    v4, v6 = PacketSet(what.v4, NOTHING.v6), PacketSet(NOTHING.v4, what.v6)
    return {"both": (what, NOTHING), "4": (v4, v6), "6": (v6, v4)}[families]


def in_scope(scope: tuple[str, ...], interface: Interface) -> bool:
    """Whether one side of an attachment's scope speaks of an interface, by its name, its zone or `any`."""
    wanted = {fold(name) for name in scope}
    return bool(wanted & {"any", fold(interface.name), fold(interface.zone or interface.name)})
