"""Addresses in classes: those that none of some sets tells apart, so that a set is a choice of classes.

The ends of the sets cut each family's line into atoms; atoms that are in the same sets are one class. Where addresses are moved (by
translations one to one) classes are cut on, until what is moved from one class is in one class (partition refinement, Hopcroft 1971).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets.addresses import FAMILIES, HIGHEST, AddressSet
from sarvex.core.sets.intervals import Intervals

Mask = NDArray[np.bool_]
Numbers = NDArray[np.intp]
Move = tuple[int, int, int]
"""Addresses from the first to the second become so many higher."""
MOST_ATOMS = 200_000


class CutsAClass(Exception):
    """A set has a part of a class alone."""


class TooManyClasses(Exception):
    """More addresses are told apart than are worked with."""


class AddressClasses:
    """The classes of one family that some sets tell apart, numbered from 0.

    apart: sets of which no two atoms are one class. O(intervals log intervals, and atoms × sets / 8).
    """

    def __init__(self, family: int, sets: Iterable[Intervals], moves: Sequence[Move] = (), apart: Iterable[Intervals] = ()) -> None:  # fmt: skip
        singly = [one for one in apart if one]
        moved = (((low, high),) for low, high, _ in moves)
        told = list(dict.fromkeys((*(one for one in sets if one), *singly, *moved)))
        cuts = {0, *(end for one in told for low, high in one for end in (low, high + 1))}
        self.top = HIGHEST[family]
        self.starts: list[int] = sorted(c for c in _closed(cuts, moves) if c <= self.top)
        self.of_atom: Numbers = self._refined(self._each_apart(self._told_apart(told), singly), moves)
        self.count = int(self.of_atom.max()) + 1
        self._first: Numbers = np.unique(self.of_atom, return_index=True)[1]
        self._masks: dict[Intervals, tuple[Mask, Mask | None]] = {}
        self._spreads: dict[bytes, Intervals] = {}

    def _told_apart(self, told: list[Intervals]) -> Numbers:
        bits = np.zeros((len(self.starts), (len(told) + 7) // 8 or 1), dtype=np.uint8)
        for number, one in enumerate(told):
            for first, last in self._atoms(one):
                bits[first:last, number >> 3] |= np.uint8(1 << (number & 7))
        return _numbered(bits)

    def _each_apart(self, classes: Numbers, singly: list[Intervals]) -> Numbers:
        alone = np.full(len(classes), -1, dtype=np.intp)
        for one in singly:
            for first, last in self._atoms(one):
                alone[first:last] = np.arange(first, last)
        return _numbered(np.stack((classes, alone), axis=1)) if singly else classes

    def _atoms(self, one: Intervals) -> Iterable[tuple[int, int]]:
        for low, high in one:
            yield bisect_right(self.starts, low) - 1, bisect_right(self.starts, high)

    def _refined(self, classes: Numbers, moves: Sequence[Move]) -> Numbers:
        images = [(self._moved(move), move) for move in moves]
        while images:
            columns = [classes]
            for atoms, _ in images:
                column = np.full(len(classes), -1, dtype=np.intp)
                there = atoms >= 0
                column[there] = classes[atoms[there]]
                columns.append(column)
            finer = _numbered(np.stack(columns, axis=1))
            if finer.max() == classes.max():
                break
            classes = finer
        return classes

    def _moved(self, move: Move) -> Numbers:
        """The atom that each becomes a part of; -1 for those that are not moved."""
        low, high, by = move
        out = np.full(len(self.starts), -1, dtype=np.intp)
        for atom in range(bisect_right(self.starts, low) - 1, bisect_right(self.starts, high)):
            out[atom] = bisect_right(self.starts, self.starts[atom] + by) - 1
        return out

    def mask(self, some: Intervals) -> Mask:
        """Which classes a set has, (classes,). Raises `CutsAClass`. O(atoms), once for each set."""
        whole, cut = self.masks(some)
        if cut is not None:
            raise CutsAClass
        return whole

    def masks(self, some: Intervals) -> tuple[Mask, Mask | None]:
        """Which classes a set has whole, and of which it has a part alone; None for none."""
        found = self._masks.get(some)
        if found is None:
            inside, touched = (np.zeros(len(self.starts), dtype=bool) for _ in (0, 1))
            for low, high in some:
                first, last = self.atoms_of(low, high, around=True)
                touched[first:last] = True
                inside[first + (self.starts[first] != low) : last - (self._end(last) != high)] = True
            whole = np.bincount(self.of_atom, inside, self.count) == self.sizes
            cut = (np.bincount(self.of_atom, touched, self.count) > 0) & ~whole
            found = self._masks[some] = whole, cut if cut.any() else None
        return found

    def numbers(self, told: Intervals) -> Numbers:
        """The classes of one of the sets that they tell apart, ascending. O(its atoms log its atoms)."""
        atoms = [self.of_atom[slice(*self.atoms_of(low, high))] for low, high in told]
        return np.unique(np.concatenate(atoms)) if len(atoms) != 1 or len(atoms[0]) > 1 else atoms[0]

    @cached_property
    def sizes(self) -> Numbers:
        """How many atoms each class has."""
        return np.bincount(self.of_atom)

    def atoms_of(self, low: int, high: int, around: bool = False) -> tuple[int, int]:
        """The atoms of a stretch, from the first to before the last. Raises `CutsAClass` if it cuts one, and not all `around` is meant."""
        first, last = bisect_right(self.starts, low) - 1, bisect_right(self.starts, high)
        if not around and (self.starts[first] != low or self._end(last) != high):
            raise CutsAClass
        return first, last

    def _end(self, last: int) -> int:
        """The last address before an atom."""
        return self.starts[last] - 1 if last < len(self.starts) else self.top

    def spread(self, mask: Mask) -> Intervals:
        """All addresses of some classes."""
        key = mask.tobytes()
        found = self._spreads.get(key)
        if found is None:
            atoms = mask[self.of_atom]
            edges = np.flatnonzero(np.diff(np.concatenate(([False], atoms, [False]))))
            ends = [*self.starts, self.top + 1]
            pairs = zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
            found = self._spreads[key] = tuple((ends[low], ends[high] - 1) for low, high in pairs)
            self._masks.setdefault(found, (mask, None))
        return found

    def firsts(self) -> list[int]:
        """The lowest address of each class."""
        return [self.starts[atom] for atom in self._first.tolist()]

    def class_of(self, addresses: Iterable[int]) -> Numbers:
        """The class of each of some addresses. O(log atoms) each."""
        atoms = [bisect_right(self.starts, a) - 1 for a in addresses]
        return self.of_atom[np.array(atoms, dtype=np.intp)]


def _closed(cuts: set[int], moves: Sequence[Move]) -> set[int]:
    """The cuts, and where what is moved would be cut afterwards. Raises `TooManyClasses`."""
    new = cuts
    while new:
        back = {cut - by for low, high, by in moves for cut in new if low < cut - by <= high}
        new = back - cuts
        cuts = cuts | new
        if len(cuts) > MOST_ATOMS:
            raise TooManyClasses
    return cuts


def _numbered(rows: NDArray[np.generic]) -> Numbers:
    """Equal rows by one number, in the order in which they first come up."""
    plain = np.ascontiguousarray(rows).view(np.dtype((np.void, rows.dtype.itemsize * rows.shape[1]))).ravel()
    _, first, inverse = np.unique(plain, return_index=True, return_inverse=True)
    order = np.empty(len(first), dtype=np.intp)
    order[np.argsort(first)] = np.arange(len(first))
    return order[inverse]


def classes_of(
    sets: Iterable[AddressSet], moves: dict[int, list[Move]], apart: Iterable[AddressSet] = ()
) -> dict[int, AddressClasses]:
    """The classes of both families."""
    told, singly = list(sets), list(apart)
    return {
        f: AddressClasses(f, (one[f] for one in told), moves.get(f, ()), [one[f] for one in singly])
        for f in FAMILIES
    }
