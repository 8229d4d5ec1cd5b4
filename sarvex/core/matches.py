"""What a rule matches: a product of three sets and the states, from its members and negations."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from sarvex.core import addresses, packets, services
from sarvex.core.addresses import AddressSet
from sarvex.core.flows import State
from sarvex.core.model import Policy, Rule
from sarvex.core.names import Names
from sarvex.core.packets import PacketSet
from sarvex.core.services import ServiceSet


@dataclass(frozen=True, eq=False)
class Match:
    """A rule's match in the form in which it was written."""

    source: AddressSet
    destination: AddressSet
    service: ServiceSet
    states: tuple[State, ...]

    @cached_property
    def packets(self) -> PacketSet:
        """The same as disjoint boxes."""
        return packets.product(self.source, self.destination, self.service, self.states)


def match_of(rule: Rule, names: Names, families: str = "both") -> Match:
    """What `rule` matches in a policy for `families`, enabled or not. Raises what `Names` raises.

    Kept with the names: the same fields are worked out once.
    """
    key = (rule.source, rule.destination, rule.service, rule.negate, rule.states, families)
    kept = names.matches.get(key)
    if kept is None:
        kept = names.matches[key] = _match(rule, names, families)
    return kept


def _match(rule: Rule, names: Names, families: str) -> Match:
    source = addresses.union(names.address(m) for m in rule.source)
    destination = addresses.union(names.address(m) for m in rule.destination)
    service = services.union(names.service(m) for m in rule.service)
    if "source" in rule.negate:
        source = addresses.complement(source)
    if "destination" in rule.negate:
        destination = addresses.complement(destination)
    if "service" in rule.negate:
        service = services.complement(service)
    return Match(_only(source, families), destination, service, rule.states)


def _only(a: AddressSet, families: str) -> AddressSet:
    return AddressSet(a.v4 if families != "6" else (), a.v6 if families != "4" else ())


def matches_of(policy: Policy, names: Names) -> list[Match]:
    """The match of every rule of a policy, in order."""
    return [match_of(rule, names, policy.families) for rule in policy.rules]
