"""Names that are alike, sets told in names, and the places where a rule works."""

from __future__ import annotations

import random
import sys
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import oracle
import pytest

from sarvex.core.change import positions, sets_in_names
from sarvex.core.firstmatch.partition import partition_of
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets, similar_names
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.matches import match_of, matches_of, successor
from sarvex.core.meaning.names import MOST_LISTS, MOST_NESTED, NameCycle, Names, UnknownName
from sarvex.core.model.records import FIELDS, AddressObject, Network, Policy, Rule, Segment, ServiceObject
from sarvex.core.sets import addresses, boxes, services
from sarvex.core.time.moments import ALWAYS

ALIKE = Network(
    name="alike",
    addresses=(
        AddressObject(name="a", members=("10.44.217.5",)),
        AddressObject(name="b", members=("10.44.271.5".replace("271", "127"),)),
        AddressObject(name="c", members=("10.44.127.5", "10.44.127.5")),
        AddressObject(name="d", members=("10.44.172.5",)),
        AddressObject(name="e", members=()),
        AddressObject(name="f", members=()),
    ),
    services=(
        ServiceObject(name="s", members=("tcp/8443",)),
        ServiceObject(name="t", members=("tcp/4843",)),
        ServiceObject(name="u", members=("udp/8443",)),
    ),
)


def test_same_and_nearly_the_same() -> None:
    names = Names(ALIKE)
    assert similar_names.same(names) == {"b": ["c"], "c": ["b"]}
    nearly = {k: sorted(v) for k, v in similar_names.nearly(names).items()}
    assert nearly == {
        "a": ["b", "c"],
        "b": ["a", "d"],
        "c": ["a", "d"],
        "d": ["b", "c"],
        "s": ["t"],
        "t": ["s"],
    }


@pytest.mark.parametrize("round_", range(30))
def test_words_are_exactly_the_set(round_: int, rng: random.Random, merrow: Network) -> None:
    names = Names(merrow)
    things = [*names.address_things.values()]
    a = addresses.union(names.address(t.name) for t in rng.sample(things, rng.randint(1, 3)))
    if rng.random() < 0.6:
        a = addresses.difference(a, names.address(rng.choice(things).name))
    told = addresses.NOTHING
    for words in sets_in_names.name_addresses(a, names):
        head, _, rest = words.partition(" except ")
        value = _value(head, names)
        for other in rest.split(", ") if rest else ():
            value = addresses.difference(value, _value(other, names))
        told = addresses.union((told, value))
    assert told == a


def _value(words: str, names: Names) -> addresses.AddressSet:
    name, _, family = words.partition(" over IPv")
    value = names.address(name)
    return replace(value, **{"v6" if family == "4" else "v4": ()}) if family else value


@pytest.mark.parametrize("round_", range(20))
def test_service_words_are_exactly_the_set(round_: int, rng: random.Random, merrow: Network) -> None:
    from sarvex.core.sets import services

    names = Names(merrow)
    s = services.union(names.service(x.name) for x in rng.sample(merrow.services, rng.randint(1, 3)))
    if rng.random() < 0.5:
        s = services.complement(s)
    told = services.NOTHING
    for words in sets_in_names.name_services(s, names):
        head, _, rest = words.partition(" except ")
        assert "protocols" not in head, "a set that has a short name is not told as a range of protocols"
        value = names.service(head)
        if rest:
            others = services.union(names.service(o) for o in rest.split(", "))
            value = services.ServiceSet(*(boxes.difference(value[f], others[f]) for f in (4, 6)))
        told = services.union((told, value))
    for f in (4, 6):
        assert boxes.covers(s[f], told[f]) and boxes.covers(told[f], s[f])


