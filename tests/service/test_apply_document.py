"""A network brought to what a document says: exactly that, in one step that can be taken back."""

from __future__ import annotations

import random
from dataclasses import replace
from itertools import zip_longest
from types import SimpleNamespace

import acts
import pytest
from desk import Desk
from sqlalchemy import event
from sqlalchemy.orm import Session, sessionmaker
from whole import random_whole

from sarvex.core.model.records import Network, Policy, Rule, Segment
from sarvex.service.drafts.apply_document import _places
from sarvex.service.errors import Conflict, Refused
from sarvex.store.networks import keys_between


def canonical(network: Network) -> Network:
    """With every list of things in the order of names: the order of things does not matter, that of rules does."""
    by_name = {
        section: tuple(sorted(getattr(network, section), key=lambda t: t.name))
        for section in ("zones", "segments", "hosts", "addresses", "services", "policies")
    }
    devices = tuple(
        replace(d, interfaces=tuple(sorted(d.interfaces, key=lambda i: i.name)))
        for d in sorted(network.devices, key=lambda d: d.name)
    )
    return replace(network, **by_name, devices=devices)


def test_becoming_gives_exactly_what_is_wanted(sessions: sessionmaker[Session], rng: random.Random) -> None:
    for index in range(5):
        a, b = (replace(random_whole(rng), name=f"n{index}") for _ in range(2))
        desk = Desk(sessions, b)
        b = desk.read().network  # references spelled as the things themselves
        desk.act(lambda d, a=a: acts.become(d, a))
        now = desk.read().network
        assert _folds(a) == _folds(now)
        desk.act(lambda d: acts.undo(d))
        assert canonical(desk.read().network) == canonical(b)
        desk.act(lambda d: acts.redo(d))
        assert canonical(desk.read().network) == canonical(now)


def _folds(network: Network) -> str:
    return repr(canonical(network)).casefold()


def test_what_is_the_same_is_not_touched(desk: Desk, worked_example: Network) -> None:
    before = desk.read()
    assert desk.act(lambda d: acts.become(d, worked_example)) == 0
    policy = worked_example.policies[0]
    moved = replace(policy, rules=(policy.rules[2], *policy.rules[:2], *policy.rules[3:]))
    assert desk.act(lambda d: acts.become(d, replace(worked_example, policies=(moved,)))) == 1
    after = desk.keys()
    assert {k.id for k in after} == {k.id for k in before.rules[desk.policy_id]}
    assert desk.names()[0] == "bridge"
    desk.act(
        lambda d: acts.become(d, replace(worked_example, name="Worked Example", description="told anew"))
    )
    assert (desk.read().network.name, desk.read().network.description) == ("Worked Example", "told anew")


def test_it_is_refused_whole(desk: Desk, worked_example: Network) -> None:
    before = desk.read()
    broken = replace(worked_example, segments=(), policies=())
    with pytest.raises(Refused, match="no segment is called"):
        desk.act(lambda d: acts.become(d, broken))
    with pytest.raises(Refused, match="not 'worked example'"):
        desk.act(lambda d: acts.become(d, replace(worked_example, name="another")))
    with pytest.raises(Refused, match="is an address object here"):
        desk.act(
            lambda d: acts.become(
                d,
                replace(
                    worked_example,
                    addresses=worked_example.addresses[1:],
                    segments=(*worked_example.segments, Segment(name="petrel", prefixes=("10.44.201.0/24",))),
                ),
            )
        )
    with pytest.raises(Conflict, match="changed meanwhile"):
        desk.act(lambda d: acts.become(d, worked_example, expected=before.revision + 7))
    assert desk.read() == before


def test_a_long_list_between_a_long_list_is_brought_in_within_seconds(
    sessions: sessionmaker[Session],
) -> None:
    """Two thousand rules, each between two of two thousand that stay: the work grows with the rules, not with their square."""

    def rule(name: str) -> Rule:
        return Rule(name=name, action="allow", source=("any",), destination=("any",), service=("tcp/22",))

    def network(count: int) -> Network:
        stay = [rule(f"r{i}") for i in range(2000)]
        new = [rule(f"n{i}") for i in range(count)]
        both = [r for pair in zip_longest(stay, new) for r in pair if r]
        return Network(name="long", policies=(Policy(name="p", default="drop", rules=tuple(both)),))

    desk = Desk(sessions, network(0))
    kept = desk.keys()
    queries = 0

    def count(*_: object) -> None:
        nonlocal queries
        queries += 1

    engine = sessions.kw["bind"]
    event.listen(engine, "before_cursor_execute", count)
    try:
        desk.act(lambda d: acts.become(d, network(2000), sound=True))
    finally:
        event.remove(engine, "before_cursor_execute", count)
    assert queries < 300
    assert desk.names() == [r.name for r in network(2000).policies[0].rules]
    assert desk.keys()[::2] == kept
    desk.act(lambda d: acts.undo(d))
    assert desk.keys() == kept


def test_places_are_those_of_a_longest_run_and_none_that_anybody_had(rng: random.Random) -> None:
    for _ in range(300):
        had = sorted(keys_between(None, None, rng.randint(2, 12)))
        known = [SimpleNamespace(place=p) if rng.random() < 0.7 else None for p in rng.sample(had, len(had))]
        known += [None] * rng.randint(0, 5)
        rng.shuffle(known)
        places = _places(known)
        assert places == sorted(set(places)) and len(places) == len(known)
        own = {k.place for k in known if k}
        stayed = [k for k, place in zip(known, places, strict=True) if k and k.place == place]
        there = [k.place for k in known if k]
        best = [1] * len(there)
        for i in range(len(there)):
            best[i] += max((best[j] for j in range(i) if there[j] < there[i]), default=0)
        assert len(stayed) == max(best, default=0)
        assert not own & {p for k, p in zip(known, places, strict=True) if k is None or k.place != p}
