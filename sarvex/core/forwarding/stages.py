"""Which policies a device consults for what, and what it does where none of them speaks."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator
from dataclasses import replace
from functools import cached_property
from typing import cast

from sarvex.core.firstmatch.partition import partition_of
from sarvex.core.forwarding.headers import by_family, by_tcp, cut_to, restated
from sarvex.core.forwarding.journeys import (
    HOSTS,
    STOPPED,
    Crossing,
    End,
    Journey,
    Step,
    judges_later,
    together,
)
from sarvex.core.forwarding.rewriting import Choices, Header
from sarvex.core.forwarding.scopes import in_scope, speaks_of
from sarvex.core.forwarding.translating import Translating
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, NOTHING, SOURCE, PacketSet
from sarvex.core.model.records import (
    Action,
    Device,
    Interface,
    Network,
    Policy,
    Rule,
    Stage,
    fold,
    named,
)
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import State
from sarvex.core.tables import permits
from sarvex.core.tables.table import Table


def between_zones(network: Network, device: Device, entering: str, leaving: str) -> str:
    """`open` or `closed`: what a device does by default with traffic from one zone to another, by name."""
    return zone_default(
        network, device, Interface(name="from", zone=entering), Interface(name="to", zone=leaving)
    )


def zone_default(network: Network, device: Device, entering: Interface, leaving: Interface) -> str:
    """`open` or `closed`: what the device does by default between two of its interfaces."""
    rule = device.zone_default
    if rule.mode != "by depth":
        return rule.mode
    if entering.zone is None or leaving.zone is None:
        return "closed"
    if fold(entering.zone) == fold(leaving.zone):
        return rule.within
    outer, inner = (named(network.zones, zone).depth for zone in (entering.zone, leaving.zone))
    return rule.level if outer == inner else rule.outward if outer > inner else rule.inward


def compared(through: Crossing, stage: Stage) -> Header:
    """The header that a stage of a device compares."""
    sees = through.device.sees
    form = {"inbound": sees.inbound, "passage": sees.passage, "outbound": sees.outbound}.get(stage, "routed")
    return {"entered": through.came, "routed": through.routed, "left": through.left}[form]


def gathered(journeys: list[Journey]) -> list[Journey]:
    """Journeys that differ in their packets and choices alone, those by the same choices as one."""
    alike: dict[Choices, list[Journey]] = defaultdict(list)
    for one in journeys:
        alike[one.choices].append(one)
    return [some[0].on(packet_sets.union(j.packets for j in some)) for some in alike.values()]


def _by_action(
    found: Iterator[tuple[PacketSet, Step | None, Rule | None]],
) -> Iterator[tuple[PacketSet, Step | None, Rule | None]]:
    """What rules decided, told apart by whether it passes alone."""
    shares: dict[bool, list[PacketSet]] = {True: [], False: []}
    for share, step, _ in found:
        passes = step is None or step.action == "allow"
        shares[passes].append(share)
        if not passes:
            stopped = step
    if shares[True]:
        yield packet_sets.coalesced(packet_sets.union(shares[True])), None, None
    if shares[False]:
        yield packet_sets.union(shares[False]), stopped, None


class Stages:
    """The stages of the devices of one network, and its policies at hosts, for sets of packets.

    tick: called now and then; it may raise to end what goes on. by_rule: whether packets are told apart by the rule that decided them,
    and not only by whether they pass.
    """

    def __init__(
        self,
        network: Network,
        names: Names,
        tick: Callable[[], None] = lambda: None,
        by_rule: bool = True,
    ) -> None:
        self.network, self.names, self._tick, self._by_rule = network, names, tick, by_rule
        self.known = names.known()
        self._alike: dict[Hashable, Hashable] = {}
        self._entrances: dict[Hashable, Interface] = {}

    @cached_property
    def translating(self) -> Translating:
        """The translations and the steering of the devices."""
        return Translating(self.names, self._tick)

    @cached_property
    def drops_strangers(self) -> dict[str, bool]:
        """Of stateful devices: whether all that know the same (`together`) drop what is out of state."""
        out: dict[str, bool] = {}
        for device in self.network.devices:
            if device.filtering == "stateless":
                continue
            key = together(device)
            out[key] = out.get(key, True) and device.out_of_state == "drop"
        return out

    def counts(self, device: Device) -> bool:
        """Whether it matters how exactly a packet passed a device, and not only whether: for its answer, or what follows it."""
        if device.answers_leave != "by route" or judges_later(device):
            return True
        return together(device) in self._translators or not self.drops_strangers[together(device)]

    @cached_property
    def _translators(self) -> set[str]:
        return {together(d) for d in self.network.devices if d.translate_destination or d.translate_source}

    def judged(
        self, device: Device, entering: Interface | None, leaving: Interface | None, journey: Journey, state: State,
        only: tuple[Stage, ...] = (),
    ) -> Iterator[End]:  # fmt: skip
        """What a device lets pass (*delivered*, the device noted), and what ends there."""
        journey = journey.past(device, entering, leaving)
        through = journey.crossings[-1]
        stateful = device.filtering == "stateful"
        if not stateful and state in ("related", "invalid"):
            yield End(journey, "undetermined", missing=f"{state} packets at the stateless {device.name}")
        elif state == "invalid" and device.out_of_state == "drop":
            yield End(journey, "dropped", device.name, missing=f"out of state at {device.name}")
        elif not stateful:
            yield from self.without_memory(through, journey, state, state, only)
        elif state == "established" and device.replies == "by conversation":
            # The conversation was allowed if its packets pass as new; what does not is for the rules.
            left = []
            for end in self.staged(through, journey, state, "new", only):
                if end.result == "delivered":
                    yield end
                else:
                    left.append(replace(end.journey, steps=journey.steps))
            for one in gathered(left):
                yield from self.staged(through, one, state, state, only)
        else:
            yield from self.staged(through, journey, state, state, only)

    def without_memory(
        self, through: Crossing, journey: Journey, state: State, tcp: State, only: tuple[Stage, ...] = ()
    ) -> Iterator[End]:
        """Through the stages of a device that judges every packet by itself: those of TCP in one state, all others as new."""
        some, rest = by_tcp(journey.packets)
        for share, seen in ((some, tcp), (rest, "new")):
            if share:
                yield from self.staged(through, journey.on(share), state, seen, only)

    def staged(
        self, through: Crossing, journey: Journey, state: State, seen: State, only: tuple[Stage, ...] = ()
    ) -> Iterator[End]:
        """Through the stages of a device in their order, judged in the state in which the device sees them."""
        entering, leaving = through.entering, through.leaving
        stages: tuple[Stage, ...] = ("inbound",) if entering else ()
        if leaving is not None:
            stages += ("passage" if entering else "from the device", "outbound")
        elif entering and not only:
            stages += ("to the device",)
        carried = [journey]
        for stage in stages:
            passed = []
            for one in carried:
                for onward, step, rule in self._decided(stage, through, one, state, seen):
                    if step is None or step.action == "allow":
                        passed.append(onward)
                    else:
                        yield End(onward, STOPPED[step.action], through.device.name, rule=rule)
            carried = passed
        for one in carried:
            if one.packets:
                yield End(one, "delivered")

    def _decided(
        self, stage: Stage, through: Crossing, journey: Journey, state: State, seen: State
    ) -> Iterator[tuple[Journey, Step | None, Rule | None]]:
        """A journey parted by what decides it at one stage."""
        policies = self._speaking(stage, through)
        if not policies:  # all of it alike, whatever its header
            step = self._otherwise(stage, through)
            yield journey.on(journey.packets, (step,) if step else ()), step, None
            return
        header = compared(through, stage)
        sent = restated(journey.sent(header), state, seen)
        found = self._by_policies(policies, stage, through, sent)
        for share, step, rule in found if self._by_rule else _by_action(found):
            for one in journey.shares(restated(share, seen, state), header, (step,) if step else ()):
                yield one, step, rule

    def stage(
        self, stage: Stage, through: Crossing, what: PacketSet
    ) -> Iterator[tuple[PacketSet, Step | None, Rule | None]]:
        """Split packets by what decides them at one stage alone: share, step (None: nothing decides), rule."""
        return self._by_policies(self._speaking(stage, through), stage, through, what)

    def _by_policies(
        self, policies: list[Policy], stage: Stage, through: Crossing, what: PacketSet
    ) -> Iterator[tuple[PacketSet, Step | None, Rule | None]]:
        for policy in policies:
            left = NOTHING
            for share, rule, position, action in self._by_policy(policy, what):
                if action is None:
                    left = packet_sets.union((left, share))
                elif share:
                    name = rule.name if rule else None
                    yield share, Step(through.device.name, stage, policy.name, name, position, action), rule
            what = left
            if not what:
                return
        yield what, self._otherwise(stage, through), None

    def _speaking(self, stage: Stage, through: Crossing) -> list[Policy]:
        """The policies that are consulted at a stage of a device, in their order."""
        return [
            named(self.network.policies, attached.policy)
            for attached in through.device.policies
            if attached.stage == stage and speaks_of(attached, through.entering, through.leaving)
        ]

    def judged_as(self, device: Device, entering: Interface | None, leaving: Interface) -> Hashable:
        """What packets have in common that the stages of a device say the same of, by whichever interface they leave; None where each
        interface is to be asked about by itself: where it is told by which rules, or it may translate them as they leave."""
        if self._by_rule or device.translate_source or device.translate_destination:
            return None
        return self._consulted(device, entering, leaving)

    def _consulted(self, device: Device, entering: Interface | None, leaving: Interface) -> Hashable:
        """The policies that stand before a way through a device, and what is done where none of them speaks."""
        key = device.name, entering and entering.name, leaving.name
        if key not in self._alike:
            through = Crossing(device, entering, leaving)
            speaking = [
                tuple(fold(policy.name) for policy in self._speaking(stage, through))
                for stage in (*(("inbound", "passage") if entering else ("from the device",)), "outbound")
            ]
            step = self._otherwise("passage", through) if entering else None
            self._alike[key] = device.name, *speaking, step and step.action
        return self._alike[key]

    def entrance(self, device: Device, entering: Interface) -> Interface:
        """The first of the interfaces of a device by which it makes no difference to come in: the interface itself if none is like it.

        Not where it matters how exactly a packet passed (`counts`), nor for management alone, which is told by name.
        """
        if entering.management_only or self.counts(device):
            return entering
        key = device.name, entering.name
        if key not in self._entrances:
            alike = (
                device.name,
                *(self._consulted(device, entering, leaving) for leaving in device.interfaces),
                *(
                    in_scope(one.entering, entering)
                    for some in (device.policies, device.steering)
                    for one in some
                ),
            )
            self._entrances[key] = self._entrances.setdefault(alike, entering)
        return self._entrances[key]

    def _otherwise(self, stage: Stage, through: Crossing) -> Step | None:
        """What decides where no policy does; None: nothing."""
        action: Action = "allow"
        if stage == "passage":
            entering, leaving = cast(tuple[Interface, Interface], (through.entering, through.leaving))
            action = (
                "allow" if zone_default(self.network, through.device, entering, leaving) == "open" else "drop"
            )
        elif stage != "to the device":
            return None
        return Step(through.device.name, stage, None, None, None, action)

    def _by_policy(
        self, policy: Policy, what: PacketSet
    ) -> Iterator[tuple[PacketSet, Rule | None, int | None, Action | None]]:
        """What one policy makes of packets: share, rule, position, action; no action for what it leaves to the next."""
        spoken, silent = by_family(what, policy.families)
        yield silent, None, None, None
        if isinstance(spoken, Table):
            allowed, stopped, left = permits.judged(policy, self.names, spoken)
            yield allowed, None, None, "allow"
            yield stopped, None, None, "drop"
            yield left, None, None, None
            return
        for position, rule, share in partition_of(policy, self.names).split(spoken, self._tick):
            if rule is not None:
                yield share, rule, position, rule.action
            else:
                yield share, None, None, None if policy.default == "continue" else policy.default

    def at_hosts(self, direction: str, journey: Journey) -> Iterator[End]:
        """Policies at hosts themselves: what passes is *delivered*."""
        axis = SOURCE if direction == "outbound" else DESTINATION
        here = [journey]
        for at in self.network.at_hosts:
            if at.direction != direction:
                continue
            spread = addresses.intersection(
                addresses.union(self.names.address(h) for h in at.hosts), self.known.hosts
            )
            policy, left = named(self.network.policies, at.policy), []
            for one in here:
                sent = one.sent(one.header)
                chosen = cut_to(sent, axis, spread)
                if not chosen:
                    left.append(one)
                    continue
                left += one.shares(cut_to(sent, axis, addresses.complement(spread)), one.header)
                for share, rule, position, action in self._by_policy(policy, chosen):
                    if action is None:
                        left += one.shares(share, one.header)
                    elif share:
                        name = rule.name if rule else None
                        step = Step(HOSTS, direction, policy.name, name, position, action)
                        for onward in one.shares(share, one.header, (step,)):
                            yield End(onward, STOPPED.get(action, "delivered"), HOSTS, rule=rule)
            here = gathered(left)
        for one in here:
            if one.packets:
                yield End(one, "delivered")
