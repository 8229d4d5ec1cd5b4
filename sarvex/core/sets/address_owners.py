"""Addresses parted among whatever has them, each in one part at most, found without asking every part."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet


class AddressOwners:
    """Parts are numbered from 0; where they overlap the first has what they share. Made in O(pieces log pieces), or
    O(parts × pieces) if some do."""

    def __init__(self, parts: Sequence[AddressSet]) -> None:
        self.parts = list(parts)
        self._pieces = _pieces(parts)
        if any(a[0] >= b[1] for found in self._pieces.values() for a, b in pairwise(found)):
            self.parts = list(addresses.apart(parts))
            self._pieces = _pieces(self.parts)

    def split(self, wanted: AddressSet) -> Iterator[tuple[int, AddressSet]]:
        """Number and share of each part that has some of `wanted`, by number. O(log pieces + pieces found) for each interval.

        >>> two = AddressOwners([addresses.parse("10.44.0.0/24"), addresses.parse("10.44.0.0/16")])
        >>> [(n, addresses.describe(share)) for n, share in two.split(addresses.parse("10.44.0.255-10.44.1.0"))]
        [(0, ['10.44.0.255']), (1, ['10.44.1.0'])]
        """
        if type(wanted) is not AddressSet:  # one that is cut sooner than its stretches are looked at
            shares = (
                (number, addresses.intersection(wanted, part)) for number, part in enumerate(self.parts)
            )
            yield from (each for each in shares if each[1])
            return
        found: dict[int, dict[int, list[tuple[int, int]]]] = defaultdict(lambda: {f: [] for f in FAMILIES})
        for f in FAMILIES:
            pieces = self._pieces[f]
            for low, high in wanted[f]:
                at = bisect_left(pieces, (low,))
                while at < len(pieces) and pieces[at][1] <= high:
                    last, first, number = pieces[at]
                    found[number][f].append((max(low, first), min(high, last)))
                    at += 1
        for number in sorted(found):
            yield number, AddressSet(*(tuple(found[number][f]) for f in FAMILIES))


def _pieces(parts: Iterable[AddressSet]) -> dict[int, list[tuple[int, int, int]]]:
    """Last and first address and part of every interval, in order, by family."""
    numbered = list(enumerate(parts))
    return {f: sorted((high, low, k) for k, part in numbered for low, high in part[f]) for f in FAMILIES}
