"""Where packets go and what decides them: whole sets traced through the network.

A question's packets are split by the segments that own their addresses, led through the devices that
join those segments, and at each stage split again by the rules that decide them. Every part of the answer
keeps its packets, so the parts always add up to the question.

Devices join segments they have interfaces on. A pair of segments that no single device joins is
*undetermined*: never kept, never allowed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from sarvex.core import addresses, packets, services
from sarvex.core.addresses import AddressSet
from sarvex.core.flows import Flow, State
from sarvex.core.matches import matches_of
from sarvex.core.model import (
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
from sarvex.core.names import Names
from sarvex.core.packets import NOTHING, PacketSet
from sarvex.core.services import ServiceSet
from sarvex.core.sieve import Sieve

Result = Literal["delivered", "dropped", "rejected", "undetermined"]
Verdict = Literal["allowed", "blocked", "some", "undetermined", "empty"]
SYMPTOM = {"delivered": "reached", "dropped": "silence", "undetermined": "unknown"}
REJECT_SYMPTOM = {
    "reset": "refused",
    "port-unreachable": "refused",
    "host-unreachable": "unreachable",
    "prohibited": "prohibited",
}


@dataclass(frozen=True)
class Question:
    """What is asked: from where to where, by what, in which state, entering by which interface."""

    source: AddressSet
    destination: AddressSet
    service: ServiceSet
    states: tuple[State, ...] = ("new",)


@dataclass(frozen=True)
class Step:
    """One place passed or stopped at. `rule` is None for a default; `policy` is None for a zone default."""

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


@dataclass(frozen=True)
class _Crossing:
    device: Device
    entering: Interface
    leaving: Interface | None


def trace(network: Network, names: Names, question: Question) -> Answer:
    """Answer a question over the whole network. Raises what `Names` raises.

    Cost: pairs of segments × rules consulted × boxes in hand.
    """
    return _Tracer(network, names).answer(question)


class _Tracer:
    def __init__(self, network: Network, names: Names) -> None:
        self.network, self.names = network, names
        self.known = names.known()
        self._rules: dict[str, Sieve] = {}

    def answer(self, question: Question) -> Answer:
        parts: list[Part] = []
        for source, source_addresses in self._split(question.source):
            for destination, destination_addresses in self._split(question.destination):
                asked = packets.product(
                    source_addresses, destination_addresses, question.service, question.states
                )
                if asked:
                    parts += self._between(source, destination, asked)
        parts = [p for p in parts if p.packets]
        parts.sort(key=lambda p: _ORDER[p.result])
        return Answer(_verdict(parts), tuple(parts))

    def _split(self, wanted: AddressSet) -> Iterator[tuple[Segment | None, AddressSet]]:
        """The part of an address set in each segment; None for addresses nobody owns."""
        for segment in self.network.segments:
            share = addresses.intersection(wanted, self.names.owned_by_segment[fold(segment.name)])
            if share:
                yield segment, share
                wanted = addresses.difference(wanted, share)
        if wanted:
            yield None, wanted

    def _between(
        self, source: Segment | None, destination: Segment | None, asked: PacketSet
    ) -> Iterator[Part]:
        if source is None or destination is None:
            side = "source" if source is None else "destination"
            yield self._undetermined(source, destination, asked, f"no segment owns the {side} addresses")
            return
        devices = [
            d for d in self.network.devices if any(fold(i.segment) == fold(source.name) for i in d.interfaces)
        ]
        for device in devices:
            entering = next(i for i in device.interfaces if fold(i.segment) == fold(source.name))
            own = self._to_device(device, asked)
            if own:
                yield from self._walk(source, destination, own, _Crossing(device, entering, None))
                asked = packets.difference(asked, own)
        if source is destination:
            yield self._part(source, destination, asked, "delivered", ())
            return
        crossings = [
            _Crossing(device, i, o)
            for device in devices
            for i in device.interfaces
            for o in device.interfaces
            if fold(i.segment) == fold(source.name) and fold(o.segment) == fold(destination.name)
        ]
        if not crossings and asked:
            missing = f"no device joins {source.name} and {destination.name}"
            yield self._undetermined(source, destination, asked, missing)
        for crossing in crossings:
            yield from self._walk(source, destination, asked, crossing)

    def _to_device(self, device: Device, asked: PacketSet) -> PacketSet:
        own = addresses.union(addresses.parse(a) for i in device.interfaces for a in i.addresses)
        return packets.intersection(asked, packets.product(addresses.ANY, own, services.ANY))

    def _walk(
        self, source: Segment, destination: Segment, asked: PacketSet, crossing: _Crossing
    ) -> Iterator[Part]:
        """Through the stages of one device; what a stage lets pass goes on to the next."""
        stages = ("inbound", "passage", "outbound") if crossing.leaving else ("inbound", "to the device")
        carried: list[tuple[PacketSet, tuple[Step, ...]]] = [(asked, ())]
        for stage in stages:
            passed = []
            for what, steps in carried:
                for share, step, rule in self._stage(stage, crossing, what):
                    trail = (*steps, step) if step else steps
                    if step is None or step.action == "allow":
                        passed.append((share, trail))
                    else:
                        result: Result = "dropped" if step.action == "drop" else "rejected"
                        yield self._part(source, destination, share, result, trail, rule)
            carried = passed
        for what, steps in carried:
            if crossing.device.filtering == "stateless" and crossing.leaving:
                missing = f"replies through the stateless {crossing.device.name} are not followed yet"
                yield self._undetermined(source, destination, what, missing, steps)
            else:
                yield self._part(source, destination, what, "delivered", steps)

    def _stage(
        self, stage: str, crossing: _Crossing, what: PacketSet
    ) -> Iterator[tuple[PacketSet, Step | None, Rule | None]]:
        """Split packets by what decides them at one stage: share, step (None: nothing decides), rule."""
        device = crossing.device
        for attachment in device.policies:
            if attachment.stage == stage and self._in_scope(attachment, crossing):
                policy = named(self.network.policies, attachment.policy)
                spoken, silent = _by_family(what, policy.families)
                for position, rule, share in self._sieve(policy).split(spoken):
                    yield share, Step(device.name, stage, policy.name, rule.name, position, rule.action), rule
                    spoken = packets.difference(spoken, share)
                if policy.default == "continue":
                    what = packets.union((spoken, silent))
                else:
                    yield spoken, Step(device.name, stage, policy.name, None, None, policy.default), None
                    what = silent
                if not what:
                    return
        if stage == "passage":
            is_open = zone_default(self.network, device, crossing.entering, crossing.leaving) == "open"
            yield what, Step(device.name, stage, None, None, None, "allow" if is_open else "drop"), None
        elif stage == "to the device":
            yield what, Step(device.name, stage, None, None, None, "allow"), None
        else:
            yield what, None, None

    def _in_scope(self, attachment: Attachment, crossing: _Crossing) -> bool:
        return in_scope(attachment.entering, crossing.entering) and (
            crossing.leaving is None or in_scope(attachment.leaving, crossing.leaving)
        )

    def _sieve(self, policy: Policy) -> Sieve:
        if policy.name not in self._rules:
            self._rules[policy.name] = Sieve(policy, matches_of(policy, self.names))
        return self._rules[policy.name]

    def _part(
        self, source: Segment, destination: Segment, what: PacketSet, result: Result,
        steps: tuple[Step, ...], rule: Rule | None = None,
    ) -> Part:  # fmt: skip
        symptom = SYMPTOM.get(result) or REJECT_SYMPTOM[(rule and rule.reject_with) or "prohibited"]
        return Part(
            what,
            result,
            symptom,
            source.name,
            destination.name,
            steps,
            sample=packets.sample(what, self.known),
        )

    def _undetermined(
        self,
        source: Segment | None,
        destination: Segment | None,
        what: PacketSet,
        missing: str,
        steps: tuple[Step, ...] = (),
    ) -> Part:
        here, there = (s.name if s else "nowhere" for s in (source, destination))
        return Part(
            what, "undetermined", "unknown", here, there, steps, missing, packets.sample(what, self.known)
        )


def zone_default(network: Network, device: Device, entering: Interface, leaving: Interface | None) -> str:
    """`open` or `closed`: what the device does by default between two of its interfaces."""
    rule = device.zone_default
    if rule.mode != "by depth":
        return rule.mode
    if leaving is None or entering.zone is None or leaving.zone is None:
        return "closed"
    if fold(entering.zone) == fold(leaving.zone):
        return rule.within
    outer, inner = (named(network.zones, zone).depth for zone in (entering.zone, leaving.zone))
    return rule.level if outer == inner else rule.outward if outer > inner else rule.inward


_ORDER = {"delivered": 0, "undetermined": 1, "rejected": 2, "dropped": 3}


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
