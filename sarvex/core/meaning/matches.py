"""What a rule matches: a product of three sets, states and moments, from its members, negations, schedule and end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property, partial
from typing import cast

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import MOST_LISTS, Key, Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Network, Policy, Rule, fold
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.cache import ByIdentity
from sarvex.core.sets.common_ends import places
from sarvex.core.sets.flows import STATES, State
from sarvex.core.sets.services import ServiceSet
from sarvex.core.time.moments import ALWAYS, Times


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
        return packet_sets.product(self.source, self.destination, self.service, self.states, self.times)

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
    """The match of a rule as a product of sets: sources × destinations × services × states × moments.

    `families`: `both`, `4` or `6`, as the policy has it. Whether the rule is enabled does not matter. Raises what `Names` raises.
    Complexity: O(members) once; fields are kept with the names, so that equal fields are one object.
    """
    source, destination, service = (
        names.matches.get(key, partial(_field, key, names)) for key in _keys(rule, families)
    )
    return Match(source, destination, service, rule.states, names.times(rule.schedule, rule.until))


def _field(key: Key, names: Names) -> AddressSet | ServiceSet:
    """What a field of a rule matches."""
    field, members, negated, families = key
    if field == "service":
        service = services.union(names.service(m) for m in members)
        return services.complement(service) if negated else service
    found = addresses.union(names.address(m) for m in members)
    return _only(addresses.complement(found) if negated else found, families)


def _keys(rule: Rule, families: str) -> tuple[Key, Key, Key]:
    """Under which its fields are kept; the families narrow the source alone."""
    negate = rule.negate
    return (
        ("source", rule.source, "source" in negate, families),
        ("destination", rule.destination, "destination" in negate, "both"),
        ("service", rule.service, "service" in negate, "both"),
    )


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
    """The match of every rule of a policy, in order. Raises what `Names` raises.

    Complexity: O(rules that are new to the lists of this name asked for last), which are kept with the names; else as `match_of`.
    """
    kept = names.matched.get((fold(policy.name), policy.families), list)
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
    # Copies: what is asked of one of the two from now on is not true of the other. Each thing that is kept tells by itself
    # whether it stays, for others may work with the names before meanwhile.
    lists = [(key, list(kept)) for key, kept in before.matched.items()]
    by_policy = {
        of: [(name, kept.copy()) for name, kept in getattr(before, of).items()]
        for of in ("partitions", "permits")
    }
    made, stay = before.successor(network)

    @cache
    def stays(service: bool, members: tuple[str, ...]) -> bool:
        return stay(service, members)

    def rule_stays(rule: Rule) -> bool:
        return stays(False, rule.source) and stays(False, rule.destination) and stays(True, rule.service)

    whole = ByIdentity[bool](MOST_LISTS)

    def list_stays(rules: tuple[Rule, ...]) -> bool:
        return whole.get((rules,), lambda: all(map(rule_stays, rules)))

    made.matches.update((k, kept) for k, kept in before.matches.items() if stays(k[0] == "service", k[1]))
    for key, kept in lists:
        if not all(list_stays(rules) for rules, _ in kept):  # of the newest alone what stays is taken over
            kept = [
                (rules, [m if rule_stays(r) else None for r, m in zip(rules, found, strict=True)])
                for rules, found in kept[:1]
            ]
        made.matched.update([(key, kept)])
    for of, some in by_policy.items():
        getattr(made, of).update(
            (name, kept.only(lambda policy: list_stays(policy.rules))) for name, kept in some
        )
    return made
