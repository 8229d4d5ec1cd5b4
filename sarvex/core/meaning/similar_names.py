"""Names that stand for the same, or for nearly the same: the slips of the finger that cost an evening.

Two names are *the same* if they stand for equal sets. Two single addresses, prefixes or services are *nearly
equal* if they are written alike but for two neighbouring digits swapped (…217… and …271…).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Segment, fold
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import NOTHING, AddressSet
from sarvex.core.sets.intervals import Intervals


def same(names: Names) -> dict[str, list[str]]:
    """For each name (folded) the other names of its space that stand for an equal, non-empty set. O(n log n)."""
    groups: dict[object, list[str]] = defaultdict(list)
    for thing in names.address_things.values():
        value = names.address(thing.name)
        if value:
            groups[value].append(thing.name)
    for service in names.service_things.values():
        words = tuple(sorted(services.describe(names.service(service.name))))
        if words:
            groups["service", words].append(service.name)
    return {
        fold(n): [o for o in group if o != n] for group in groups.values() if len(group) > 1 for n in group
    }


def nearly(names: Names) -> dict[str, list[str]]:
    """For each name (folded) the other names whose one value differs by two swapped neighbouring digits. O(n)."""
    by_text: dict[tuple[str, str], list[str]] = defaultdict(list)
    for thing in names.address_things.values():
        if not isinstance(thing, Segment):
            for text in _single(addresses.describe(names.address(thing.name))):
                by_text["address", text].append(thing.name)
    for service in names.service_things.values():
        for text in _single(services.describe(names.service(service.name))):
            by_text["service", text].append(service.name)
    found: dict[str, list[str]] = defaultdict(list)
    for (space, text), own in by_text.items():
        for twin in _swapped(text):
            for other in by_text.get((space, twin), ()):
                for name in own:
                    found[fold(name)].append(other)
    return dict(found)


def _single(words: list[str]) -> list[str]:
    return words if len(words) == 1 else []


def _swapped(text: str) -> Iterator[str]:
    for i in range(len(text) - 1):
        a, b = text[i], text[i + 1]
        if a != b and a.isalnum() and b.isalnum():
            yield text[:i] + b + a + text[i + 2 :]


def twin(a: AddressSet, names: Names, family: int, other: int) -> AddressSet:
    """The addresses in the other family of whatever has exactly these in this one."""
    if a[other]:
        return addresses.in_family(a, other)
    twins: dict[Intervals, AddressSet] = names.keep(("twins", family), lambda: _twins(names, family, other))
    return twins.get(a[family], NOTHING)


def _twins(names: Names, family: int, other: int) -> dict[Intervals, AddressSet]:
    """For the addresses of each name in one family those that the names of just these have in the other. O(names)."""
    found: dict[Intervals, list[AddressSet]] = defaultdict(list)
    for thing in names.address_things.values():
        value = names.address(thing.name)
        if value[family] and value[other]:
            found[value[family]].append(addresses.in_family(value, other))
    return {own: addresses.union(others) for own, others in found.items()}