@pytest.mark.parametrize("round_", range(12))
def test_advice_is_what_each_place_would_give(round_: int, rng: random.Random) -> None:
    names = Names(Network(name="empty"))
    policy = oracle.random_policy(rng, 7)
    rule = replace(oracle.random_policy(rng, 1).rules[0], name="new", enabled=True)
    match = match_of(rule, names, policy.families)
    standing = positions.Standing(FirstMatch.of(policy, names), rule, match)
    advice = standing.advice()
    if advice is None:
        assert not match.packets
        return
    told = []
    alone = [live.decides for live in FirstMatch.of(policy, names).liveness()]
    takers: list[set[int]] = []
    for place in range(1, len(policy.rules) + 2):
        rules = (*policy.rules[: place - 1], rule, *policy.rules[place - 1 :])
        lives = FirstMatch.of(replace(policy, rules=rules), names).liveness()
        live = lives[place - 1]
        starved = [
            k for k in range(place - 1, len(policy.rules)) if lives[k + 1].decides == "none" != alone[k]
        ]
        assert [s.position for s in advice.starved_at(place)] == starved
        told.append(live.decides)
        assert standing.decides_at(place) == live.decides
        assert standing.takers_at(place) == list(live.by)
        judged = FirstMatch.of(replace(policy, rules=rules), names)
        witness, taken = standing.witness_at(place), standing.taken_at(place)
        assert (witness is None) == (live.decides == "none")
        assert (taken is None) == (not live.by)
        assert witness is None or judged.decide_one(witness) == place - 1
        assert taken is None or judged.decide_one(taken) in live.by
        again = positions.Standing(judged, rule, match, place - 1)  # the rule itself taken out
        shifted = tuple(
            positions.Starved(s.position + (s.position >= place - 1), s.until) for s in advice.starves
        )
        assert again.advice() == replace(advice, starves=shifted)
        assert again.decides_at(place) == live.decides
        takers.append({p for p in live.by if policy.rules[p].outcome != rule.outcome})
    run = ["all"] * advice.all_until
    run += ["part"] * (advice.some_until - advice.all_until)
    assert told == run + ["none"] * (len(told) - len(run))
    undisturbed = [
        place for place, others in enumerate(takers, 1) if not others and told[place - 1] != "none"
    ]
    assert advice.best == max(undisturbed)


def test_segments_own_by_longest_prefix() -> None:
    network = Network(
        name="n",
        segments=(
            Segment(name="wide", prefixes=("10.44.0.0/16",)),
            Segment(name="narrow", prefixes=("10.44.8.0/24",)),
            Segment(name="rest", outside=True),
        ),
    )
    names = Names(network)
    owned = names.owned_by_segment
    assert addresses.describe(owned["narrow"]) == ["10.44.8.0/24"]
    assert not addresses.intersection(owned["wide"], owned["narrow"])
    assert addresses.union(owned.values()) == addresses.ANY
    asked = addresses.parse("10.44.7.255-10.44.8.9")
    told = [
        (segment and segment.name, addresses.describe(share))
        for segment, share in routing_of(network).owners(asked)
    ]
    assert told == [("wide", ["10.44.7.255"]), ("narrow", ["10.44.8.0-10.44.8.9"])]


def test_threads_do_not_mistake_each_other_for_a_cycle() -> None:
    """One set of names serves all requests; a group being worked out elsewhere is not inside itself."""
    depth = 60
    groups = tuple(AddressObject(name=f"g{i}", members=(f"g{i + 1}",)) for i in range(depth))
    network = Network(
        name="deep", addresses=(*groups, AddressObject(name=f"g{depth}", members=("10.44.0.1",)))
    )
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:
        for _ in range(20):
            names = Names(network)
            with ThreadPoolExecutor(4) as pool:
                told = list(pool.map(names.address, ["g0", "g1", "g0", "g20", "g0", "g5"]))
            assert set(told) == {addresses.parse("10.44.0.1")}
    finally:
        sys.setswitchinterval(before)


@pytest.mark.parametrize("upwards", [False, True])
def test_groups_stand_within_each_other_up_to_a_bound_in_any_order(upwards: bool) -> None:
    def chain(count: int) -> Network:
        groups = [AddressObject(name=f"g{i}", members=(f"g{i + 1}",)) for i in range(count - 1)]
        groups.append(AddressObject(name=f"g{count - 1}", members=("10.44.0.1",)))
        return Network(name="n", addresses=tuple(groups[::-1] if upwards else groups))

    assert problems(chain(MOST_NESTED)) == []
    assert "64 groups" in str(problems(chain(MOST_NESTED + 1))[0])
    assert problems(chain(5000))


