"""What the translations and the steering of a device match, and what a translation makes of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from sarvex.core.firstmatch.partition import partition_of
from sarvex.core.forwarding.headers import by_ports
from sarvex.core.forwarding.journeys import Journey, altered
from sarvex.core.forwarding.rewriting import Value, fixed, moved, put
from sarvex.core.forwarding.scopes import in_scope
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.entries import as_rule, asked_ports, match_of_entry, ports_of
from sarvex.core.meaning.names import Names, pieces
from sarvex.core.meaning.packet_sets import DESTINATION, FIRST, NOTHING, SECOND, SOURCE
from sarvex.core.model.records import (
    DestinationTranslation,
    Device,
    Entry,
    Interface,
    Policy,
    SourceTranslation,
    Steering,
    Translation,
)
from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.intervals import Intervals
from sarvex.core.tables import permits
from sarvex.core.tables.table import Table

ANY_PORT = 1024, 65535
"""What a rewritten source port may become."""
INTERFACE, NONE = ("interface",), ("none",)


class Translating:
    """The lists of translations and steering of one network.

    tick: called now and then while packets are led; it may raise to end what goes on.
    """

    def __init__(self, names: Names, tick: Callable[[], None] = lambda: None) -> None:
        self.names, self._tick = names, tick

    def destination(self, device: Device, entering: Interface, journey: Journey) -> Iterator[Journey]:
        """What enters a device, as it is routed there."""
        entries = [e for e in device.translate_destination if in_scope(e.entering, entering)]
        for index, one in self._matched(f"{device.name} by {entering.name}", entries, None, journey):
            entry = None if index is None else entries[index]
            if entry is None or entry.to == NONE:
                yield altered(one, by=one.entry(0, entry.name)) if entry else one
                continue
            ported = by_ports(one.packets) if entry.port else (NOTHING, one.packets)
            for packets, has_ports in zip(ported, (True, False), strict=True):
                if packets:
                    became = self._readdressed(device, entry, None, one.on(packets))
                    yield self._reported(entry, became) if has_ports else became

    def source(self, device: Device, leaving: Interface, journey: Journey) -> Iterator[Journey]:
        """What is about to leave a device, as it leaves."""
        entries = [e for e in device.translate_source if in_scope(e.leaving, leaving)]
        for index, one in self._matched(f"{device.name} to {leaving.name}", entries, leaving, journey):
            entry = None if index is None else entries[index]
            if entry is None or entry.to == NONE:
                yield altered(one, by=one.entry(2, entry.name)) if entry else one
                continue
            for packets, has_ports in zip(by_ports(one.packets), (True, False), strict=True):
                if packets:
                    became = self._readdressed(device, entry, leaving, one.on(packets))
                    family = packet_sets.family_of(packets)
                    rewritten = has_ports and self.changes_ports(entry, family, leaving)
                    yield _free_port(device, entry, became) if rewritten else became

    def steered(
        self, device: Device, entering: Interface, journey: Journey, after: int = 0
    ) -> Iterator[tuple[int | None, Journey]]:
        """What enters a device by the entry that steers it, from some place of the list on; None for what routes lead."""
        places = [n for n, e in enumerate(device.steering) if n >= after and in_scope(e.entering, entering)]
        name = f"steering of {device.name} by {entering.name} from {after}"
        for index, one in self._split(name, [device.steering[n] for n in places], None, journey):
            yield (None if index is None else places[index]), one

    def _matched(
        self, where: str, entries: Sequence[Translation], leaving: Interface | None, journey: Journey
    ) -> Iterator[tuple[int | None, Journey]]:
        """By the entry that matches, of one family at a time where its address changes."""
        for index, one in self._split(f"translation of {where}", entries, leaving, journey):
            if index is None or entries[index].to == NONE:
                yield index, one
                continue
            for f in FAMILIES:
                if packet_sets.has(one.packets, f):
                    yield index, one.on(packet_sets.of_family(one.packets, f))

    def _split(
        self, name: str, entries: Sequence[Entry], leaving: Interface | None, journey: Journey
    ) -> Iterator[tuple[int | None, Journey]]:
        """A journey by the entry that matches it first, of each family those that have something for it."""
        if not entries:
            yield None, journey
            return
        sent = journey.sent(journey.header)
        for f in FAMILIES:
            if not packet_sets.has(sent, f):
                continue
            there = [n for n, e in enumerate(entries) if e.enabled and self.speaks_of(e, f, leaving)]
            policy = Policy(
                name=f"{name} in {f}", default="continue", rules=tuple(as_rule(entries[n]) for n in there)
            )
            mine = packet_sets.of_family(sent, f)
            split = (
                permits.split(policy, self.names, mine)
                if isinstance(mine, Table)
                else partition_of(policy, self.names).split(mine, self._tick)
            )
            for position, rule, share in split:
                for one in journey.shares(share, journey.header):
                    yield (there[position - 1] if rule else None), one

    def speaks_of(self, entry: Entry, family: int, leaving: Interface | None) -> bool:
        """Whether an entry has an address of a family to translate to, or a next device of it."""
        if isinstance(entry, DestinationTranslation | SourceTranslation):
            return entry.to == NONE or any(one[family] for one in self.to(entry, leaving))
        return entry.via is None or bool(addresses.parse(entry.via)[family])

    def to(self, entry: Translation, leaving: Interface | None) -> list[AddressSet]:
        """All that an entry translates to, as it is written."""
        if entry.to == INTERFACE:
            return [addresses.parse(a) for a in (leaving.addresses if leaving else ())]
        return [piece for member in entry.to for piece in pieces(member, self.names)]

    def _readdressed(
        self, device: Device, entry: Translation, leaving: Interface | None, journey: Journey
    ) -> Journey:
        """Packets of one family with another destination, or source, as the entry is for."""
        family = packet_sets.family_of(journey.packets)
        side = DESTINATION if isinstance(entry, DestinationTranslation) else SOURCE
        axis, _ = _axes(side, journey)
        by = self.moves_by(entry, side, family, leaving)
        if by is not None:
            value = moved(journey.header[axis], by)
        else:
            to = addresses.union(self.to(entry, leaving))[family]
            value, journey = _one_of(device, entry, axis, to, journey)
        which = 0 if side == DESTINATION else 2
        return altered(journey, header=put(journey.header, axis, value), by=journey.entry(which, entry.name))

    def moves_by(self, entry: Translation, axis: int, family: int, leaving: Interface | None) -> int | None:
        """By how much an entry moves addresses, if it translates one to one."""
        field, members = (
            ("destination", entry.destination) if axis == DESTINATION else ("source", entry.source)
        )
        if field in entry.negate:
            return None
        matched = [p for m in members for one in pieces(m, self.names) for p in one[family]]
        to = [p for one in self.to(entry, leaving) for p in one[family]]
        if len(matched) != 1 or len(to) != 1 or intervals.size(tuple(matched)) != intervals.size(tuple(to)):
            return None
        return int(to[0][0] - matched[0][0])

    def changes_ports(self, entry: Entry, family: int, leaving: Interface | None) -> bool:
        """Whether packets with ports leave an entry with another."""
        if isinstance(entry, DestinationTranslation):
            return entry.port is not None
        if isinstance(entry, Steering) or entry.to == NONE:
            return False
        if entry.ports is None:
            return self.moves_by(entry, SOURCE, family, leaving) is None
        return entry.ports == "rewrite"

    def _reported(self, entry: DestinationTranslation, journey: Journey) -> Journey:
        """Packets with ports, to the port that a destination becomes."""
        _, port = _axes(DESTINATION, journey)
        low, high = ports_of(entry.port or "")
        if low == high:
            value = fixed(low)
        else:
            value = moved(
                journey.header[port], low - asked_ports(match_of_entry(entry, self.names).service)[0][0]
            )
        return altered(journey, header=put(journey.header, port, value))


def _axes(side: int, journey: Journey) -> tuple[int, int]:
    """The axes of a packet's source, or destination, and of its port, on the axes of the question: of an answer they are turned."""
    if (side == SOURCE) is not journey.answers:
        return SOURCE, FIRST
    return DESTINATION, SECOND


