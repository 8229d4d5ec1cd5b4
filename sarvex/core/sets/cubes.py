"""Products of sets of atoms, and the algebra of their unions.

A *cube* has one integer per axis, with one bit for each atom of that axis that it takes up (`sarvex.core.firstmatch.atoms` cuts
the axes). What two cubes share and what is left of one without another are a few operations on integers, however many
intervals the sets have; a rule is one cube, where as boxes it may be thousands. A union is a list of disjoint cubes.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from functools import reduce
from itertools import permutations, product
from operator import or_

import numpy as np

from sarvex.core.sets.boxes import Boxes, WorkLimit
from sarvex.core.sets.cover import COVERED, HOLE, uncovered

Cube = tuple[int, ...]
MANY = 30


def meet(a: Cube, b: Cube) -> Cube | None:
    """What two cubes share: per axis the AND of their sets of atoms; None for nothing. O(axes).

    >>> meet((0b0110, 0b11), (0b0011, 0b10))
    (2, 2)
    """
    made = []
    for x, y in zip(a, b, strict=True):
        z = x & y
        if not z:
            return None
        made.append(z)
    return tuple(made)


def without(a: Cube, b: Cube) -> list[Cube]:
    """What is left of `a` without `b`, as disjoint cubes: at most one per axis, what is left on that axis times what both
    share on those before it (the sharp product of switching theory). O(axes²).

    >>> without((0b11, 0b11), (0b01, 0b01))
    [(2, 3), (1, 2)]
    """
    if meet(a, b) is None:
        return [a]
    left: list[Cube] = []
    rest = list(a)
    for axis, cut in enumerate(b):
        outside = rest[axis] & ~cut
        if outside:
            left.append((*rest[:axis], outside, *rest[axis + 1 :]))
            rest[axis] &= cut
    return left


def less(cubes: Iterable[Cube], cutters: Iterable[Cube], work: int) -> list[Cube]:
    """What is left of disjoint cubes without others, as disjoint cubes. O(cutters × cubes in hand).

    Raises `WorkLimit` when more than `work` cubes would be looked at.
    """
    left = list(cubes)
    for cutter in cutters:
        if not left:
            break
        work -= len(left)
        if work < 0:
            raise WorkLimit("cubes")
        left = [piece for cube in left for piece in without(cube, cutter)]
    return left


def hole_in(cube: Cube, cutters: Sequence[Cube], work: int) -> tuple[int, Cube]:
    """Whether cubes cover one, as `cover.uncovered` tells, and if not a cube of what they leave.

    What is uncovered may fall into more pieces than anyone can list; finding one piece, or that there is none, is less.
    """
    hole = np.empty((len(cube), 2), dtype=np.int32)
    left = np.array([work])
    told = COVERED
    near = np.concatenate([np.empty((0, len(cube), 2), dtype=np.int32), *map(boxes_of, cutters)])
    for box in boxes_of(cube):
        answer = uncovered(box, near, left, hole)
        if answer == HOLE:
            return HOLE, tuple((1 << high + 1) - (1 << low) for low, high in hole.tolist())
        told = max(told, answer)
    return told, cube


def boxes_of(cube: Cube) -> Boxes:
    """A cube as boxes of atom numbers, (n, axes, 2): every choice of one run of bits per axis, in their order.

    >>> boxes_of((0b1011, 0b1)).tolist()
    [[[0, 1], [0, 0]], [[3, 3], [0, 0]]]
    """
    return np.array(list(product(*map(runs, cube))), dtype=np.int32).reshape(-1, len(cube), 2)


def runs(bits: int) -> list[tuple[int, int]]:
    """The runs of set bits, each as its first and last place, ascending. O(runs).

    >>> runs(0b1011)
    [(0, 1), (3, 3)]
    """
    out = []
    while bits:
        low = (bits & -bits).bit_length() - 1
        run = bits >> low
        length = (~run & (run + 1)).bit_length() - 1
        out.append((low, low + length - 1))
        bits &= ~(((1 << length) - 1) << low)
    return out


def canonical(cubes: Sequence[Cube]) -> list[Cube]:
    """The same union as few disjoint cubes, the same ones however it was cut up before.

    An axis at a time: atoms behind which the same lies become one set. The order of the first three axes with the
    fewest cubes is taken, the first of equals. Where more than `MANY` cubes are left when neighbours are joined, they
    stay like that.
    """
    cubes = _joined(cubes)
    if len(cubes) < 2 or len(cubes) > MANY:
        return cubes
    told: list[Cube] = []
    for first in permutations(range(min(3, len(cubes[0])))):
        order = (*first, *range(len(first), len(cubes[0])))
        turned = [tuple(cube[axis] for axis in order) for cube in cubes]
        made = _grouped(turned)
        if not told or len(made) < len(told):
            back = sorted(range(len(order)), key=order.__getitem__)
            told = sorted(tuple(cube[at] for at in back) for cube in made)
        if len(told) == 1:
            break
    return told


def _joined(cubes: Sequence[Cube]) -> list[Cube]:
    """Cubes that differ on one axis only, as one."""
    for axis in range(len(cubes[0]) if cubes else 0):
        alike: dict[Cube, int] = defaultdict(int)
        for cube in cubes:
            alike[(*cube[:axis], *cube[axis + 1 :])] |= cube[axis]
        cubes = [(*rest[:axis], atoms, *rest[axis:]) for rest, atoms in alike.items()]
    return sorted(cubes)


def _grouped(cubes: Sequence[Cube]) -> list[Cube]:
    """Cubes whose first sets are disjoint, with different things behind each."""
    if len(cubes) == 1:
        return list(cubes)
    if len(cubes[0]) == 1:
        return [(reduce(or_, (cube[0] for cube in cubes)),)]
    behind: dict[tuple[Cube, ...], int] = defaultdict(int)
    for atoms, rest in _parted(cubes):
        behind[tuple(sorted(_grouped(rest)))] |= atoms
    return [(atoms, *rest) for rests, atoms in behind.items() for rest in rests]


def _parted(cubes: Sequence[Cube]) -> list[tuple[int, list[Cube]]]:
    """The atoms of the first axis in groups that the cubes do not tell apart, with what is behind each."""
    parts: list[tuple[int, list[Cube]]] = []
    for first, *others in cubes:
        rest = tuple(others)
        grown = []
        for atoms, behind in parts:
            both = atoms & first
            if both:
                grown.append((both, [*behind, rest]))
            if both != atoms:
                grown.append((atoms & ~first, behind))
            first &= ~both
        if first:
            grown.append((first, [rest]))
        parts = grown
    return parts
