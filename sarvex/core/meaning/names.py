"""What names stand for: address and service members turned into sets."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from functools import cached_property
from threading import RLock
from typing import Any, Literal
from zoneinfo import ZoneInfo

from sarvex.core.meaning.packet_sets import Known
from sarvex.core.model.records import (
    FIELDS,
    AddressObject,
    Host,
    Network,
    Rule,
    Schedule,
    Segment,
    ServiceObject,
    fold,
    named,
)
from sarvex.core.sets import addresses, intervals, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.cache import Bounded
from sarvex.core.sets.services import ServiceSet
from sarvex.core.time.moments import ALWAYS, Moments, Times, today

AddressThing = Host | Segment | AddressObject


class UnknownName(LookupError):
    """Nothing bears this name, and it is no literal either."""


class NameCycle(ValueError):
    """A group contains itself, or too many groups stand within each other."""


@dataclass(frozen=True)
class Bearer:
    """Who bears a name that no host, segment or address object has; `addresses` are as they are written, a zone has none of its own."""

    kind: Literal["device", "zone", "user"]
    name: str
    addresses: tuple[str, ...] = ()


Key = tuple[str, tuple[str, ...], bool, str]
"""A field of a rule, its members, whether it is negated, and the families it is narrowed to."""
MOST_FIELDS = 200_000
"""Fields of rules whose sets are kept: of a list of 50,000 rules every one may be another."""
MOST_LISTS = 256
MOST_WORDS = 50_000
MOST_NESTED = 64
"""Groups within groups."""


class Names:
    """The names of a network as sets of addresses, services and moments, each worked out once.

    What is asked for must be known: a name, a raw value as written in a document, or `any`. Lookups ignore case.
    Raises `UnknownName` (a `LookupError`) for what is neither, and `NameCycle` (a `ValueError`) for groups that contain themselves
    or stand within too many. Safe for several threads.
    Complexity: O(1) once known; the first time O(members), groups within groups included.
    """

    def __init__(self, network: Network, moments: Moments | None = None) -> None:
        """`moments` are those of the network from today on if not given."""
        self.network = network
        self._moments = moments
        self._times: dict[str, Times] = {}
        self.address_things: dict[str, AddressThing] = {
            fold(thing.name): thing for thing in network.address_things()
        }
        self.service_things: dict[str, ServiceObject] = {fold(s.name): s for s in network.services}
        self._addresses: dict[str, AddressSet] = {}
        self._services: dict[str, ServiceSet] = {}
        self._open: set[str] = set()
        self._deep: dict[str, int] = {}
        self._lock = RLock()
        self.matches: Bounded[Key, Any] = Bounded(MOST_FIELDS)
        self.matched: Bounded[tuple[str, str], list[tuple[Any, list[Any]]]] = Bounded(MOST_LISTS)
        """Room for `sarvex.core.meaning.matches` to keep what it worked out; dropped with the names."""
        self.partitions: Bounded[str, Any] = Bounded(MOST_LISTS)
        """The same for `sarvex.core.firstmatch.partition`."""
        self.permits: Bounded[str, Any] = Bounded(MOST_LISTS)
        """The same for `sarvex.core.tables.permits`."""
        self.words: Bounded[object, Any] = Bounded(MOST_WORDS)
        """The same for `sarvex.core.change.sets_in_names`."""
        self._kept: dict[object, Any] = {}
        self._owned: dict[str, AddressSet] | None = None
        self._known: Known | None = None

    def successor(self, network: Network) -> tuple[Names, Callable[[bool, Iterable[str]], bool]]:
        """The names of a network that differs from this one's in address and service objects alone.

        Sets that do not depend on those that came, went or changed are taken over. Also told is whether some members,
        of services or else of addresses, are of these. O(names).
        """
        made = Names(network, self.moments)
        before, after = self.network, network
        changed = _affected(before.addresses, after.addresses), _affected(before.services, after.services)
        made._addresses = {
            key: value for key, value in dict(self._addresses).items() if key not in changed[0]
        }
        made._services = {key: value for key, value in dict(self._services).items() if key not in changed[1]}
        spaces = {"a": changed[0], "s": changed[1]}
        made._deep = {
            mark: deep for mark, deep in dict(self._deep).items() if mark[2:] not in spaces[mark[0]]
        }

        def stay(services: bool, members: Iterable[str]) -> bool:
            return changed[services].isdisjoint(map(fold, members))

        return made, stay

    def keep(self, key: object, make: Callable[[], Any]) -> Any:
        """Something worked out from these names alone, made once and dropped with them. For a handful of keys that are
        written down in the code: what is kept by what somebody asked belongs into a `Bounded`, kept under one of them."""
        if key not in self._kept:
            return self._kept.setdefault(key, make())
        return self._kept[key]

    def address(self, member: str) -> AddressSet:
        """The addresses of a host, segment, address object, literal, device (all of its own) or user (all held for them); of one
        name the first of these.

        Raises `UnknownName`, `NameCycle`.
        """
        key = fold(member)
        if key in self._addresses:
            return self._addresses[key]
        thing = self.address_things.get(key)
        if thing is None:
            try:
                return addresses.parse(member)
            except addresses.InvalidAddress as error:
                found = self._of_bearer(member, str(error))
        else:
            found = self._address_of(key, thing)
        self._addresses[key] = found
        return found

    def _of_bearer(self, member: str, error: str) -> AddressSet:
        bearer = self.beside.get(fold(member))
        if bearer is None:
            things = (t.name for t in (*self.address_things.values(), *self.beside.values()))
            raise UnknownName(_unknown(member, "address", error, things))
        if bearer.kind == "zone":
            told = "a rule names its segments, or its policy is consulted there"
            raise UnknownName(f"{bearer.name!r} is a zone; {told}")
        return addresses.union(map(addresses.parse, bearer.addresses))

    @cached_property
    def beside(self) -> dict[str, Bearer]:
        """Devices, zones and users by folded name: who is meant where no address bears it."""
        return bearers(self.network)

    def _address_of(self, key: str, thing: AddressThing) -> AddressSet:
        match thing:
            case Host():
                return addresses.union(addresses.parse(a) for a in thing.addresses)
            case Segment():
                return self.owned_by_segment[key]
        chosen = (self.address(host.name) for host in chosen_by(thing.traits, self.network.hosts))
        return addresses.union((*self._inside(("a", key), thing.members, self.address), *chosen))

    def called(self) -> Iterator[str]:
        """Every name by which a rule may speak of addresses."""
        yield from (thing.name for thing in self.address_things.values())
        yield from (bearer.name for bearer in self.called_beside())

    def called_beside(self) -> list[Bearer]:
        """The devices and users whose names mean them in a rule, for nothing else is called so."""
        return [
            bearer
            for key, bearer in self.beside.items()
            if key not in self.address_things
            and bearer.kind != "zone"
            and not addresses.is_literal(bearer.name)
        ]

    def service(self, member: str) -> ServiceSet:
        """The services of a name or a service in words. Raises `UnknownName`, `NameCycle`."""
        key = fold(member)
        if key not in self.service_things:
            try:
                return services.parse(member)
            except services.InvalidService as error:
                things = (s.name for s in self.service_things.values())
                raise UnknownName(_unknown(member, "service", str(error), things)) from None
        if key not in self._services:
            members = self.service_things[key].members
            self._services[key] = services.union(self._inside(("s", key), members, self.service))
        return self._services[key]

    def _inside(self, key: tuple[str, str], members: Sequence[str], resolve):  # type: ignore[no-untyped-def]
        """Resolve the members of a group, refusing a group inside itself, and more than `MOST_NESTED` within each other
        in whichever order they are asked for.

        One thread at a time: what is open in another's hands is no cycle.
        """
        mark, space = "/".join(key), key[0]
        with self._lock:
            if mark in self._open:
                raise NameCycle(f"{key[1]} contains itself")
            self._open.add(mark)
            try:
                if len(self._open) > MOST_NESTED:
                    raise NameCycle(f"{key[1]} stands within more than {MOST_NESTED} groups")
                found = [resolve(member) for member in members]
                deep = 1 + max((self._deep.get(f"{space}/{fold(m)}", 0) for m in members), default=0)
                if deep > MOST_NESTED:
                    raise NameCycle(f"more than {MOST_NESTED} groups stand within {key[1]}")
                self._deep[mark] = deep
                return found
            finally:
                self._open.discard(mark)

    @property
    def owned_by_segment(self) -> dict[str, AddressSet]:
        """What each segment owns, by longest prefix; a segment without prefixes owns the rest."""
        if self._owned is None:
            self._owned = _ownership(self.network.segments)
        return self._owned

    def known(self) -> Known:
        """What a sample flow prefers: the addresses of all named hosts; and the moments it is told by."""
        if self._known is None:
            hosts = addresses.union(self.address(host.name) for host in self.network.hosts)
            self._known = Known(hosts, moments=self.moments)
        return self._known

    @property
    def moments(self) -> Moments:
        """The classes of moments that the network's schedules tell apart. Raises what `Moments` raises."""
        if self._moments is None:
            self._moments = moments_of(self.network)
        return self._moments

    def at(self, moment: datetime | None) -> Names:
        """These names, or others of the same network for a moment that is out of their reach."""
        if moment is None or self.moments.reaches(moment):
            return self
        return Names(self.network, moments_of(self.network, only=moment, ends=self.moments.ends))

    def schedule(self, name: str) -> Schedule:
        """The schedule of a name. Raises `UnknownName`."""
        try:
            return named(self.network.schedules, name)
        except KeyError:
            raise UnknownName(unknown(name, "schedule", (s.name for s in self.network.schedules))) from None

    def times(self, schedule: str | None, until: str = "") -> Times:
        """When a schedule is active; no schedule: always; and of that what is not after a last date. Raises `UnknownName`."""
        if until:
            return self.times(schedule) & self.moments.until(until)
        if schedule is None:
            return ALWAYS
        key = fold(schedule)
        if key not in self._times:
            self._times[key] = self.moments.times(self.schedule(schedule).name)
        return self._times[key]


