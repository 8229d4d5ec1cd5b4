"""An equivalent list without the rules that nothing needs, each step with its reason.

Once from last to first, each rule judged anew against what is left: exact, and nothing removable is left. Merging is
another matter and only done when asked: two rules that do the same and differ in one field become one, where no rule
between them that does something else decides anything of the later one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np

from sarvex.core.firstmatch.proofs import REMOVABLE, UNSETTLED
from sarvex.core.firstmatch.rule_list import BUDGET, DEFAULT, FirstMatch
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import FIELDS, Field, Policy, Rule, Section, fold

Why = Literal["matches nothing", "decided earlier", "same later", "merged"]


@dataclass(frozen=True)
class Step:
    """One rule that goes. `by` are the rules, or `default`, that do the same for its packets; for a merge the one rule
    that takes over its members in `field`."""

    rule: str
    position: int
    why: Why
    by: tuple[str, ...]
    count: int
    """How many there are; `by` may be the first of them."""
    field: Field | None = None
    members: tuple[str, ...] = ()
    """Of a merge: what is taken over."""


@dataclass(frozen=True)
class Tidied:
    """The list as it would be, the steps to it, and the rules about which nothing was settled."""

    policy: Policy
    steps: tuple[Step, ...]
    undecided: tuple[str, ...] = ()


def tidy(
    policy: Policy, names: Names, merge: bool = False, keep: Collection[str] = (), budget: int = BUDGET
) -> Tidied:
    """A smaller list with the same effect on every packet and every log, and the steps to it, each with its reason.

    `merge`: rules that differ in one field alone and do the same may become one. `keep`: names of rules that stay, besides those
    marked so and those that are switched off. `budget`: see `report`; a rule that is not settled within it stays and is named.

    Raises what `Names` raises. Complexity: that of `FirstMatch.sweep`; with `merge` the list is made ready once more for each pass.
    Source: redundant rules taken out from the last to the first (Liu and Gouda 2005): what the rules before decide stays as it
    is, so each is judged against what is left.
    """
    stay = {fold(name) for name in keep}
    asked = [rule.enabled and not rule.kept and fold(rule.name) not in stay for rule in policy.rules]
    ready = FirstMatch.of(policy, names, budget)
    told = ready.sweep(ready.effects, np.array(asked, dtype=np.int8))
    going = [i for i in np.flatnonzero(told == REMOVABLE).tolist() if policy.rules[i].enabled]
    steps = list(_removals(policy, ready, going))
    gone = set(going)
    left = replace(policy, rules=tuple(r for i, r in enumerate(policy.rules) if i not in gone))
    left = replace(left, sections=_sections(policy, left))
    if merge:
        left, merges = _merged(policy, left, names, stay, budget)
        steps += merges
    undecided = tuple(policy.rules[i].name for i in np.flatnonzero(told == UNSETTLED).tolist())
    return Tidied(left, tuple(steps), undecided)


def _removals(policy: Policy, ready: FirstMatch, going: list[int]) -> Iterator[Step]:
    """The steps from last to first."""
    heirs = ready.heirs_in_turn(going)
    for position in reversed(going):
        rule = policy.rules[position]
        if position in heirs:
            by = _names(policy, heirs[position] or ())
            yield Step(rule.name, position + 1, "same later", by, len(by))
            continue
        found = ready.liveness_of(position)
        by = _names(policy, found.by)
        if not found.matches_something:
            yield Step(rule.name, position + 1, "matches nothing", (), 0)
        else:
            yield Step(rule.name, position + 1, "decided earlier", by, found.by_count)


def _names(policy: Policy, positions: tuple[int, ...]) -> tuple[str, ...]:
    return tuple("default" if p == DEFAULT else policy.rules[p].name for p in positions)


def _sections(old: Policy, new: Policy) -> tuple[Section, ...]:
    """Sections begin at the first rule of theirs that is left, or stand where the next one begins."""
    there = {fold(rule.name) for rule in new.rules}
    order = [fold(rule.name) for rule in old.rules]
    made = []
    for section in old.sections:
        at = order.index(fold(section.before)) if section.before else len(order)
        first = next((name for name in order[at:] if name in there), None)
        before = next((r.name for r in new.rules if fold(r.name) == first), None)
        made.append(replace(section, before=before))
    return tuple(made)


def _merged(
    old: Policy, policy: Policy, names: Names, stay: set[str], budget: int
) -> tuple[Policy, list[Step]]:
    """Merge in passes, each rule in at most one merge of a pass, until none is left."""
    where = {fold(rule.name): at + 1 for at, rule in enumerate(old.rules)}
    steps: list[Step] = []
    while True:
        ready = FirstMatch.of(policy, names, budget)
        rules: list[Rule | None] = list(policy.rules)
        for first, second, field in _candidates(policy, ready, stay):
            into, gone = rules[first], rules[second]
            if into is not policy.rules[first] or gone is not policy.rules[second] or gone is None:
                continue
            if not _may_move(ready, first, second):
                continue
            rules[first] = _joined(into, gone, field)
            rules[second] = None
            over = tuple(gone.members(field))
            steps.append(Step(gone.name, where[fold(gone.name)], "merged", (into.name,), 1, field, over))
        made = replace(policy, rules=tuple(r for r in rules if r is not None))
        if len(made.rules) == len(policy.rules):
            return policy, steps
        policy = replace(made, sections=_sections(policy, made))


def _candidates(policy: Policy, ready: FirstMatch, stay: set[str]) -> Iterator[tuple[int, int, Field]]:
    """Pairs of rules that do the same and differ in one field, near ones first."""
    found = []
    for field in FIELDS:
        alike: dict[object, list[int]] = defaultdict(list)
        for position, rule in enumerate(policy.rules):
            if rule.enabled and not rule.kept and fold(rule.name) not in stay and field not in rule.negate:
                alike[_but(rule, ready.matches[position], field)].append(position)
        found += [(b - a, a, b, field) for group in alike.values() for a, b in pairwise(group)]
    for _, first, second, field in sorted(found):
        yield first, second, field


def _but(rule: Rule, match: Match, field: Field) -> object:
    """What a rule is but for one field, with the same sets for the same value."""
    sets = {
        "source": match.source,
        "destination": match.destination,
        "service": (match.service.v4.tobytes(), match.service.v6.tobytes()),
    }
    return (
        rule.outcome,
        rule.log,
        frozenset(rule.states),
        fold(rule.schedule or ""),
        rule.until,
        *(sets[f] for f in FIELDS if f != field),
    )


def _may_move(ready: FirstMatch, first: int, second: int) -> bool:
    """Whether the later rule's packets may be decided at the earlier one's place: none between takes any of them to do
    something else with it."""
    between = ready.overlapping(second, first + 1, second)
    return all(ready.effects[k] == ready.effects[second] or ready.takes(k, second) is False for k in between)


def _joined(into: Rule, gone: Rule, field: Field) -> Rule:
    have = {fold(m) for m in into.members(field)}
    members = (*into.members(field), *(m for m in gone.members(field) if fold(m) not in have))
    if "any" in (m.lower() for m in members):
        members = ("any",)
    why = into.description
    if gone.description.strip() and gone.description != why:
        why = f"{why}; {gone.description}" if why.strip() else gone.description
    return replace(into, description=why, **{field: members})  # type: ignore[arg-type]
