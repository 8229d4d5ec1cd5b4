"""Findings that are accepted: until a date, and as long as they say the same of the same."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest

from sarvex.core.findings.accepted import Owners, accepting, identity, no_more
from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_network import network_findings
from sarvex.core.findings.of_rules import report
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Accepted, Network, Rule, ServiceObject
from sarvex.formats import document

TODAY = date(2026, 11, 28)


def found(network: Network) -> list[Finding]:
    names = Names(network)
    return [
        *(f for p in network.policies for f in report(p, names).findings),
        *network_findings(network, names),
    ]


def the(network: Network, kind: str, rule: str | None = None) -> Finding:
    return next(f for f in found(network) if f.kind == kind and f.rule == rule)


def with_rule(network: Network, called: str, **changed: object) -> Network:
    policies = tuple(
        replace(p, rules=tuple(replace(r, **changed) if r.name == called else r for r in p.rules))  # type: ignore[arg-type]
        for p in network.policies
    )
    return replace(network, policies=policies)


def accepted(network: Network, rule: str, until: str = "2027-03-31") -> Network:
    """The same where what is found of a rule is accepted, whatever it is."""
    one = next(f for f in found(network) if f.rule == rule)
    owner = Owners(network).of(one).owner  # type: ignore[union-attr]
    return with_rule(network, rule, accepted=accepting(owner, one, "it is known", until).accepted)


def how(network: Network, rule: str, today: date = TODAY) -> list[Accepted | None]:
    owners = Owners(network)
    return [owners.accepted(f, today) for f in found(network) if f.rule == rule]


def test_until_a_date_and_no_longer(worked_example: Network) -> None:
    network = accepted(worked_example, "bridge", "2026-12-01")
    assert how(worked_example, "bridge") == [None]
    assert [a and a.reason for a in how(network, "bridge")] == ["it is known"]
    assert [a and a.until for a in how(network, "bridge", date(2026, 12, 1))] == ["2026-12-01"]
    assert how(network, "bridge", date(2026, 12, 2)) == [None]


@pytest.mark.parametrize(
    ("changed", "stays"),
    [
        ({"description": "another reason"}, True),
        ({"log": True}, True),
        ({"service": ("tcp/8883",)}, False),
        ({"source": ("petrel",)}, False),
        ({"action": "drop"}, False),
        ({"schedule": None, "states": ("new",)}, False),
    ],
)
def test_told_again_once_its_rule_does_something_else(
    worked_example: Network, changed: dict, stays: bool
) -> None:
    network = with_rule(accepted(worked_example, "bridge"), "bridge", **changed)
    told = how(network, "bridge")
    assert told and all((a is not None) is stays for a in told)


def test_told_again_once_it_says_something_else(worked_example: Network) -> None:
    """Another rule takes it: the same kind, and another reason for it."""
    network = accepted(worked_example, "bridge")
    policy = network.policies[0]
    first = policy.rules[0]
    above = replace(first, name="nobody at all", source=("any",), destination=("any",), service=("any",))
    other = replace(
        network, policies=(replace(policy, rules=(above, *policy.rules[1:])), *network.policies[1:])
    )
    assert the(other, "shadowed", "bridge").by == ("nobody at all",)
    assert how(other, "bridge") == [None]


def test_the_name_of_a_rule_and_its_place_do_not_matter(worked_example: Network) -> None:
    network = with_rule(accepted(worked_example, "bridge"), "bridge", name="the bridge")
    assert [bool(a) for a in how(network, "the bridge")] == [True]


def test_without_a_mark_whatever_it_says_but_only_its_kind_and_field(worked_example: Network) -> None:
    wide = Accepted(finding="shadowed", reason="r", until="2027-01-01")
    network = with_rule(worked_example, "bridge", accepted=(wide,), source=("petrel",))
    assert how(network, "bridge") == [wide]
    other = with_rule(worked_example, "bridge", accepted=(replace(wide, finding="too wide"),))
    assert how(other, "bridge") == [None]
    narrow = with_rule(worked_example, "bridge", accepted=(replace(wide, field="source"),))
    assert how(narrow, "bridge") == [None]


def test_a_name_that_nobody_uses(worked_example: Network) -> None:
    network = replace(
        worked_example, services=(*worked_example.services, ServiceObject(name="spare", members=("tcp/1",)))
    )
    unused = the(network, "unused")
    owner = Owners(network).of(unused).owner  # type: ignore[union-attr]
    made = accepting(owner, unused, "for the summer", "2027-01-01")
    after = replace(network, services=(*worked_example.services, made))
    assert Owners(after).accepted(the(after, "unused"), TODAY)
    assert no_more(made, unused).accepted == ()
    twice = accepting(made, unused, "and the winter", "2027-06-01")
    assert [a.reason for a in twice.accepted] == ["and the winter"]


def test_nobody_accepts_to_be_locked_out(worked_example: Network) -> None:
    lock_out = Finding("lock-out", "error", None, None, name="lock")
    assert Owners(worked_example).of(lock_out) is None and Owners(worked_example).mark(lock_out) == ""


def test_findings_of_different_versions_are_the_same_by_what_they_are_about() -> None:
    a = Finding("too wide", "note", "P", "R", field="source", facts=(("fill", 3),))
    assert identity(a) == identity(replace(a, policy="p", weight="warning", facts=()))
    assert identity(a) != identity(replace(a, field="destination"))


@pytest.mark.parametrize(
    ("written", "path", "says"),
    [
        ("{finding: shadowed, reason: ' ', until: 2027-01-01}", "reason", "say why"),
        ("{finding: shadowed, reason: r, until: soon}", "until", "is no date"),
        ("{finding: shadowd, reason: r, until: 2027-01-01}", "finding", ""),
        ("{finding: shadowed, reason: r}", "until", ""),
    ],
)
def test_what_is_wrong_is_told_where_it_stands(written: str, path: str, says: str) -> None:
    text = f"""
sarvex: 1
name: n
policies:
  - name: p
    default: drop
    rules: [{{name: r, action: allow, source: [any], destination: [any], service: [any], accepted: [{written}]}}]
"""
    with pytest.raises(document.InvalidDocument) as told:
        document.load(text)
    one = told.value.problems[0]
    assert str(one.path[-1]) == path and says in one.message


def test_it_is_no_problem_of_the_network(worked_example: Network) -> None:
    assert problems(accepted(worked_example, "bridge")) == []
    rule = Rule(name="r", action="allow", source=("any",), destination=("any",), service=("any",))
    assert rule.accepted == ()
