"""Tidied lists do the same to every packet, and nothing of what is left could go."""

from __future__ import annotations

import random
from dataclasses import replace

import oracle
import pytest

from sarvex.core.findings.tidy import tidy
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy, Rule, Section

NAMES = Names(Network(name="empty"))


def does(policy: Policy, every: list[oracle.Packet]) -> list[object]:
    told: list[object] = []
    for p in every:
        found = oracle.decide(policy, p)
        rule = None if found is None else policy.rules[found]
        told.append((rule.outcome, rule.log) if rule else ((policy.default, None), False))
    return told


def repetitive(rng: random.Random) -> Policy:
    """A random list with near copies in it: what there is to tidy and to merge."""
    policy = oracle.random_policy(rng, 5)
    rules = list(policy.rules)
    spare = oracle.random_policy(rng, 8).rules
    for number in range(4):
        old, other = rng.choice(rules), rng.choice(spare)
        field = rng.choice(["source", "destination", "service"])
        rules.insert(
            rng.randint(0, len(rules)),
            replace(old, name=f"copy{number}", **{field: other.members(field)}),  # type: ignore[arg-type]
        )
    rules = [replace(r, enabled=True, negate=()) if rng.random() < 0.8 else r for r in rules]
    return replace(policy, rules=tuple(rules))


@pytest.mark.parametrize("merge", [False, True])
@pytest.mark.parametrize("round_", range(3))
def test_a_tidied_list_does_the_same(round_: int, merge: bool, rng: random.Random) -> None:
    policy = repetitive(rng)
    keep = {r.name for r in policy.rules if rng.random() < 0.15}
    told = tidy(policy, NAMES, merge, keep)
    every = oracle.packets(policy)
    before = does(policy, every)
    assert does(told.policy, every) == before
    assert not told.undecided
    left = {r.name for r in told.policy.rules}
    effect = {r.name: (r.outcome, r.log) for r in policy.rules} | {"default": ((policy.default, None), False)}
    for step in told.steps:
        if step.why == "same later":
            assert step.by and {effect[name] for name in step.by} == {effect[step.rule]}
    assert {s.rule for s in told.steps} == {r.name for r in policy.rules} - left
    assert keep <= left and {r.name for r in policy.rules if not r.enabled} <= left
    for at, rule in enumerate(told.policy.rules):
        if rule.enabled and rule.name not in keep:
            without = replace(told.policy, rules=told.policy.rules[:at] + told.policy.rules[at + 1 :])
            assert does(without, every) != before


def test_merging_happens_at_all(rng: random.Random) -> None:
    """The random lists are worth their while: merges of every field come up among them."""
    seen = set()
    for _ in range(200):
        seen |= {s.field for s in tidy(repetitive(rng), NAMES, merge=True).steps if s.why == "merged"}
    assert seen == {"source", "destination", "service"}


def rule(name: str, source: str, action: str = "allow", **more: object) -> Rule:
    given = {
        "name": name,
        "action": action,
        "source": (source,),
        "destination": ("any",),
        "service": ("tcp/443",),
    }
    return Rule(**{**given, **more})  # type: ignore[arg-type]


def test_steps_tell_their_reasons() -> None:
    policy = Policy(
        name="p",
        default="drop",
        rules=(
            rule("desk", "10.44.0.0/24"),
            rule("again", "10.44.0.7"),
            rule("chosen copy", "10.44.0.8", kept=True),
            rule("none", "10.44.9.9", service=("icmp6/128",)),
            rule("late", "10.44.1.1", "drop"),
            rule("more", "10.44.2.0/24", description="for the shed"),
        ),
        sections=(Section(name="tail", before="late"),),
    )
    told = tidy(policy, NAMES, merge=True)
    assert [(s.rule, s.position, s.why, s.by) for s in told.steps] == [
        ("late", 5, "same later", ("default",)),
        ("none", 4, "matches nothing", ()),
        ("again", 2, "decided earlier", ("desk",)),
        ("more", 6, "merged", ("desk",)),
    ]
    assert [r.name for r in told.policy.rules] == ["desk", "chosen copy"]
    assert told.policy.rules[0].source == ("10.44.0.0/24", "10.44.2.0/24")
    assert told.policy.rules[0].description == "for the shed"
    assert told.policy.sections == (Section(name="tail", before=None),)


def test_two_that_are_removable_alone_do_not_both_go() -> None:
    policy = Policy(
        name="p",
        default="drop",
        rules=(rule("one", "10.44.0.0/24"), rule("other", "10.44.0.0/24")),
    )
    assert [s.rule for s in tidy(policy, NAMES).steps] == ["other"]
    assert [s.rule for s in tidy(policy, NAMES, keep=["OTHER"]).steps] == ["one"]
    assert not tidy(policy, NAMES, keep=["one", "other"]).steps
