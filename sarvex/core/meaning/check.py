"""What is wrong with a network as it is written: each problem with its place and how to mend it.

A network without problems can be analysed: every name resolves, every literal parses, no group contains
itself. Analyses may rely on that.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from datetime import date
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from sarvex.core.meaning.ground_check import ground_problems, trait_problems
from sarvex.core.meaning.list_check import list_problems
from sarvex.core.meaning.names import (
    Bearer,
    NameCycle,
    Names,
    UnknownName,
    bearers,
    ends_of,
    moments_of,
    unknown,
)
from sarvex.core.model.problems import Problem, entry, name_problem
from sarvex.core.model.records import (
    FIELDS,
    Accepted,
    AddressObject,
    Expectation,
    Host,
    Network,
    Policy,
    Rule,
    Schedule,
    Segment,
    ServiceObject,
    fold,
)
from sarvex.core.model.uses import uses
from sarvex.core.sets import addresses, services
from sarvex.core.time import moment_words, schedules
from sarvex.core.time.moments import TooManyKinds

RESERVED = "default"
MOST_ENTRIES = 500
"""So many windows or exceptions one schedule may have."""


def problems(network: Network) -> list[Problem]:
    """Everything in a network that has no meaning, each with its place and how to mend it, in document order.

    A network without problems raises nothing anywhere in the core. Complexity: O(size of the document).
    """
    wrong = name_problem(network.name, "a network needs a name")
    own = [Problem(("name",), wrong)] if wrong else []
    return [*own, *naming_problems(network), *_policies(network)]


def naming_problems(network: Network) -> list[Problem]:
    """The problems of everything but rules: clashes of names, the ground, schedules, names that do not resolve or go in circles.

    Whoever has none may make `Names` of the network. Raises nothing. O(size of the network).
    """
    return [
        *_clashes(network),
        *ground_problems(network),
        *_names(network),
        *_time(network),
        *_sections(network),
        *_expectations(network),
        *_accepted(network),
    ]


def meant_otherwise(before: Network, after: Network) -> list[Problem]:
    """Where rules, groups or what must hold name a device, a zone or a user, and the name would mean something else from now on, or
    nothing: the problems of what takes the name, or of the last host of the user. O(names), and of the network if there are any."""
    then, now = bearers(before), bearers(after)
    named = [{fold(t.name): t for t in network.address_things()} for network in (before, after)]
    found = []
    for key, bearer in then.items():
        if key in named[0] or (key not in named[1] and key in now and now[key].kind == bearer.kind):
            continue
        use = next(iter(uses(after, "address", bearer.name)), None)
        if use is None:
            continue
        if key not in named[1] and key not in now:
            host = next(h for h in before.hosts if fold(h.user) == key)
            told = f"{bearer.name} is still named in {use}"
            found.append(Problem(("hosts", entry(host.name), "user"), told))
            continue
        told = f"{bearer.name!r} is a {bearer.kind} named in {use}, which would mean this from now on; choose another name"
        found.append(Problem((*_taker(key, named[1], now), "name"), told))
    return found


def _taker(
    key: str, named: Mapping[str, Host | Segment | AddressObject], beside: Mapping[str, Bearer]
) -> tuple[str, str]:
    """Section and name of what a name means."""
    if key in named:
        return SECTION[type(named[key])], entry(named[key].name)
    return f"{beside[key].kind}s", entry(beside[key].name)


SECTION: dict[type, str] = {Segment: "segments", Host: "hosts", AddressObject: "addresses"}


def rules_problems(policy: Policy, at: Collection[int], names: Names) -> list[Problem]:
    """The problems of the first rule that has any, of those at some places of a policy, with paths that start at the rule."""
    if not at:
        return []
    called = Counter(fold(rule.name) for rule in policy.rules)
    found = (
        _rule_problems(policy.rules[i], policy.name, called[fold(policy.rules[i].name)] > 1, names)
        for i in at
    )
    return next(filter(None, found), [])


def _rule_problems(rule: Rule, policy: str, twice: bool, names: Names) -> list[Problem]:
    wrong = name_problem(rule.name, "a rule needs a name")
    found = [Problem(("name",), wrong)] if wrong else []
    if fold(rule.name) == RESERVED:
        found.append(
            Problem(("name",), f"{RESERVED!r} is the name of the last row of every policy; choose another")
        )
    if twice:
        found.append(Problem(("name",), f"another rule of {policy} is called {rule.name!r}"))
    if rule.reject_with and rule.action != "reject":
        found.append(Problem(("reject_with",), "only a rule that rejects has an answer"))
    for field in FIELDS:
        members = rule.members(field)
        if not members:
            found.append(Problem((field,), "name at least one member; everything is written any"))
        resolve = names.service if field == "service" else names.address
        found += _unresolved(members, resolve, (field,))
    if rule.until and not _is_date(rule.until):
        told = f"{rule.until!r} is no date; write the last day on which it is active as 2027-03-31"
        found.append(Problem(("until",), told))
    if rule.schedule is not None:
        message = _why_not(names.schedule, rule.schedule)
        found += [Problem(("schedule",), message)] if message else []
    return [*found, *_accepted_of((), rule.accepted)]


def _unresolved(
    members: Iterable[str], resolve: Callable[[str], object], path: tuple[str | int, ...]
) -> Iterator[Problem]:
    for index, member in enumerate(members):
        message = _why_not(resolve, member)
        if message:
            yield Problem((*path, index), message)


def _why_not(read: Callable[[str], object], text: str) -> str | None:
    """Why a text cannot be read, or resolved, if it cannot."""
    try:
        read(text)
    except (UnknownName, NameCycle, schedules.InvalidSchedule) as error:
        return str(error)
    return None


def _clashes(network: Network) -> Iterator[Problem]:
    spaces: tuple[tuple[tuple[str, tuple[object, ...]], ...], ...] = (
        (("zones", network.zones),),
        (("segments", network.segments), ("hosts", network.hosts), ("addresses", network.addresses)),
        (("devices", network.devices),),
        (("services", network.services),),
        (("schedules", network.schedules),),
        (("policies", network.policies),),
        (("expectations", network.expectations),),
    )
    for space in spaces:
        seen: dict[str, str] = {}
        for section, things in space:
            for thing in things:
                name: str = thing.name  # type: ignore[attr-defined]
                path = (section, entry(name), "name")
                if wrong := name_problem(name):
                    yield Problem(path, wrong)
                elif fold(name) in seen:
                    yield Problem(path, f"the name {name!r} is taken already, in {seen[fold(name)]}")
                elif section in ("segments", "hosts", "addresses") and addresses.is_literal(name):
                    yield Problem(path, f"{name!r} is an address; a name must not look like one")
                elif section == "services" and services.is_literal(name):
                    yield Problem(path, f"{name!r} is a service in words already; choose another name")
                seen.setdefault(fold(name), section)


def _names(network: Network) -> Iterator[Problem]:
    names = _SafeNames(network)
    for a in network.addresses:
        yield from _group(a, names.address, ("addresses", entry(a.name), "members"))
        yield from trait_problems(a.traits, ("addresses", entry(a.name), "traits"))
        yield from _notes(a, ("addresses", entry(a.name), "notes"))
    for s in network.services:
        yield from _group(s, names.service, ("services", entry(s.name), "members"))
        yield from _notes(s, ("services", entry(s.name), "notes"))
    for device in network.devices:
        for field, members in (("management", device.management), ("tunnels", device.tunnels)):
            yield from _unresolved(members, names.service, ("devices", entry(device.name), field))
    yield from list_problems(network, names, _unresolved)
    for index, at in enumerate(network.at_hosts):
        yield from _unresolved(at.hosts, names.address, ("at_hosts", index, "hosts"))


def _group(
    thing: AddressObject | ServiceObject, resolve: Callable[[str], object], path: tuple[str | int, ...]
) -> Iterator[Problem]:
    """Members that do not resolve; or, if all do, why they do not together."""
    found = list(_unresolved(thing.members, resolve, path))
    yield from found
    if not found and (message := _why_not(resolve, thing.name)):
        yield Problem(path, message)


def _notes(thing: AddressObject | ServiceObject, path: tuple[str | int, ...]) -> Iterator[Problem]:
    members = {fold(m) for m in thing.members}
    for index, note in enumerate(thing.notes):
        if fold(note.member) not in members:
            yield Problem((*path, index, "member"), f"{note.member!r} is no member of {thing.name}")
        if note.until and not _is_date(note.until):
            yield Problem((*path, index, "until"), f"{note.until!r} is no date; write it as 2027-03-31")


def _time(network: Network) -> Iterator[Problem]:
    """The time zone, and schedules that cannot be read or tell too much apart."""
    found = []
    zone = zone_problem(network.time_zone)
    if zone:
        found.append(Problem(("time_zone",), zone))
    for schedule in network.schedules:
        at = ("schedules", entry(schedule.name))
        found += [Problem((*at, *p.path), p.message) for p in schedule_problems(schedule)]
    ends = ends_of(network)
    if not found and (network.schedules or ends) and all(map(_is_date, ends)):
        try:
            moments_of(network)
        except TooManyKinds as error:
            found.append(Problem(("schedules",), str(error)))
    yield from found


def zone_problem(name: str) -> str | None:
    """What is wrong with a time zone's name."""
    try:
        ZoneInfo(name)
    except (ValueError, OSError, ZoneInfoNotFoundError):
        return unknown(name, "time zone", sorted(available_timezones()), 0.6)
    return None


