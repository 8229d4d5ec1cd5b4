"""The effect of every kind of edit against trying all packets that could make a difference."""

from __future__ import annotations

import os
import random
from collections.abc import Callable
from dataclasses import replace

import clock
import numpy as np
import oracle
import pytest
import smt
from grid import Grid, Members, literals

from sarvex.core.change.effect import BUDGET, Effect, Part, Superseded, Versions, effect, same_names
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.matches import matches_of, minus
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import AddressObject, Network, Policy, Rule, ServiceObject
from sarvex.core.sets.services import has_ports, has_type
from sarvex.core.time.moments import Moments

PLENTY = 10**9
EACH = int(os.environ.get("SARVEX_EDITS", "90"))
Version = tuple[Network, Policy]


def told(old: Version, new: Version, budget: int = PLENTY) -> Effect:
    """The effect of a change of rules or of names."""
    (before, a), (after, b) = old, new
    kinds = Moments.of_both(before.schedules, after.schedules, clock.LONDON, clock.SINCE, clock.ENDS)
    matches = matches_of(b, Names(after, kinds[1]))
    ready = FirstMatch.of(a, Names(before, kinds[0]))
    return effect(Versions(ready, b, matches, same_names(a, b), budget=budget))


def kinds_of(old: Version, new: Version) -> Moments:
    return Moments.of_both(old[0].schedules, new[0].schedules, clock.LONDON, clock.SINCE, clock.ENDS)[1]


def members_of(network: Network) -> Members:
    return {thing.name: thing.members for thing in (*network.addresses, *network.services)}


def holds(part: Part, p: oracle.Packet, kinds: Moments) -> bool:
    service = p.proto, p.first, p.second
    assert p.moment is not None
    return (
        any(low <= p.src <= high for low, high in part.source)
        and any(low <= p.dst <= high for low, high in part.destination)
        and any(
            all(a <= x <= b for (a, b), x in zip(box, service, strict=True)) for box in part.service.tolist()
        )
        and (not part.states or p.state in part.states)
        and bool(part.times >> kinds.class_at(p.moment) & 1)
    )


def mask(grid: Grid, part: Part, kinds: Moments) -> np.ndarray:
    """The packets of the grid in a part."""
    inside = [
        np.array([any(a <= v <= b for a, b in ends) for v in values], dtype=bool)
        for ends, values in ((part.source, grid.src), (part.destination, grid.dst))
    ]
    service = [
        any(all(a <= x <= b for (a, b), x in zip(box, s, strict=True)) for box in part.service.tolist())
        for s in grid.services
    ]
    states = [not part.states or s in part.states for s in oracle.STATES]
    times = [bool(part.times >> kinds.class_at(m) & 1) for m in grid.moments]
    return grid.product(*inside, np.array(service, dtype=bool), np.array(states), np.array(times))


def check(old: Version, new: Version, rng: random.Random) -> int:
    """Compare with the truth, packet by packet; how many packets of the grid change."""
    (before, a), (after, b) = old, new
    made = told(old, new)
    assert made.complete
    kinds, moments = kinds_of(old, new), clock.classes(before.schedules + after.schedules + clock.LASTING)
    changed = 0
    for family in (4, 6):
        grid = Grid(family, [a, b], [members_of(before), members_of(after)], moments)
        was = grid.decided(a, members_of(before), before.schedules)
        now = grid.decided(b, members_of(after), after.schedules)
        differs = grid.outcomes(a, was) != grid.outcomes(b, now)
        seen = np.zeros(grid.shape, dtype=int)
        for shift in made.shifts:
            for part in shift.parts:
                if part.family == family:
                    here = mask(grid, part, kinds)
                    assert here.any()
                    seen += here
                    assert (was[here] == shift.before).all()
                    assert (now[here] == shift.after).all()
                    _edges(part, kinds, made, old, new, rng)
        assert (seen == differs).all()  # all of it, each once
        changed += int(differs.sum())
    assert made.equal == (changed == 0)
    return changed


