"""Many flows at once through the whole network: one walk over all they could be, then each flow is looked up in its parts.

What is walked are the hosts of the segments that the flows are of, by any port of their protocols, in their states, at every moment. The
parts of that answer are boxes; a flow fares as the parts do that hold it. So the cost of the walk does not grow with the flows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sarvex.core.forwarding.routing import Routing, routing_of
from sarvex.core.forwarding.walk import Part, Question, Verdict, about, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import CLASS, DESTINATION, FIRST, PROTOCOL, SECOND, SOURCE
from sarvex.core.model.records import Network
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.flows import STATES, Flow
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import TOP, ServiceSet
from sarvex.core.time.moments import CLASSES

Index = NDArray[np.int64]
Values = NDArray[Any]
KINDS = "delivered", "undetermined", "fails"
NONE = -1
AXES = DESTINATION, SECOND, PROTOCOL, FIRST
"""Those first that tell most flows apart."""


@dataclass(frozen=True)
class FlowFate:
    """How a flow fares, and a part of the answer that says by what: the first that works if it is allowed, else the first that does
    not. `asks`: no moment is told and it fares differently from one to another."""

    verdict: Verdict
    part: Part | None
    asks: bool = False


def fates_of(
    network: Network, names: Names, flows: Sequence[Flow], go_on: Callable[[], bool] = lambda: True
) -> list[FlowFate]:
    """The fate of each flow, in their order. Ports or types that are not told count as 0.

    Raises what `trace` raises, and `OutOfReach` for moments that the names do not tell apart. Cost: one question over the segments
    of all flows; boxes of its parts × flows from the sources of one.
    """
    if not flows:
        return []
    routing = routing_of(network)
    parts = trace(network, names, _hull(flows, routing), go_on).parts
    return _Lookup(flows, parts, routing, names).fates()


def alike(network: Network, names: Names, flow: Flow, go_on: Callable[[], bool] = lambda: True) -> bool:
    """Whether a flow fares the same whatever those of its ports are that it does not tell."""
    return trace(network, names, about(flow, names, (0, TOP)), go_on).verdict in ("allowed", "blocked")


def _hull(flows: Sequence[Flow], routing: Routing) -> Question:
    """All that flows of the same segments, protocols and states could be."""
    ends = (_around({(f.family, end(f)) for f in flows}, routing) for end in (_src, _dst))
    protocols = {f: sorted({flow.protocol for flow in flows if flow.family == f}) for f in FAMILIES}
    boxes = {f: [[[p, p], [0, TOP], [0, TOP]] for p in some] for f, some in protocols.items()}
    service = ServiceSet(*(np.array(boxes[f], dtype=np.int64).reshape(len(boxes[f]), 3, 2) for f in FAMILIES))
    states = tuple(s for s in STATES if any(f.state == s for f in flows))
    source, destination = ends
    return Question(source, destination, service, states)


def _src(flow: Flow) -> int:
    return flow.src


def _dst(flow: Flow) -> int:
    return flow.dst


def _around(told: set[tuple[int, int]], routing: Routing) -> AddressSet:
    """The hosts of the segments that own some addresses, and of the addresses those that are devices' or that nobody owns."""
    wanted = addresses.union(addresses.span(f, value, value) for f, value in told)
    own = addresses.intersection(wanted, routing.all_own)
    out = [own]
    for segment, share in routing.owners(addresses.difference(wanted, own)):
        whole = routing.hosts(segment) if segment else share
        out += [addresses.in_family(whole, f) for f in FAMILIES if share[f]]
    return addresses.union(out)


