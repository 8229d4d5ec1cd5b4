"""The worked example of the semantics, sentence by sentence."""

from __future__ import annotations

from dataclasses import replace

from sarvex.core.findings import of_rules
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy
from sarvex.formats import finding_words


def report(network: Network, policy: Policy) -> of_rules.PolicyReport:
    return of_rules.report(policy, Names(network))


def test_what_each_rule_decides(worked_example: Network) -> None:
    told = report(worked_example, worked_example.policies[0])
    assert [(r.decides, r.kind, r.cause, r.by) for r in told.rules] == [
        ("all", None, None, ()),
        ("part", None, None, ("no-petrel",)),
        ("none", "shadowed", "earlier", ("no-petrel",)),
        ("none", "shadowed", "earlier", ("sensors",)),
        ("part", None, None, ("sensors",)),
        ("part", None, None, ("no-petrel", "sensors", "wide-feed")),
    ]
    assert [(f.kind, f.weight, f.rule, f.by) for f in told.findings] == [
        ("shadowed", "warning", "bridge", ("no-petrel",)),
        ("shadowed", "warning", "no-feed", ("sensors",)),
        ("redundant but logs", "note", "otherwise-logged", ("default",)),
    ]
    assert told.rules[0].exception_of == ("sensors",)


def test_moving_the_bridge_to_the_top(worked_example: Network) -> None:
    policy = worked_example.policies[0]
    rules = policy.rules
    moved = replace(policy, rules=(rules[2], *rules[:2], *rules[3:]))
    told = {r.rule.name: r.decides for r in report(worked_example, moved).rules}
    assert told["bridge"] == "all"
    assert told["no-petrel"] == "part"


def test_deleting_the_block_leaves_the_bridge_redundant(worked_example: Network) -> None:
    policy = worked_example.policies[0]
    told = report(worked_example, replace(policy, rules=policy.rules[1:]))
    bridge = next(r for r in told.rules if r.rule.name == "bridge")
    assert (bridge.decides, bridge.kind, bridge.cause) == ("none", "redundant", "earlier")
    finding = next(f for f in told.findings if f.rule == "bridge")
    assert finding.kind == "redundant"
    assert "Its log never happens." in finding_words.text(finding)
