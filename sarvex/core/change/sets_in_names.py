"""Sets told in the network's own names, exactly and in few words: `kiosks except kiosk-1`, `any except postgres`.

A name counts one, an address or service that has no name two, so names win where they fit. What is tried is bounded,
in a fixed order: the same set in the same network is always told alike. Words are kept with the names.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice
from typing import NamedTuple

import numpy as np

from sarvex.core.firstmatch.atoms import Axis, ServiceAxes
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PROTOCOL, SECOND, PacketSet
from sarvex.core.sets import addresses, boxes, intervals, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.services import ServiceSet

COVERS = 3
"""So many of the narrowest names around a set are tried with exceptions."""
MIXED = 12
"""So many names that lie partly in a set are tried with exceptions beside others."""


def project_services(what: PacketSet) -> ServiceSet:
    """All services that occur in a packet set, as disjoint boxes (n, 3, 2) in each family. O(boxes²) at worst."""
    shares = (what[f][:, PROTOCOL : SECOND + 1].astype(np.int64) for f in FAMILIES)
    v4, v6 = (_disjoint(np.unique(share, axis=0)) for share in shares)
    return ServiceSet(v4, v6)


class Words(NamedTuple):
    """Words that together are exactly a set, and what they cost to read."""

    words: tuple[str, ...]
    cost: int


def name_addresses(a: AddressSet, names: Names) -> list[str]:
    """Words that together are exactly `a`.

    Where `a` has one family only, names are taken for their part of it and marked so. O(names × intervals).
    """
    return list(names.words.get(a, lambda: _Addresses.of(a, names).best(a)))


def name_segments(a: AddressSet, names: Names) -> list[str]:
    """The segments that own some of `a`, in the network's order, marked where it is not all of what they own, or all of one family.

    What no segment owns is not told. O(segments × intervals). Raises what `Names` raises.
    """
    words = []
    for segment in names.network.segments:
        owned = names.address(segment.name)
        here = addresses.intersection(a, owned)
        whole = [f for f in FAMILIES if here[f] and here[f] == owned[f]]
        if here == owned:
            words += [segment.name] if here else []
        elif whole and sum(bool(here[f]) for f in FAMILIES) == 1:
            words.append(f"{segment.name} over IPv{whole[0]}")
        elif here:
            words.append(f"part of {segment.name}")
    return words


def name_services(s: ServiceSet, names: Names) -> list[str]:
    """Words for exactly `s`: service names, services in words, a name or `any` with exceptions; the cheapest to read of those tried.

    The same set gives the same words, however it was put together. Raises what `Names` raises. O(names × boxes).
    """
    s = _plain(s)
    key = s.v4.tobytes(), s.v6.tobytes()
    return list(names.words.get(key, lambda: _best_services(s, names).words))


class _Name(NamedTuple):
    word: str
    atoms: int


class _Told(NamedTuple):
    """Names and addresses (atoms that have no name), or a head without them."""

    head: str | None
    words: list[str]
    rest: int

    def cost(self) -> int:
        runs = (self.rest & ~(self.rest << 1)).bit_count()
        return (self.head is not None) + len(self.words) + 2 * runs


class _Addresses:
    """The names of one or both families as sets of atoms, the widest first; a name that has the other family too is
    marked."""

    def __init__(self, names: Names, families: tuple[int, ...], more: AddressSet = addresses.NOTHING) -> None:
        things = [(name, names.address(name)) for name in names.called()]
        things.append(("any", addresses.ANY))
        parts = {
            word: AddressSet(*(whole[f] if f in families else () for f in FAMILIES)) for word, whole in things
        }
        self.axes = {f: Axis([*(part[f] for part in parts.values()), more[f]]) for f in FAMILIES}
        self.shift = len(self.axes[4].cuts)
        found = []
        self.exactly: dict[int, str] = {}
        for name, whole in things:
            part = parts[name]
            if part:
                word = name if part == whole else f"{name} over IPv{families[0]}"
                atoms = self.atoms(part)
                found.append((sum(intervals.size(part[f]) for f in FAMILIES), _Name(word, atoms)))
                self.exactly.setdefault(atoms, word)
        self.names = [name for _, name in sorted(found, key=lambda item: -item[0])]
        self._inside: dict[int, list[_Name]] = {}
        """For the atoms of a name the names that lie in it."""

    @classmethod
    def of(cls, a: AddressSet, names: Names) -> _Addresses:
        """Those that tell the ends of `a` apart."""
        families = tuple(f for f in FAMILIES if a[f])
        made: _Addresses = names.keep(("addresses", families), lambda: cls(names, families))
        return made if all(made.axes[f].tells(a[f]) for f in FAMILIES) else cls(names, families, a)

    def atoms(self, a: AddressSet) -> int:
        return self.axes[4].bits(a.v4) | self.axes[6].bits(a.v6) << self.shift

    def best(self, a: AddressSet) -> tuple[str, ...]:
        """Words for a set whose ends are among the cuts."""
        atoms = self.atoms(a)
        if not atoms:
            return ()
        if atoms in self.exactly:
            return (self.exactly[atoms],)
        near = [name for name in self.names if name.atoms & atoms]
        told = _Told(None, *self._within(atoms, near))
        for name in islice(self._around(atoms), COVERS):
            told = min(told, self._except(name, atoms), key=_Told.cost)
        best, words = told.cost(), self._spelled(told)
        if best > 2:
            for name in islice(self._across(atoms, near), MIXED):
                first = self._except(name, atoms)
                if first.cost() < best:
                    rest = _Told(None, *self._within(atoms & ~name.atoms, near))
                    if first.cost() + rest.cost() < best:
                        best = first.cost() + rest.cost()
                        words = self._spelled(first) + self._spelled(rest)
        return words

    def _within(self, atoms: int, near: Sequence[_Name]) -> tuple[list[str], int]:
        """Those of some names that lie wholly in a set, widest first, and the atoms that are left."""
        words: list[str] = []
        rest = atoms
        for name in near:
            if name.atoms & rest and not name.atoms & ~atoms:
                words.append(name.word)
                rest &= ~name.atoms
                if not rest:
                    break
        return words, rest

    def _spelled(self, told: _Told) -> tuple[str, ...]:
        words = [*told.words, *(self._described(told.rest) if told.rest else ())]
        if told.head is None:
            return tuple(words)
        return (f"{told.head} except {', '.join(words)}" if words else told.head,)

    def _described(self, atoms: int) -> list[str]:
        low = atoms & (1 << self.shift) - 1
        v4, v6 = self.axes[4].intervals(low), self.axes[6].intervals(atoms >> self.shift)
        return addresses.describe(AddressSet(tuple(v4), tuple(v6)))

    def _except(self, name: _Name, atoms: int) -> _Told:
        """A name less what of it is not in a set."""
        inside = self._inside.get(name.atoms)
        if inside is None:
            inside = self._inside[name.atoms] = [n for n in self.names if not n.atoms & ~name.atoms]
        return _Told(name.word, *self._within(name.atoms & ~atoms, inside))

    def _around(self, atoms: int) -> Iterator[_Name]:
        """Names that hold all of a set, the narrowest first."""
        return (name for name in reversed(self.names) if not atoms & ~name.atoms)

    def _across(self, atoms: int, near: Sequence[_Name]) -> Iterator[_Name]:
        """Names of which more than half, but not all, is in a set, the widest first."""
        for name in near:
            both = name.atoms & atoms
            if both != name.atoms and 2 * both.bit_count() > name.atoms.bit_count():
                yield name


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
    def make() -> list[tuple[str, ServiceSet]]:
        known = [(s.name, names.service(s.name)) for s in names.network.services]
        return sorted(known, key=lambda item: -_volume(item[1]))

    made: list[tuple[str, ServiceSet]] = names.keep("services by volume", make)
    return made


def _plain(s: ServiceSet) -> ServiceSet:
    """The same set, always cut into boxes the same way."""
    made = []
    for family in FAMILIES:
        axes = ServiceAxes([s[family]])
        made.append(axes.boxes(axes.bits(s[family])))
    return ServiceSet(*made)


def _covers(a: ServiceSet, b: ServiceSet) -> bool:
    return all(boxes.covers(a[f], b[f]) for f in FAMILIES)


def _volume(s: ServiceSet) -> int:
    return sum(int(np.prod(s[f][:, :, 1] - s[f][:, :, 0] + 1, axis=1).sum()) for f in FAMILIES)


def _within_families(s: ServiceSet, like: ServiceSet) -> ServiceSet:
    """The part of `s` in the families in which `like` holds anything."""
    return ServiceSet(*(s[f] if len(like[f]) else s[f][:0] for f in FAMILIES))


def _disjoint(array: boxes.Boxes) -> boxes.Boxes:
    out = array[:0]
    for box in array:
        out = np.concatenate((out, boxes.difference(box[None], out)))
    return out