def _affected(
    before: Iterable[AddressObject | ServiceObject], after: Iterable[AddressObject | ServiceObject]
) -> set[str]:
    """The folded names of objects that are not the same in both, and of groups that these are in, however deep."""
    old, new = ({fold(thing.name): thing for thing in things} for things in (before, after))
    found = {key for key in old.keys() | new.keys() if old.get(key) != new.get(key)}
    groups: dict[str, list[str]] = {}
    for key, thing in new.items():
        for member in thing.members:
            groups.setdefault(fold(member), []).append(key)
    left = list(found)
    while left:
        beyond = [key for key in groups.get(left.pop(), ()) if key not in found]
        found.update(beyond)
        left += beyond
    return found


def bearers(network: Network) -> dict[str, Bearer]:
    """Devices, zones and users by folded name; of one name the first of these. O(devices + zones + hosts)."""
    held: dict[str, list[Host]] = {}
    for host in network.hosts:
        if host.user:
            held.setdefault(fold(host.user), []).append(host)
    users = (
        Bearer("user", hosts[0].user, tuple(a for h in hosts for a in h.addresses)) for hosts in held.values()
    )
    zones = (Bearer("zone", zone.name) for zone in network.zones)
    devices = (
        Bearer("device", d.name, tuple(a for i in d.interfaces for a in i.addresses)) for d in network.devices
    )
    return {fold(bearer.name): bearer for some in (users, zones, devices) for bearer in some}


