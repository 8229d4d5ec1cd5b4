"""The heart: exact answers about networks of first-match lists. What a notebook needs for the job is here by name.

>>> from sarvex.core import FirstMatch, Flow, Names, Network, Policy, Rule, report
>>> web = Rule(name="web", action="allow", source=("10.44.1.0/24",), destination=("any",), service=("tcp/443",))
>>> late = Rule(name="late", action="drop", source=("10.44.1.7",), destination=("any",), service=("tcp/443",))
>>> policy = Policy(name="quay", default="drop", rules=(web, late))
>>> names = Names(Network(name="pier", policies=(policy,)))
>>> [(told.rule.name, told.decides, told.by) for told in report(policy, names).rules]
[('web', 'all', ()), ('late', 'none', ('web',))]
>>> asked = Flow(4, 0x0A2C0107, 0x0A2C0205, 6, 50000, 443)
>>> policy.rules[FirstMatch.of(policy, names).decide_one(asked)].name
'web'

Each wing tells in its first line what it is for; a wing knows only those below it: `sets`, `model`, `time`, `meaning`,
`firstmatch`, `forwarding`, `change`, `findings`.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from sarvex.core.change.effect import Effect, Versions, effect
    from sarvex.core.change.effect_in_names import changes
    from sarvex.core.change.positions import Standing
    from sarvex.core.findings.of_network import network_findings
    from sarvex.core.findings.of_rules import report
    from sarvex.core.findings.tidy import tidy
    from sarvex.core.firstmatch.rule_list import FirstMatch
    from sarvex.core.forwarding.walk import Question, trace
    from sarvex.core.meaning.check import problems
    from sarvex.core.meaning.matches import match_of, matches_of
    from sarvex.core.meaning.names import Names, moments_of
    from sarvex.core.meaning.packet_sets import PacketSet
    from sarvex.core.model.records import (
        AddressObject,
        Attachment,
        Device,
        Host,
        HostAttachment,
        Interface,
        Network,
        Policy,
        Route,
        Rule,
        Schedule,
        Segment,
        ServiceObject,
        Zone,
    )
    from sarvex.core.sets.addresses import AddressSet
    from sarvex.core.sets.flows import Flow

__all__ = [
    "AddressObject",
    "AddressSet",
    "Attachment",
    "Device",
    "Effect",
    "FirstMatch",
    "Flow",
    "Host",
    "HostAttachment",
    "Interface",
    "Names",
    "Network",
    "PacketSet",
    "Policy",
    "Question",
    "Route",
    "Rule",
    "Schedule",
    "Segment",
    "ServiceObject",
    "Standing",
    "Versions",
    "Zone",
    "changes",
    "effect",
    "match_of",
    "matches_of",
    "moments_of",
    "network_findings",
    "problems",
    "report",
    "tidy",
    "trace",
]
_DOOR = {
    name: module
    for module, names in {
        "change.effect": "Effect Versions effect",
        "change.effect_in_names": "changes",
        "change.positions": "Standing",
        "findings.of_network": "network_findings",
        "findings.of_rules": "report",
        "findings.tidy": "tidy",
        "firstmatch.rule_list": "FirstMatch",
        "forwarding.walk": "Question trace",
        "meaning.check": "problems",
        "meaning.matches": "match_of matches_of",
        "meaning.names": "Names moments_of",
        "meaning.packet_sets": "PacketSet",
        "model.records": "AddressObject Attachment Device Host HostAttachment Interface Network Policy Route Rule Schedule Segment ServiceObject Zone",
        "sets.addresses": "AddressSet",
        "sets.flows": "Flow",
    }.items()
    for name in names.split()
}


def __getattr__(name: str) -> Any:
    """Taken in when it is first asked for: most users of the core need a part of it."""
    if name not in _DOOR:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_DOOR[name]}"), name)
