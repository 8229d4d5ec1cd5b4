"""Boxes stored axis by axis, so that looking one box up reads little memory.

Each look-up filters by the first axis and then only what is left by the next: on lists as people write them
the first axis leaves a few per cent. O(boxes) in the worst case, with a small constant.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets.boxes import Boxes

Index = NDArray[np.int64]


class Columns:
    """Boxes (n, axes, 2) of machine integers, to which more can be appended."""

    def __init__(self, axes: int, boxes: Boxes | None = None) -> None:
        room = max(256, 0 if boxes is None else len(boxes))
        self.size = 0
        self._low = np.empty((axes, room), dtype=np.int32)
        self._high = np.empty((axes, room), dtype=np.int32)
        if boxes is not None:
            self.append(boxes)

    def append(self, boxes: Boxes) -> None:
        """Amortised O(len(boxes))."""
        end = self.size + len(boxes)
        axes, room = self._low.shape
        if end > room:
            wider = np.empty((2, axes, max(end, 2 * room)), dtype=np.int32)
            wider[0, :, : self.size], wider[1, :, : self.size] = (
                self._low[:, : self.size],
                self._high[:, : self.size],
            )
            self._low, self._high = wider
        self._low[:, self.size : end] = boxes[:, :, 0].T
        self._high[:, self.size : end] = boxes[:, :, 1].T
        self.size = end

    def at(self, index: Index) -> Boxes:
        """The boxes at some positions, (k, axes, 2)."""
        return np.stack((self._low[:, index].T, self._high[:, index].T), axis=2)

    def touching(self, box: Boxes, start: int = 0, stop: int | None = None) -> Index:
        """The positions from `start` to before `stop` whose boxes share a point with `box`, ascending."""
        return self._filter(
            start, stop, lambda low, high, axis: (low <= box[axis, 1]) & (high >= box[axis, 0])
        )

    def holding(self, box: Boxes, start: int = 0, stop: int | None = None) -> Index:
        """The positions whose boxes hold all of `box`."""
        return self._filter(
            start, stop, lambda low, high, axis: (low <= box[axis, 0]) & (high >= box[axis, 1])
        )

    def _filter(self, start: int, stop: int | None, keep) -> Index:  # type: ignore[no-untyped-def]
        stop = self.size if stop is None else stop
        found: Index = np.flatnonzero(keep(self._low[0, start:stop], self._high[0, start:stop], 0)) + start
        for axis in range(1, len(self._low)):
            if not len(found):
                break
            found = found[keep(self._low[axis, found], self._high[axis, found], axis)]
        return found
