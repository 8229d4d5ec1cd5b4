"""Sets of addresses as choices of classes: what rows or columns of a table are of, cut and joined without looking at addresses."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

import numpy as np

from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.intervals import Intervals
from sarvex.core.tables.address_classes import AddressClasses, CutsAClass, Mask

MOST_KNOWN = 20_000


class ClassSpace:
    """The classes of both families, IPv4 first, as places of one mask."""

    def __init__(self, classes: Mapping[int, AddressClasses]) -> None:
        self.classes = classes
        split = classes[4].count
        self.places = {4: slice(0, split), 6: slice(split, split + classes[6].count)}
        self._masks: dict[int, tuple[AddressSet, Mask, Mask | None]] = {}

    def mask(self, some: AddressSet, among: Mask) -> Mask:
        """Which classes a set has. Raises `CutsAClass` if it has a part alone of one that is `among` some."""
        if isinstance(some, ClassSet) and some.space is self:
            return some.mask
        known = self._masks.get(id(some))
        if known is None:
            if len(self._masks) > MOST_KNOWN:
                self._masks.clear()
            both = [self.classes[f].masks(some[f]) for f in FAMILIES]
            whole = np.concatenate([one for one, _ in both])
            cut = np.concatenate([np.zeros_like(one) if c is None else c for one, c in both])
            known = self._masks[id(some)] = some, whole, cut if cut.any() else None
        _, whole, part = known
        if part is not None and (part & among).any():
            raise CutsAClass
        return whole


class ClassSet(AddressSet):
    """A set of addresses that is whole classes. Equal to the same set in any other form."""

    def __init__(self, space: ClassSpace, mask: Mask) -> None:
        self.__dict__.update(space=space, mask=mask, there=bool(mask.any()))

    space: ClassSpace
    mask: Mask
    there: bool

    def __bool__(self) -> bool:
        return self.there

    @property
    def v4(self) -> Intervals:  # type: ignore[override]
        return self.ends[4]

    @property
    def v6(self) -> Intervals:  # type: ignore[override]
        return self.ends[6]

    @cached_property
    def ends(self) -> dict[int, Intervals]:
        """The same as stretches."""
        return {f: self.space.classes[f].spread(self.mask[self.space.places[f]]) for f in FAMILIES}

    def __eq__(self, other: object) -> bool:
        if isinstance(other, ClassSet) and other.space is self.space:
            return self.mask is other.mask or np.array_equal(self.mask, other.mask)
        return isinstance(other, AddressSet) and (self.v4, self.v6) == (other.v4, other.v6)

    def __hash__(self) -> int:
        return hash((self.v4, self.v6))


@addresses.intersection.register
def _intersection(a: ClassSet, b: AddressSet) -> AddressSet:
    return ClassSet(a.space, a.mask & a.space.mask(b, a.mask))


@addresses.difference.register
def _difference(a: ClassSet, b: AddressSet) -> AddressSet:
    return ClassSet(a.space, a.mask & ~a.space.mask(b, a.mask))