def spelled(rule: Rule, names: Names) -> Rule:
    """The same rule with every name as what bears it spells it. Its members resolve."""

    def of(service: bool, member: str) -> str:
        key = fold(member)
        thing = (names.service_things if service else names.address_things).get(key)
        if thing is None and not service and not addresses.is_literal(member):
            bearer = names.beside.get(key)
            return bearer.name if bearer and bearer.kind == "device" else member
        return thing.name if thing else member

    fields: dict[str, Any] = {
        field: tuple(of(field == "service", m) for m in rule.members(field)) for field in FIELDS
    }
    schedule = None if rule.schedule is None else names.schedule(rule.schedule).name
    return replace(rule, schedule=schedule, **fields)


def moments_of(
    network: Network, since: date | None = None, only: datetime | None = None, ends: Iterable[str] = ()
) -> Moments:
    """The classes of moments that a network's schedules and the ends of its rules tell apart, from a date on (today if none is given).

    `only`: one moment, if nothing else is asked about. `ends`: more last dates. Complexity and limits: see `Moments`.
    """
    zone = ZoneInfo(network.time_zone)
    return Moments(network.schedules, zone, since or today(zone), only, {*ends, *ends_of(network)})


def moments_of_both(
    old: Network, new: Network, since: date | None = None, ends: Iterable[str] = ()
) -> tuple[Moments, Moments]:
    """The same classes of moments for two versions of a network, by the names of each, in the time zone of the new one."""
    zone = ZoneInfo(new.time_zone)
    both = {*ends, *ends_of(old), *ends_of(new)}
    return Moments.of_both(old.schedules, new.schedules, zone, since or today(zone), both)


