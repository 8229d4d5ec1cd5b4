"""What is wrong with the translations and the steering of devices: entries that decide nothing, forwards that nobody is let through to,
rules that name what a translation has hidden, and answers that come back from the wrong address."""

from __future__ import annotations

from collections.abc import Iterator
from time import monotonic

from sarvex.core.findings.finding import Finding, facts
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.forwarding.scopes import in_scope
from sarvex.core.forwarding.translating import NONE, Translating
from sarvex.core.forwarding.walk import Part, Question, TooWide, trace
from sarvex.core.forwarding.way_back import OTHER_ADDRESSES, decider
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.entries import match_of_entry
from sarvex.core.meaning.matches import match_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE, PacketSet
from sarvex.core.model.records import (
    LISTS,
    DestinationTranslation,
    Device,
    Entry,
    Interface,
    Network,
    Policy,
    Rule,
    SourceTranslation,
    named,
    scope_of,
)
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import WorkLimit

MOST_BOXES = 20_000
LONGEST = 5.0
"""Seconds that a question about an entry may take before it is left undecided."""


def findings_of_lists(network: Network, names: Names) -> Iterator[Finding]:
    """All of them, device by device in the order of their lists. Raises what `Names` raises. Cost: two questions for each translation
    of destinations; O(entries² boxes²) for each list."""
    for device in network.devices:
        yield from _idle(device, names)
        for entry in device.translate_destination:
            if entry.enabled and entry.to != NONE:
                yield from _forward(network, device, entry, names)
        yield from _half_pairs(device, names)
        yield from _hidden(network, device, names)


def _about(kind: str, device: Device, entry: Entry, weight: str = "warning", **known: object) -> Finding:
    known = {"entry": entry.name, **known}
    return Finding(kind, weight, None, None, name=device.name, facts=facts(**known))  # type: ignore[arg-type]


# --- dead in their lists ---------------------------------------------------------------------------------


def _matched(entry: Entry, names: Names) -> PacketSet:
    """All that an entry matches, in whichever state."""
    return match_of_entry(entry, names).packets if entry.enabled else packet_sets.NOTHING


def _ports(device: Device, entry: Entry) -> list[Interface]:
    return [i for i in device.interfaces if in_scope(scope_of(entry), i)]


def _idle(device: Device, names: Names) -> Iterator[Finding]:
    """Entries of which all is taken by earlier ones wherever they are consulted."""
    for field in LISTS:
        entries: tuple[Entry, ...] = getattr(device, field)
        sets = [_matched(e, names) for e in entries]
        for at, entry in enumerate(entries):
            if entry.enabled and sets[at]:
                by = _takers(device, entries, sets, at, names)
                if by:
                    list_ = field.replace("_", " ")
                    yield _about("idle entry", device, entry, list=list_, by=by)


def _takers(
    device: Device, entries: tuple[Entry, ...], sets: list[PacketSet], at: int, names: Names
) -> tuple[str, ...]:
    """The earlier entries that take all of one, at every interface; nothing if they do not."""
    takers: dict[str, None] = {}
    for port in _ports(device, entries[at]):
        mine, before = sets[at], []
        for f in FAMILIES:  # of each family those that have something for it
            speaking = Translating(names)
            leaving = port if isinstance(entries[at], SourceTranslation) else None
            if not speaking.speaks_of(entries[at], f, leaving):
                mine = _without_family(mine, f)
                continue
            for n, e in enumerate(entries[:at]):
                if port in _ports(device, e) and speaking.speaks_of(e, f, leaving):
                    before.append((e.name, packet_sets.of_boxes(f, sets[n][f])))
        try:
            if not packet_sets.covers(packet_sets.union(s for _, s in before), mine, MOST_BOXES):
                return ()
        except WorkLimit:
            return ()
        takers |= {name: None for name, s in before if packet_sets.intersection(s, mine)}
    return tuple(takers)


def _without_family(some: PacketSet, family: int) -> PacketSet:
    return packet_sets.of_boxes(10 - family, some[10 - family])


# --- forwards ---------------------------------------------------------------------------------------------


def _forward(
    network: Network, device: Device, entry: DestinationTranslation, names: Names
) -> Iterator[Finding]:
    """What becomes of all that an entry matches first, wherever it is asked from."""
    try:
        parts = [p for p in _asked(network, entry, names) if _by(p, device, entry)]
        outside_only = list(_outside_only(network, device, entry, names))
    except TooWide:
        yield _about("undecided", device, entry, "note", what="led")
        return
    if parts and all(p.result in ("dropped", "rejected") for p in parts):
        first = parts[0]
        why = (
            f"dropped ({first.missing})"
            if first.missing
            else f"stopped by {decider(first.steps[-1])} at {first.steps[-1].device}"
        )
        yield _about("admits nobody", device, entry, why=why, sample=str(first.sample))
    turned = [p for p in parts if p.missing == OTHER_ADDRESSES]
    if turned:
        yield _about("turn without source translation", device, entry, sample=str(turned[0].sample))
    yield from outside_only


def _asked(network: Network, entry: DestinationTranslation, names: Names) -> tuple[Part, ...]:
    matched = match_of_entry(entry, names)
    return _followed(network, names, Question(matched.source, matched.destination, matched.service))


