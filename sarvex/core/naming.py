"""Sets told in the network's own names, exactly and in few words: `kiosks except kiosk-1`, `any except postgres`.

A name counts one, an address or service that has no name two, so names win where they fit. What is tried is bounded,
in a fixed order: the same set in the same network is always told alike. Words are kept with the names.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from itertools import islice
from typing import NamedTuple

import numpy as np

from sarvex.core import addresses, boxes, intervals, services
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.cells import Services
from sarvex.core.names import Names
from sarvex.core.packets import PROTOCOL, SECOND, PacketSet
from sarvex.core.services import ServiceSet

COVERS = 3
"""So many of the narrowest names around a set are tried with exceptions."""
MIXED = 24
"""So many names that lie partly in a set are tried with exceptions beside others."""
EXCEPTIONS = 3


def project(what: PacketSet, axis: int) -> AddressSet:
    """All addresses that occur on the source or destination axis of a packet set."""
    v4, v6 = (intervals.union((int(low), int(high)) for low, high in what[f][:, axis]) for f in FAMILIES)
    return AddressSet(v4, v6)


def project_services(what: PacketSet) -> ServiceSet:
    """All services that occur in a packet set, as disjoint boxes."""
    shares = (what[f][:, PROTOCOL : SECOND + 1].astype(np.int64) for f in FAMILIES)
    v4, v6 = (_disjoint(np.unique(share, axis=0)) for share in shares)
    return ServiceSet(v4, v6)


class Words(NamedTuple):
    """Words that together are exactly a set, and what they cost to read."""

    words: tuple[str, ...]
    cost: int

    def __add__(self, other: Words) -> Words:  # type: ignore[override]
        return Words(self.words + other.words, self.cost + other.cost)


NO_WORDS = Words((), 0)


def name_addresses(a: AddressSet, names: Names) -> list[str]:
    """Words that together are exactly `a`.

    Where `a` has one family only, names are taken for their part of it and marked so. O(names × intervals).
    """
    kept = names.words.get(a)
    if kept is None:
        kept = names.words[a] = list(_Addresses.of(a, names).best(a).words)
    return list(kept)


def name_segments(a: AddressSet, names: Names) -> list[str]:
    """The segments that own some of `a`, marked where it is not all of what they own."""
    words = []
    for segment in names.network.segments:
        owned = names.address(segment.name)
        if addresses.intersection(a, owned):
            words.append(segment.name if addresses.covers(a, owned) else f"part of {segment.name}")
    return words


def name_services(s: ServiceSet, names: Names) -> list[str]:
    """Words for exactly `s`: service names, services in words, a name or `any` with exceptions."""
    s = _plain(s)
    key = s.v4.tobytes(), s.v6.tobytes()
    kept = names.words.get(key)
    if kept is None:
        kept = names.words[key] = list(_best_services(s, names).words)
    return list(kept)


class _Name(NamedTuple):
    word: str
    part: AddressSet
    size: int


class _Addresses:
    """The names of one or both families, the widest first; those that have the other family too are marked."""

    def __init__(self, names: Names, families: tuple[int, ...]) -> None:
        found = []
        self.exactly: dict[AddressSet, str] = {}
        for thing in names.address_things.values():
            whole = names.address(thing.name)
            part = AddressSet(whole.v4 if 4 in families else (), whole.v6 if 6 in families else ())
            if part:
                word = thing.name if part == whole else f"{thing.name} over IPv{families[0]}"
                found.append(_Name(word, part, sum(intervals.size(part[f]) for f in FAMILIES)))
                self.exactly.setdefault(part, word)
        any_ = AddressSet(*(addresses.ANY[f] if f in families else () for f in FAMILIES))
        self.exactly[any_] = "any" if len(families) == 2 else f"any over IPv{families[0]}"
        self.everything = _Name(self.exactly[any_], any_, 0)
        self.names = sorted(found, key=lambda name: -name.size)

    @classmethod
    def of(cls, a: AddressSet, names: Names) -> _Addresses:
        families = tuple(f for f in FAMILIES if a[f])
        key = "addresses", families
        if key not in names.words:
            names.words[key] = cls(names, families or FAMILIES)
        made: _Addresses = names.words[key]
        return made

    def best(self, a: AddressSet) -> Words:
        if not a:
            return NO_WORDS
        if a in self.exactly:
            return Words((self.exactly[a],), 1)
        told = self._within(a)
        for name in islice(self._around(a), COVERS):
            told = min(told, self._except(name, a), key=lambda words: words.cost)
        if told.cost > 2:
            for name in islice(self._across(a), MIXED):
                with_exceptions = self._except(name, addresses.intersection(a, name.part))
                if with_exceptions.cost < told.cost:
                    rest = self._within(addresses.difference(a, name.part))
                    told = min(told, with_exceptions + rest, key=lambda words: words.cost)
        return told

    def _within(self, a: AddressSet) -> Words:
        """Names that lie wholly in `a`, widest first, then addresses."""
        words: list[str] = []
        rest = a
        for name in self.names:
            if not rest:
                break
            if (
                _begins_in(name.part, a)
                and addresses.covers(a, name.part)
                and addresses.intersection(rest, name.part)
            ):
                words.append(name.word)
                rest = addresses.difference(rest, name.part)
        bare = addresses.describe(rest) if rest else []
        return Words((*words, *bare), len(words) + 2 * len(bare))

    def _except(self, name: _Name, a: AddressSet) -> Words:
        """A name less what of it is not in `a`."""
        others = self._within(addresses.difference(name.part, a))
        if not others.words:
            return Words((name.word,), 1)
        return Words((f"{name.word} except {', '.join(others.words)}",), 1 + others.cost)

    def _around(self, a: AddressSet) -> Iterator[_Name]:
        """Names that hold all of `a`, the narrowest first."""
        for name in reversed(self.names):
            if _begins_in(a, name.part) and addresses.covers(name.part, a):
                yield name
        yield self.everything

    def _across(self, a: AddressSet) -> Iterator[_Name]:
        """Names of which more than half, but not all, is in `a`, the widest first."""
        for name in self.names:
            both = addresses.intersection(name.part, a)
            if both and both != name.part and 2 * sum(intervals.size(both[f]) for f in FAMILIES) > name.size:
                yield name


def _begins_in(a: AddressSet, b: AddressSet) -> bool:
    """Whether the lowest address of `a` is in `b`; false tells that `b` does not hold all of `a`."""
    for family in FAMILIES:
        if a[family]:
            at = bisect_right(b[family], a[family][0][0], key=lambda pair: pair[0]) - 1
            return at >= 0 and b[family][at][1] >= a[family][0][0]
    return True


def _best_services(s: ServiceSet, names: Names) -> Words:
    told = _service_words(s, names)
    if told.cost > 1:
        around = [("any", services.ANY)]
        around += [(x.name, names.service(x.name)) for x in names.network.services]
        for name, whole in around:
            whole = _within_families(whole, s)
            if len(s.v4) + len(s.v6) and _covers(whole, s):
                others = _service_words(_plain(services.difference(whole, s)), names)
                with_exceptions = Words((f"{name} except {', '.join(others.words)}",), 1 + others.cost)
                if not others.words:
                    return Words((name,), 1)
                told = min(told, with_exceptions, key=lambda words: words.cost)
    return told


def _service_words(s: ServiceSet, names: Names) -> Words:
    """Names that lie wholly in `s`, widest first, then services in words."""
    words = []
    rest = s
    for name, whole in _by_volume(names):
        part = _within_families(whole, s)
        if len(part.v4) + len(part.v6) and _covers(s, part):
            left = services.difference(rest, part)
            if _volume(left) < _volume(rest):
                words.append(name)
                rest = left
    bare = services.describe(_plain(rest))
    cost = len(words) + (1 if bare == ["any"] else 2 * len(bare))
    return Words((*words, *bare), cost)


def _by_volume(names: Names) -> Sequence[tuple[str, ServiceSet]]:
    made: list[tuple[str, ServiceSet]] | None = names.words.get("services")
    if made is None:
        known = [(s.name, names.service(s.name)) for s in names.network.services]
        made = names.words["services"] = sorted(known, key=lambda item: -_volume(item[1]))
    return made


def _plain(s: ServiceSet) -> ServiceSet:
    """The same set, always cut into boxes the same way."""
    made = []
    for family in FAMILIES:
        axes = Services([s[family]])
        made.append(axes.boxes(axes.bits(s[family])))
    return ServiceSet(*made)


def _covers(a: ServiceSet, b: ServiceSet) -> bool:
    return all(boxes.covers(a[f], b[f]) for f in FAMILIES)


def _volume(s: ServiceSet) -> int:
    return sum(int(np.prod(box[:, 1] - box[:, 0] + 1)) for f in FAMILIES for box in s[f])


def _within_families(s: ServiceSet, like: ServiceSet) -> ServiceSet:
    """The part of `s` in the families in which `like` holds anything."""
    return ServiceSet(*(s[f] if len(like[f]) else s[f][:0] for f in FAMILIES))


def _disjoint(array: boxes.Boxes) -> boxes.Boxes:
    out = array[:0]
    for box in array:
        out = np.concatenate((out, boxes.difference(box[None], out)))
    return out
