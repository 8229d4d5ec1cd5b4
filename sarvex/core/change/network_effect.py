"""What a change does in the network: which new packets reach their destination afterwards and did not before, and the reverse.

An edit of one list opens little where an earlier place still drops it, and may open much where a later one let everything pass. So
what a change can touch (`touched`) is led through the whole network twice, as it was and as it will be, and compared packet by packet.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import islice
from typing import Literal

import numpy as np

from sarvex.core.change.effect import Effect, outcome_of
from sarvex.core.change.touched import STOPS, touched
from sarvex.core.forwarding.fates import fates
from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.journeys import Step
from sarvex.core.forwarding.merged_ways import MOST_BOXES
from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.forwarding.spaces import space_of
from sarvex.core.forwarding.walk import Fates, TooWide, trace_new
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import NOTHING, SOURCE, PacketSet
from sarvex.core.model.records import Device, Network, Segment, fold
from sarvex.core.reach.reach import Reach, apart, everything, reach_about, reach_of
from sarvex.core.sets import addresses, boxes, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.tables.address_classes import TooManyClasses
from sarvex.core.tables.making import recast, tabled
from sarvex.core.tables.table import Table
from sarvex.core.time.moments import ALWAYS

Fare = Literal["allowed", "by some ways", "undetermined", "blocked"]
"""How a new packet fares: it works by every way; by some and not, or perhaps not, by others; by none that is known, and perhaps by one;
or by none."""
MOST_ASKED = 200
"""What is opened is followed to where it ends if it is no more boxes."""
FARES: tuple[Fare, ...] = ("allowed", "by some ways", "undetermined", "blocked")
HOSTS = ""
Kind = Literal["opens", "closes", "changes"]


@dataclass(frozen=True, eq=False)
class Shift:
    """New packets that fare alike before and alike after, and not the same, between hosts, or from or to a device itself (by its name)."""

    before: Fare
    after: Fare
    source: str
    destination: str
    packets: PacketSet

    @property
    def kind(self) -> Kind:
        """Whether something works that did not, or the reverse; else it works more or less surely."""
        if self.before == "blocked" and self.after != "undetermined":
            return "opens"
        return "closes" if self.after == "blocked" and self.before != "undetermined" else "changes"


@dataclass(frozen=True)
class Stop:
    """A place at which packets end: the rule or default that stops them there, or why they end."""

    device: str
    step: Step | None
    why: str | None


NO_FATES = Fates(NOTHING, NOTHING, NOTHING, False, NOTHING)


@dataclass(frozen=True, eq=False)
class NetworkEffect:
    """What changes in the network; `left` may change as well, and is not worked out.

    stops: where what some list lets pass newly ends all the same, each named once, the first of them; told only if nothing is left.
    """

    shifts: tuple[Shift, ...]
    left: PacketSet
    stops: tuple[Stop, ...] = ()
    touched: PacketSet = NOTHING
    """All packets that might have fared otherwise, and perhaps more; a table of both versions where one can be made."""
    afterwards: Fates = NO_FATES
    """How these fare in the newer version, as far as they are worked out."""

    @property
    def complete(self) -> bool:
        """Whether all is worked out."""
        return not self.left

    @property
    def equal(self) -> bool | None:
        """Whether nothing changes; None if that is not known."""
        if self.shifts:
            return False
        return True if self.complete else None


NO_EFFECT = NetworkEffect((), NOTHING)
MOST_STOPS = 4
MOST_TOGETHER = 64
"""Ends whose packets are led at once: more take less time for each, fewer are sooner told."""


@dataclass(frozen=True, eq=False)
class Versions:
    """A network before and after a change, and the names of each, with the same classes of moments."""

    old: Network
    new: Network
    before: Names
    after: Names


def network_effect(
    of: Versions,
    effects: Iterable[Effect],
    at_places: Iterable[Effect] = (),
    go_on: Callable[[], bool] = lambda: True,
    known: Reach | None = None,
) -> NetworkEffect:
    """Exactly the packets that fare otherwise afterwards, between what segments or devices own.

    effects, at_places: of all lists that differ, see `touched`. go_on: asked now and then; once it says no, what is left is told to be left. One
    group of sources after another is worked out whole. known: what everybody reaches before, if that is known already. What nobody owns in one
    version fares as *blocked* there. Raises what `Names` raises.
    """
    effects = list(effects)
    asked = touched(of.old, of.new, (of.before, of.after), effects, at_places)
    if not asked:
        return NO_EFFECT
    routings = routing_of(of.old), routing_of(of.new)
    ends = _ends(*routings)
    asked = as_table(of, routings, asked)
    found: dict[tuple[Fare, Fare, str, str], list[PacketSet]] = defaultdict(list)
    left: list[PacketSet] = []
    afterwards: list[Fates] = []
    for sources in _together(ends, asked, routings[1]):
        sent = from_sources(asked, addresses.union(own for _, own in sources))
        try:
            was = _known(known, of, sent) or _fares(_led(of.old, of.before, sent, go_on))
            led = _led(of.new, of.after, sent, go_on)
            now = _fares(led)
            for before, after, packets in _compared(was, now):
                for source, own in sources:
                    mine = from_sources(packets, own)
                    for destination, there in ends if mine else ():
                        share = to_destinations(mine, there)
                        if share:
                            found[before, after, source, destination].append(share)
            afterwards.append(led)
        except (TooWide, WorkLimit):
            left.append(sent)
    shifts = sorted((Shift(*key, _boxed(some)) for key, some in found.items()), key=_order)
    stops = () if left else tuple(islice(_stops(of, effects, ends, go_on), MOST_STOPS))
    together = _together_led(afterwards) if isinstance(asked, Table) else NO_FATES
    return NetworkEffect(tuple(shifts), _boxed(left), stops, asked, together)


def _together_led(some: list[Fates]) -> Fates:
    """How different packets fare, as one."""
    shares = (
        [f.works for f in some],
        [f.fails for f in some],
        [f.open for f in some],
        [f.unanswered for f in some],
    )
    works, fails, open_, unanswered = map(packet_sets.union, shares)
    return Fates(works, fails, open_, any(f.several for f in some), unanswered)


def _known(known: Reach | None, of: Versions, sent: PacketSet) -> dict[Fare, PacketSet]:
    """How packets fare in the older version as far as it is known already, by the same classes of moments."""
    if known is None or not isinstance(sent, Table) or not isinstance(known.asked, Table):
        return {}
    if known.network is not of.old or not known.names.moments.is_as(of.before.moments):
        return {}
    shares = (recast(one, sent.space) for one in (known.surely, known.by_some, known.open))
    return dict(zip(FARES, (packet_sets.intersection(sent, one) for one in shares), strict=False))


def reach_after(
    before: Reach, of: Versions, effects: Iterable[Effect], at_places: Iterable[Effect] = (),
    go_on: Callable[[], bool] = lambda: True,
) -> Reach:  # fmt: skip
    """How all that was asked fares after a change, of which only what the change can touch is led through the network.

    before: of the older version; what somebody asks who is there in one version alone is known only if everybody was asked about. effects,
    at_places: as for `network_effect`. Raises what `reach_of` raises.
    """
    routings = routing_of(of.old), routing_of(of.new)
    same = routings[0].addressed == routings[1].addressed
    changed = touched(of.old, of.new, (of.before, of.after), effects, at_places)
    changed = as_table(of, routings, changed)
    if not isinstance(before.asked, Table) or (changed and not isinstance(changed, Table)):
        return (
            reach_about(of.new, of.after, before.asked, go_on=go_on)
            if same
            else reach_of(of.new, of.after, go_on=go_on)
        )
    space = changed.space if isinstance(changed, Table) else before.asked.space
    if not changed and _grounds(of.old) != _grounds(of.new):
        space = space_of([(of.old, of.before, routings[0]), (of.new, of.after, routings[1])])
    everyone = routings[1].addressed
    asked = (
        recast(before.asked, space) if same else everything(space, everyone, everyone, services.ANY, ALWAYS)
    )
    again = packet_sets.intersection(asked, changed)
    led = fates(of.new, of.after, again, go_on=go_on) if again else None
    told = (*apart(led), led.fails) if led else (NOTHING,) * 5
    parts = []
    for old, new in zip((*before.told, before.fails), told, strict=True):
        kept = packet_sets.intersection(packet_sets.difference(recast(old, space), changed), asked)
        parts.append(packet_sets.union((kept, new)))
    return Reach(of.new, of.after, before.without, asked, *parts)


def _grounds(network: Network) -> tuple[object, ...]:
    """What tells addresses apart beside lists."""
    return network.devices, network.segments, network.hosts, network.expectations


def _boxed(some: list[PacketSet]) -> PacketSet:
    """Some disjoint sets as boxes."""
    whole = packet_sets.union(some)
    return PacketSet(whole.v4, whole.v6)


def as_table(of: Versions, routings: tuple[Routing, Routing], asked: PacketSet) -> PacketSet:
    """What may have changed, and perhaps more, as a table of both networks; as it is where there are too many classes for one."""
    try:
        space = space_of([(of.old, of.before, routings[0]), (of.new, of.after, routings[1])])
        return tabled(space, asked, "new", around=True)
    except TooManyClasses:
        return asked


def _together(
    ends: list[tuple[str, AddressSet]], asked: PacketSet, routing: Routing
) -> Iterator[list[tuple[str, AddressSet]]]:
    """The ends that send some of what is asked, in groups that are led together: by the device that they enter first."""
    sources = packet_sets.project(asked, SOURCE)
    groups: dict[str, list[tuple[str, AddressSet]]] = defaultdict(list)
    entered = _entered(routing)
    for end, own in ends:
        if addresses.intersection(sources, own):
            by = next(
                (name for some, name in entered if end == HOSTS and addresses.intersection(own, some)), end
            )
            groups[by].append((end, own))
    together: list[tuple[str, AddressSet]] = []
    for group in groups.values():
        if together and len(together) + len(group) > MOST_TOGETHER:
            yield together
            together = []
        together += group
    if together:
        yield together


@lru_cache(maxsize=4)
def _entered(routing: Routing) -> list[tuple[AddressSet, str]]:
    """The hosts that enter each device first."""
    behind: dict[str, list[AddressSet]] = defaultdict(list)
    for segment in routing.network.segments:
        first = next((device.name for device, _ in routing.starts(segment)), HOSTS)
        behind[first].append(routing.hosts(segment))
    return [(addresses.union(some), name) for name, some in behind.items()]


def _stops(
    of: Versions, effects: list[Effect], ends: list[tuple[str, AddressSet]], go_on: Callable[[], bool]
) -> Iterator[Stop]:
    """Where it ends what policies let pass newly from hosts to hosts, or why."""
    hosts = addresses.union(some for end, some in ends if end == HOSTS)
    newly = [
        replace(part.match, states=("new",)).packets
        for effect in effects
        for shift in effect.shifts
        for part in shift.parts
        if outcome_of(effect.new, shift.after, part.family)[0] == "allow"
        and outcome_of(effect.old, shift.before, part.family)[0] in STOPS
        and "new" in (part.states or ("new",))
    ]
    asked = to_destinations(from_sources(packet_sets.union(newly), hosts), hosts)
    if not asked or max(len(asked[f]) for f in FAMILIES) > MOST_ASKED:
        return
    told: set[Stop] = set()
    try:
        parts = trace_new(of.new, of.after, asked, go_on).parts
    except (TooWide, WorkLimit):
        return
    for part in parts:
        if part.result == "delivered":
            continue
        stopped = part.result in ("dropped", "rejected") and not part.missing
        step = part.steps[-1] if stopped and part.steps else None
        stop = Stop(step.device if step else part.destination_segment, step, None if step else part.missing)
        if stop not in told:
            told.add(stop)
            yield stop


def newcomer_effect(
    network: Network, names: Names, segment: Segment, go_on: Callable[[], bool] = lambda: True
) -> NetworkEffect:
    """What the hosts of one segment reach, and which other hosts reach them: as if nothing had worked before.

    go_on: as for `network_effect`. Raises what `Names` raises.
    """
    routing = routing_of(network)
    mine = addresses.difference(routing.hosts(segment), routing.unrouted)
    found: dict[tuple[Fare, str], list[PacketSet]] = defaultdict(list)
    left: list[PacketSet] = []
    ends = [(end, addresses.difference(own, mine)) for end, own in _ends(routing, routing)]
    hosts = addresses.union(own for end, own in ends if end == HOSTS)
    everyone = addresses.union(own for _, own in ends)
    of = Versions(network, network, names, names)
    for source, there in ((mine, everyone), (hosts, mine)):
        sent = packet_sets.product(source, there, services.ANY, ("new",))
        try:
            told = _fares(_led(network, names, as_table(of, (routing, routing), sent), go_on))
            for after, packets in told.items():
                for destination, own in (*ends, (HOSTS, mine)):
                    share = to_destinations(packets, own)
                    if share:
                        found[after, destination].append(share)
        except (TooWide, WorkLimit):
            left.append(sent)
    shifts = (Shift("blocked", after, HOSTS, to, _boxed(some)) for (after, to), some in found.items())
    return NetworkEffect(tuple(sorted(shifts, key=_order)), packet_sets.union(left))


End = Segment | Device


def by_pairs(effect: NetworkEffect, network: Network) -> Iterator[tuple[End, End, Shift]]:
    """What changes between every two segments of a network, or from one to a device itself, in the order of the network."""
    routing = routing_of(network)
    sources = [(segment, routing.hosts(segment)) for segment in network.segments]
    ends: list[tuple[End, AddressSet]] = [
        *sources,
        *((device, routing.own(device)) for device in network.devices),
    ]
    for source, own in sources:
        sent = [(shift, from_sources(shift.packets, own)) for shift in effect.shifts]
        for destination, there in ends:
            for shift, packets in sent:
                share = to_destinations(packets, there) if packets and destination is not source else NOTHING
                if share:
                    yield source, destination, replace(shift, packets=share)


def _order(shift: Shift) -> tuple[object, ...]:
    """What opens first, then what closes; hosts before devices themselves."""
    rank = FARES.index(shift.after), -FARES.index(shift.before)
    return (*rank, shift.source, shift.destination)


@lru_cache(maxsize=4)
def _ends(old: Routing, new: Routing) -> list[tuple[str, AddressSet]]:
    """Who may send and receive: the hosts of segments, one segment after the other, and each device, in either version."""
    of_devices: dict[str, list[AddressSet]] = defaultdict(list)
    of_segments: dict[str, list[AddressSet]] = defaultdict(list)
    for routing in (new, old):
        for device in routing.network.devices:
            of_devices[device.name].append(routing.own(device))
        for segment in routing.network.segments:
            of_segments[fold(segment.name)].append(routing.owned(segment))
    ends: list[tuple[str, AddressSet]] = []
    taken = addresses.NOTHING
    for name, some in (*of_devices.items(), *((HOSTS, some) for some in of_segments.values())):
        mine = addresses.difference(addresses.union(some), taken)
        taken = addresses.union((taken, mine))
        ends.append((name, mine))
    return ends[len(of_devices) :] + ends[: len(of_devices)]


def _led(network: Network, names: Names, sent: PacketSet, go_on: Callable[[], bool]) -> Fates:
    """How packets fare; what nobody owns is not told, and works by no way."""
    owned = routing_of(network).addressed
    asked = to_destinations(from_sources(sent, owned), owned)
    return fates(network, names, asked, go_on=go_on) if asked else NO_FATES


def _fares(told: Fates) -> dict[Fare, PacketSet]:
    """Packets by how they fare, each once; what is blocked is not told."""
    return dict(zip(FARES, _apart(told), strict=False))


def _apart(told: Fates) -> tuple[PacketSet, PacketSet, PacketSet]:
    """What works by every way, what by some, and what is open, each as disjoint boxes."""
    if not told.several:
        return told.works, NOTHING, told.open
    works, open_ = (_disjoint(some) for some in (told.works, told.open))
    allowed = packet_sets.difference(works, packet_sets.union((told.fails, told.open)), MOST_BOXES)
    return allowed, _minus(works, allowed), _minus(open_, works)


def _disjoint(what: PacketSet) -> PacketSet:
    if isinstance(what, Table):
        return what
    return PacketSet(*(boxes.disjoint(what[f]) for f in FAMILIES))


def _minus(a: PacketSet, b: PacketSet) -> PacketSet:
    """What only the first of two sets of disjoint boxes has. Boxes that both have are set aside first: two versions share most."""
    if isinstance(a, Table):
        return packet_sets.difference(a, b)
    rest = (tuple(packet_sets.of_boxes(f, some) for some in _unlike(a[f], b[f])) for f in FAMILIES)
    return packet_sets.union(packet_sets.difference(one, other, MOST_BOXES) for one, other in rest)


def _unlike(a: boxes.Boxes, b: boxes.Boxes) -> Iterator[boxes.Boxes]:
    """The boxes of each that the other has not."""
    keys = [[tuple(map(tuple, box)) for box in some.tolist()] for some in (a, b)]
    both = set(keys[0]) & set(keys[1])
    for some, mine in zip((a, b), keys, strict=True):
        yield some[np.array([key not in both for key in mine], dtype=bool)]


def _compared(
    was: dict[Fare, PacketSet], now: dict[Fare, PacketSet]
) -> Iterator[tuple[Fare, Fare, PacketSet]]:
    """What fares otherwise; of each version what is told in neither of its sets is blocked. Raises `WorkLimit`."""
    for before, packets in was.items():
        left = packets
        for after, others in now.items():
            if not left:
                break
            if before != after and others:
                both = packet_sets.intersection(left, others)
                if both:
                    yield before, after, both
            left = _minus(left, others)
        if left:
            yield before, "blocked", left
    for after, packets in now.items():
        fresh = packets
        for known in was.values():
            fresh = _minus(fresh, known)
        if fresh:
            yield "blocked", after, fresh
