"""What can appear where: the addresses that come by each place of each device, by routes alone.

Every segment's packets to everywhere are led along the routes as `sarvex.core.forwarding.walk` leads them, but no policy is asked:
what is told to appear is all that could, and what is not can never be decided there.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from itertools import product

import numpy as np
from numpy.typing import NDArray

from sarvex.core.forwarding.journeys import judges_later
from sarvex.core.forwarding.routing import Way, ground_of, routing_of
from sarvex.core.forwarding.scopes import speaks_of
from sarvex.core.forwarding.translating import possible_destinations, possible_sources
from sarvex.core.meaning.matches import Match, match_of
from sarvex.core.meaning.names import MOST_LISTS, Names
from sarvex.core.model.records import (
    Device,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
    Stage,
    fold,
)
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import ANY, FAMILIES, AddressSet
from sarvex.core.sets.cache import Bounded, ByIdentity, Recent

MOST_KNOWN = 20_000
"""Of so many sets at a time it is known which ends they touch."""


@dataclass(frozen=True)
class Passing:
    """Packets that come by one stage of a device. No `entering`: the device sends them; no `leaving`: none is known yet."""

    entering: Interface | None
    leaving: Interface | None
    source: AddressSet
    destination: AddressSet


_Merged = dict[
    tuple[str, Stage], dict[tuple[Interface | None, Interface | None, AddressSet], list[AddressSet]]
]


class PossibleTraffic:
    """All that can appear, per device and stage. O(segments × devices × routes)."""

    def __init__(self, network: Network, names: Names) -> None:
        self.network, self.names = network, names
        self.routing = routing_of(network)
        self._merged: _Merged = defaultdict(lambda: defaultdict(list))
        special = self.routing.unrouted
        self.unknown: list[Passing] = []
        """What goes where the model does not tell: it may appear anywhere."""
        self.carried = carried = addresses.difference(ANY, special)
        for segment in network.segments:
            own = addresses.difference(
                self.routing.owned(segment), addresses.union((special, self.routing.all_own))
            )
            way = _Led(self)
            way.on_wire(segment, own, addresses.intersection(carried, self.routing.owned(segment)), None)
            away = addresses.difference(carried, self.routing.owned(segment))
            for device, interface in self.routing.starts(segment):
                way.enter(device, interface, own, away)
            way.go()
        for device in network.devices:
            way = _Led(self)
            way.enter(device, None, addresses.difference(self.routing.own(device), special), carried)
            way.go()
            self._other_forms(device)
            self.unknown += [Passing(i, None, ANY, ANY) for i in _open_ends(device)]
        self.at: dict[tuple[str, Stage], list[Passing]] = defaultdict(list)
        for place, there in self._merged.items():
            self.at[place] = [Passing(*key, addresses.union(to)) for key, to in there.items()]
        everywhere = [*(p for there in self.at.values() for p in there), *self.unknown]
        self._ends = [_Distinct(p.source for p in everywhere), _Distinct(p.destination for p in everywhere)]
        self._places = {
            place: self.places(p for p in there if p.source is not ANY) for place, there in self.at.items()
        }
        self.tables: dict[str, NDArray[np.bool_]] = {}
        """Room for what passes where each policy is consulted."""

    def _other_forms(self, device: Device) -> None:
        """Where rules judge answers, these may come and leave otherwise than what is asked, by where it was asked or translated; and
        where a stage compares destinations as they came: there anything may appear."""
        translated = any(d.entries for d in self.network.devices)
        answers = judges_later(device) and (translated or device.answers_leave != "by route")
        if not answers and "entered" not in (device.sees.passage, device.sees.outbound):
            return
        interfaces = [None, *device.interfaces]
        for stage, entering, leaving in product(_STAGES, interfaces, interfaces):
            self.note(device, stage, Passing(entering, leaving, ANY, ANY))

    def places(self, passings: Iterable[Passing]) -> NDArray[np.bool_]:
        """Passings as a table of their different ends, source by destination, for `any_shares`."""
        sources, destinations = (ends.number for ends in self._ends)
        out = np.zeros((len(sources), len(destinations)), dtype=bool)
        for p in passings:
            out[sources[p.source], destinations[p.destination]] = True
        return out

    def any_shares(self, places: NDArray[np.bool_], source: AddressSet, destination: AddressSet) -> bool:
        """Whether one of some passings has packets from one set to another. O(different ends)."""
        touched = zip(
            *(ends.touched(end) for ends, end in zip(self._ends, (source, destination), strict=True)),
            strict=True,
        )
        return any(places[np.ix_(a, b)].any() for a, b in touched)

    def passed(self, source: AddressSet, destination: AddressSet) -> list[str]:
        """The devices that packets from one set to another come by, but for what these send themselves."""
        found = (
            device
            for (device, stage), places in self._places.items()
            if stage in ("inbound", "passage") and self.any_shares(places, source, destination)
        )
        return list(dict.fromkeys(found))

    def note(self, device: Device, stage: Stage, passing: Passing) -> None:
        """Passings that differ in their destinations only are one."""
        if passing.source and passing.destination:
            key = passing.entering, passing.leaving, passing.source
            self._merged[device.name, stage][key].append(passing.destination)


class _Led:
    """What is sent from somewhere, led along the routes: each destination of each set of sources through each device, by each interface,
    once. What a translation or steering may do to some of it is led on beside the rest."""

    def __init__(self, possible: PossibleTraffic) -> None:
        self.possible, self.routing = possible, possible.routing
        self._seen: dict[tuple[str, str, AddressSet], AddressSet] = defaultdict(lambda: addresses.NOTHING)
        self._ahead: list[tuple[Device, Interface | None, AddressSet, AddressSet]] = []

    def enter(
        self, device: Device, entering: Interface | None, source: AddressSet, destination: AddressSet
    ) -> None:
        """To a device, as far as it has not been there."""
        port = device.name, entering.name if entering else "", source
        new = addresses.difference(destination, self._seen[port])
        if new and source:
            self._seen[port] = addresses.union((self._seen[port], new))
            self._ahead.append((device, entering, source, new))

    def on_wire(
        self, segment: Segment, source: AddressSet, destination: AddressSet, sender: Device | None
    ) -> None:
        """To the devices whose own addresses are on a wire; what is for hosts there has arrived."""
        for reached in self.routing.on_wire(segment, destination, sender):
            for device, interface in reached.ports:
                self.enter(device, interface, source, reached.share)
            if reached.missing:
                self.possible.unknown.append(Passing(None, None, source, reached.share))

    def go(self) -> None:
        while self._ahead:
            self._pass(*self._ahead.pop())

    def _pass(
        self, device: Device, entering: Interface | None, source: AddressSet, destination: AddressSet
    ) -> None:
        if entering:
            self._note(device, "inbound", entering, None, source, destination)
            became = possible_destinations(device, entering, source, destination, self.possible.names)
            if became:
                self._note(device, "inbound", entering, None, source, became)
                destination = addresses.union((destination, became))
        own = addresses.intersection(destination, self.routing.own(device))
        if entering:
            self._note(device, "to the device", entering, None, source, own)
        rest = addresses.difference(destination, own)
        if entering and entering.management_only:
            return
        for entry in device.steering if entering else ():
            for share, ways in self.routing.steered(device, entry, rest):
                for way in ways:
                    self._leave(device, entering, way, source, share)
        for share, ways in self.routing.towards(device, rest):
            rest = addresses.difference(rest, share)
            for way in ways:
                self._leave(device, entering, way, source, share)
        if rest and self.routing.half_built(device):
            self.possible.unknown.append(Passing(entering, None, source, rest))

    def _note(
        self, device: Device, stage: Stage, entering: Interface | None, leaving: Interface | None,
        source: AddressSet, destination: AddressSet,
    ) -> None:  # fmt: skip
        self.possible.note(device, stage, Passing(entering, leaving, source, destination))

    def _leave(
        self, device: Device, entering: Interface | None, way: Way, source: AddressSet, share: AddressSet
    ) -> None:
        if way.discard:
            return
        sources = [source]
        if way.leaving is not None:
            sources += possible_sources(device, way.leaving, source, share, self.possible.names)
        for one in sources:
            if way.leaving is not None:
                for stage in OUT[entering is not None]:
                    self._note(device, stage, entering, way.leaving, one, share)
            if entering and way.leaving and way.leaving.management_only:
                continue
            if way.missing or way.leaving is None:
                self.possible.unknown.append(Passing(entering, way.leaving, one, share))
            elif way.device is not None:
                self.enter(way.device, way.entering, one, share)
            elif way.beyond is None:
                self.on_wire(self.routing.wire(way.leaving), one, share, device)


OUT: dict[bool, tuple[Stage, ...]] = {True: ("passage", "outbound"), False: ("from the device", "outbound")}
"""The stages on the way out, of what passes and of what a device sends itself."""
_STAGES: tuple[Stage, ...] = "inbound", "passage", "outbound", "to the device", "from the device"


class Whereabouts:
    """Where one policy is consulted at devices, and whether a rule's packets ever come by there."""

    def __init__(self, network: Network, names: Names, policy: Policy) -> None:
        self.network, self.names, self.policy = network, names, policy
        name = fold(policy.name)
        self.at = [(d, a) for d in network.devices for a in d.policies if fold(a.policy) == name]
        if any(fold(a.policy) == name for a in network.at_hosts):
            self.at = []  # at hosts everything may appear
        kept: Bounded[str, ByIdentity[bool]] = names.keep("comes by", lambda: Bounded(MOST_LISTS))
        self._known = kept.get(name, lambda: ByIdentity(MOST_KNOWN))

    def elsewhere(self, rule: Rule) -> str | None:
        """Why a rule is out of place, if it is: nothing from its source to its destination can come by.

        A block for any destination is left alone: it may be a guard against forged sources.
        """
        match = match_of(rule, self.names, self.policy.families)
        if not self.at or not match.matches_something:
            return None
        if rule.action != "allow" and match.destination == ANY:
            return None
        carried = self._possible.carried
        ends = (
            addresses.intersection(match.source, carried),
            addresses.intersection(match.destination, carried),
        )
        if not all(ends):
            return None  # how multicast and the like go nobody knows
        comes_by = self._known.get(ends, lambda: self._possible.any_shares(self._here, *ends))
        return None if comes_by else self._text(match)

    def _text(self, match: Match) -> str:
        where = " or ".join(dict.fromkeys(f"{a.stage} at {device.name}" for device, a in self.at))
        others = self._possible.passed(match.source, match.destination)
        told = f"passes {', '.join(others)}" if others else "passes no device at all"
        return f"Nothing from its source to its destination ever comes by here, {where}. By the routes it {told}."

    @cached_property
    def _possible(self) -> PossibleTraffic:
        ground = ground_of(self.network)
        return _RECENT.get(ground, lambda: PossibleTraffic(ground, Names(ground)))

    @property
    def _here(self) -> NDArray[np.bool_]:
        """Passings where the policy is consulted, as a table."""

        def tabulate() -> NDArray[np.bool_]:
            places = ((a, p) for device, a in self.at for p in self._possible.at[device.name, a.stage])
            return self._possible.places(
                [*(p for a, p in places if speaks_of(a, p.entering, p.leaving)), *self._possible.unknown]
            )

        tables = self._possible.tables
        name = fold(self.policy.name)
        if name not in tables:
            tables[name] = tabulate()
        return tables[name]


