"""Have every compiled function ready before it is needed: ``python -m sarvex.core.warm``, about a minute, once."""

from __future__ import annotations

import shutil
from dataclasses import replace

from sarvex.core.findings.of_rules import report
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy, Rule
from sarvex.core.sets.compiled import cache
from sarvex.core.sets.flows import Flow


def warm() -> None:
    """Ask a little list everything, in both families; drop what older sources left behind."""
    ends, ports = ("10.44.0.0/24", "fd00:44::/64"), (("tcp/1-9", "udp"), ("tcp/5",), ("tcp",), ("any",))
    rules = tuple(
        Rule(name=f"r{i}", action="allow" if i % 2 else "drop", source=ends, destination=("any",), service=s)
        for i, s in enumerate(ports)
    )
    needless = replace(rules[0], name="needless", source=("10.45.0.0/24",))
    policy, names = Policy(name="warm", default="drop", rules=(*rules, needless)), Names(Network(name="warm"))
    report(policy, names)
    ready = FirstMatch.of(policy, names)
    for family in (4, 6):
        ready.decide_one(Flow(family, 1, 2, 6, 3, 4))
        ready.layers[family].near(ready.matches[0])
    now = cache()
    for old in now.parent.glob("compiled-*"):
        if old != now:
            shutil.rmtree(old, ignore_errors=True)


if __name__ == "__main__":
    warm()
