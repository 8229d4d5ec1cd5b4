"""The effects of a change on every list: on policies, on what places consult, and on the lists of devices."""

from __future__ import annotations

from collections.abc import Iterator

from sarvex.core.change.effect import Effect, effect, same_names
from sarvex.core.change.effect import Versions as ListVersions
from sarvex.core.change.list_effects import list_effects
from sarvex.core.change.network_effect import Versions
from sarvex.core.change.stage_effects import stage_effects
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy, fold, named

BUDGET = 50_000_000


def all_effects(of: Versions, budget: int = BUDGET) -> tuple[list[Effect], list[Effect]]:
    """The effects on every policy that differs or means something else, and those at places and in lists of devices."""
    same = of.before is of.after
    made = [
        policy_effect(a, b, of.before, of.after, budget)
        for a, b in policy_pairs(of.old, of.new, None)
        if not (same and a == b)
    ]
    stages = stage_effects(of.old, of.new, of.after, names_before=of.before, budget=budget)
    lists = list_effects(of.old, of.new, of.after, names_before=of.before, budget=budget)
    return made, [*(one.effect for one in stages), *(one.effect for one in lists)]


def policy_effect(a: Policy, b: Policy, before: Names, after: Names, budget: int = BUDGET) -> Effect:
    """The effect of a change on one policy. Raises what `Names` raises."""
    lists = FirstMatch.of(a, before), b, matches_of(b, after), same_names(a, b)
    return effect(ListVersions(*lists, budget=budget))


def policy_pairs(old: Network, new: Network, only: str | None) -> Iterator[tuple[Policy, Policy]]:
    """Policies by name; one that is there in one version only beside an empty one with its default."""
    there = {fold(p.name): p for p in old.policies}
    chosen = [named((*new.policies, *old.policies), only)] if only else [*new.policies, *old.policies]
    for key in dict.fromkeys(fold(p.name) for p in chosen):
        a = there.get(key)
        b = next((p for p in new.policies if fold(p.name) == key), None)
        yield a or _empty(b or chosen[0]), b or _empty(a or chosen[0])


def _empty(policy: Policy) -> Policy:
    return Policy(name=policy.name, default=policy.default, families=policy.families)
