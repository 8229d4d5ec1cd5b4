"""A first-match list as a sieve: any packet set, split by the rule that decides each part."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sarvex.core import boxes, packets
from sarvex.core.addresses import FAMILIES
from sarvex.core.boxes import Boxes
from sarvex.core.matches import matches_of
from sarvex.core.model import Policy, Rule, fold
from sarvex.core.names import Names
from sarvex.core.packets import NOTHING, PacketSet
from sarvex.core.recent import Recent

KEEP = 3
"""Sieves of one policy that are kept with the names: of the draft, of what is in force, of what is being tried."""


def sieve_of(policy: Policy, names: Names) -> Sieve:
    """The sieve of a policy, kept with its names. One rule edited costs its own boxes and one pass over the rest."""
    kept: Recent[Policy, Sieve] = names.sifted.setdefault(fold(policy.name), Recent(KEEP))

    def make() -> Sieve:
        return Sieve(policy, [m.packets for m in matches_of(policy, names)], kept.newest())

    return kept.get(policy, make)


class Sieve:
    """A policy's enabled rules as boxes of values. Made in O(boxes); quicker from one that has most of its parts.
    `parts`: what each rule matches."""

    def __init__(self, policy: Policy, parts: Sequence[PacketSet], before: Sieve | None = None) -> None:
        self.policy, self.rules, self.parts = policy, policy.rules, parts
        self._parts = [
            part if rule.enabled else NOTHING for rule, part in zip(policy.rules, parts, strict=True)
        ]
        known: dict[int, _Stock] = before._stocks if before else {}
        self._stocks: dict[int, _Stock] = {f: _stock(f, self._parts, known.get(f)) for f in FAMILIES}

    def split(
        self, what: PacketSet, tick: Callable[[], None] = lambda: None
    ) -> Iterator[tuple[int, Rule, PacketSet]]:
        """Position (from 1), rule and share for each rule that decides some of `what`, in list order.

        What no share holds is left to the default. O(rules touched × boxes in hand). `tick` is called now and then, and
        may raise to end it.
        """
        touching: set[int] = set()
        for f in FAMILIES:
            for box in what[f]:
                tick()
                touching.update(self._stocks[f].touching(box).tolist())
        for index in sorted(touching):
            tick()
            share = packets.intersection(what, self._parts[index])
            if share:
                yield index + 1, self.rules[index], share
                what = packets.difference(what, share)
                if not what:
                    return


@dataclass(frozen=True, eq=False)
class _Stock:
    """The boxes of some parts in one family, part after part."""

    family: int
    place: dict[int, int]
    """Of each part, by identity, its number among the parts; it may stand there more than once."""
    begin: NDArray[np.int64]
    """Part k has the boxes ``begin[k]..begin[k + 1] - 1``."""
    boxes: Boxes
    ends: NDArray[np.int64]

    def touching(self, box: Boxes) -> NDArray[np.int64]:
        """The parts that share a packet with a box: those whose addresses may, looked at closely."""
        (src, dst), ends = _coarse(self.family, box[None]), self.ends
        near = (
            (ends[0, 0] <= src[1]) & (ends[0, 1] >= src[0]) & (ends[1, 0] <= dst[1]) & (ends[1, 1] >= dst[0])
        )
        found = np.flatnonzero(near)
        found = found[boxes.overlaps(self.boxes[found], box)]
        return np.searchsorted(self.begin, found, side="right") - 1


def _stock(family: int, parts: Sequence[PacketSet], before: _Stock | None) -> _Stock:
    """The boxes of the parts; those that were there before are taken from there."""
    known = before.place if before else {}
    at = np.array([known.get(id(part), -1) for part in parts], dtype=np.int64)
    new = [parts[k][family] for k in np.flatnonzero(at < 0).tolist()]
    made: Boxes = np.concatenate([NOTHING[family], *new])
    ends = _coarse(family, made)
    if before:
        at[at < 0] = len(before.begin) - 1 + np.arange(len(new))
        begin = np.concatenate(
            (before.begin, before.begin[-1] + np.cumsum([len(b) for b in new], dtype=np.int64))
        )
        lengths = np.diff(begin)[at]
        own = boxes.begins(lengths)
        which = np.repeat(begin[at] - own[:-1], lengths) + np.arange(own[-1])
        made = np.concatenate((before.boxes, made))[which]
        ends = np.concatenate((before.ends, ends), axis=2)[:, :, which]
    else:
        own = boxes.begins([len(b) for b in new])
    return _Stock(family, {id(part): k for k, part in enumerate(parts)}, own, made, ends)


def _coarse(family: int, what: Boxes) -> NDArray[np.int64]:
    """The ends of boxes (n, 6, 2) on the two axes of addresses, (2, 2, n): of IPv6 the first 63 bits, which numbers of the
    machine hold. Boxes that share an address share one here."""
    ends = what[:, :2].transpose(1, 2, 0)
    return np.ascontiguousarray(ends if family == 4 else ends >> SPARE, dtype=np.int64)


SPARE = 65