class _Lookup:
    """Flows looked up in the parts of an answer."""

    def __init__(
        self, flows: Sequence[Flow], parts: tuple[Part, ...], routing: Routing, names: Names
    ) -> None:
        self.flows, self.parts, self.routing, self.moments = flows, parts, routing, names.moments

    def fates(self) -> list[FlowFate]:
        """Of every flow, at its moment or at whatever moment."""
        out: list[FlowFate | None] = [None] * len(self.flows)
        for family in FAMILIES:
            index = [i for i, f in enumerate(self.flows) if f.family == family]
            if index:
                for i, fate in zip(index, self._of_family(family, index), strict=True):
                    out[i] = fate
        return [fate for fate in out if fate is not None]

    def _of_family(self, family: int, index: list[int]) -> Iterator[FlowFate]:
        """Those that tell no moment are looked up at all moments at once; where a part holds some of them only, at one moment of each
        class after the other."""
        flows = [self.flows[i] for i in index]
        told = [packet_sets.point_of(f, self.moments, any_moment=True) for f in flows]
        points: Values = np.array(told, dtype=packet_sets.DTYPE[family])
        later = np.array([CLASSES - 1 if f.moment is None else 0 for f in flows], dtype=np.int64)
        found, parted = self._looked_up(family, points, later)
        unlike = np.zeros(len(flows), dtype=bool)
        for kind in range(len(self.moments.classes)) if parted.any() else ():
            then = points[parted].copy()
            then[:, CLASS] += kind
            there, _ = self._looked_up(family, then, np.zeros(len(then), dtype=np.int64))
            if kind:
                unlike[parted] |= ((there >= 0) != (found[parted] >= 0)).any(axis=1)
            else:
                found[parted] = there
        for numbers, asks in zip(found.tolist(), unlike.tolist(), strict=True):
            yield self._fate(numbers, asks)

    def _fate(self, found: list[int], asks: bool) -> FlowFate:
        works, unknown, fails = (number >= 0 for number in found)
        verdict: Verdict = "undetermined"
        if works and fails:
            verdict = "some"
        elif not unknown and (works or fails):
            verdict = "allowed" if works else "blocked"
        number = found[{"allowed": 0, "some": 2, "blocked": 2}.get(verdict, 1)]
        return FlowFate(verdict, self.parts[number] if number >= 0 else None, asks)

    def _looked_up(self, family: int, points: Values, later: Index) -> tuple[Index, NDArray[np.bool_]]:
        """For each flow the first part of each kind that holds it, (n, 3), or `NONE`; and whether some part holds it at some
        of its moments only.

        points: (n, 6); later: how many classes of moments after that of its point a flow is meant at. In the order of their sources
        the flows that a box may hold stand together.
        """
        carried = ~(
            _within(points[:, SOURCE], self.routing.unrouted[family])
            | _within(points[:, DESTINATION], self.routing.unrouted[family])
        )
        order = np.flatnonzero(carried)
        order = order[np.argsort(points[order, SOURCE], kind="stable")]
        columns = [np.ascontiguousarray(points[order, axis]) for axis in range(6)]
        last = columns[CLASS] + later[order]
        found = np.full((len(points), len(KINDS)), NONE, dtype=np.int64)
        mine = np.full((len(order), len(KINDS)), NONE, dtype=np.int64)
        parted = np.zeros(len(points), dtype=bool)
        for number, part in enumerate(self.parts):
            kind = KINDS.index(part.result) if part.result in KINDS else 2
            boxes = part.packets[family]
            begins = np.searchsorted(columns[SOURCE], boxes[:, SOURCE, 0], side="left").tolist()
            ends = np.searchsorted(columns[SOURCE], boxes[:, SOURCE, 1], side="right").tolist()
            for box, begin, end in zip(boxes.tolist(), begins, ends, strict=True):
                held = _held(columns, last, box, begin, end)
                if len(held):
                    first = box[CLASS]
                    parted[order[held]] |= (columns[CLASS][held] < first[0]) | (last[held] > first[1])
                    held = held[mine[held, kind] == NONE]
                    mine[held, kind] = number
        found[order] = mine
        return found, parted


def _held(columns: list[Values], last: Values, box: list[list[int]], begin: int, end: int) -> Index:
    """The flows of a run that a box holds at some of their moments."""
    if begin == end:
        return np.zeros(0, dtype=np.int64)
    low, high = box[CLASS]
    held = np.arange(begin, end)
    for axis in AXES:
        values = columns[axis][held] if axis != AXES[0] else columns[axis][begin:end]
        low_, high_ = box[axis]
        held = held[(values >= low_) & (values <= high_)]
        if not len(held):
            return held
    return held[(last[held] >= low) & (columns[CLASS][held] <= high)]


def _within(values: Values, spread: Intervals) -> NDArray[np.bool_]:
    """Which values lie in an interval of a set. O(values log intervals)."""
    if not spread:
        return np.zeros(len(values), dtype=bool)
    lows, highs = (np.array(ends, dtype=values.dtype) for ends in zip(*spread, strict=True))
    at = np.searchsorted(lows, values, side="right") - 1
    return np.asarray((at >= 0) & (values <= highs[np.maximum(at, 0)]), dtype=bool)
