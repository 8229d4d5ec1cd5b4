"""A first-match list as a sieve: any packet set, split by the rule that decides each part."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from threading import Lock

import numpy as np

from sarvex.core import boxes, packets
from sarvex.core.addresses import FAMILIES
from sarvex.core.matches import match_of
from sarvex.core.model import Policy, Rule, fold
from sarvex.core.names import Names
from sarvex.core.packets import NOTHING, PacketSet

KEEP = 3
"""Sieves of one policy that are kept with the names: of the draft, of what is in force, of what is being tried."""


def sieve_of(policy: Policy, names: Names) -> Sieve:
    """The sieve of a policy, kept with its names. One rule edited costs its own boxes and one pass over the rest."""
    kept: list[Sieve] = names.keep(("sieves", fold(policy.name)), list)
    with _making:  # who else asks for the same waits for it
        found = next((s for s in kept if s.policy is policy or s.policy == policy), None)
        if found is None:
            known = {
                id(rule): part
                for sieve in kept
                if sieve.policy.families == policy.families
                for rule, part in zip(sieve.policy.rules, sieve.parts, strict=True)
            }
            parts = [known.get(id(r)) or match_of(r, names, policy.families).packets for r in policy.rules]
            found = Sieve(policy, parts)
            kept.insert(0, found)
            del kept[KEEP:]
    return found


_making = Lock()


class Sieve:
    """A policy's enabled rules as boxes of values. Made in O(boxes). `parts`: what each rule matches."""

    def __init__(self, policy: Policy, parts: Sequence[PacketSet]) -> None:
        self.policy, self.rules, self.parts = policy, policy.rules, parts
        self._parts = [
            part if rule.enabled else NOTHING for rule, part in zip(policy.rules, parts, strict=True)
        ]
        self._boxes = {f: np.concatenate([NOTHING[f], *(p[f] for p in self._parts)]) for f in FAMILIES}
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
                touching.update(self._owner[f][boxes.overlaps(self._boxes[f], box)].tolist())
        for index in sorted(touching):
            tick()
            share = packets.intersection(what, self._parts[index])
            if share:
                yield index + 1, self.rules[index], share
                what = packets.difference(what, share)
                if not what:
                    return
