"""Products of sets of cells, and the algebra of their unions.

A *brick* has one integer per axis, with one bit for each cell of that axis that it takes up (`sarvex.core.cells` cuts
the axes). What two bricks share and what is left of one without another are a few operations on integers, however many
intervals the sets have; a rule is one brick, where as boxes it may be thousands. A union is a list of disjoint bricks.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from functools import reduce
from itertools import permutations, product
from operator import or_

import numpy as np

from sarvex.core.boxes import Boxes, WorkLimit
from sarvex.core.cover import COVERED, HOLE, uncovered

Brick = tuple[int, ...]
MANY = 30


def meet(a: Brick, b: Brick) -> Brick | None:
    """What two bricks share; None for nothing."""
    made = []
    for x, y in zip(a, b, strict=True):
        z = x & y
        if not z:
            return None
        made.append(z)
    return tuple(made)


def without(a: Brick, b: Brick) -> list[Brick]:
    """What is left of `a` without `b`: at most one brick per axis."""
    if meet(a, b) is None:
        return [a]
    left: list[Brick] = []
    rest = list(a)
    for axis, cut in enumerate(b):
        outside = rest[axis] & ~cut
        if outside:
            left.append((*rest[:axis], outside, *rest[axis + 1 :]))
            rest[axis] &= cut
    return left


def less(bricks: Iterable[Brick], cutters: Iterable[Brick], work: int) -> list[Brick]:
    """What is left of disjoint bricks without others, as disjoint bricks. O(cutters × bricks in hand).

    Raises `WorkLimit` when more than `work` bricks would be looked at.
    """
    left = list(bricks)
    for cutter in cutters:
        if not left:
            break
        work -= len(left)
        if work < 0:
            raise WorkLimit("bricks")
        left = [piece for brick in left for piece in without(brick, cutter)]
    return left


def hole_in(brick: Brick, cutters: Sequence[Brick], work: int) -> tuple[int, Brick]:
    """Whether bricks cover one, as `cover.uncovered` tells, and if not a brick of what they leave.

    What is uncovered may fall into more pieces than anyone can list; finding one piece, or that there is none, is less.
    """
    hole = np.empty((len(brick), 2), dtype=np.int32)
    left = np.array([work])
    told = COVERED
    near = np.concatenate([np.empty((0, len(brick), 2), dtype=np.int32), *map(boxes_of, cutters)])
    for box in boxes_of(brick):
        answer = uncovered(box, near, left, hole)
        if answer == HOLE:
            return HOLE, tuple((1 << high + 1) - (1 << low) for low, high in hole.tolist())
        told = max(told, answer)
    return told, brick


def boxes_of(brick: Brick) -> Boxes:
    """A brick as boxes of cell numbers, (n, axes, 2)."""
    return np.array(list(product(*map(runs, brick))), dtype=np.int32).reshape(-1, len(brick), 2)


def runs(bits: int) -> list[tuple[int, int]]:
    """The runs of set bits, each as its first and last place, ascending."""
    out = []
    while bits:
        low = (bits & -bits).bit_length() - 1
        run = bits >> low
        length = (~run & (run + 1)).bit_length() - 1
        out.append((low, low + length - 1))
        bits &= ~(((1 << length) - 1) << low)
    return out


def canonical(bricks: Sequence[Brick]) -> list[Brick]:
    """The same union as few disjoint bricks, the same ones however it was cut up before.

    An axis at a time: cells behind which the same lies become one set. The order of the first three axes with the
    fewest bricks is taken, the first of equals. Where more than `MANY` bricks are left when neighbours are joined, they
    stay like that.
    """
    bricks = _joined(bricks)
    if len(bricks) < 2 or len(bricks) > MANY:
        return bricks
    told: list[Brick] = []
    for first in permutations(range(min(3, len(bricks[0])))):
        order = (*first, *range(len(first), len(bricks[0])))
        turned = [tuple(brick[axis] for axis in order) for brick in bricks]
        made = _grouped(turned)
        if not told or len(made) < len(told):
            back = sorted(range(len(order)), key=order.__getitem__)
            told = sorted(tuple(brick[at] for at in back) for brick in made)
        if len(told) == 1:
            break
    return told


def _joined(bricks: Sequence[Brick]) -> list[Brick]:
    """Bricks that differ on one axis only, as one."""
    for axis in range(len(bricks[0]) if bricks else 0):
        alike: dict[Brick, int] = defaultdict(int)
        for brick in bricks:
            alike[(*brick[:axis], *brick[axis + 1 :])] |= brick[axis]
        bricks = [(*rest[:axis], cells, *rest[axis:]) for rest, cells in alike.items()]
    return sorted(bricks)


def _grouped(bricks: Sequence[Brick]) -> list[Brick]:
    """Bricks whose first sets are disjoint, with different things behind each."""
    if len(bricks) == 1:
        return list(bricks)
    if len(bricks[0]) == 1:
        return [(reduce(or_, (brick[0] for brick in bricks)),)]
    behind: dict[tuple[Brick, ...], int] = defaultdict(int)
    for cells, rest in _parted(bricks):
        behind[tuple(sorted(_grouped(rest)))] |= cells
    return [(cells, *rest) for rests, cells in behind.items() for rest in rests]


def _parted(bricks: Sequence[Brick]) -> list[tuple[int, list[Brick]]]:
    """The cells of the first axis in groups that the bricks do not tell apart, with what is behind each."""
    parts: list[tuple[int, list[Brick]]] = []
    for first, *others in bricks:
        rest = tuple(others)
        grown = []
        for cells, behind in parts:
            both = cells & first
            if both:
                grown.append((both, [*behind, rest]))
            if both != cells:
                grown.append((cells & ~first, behind))
            first &= ~both
        if first:
            grown.append((first, [rest]))
        parts = grown
    return parts
