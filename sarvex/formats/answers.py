"""Answers to questions as plain data: parts with one decider told together, and the verdict in a sentence."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import reduce
from operator import or_

from sarvex.core.change import sets_in_names
from sarvex.core.forwarding.course import UNDONE, Course, Place, course_of
from sarvex.core.forwarding.journeys import Result, Step
from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.forwarding.walk import Answer, Part, Verdict
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE
from sarvex.core.model.records import Network
from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.flows import Flow
from sarvex.core.time.moments import ALWAYS, NEVER, Times
from sarvex.formats.questions import Asked

FEW_SERVICES = 5
FEW_PLACES = 4
FEW_DECIDERS = 2
FEW_BOXES = 2_000
LONG = 60
"""Of a set that takes a longer word the segments are told that hold some of it."""
NOWHERE = ("no route", "loop", "unanswered")
HOSTS_ONLY = "without the devices' own addresses"
OTHERWISE = "otherwise"


@dataclass(frozen=True)
class Told:
    """Parts of an answer that end alike: same result, same course."""

    result: Result
    symptom: str
    sources: tuple[str, ...]
    destinations: tuple[str, ...]
    services: tuple[str, ...]
    more_services: int
    times: Times
    when: str
    """The moments in words; nothing for always."""
    steps: tuple[Step, ...]
    answer: tuple[Step, ...]
    missing: str | None
    sample: Flow | None
    ends: tuple[str, str, str]
    """The sample in names: from, to, service."""
    segments: tuple[str, str]
    """Those that own the sample's addresses, or nothing."""
    course: Course
    """Of the sample."""


@dataclass(frozen=True)
class Reply:
    """A question and its answer, told."""

    asked: Asked = field(repr=False)
    verdict: Verdict
    sentence: str
    parts: tuple[Told, ...]
    note: str = ""
    """What was not meant by the names."""


def tell(asked: Asked, answer: Answer, names: Names) -> Reply:
    """The answer in words. For an open question only what passes is told, unless nothing does."""
    routing = routing_of(names.network, asked.question.without)
    told = tuple(_told(parts, names, asked.moment, routing) for parts in _ending_alike(answer))
    note = HOSTS_ONLY if asked.hosts_only else ""
    passing = tuple(t for t in told if t.result == "delivered")
    if asked.open and passing:
        told = passing
    if asked.open and passing:
        return Reply(asked, answer.verdict, _open_sentence(asked.open, answer, names), told, note)
    sentence = _by_some_ways(answer, told) or _sentence(answer.verdict, told)
    return Reply(asked, answer.verdict, sentence, told, note)


def moment_matters(answer: Answer) -> bool:
    """Whether packets of an answer fare differently at different moments that were asked about."""
    together = (packet_sets.union(part.packets for part in parts) for parts in _ending_alike(answer))
    return any(map(packet_sets.differs_in_time, together))


def _ending_alike(answer: Answer) -> Iterable[list[Part]]:
    """The parts in groups of the same result and course."""
    groups: dict[tuple[object, ...], list[Part]] = defaultdict(list)
    for part in answer.parts:
        lists = tuple(c.by for c in part.way)
        groups[part.result, part.symptom, part.steps, part.answer, part.missing, lists].append(part)
    return groups.values()


def _told(parts: list[Part], names: Names, moment: datetime | None, routing: Routing) -> Told:
    together = packet_sets.union(p.packets for p in parts)
    times = ALWAYS if moment else packet_sets.times_of_set(together)
    words = sets_in_names.name_services(sets_in_names.project_services(together), names)
    first = parts[0]
    return Told(
        first.result,
        first.symptom,
        few_places(packet_sets.project(together, SOURCE), names),
        few_places(packet_sets.project(together, DESTINATION), names),
        tuple(words[:FEW_SERVICES]),
        max(0, len(words) - FEW_SERVICES),
        times,
        names.moments.words(times),
        first.steps,
        first.answer,
        first.missing,
        replace(first.sample, moment=moment) if first.sample and moment else first.sample,
        ends_of(first.sample, names),
        _owners(first.sample, routing),
        course_of(first, routing),
    )


def ends_of(sample: Flow | None, names: Names) -> tuple[str, str, str]:
    """A flow by the names of its hosts and devices, and its service, without the asker's port."""
    if sample is None:
        return "", "", ""
    src, dst = (_place(sample.family, value, names) for value in (sample.src, sample.dst))
    return src, dst, sample.service.partition(" from ")[0]


