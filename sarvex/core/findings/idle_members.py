"""Members of a rule that add nothing to it.

A list in which every member of a field is a rule of its own decides as the list does; a member adds nothing if its rule
can go, with each rule's packets told apart by the rule they came from. Judged from last to first, so that all members
named can go together.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np

from sarvex.core.firstmatch.proofs import REMOVABLE
from sarvex.core.firstmatch.rule_list import BUDGET, FirstMatch
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Field, Policy, Rule


def idle_members(policy: Policy, names: Names, field: Field, budget: int = BUDGET) -> dict[int, list[str]]:
    """The members of a field without which each rule decides the same, by the rule's position.

    field: one of a rule's fields of members that are not negated.
    budget: work for all of it; a rule for which it does not do is left out.

    A member is idle if all that it adds to its rule is decided by earlier rules or matched by its other members. Told of
    enabled rules that decide something. All that are told can go together: of two that say the same only one is.
    """
    split = [i for i, rule in enumerate(policy.rules) if _several(rule, field)]
    if not split:
        return {}
    parts = [(i, part) for i, rule in enumerate(policy.rules) for part in _parts(rule, field)]
    owner = np.array([i for i, _ in parts])
    ready = FirstMatch.of(replace(policy, rules=tuple(part for _, part in parts)), names, budget)
    ask = np.isin(owner, split).astype(np.int8)
    told = ready.sweep(np.append(owner, len(policy.rules)), ask)
    idle: dict[int, list[str]] = defaultdict(list)
    for at in np.flatnonzero(told == REMOVABLE).tolist():
        idle[int(owner[at])].append(parts[at][1].members(field)[0])
    needed = set(owner[(told != REMOVABLE) & (ask > 0)].tolist())
    return {i: members for i, members in idle.items() if i in needed}  # a dead rule has its own finding


def _several(rule: Rule, field: Field) -> bool:
    return rule.enabled and field not in rule.negate and len(rule.members(field)) > 1


def _parts(rule: Rule, field: Field) -> list[Rule]:
    if not _several(rule, field):
        return [rule]
    return [replace(rule, **{field: (member,)}) for member in rule.members(field)]  # type: ignore[arg-type]
