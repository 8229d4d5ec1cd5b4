"""Where a rule would work: what it would decide at every place of a list, found in one walk.

What a rule decides only shrinks as it moves down, because each further rule before it can only take more.
So the places fall into three runs: all, then part, then nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sarvex.core import packets
from sarvex.core.boxes import WorkLimit
from sarvex.core.matches import Match
from sarvex.core.model import Policy, Rule
from sarvex.core.sieve import Sieve

MOST_BOXES = 20_000
"""What is left of a rule may fall into so many boxes; past that there is no advice."""


@dataclass(frozen=True)
class Advice:
    """Places count from 1; place p is right before the rule that is p-th in the list without this rule.

    At places up to `all_until` it decides all it matches, up to `some_until` at least a part, below nothing.
    `best` is the lowest place at which no rule of another outcome takes any of it.
    """

    all_until: int
    some_until: int
    best: int


def of_dead(takers: Sequence[tuple[int, bool]]) -> Advice:
    """Advice for a dead rule from the rules that take all of it: (position from 1, same outcome?) in order.

    The first taker ends the run of `all`; the last one leaves nothing.
    """
    first, last = takers[0][0], takers[-1][0]
    best = next((p for p, same in takers if not same), last)
    return Advice(first, last, best)


def advise(others: Policy, matches: Sequence[Match], rule: Rule, match: Match) -> Advice | None:
    """Advice for `rule` among the rules of `others`; None if it matches nothing or the work limit is hit.

    O(rules that overlap it × boxes in hand).
    """
    end = len(others.rules) + 1
    rest = match.packets
    if not rest:
        return None
    all_until = some_until = best = end
    try:
        for position, taker, share in Sieve(others, matches).split(match.packets):
            all_until = min(all_until, position)
            if taker.outcome != rule.outcome:
                best = min(best, position)
            rest = packets.difference(rest, share, MOST_BOXES)
            if not rest:
                some_until = position
                break
    except WorkLimit:
        return None
    return Advice(all_until, some_until, min(best, some_until))