class _Distinct:
    """Different sets of addresses, numbered, and which of them another set touches, per family.

    Each family's addresses are cut at the ends of the sets; what touches a set then is a sum over atoms.
    """

    def __init__(self, sets: Iterable[AddressSet]) -> None:
        self.number = {one: number for number, one in enumerate(dict.fromkeys(sets))}
        self._cuts = {
            f: sorted({0, *(e for s in self.number for a, b in s[f] for e in (a, b + 1))}) for f in FAMILIES
        }
        self._holds = {
            f: np.array([self._cells(f, one) for one in self.number], dtype=np.int32).reshape(
                len(self.number), len(self._cuts[f])
            )
            for f in FAMILIES
        }
        self._known: ByIdentity[NDArray[np.bool_]] = ByIdentity(MOST_KNOWN)

    def _cells(self, family: int, a: AddressSet) -> NDArray[np.int32]:
        """Which atoms a set touches."""
        cuts = self._cuts[family]
        out = np.zeros(len(cuts), dtype=np.int32)
        for low, high in a[family]:
            out[bisect_right(cuts, low) - 1 : bisect_right(cuts, high)] = 1
        return out

    def touched(self, by: AddressSet) -> NDArray[np.bool_]:
        """(families, sets)."""

        def look() -> NDArray[np.bool_]:
            return np.array([self._holds[f] @ self._cells(f, by) for f in FAMILIES]) > 0

        return self._known.get((by,), look)


def _open_ends(device: Device) -> list[Interface]:
    """Interfaces in use of which nothing tells what comes in there: on no segment, though they have addresses or a zone, a
    policy is consulted at them by name, or the device is on no segment at all."""
    parents = {fold(i.parent) for i in device.interfaces if i.parent}
    named = {fold(name) for a in device.policies for name in (*a.entering, *a.leaving)}
    nowhere = not any(i.segment for i in device.interfaces)
    return [
        i
        for i in device.interfaces
        if i.segment is None and i.kind != "loopback" and fold(i.name) not in parents
        and (i.addresses or i.zone or fold(i.name) in named or nowhere)
    ]  # fmt: skip


_RECENT: Recent[Network, PossibleTraffic] = Recent(4)
