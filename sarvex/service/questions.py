"""Questions asked of a network, and rules looked at before they are saved. Nothing here writes."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace

from sarvex.core import addresses, positions, services
from sarvex.core.check import rule_problems
from sarvex.core.findings import RuleReport, report_rule
from sarvex.core.firstmatch import FirstMatch
from sarvex.core.hints import hints
from sarvex.core.matches import match_of, matches_of
from sarvex.core.model import Policy, Rule
from sarvex.core.paths import trace
from sarvex.core.positions import Advice
from sarvex.core.problem import Problem
from sarvex.core.tidy import Tidied, tidy
from sarvex.formats import answers, flow_table, questions
from sarvex.formats.answers import Reply
from sarvex.formats.flow_table import Table
from sarvex.service.drafts import Place
from sarvex.service.errors import NotFound, Refused
from sarvex.service.library import Loaded

FEW_VALUES = 8


def ask(loaded: Loaded, text: str) -> Reply:
    """Answer a question in words. Raises `InvalidQuestion`."""
    asked = questions.parse(text, loaded.names)
    return answers.tell(asked, trace(loaded.network, loaded.names, asked.question), loaded.names)


@dataclass(frozen=True)
class Look:
    """A rule as it would be at its place: its problems, or what it would decide there and elsewhere."""

    problems: list[Problem]
    policy: Policy | None = None
    rule: RuleReport | None = None
    advice: Advice | None = None
    expands: dict[str, list[str]] | None = None
    hints: list[str] = field(default_factory=list)


def preview(loaded: Loaded, policy_id: int, rule: Rule, place: Place, rule_id: int | None) -> Look:
    """What `rule` would decide at `place`, in the stead of rule `rule_id` if given. Raises `NotFound`."""
    policy = loaded.stored.policy_of(policy_id)
    if policy is None:
        raise NotFound("there is no such policy")
    keys = [k.id for k in loaded.stored.rules.get(policy_id, ())]
    rules = list(policy.rules)
    if rule_id in keys:
        del rules[keys.index(rule_id)]
        keys.remove(rule_id)
    if place.before in keys:
        index = keys.index(place.before)
    else:
        index = keys.index(place.after) + 1 if place.after in keys else len(keys)
    others = replace(policy, rules=tuple(rules))
    drafted = replace(policy, rules=(*rules[:index], rule, *rules[index:]))
    problems = rule_problems(rule, drafted, loaded.names)
    if problems:
        return Look(problems)
    match = match_of(rule, loaded.names, policy.families)
    return Look(
        [],
        drafted,
        report_rule(drafted, loaded.names, index),
        positions.advise(others, matches_of(others, loaded.names), rule, match),
        {
            "source": addresses.describe(match.source)[:FEW_VALUES],
            "destination": addresses.describe(match.destination)[:FEW_VALUES],
            "service": services.describe(match.service)[:FEW_VALUES],
        },
        hints(rule, loaded.names),
    )


def tidied(loaded: Loaded, policy_id: int, merge: bool, keep: Collection[int]) -> Tidied:
    """What tidying a policy would take out, but for the rules `keep`. Raises `NotFound`."""
    policy = policy_named(loaded, policy_id)
    keys = loaded.stored.rules.get(policy_id, ())
    names = [rule.name for rule, key in zip(policy.rules, keys, strict=True) if key.id in keep]
    return tidy(policy, loaded.names, merge, names)


def decide(loaded: Loaded, policy_id: int, text: str) -> Table:
    """Decide the flows of a CSV text in one policy. Raises `NotFound`, `Refused` for a table that is none."""
    try:
        return flow_table.decide(text, FirstMatch.of(policy_named(loaded, policy_id), loaded.names))
    except flow_table.InvalidFlows as error:
        raise Refused([Problem(("flows",), str(error))]) from None


def policy_named(loaded: Loaded, policy_id: int) -> Policy:
    """The policy of an id. Raises `NotFound`."""
    policy = loaded.stored.policy_of(policy_id)
    if policy is None:
        raise NotFound("there is no such policy")
    return policy