def _one_of(
    device: Device, entry: Translation, axis: int, to: Intervals, journey: Journey
) -> tuple[Value, Journey]:
    """A field that becomes one of some values."""
    if len(to) == 1 and to[0][0] == to[0][1]:
        return fixed(to[0][0]), journey
    choice = device.name, entry.name, axis, len(journey.choices)
    return (choice, 0), altered(journey, choices=(*journey.choices, (choice, to)))


def _free_port(device: Device, entry: Translation, journey: Journey) -> Journey:
    _, port = _axes(SOURCE, journey)
    value, journey = _one_of(device, entry, port, (ANY_PORT,), journey)
    return altered(journey, header=put(journey.header, port, value))


def possible_destinations(
    device: Device, entering: Interface, source: AddressSet, destination: AddressSet, names: Names
) -> AddressSet:
    """All that destinations may become at a device, by some service; nothing where it translates none of them."""
    if device.filtering == "stateless":
        return addresses.NOTHING
    matched = (
        e
        for e in device.translate_destination
        if in_scope(e.entering, entering) and e.to != NONE and _may_match(e, source, destination, names)
    )
    return addresses.union(addresses.union(map(names.address, e.to)) for e in matched)


def possible_sources(
    device: Device, leaving: Interface, source: AddressSet, destination: AddressSet, names: Names
) -> list[AddressSet]:
    """The same of sources: what each entry may make of some of them."""
    found = []
    for e in device.translate_source if device.filtering == "stateful" else ():
        if in_scope(e.leaving, leaving) and e.to != NONE and _may_match(e, source, destination, names):
            own = map(addresses.parse, leaving.addresses)
            found.append(addresses.union(own if e.to == INTERFACE else map(names.address, e.to)))
    return found


def _may_match(entry: Entry, source: AddressSet, destination: AddressSet, names: Names) -> bool:
    """Whether some packet between two sets may match an entry, by whatever service and whenever."""
    matched = match_of_entry(entry, names)
    both = (matched.source, source), (matched.destination, destination)
    return entry.enabled and all(addresses.intersection(meant, ours) for meant, ours in both)