def _edges(part: Part, kinds: Moments, made: Effect, old: Version, new: Version, rng: random.Random) -> None:
    """Packets on the faces of a box, and just outside."""
    box = rng.choice(part.service.tolist())
    src, dst = rng.choice(part.source), rng.choice(part.destination)
    state = rng.randrange(4)
    moment = rng.choice(clock.classes(old[0].schedules + new[0].schedules + clock.LASTING))
    axes = [src, dst, *box]
    axis = rng.randrange(5)
    for value in (axes[axis][0] - 1, axes[axis][0], axes[axis][1], axes[axis][1] + 1):
        point = [low for low, _ in axes]
        point[axis] = value
        packet = oracle.Packet(part.family, *point, oracle.STATES[state], moment)
        if not _real(packet):
            continue
        truth = _outcome(old, packet) != _outcome(new, packet)
        inside = any(holds(p, packet, kinds) for s in made.shifts for p in s.parts if p.family == part.family)
        assert inside == truth


def _real(p: oracle.Packet) -> bool:
    top = 2**32 if p.family == 4 else 2**128
    if not (0 <= p.src < top and 0 <= p.dst < top and 0 <= p.proto < 256 and min(p.first, p.second) >= 0):
        return False
    if has_ports(p.proto):
        return max(p.first, p.second) < 65536
    if has_type(p.family, p.proto):
        return max(p.first, p.second) < 256
    return p.first == p.second == 0


def _outcome(version: Version, packet: oracle.Packet) -> object:
    network, policy = version
    names = members_of(network)
    if policy.families not in ("both", str(packet.family)):
        return "continue", None, False
    for rule in policy.rules:
        plain = replace(
            rule,
            source=tuple(literals(rule.source, names)),
            destination=tuple(literals(rule.destination, names)),
            service=tuple(literals(rule.service, names)),
        )
        if rule.enabled and oracle.matches(plain, packet, network.schedules):
            return *rule.outcome, rule.log
    return policy.default, "prohibited" if policy.default == "reject" else None, False


# Random lists with names, and edits of every kind -------------------------------------------------------------------


def random_version(rng: random.Random, size: int = 0) -> Version:
    """A policy that uses a few names, one of them a group of groups."""
    hosts, words = rng.sample(oracle.ADDRESSES[1:], 4), rng.sample(oracle.SERVICES, 3)
    pieces = list(oracle.ADDRESSES[1:])
    network = Network(
        name="random",
        addresses=(
            AddressObject(name="near", members=tuple(rng.sample(pieces, 2))),
            AddressObject(name="far", members=("near", rng.choice(pieces))),
        ),
        services=(
            ServiceObject(name="apps", members=tuple(rng.sample(words, 2))),
            ServiceObject(name="more", members=("apps", rng.choice(words))),
        ),
        schedules=tuple(clock.random_schedule(rng, f"s{n}") for n in range(rng.choice([0, 0, 1, 2]))),
    )
    names = _schedules((network, Policy(name="", default="drop")))
    policy = oracle.random_policy(rng, size or rng.randint(3, 8), names)
    rules = tuple(_with_names(rule, rng, hosts, words) for rule in policy.rules)
    return network, replace(policy, rules=rules)


