"""A first-match list as a sieve: any packet set, split by the rule that decides each part."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

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
    return kept.get(policy, lambda: Sieve(policy, [m.packets for m in matches_of(policy, names)]))


class Sieve:
    """A policy's enabled rules as boxes of values. Made in O(boxes). `parts`: what each rule matches."""

    def __init__(self, policy: Policy, parts: Sequence[PacketSet]) -> None:
        self.policy, self.rules, self.parts = policy, policy.rules, parts
        self._parts = [
            part if rule.enabled else NOTHING for rule, part in zip(policy.rules, parts, strict=True)
        ]
        self._boxes = {f: np.concatenate([NOTHING[f], *(p[f] for p in self._parts)]) for f in FAMILIES}
        self._ends = {f: _coarse(f, self._boxes[f]) for f in FAMILIES}
        self._owner = {
            f: np.repeat(np.arange(len(self._parts)), [len(p[f]) for p in self._parts]) for f in FAMILIES
        }

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
                touching.update(self._owner[f][self._touching(f, box)].tolist())
        for index in sorted(touching):
            tick()
            share = packets.intersection(what, self._parts[index])
            if share:
                yield index + 1, self.rules[index], share
                what = packets.difference(what, share)
                if not what:
                    return

    def _touching(self, family: int, box: Boxes) -> NDArray[np.int64]:
        """The boxes that share a packet with one: those whose addresses may, looked at closely."""
        (src, dst), ends = _coarse(family, box[None]), self._ends[family]
        near = (
            (ends[0, 0] <= src[1]) & (ends[0, 1] >= src[0]) & (ends[1, 0] <= dst[1]) & (ends[1, 1] >= dst[0])
        )
        found = np.flatnonzero(near)
        return found[boxes.overlaps(self._boxes[family][found], box)]


def _coarse(family: int, what: Boxes) -> NDArray[np.int64]:
    """The ends of boxes (n, 6, 2) on the two axes of addresses, (2, 2, n): of IPv6 the first 63 bits, which numbers of the
    machine hold. Boxes that share an address share one here."""
    ends = what[:, :2].transpose(1, 2, 0)
    return np.ascontiguousarray(ends if family == 4 else ends >> SPARE, dtype=np.int64)


SPARE = 65
