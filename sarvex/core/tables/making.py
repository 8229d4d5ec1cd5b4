"""Tables made of products and of boxes, and of tables of another space."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

import numpy as np

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.flows import STATES, State
from sarvex.core.sets.services import ServiceSet
from sarvex.core.tables.address_classes import AddressClasses, CutsAClass
from sarvex.core.tables.cells import Ids, Index
from sarvex.core.tables.service_diagrams import JOIN, MEET
from sarvex.core.tables.table import EMPTY, Plane, Space, Table, trimmed, whole_of
from sarvex.core.time.moments import CLASSES, Times


def product(
    space: Space, state: State, source: AddressSet, destination: AddressSet, services: Mapping[int, int]
) -> PacketSet:
    """All packets from a set to a set by some services, told by their numbers, for each family. Raises `CutsAClass`."""
    planes = {}
    for f in FAMILIES:
        rows, cols = (np.flatnonzero(space.classes[f].mask(some[f])) for some in (source, destination))
        ids = np.full((len(rows), len(cols)), services[f], dtype=np.int32)
        planes[f] = Plane(rows, cols, ids) if ids.size and services[f] else EMPTY
    made = Table(space, state, planes)
    return made if made else packet_sets.NOTHING


def tabled(space: Space, what: PacketSet, state: State, around: bool = False) -> PacketSet:
    """Boxes of packets in one state as a table. Raises `CutsAClass`.

    around: where boxes cut a class it is taken whole, so that more packets are in the table.
    """
    if isinstance(what, Table) or not what:
        return what
    made = Table(space, state, {f: _painted(space, f, what[f], state, around) for f in FAMILIES})
    return made if made else packet_sets.NOTHING


def _painted(space: Space, family: int, boxes: Boxes, state: State, around: bool) -> Plane:
    """Boxes painted over atoms, and these joined to classes."""
    if not len(boxes):
        return EMPTY
    classes, first = space.classes[family], STATES.index(state) * CLASSES
    grouped: dict[tuple[tuple[int, int], ...], int] = defaultdict(int)
    for source, destination, *service, (low, high) in boxes.tolist():
        ends = tuple(classes.atoms_of(low, high, around) for low, high in (source, destination))
        number = space.sets.of_box(service, packet_sets.times_of([(low - first, high - first)]))
        grouped[ends] = space.sets.apply(JOIN, grouped[ends], number)
    rows, cols = (np.unique(np.concatenate([np.arange(*ends[axis]) for ends in grouped])) for axis in (0, 1))
    whole: Ids = np.zeros((len(rows), len(cols)), dtype=np.int32)
    for (row, col), number in grouped.items():
        at = slice(*np.searchsorted(rows, row)), slice(*np.searchsorted(cols, col))
        there = np.ascontiguousarray(whole[at])
        new: Ids = np.full(there.shape, number, dtype=np.int32)
        whole[at] = space.cells.combined(JOIN, there, whole_of(there), new, whole_of(new))
    return _by_class(space, classes, rows, cols, whole, around)


def _by_class(
    space: Space, classes: AddressClasses, rows: Index, cols: Index, whole: Ids, around: bool
) -> Plane:
    """A plane of atoms as one of classes, all of whose atoms must be alike, or are taken together."""
    for _ in (0, 1):
        whole, rows, cols = np.ascontiguousarray(whole.T), cols, classes.of_atom[rows]
        # what was rows is columns now, by class
        numbers, at = np.unique(cols, return_inverse=True)
        sized = np.bincount(at)
        joined: Ids = np.ascontiguousarray(whole[:, np.unique(cols, return_index=True)[1]])
        if not around:
            if not np.array_equal(joined[:, at], whole) or not np.array_equal(sized, classes.sizes[numbers]):
                raise CutsAClass
        else:
            for n, number in enumerate(at):
                some = np.ascontiguousarray(whole[:, n : n + 1])
                there = np.ascontiguousarray(joined[:, number : number + 1])
                joined[:, number : number + 1] = space.cells.combined(
                    JOIN, there, whole_of(there), some, whole_of(some)
                )
        whole, cols = joined, numbers
    return trimmed(rows, cols, whole)


def within(what: PacketSet, service: ServiceSet, times: Times) -> PacketSet:
    """The new packets of a set that are of a service, at some moments."""
    if not isinstance(what, Table):
        asked = packet_sets.product(addresses.ANY, addresses.ANY, service, ("new",), times)
        return packet_sets.intersection(what, asked) if what else what
    sets = what.space.sets
    numbers = {f: sets.of(service[f], times) for f in FAMILIES}
    return what.services(
        ("within", *numbers.values()), lambda f, number: sets.apply(MEET, number, numbers[f])
    )


def recast(what: PacketSet, space: Space) -> PacketSet:
    """A table as one of another space that tells apart all that the packets of the table are told apart by."""
    if not isinstance(what, Table) or what.space is space:
        return what
    if what.space.cells is not space.cells:
        return tabled(space, PacketSet(what.v4, what.v6), what.state)
    planes = {}
    for f, plane in what.planes.items():
        if plane is EMPTY:
            planes[f] = EMPTY
            continue
        there = space.places(f, what.space.classes[f])
        rows, at = _led_to(there, plane.rows)
        cols, across = _led_to(there, plane.cols)
        planes[f] = Plane(rows, cols, plane.ids[at[:, None], across])
    return Table(space, what.state, planes)


def _led_to(there: Index, numbers: Index) -> tuple[Index, Index]:
    """Which of some classes are in some coarser ones, and in the how manieth of them."""
    place = np.full(int(there.max()) + 1, -1, dtype=np.intp)
    place[numbers[numbers < len(place)]] = np.flatnonzero(numbers < len(place))
    at = place[there]
    return np.flatnonzero(at >= 0), at[at >= 0]
