"""Sets of services at moments, each kept once and known by a number, so that equal sets are one and what was done to two is known.

A set is a diagram of three levels, protocol, first and second (`sarvex.core.sets.services`): a level is cut into stretches, each with the
number of a diagram of the next level, and below the last one stands a set of moments. No two neighbours have the same. So every set has
one diagram only (Bryant 1986 for bits; Strehl and Thiele 1998 for intervals); 0 is the empty set on every level.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from threading import RLock
from typing import Literal

from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import ECHO, ICMP_OF, PROTOCOL_TOP, TOP
from sarvex.core.time.moments import ALWAYS, NEVER, Times

Op = Literal[0, 1, 2]
MEET: Op = 0
JOIN: Op = 1
MINUS: Op = 2
TOPS = (PROTOCOL_TOP, TOP, TOP)
MOMENTS = len(TOPS)
"""The level of the sets of moments."""
Node = tuple[tuple[int, int], ...]
"""The highest value of each stretch, ascending to the top, and what stands below."""
MOST_NODES = 800_000
"""More are not kept: a new store is begun."""


class ServiceDiagrams:
    """A store of sets; numbers of one store say nothing to another. Safe for several threads."""

    def __init__(self) -> None:
        self._nodes: tuple[list[Node], ...] = tuple([()] for _ in TOPS)
        self._numbers: tuple[dict[Node, int], ...] = tuple({} for _ in TOPS)
        self._known: dict[tuple[int, Op, int, int], int] = {}
        self._made: dict[object, int] = {}
        self.lock = RLock()
        self.any = self.of_box([[0, top] for top in TOPS], ALWAYS)
        """Every service, always."""

    def __len__(self) -> int:
        return len(self._nodes[0])

    @property
    def size(self) -> int:
        """How much is kept, of all levels."""
        return sum(map(len, self._nodes)) + len(self._known) + len(self._made)

    def apply(self, op: Op, a: int, b: int) -> int:
        """What two sets have in common, together, or what only the first has. O(stretches of both), once."""
        with self.lock:
            return self._apply(0, op, a, b)

    def _apply(self, level: int, op: Op, a: int, b: int) -> int:
        if a == b:
            return a if op != MINUS else 0
        if not a or not b:
            return (0 if op == MEET else a or b) if op != MINUS else a
        if level == MOMENTS:
            return a & b if op == MEET else a | b if op == JOIN else a & ~b
        key = level, op, a, b
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = self._merged(level, op, self._nodes[level][a], self._nodes[level][b])
        return found

    def _merged(self, level: int, op: Op, one: Node, other: Node) -> int:
        out: list[tuple[int, int]] = []
        i = j = 0
        while True:
            (high, a), (above, b) = one[i], other[j]
            least = min(high, above)
            _add(out, least, self._apply(level + 1, op, a, b))
            if least == TOPS[level]:
                return self._number(level, out)
            i += high == least
            j += above == least

    def _number(self, level: int, node: Iterable[tuple[int, int]]) -> int:
        made = tuple(node)
        if len(made) == 1 and not made[0][1]:
            return 0
        found = self._numbers[level].get(made)
        if found is None:
            found = self._numbers[level][made] = len(self._nodes[level])
            self._nodes[level].append(made)
        return found

    def of_box(self, stretches: list[list[int]], times: Times) -> int:
        """One box of protocols, firsts and seconds at some moments."""
        return self.on_axes(dict(enumerate(((low, high),) for low, high in stretches)), times)

    def on_axes(self, stretches: dict[int, Intervals], times: Times = ALWAYS) -> int:
        """All whose values on some of the three axes are in disjoint stretches, at some moments."""
        below = times
        with self.lock:
            for level in reversed(range(MOMENTS)):
                there = stretches.get(level, ((0, TOPS[level]),))
                below = self._number(level, _within(there, below, TOPS[level])) if below else 0
        return below

    def of(self, boxes: Boxes, times: Times = ALWAYS) -> int:
        """The services of some boxes (n, 3, 2) at some moments. O(boxes × stretches), once."""
        key = boxes.tobytes(), len(boxes), times

        def make() -> int:
            found = 0
            for box in boxes.tolist():
                found = self._apply(0, JOIN, found, self.of_box(box, times))
            return found

        return self._once(key, make)

    def _once(self, key: object, make: Callable[[], int]) -> int:
        with self.lock:
            if key not in self._made:
                self._made[key] = make()
            return self._made[key]

    def boxes(self, number: int) -> list[tuple[list[list[int]], Times]]:
        """A set as disjoint boxes, each with its moments."""
        with self.lock:
            return [(list(box), times) for box, times in self._boxes(0, number)]

    def _boxes(self, level: int, number: int) -> Iterator[tuple[list[list[int]], Times]]:
        if level == MOMENTS:
            yield [], number
            return
        low = 0
        for high, below in self._nodes[level][number] if number else ():
            if below:
                for rest, times in self._boxes(level + 1, below):
                    yield [[low, high], *rest], times
            low = high + 1

    def put(self, number: int, axis: int, stretches: Intervals) -> int:
        """A set whose values on an axis, 1 or 2, are these, whatever they were."""
        return self._once(
            ("put", number, axis, stretches),
            lambda: self._joined(
                ([*box[:axis], [low, high], *box[axis + 1 :]], times)
                for box, times in self.boxes(number)
                for low, high in stretches
            ),
        )

    def moved(self, number: int, axis: int, by: int) -> int:
        """A set whose values on an axis, 1 or 2, are so many higher; what would leave the axis is lost."""

        def shifted(box: list[list[int]]) -> list[list[int]]:
            low, high = max(box[axis][0] + by, 0), min(box[axis][1] + by, TOPS[axis])
            return [*box[:axis], [low, high], *box[axis + 1 :]]

        return self._once(
            ("moved", number, axis, by),
            lambda: self._joined(
                (one, times)
                for box, times in self.boxes(number)
                for one in [shifted(box)]
                if one[axis][0] <= one[axis][1]
            ),
        )

    def turned(self, number: int, family: int) -> int:
        """The services of the answers, and of answers those of the questions, as `headers.turned` has it."""
        icmp = ICMP_OF[family]
        others = self.on_axes({0: _but(icmp)})

        def make() -> int:
            ported = self.boxes(self._apply(0, MEET, number, others))
            found = self._joined(([box[0], box[2], box[1]], times) for box, times in ported)
            for one, other in (ECHO[family], ECHO[family][::-1]):
                pings = self._apply(0, MEET, number, self.on_axes({0: ((icmp, icmp),), 1: ((one, one),)}))
                found = self._apply(0, JOIN, found, self.put(pings, 1, ((other, other),)))
            return found

        return self._once(("turned", number, family), make)

    def _joined(self, boxes: Iterable[tuple[list[list[int]], Times]]) -> int:
        found = 0
        for box, times in boxes:
            found = self._apply(0, JOIN, found, self.of_box(box, times))
        return found


def _add(out: list[tuple[int, int]], high: int, below: int) -> None:
    """One more stretch, joined to the last if the same stands below."""
    if out and out[-1][1] == below:
        out[-1] = (high, below)
    else:
        out.append((high, below))


def _within(stretches: Intervals, below: int, top: int) -> Node:
    out: list[tuple[int, int]] = []
    at = 0
    for low, high in stretches:
        if low > at:
            out.append((low - 1, NEVER))
        out.append((high, below))
        at = high + 1
    if at <= top:
        out.append((top, NEVER))
    return tuple(out)


def _but(protocol: int) -> Intervals:
    return ((0, protocol - 1), (protocol + 1, PROTOCOL_TOP))


_STORE = [ServiceDiagrams()]


def store() -> ServiceDiagrams:
    """The store of this process; a new one once the last has grown too large."""
    if _STORE[0].size > MOST_NODES:
        _STORE[0] = ServiceDiagrams()
    return _STORE[0]