def schedule_problems(schedule: Schedule) -> list[Problem]:
    """The problems of one schedule, with paths that start at it: windows and dates that cannot be read, or hold no moment."""
    found = []
    if not schedule.windows:
        found.append(Problem(("windows",), "name at least one window; every day is written daily"))
    for field, texts in (("windows", schedule.windows), ("except", schedule.except_)):
        if len(texts) > MOST_ENTRIES:
            found.append(Problem((field,), f"at most {MOST_ENTRIES} can be listed"))
            continue
        for index, text in enumerate(texts):
            message = _why_not(
                schedules.parse_window if field == "windows" else schedules.parse_exception, text
            )
            if message:
                found.append(Problem((field, index), message))
    for field, text in (("first", schedule.first), ("last", schedule.last)):
        message = text and _why_not(schedules.parse_date, text)
        if message:
            found.append(Problem((field,), message))
    if not found and schedule.first and schedule.last and schedule.last < schedule.first:
        found.append(Problem(("last",), f"it ends before it begins on {schedule.first}"))
    return found


def _is_date(text: str) -> bool:
    try:
        return date.fromisoformat(text).isoformat() == text
    except ValueError:
        return False


def _sections(network: Network) -> Iterator[Problem]:
    """Sections begin at rules that are there, in the order of the rules, and have names of their own."""
    for policy in network.policies:
        position = {fold(rule.name): index for index, rule in enumerate(policy.rules)}
        seen: set[str] = set()
        last = 0
        for section in policy.sections:
            path = ("policies", entry(policy.name), "sections", entry(section.name))
            if wrong := name_problem(section.name, "a section needs a name"):
                yield Problem((*path, "name"), wrong)
            if fold(section.name) in seen:
                yield Problem((*path, "name"), f"another section of {policy.name} has this name")
            seen.add(fold(section.name))
            begins = position.get(fold(section.before)) if section.before is not None else len(position)
            if begins is None:
                yield Problem((*path, "before"), f"no rule of {policy.name} is called {section.before!r}")
            elif begins < last:
                yield Problem((*path, "before"), "sections stand in the order of the rules they begin at")
            else:
                last = begins


