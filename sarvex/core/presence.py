"""What can appear where: the addresses that come by each place of each device, by routes alone.

Every segment's packets to everywhere are led along the routes as `sarvex.core.paths` leads them, but no policy is asked:
what is told to appear is all that could, and what is not can never be decided there.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property

from sarvex.core import addresses, intervals
from sarvex.core.addresses import ANY, FAMILIES, AddressSet
from sarvex.core.matches import Match, match_of
from sarvex.core.model import Attachment, Device, Interface, Network, Policy, Rule, Stage, fold
from sarvex.core.names import Names
from sarvex.core.paths import in_scope
from sarvex.core.routing import Routing, Way


@dataclass(frozen=True)
class Passing:
    """Packets that come by one stage of a device. No `entering`: the device sends them; no `leaving`: none is known yet."""

    entering: Interface | None
    leaving: Interface | None
    source: AddressSet
    destination: AddressSet

    def shares(self, source: AddressSet, destination: AddressSet) -> bool:
        """Whether some of these are from one set to another."""
        return any(
            intervals.intersection(self.source[f], source[f])
            and intervals.intersection(self.destination[f], destination[f])
            for f in FAMILIES
        )


class Presence:
    """All that can appear, per device and stage. O(segments × devices × routes)."""

    def __init__(self, network: Network, names: Names) -> None:
        self.network, self.names = network, names
        self.routing = Routing(network, names)
        self._merged: dict[tuple[str, Stage], dict[tuple[object, ...], Passing]] = defaultdict(dict)
        self.unknown: list[Passing] = []
        """What goes where the model does not tell: it may appear anywhere."""
        for segment in network.segments:
            own = names.owned_by_segment[fold(segment.name)]
            for device, interface in self.routing.starts(segment):
                self._arrive(device, interface, own, addresses.difference(ANY, own), ())
            # What is for a device's address on the segment itself comes straight to it.
            for device, interface in self.routing.starts(replace(segment, gateways=())):
                here = addresses.intersection(self.routing.own(device), own)
                self._receive(device, interface, own, here)
        for device in network.devices:
            self._send(device, None, self.routing.own(device), ANY, (device.name,))
        self.at: dict[tuple[str, Stage], list[Passing]] = defaultdict(list)
        for place, passing in self._merged.items():
            self.at[place] = list(passing.values())

    def passed(self, source: AddressSet, destination: AddressSet) -> list[str]:
        """The devices that packets from one set to another come by, but for what these send themselves."""
        found = (
            device
            for (device, stage), there in self.at.items()
            if stage in ("inbound", "passage") and any(p.shares(source, destination) for p in there)
        )
        return list(dict.fromkeys(found))

    def _note(self, device: Device, stage: Stage, passing: Passing) -> None:
        """Passings that differ in their destinations only are one."""
        there = self._merged[device.name, stage]
        ends = (i.name if i else None for i in (passing.entering, passing.leaving))
        key = *ends, passing.source
        if key in there:
            both = addresses.union((there[key].destination, passing.destination))
            passing = replace(passing, destination=both)
        there[key] = passing

    def _receive(self, device: Device, entering: Interface, source: AddressSet, own: AddressSet) -> None:
        if own:
            for stage in ("inbound", "to the device"):
                self._note(device, stage, Passing(entering, None, source, own))

    def _arrive(
        self,
        device: Device,
        entering: Interface | None,
        source: AddressSet,
        destination: AddressSet,
        passed: tuple[str, ...],
    ) -> None:
        if device.name in passed or entering is None:
            return
        own = self.routing.own(device)
        self._receive(device, entering, source, addresses.intersection(destination, own))
        destination = addresses.difference(destination, own)
        if destination:
            self._note(device, "inbound", Passing(entering, None, source, destination))
            self._send(device, entering, source, destination, (*passed, device.name))

    def _send(
        self,
        device: Device,
        entering: Interface | None,
        source: AddressSet,
        destination: AddressSet,
        passed: tuple[str, ...],
    ) -> None:
        for spread, ways in self.routing.table(device):
            share = addresses.intersection(destination, spread)
            if not share:
                continue
            for way in ways:
                stages: tuple[Stage, ...] = (
                    ("passage", "outbound") if entering else ("from the device", "outbound")
                )
                for stage in stages:
                    self._note(device, stage, Passing(entering, way.leaving, source, share))
                for onward in self._beyond(way, share):
                    if way.device is None:
                        self.unknown.append(Passing(entering, way.leaving, source, onward))
                    else:
                        self._arrive(way.device, way.entering, source, onward, passed)
        if not device.routes and len(self.network.devices) > 1:
            known = addresses.union(spread for spread, _ in self.routing.table(device))
            rest = addresses.difference(destination, known)
            if rest:
                self.unknown.append(Passing(entering, None, source, rest))

    def _beyond(self, way: Way, share: AddressSet) -> Iterator[AddressSet]:
        """What of a share does not end on the segment that a way leads onto."""
        if way.connected or way.device is None:
            share = addresses.difference(
                share, self.names.owned_by_segment.get(fold(way.leaving.segment or ""), AddressSet())
            )
        if share:
            yield share


class Whereabouts:
    """Where one policy is consulted at devices, and whether a rule's packets ever come by there."""

    def __init__(self, network: Network, names: Names, policy: Policy) -> None:
        self.network, self.names, self.policy = network, names, policy
        name = fold(policy.name)
        self.at = [(d, a) for d in network.devices for a in d.policies if fold(a.policy) == name]
        if any(fold(a.policy) == name for a in network.at_hosts):
            self.at = []  # at hosts everything may appear
        self._known: dict[tuple[int, int], bool] = names.keep(("comes by", name), dict)

    def elsewhere(self, rule: Rule) -> str | None:
        """Why a rule is out of place, if it is: nothing from its source to its destination can come by.

        A block for any destination is left alone: it may be a guard against forged sources.
        """
        match = match_of(rule, self.names, self.policy.families)
        if not self.at or not match.matches_something:
            return None
        if rule.action != "allow" and match.destination == ANY:
            return None
        key = id(match.source), id(match.destination)  # `match_of` keeps each set once, as long as the names
        if key not in self._known:
            self._known[key] = any(p.shares(match.source, match.destination) for p in self._here)
        return None if self._known[key] else self._text(match)

    def _text(self, match: Match) -> str:
        where = " or ".join(dict.fromkeys(f"{a.stage} at {device.name}" for device, a in self.at))
        others = self._presence.passed(match.source, match.destination)
        told = f"passes {', '.join(others)}" if others else "passes no device at all"
        return f"Nothing from its source to its destination ever comes by here, {where}. By the routes it {told}."

    @cached_property
    def _presence(self) -> Presence:
        made: Presence = self.names.keep("presence", lambda: Presence(self.network, self.names))
        return made

    @cached_property
    def _here(self) -> list[Passing]:
        places = ((a, p) for device, a in self.at for p in self._presence.at[device.name, a.stage])
        return [*(p for a, p in places if _in_scope(a, p)), *self._presence.unknown]


def _in_scope(attachment: Attachment, passing: Passing) -> bool:
    entering = passing.entering is None or in_scope(attachment.entering, passing.entering)
    return entering and (passing.leaving is None or in_scope(attachment.leaving, passing.leaving))
