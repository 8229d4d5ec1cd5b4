"""Sets of addresses as choices of classes: what rows or columns of a table are of, cut and joined without looking at addresses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property, reduce
from operator import or_

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.intervals import Intervals
from sarvex.core.tables.address_classes import AddressClasses, CutsAClass, Mask

MOST_KNOWN = 20_000
Bits = int
"""Classes as bits of one integer, those of IPv4 first."""


class ClassSpace:
    """The classes of both families, IPv4 first."""

    def __init__(self, classes: Mapping[int, AddressClasses]) -> None:
        self.classes = classes
        self.before = {4: 0, 6: classes[4].count}
        """How many classes stand before those of each family."""
        self.all = {f: (1 << classes[f].count) - 1 for f in FAMILIES}
        self._known: dict[int, tuple[AddressSet, Bits, Bits]] = {}
        self._masks: dict[tuple[int, Bits], Mask] = {}

    def of(self, some: AddressSet, among: Bits) -> Bits:
        """Which classes a set has. Raises `CutsAClass` if it has a part alone of one that is `among` some."""
        if isinstance(some, ClassSet) and some.space is self:
            return some.bits
        known = self._known.get(id(some))
        if known is None:
            if len(self._known) > MOST_KNOWN:
                self._known.clear()
            whole = cut = 0
            for f in FAMILIES:
                inside, part = self.classes[f].masks(some[f])
                whole |= bits_of(inside) << self.before[f]
                cut |= bits_of(part) << self.before[f] if part is not None else 0
            known = self._known[id(some)] = some, whole, cut
        if known[2] & among:
            raise CutsAClass
        return known[1]

    def labels(self, sets: Sequence[AddressSet], among: Bits) -> dict[int, NDArray[np.intp]]:
        """Of each class of each family which of some disjoint sets has it, by its place; -1 for none. Raises what `of` raises."""
        found = {f: np.full(self.classes[f].count, -1, dtype=np.intp) for f in FAMILIES}
        for number, one in enumerate(sets):
            bits = self.of(one, among)
            for f in FAMILIES:
                found[f][self.mask(self.family(bits, f), f)] = number
        return found

    def family(self, bits: Bits, family: int) -> Bits:
        """The classes of one family alone."""
        return bits >> self.before[family] & self.all[family]

    def mask(self, bits: Bits, family: int) -> Mask:
        """Classes of one family as a mask."""
        key = family, bits
        found = self._masks.get(key)
        if found is None:
            count = self.classes[family].count
            raw = np.frombuffer(bits.to_bytes((count + 7) // 8, "little"), dtype=np.uint8)
            if len(self._masks) > MOST_KNOWN:
                self._masks.clear()
            found = self._masks[key] = np.unpackbits(raw, count=count, bitorder="little").astype(bool)
        return found


def bits_of(mask: Mask) -> Bits:
    """A mask as bits of an integer, the first the lowest."""
    return int.from_bytes(np.packbits(mask, bitorder="little").tobytes(), "little")


class ClassSet(AddressSet):
    """A set of addresses that is whole classes. Equal to the same set in any other form."""

    def __init__(self, space: ClassSpace, bits: Bits) -> None:
        self.__dict__.update(space=space, bits=bits)

    space: ClassSpace
    bits: Bits

    def __bool__(self) -> bool:
        return self.bits != 0

    @property
    def v4(self) -> Intervals:
        return self.ends[4]

    @property
    def v6(self) -> Intervals:
        return self.ends[6]

    @cached_property
    def ends(self) -> dict[int, Intervals]:
        """The same as stretches."""
        space = self.space
        masks = {f: space.mask(space.family(self.bits, f), f) for f in FAMILIES}
        return {f: space.classes[f].spread(mask) for f, mask in masks.items()}

    def __eq__(self, other: object) -> bool:
        if isinstance(other, ClassSet) and other.space is self.space:
            return self.bits == other.bits
        return isinstance(other, AddressSet) and (self.v4, self.v6) == (other.v4, other.v6)

    def __hash__(self) -> int:
        return hash((self.v4, self.v6))


@addresses.union_of.register
def _union(first: ClassSet, sets: list[AddressSet]) -> AddressSet:
    bits = [s.bits for s in sets if isinstance(s, ClassSet) and s.space is first.space]
    if len(bits) < len(sets):
        return addresses.union(AddressSet(s.v4, s.v6) for s in sets)
    return ClassSet(first.space, reduce(or_, bits))


@addresses.intersection.register
def _intersection(a: ClassSet, b: AddressSet) -> AddressSet:
    return ClassSet(a.space, a.bits & a.space.of(b, a.bits))


@addresses.difference.register
def _difference(a: ClassSet, b: AddressSet) -> AddressSet:
    return ClassSet(a.space, a.bits & ~a.space.of(b, a.bits))
