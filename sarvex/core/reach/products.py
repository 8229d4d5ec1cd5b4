"""Packet sets as few products of sources, destinations, services and moments, for telling them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.packet_sets import CLASS, DESTINATION, PROTOCOL, SECOND, SOURCE, PacketSet
from sarvex.core.sets import addresses, intervals, services
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.boxes import Boxes, disjoint
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import ServiceSet


def products(what: PacketSet) -> list[Match]:
    """Exactly the packets of a set that are all in one state, as disjoint products of one family each, whatever the state.

    Sources that send the same to the same at the same moments stand together, and then destinations. O(ends × boxes) for each axis.
    """
    return [match for f in FAMILIES for match in _of_family(f, what[f])]


def _of_family(family: int, what: Boxes) -> Iterator[Match]:
    for classes, now in _alike(what, CLASS):
        times = packet_sets.times_of(classes)
        for sources, sent in _alike(now, SOURCE):
            for destinations, there in _alike(sent, DESTINATION):
                source, destination = (
                    addresses.AddressSet(*(some if f == family else () for f in FAMILIES)) for some in (sources, destinations)
                )  # fmt: skip
                boxes = disjoint(there[:, PROTOCOL : SECOND + 1].astype(np.int64))
                service = ServiceSet(*(boxes if f == family else services.NOTHING[f] for f in FAMILIES))
                yield Match(source, destination, service, (), times)


def _alike(what: Boxes, axis: int) -> Iterator[tuple[Intervals, Boxes]]:
    """All values on an axis, those together at which the boxes are the same otherwise, and these boxes."""
    if not len(what):
        return
    edges = np.unique(np.concatenate((what[:, axis, 0], what[:, axis, 1] + 1)))
    found: dict[bytes, list[tuple[int, int]]] = {}
    rest = np.delete(what, axis, axis=1)
    kinds: dict[object, int] = {}
    number = np.array([kinds.setdefault(tuple(map(tuple, box)), len(kinds)) for box in rest.tolist()])
    first = np.unique(number, return_index=True)[1]
    for low, above in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        there = (what[:, axis, 0] <= low) & (what[:, axis, 1] >= low)
        mask = np.zeros(len(kinds), dtype=bool)
        mask[number[there]] = True
        if mask.any():
            found.setdefault(mask.tobytes(), []).append((low, above - 1))
    for key, stretches in found.items():
        yield intervals.union(stretches), what[first[np.frombuffer(key, dtype=bool)]]