def _some(rng: random.Random, pool: list[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(rng.choice(pool) for _ in range(rng.choice([1, 1, 2]))))


def _with_names(rule: Rule, rng: random.Random, hosts: list[str], words: list[str]) -> Rule:
    return replace(
        rule,
        source=_some(rng, ["any", "near", "far", *hosts]),
        destination=_some(rng, ["any", "near", "far", *hosts]),
        service=_some(rng, ["any", "apps", "more", *words]),
    )


def _at(policy: Policy, index: int, rule: Rule) -> Policy:
    return replace(policy, rules=(*policy.rules[:index], rule, *policy.rules[index + 1 :]))


def move(rng: random.Random, version: Version) -> Version:
    rules = list(version[1].rules)
    rule = rules.pop(rng.randrange(len(rules)))
    rules.insert(rng.randint(0, len(rules)), rule)
    return version[0], replace(version[1], rules=tuple(rules))


def shuffle(rng: random.Random, version: Version) -> Version:
    rules = list(version[1].rules)
    rng.shuffle(rules)
    return version[0], replace(version[1], rules=tuple(rules))


def insert(rng: random.Random, version: Version) -> Version:
    rules = list(version[1].rules)
    like = rng.choice(random_version(rng)[1].rules)
    made = replace(like, name="new", enabled=True, schedule=rng.choice([None, *_schedules(version)]))
    rules.insert(rng.randint(0, len(rules)), made)
    return version[0], replace(version[1], rules=tuple(rules))


def delete(rng: random.Random, version: Version) -> Version:
    rules = list(version[1].rules)
    rules.pop(rng.randrange(len(rules)))
    return version[0], replace(version[1], rules=tuple(rules))


def switch(rng: random.Random, version: Version) -> Version:
    index = rng.randrange(len(version[1].rules))
    rule = version[1].rules[index]
    return version[0], _at(version[1], index, replace(rule, enabled=not rule.enabled))


def field(name: str) -> Callable[[random.Random, Version], Version]:
    def change(rng: random.Random, version: Version) -> Version:
        index = rng.randrange(len(version[1].rules))
        like = rng.choice(random_version(rng)[1].rules)
        made = replace(version[1].rules[index], **{name: getattr(like, name)})
        return version[0], _at(version[1], index, made)

    return change


def address_object(rng: random.Random, version: Version) -> Version:
    network, policy = version
    near, far = network.addresses
    members = tuple(rng.sample(oracle.ADDRESSES[1:], rng.randint(0, 3)))
    return replace(network, addresses=(replace(near, members=members), far)), policy


def service_object(rng: random.Random, version: Version) -> Version:
    network, policy = version
    apps, more = network.services
    members = tuple(rng.sample(oracle.SERVICES, rng.randint(1, 2)))
    return replace(network, services=(replace(apps, members=members), more)), policy


def _schedules(version: Version) -> list[str]:
    return [s.name for s in version[0].schedules]


def schedule(rng: random.Random, version: Version) -> Version:
    index = rng.randrange(len(version[1].rules))
    other = rng.choice([None, *_schedules(version)])
    return version[0], _at(
        version[1],
        index,
        replace(version[1].rules[index], schedule=other, until=rng.choice(["", *clock.ENDS])),
    )


def schedule_object(rng: random.Random, version: Version) -> Version:
    network, policy = version
    if not network.schedules:
        return version
    first, *others = network.schedules
    made = rng.choice(
        [clock.random_schedule(rng, first.name), replace(first, except_=(*first.except_, "wed"))]
    )
    return replace(network, schedules=(made, *others)), policy


def default(rng: random.Random, version: Version) -> Version:
    other = rng.choice(["allow", "drop", "reject", "continue"])
    return version[0], replace(version[1], default=other)


def everything(rng: random.Random, version: Version) -> Version:
    """Several edits at once."""
    for edit in rng.sample([*CLASSES.values()][:-1], 3):
        version = edit(rng, version)
    return version


CLASSES: dict[str, Callable[[random.Random, Version], Version]] = {
    "move": move, "insert": insert, "delete": delete, "switch": switch, "shuffle": shuffle,
    "source": field("source"), "destination": field("destination"), "service": field("service"),
    "negate": field("negate"), "states": field("states"), "action": field("action"), "log": field("log"),
    "schedule": schedule, "schedule object": schedule_object, "address object": address_object, "service object": service_object, "default": default,
    "everything": everything,
}  # fmt: skip


@pytest.mark.parametrize("kind", CLASSES)
def test_effect_is_exactly_what_differs(kind: str, rng: random.Random) -> None:
    changed = 0
    for _ in range(EACH):
        old = random_version(rng)
        changed += check(old, CLASSES[kind](rng, old), rng) > 0
    assert changed > EACH // 20


def test_a_rule_edited_into_matching_nothing_in_one_family_beside_one_added(rng: random.Random) -> None:
    """Its source is still of that family, with ends that nothing else there has."""
    a = Rule(name="a", action="allow", source=("fd44::1",), destination=("fd44::2",), service=("tcp/80",))
    b = Rule(name="b", action="drop", source=("any",), destination=("any",), service=("tcp/80",))
    old = Policy(name="p", default="drop", rules=(a,))
    new = replace(old, rules=(b, replace(a, source=("fd44:0:0:1::5",), destination=("10.44.0.1",))))
    assert check((Network(name="n"), old), (Network(name="n"), new), rng)


@pytest.mark.parametrize("round_", range(12))
def test_the_solver_agrees(round_: int, rng: random.Random) -> None:
    old = random_version(rng, rng.randint(5, 30))
    kinds = list(CLASSES)
    new = CLASSES[kinds[round_ % len(kinds)]](rng, old)
    old, new = spelled_out(old), spelled_out(new)
    made = told(old, new)
    parts = [part for shift in made.shifts for part in shift.parts]
    asked = old[1], new[1]
    schedules = old[0].schedules, new[0].schedules
    assert not smt.disagrees(*asked, parts, schedules, kinds_of(old, new))
    if parts:  # and it would have noticed
        assert smt.disagrees(*asked, parts[1:], schedules, kinds_of(old, new))


def spelled_out(version: Version) -> Version:
    """The same without names."""
    network, policy = version
    names = members_of(network)
    rules = [
        replace(
            rule, **{f: tuple(literals(rule.members(f), names)) for f in ("source", "destination", "service")}
        )
        for rule in policy.rules
    ]
    # Rules with an empty field are left out: they match nothing (those negated, which match everything, are not asked).
    kept = tuple(r for r in rules if r.source and r.destination and r.service)
    return Network(name="literals", schedules=network.schedules), replace(policy, rules=kept)


def test_what_is_left_out_lies_in_what_is_told_to_be_left(rng: random.Random) -> None:
    cut = 0
    for _ in range(150):
        old = random_version(rng)
        new = everything(rng, old)
        made, whole = told(old, new, budget=rng.randint(1, 60)), told(old, new)
        cut += not made.complete
        assert made.equal in ((None, False) if not made.complete else (whole.equal,))
        for shift in whole.shifts:
            for part in shift.parts:
                found = [s for s in made.shifts if (s.before, s.after) == (shift.before, shift.after)]
                match = part.match
                rest = [match]
                for known in [*(p.match for s in found for p in s.parts), *made.left]:
                    rest = [piece for m in rest for piece in minus(m, known)]
                assert not rest
        for shift in made.shifts:  # what is told is true all the same
            same = [s for s in whole.shifts if (s.before, s.after) == (shift.before, shift.after)]
            for part in shift.parts:
                rest = [part.match]
                for known in [p.match for s in same for p in s.parts]:
                    rest = [piece for m in rest for piece in minus(m, known)]
                assert not rest
    assert cut > 15


def test_a_newer_question_ends_the_work(rng: random.Random) -> None:
    asked = 0
    for _ in range(50):
        network, policy = random_version(rng)
        _, other = shuffle(rng, (network, policy))
        names = Names(network, Moments(network.schedules, clock.LONDON, clock.SINCE, ends=clock.ENDS))
        of = Versions(
            FirstMatch.of(policy, names), other, matches_of(other, names), same_names(policy, other)
        )
        if effect(of).shifts:
            asked += 1
            with pytest.raises(Superseded):
                effect(replace(of, go_on=lambda: False))
    assert asked > 5


def test_the_drop_all_on_top_is_told_as_far_as_it_goes(rng: random.Random) -> None:
    """Thousands of exceptions would change: those told are exact, the rest is said to be left."""
    rules = [
        Rule(name=f"r{i}", action="allow", source=(f"10.{i // 250}.{i % 250}.0/24",), destination=(f"10.99.{i % 200}.0/28",),
             service=(f"tcp/{1000 + i}",), description="d")
        for i in range(3000)
    ]  # fmt: skip
    last = Rule(
        name="last", action="drop", source=("any",), destination=("any",), service=("any",), description="d"
    )
    old = Policy(name="p", default="drop", rules=(*rules, last))
    new = replace(old, rules=(last, *rules))
    made = told((Network(name="n"), old), (Network(name="n"), new), budget=BUDGET)
    assert not made.complete
    assert made.equal is False
    assert {shift.after for shift in made.shifts} == {0}
    parts = [part for shift in made.shifts for part in shift.parts]
    assert all(part.source == ((low, low + 255),) for part in parts for low in [part.source[0][0]])
    assert any(m.source[4] == ((0, 2**32 - 1),) for m in made.left)
    assert told((Network(name="n"), old), (Network(name="n"), new)).complete