def random_objects(rng: random.Random, kind: type, literals: list[str], count: int = 8) -> tuple[Any, ...]:
    """Objects and groups of those after them, of literals, and of literals that are names as well."""
    called = [f"{kind.__name__[0]}{i}" for i in range(count)] + rng.sample(literals, 1)
    members = [tuple(rng.sample([*called[at + 1 :], *literals], rng.randint(0, 3))) for at in range(count)]
    members.append(tuple(rng.sample(literals[:2], 1)))
    return tuple(kind(name=name, members=own) for name, own in zip(called, members, strict=True))


def edited(rng: random.Random, things: tuple[Any, ...], literals: list[str]) -> tuple[Any, ...]:
    """One member more or less, one object gone or come."""
    out = list(things)
    at = rng.randrange(len(out))
    match rng.randrange(4):
        case 0:
            del out[at]
        case 1:
            out.append(replace(out[at], name=f"new {rng.random()}"))
        case 2:
            out[at] = replace(out[at], members=tuple(rng.sample(literals, 2)))
        case 3:
            out[at] = replace(out[at], description="described")
    return tuple(out)


def told(names: Names, rules: Sequence[Rule]) -> list[object]:
    """What all names stand for and all rules match, or why not."""

    def outcome(ask: Callable[[], object]) -> object:
        try:
            return ask()
        except (UnknownName, NameCycle) as error:
            return type(error)

    def match(rule: Rule) -> object:
        m = match_of(rule, names)
        return m.source, m.destination, services.describe(m.service), m.states, m.times

    things, objects = names.address_things.values(), names.service_things.values()
    found = [outcome(lambda t=t: names.address(t.name)) for t in things]  # type: ignore[misc]
    found += [outcome(lambda s=s: services.describe(names.service(s.name))) for s in objects]  # type: ignore[misc]
    return found + [outcome(lambda r=r: match(r)) for r in rules]  # type: ignore[misc]


@pytest.mark.parametrize("round_", range(12))
def test_a_successor_tells_what_names_made_anew_tell(round_: int, rng: random.Random) -> None:
    addresses_ = [*(f"10.44.{i}.0/24" for i in range(8)), "fd44::/64"]
    services_ = [f"tcp/{i}" for i in range(80, 90)]
    a, s = random_objects(rng, AddressObject, addresses_), random_objects(rng, ServiceObject, services_)
    network = Network(name="n", addresses=a, services=s)

    def some(things: Sequence[Any], literals: list[str]) -> tuple[str, ...]:
        return tuple(rng.sample([*(t.name for t in things), *literals], rng.randint(1, 2)))

    rules = [
        Rule(name=f"r{i}", action="drop", source=some(a, addresses_), destination=some(a, addresses_), service=some(s, services_),
             negate=tuple(f for f in FIELDS if rng.random() < 0.2))
        for i in range(20)
    ]  # fmt: skip
    names, taken_over, differed = Names(network), 0, 0
    before = told(names, rules)
    for _ in range(30):
        known = tuple(r for r, t in zip(rules, before[-len(rules) :], strict=True) if isinstance(t, tuple))
        matches_of(Policy(name="p", default="drop", rules=known), names)
        if rng.random() < 0.5:
            network = replace(network, addresses=edited(rng, network.addresses, addresses_))
        else:
            network = replace(network, services=edited(rng, network.services, services_))
        names, fresh = successor(names, network), Names(network)
        taken_over += sum(
            m is not None for _, found in dict(names.matched.items())["p", "both"] for m in found
        )
        after = told(fresh, rules)
        assert told(names, rules) == after
        again = tuple(r for r, t in zip(rules, after[-len(rules) :], strict=True) if isinstance(t, tuple))
        policy = Policy(name="p", default="drop", rules=again)
        for m, n in zip(matches_of(policy, names), matches_of(policy, fresh), strict=True):
            assert (m.source, m.destination) == (n.source, n.destination)
            assert services.describe(m.service) == services.describe(n.service)
        differed += after != before
        before = after
    assert taken_over > 100 and differed > 3


