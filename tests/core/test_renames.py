"""Renames are recognised, carried out everywhere, and change nothing for packets."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from whole import random_whole

from sarvex.core.meaning.check import problems
from sarvex.core.model.records import AddressObject, Network
from sarvex.core.model.renames import SPACES, Rename, renamed, renames
from sarvex.formats import effects


def some(rng: random.Random, network: Network) -> list[Rename]:
    """Renames of things that nothing else is like, so that they can be recognised without ids. A device and the segments
    it is the gateway of name each other: renamed together neither is recognised."""
    found = []
    for space, sections in SPACES.items():
        if space == "device":
            continue
        for section in sections:
            things = getattr(network, section)
            bare = [replace(t, name="") for t in things]
            once = [t for t, b in zip(things, bare, strict=True) if bare.count(b) == 1]
            found += [Rename(section, t.name, f"new-{t.name}") for t in rng.sample(once, min(2, len(once)))]
    return found


def spelled(network: Network) -> Network:
    """Every name is written everywhere as the thing itself is called: references may use another case."""
    things = ((s, t.name) for sections in SPACES.values() for s in sections for t in getattr(network, s))
    return renamed(network, [Rename(section, name, name) for section, name in things])


@pytest.mark.parametrize("round_", range(12))
def test_a_network_with_other_names_is_the_same_network(round_: int, rng: random.Random) -> None:
    network = spelled(random_whole(rng))
    wanted = some(rng, network)
    other = renamed(network, wanted)
    assert not problems(other)
    back = renamed(other, [Rename(r.section, r.new, r.old, r.policy) for r in wanted])
    assert back == network
    found = renames(network, other)
    assert renamed(network, found) == other
    assert {(r.section, r.old, r.new) for r in found} == {(r.section, r.old, r.new) for r in wanted}


def test_rules_are_known_by_their_ids(worked_example: Network) -> None:
    policy = worked_example.policies[0]
    rules = (replace(policy.rules[0], name="other", log=not policy.rules[0].log), *policy.rules[1:])
    new = replace(worked_example, policies=(replace(policy, rules=rules),))
    ids = {policy.name: list(range(len(rules)))}
    assert renames(worked_example, new, (ids, ids)) == [
        Rename("rules", policy.rules[0].name, "other", policy.name)
    ]
    assert renames(worked_example, new) == []  # alike by nothing but their place


def test_what_is_renamed_has_no_effect(merrow: Network) -> None:
    wanted = [
        Rename("segments", "kiosks", "ticket-machines"),
        Rename("hosts", "gate-server", "gatekeeper"),
        Rename("services", "ssh", "secure-shell"),
        Rename("devices", merrow.devices[0].name, "north-lock"),
        Rename("zones", "control", "steel"),
        Rename("policies", merrow.policies[0].name, "another-name"),
        Rename("schedules", "nights", "dark-hours"),
        Rename("rules", merrow.policies[1].rules[0].name, "first of all", merrow.policies[1].name),
    ]
    other = renamed(merrow, wanted)
    assert not problems(other)
    called = renames(merrow, other)
    assert {(r.old, r.new) for r in called} == {(r.old, r.new) for r in wanted}
    assert effects.compare(renamed(merrow, called), other).equal is True


def test_doubtful_ones_are_not_guessed(worked_example: Network) -> None:
    twins = tuple(AddressObject(name=n, members=("10.44.9.0/24",)) for n in ("one", "two"))
    new = tuple(AddressObject(name=n, members=("10.44.9.0/24",)) for n in ("three", "four"))
    old_network, new_network = (
        replace(worked_example, addresses=(*worked_example.addresses, *more)) for more in (twins, new)
    )
    assert renames(old_network, new_network) == []
