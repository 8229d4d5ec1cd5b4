"""Rules that decide something in their policy and nothing at any place where it is attached."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass

from sarvex.core.findings.finding import Finding, facts
from sarvex.core.firstmatch.rule_list import BUDGET, FirstMatch
from sarvex.core.forwarding.stage_lists import Where, attached, one_list
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy, fold, named


@dataclass(frozen=True)
class Place:
    """Where a policy is attached, and the lists of policies consulted before it there, one per kind of way."""

    policy: str
    where: Where
    before: tuple[tuple[str, ...], ...]


def places(network: Network, names: Names) -> Iterator[Place]:
    """Every place where a policy is attached, in the order of devices and hosts. Raises what `Names` raises."""
    before: dict[Where, dict[Hashable, tuple[str, ...]]] = defaultdict(lambda: defaultdict(tuple))
    for where, policy, here in attached(network, names):
        earlier = before[where]
        yield Place(policy, where, tuple(dict.fromkeys(earlier[way] for way in here)))
        for way in here:
            earlier[way] = (*earlier[way], policy)


def dead_where_attached(network: Network, names: Names, budget: int = BUDGET) -> Iterator[Finding]:
    """Rules that decide something in their policy and nothing at any place where it is attached.

    Of a policy that nothing reaches anywhere that is told as a whole, not here.
    """
    by_policy: dict[str, list[Place]] = defaultdict(list)
    for place in places(network, names):
        by_policy[fold(place.policy)].append(place)
    for policy in network.policies:
        here = by_policy[fold(policy.name)]
        lists = [before for place in here for before in place.before if _reaches(network, before, policy)]
        if lists and all(lists):
            where = " and ".join(dict.fromkeys(str(place.where) for place in here))
            yield from _dead(policy, where, dict.fromkeys(lists), network, names, budget)


def _reaches(network: Network, before: Sequence[str], policy: Policy) -> bool:
    """Whether defaults of the policies before leave it packets of one family that it speaks of."""
    ended: set[str] = set()
    for name in before:
        one = named(network.policies, name)
        if one.default != "continue":
            ended |= _families(one)
    return not _families(policy) <= ended


def _families(policy: Policy) -> set[str]:
    return {"4", "6"} if policy.families == "both" else {policy.families}


def _dead(
    policy: Policy, where: str, lists: Iterable[tuple[str, ...]], network: Network, names: Names, budget: int
) -> Iterator[Finding]:
    own = FirstMatch.of(policy, names, budget)
    left = {i for i in range(len(policy.rules)) if own.decides(i) in ("all", "part")}
    takers: dict[int, dict[str, None]] = defaultdict(dict)
    for before in lists:
        if not left:
            return
        earlier = [named(network.policies, name) for name in before]
        stage, origins = _stage(earlier, policy, names, budget)
        first = len(origins) - len(policy.rules)
        for i in sorted(left):
            if stage.decides(first + i) != "none":
                left.discard(i)
                continue
            for by in stage.liveness_of(first + i).by:
                if by < first:
                    takers[i][origins[by]] = None
    for i in sorted(left):
        known = facts(where=where)
        yield Finding(
            "dead where attached", "warning", policy.name, policy.rules[i].name, tuple(takers[i]), facts=known
        )


def _stage(
    earlier: Sequence[Policy], policy: Policy, names: Names, budget: int
) -> tuple[FirstMatch, list[str]]:
    """Policies as one list, the last one's rules at its end, and for each rule what it is called in the network."""
    before = one_list(earlier, lambda _: names)
    whole = Policy(name=policy.name, default="drop", rules=(*before.policy.rules, *policy.rules))
    matches = [*before.matches, *matches_of(policy, names)]
    return FirstMatch(whole, matches, names.known(), budget), [rule.name for rule in whole.rules]