def _expectations(network: Network) -> Iterator[Problem]:
    """What must hold, told by names that mean something."""
    names = _SafeNames(network)
    for one in network.expectations:
        at = "expectations", entry(one.name)
        yield from (Problem((*at, *p.path), p.message) for p in expectation_problems(one, names))


def expectation_problems(one: Expectation, names: Names) -> list[Problem]:
    """The problems of one expectation, with paths that start at it."""
    network, found = names.network, []

    def resolve(member: str) -> object:
        return None if fold(member) in names.beside else names.address(member)

    for field in FIELDS:
        members: tuple[str, ...] = getattr(one, field)
        if not members:
            found.append(Problem((field,), "name at least one member; everything is written any"))
        found += _unresolved(members, names.service if field == "service" else resolve, (field,))
    if one.at is not None and all(fold(s.name) != fold(one.at) for s in network.schedules):
        try:
            moment_words.weekly(one.at) or moment_words.parse(one.at, ZoneInfo("UTC"))
        except moment_words.InvalidMoment:
            told = unknown(one.at, "schedule", (s.name for s in network.schedules))
            found.append(Problem(("at",), f"{told}; a moment is written 2026-11-28T03:00, or sat 03:00"))
        if fold(one.at.strip()) == "now":
            found.append(Problem(("at",), "now is another moment whenever it is looked at; leave it away"))
    if one.until and not _is_date(one.until):
        found.append(Problem(("until",), f"{one.until!r} is no date; write it as 2027-03-31"))
    return found


ACCEPTING = "segments", "hosts", "devices", "addresses", "services", "schedules", "policies"
"""The sections of whose things findings may be accepted; rules are looked at by themselves."""


def _accepted(network: Network) -> Iterator[Problem]:
    """Findings that are accepted: a reason, and a date at which they come back."""
    for section in ACCEPTING:
        for thing in getattr(network, section):
            yield from _accepted_of((section, entry(thing.name)), thing.accepted)


def _accepted_of(at: tuple[str, ...], accepted: tuple[Accepted, ...]) -> Iterator[Problem]:
    for number, one in enumerate(accepted):
        if not one.reason.strip():
            yield Problem((*at, "accepted", number, "reason"), "say why it may stay")
        if not _is_date(one.until):
            told = f"{one.until!r} is no date; write the last day on which it is accepted as 2027-03-31"
            yield Problem((*at, "accepted", number, "until"), told)


def _policies(network: Network) -> Iterator[Problem]:
    names = _SafeNames(network)
    for policy in network.policies:
        counts = Counter(fold(rule.name) for rule in policy.rules)
        for rule in policy.rules:
            path = ("policies", entry(policy.name), "rules", entry(rule.name))
            for problem in _rule_problems(rule, policy.name, counts[fold(rule.name)] > 1, names):
                yield Problem((*path, *problem.path), problem.message)


class _SafeNames(Names):
    """Names that only ever complain about the name asked for, not about what is broken inside it."""

    def address(self, member: str):  # type: ignore[no-untyped-def]
        try:
            return super().address(member)
        except addresses.InvalidAddress:  # the host's or segment's own entry is told already
            return addresses.NOTHING
