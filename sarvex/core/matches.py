"""What a rule matches: a product of three sets, states and moments, from its members, negations and schedule."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import cast

from sarvex.core import addresses, packets, services
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.alike import places
from sarvex.core.flows import STATES, State
from sarvex.core.model import Network, Policy, Rule, fold
from sarvex.core.moments import ALWAYS, Times
from sarvex.core.names import Key, Names
from sarvex.core.packets import PacketSet
from sarvex.core.services import ServiceSet


@dataclass(frozen=True, eq=False)
class Match:
    """A rule's match in the form in which it was written."""

    source: AddressSet
    destination: AddressSet
    service: ServiceSet
    states: tuple[State, ...]
    times: Times = ALWAYS

    @cached_property
    def packets(self) -> PacketSet:
        """The same as disjoint boxes."""
        return packets.product(self.source, self.destination, self.service, self.states, self.times)

    def is_as(self, other: Match) -> bool:
        """Whether its fields are the very same as another's."""
        return (
            self.source is other.source
            and self.destination is other.destination
            and self.service is other.service
            and (self.states, self.times) == (other.states, other.times)
        )

    @property
    def matches_something(self) -> bool:
        """Whether there is a packet that it matches."""
        return any(in_family(self, f) for f in FAMILIES)


EVERYTHING = Match(addresses.ANY, addresses.ANY, services.ANY, ())


def in_family(match: Match, family: int) -> bool:
    """Whether there is a packet of a family that it matches."""
    sets = match.source[family], match.destination[family]
    return bool(all(sets) and len(match.service[family]) and match.times)


def common(a: Match, b: Match) -> Match | None:
    """What both match; None if they share no state or moment. O(product of the numbers of service boxes, and ends)."""
    states = _states(a) & _states(b)
    if a is b or b is EVERYTHING:
        return a
    if not states or not a.times & b.times:
        return None
    return Match(
        addresses.intersection(a.source, b.source),
        addresses.intersection(a.destination, b.destination),
        a.service if a.service is b.service else services.intersection(a.service, b.service),
        tuple(sorted(states, key=STATES.index)) if len(states) < len(STATES) else (),
        a.times & b.times,
    )


def minus(a: Match, b: Match) -> list[Match]:
    """What `a` matches and `b` does not, as disjoint matches that match something: at most one per field."""
    both = common(a, b)
    if both is None or not both.matches_something:
        return [a]
    missing = tuple(s for s in STATES if s in _states(a) - _states(b))
    pieces = [
        replace(a, source=addresses.difference(a.source, b.source)),
        replace(a, source=both.source, destination=addresses.difference(a.destination, b.destination)),
        replace(both, service=services.difference(a.service, b.service), states=a.states, times=a.times),
        replace(both, times=a.times & ~b.times),
    ]
    if missing:
        pieces.append(replace(both, states=missing, times=a.times))
    return [piece for piece in pieces if piece.matches_something]


def _states(match: Match) -> set[State]:
    return set(match.states or STATES)


def match_of(rule: Rule, names: Names, families: str = "both") -> Match:
    """What `rule` matches in a policy for `families`, enabled or not. Raises what `Names` raises.

    Kept with the names, field by field: the same members are worked out once, and equal fields are one object.
    """
    known = names.matches
    negate = rule.negate
    source_key, destination_key, service_key = _keys(rule, families)
    source = known.get(source_key)
    if source is None:
        source = known[source_key] = _only(_addresses(rule.source, names, "source" in negate), families)
    destination = known.get(destination_key)
    if destination is None:
        destination = _addresses(rule.destination, names, "destination" in negate)
        known[destination_key] = destination
    service = known.get(service_key)
    if service is None:
        service = services.union(names.service(m) for m in rule.service)
        service = known[service_key] = services.complement(service) if "service" in negate else service
    return Match(source, destination, service, rule.states, names.times(rule.schedule))


def _keys(rule: Rule, families: str) -> tuple[Key, Key, Key]:
    """Under which its fields are kept; the families narrow the source alone."""
    negate = rule.negate
    return (
        ("source", rule.source, "source" in negate, families),
        ("destination", rule.destination, "destination" in negate, "both"),
        ("service", rule.service, "service" in negate, "both"),
    )


def _addresses(members: tuple[str, ...], names: Names, negated: bool) -> AddressSet:
    found = addresses.union(names.address(m) for m in members)
    return addresses.complement(found) if negated else found


def _only(a: AddressSet, families: str) -> AddressSet:
    return AddressSet(a.v4 if families != "6" else (), a.v6 if families != "4" else ())


def _fill(
    told: list[Match | None], wanted: Sequence[Rule], rules: Sequence[Rule], found: Sequence[Match | None]
) -> int:
    """Tell of each rule that is in both lists, where nothing is told yet, what it matches. Returns of how many nothing is told
    even so."""
    missing = [at for at, match in enumerate(told) if match is None]
    there = places([wanted[at] for at in missing], rules).tolist()
    for at, place in zip(missing, there, strict=True):
        told[at] = found[place] if place >= 0 else None
    return sum(told[at] is None for at in missing)


FEW = 64
"""So many rules are sooner worked out than looked for in older lists."""
KEEP = 3
"""Lists of one name whose matches are kept: of the draft, of what is in force, of what is being tried."""


def matches_of(policy: Policy, names: Names) -> list[Match]:
    """The match of every rule of a policy, in order.

    Kept with the names for the lists of its name that were asked for last: of an edited list only rules that are new to
    all of them are worked out.
    """
    kept = names.matched.setdefault((fold(policy.name), policy.families), [])
    for rules, found in kept:
        if rules is policy.rules and None not in found:
            return list(found)
    told: list[Match | None] = [None] * len(policy.rules)
    for rules, found in kept:
        if _fill(told, policy.rules, rules, found) <= FEW:
            break
    for at in [at for at, match in enumerate(told) if match is None]:
        told[at] = match_of(policy.rules[at], names, policy.families)
    matches = cast(list[Match], told)
    kept.insert(0, (policy.rules, matches))
    del kept[KEEP:]
    return list(matches)


def successor(before: Names, network: Network) -> Names:
    """The names of a network that differs from another's in address and service objects alone, with what rules match that
    name none of these. O(names + rules)."""
    # Lists first: a field is kept before the rules that have it are. And copies: what is asked of one of the two from now on
    # is not true of the other.
    lists, sieves = {k: list(kept) for k, kept in dict(before.matched).items()}, dict(before.sifted)
    made, stay = before.successor(network)
    known = dict(before.matches)
    gone = {key for key in known if not stay(key[0] == "service", key[1])}
    made.matches = {key: kept for key, kept in known.items() if key not in gone}
    if not gone:  # no rule names any of them
        made.matched, made.sifted = lists, {name: kept.copy() for name, kept in sieves.items()}
        return made

    for (name, families), kept in lists.items():
        made.matched[name, families] = [
            (
                rules,
                [
                    m if m and gone.isdisjoint(_keys(r, families)) else None
                    for r, m in zip(rules, found, strict=True)
                ],
            )
            for rules, found in kept[:1]
        ]
    return made