def _followed(network: Network, names: Names, question: Question) -> tuple[Part, ...]:
    """The answer to a question, each way by itself. Raises `TooWide` where there are too many ways for that, or after a while."""
    until = monotonic() + LONGEST
    answer = trace(network, names, question, lambda: monotonic() < until)
    if answer.merged:
        raise TooWide
    return answer.parts


def _by(part: Part, device: Device, entry: Entry) -> bool:
    return any(c.device.name == device.name and entry.name in c.by for c in part.way)


def _outside_only(
    network: Network, device: Device, entry: DestinationTranslation, names: Names
) -> Iterator[Finding]:
    """Asked from inside, at interfaces that the entry does not speak of, the address is the device's own."""
    routing = routing_of(network)
    matched = match_of_entry(entry, names)
    own = addresses.intersection(matched.destination, routing.own(device))
    inside = [
        s for s in network.segments
        if not s.outside and any(d.name == device.name and not in_scope(entry.entering, i) for d, i in routing.starts(s))
    ]  # fmt: skip
    hosts = addresses.union(routing.owned(s) for s in inside)
    asked = addresses.intersection(addresses.difference(hosts, routing.all_own), matched.source)
    if not own or not asked:
        return
    parts = _followed(network, names, Question(asked, own, matched.service))
    led = [p for p in parts if p.destination_segment == device.name and not _by(p, device, entry)]
    if led:
        from_ = packet_sets.project(packet_sets.union(p.packets for p in led), SOURCE)
        where = tuple(s.name for s, _ in routing.owners(from_) if s)
        yield _about(
            "published from outside only", device, entry, "note", segments=where, sample=str(led[0].sample)
        )


# --- pairs ------------------------------------------------------------------------------------------------


def _half_pairs(device: Device, names: Names) -> Iterator[Finding]:
    """One to one in one direction, and not in the other."""
    translating = Translating(names)
    to = {
        (f, pair): e for e in device.translate_destination if e.enabled
        for f in FAMILIES if (pair := _pair(translating, e, DESTINATION, e.destination, f, names)) and e.port is None
    }  # fmt: skip
    from_ = {
        (f, pair[::-1]): e for e in device.translate_source if e.enabled
        for f in FAMILIES if (pair := _pair(translating, e, SOURCE, e.source, f, names))
    }  # fmt: skip
    alone: dict[Entry, str] = {e: "in" for key, e in to.items() if key not in from_}
    alone |= {e: "out" for key, e in from_.items() if key not in to}
    for entry, direction in alone.items():
        yield _about("half a pair", device, entry, "note", direction=direction)


def _pair(
    translating: Translating, entry: DestinationTranslation | SourceTranslation, axis: int,
    members: tuple[str, ...], family: int, names: Names,
) -> tuple[AddressSet, AddressSet] | None:  # fmt: skip
    """What is matched and what it becomes, where that is one to one for any service."""
    if entry.to in (NONE, ("interface",)) or entry.service != ("any",):
        return None
    if translating.moves_by(entry, axis, family, None) is None:
        return None
    matched, became = (
        addresses.in_family(addresses.union(map(names.address, some)), family) for some in (members, entry.to)
    )
    return matched, became


# --- rules that name the hidden side ----------------------------------------------------------------------


def _hidden(network: Network, device: Device, names: Names) -> Iterator[Finding]:
    """Rules in passage and outbound whose destinations have all become others before they are asked."""
    own = routing_of(network).own(device)
    for attachment in device.policies:
        stage = attachment.stage
        form = {"passage": device.sees.passage, "outbound": device.sees.outbound}.get(stage)
        if form in (None, "entered"):
            continue
        ports = [i for i in device.interfaces if in_scope(attachment.entering, i)]
        asked = [
            [e for e in device.translate_destination if e.enabled and in_scope(e.entering, i)] for i in ports
        ]
        policy = named(network.policies, attachment.policy)
        for rule in policy.rules if any(asked) else ():
            found = [_hider(entries, rule, policy, names) for entries in asked]
            by = [e for e in found if e is not None]
            # What is for the device itself is asked about in passage by no interface, translated or not.
            itself = addresses.covers(own, match_of(rule, names, policy.families).destination)
            if by and (itself or None not in found):
                known = {"by": by[0].name, "at": device.name, "becomes": by[0].to}
                yield Finding("hidden from its rule", "warning", policy.name, rule.name, facts=facts(**known))


def _hider(
    entries: list[DestinationTranslation], rule: Rule, policy: Policy, names: Names
) -> DestinationTranslation | None:
    """The first of some entries that make others of all destinations of a rule; none if one of them is made one of these."""
    match = match_of(rule, names, policy.families)
    if not rule.enabled or not match.matches_something or "destination" in rule.negate:
        return None
    hidden = addresses.union(match_of_entry(entry, names).destination for entry in entries)
    if not addresses.covers(hidden, match.destination):
        return None
    for entry in entries:
        became = addresses.union(names.address(m) for m in entry.to) if entry.to != NONE else addresses.ANY
        if addresses.intersection(became, match.destination):
            return None
    left, last = match.packets, None
    for entry in entries:
        here = packet_sets.intersection(left, _matched(entry, names))
        if here:
            last = last or entry
            left = packet_sets.difference(left, _matched(entry, names), MOST_BOXES)
    return last if not left else None
