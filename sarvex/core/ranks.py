"""Coordinate compression: the values of one family's box axes replaced by ranks of the end points that occur.

Between two neighbouring end points no rule tells values apart, so an elementary interval can stand for
all of them. 128-bit addresses become small integers and the kernels run on machine words.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sarvex.core.boxes import Boxes


class Ranks:
    """The elementary intervals of each axis, made from the boxes that must be told apart.

    `starts[axis]` holds the first value of each elementary interval, and as last entry the value just
    past the axis. O(n log n) in the number of boxes.
    """

    def __init__(self, whole: Boxes, boxes: Boxes) -> None:
        ends = np.concatenate((whole, boxes))
        self.starts = [
            np.unique(np.concatenate((ends[:, axis, 0], ends[:, axis, 1] + 1)))
            for axis in range(whole.shape[1])
        ]

    def encode(self, boxes: Boxes) -> NDArray[np.int32]:
        """Boxes of values as boxes of ranks, shape kept. Ends must be among those given at the start."""
        out = np.empty(boxes.shape, dtype=np.int32)
        for axis, starts in enumerate(self.starts):
            out[:, axis, 0] = np.searchsorted(starts, boxes[:, axis, 0])
            out[:, axis, 1] = np.searchsorted(starts, boxes[:, axis, 1] + 1) - 1
        return out

    def encode_points(self, axis: int, values: NDArray[np.generic]) -> NDArray[np.int64]:
        """The ranks of single values on one axis, shape (n,)."""
        return np.searchsorted(self.starts[axis], values, side="right") - 1

    def decode(self, boxes: Boxes, dtype: type) -> Boxes:
        """Boxes of ranks as boxes of values."""
        out: Boxes = np.empty(boxes.shape, dtype=dtype)
        for axis, starts in enumerate(self.starts):
            out[:, axis, 0] = starts[boxes[:, axis, 0].astype(np.int64)]
            out[:, axis, 1] = starts[boxes[:, axis, 1].astype(np.int64) + 1] - 1
        return out

    def size(self, axis: int) -> int:
        """How many elementary intervals an axis has."""
        return len(self.starts[axis]) - 1
