"""Coordinate compression: the values of one family's box axes replaced by ranks of the end points that occur.

Between two neighbouring end points no rule tells values apart, so an elementary interval can stand for
all of them. 128-bit addresses become small integers and the kernels run on machine words.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets.boxes import Boxes


class Ranks:
    """Coordinate compression: the elementary intervals of each axis, between which nothing tells values apart.

    `starts[axis]` holds the first value of each elementary interval, and as last entry the value just
    past the axis.
    """

    def __init__(self, starts: list[Boxes]) -> None:
        self.starts = starts

    @classmethod
    def of(cls, axes: Sequence[tuple[Boxes, int]]) -> Ranks:
        """From each axis's intervals that must be told apart and its highest value.

        axes: per axis closed intervals of values (n, 2), any integer dtype, and the highest value there is.

        An elementary interval begins at 0, at each lowest end, and right behind each highest. O(n log n).
        """
        return cls(
            [
                np.unique(
                    np.concatenate((ends[:, 0], ends[:, 1] + 1, np.array([0, top + 1], dtype=ends.dtype)))
                )
                for ends, top in axes
            ]
        )

    def encode_axis(self, axis: int, ends: Boxes) -> NDArray[np.int32]:
        """Closed intervals of values (n, 2) as closed intervals of ranks (n, 2), exactly: their ends must be among those given at
        the start. O(n log k) for k elementary intervals.
        """
        out = np.empty(ends.shape, dtype=np.int32)
        out[:, 0] = np.searchsorted(self.starts[axis], ends[:, 0])
        out[:, 1] = np.searchsorted(self.starts[axis], ends[:, 1] + 1) - 1
        return out

    def around(self, axis: int, ends: Boxes) -> NDArray[np.int32]:
        """The ranks (n, 2) of the elementary intervals that closed intervals of any values (n, 2) touch: the same set or a larger
        one, never a smaller. O(n log k).
        """
        return np.stack(
            [self.encode_points(axis, np.ascontiguousarray(ends[:, side])) for side in (0, 1)], axis=1
        )

    def encode_points(self, axis: int, values: NDArray[np.generic]) -> NDArray[np.int32]:
        """The ranks of single values (n,) on one axis, (n,). O(n log k)."""
        return (np.searchsorted(self.starts[axis], values, side="right") - 1).astype(np.int32)

    def decode(self, boxes: Boxes, dtype: type) -> Boxes:
        """Boxes of ranks (n, d, 2) as boxes of the values that their elementary intervals hold, of `dtype`. O(n d)."""
        out: Boxes = np.empty(boxes.shape, dtype=dtype)
        for axis, starts in enumerate(self.starts):
            out[:, axis, 0] = starts[boxes[:, axis, 0].astype(np.int64)]
            out[:, axis, 1] = starts[boxes[:, axis, 1].astype(np.int64) + 1] - 1
        return out

    def size(self, axis: int) -> int:
        """How many elementary intervals an axis has."""
        return len(self.starts[axis]) - 1
