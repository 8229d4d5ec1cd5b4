"""What a rule matches: a product of three sets and the states, from its members and negations."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from sarvex.core import addresses, packets, services
from sarvex.core.addresses import FAMILIES, AddressSet
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

    @property
    def matches_something(self) -> bool:
        """Whether there is a packet that it matches."""
        return any(self.source[f] and self.destination[f] and len(self.service[f]) for f in FAMILIES)


def match_of(rule: Rule, names: Names, families: str = "both") -> Match:
    """What `rule` matches in a policy for `families`, enabled or not. Raises what `Names` raises.

    Kept with the names, field by field: the same members are worked out once, and equal fields are one object.
    """
    known = names.matches
    negate = rule.negate
    source_key = ("source", rule.source, "source" in negate, families)
    source = known.get(source_key)
    if source is None:
        source = known[source_key] = _only(_addresses(rule.source, names, "source" in negate), families)
    destination_key = ("destination", rule.destination, "destination" in negate)
    destination = known.get(destination_key)
    if destination is None:
        destination = _addresses(rule.destination, names, "destination" in negate)
        known[destination_key] = destination
    service_key = ("service", rule.service, "service" in negate)
    service = known.get(service_key)
    if service is None:
        service = services.union(names.service(m) for m in rule.service)
        service = known[service_key] = services.complement(service) if "service" in negate else service
    return Match(source, destination, service, rule.states)


def _addresses(members: tuple[str, ...], names: Names, negated: bool) -> AddressSet:
    found = addresses.union(names.address(m) for m in members)
    return addresses.complement(found) if negated else found


def _only(a: AddressSet, families: str) -> AddressSet:
    return AddressSet(a.v4 if families != "6" else (), a.v6 if families != "4" else ())


def matches_of(policy: Policy, names: Names) -> list[Match]:
    """The match of every rule of a policy, in order."""
    return [match_of(rule, names, policy.families) for rule in policy.rules]
