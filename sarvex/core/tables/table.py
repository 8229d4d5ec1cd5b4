"""Packets in one state as a table of each family: sources down, destinations across, and in each cell the services at their moments.

A table is a set of packets like any other and may stand wherever one does: what is not told here about tables is worked out from their
boxes. Rows and columns are of classes of addresses (`address_classes`), so that a table is as large as what is told apart, not as what
there is; cells are numbers of a store (`service_diagrams`), so that equal cells are equal numbers.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import CLASS, DESTINATION, PROTOCOL, SOURCE, PacketSet
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.flows import STATES, State
from sarvex.core.sets.intervals import Intervals
from sarvex.core.tables.address_classes import AddressClasses, Mask, Move, classes_of
from sarvex.core.tables.cells import Cells, Flags, Ids, Index, lay, select
from sarvex.core.tables.class_set import Bits, ClassSet, ClassSpace, bits_of
from sarvex.core.tables.service_diagrams import JOIN, MEET, MINUS, store
from sarvex.core.time.moments import CLASSES

NO_INDEX: Index = np.empty(0, dtype=np.intp)


class Space:
    """Classes of addresses of both families, and a store of sets of services: what tables are of.

    sets: those that may be asked of tables made here, moves: by how much addresses of each family may be moved, apart: sets of which
    every stretch counts.
    """

    def __init__(
        self, sets: Iterable[AddressSet], moves: Mapping[int, list[Move]], cells: Cells, apart: Iterable[AddressSet] = ()
    ) -> None:  # fmt: skip
        self.classes = classes_of(sets, dict(moves), apart)
        self.both = ClassSpace(self.classes)
        self.cells, self.sets = cells, cells.sets
        self._maps: dict[object, Ids] = {}
        self._places: dict[int, tuple[AddressClasses, Index]] = {}

    def count(self, some: AddressSet) -> int:
        """How many classes a set has something of."""
        return sum(int(self.classes[f].masks(some[f])[0].sum()) for f in FAMILIES)

    def places(self, family: int, coarser: AddressClasses) -> Index:
        """Of each class that of others which has it; these must not tell apart more."""
        if id(coarser) not in self._places:
            found = coarser.class_of(self.classes[family].firsts())
            self._places[id(coarser)] = coarser, found
        return self._places[id(coarser)][1]

    def mapped(self, key: object, ids: Ids, of: Callable[[int], int]) -> Ids:
        """Each cell as something makes it of its set, which is asked once for each set and key."""
        known = self._maps.get(key)
        if known is None or len(known) < len(self.sets):
            grown: Ids = np.full(2 * len(self.sets), -1, dtype=np.int32)
            grown[0] = 0
            if known is not None:
                grown[: len(known)] = known
            known = self._maps[key] = grown
        out = known[ids]
        if (out < 0).any():
            for number in np.unique(ids[out < 0]).tolist():
                known[number] = of(number)
            out = known[ids]
        return out


@dataclass(eq=False)
class Plane:
    """What a table is in one family: (rows, columns) of sets, and which classes the rows and columns are of, ascending."""

    rows: Index
    cols: Index
    ids: Ids

    def __len__(self) -> int:
        return int(self.ids.size)

    def bits(self, axis: int) -> Bits:
        """Its rows, or columns, as bits."""
        return self._row_bits if axis == SOURCE else self._col_bits

    def meets(self, other: Plane) -> bool:
        """Whether some row and some column is in both."""
        if self is EMPTY or other is EMPTY:
            return False
        return bool(self._row_bits & other._row_bits and self._col_bits & other._col_bits)

    @cached_property
    def _row_bits(self) -> Bits:
        return _bits(self.rows)

    @cached_property
    def _col_bits(self) -> Bits:
        return _bits(self.cols)


def _bits(numbers: Index) -> Bits:
    mask = np.zeros(numbers[-1] + 1, dtype=bool)
    mask[numbers] = True
    return bits_of(mask)


EMPTY = Plane(NO_INDEX, NO_INDEX, np.empty((0, 0), dtype=np.int32))


class Table(PacketSet):
    """A set of packets in one state; see the module. Never changed once made."""

    def __init__(self, space: Space, state: State, planes: Mapping[int, Plane]) -> None:
        there = any(len(plane) for plane in planes.values())
        self.__dict__.update(space=space, state=state, planes=planes, there=there)

    space: Space
    state: State
    planes: Mapping[int, Plane]
    there: bool

    def __bool__(self) -> bool:
        return self.there

    @property
    def v4(self) -> Boxes:
        return self.boxes[4]

    @property
    def v6(self) -> Boxes:
        return self.boxes[6]

    @cached_property
    def boxes(self) -> dict[int, Boxes]:
        """The same as disjoint boxes."""
        return {f: self._boxes(f) for f in FAMILIES}

    def _boxes(self, family: int) -> Boxes:
        plane, classes = self.planes[family], self.space.classes[family]
        rows: list[list[list[int]]] = []
        for which, line in _alike(plane.ids):
            sources = classes.spread(_mask(classes, plane.rows[which]))
            for number in np.unique(line[line > 0]).tolist():
                destinations = classes.spread(_mask(classes, plane.cols[line == number]))
                services = self._rows(number)
                rows += [[[*s], [*d], *rest] for s in sources for d in destinations for rest in services]
        if not rows:
            return packet_sets.NOTHING[family]
        return np.array(rows, dtype=packet_sets.DTYPE[family])

    def _rows(self, number: int) -> list[list[list[int]]]:
        first = STATES.index(self.state) * CLASSES
        return [
            [*box, [first + low, first + high]]
            for box, times in self.space.sets.boxes(number)
            for low, high in packet_sets.times_intervals(times)
        ]

    def of(self, planes: Mapping[int, Plane]) -> PacketSet:
        """Another table of the same kind, or nothing."""
        if planes[4] is EMPTY and planes[6] is EMPTY:
            return packet_sets.NOTHING
        if planes[4] is self.planes[4] and planes[6] is self.planes[6]:
            return self
        return Table(self.space, self.state, planes)

    def each(self, made: Callable[[int, Plane], Plane]) -> PacketSet:
        """What becomes of both planes."""
        return self.of({f: plane if plane is EMPTY else made(f, plane) for f, plane in self.planes.items()})

    def services(self, key: object, made: Callable[[int, int], int]) -> PacketSet:
        """Every set of services as something makes it of family and set, which depends on nothing but the key."""

        def of(family: int, plane: Plane) -> Plane:
            ids = self.space.mapped((key, family), plane.ids, lambda number: made(family, number))
            return trimmed(plane.rows, plane.cols, ids)

        return self.each(of)

    def parted(self, key: object, some: Callable[[int], int]) -> tuple[PacketSet, PacketSet]:
        """The packets of some services, told by their number for a family, and all others. The key tells which these are."""
        sets = self.space.sets
        return (
            self.services((key, MEET), lambda f, number: sets.apply(MEET, number, some(f))),
            self.services((key, MINUS), lambda f, number: sets.apply(MINUS, number, some(f))),
        )

    def spread(self, axis: int) -> AddressSet:
        """All its sources, or destinations."""
        return ClassSet(self.space.both, self.bits(axis))

    def bits(self, axis: int) -> Bits:
        """The classes of its sources, or destinations."""
        bits = 0
        for f, plane in self.planes.items():
            if plane is not EMPTY:
                bits |= plane.bits(axis) << self.space.both.before[f]
        return bits

    def cut_to(self, axis: int, some: AddressSet) -> PacketSet:
        """The packets whose source, or destination, is in a set. Raises `CutsAClass`."""
        both, own = self.space.both, self.bits(axis)
        kept = both.of(some, own) & own
        if kept == own:
            return self
        if not kept:
            return packet_sets.NOTHING
        return self.each(lambda f, plane: _cut(both, f, plane, axis, both.family(kept, f)))

    def dealt(self, axis: int, labels: Mapping[int, Index]) -> dict[int, PacketSet]:
        """Its packets by the label that their source, or destination, has (`ClassSpace.labels`); labels without packets are left out."""
        found: dict[int, dict[int, Plane]] = {}
        for f, plane in self.planes.items():
            if plane is not EMPTY:
                for label, share in _dealt(plane, axis, labels[f]):
                    found.setdefault(label, {4: EMPTY, 6: EMPTY})[f] = share
        return {label: Table(self.space, self.state, planes) for label, planes in found.items()}

    def between(self, sources: Sequence[AddressSet], destinations: Sequence[AddressSet]) -> NDArray[np.bool_]:
        """From which of some disjoint sets to which there is a packet, (sources, destinations)."""
        both = self.space.both
        found = np.zeros((len(sources), len(destinations)), dtype=bool)
        if not found.size:
            return found
        for f, plane in self.planes.items():
            if plane is not EMPTY:
                down, across = (
                    np.array([both.mask(both.family(both.of(one, own), f), f)[numbers] for one in some], dtype=np.float32)
                    for some, numbers, own in (
                        (sources, plane.rows, self.bits(SOURCE)), (destinations, plane.cols, self.bits(DESTINATION)),
                    )
                )  # fmt: skip
                found |= down @ (plane.ids != 0).astype(np.float32) @ across.T > 0
        return found

    def cut(self, axis: int, stretches: Mapping[int, Intervals]) -> PacketSet:
        """The packets whose value on an axis of the header is in disjoint stretches. Raises `CutsAClass`."""
        if axis in (SOURCE, DESTINATION):
            return self.cut_to(axis, AddressSet(stretches[4], stretches[6]))
        assert axis != CLASS, "all of a table is in one state"
        level, sets = axis - PROTOCOL, self.space.sets

        def within(family: int, number: int) -> int:
            return sets.apply(MEET, number, sets.on_axes({level: stretches[family]}))

        return self.services(("cut", axis, tuple(stretches[f] for f in FAMILIES)), within)

    def turned(self) -> PacketSet:
        """The answers to its packets, and of answers the packets."""
        sets = self.space.sets

        def of(family: int, plane: Plane) -> Plane:
            ids = self.space.mapped(("turned", family), plane.ids, lambda n: sets.turned(n, family))
            return trimmed(plane.cols, plane.rows, np.ascontiguousarray(ids.T))

        return self.each(of)

    def joined(self, others: Iterable[Table]) -> PacketSet:
        """All packets of it and of some others."""
        some = [self, *others]
        return self.of(
            {f: self._joined([one.planes[f] for one in some if len(one.planes[f])]) for f in FAMILIES}
        )

    def _joined(self, planes: list[Plane]) -> Plane:
        if len(planes) < 2:
            return planes[0] if planes else EMPTY
        rows = _all_of([p.rows for p in planes])
        cols = _all_of([p.cols for p in planes])
        out: Ids = np.zeros((len(rows), len(cols)), dtype=np.int32)
        for plane in planes:
            down, across = np.searchsorted(rows, plane.rows), np.searchsorted(cols, plane.cols)
            if lay(out, down, across, plane.ids):
                whole = whole_of(plane.ids)
                out[down[:, None], across] = self.space.cells.combined(
                    JOIN, out, (down, across), plane.ids, whole
                )
        return Plane(rows, cols, out)

    def is_as(self, other: Table) -> bool:
        """Whether both are made alike of one space: then they are the same packets."""
        return _alike_in(self, other) and all(_same(self.planes[f], other.planes[f]) for f in FAMILIES)

    def meets(self, other: Table) -> bool:
        """Whether both have something of one class to another: only then they may have a packet in common."""
        return any(self.planes[f].meets(other.planes[f]) for f in FAMILIES)

    def met(self, other: Table) -> PacketSet:
        """What two tables have in common."""
        return self.each(lambda f, plane: self._met(plane, other.planes[f]))

    def _met(self, one: Plane, other: Plane) -> Plane:
        if not len(other):
            return EMPTY
        if one is other:
            return one
        if not one.meets(other):
            return EMPTY
        rows, at, there = _shared(one.rows, other.rows)
        cols, at_col, there_col = _shared(one.cols, other.cols)
        if not len(rows) or not len(cols):
            return EMPTY
        ids = self.space.cells.combined(MEET, one.ids, (at, at_col), other.ids, (there, there_col))
        return trimmed(rows, cols, ids)

    def without(self, other: Table) -> PacketSet:
        """What another has not."""
        return self.each(lambda f, plane: self._without(plane, other.planes[f]))

    def _without(self, one: Plane, other: Plane) -> Plane:
        if not len(other):
            return one
        if one is other:
            return EMPTY
        if not one.meets(other):
            return one
        there = _places(one.rows, other.rows), _places(one.cols, other.cols)
        ids = self.space.cells.combined(MINUS, one.ids, whole_of(one.ids), other.ids, there)
        return trimmed(one.rows, one.cols, ids)


# Sets of packets of any kind ------------------------------------------------------------------------------------------


def _all_boxed(sets: list[PacketSet]) -> PacketSet:
    return packet_sets.union(PacketSet(one.v4, one.v6) for one in sets)


@packet_sets.union_of.register
def _union(first: Table, sets: list[PacketSet]) -> PacketSet:
    tables = [one for one in sets[1:] if isinstance(one, Table) and _alike_in(first, one)]
    return first.joined(tables) if len(tables) == len(sets) - 1 else _all_boxed(sets)


@packet_sets.intersection.register
def _intersection(a: Table, b: PacketSet) -> PacketSet:
    if isinstance(b, Table) and _alike_in(a, b):
        return a.met(b)
    return packet_sets.intersection(PacketSet(a.v4, a.v6), b) if b else packet_sets.NOTHING


@packet_sets.difference.register
def _difference(a: Table, b: PacketSet, limit: int | None = None) -> PacketSet:
    if isinstance(b, Table) and _alike_in(a, b):
        return a.without(b)
    return packet_sets.difference(PacketSet(a.v4, a.v6), b, limit) if b else a


@packet_sets.coalesced.register
def _coalesced(a: Table) -> PacketSet:
    return a


@packet_sets.project.register
def _project(what: Table, axis: int) -> AddressSet:
    return what.spread(axis)


@packet_sets.of_family.register
def _of_family(what: Table, family: int) -> PacketSet:
    return what.each(lambda f, plane: plane if f == family else EMPTY)


@packet_sets.has.register
def _has(what: Table, family: int) -> bool:
    return len(what.planes[family]) > 0


def _alike_in(a: Table, b: Table) -> bool:
    return a.space is b.space and a.state == b.state


def _same(one: Plane, other: Plane) -> bool:
    return one is other or all(
        np.array_equal(a, b)
        for a, b in ((one.rows, other.rows), (one.cols, other.cols), (one.ids, other.ids))
    )


def _alike(ids: Ids) -> Iterator[tuple[NDArray[np.intp], Ids]]:
    """The rows that are alike, and what they are."""
    found: dict[bytes, list[int]] = defaultdict(list)
    for number, line in enumerate(ids):
        found[line.tobytes()].append(number)
    for some in found.values():
        yield np.array(some, dtype=np.intp), ids[some[0]]


def _cut(both: ClassSpace, family: int, plane: Plane, axis: int, kept: Bits) -> Plane:
    if not kept:
        return EMPTY
    if kept == plane.bits(axis):
        return plane
    own = plane.rows if axis == SOURCE else plane.cols
    keep = both.mask(kept, family)[own].nonzero()[0]
    if axis == SOURCE:
        return chosen(plane.rows, plane.cols, plane.ids, keep, upto(len(plane.cols)))
    return chosen(plane.rows, plane.cols, plane.ids, upto(len(plane.rows)), keep)


def _dealt(plane: Plane, axis: int, labels: Index) -> Iterator[tuple[int, Plane]]:
    """The rows, or columns, of each label as a plane of their own, without those that are empty in it."""
    own, others = (plane.rows, plane.cols) if axis == SOURCE else (plane.cols, plane.rows)
    ids = plane.ids.T if axis == SOURCE else plane.ids
    at = labels[own]
    order = np.argsort(at, kind="stable")
    order = order[np.searchsorted(at[order], 0) :]
    if not len(order):
        return
    at, own, ids = at[order], own[order], ids[:, order]
    starts = np.flatnonzero(np.concatenate(([True], at[1:] != at[:-1])))
    used = np.logical_or.reduceat(ids != 0, starts, axis=1)
    whole = np.logical_and.reduce(used)
    ends = [*starts[1:].tolist(), len(at)]
    for n, (start, end) in enumerate(zip(starts.tolist(), ends, strict=True)):
        share, there = ids[:, start:end], others
        if not whole[n]:
            share, there = share[used[:, n]], others[used[:, n]]
        if axis == SOURCE:
            yield int(at[start]), Plane(own[start:end], there, np.ascontiguousarray(share.T))
        else:
            yield int(at[start]), Plane(there, own[start:end], np.ascontiguousarray(share))


def _mask(classes: AddressClasses, numbers: Index) -> Mask:
    mask = np.zeros(classes.count, dtype=bool)
    mask[numbers] = True
    return mask


def trimmed(rows: Index, cols: Index, ids: Ids) -> Plane:
    """A plane without its empty rows and columns."""
    return chosen(rows, cols, ids, *whole_of(ids))


def chosen(rows: Index, cols: Index, ids: Ids, some: Index, across: Index) -> Plane:
    """Some of the rows and columns of a plane, without those that are empty."""
    out: Ids = np.empty((len(some), len(across)), dtype=np.int32)
    used: tuple[Flags, Flags] = np.empty(len(some), dtype=np.uint8), np.empty(len(across), dtype=np.uint8)
    if select(ids, some, across, out, *used):
        at, there = (one.nonzero()[0] for one in used)
        if not len(at):
            return EMPTY
        return Plane(rows[some[at]], cols[across[there]], out[at[:, None], there])
    if not out.size:
        return EMPTY
    return Plane(
        rows if len(some) == len(rows) else rows[some],
        cols if len(across) == len(cols) else cols[across],
        out,
    )


def _all_of(some: list[Index]) -> Index:
    first = some[0]
    if all(one is first for one in some):
        return first
    mask = np.zeros(max(one[-1] for one in some) + 1, dtype=bool)
    for one in some:
        mask[one] = True
    return np.flatnonzero(mask)


def whole_of(ids: Ids) -> tuple[Index, Index]:
    """All rows and columns of a plane."""
    return upto(ids.shape[0]), upto(ids.shape[1])


def upto(count: int) -> Index:
    """The numbers below one; not to be changed."""
    if count > len(_NUMBERS[0]):
        _NUMBERS[0] = np.arange(2 * count)
    return _NUMBERS[0][:count]


_NUMBERS: list[Index] = [np.arange(1024)]


def _places(wanted: Index, there: Index) -> Index:
    """Where each number is in an ascending list; -1 for those that are not."""
    if wanted is there:
        return upto(len(wanted))
    at = np.minimum(np.searchsorted(there, wanted), len(there) - 1)
    return np.where(there[at] == wanted, at, -1)


def _shared(one: Index, other: Index) -> tuple[Index, Index, Index]:
    """The numbers in both of two ascending lists, and where they are in each."""
    there = _places(one, other)
    at = (there >= 0).nonzero()[0]
    return one[at], at, there[at]


_NOW = [Cells(store())]


def cells() -> Cells:
    """What is known of the sets of this process's store."""
    current = store()
    if _NOW[0].sets is not current:
        _NOW[0] = Cells(current)
    return _NOW[0]