def _owners(sample: Flow | None, routing: Routing) -> tuple[str, str]:
    """The segments at both ends of a flow."""
    if sample is None:
        return "", ""
    ends = (addresses.span(sample.family, value, value) for value in (sample.src, sample.dst))
    source, destination = (next(routing.owners(end))[0] for end in ends)
    return (source.name if source else ""), (destination.name if destination else "")


def _place(family: int, value: int, names: Names) -> str:
    """One address by the name of the host that has it, or by the device's."""
    device = next(_themselves(addresses.span(family, value, value), names), None)
    return device or _hosts(names).get((family, value)) or addresses.spell(family, value)


def _hosts(names: Names) -> dict[tuple[int, int], str]:
    """Hosts by their addresses."""

    def by_address() -> dict[tuple[int, int], str]:
        return {
            (f, low): host.name
            for host in reversed(names.network.hosts)
            for f in FAMILIES
            for low, high in names.address(host.name)[f]
            if low == high
        }

    found: dict[tuple[int, int], str] = names.keep("hosts by address", by_address)
    return found


def whole_places(a: AddressSet, names: Names) -> list[str]:
    """Exactly a set of hosts, or of devices' own addresses, in names: by a segment's name its hosts are meant."""
    if a and addresses.covers(routing_of(names.network).all_own, a):
        return list(_themselves(a, names))
    words = (sets_in_names.name_addresses(some, names) for some in (_filled(a, names), a))
    return min(words, key=len)


def few_places(a: AddressSet, names: Names) -> tuple[str, ...]:
    """The set in names where few are enough, else the segments that hold some of it."""
    words = whole_places(a, names)
    if a and addresses.covers(routing_of(names.network).all_own, a):
        return tuple(words)
    short = len(words) <= FEW_PLACES and all(len(word) <= LONG for word in words)
    if short:
        return tuple(words)
    nobody = any(segment is None for segment, _ in routing_of(names.network).owners(a))
    told = sets_in_names.name_segments(_filled(a, names), names)
    return _few([*told, *(["addresses that no segment owns"] if nobody else [])])


def _themselves(a: AddressSet, names: Names) -> Iterator[str]:
    """Devices' own addresses by the devices, and by interfaces where it is not all of one's."""
    routing = routing_of(names.network)
    for device in names.network.devices:
        own = routing.own(device)
        here = addresses.intersection(a, own)
        families = [f for f in FAMILIES if here[f]]
        if not families:
            continue
        if all(here[f] == own[f] for f in families):
            only = f" over IPv{families[0]}" if any(own[f] and not here[f] for f in FAMILIES) else ""
            yield f"{device.name} itself{only}"
        else:
            at = [
                i.name
                for i in device.interfaces
                if any(addresses.covers(a, addresses.parse(t)) for t in i.addresses)
            ]
            others = [i.name for i in device.interfaces if i.addresses and i.name not in at]
            if len(at) > FEW_PLACES and len(others) <= 2:
                yield f"{device.name} itself, but not at {' and '.join(others)}"
            else:
                yield f"{device.name} itself at {', '.join(at)}"


def _filled(a: AddressSet, names: Names) -> AddressSet:
    """Most hosts of a segment with the devices' own addresses there, and those that no route carries: by the segment's name hosts are
    meant."""
    routing = routing_of(names.network)
    nobody = addresses.union((routing.all_own, routing.unrouted))
    filled = {f: [a[f]] for f in FAMILIES}
    for segment, share in routing.owners(a):
        if segment is not None:
            owned = routing.owned(segment)
            own, rest = (addresses.intersection(owned, some) for some in (routing.all_own, nobody))
            for f in FAMILIES:
                most = 2 * intervals.size(share[f]) > intervals.size(owned[f]) - intervals.size(own[f])
                if most and not intervals.intersection(a[f], own[f]):
                    filled[f].append(rest[f])
    return AddressSet(*(intervals.union(pair for part in filled[f] for pair in part) for f in FAMILIES))


def _few(words: list[str]) -> tuple[str, ...]:
    more = len(words) - FEW_PLACES
    return (*words[:FEW_PLACES], f"{more} more") if more > 1 else tuple(words)


