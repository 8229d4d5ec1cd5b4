"""A first-match list as a sieve: any packet set, split by the rule that decides each part."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from sarvex.core import boxes, packets
from sarvex.core.addresses import FAMILIES
from sarvex.core.matches import Match
from sarvex.core.model import Policy, Rule
from sarvex.core.packets import NOTHING, PacketSet


class Sieve:
    """A policy's enabled rules as boxes of values. Made in O(boxes)."""

    def __init__(self, policy: Policy, matches: Sequence[Match]) -> None:
        self.rules = policy.rules
        self._parts = [
            match.packets if rule.enabled else NOTHING
            for rule, match in zip(policy.rules, matches, strict=True)
        ]
        self._boxes = {f: np.concatenate([NOTHING[f], *(p[f] for p in self._parts)]) for f in FAMILIES}
        self._owner = {
            f: np.repeat(np.arange(len(self._parts)), [len(p[f]) for p in self._parts]) for f in FAMILIES
        }

    def split(self, what: PacketSet) -> Iterator[tuple[int, Rule, PacketSet]]:
        """Position (from 1), rule and share for each rule that decides some of `what`, in list order.

        What no share holds is left to the default. O(rules touched × boxes in hand).
        """
        touching = {
            int(rule)
            for f in FAMILIES
            for box in what[f]
            for rule in self._owner[f][boxes.overlaps(self._boxes[f], box)]
        }
        for index in sorted(touching):
            share = packets.intersection(what, self._parts[index])
            if share:
                yield index + 1, self.rules[index], share
                what = packets.difference(what, share)
                if not what:
                    return
