"""What another order, scope or choice of the policies at a place does: the lists they amount to, compared.

Before and after are told with the rules as they are afterwards, so an edit of a policy itself is not told twice.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass, replace
from math import inf

from sarvex.core.change.effect import BUDGET, Effect, Superseded, Versions, effect
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.stage_lists import OneList, Where, consulted, one_list
from sarvex.core.meaning.names import Names
from sarvex.core.model.edits import NEW
from sarvex.core.model.records import Network, Policy, fold


@dataclass(frozen=True, eq=False)
class StageEffect:
    """What changes at a place (`passage at eastpier-lock`), for some ways through the device or some hosts."""

    place: Where
    ways: tuple[Hashable, ...]
    effect: Effect
    before: OneList
    after: OneList
    kept: tuple[int, ...]
    """For each rule of the list after where it stood before, or `NEW`."""


def stage_effects(
    old: Network,
    new: Network,
    names: Names,
    *,
    names_before: Names | None = None,
    go_on: Callable[[], bool] = lambda: True,
    deadline: float = inf,
    budget: int = BUDGET,
) -> Iterator[StageEffect]:
    """Every change of a place where other policies are consulted than before, one for all ways with the same lists.

    `names` are those afterwards, `names_before` those before if they are others, with the same classes of moments. Ways that
    are there in one version only are left out. Raises `Superseded`.
    """
    content = {fold(p.name): p for p in (*old.policies, *new.policies)}
    there_still = {fold(p.name) for p in new.policies}
    before_ = names_before or names

    def names_of(policy: Policy) -> Names:
        return names if fold(policy.name) in there_still else before_

    before, after = consulted(old, before_), consulted(new, names)
    for place in dict.fromkeys((*before, *after)):
        there = _ways_of(old, place) & _ways_of(new, place)
        groups: dict[tuple[tuple[str, ...], tuple[str, ...]], list[Hashable]] = defaultdict(list)
        for way in dict.fromkeys((*before.get(place, ()), *after.get(place, ()))):
            lists = before.get(place, {}).get(way, ()), after.get(place, {}).get(way, ())
            if lists[0] != lists[1] and (way in there or place.device is None):
                groups[lists].append(way)
        for (was, now), ways in groups.items():
            if not go_on():
                raise Superseded
            a, b = (one_list([content[name] for name in names_], names_of) for names_ in (was, now))
            yield _compared(place, tuple(ways), a, b, names, go_on, deadline, budget)


def _ways_of(network: Network, place: Where) -> set[Hashable]:
    """All ways through the device of a place; a blank where the stage knows no way out, and where the device sends itself."""
    names = [i.name for d in network.devices if d.name == place.device for i in d.interfaces]
    return {(a, b) for a in (*names, "") for b in (*names, "")}


def _compared(
    place: Where,
    ways: tuple[Hashable, ...],
    a: OneList,
    b: OneList,
    names: Names,
    go_on: Callable[[], bool],
    deadline: float,
    budget: int,
) -> StageEffect:
    stood = {origin: at for at, origin in enumerate(a.origins)}
    kept = tuple(stood.get(origin, NEW) for origin in b.origins)
    ready = FirstMatch(replace(a.policy, name=str(place)), a.matches, names.known())
    of = Versions(ready, replace(b.policy, name=str(place)), b.matches, kept, go_on, deadline, budget)
    return StageEffect(place, ways, effect(of), a, b, kept)
