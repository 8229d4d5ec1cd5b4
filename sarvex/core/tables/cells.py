"""Tables of numbers of service sets, cell by cell: what two have in common, together, or what only one has; compiled.

What was once found for two sets is looked up; what was not is told to be missing, found by the store and looked for again.
"""

from __future__ import annotations

from _thread import LockType
from dataclasses import dataclass, field
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets.compiled import compiled
from sarvex.core.tables.service_diagrams import Op, ServiceDiagrams

Ids = NDArray[np.int32]
Index = NDArray[np.intp]
Keys = NDArray[np.int64]
Flags = NDArray[np.uint8]
MISSED = 4096
"""So many that are missing are told at a time."""
NONE_YET = -1


@compiled
def _look(keys: Keys, values: Ids, op: int, a: int, b: int) -> int:
    """What is known of two sets; -1 if nothing is."""
    key = (op << 60) | (a << 30) | b
    at = (a * 92821 + b * 68917 + op * 40503) % len(keys)
    while keys[at] != key:
        if keys[at] < 0:
            return -1
        at += 1
        if at == len(keys):
            at = 0
    return int(values[at])


@compiled
def _keep(keys: Keys, values: Ids, new: Keys, found: Ids) -> None:
    """Note what was found for some keys that are not there."""
    for n in range(len(new)):
        key = int(new[n])
        op, a, b = key >> 60, (key >> 30) & 0x3FFFFFFF, key & 0x3FFFFFFF
        at = (a * 92821 + b * 68917 + op * 40503) % len(keys)
        while keys[at] >= 0:
            at += 1
            if at == len(keys):
                at = 0
        keys[at], values[at] = key, found[n]


@compiled
def combine(
    op: int, a: Ids, rows: Index, cols: Index, b: Ids, other_rows: Index, other_cols: Index, out: Ids,
    keys: Keys, values: Ids, missed: Keys,
) -> int:  # fmt: skip
    """The cells at some rows and columns of two tables, where -1 stands for an empty one, into `out`; returns how many are missing."""
    count = 0
    last_a, last_b, last = -1, -1, 0
    for i in range(len(rows)):
        for j in range(len(cols)):
            x = int(a[rows[i], cols[j]]) if rows[i] >= 0 and cols[j] >= 0 else 0
            y = int(b[other_rows[i], other_cols[j]]) if other_rows[i] >= 0 and other_cols[j] >= 0 else 0
            if x == last_a and y == last_b:
                out[i, j] = last
                continue
            if x == y:
                found = 0 if op == 2 else x
            elif x == 0 or y == 0:
                found = 0 if op == 0 else x if op == 2 else x + y
            else:
                one, other = (y, x) if op != 2 and x > y else (x, y)
                found = _look(keys, values, op, one, other)
                if found < 0:
                    missed[count] = (op << 60) | (one << 30) | other
                    count += 1
                    found = 0
                    if count == len(missed):
                        return count
            last_a, last_b, last = x, y, found
            out[i, j] = found
    return count


@compiled
def select(ids: Ids, rows: Index, cols: Index, out: Ids, row_used: Flags, col_used: Flags) -> int:
    """Some rows and columns of a table into `out`, and which of them are not empty; returns how many of both are."""
    for j in range(len(cols)):
        col_used[j] = 0
    for i in range(len(rows)):
        row_used[i] = 0
        for j in range(len(cols)):
            x = ids[rows[i], cols[j]]
            out[i, j] = x
            if x != 0:
                row_used[i] = 1
                col_used[j] = 1
    empty = 0
    for i in range(len(rows)):
        empty += 1 - row_used[i]
    for j in range(len(cols)):
        empty += 1 - col_used[j]
    return empty


@compiled
def lay(out: Ids, rows: Index, cols: Index, ids: Ids) -> int:
    """Put a table at some rows and columns of another wherever that is empty; returns how many cells have another set in both."""
    met = 0
    for i in range(len(rows)):
        for j in range(len(cols)):
            x, y = ids[i, j], out[rows[i], cols[j]]
            if y == 0:
                out[rows[i], cols[j]] = x
            elif x != 0 and x != y:
                met += 1
    return met


@compiled
def paint(
    left: Ids, taken: Ids, rows: Index, cols: Index, service: int, keys: Keys, values: Ids, missed: Keys
) -> int:
    """Move a service from what is left to what is taken, in the cells of some rows and columns. To do so twice changes nothing."""
    count = 0
    for i in rows:
        for j in cols:
            x = int(left[i, j])
            if x == 0:
                continue
            y = int(taken[i, j])
            if x == service:
                both, rest = x, 0
            else:
                both = _look(keys, values, 0, min(x, service), max(x, service))
                rest = _look(keys, values, 2, x, service)
            if both >= 0 and rest >= 0:
                if both == 0:
                    continue
                together = both
                if y != 0 and y != both:
                    together = _look(keys, values, 1, min(y, both), max(y, both))
                if together >= 0:
                    left[i, j], taken[i, j] = rest, together
                else:
                    missed[count] = (1 << 60) | (min(y, both) << 30) | max(y, both)
                    count += 1
            else:
                if both < 0:
                    missed[count] = (min(x, service) << 30) | max(x, service)
                    count += 1
                if rest < 0:
                    missed[count] = (2 << 60) | (x << 30) | service
                    count += 1
            if count >= len(missed) - 2:
                return count
    return count


@dataclass(eq=False)
class Cells:
    """What is known of the sets of one store, for compiled functions. Safe for several threads."""

    sets: ServiceDiagrams
    keys: Keys = field(default_factory=lambda: np.full(1 << 14, NONE_YET, dtype=np.int64))
    values: Ids = field(default_factory=lambda: np.zeros(1 << 14, dtype=np.int32))
    missed: Keys = field(default_factory=lambda: np.empty(MISSED, dtype=np.int64))
    used: int = 0
    lock: LockType = field(default_factory=Lock)
    """Compiled loops let others work meanwhile: none may look while another notes what it found."""

    def combined(self, op: Op, a: Ids, at: tuple[Index, Index], b: Ids, there: tuple[Index, Index]) -> Ids:
        """The cells at some rows and columns of two tables; see `combine`."""
        out: Ids = np.empty((len(at[0]), len(at[1])), dtype=np.int32)
        with self.lock:
            while count := combine(op, a, *at, b, *there, out, self.keys, self.values, self.missed):
                self._learn(self.missed[:count])
        return out

    def painted(self, left: Ids, taken: Ids, rows: Index, cols: Index, service: int) -> None:
        """Move a service from what is left to what is taken; see `paint`."""
        with self.lock:
            while count := paint(left, taken, rows, cols, service, self.keys, self.values, self.missed):
                self._learn(self.missed[:count])

    def _learn(self, missed: Keys) -> None:
        """Find what is missing."""
        new = np.unique(missed)
        pairs = [(key >> 60, (key >> 30) & 0x3FFFFFFF, key & 0x3FFFFFFF) for key in new.tolist()]
        found = np.array([self.sets.apply(op, a, b) for op, a, b in pairs], dtype=np.int32)
        if 2 * (self.used + len(new)) > len(self.keys):
            self._grow(2 * (self.used + len(new)))
        _keep(self.keys, self.values, new, found)
        self.used += len(new)

    def _grow(self, least: int) -> None:
        size = 1 << (2 * least - 1).bit_length()
        old = self.keys >= 0
        known, values = self.keys[old], self.values[old]
        self.keys = np.full(size, NONE_YET, dtype=np.int64)
        self.values = np.zeros(size, dtype=np.int32)
        _keep(self.keys, self.values, known, values)
