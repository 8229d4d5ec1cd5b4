"""What a change does in the network, in names: for people, and in the machine's form."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import islice

from sarvex.core.change import sets_in_names
from sarvex.core.change.network_effect import Fare, Kind, NetworkEffect, Shift, Stop
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.names import Names
from sarvex.core.reach.products import products
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.flows import Flow
from sarvex.formats.answers import few_places, whole_places

NOBODY = "Nobody reaches more or less than before."


@dataclass(frozen=True, eq=False)
class NetworkChange:
    """One product of new packets that fare alike before and alike after. Words are exactly the sets, or if asked for few."""

    kind: Kind
    before: Fare
    after: Fare
    source: tuple[str, ...]
    destination: tuple[str, ...]
    service: tuple[str, ...]
    when: str
    match: Match
    witness: Flow


def network_changes(effect: NetworkEffect, names: Names, exactly: bool = True) -> Iterator[NetworkChange]:
    """The shifts of an effect in the network's own names; names: those afterwards. Each is named when it is its turn.

    exactly: else sets that take many words are told by the segments that hold some of them.
    """
    for shift in effect.shifts:
        for match in _both_families(products(shift.packets), names):
            yield _change(shift, match, names, exactly)


def _change(shift: Shift, match: Match, names: Names, exactly: bool) -> NetworkChange:
    known = replace(names.known(), others=routing_of(names.network).plausible)
    witness = packet_sets.sample(match.packets, known)
    assert witness is not None
    when = names.moments.words(match.times)
    words = _words(match, names, whole_places if exactly else few_places)
    return NetworkChange(shift.kind, shift.before, shift.after, *words, when, match, witness)


def _words(
    match: Match, names: Names, places: Callable[[AddressSet, Names], Sequence[str]] = whole_places
) -> tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]:
    return (
        tuple(places(match.source, names)),
        tuple(places(match.destination, names)),
        tuple(sets_in_names.name_services(match.service, names)),
    )


def _both_families(told: list[Match], names: Names) -> Iterator[Match]:
    """Products of the two families as one where that takes no more words than one of them."""
    fours = [m for m in told if m.source.v4]
    for six in (m for m in told if not m.source.v4):
        length = _length(six, names)
        for at, four in enumerate(fours):
            both = _joined(four, six)
            if (
                not four.source.v6
                and four.times == six.times
                and _length(both, names) <= min(length, _length(four, names))
            ):
                fours[at] = both
                break
        else:
            fours.append(six)
    yield from fours


def _joined(a: Match, b: Match) -> Match:
    """Both, of which each is of another family."""
    return Match(
        addresses.union((a.source, b.source)),
        addresses.union((a.destination, b.destination)),
        services.union((a.service, b.service)),
        a.states,
        a.times,
    )


def _length(match: Match, names: Names) -> int:
    return sum(map(len, _words(match, names)))


def network_sentence(change: NetworkChange) -> str:
    """The sets of a change in one line."""
    when = f" {change.when}" if change.when else ""
    return f"{', '.join(change.source)} → {', '.join(change.destination)} : {', '.join(change.service)}{when}"


def fares(change: NetworkChange) -> str:
    """From how it fared to how it fares, where one word does not say it."""
    if {change.before, change.after} == {"allowed", "blocked"}:
        return ""
    words = {
        "by some ways": "works by some ways only",
        "undetermined": "undetermined",
        "allowed": "works",
        "blocked": "does not work",
    }
    return f"{words[change.before]} before, {words[change.after]} after"


def first_network_changes(effect: NetworkEffect, names: Names, most: int) -> tuple[list[NetworkChange], int]:
    """The first changes, in few words, and how many products there are besides: only those told are named."""
    told: list[NetworkChange] = []
    more = 0
    for shift in effect.shifts:
        found = products(shift.packets)
        room = max(0, most - len(told))
        near = list(_both_families(found[: 2 * room], names)) if room else []
        told += [_change(shift, match, names, exactly=False) for match in near[:room]]
        more += max(0, len(near) - room) + len(found) - len(found[: 2 * room])
    return told, more


def stop_words(stop: Stop) -> str:
    """Where something ends, in words: `at no guests inside (eastpier-lock, inbound)`, or why."""
    if stop.step is None:
        return f"because {stop.why}" if stop.why else f"at {stop.device}"
    what = stop.step.rule or (
        f"the default of {stop.step.policy}" if stop.step.policy else "the zone default"
    )
    return f"at {what} ({stop.step.device}, {stop.step.stage})"


def network_text(effect: NetworkEffect, names: Names, most: int = 200) -> Iterable[str]:
    """The same for reading, a line for each change."""
    yield "in the network:"
    told = network_changes(effect, names, exactly=False)
    for change in islice(told, most):
        more = fares(change)
        yield f"  {change.kind}: {network_sentence(change)}{f'; {more}' if more else ''}"
        yield f"    {change.witness}"
    rest = sum(1 for _ in told)
    if rest:
        yield f"  and {rest:,} more"
    if effect.equal:
        yield f"  {NOBODY}"
    if effect.stops:
        yield f"  the rest still ends {'; '.join(map(stop_words, effect.stops))}"
    if not effect.complete:
        yield "  More may change: it was not all worked out."