def place_words(place: Place, network: Network) -> str:
    """Where a place is at its device: by which interface, or between which zones."""
    devices = (d for d in network.devices if d.name == place.device)
    zones = {i.name: i.zone or i.name for d in devices for i in d.interfaces}
    entering, leaving = (zones.get(name or "", name) for name in (place.entering, place.leaving))
    match place.where:
        case "passage":
            return f"passage, {entering} → {leaving}"
        case "steering":
            return f"steering at {place.entering}"
        case "destination translation" | "source translation":
            in_ = (place.where == "destination translation") is (place.told != UNDONE)
            return f"{place.where} at {place.entering if in_ else place.leaving}"
        case "inbound" | "to the device":
            return f"{place.where} at {place.entering}" if place.entering else place.where
        case "outbound" | "from the device":
            return f"{place.where} at {place.leaving}" if place.leaving else place.where
        case "answer":
            return f"{place.entering or 'itself'} → {place.leaving or 'itself'}"
    return place.where


def decider(step: Step) -> str:
    """Who decided, in the network's own names."""
    if step.rule is not None:
        return step.rule
    return f"{OTHERWISE} in {step.policy}" if step.policy else f"the {step.stage} default of {step.device}"


def _open_sentence(open_: str, answer: Answer, names: Names) -> str:
    """The answer to who, where or what: all that passes, in names."""
    passing = packet_sets.union(p.packets for p in answer.parts if p.result == "delivered")
    if open_ == "what":
        words = sets_in_names.name_services(sets_in_names.project_services(passing), names)
    else:
        axis = SOURCE if open_ == "who" else DESTINATION
        return ", ".join(few_places(packet_sets.project(passing, axis), names))
    return ", ".join(_few(words))


def _by_some_ways(answer: Answer, told: tuple[Told, ...]) -> str | None:
    """Where every packet works by one way and fails by another."""
    if answer.verdict != "some" or any(part.result == "undetermined" for part in answer.parts):
        return None
    works, fails = (
        packet_sets.union(p.packets for p in answer.parts if (p.result == "delivered") == wanted)
        for wanted in (True, False)
    )
    try:
        same = packet_sets.covers(works, fails, FEW_BOXES) and packet_sets.covers(fails, works, FEW_BOXES)
    except WorkLimit:
        return None
    passing, stopped = ([t for t in told if (t.result == "delivered") == wanted] for wanted in (True, False))
    return f"only by some ways: allowed{_by(tuple(passing))}; blocked{_by(tuple(stopped))}" if same else None


def _sentence(verdict: str, told: tuple[Told, ...]) -> str:
    match verdict:
        case "empty":
            return "no such packets: the two sides share no address family, or one is empty"
        case "undetermined":
            return f"undetermined: {next(t.missing for t in told if t.missing)}"
        case "allowed":
            return f"allowed{_by(told)}"
        case "blocked":
            lost = [t.missing for t in told if t.result == "unanswered"]
            reason = f": {lost[0]}" if len(lost) == len(told) == 1 else _by(told)
            return f"blocked{reason} · {_symptoms(told)}"
    by_time = _sentence_in_time(told)
    if by_time:
        return by_time
    passing = tuple(t for t in told if t.result == "delivered")
    stopped = tuple(t for t in told if t.result not in ("delivered", "undetermined"))
    unknown = " · some undetermined" if any(t.result == "undetermined" for t in told) else ""
    return (
        f"some allowed{_by(passing)}; {f'rest blocked{_by(stopped)}' if stopped else 'rest unknown'}{unknown}"
    )


def _sentence_in_time(told: tuple[Told, ...]) -> str | None:
    """Where all is allowed at some moments and all is blocked at the others."""
    passing = tuple(t for t in told if t.result == "delivered")
    stopped = tuple(t for t in told if t.result != "delivered")
    open_, shut = (reduce(or_, (t.times for t in some), NEVER) for some in (passing, stopped))
    if open_ & shut or not passing or any(t.result == "undetermined" for t in stopped):
        return None
    when = passing[0].when if len(passing) == 1 else "at some moments"
    return f"allowed {when}{_by(passing)}; otherwise blocked{_by(stopped)} · {_symptoms(stopped)}"


def _by(told: tuple[Told, ...]) -> str:
    names = list(dict.fromkeys(_ender(t) for t in told if t.steps or t.missing or t.result in NOWHERE))
    if not names:
        return ", passes no device" if told else ""
    more = len(names) - FEW_DECIDERS
    return " by " + ", ".join(names[:FEW_DECIDERS]) + (f" and {more} more" if more > 0 else "")


def _ender(told: Told) -> str:
    """What ended it: a rule or default, or that it leads nowhere."""
    if told.missing or told.result in NOWHERE:
        return told.missing or told.result
    return decider(told.steps[-1])


def _symptoms(told: tuple[Told, ...]) -> str:
    return ", ".join(dict.fromkeys(t.symptom for t in told))