def test_a_successor_counts_groups_within_groups_as_names_made_anew_do() -> None:
    deep = [AddressObject(name=f"g{i}", members=(f"g{i + 1}",)) for i in range(MOST_NESTED - 1)]
    deep.append(AddressObject(name=f"g{MOST_NESTED - 1}", members=("10.44.0.1",)))
    network = Network(name="n", addresses=tuple(deep))
    names = Names(network)
    names.address("g0")
    more = replace(network, addresses=(*deep, AddressObject(name="one more", members=("g0",))))
    with pytest.raises(NameCycle, match="more than"):
        successor(names, more).address("one more")
    ring = replace(network, addresses=(*deep[:-1], replace(deep[-1], members=("g0",))))
    with pytest.raises(NameCycle, match="contains itself"):
        successor(names, ring).address("g5")


def test_what_is_asked_of_a_successor_is_not_true_of_the_one_before() -> None:
    """A group that no rule names is changed, a rule comes to name it, and the change of the group is taken back."""
    network = Network(name="n", addresses=(AddressObject(name="g", members=("10.44.1.0/24",)),))
    rule = Rule(name="r", action="allow", source=("10.44.0.1",), destination=("any",), service=("any",))
    policy = Policy(name="p", default="drop", rules=(rule,))
    before = Names(network)
    assert partition_of(policy, before).parts == [m.packets for m in matches_of(policy, before)]
    after = successor(
        before, replace(network, addresses=(AddressObject(name="g", members=("10.44.2.0/24",)),))
    )
    assert matches_of(policy, after)[0] is matches_of(policy, before)[0]
    naming_it = replace(policy, rules=(rule, replace(rule, name="s", source=("g",))))
    for names, third in ((after, 2), (before, 1), (after, 2)):
        wanted = addresses.parse(f"10.44.{third}.0/24")
        assert matches_of(naming_it, names)[1].source == wanted
        whole = packet_sets.product(wanted, addresses.ANY, services.ANY, (), ALWAYS)
        assert partition_of(naming_it, names).parts[1][4].tolist() == whole[4].tolist()


@pytest.mark.parametrize("moment", ["lists", "fields", "partitions"])
def test_what_is_asked_of_the_names_before_meanwhile_is_not_taken_over(
    moment: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While a successor is made somebody else asks about a rule that names the very object that changes: before the lists
    are looked at, before the fields are, and after the partitions were."""
    network = Network(name="n", addresses=(AddressObject(name="g", members=("10.44.1.0/24",)),))
    rule = Rule(name="r", action="allow", source=("g",), destination=("any",), service=("any",))
    policy = Policy(name="p", default="drop", rules=(rule,))
    names = Names(network)
    asked = {"lists": names.matched, "fields": names.matches, "partitions": names.partitions}[moment]
    matches_of(Policy(name="p", default="drop"), names)
    partition_of(Policy(name="p", default="drop"), names)
    items = asked.items

    def meanwhile() -> object:
        told = items()
        monkeypatch.undo()
        partition_of(policy, names)
        return told

    monkeypatch.setattr(asked, "items", meanwhile)
    made = successor(
        names, Network(name="n", addresses=(AddressObject(name="g", members=("10.44.2.0/24",)),))
    )
    fresh = Names(made.network)
    assert matches_of(policy, made)[0].source == matches_of(policy, fresh)[0].source
    (mine,), (theirs,) = (s.parts for s in (partition_of(policy, made), partition_of(policy, fresh)))
    assert not packet_sets.difference(mine, theirs) and not packet_sets.difference(theirs, mine)


def test_nothing_that_is_kept_with_names_grows_without_bound() -> None:
    """Whatever is tried, of policies under whatever name."""
    network = Network(name="n", segments=(Segment(name="s", prefixes=("10.44.0.0/16",)),))
    names = Names(network)
    for n in range(2 * MOST_LISTS):
        rule = Rule(
            name="r", action="allow", source=(f"10.44.{n % 256}.1",), destination=("any",), service=("any",)
        )
        partition_of(Policy(name=f"p{n}", default="drop", rules=(rule,)), names)
    assert len(names.matched) == len(names.partitions) == MOST_LISTS
