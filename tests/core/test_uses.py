"""Where names are used, against a plain search, on random networks."""

from __future__ import annotations

import random
from itertools import pairwise

from whole import random_whole

from sarvex.core.model.records import Network
from sarvex.core.model.uses import Use, all_uses, through, uses


def rules_by_search(network: Network, names: set[str]) -> set[tuple[str, str, str]]:
    """Fields of rules that name one of these, by asking every member of every rule."""
    return {
        (policy.name, rule.name, field)
        for policy in network.policies
        for rule in policy.rules
        for field, members in (("source", rule.source), ("destination", rule.destination))
        if any(m.casefold() in names for m in members)
    }


def groups_with(network: Network, name: str) -> set[str]:
    """All groups a name is in, by going round until nothing is added."""
    found: set[str] = set()
    while True:
        more = {
            a.name.casefold()
            for a in network.addresses
            if any(m.casefold() in {name, *found} for m in a.members)
        }
        if more <= found:
            return found
        found |= more


def told(found: list[Use]) -> set[tuple[str, str, str]]:
    return {(u.policy, u.owner, u.field) for u in found if u.policy is not None}


def test_uses_agree_with_a_plain_search(rng: random.Random) -> None:
    ways = 0
    for _ in range(25):
        network = random_whole(rng)
        everything = all_uses(network, "address")
        for thing in network.address_things():
            name = thing.name.casefold()
            direct = uses(network, "address", thing.name)
            assert direct == everything.get(name, [])
            assert told(direct) == rules_by_search(network, {name})
            by_groups = through(network, "address", thing.name.upper())
            expected = rules_by_search(network, groups_with(network, name)) - told(direct)
            assert told([u for u, _ in by_groups]) == expected
            for _, way in by_groups:
                inner = (name, *(g.casefold() for g in way))
                for small, large in pairwise(inner):
                    group = next(a for a in network.addresses if a.name.casefold() == large)
                    assert small in {m.casefold() for m in group.members}
                ways += len(way) > 1
    assert ways, "no use through two groups was met"


def test_devices_and_hosts_are_users_too(merrow: Network) -> None:
    assert Use(None, "southpier-lock", "management") in uses(merrow, "service", "snmp")
    assert Use(None, "at hosts", "hosts") in uses(merrow, "address", "kiosks-by-trait")