def ends_of(network: Network) -> set[str]:
    """The last dates of its rules that are there for a while. O(rules)."""
    return {rule.until for policy in network.policies for rule in policy.rules if rule.until}


def chosen_by(traits: Iterable[str], hosts: Iterable[Host]) -> list[Host]:
    """The hosts that have every one of these traits; none if no trait is given."""
    wanted = {_trait(t) for t in traits}
    return [host for host in hosts if wanted <= {_trait(t) for t in host.traits}] if wanted else []


def pieces(member: str, names: Names, segments: bool = True) -> Iterator[AddressSet]:
    """The addresses of a member one by one as they are written: of a host each, of a group those of its members.

    segments: whether those are told that a segment, or `any`, stands for. Raises what `Names.address` raises.
    """
    thing = names.address_things.get(fold(member))
    if isinstance(thing, Host):
        yield from map(addresses.parse, thing.addresses)
    elif isinstance(thing, AddressObject):
        names.address(member)  # refuses groups inside themselves
        hosts = (h.name for h in chosen_by(thing.traits, names.network.hosts)) if thing.traits else ()
        for inner in (*thing.members, *hosts):
            yield from pieces(inner, names, segments)
    elif segments or (thing is None and fold(member) != "any"):
        yield names.address(member)


def _trait(text: str) -> str:
    """Traits are compared without regard to case and blanks."""
    return " ".join(fold(text).split())


def _ownership(segments: tuple[Segment, ...]) -> dict[str, AddressSet]:
    prefixes = []
    for segment in segments:
        for text in segment.prefixes:
            spread = addresses.parse(text)
            prefixes.append((sum(intervals.size(spread[f]) for f in FAMILIES), fold(segment.name), spread))
    owned: dict[str, AddressSet] = {fold(s.name): addresses.NOTHING for s in segments}
    prefixes.sort(key=lambda item: item[0])
    for (_, name, _), share in zip(prefixes, addresses.apart(s for *_, s in prefixes), strict=True):
        owned[name] = addresses.union((owned[name], share))
    rest = addresses.complement(addresses.union(s for *_, s in prefixes))
    for segment in segments:
        if not segment.prefixes:
            owned[fold(segment.name)] = rest
    return owned


def _unknown(member: str, what: str, reason: str, names: Iterable[str]) -> str:
    looks_literal = any(c.isdigit() for c in member) and any(c in member for c in ".:/")
    return reason if looks_literal else unknown(member, what, names)


def unknown(name: str, what: str, there: Iterable[str], likeness: float = 0.75) -> str:
    """That nothing is called so, with the names nearest to it."""
    near = difflib.get_close_matches(name, list(there), n=2, cutoff=likeness)
    return f"no {what} is called {name!r}" + (f"; did you mean {' or '.join(near)}?" if near else "")
