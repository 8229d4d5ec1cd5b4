"""Have every compiled function ready before it is needed: ``python -m sarvex.core.warm``, about a minute, once."""

from __future__ import annotations

import shutil
from dataclasses import replace

from sarvex.core.change.network_effect import Versions, network_effect, reach_after
from sarvex.core.change.stage_effects import stage_effects
from sarvex.core.findings.of_network import network_findings
from sarvex.core.findings.of_rules import report
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Attachment, Device, Interface, Network, Policy, Rule, Segment
from sarvex.core.reach.reach import reach_of
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
    _reach(policy)
    now = cache()
    for old in now.parent.glob("compiled-*"):
        if old != now:
            shutil.rmtree(old, ignore_errors=True)


def _reach(policy: Policy) -> None:
    """The same of a network of two segments: who reaches whom, what an edit does there, and what is found."""
    near, far = (
        Segment(name=name, prefixes=(f"10.44.{n}.0/24", f"fd00:44:{n}::/64"))
        for n, name in enumerate(("near", "far"))
    )
    ports = tuple(
        Interface(name=s.name, segment=s.name, addresses=(f"10.44.{n}.1", f"fd00:44:{n}::1"))
        for n, s in enumerate((near, far))
    )
    device = Device(
        name="lock",
        interfaces=ports,
        policies=(Attachment(policy=policy.name, stage="passage", entering=("near",)),),
    )
    old = Network(name="warm", segments=(near, far), devices=(device,), policies=(policy,))
    new = replace(old, policies=(replace(policy, rules=policy.rules[1:]),))
    names = Names(old)
    of = Versions(old, new, names, Names(new, names.moments))
    known = reach_of(old, names)
    at_places = [one.effect for one in stage_effects(old, new, of.after, names_before=names)]
    network_effect(of, [], at_places, known=known)
    reach_after(known, of, [], at_places)
    network_findings(old, names)


if __name__ == "__main__":
    warm()
