"""What to try: every packet is of its expectation, fares by hand as it is told to, and says what the verdict says."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace

from packet_model import FAILS, UNKNOWN, WORKS, Model
from test_expectations import drawn, packet_of, random_expectation
from test_walk import OPEN_FOR

from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Expectation, Host, Network, Policy, Rule, Segment
from sarvex.core.reach.expectations import judged, spoken_of
from sarvex.core.reach.trials import MOST_OF_ONE, Trial, trials_of
from sarvex.core.sets import addresses

NETWORKS, EACH = 14, 6
BY_HAND = {True: {WORKS}, False: {FAILS}}


def test_every_trial_is_of_its_expectation_and_fares_as_told(rng: random.Random) -> None:
    seen: Counter[object] = Counter()
    for index in range(NETWORKS):
        bare = drawn(rng, index)
        network = replace(bare, expectations=tuple(random_expectation(rng, bare, n) for n in range(EACH)))
        names, model = Names(network), Model(network, ())
        for one in judged(network, names, network.expectations):
            told, spoken = trials_of(one, network, names), spoken_of(one.expectation, names)
            assert bool(told.trials) != bool(told.why)
            asked = packet_sets.product(*spoken.sides, spoken.service, ("new",), spoken.times)
            for trial in told.trials:
                assert packet_sets.contains(asked, trial.flow, names.moments), (one.expectation, trial.flow)
                fares = set(model.asked(packet_of(trial.flow)))
                if trial.works is None:
                    opened = any(why in (part.missing or "") for part in trial.parts for why in OPEN_FOR)
                    assert len(fares) > 1 or fares == {UNKNOWN} or opened, (trial.flow, fares, network)
                else:
                    assert fares == BY_HAND[trial.works], (trial.flow, fares, network)
                assert one.verdict != "kept" or trial.as_it_must, (one.expectation, trial.flow)
                seen[one.expectation.must, trial.as_it_must] += 1
            if one.verdict == "broken":
                assert told.trials[0].as_it_must is not True, (one.expectation, network)
    assert all(seen[must, how] > 4 for must in ("allowed", "blocked") for how in (True, False)), seen


def small(*expectations: Expectation, rules: tuple[Rule, ...] = ()) -> Network:
    prefixes = {
        "quay": ("10.44.1.0/24", "fd44:1::/64"),
        "office": ("10.44.2.0/24",),
        "plant": ("10.44.3.0/24", "fd44:3::/64"),
    }
    return Network(
        name="small",
        segments=tuple(Segment(name=name, prefixes=some) for name, some in prefixes.items()),
        hosts=(
            Host(name="pump", segment="plant", addresses=("10.44.3.9",)),
            Host(name="moved", segment="quay", addresses=("10.44.2.77",)),
        ),
        policies=(Policy(name="p", default="drop", rules=rules),),
        expectations=expectations,
    )  # fmt: skip


def tried(network: Network) -> list[Trial]:
    names = Names(network)
    (one,) = judged(network, names, network.expectations)
    return list(trials_of(one, network, names).trials)


def blocked(**fields: object) -> Expectation:
    made = Expectation(name="e", source=("quay",), destination=("plant",), service=("any",), must="blocked")
    return replace(made, **fields)  # type: ignore[arg-type]


def test_of_any_service_it_tries_what_others_are_let_in_to_and_an_echo_request() -> None:
    let_in = Rule(name="r", action="allow", source=("office",), destination=("plant",), service=("tcp/502",))
    flows = [str(t.flow).split(" from ")[0] for t in tried(small(blocked(), rules=(let_in,)))]
    assert flows == [
        "10.44.1.10 → 10.44.3.9 tcp/502",
        "10.44.1.10 → 10.44.3.9 icmp/8.0",
        "fd44:1::a → fd44:3::a tcp/502",
        "fd44:1::a → fd44:3::a icmp6/128.0",
    ]
    assert "tcp/443" in str(tried(small(blocked()))[0].flow)


def test_every_source_comes_first_and_nobody_tries_from_where_a_host_went_astray() -> None:
    one = blocked(source=("quay", "office"), destination=("plant",), service=("tcp/502", "tcp/80"))
    network = small(one)
    first = tried(network)[:2]
    owners = [
        next(routing_of(network).owners(addresses.span(4, t.flow.src, t.flow.src)))[0].name for t in first
    ]
    assert owners == ["quay", "office"] and [str(t.flow).split()[0] for t in first] == [
        "10.44.1.10",
        "10.44.2.10",
    ]


def test_more_than_a_dozen_are_counted() -> None:
    many = tuple(Segment(name=f"s{n}", prefixes=(f"10.45.{n}.0/24",)) for n in range(20))
    one = blocked(source=tuple(s.name for s in many), service=("tcp/502",))
    network = small(one)
    network = replace(network, segments=(*network.segments, *many))
    names = Names(network)
    (verdict,) = judged(network, names, network.expectations)
    told = trials_of(verdict, network, names)
    assert (len(told.trials), told.more) == (MOST_OF_ONE, 20 - MOST_OF_ONE)


def test_what_says_nothing_or_has_ended_is_not_tried() -> None:
    for one in (blocked(until="2020-01-01"), blocked(destination=("10.44.3.9",), source=("fd44:1::/64",))):
        network = small(one)
        names = Names(network)
        (verdict,) = judged(network, names, network.expectations)
        told = trials_of(verdict, network, names)
        assert not told.trials and told.why
