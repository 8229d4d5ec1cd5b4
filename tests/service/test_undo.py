"""Undo and redo per person, and edits of names."""

from __future__ import annotations

import random
from dataclasses import replace
from typing import Any

import acts
import pytest
from desk import Desk

from sarvex.core.model.edits import Place
from sarvex.core.model.records import AddressObject, Device, Host, Network, Rule, Segment, ServiceObject
from sarvex.core.model.uses import Use, uses
from sarvex.service.drafts import history, networks
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.service.people import accounts


def rule(name: str) -> Rule:
    return Rule(
        name=name, action="allow", source=("petrel",), destination=("10.44.34.77",), service=("mqtts",)
    )


@pytest.fixture
def two(desk: Desk) -> tuple[int, int]:
    with desk.sessions.begin() as session:
        return (
            accounts.add_person(session, "maren", "Maren", "editor", "a long enough password"),
            accounts.add_person(session, "anders", "Anders", "editor", "a long enough password"),
        )


def thing(desk: Desk, kind: str, name: str) -> int:
    return desk.read().things[kind, name]


def test_every_kind_of_edit_can_be_taken_back_and_done_again(desk: Desk) -> None:
    keys, policy = desk.keys(), desk.policy_id
    petrel = thing(desk, "address", "petrel")
    states = [desk.read().network]
    for act in (
        lambda d: acts.add_rule(d, policy, rule("sluice"), Place(keys[1].id, keys[2].id)),
        lambda d: acts.move_rule(d, policy, keys[5].id, 1, Place(None, keys[0].id)),
        lambda d: acts.change_rule(
            d, policy, keys[0].id, 1, replace(rule("no-petrel"), negate=("source",), states=("new",))
        ),
        lambda d: acts.delete_rule(d, policy, keys[3].id, 1),
        lambda d: acts.add_thing(
            d, AddressObject(name="quays", members=("petrel", "10.44.9.0/24"), description="x")
        ),
        lambda d: acts.change_thing(
            d, petrel, 1, AddressObject(name="Petrel II", members=("10.44.202.0/24",)), "rename"
        ),
        lambda d: acts.add_thing(d, ServiceObject(name="horn", members=("udp/4711", "mqtts"))),
        lambda d: acts.delete_thing(d, thing(desk, "service", "horn"), 1),
    ):
        desk.act(act)
        states.append(desk.read().network)
    for state in reversed(states[:-1]):
        desk.act(lambda d: acts.undo(d))
        assert desk.read().network == state
    with pytest.raises(NotFound, match="nothing of yours"):
        desk.act(lambda d: acts.undo(d))
    for state in states[1:]:
        desk.act(lambda d: acts.redo(d))
        assert desk.read().network == state
    with pytest.raises(NotFound, match="nothing of yours"):
        desk.act(lambda d: acts.redo(d))


def test_something_new_ends_the_redoing(desk: Desk) -> None:
    policy, keys = desk.policy_id, desk.keys()
    desk.act(lambda d: acts.add_rule(d, policy, rule("a"), Place(None, keys[0].id)))
    desk.act(lambda d: acts.undo(d))
    desk.act(lambda d: acts.add_rule(d, policy, rule("b"), Place(None, keys[0].id)))
    with pytest.raises(NotFound):
        desk.act(lambda d: acts.redo(d))
    desk.act(lambda d: acts.undo(d))
    desk.act(lambda d: acts.redo(d))
    assert desk.names()[0] == "b"


def test_undo_is_per_person_and_tells_who_stands_in_the_way(desk: Desk, two: tuple[int, int]) -> None:
    maren, anders = two
    policy, key = desk.policy_id, desk.keys()[0]
    desk.act(lambda d: acts.change_rule(d, policy, key.id, 1, rule("hers")), maren)
    desk.act(lambda d: acts.delete_rule(d, policy, desk.keys()[5].id, 1), anders)
    desk.act(lambda d: acts.change_rule(d, policy, key.id, 2, rule("his")), anders)
    with pytest.raises(Conflict, match=r"Anders changed .* after that"):
        desk.act(lambda d: acts.undo(d), maren)
    assert desk.act(lambda d: acts.undo(d), anders) == "change rule"
    # His change is taken back, so hers stands again.
    desk.act(lambda d: acts.undo(d), maren)
    assert desk.names() == ["no-petrel", "sensors", "bridge", "no-feed", "wide-feed"]
    with desk.sessions.begin() as session:
        told = history.of_row(session, desk.id, "rule", key.id)
    assert [(e.person, e.act) for e in told] == [
        ("Maren", "undo: change rule"), ("Anders", "undo: change rule"), ("Anders", "change rule"), ("Maren", "change rule"),
    ]  # fmt: skip


def test_what_comes_back_means_what_it_meant(desk: Desk, two: tuple[int, int]) -> None:
    """A rule that was deleted named a device and a user: meanwhile the name is an address object's, the user is nobody any more."""
    maren, anders = two
    policy = desk.policy_id
    desk.act(lambda d: acts.add_thing(d, Device(name="lock")))
    desk.act(lambda d: acts.add_thing(d, Segment(name="pilots", prefixes=("10.44.220.0/24",))))
    pilot = Host(name="pilot", segment="pilots", addresses=("10.44.220.9",), user="anders")
    desk.act(lambda d: acts.add_thing(d, pilot))
    for member, meanwhile, says in (
        ("lock", AddressObject(name="LOCK", members=()), "lock was the device, and means something else"),
        ("anders", AddressObject(name="Anders", members=()), "anders was a user, and means something else"),
        ("anders", None, "anders was deleted meanwhile"),
    ):
        said = replace(rule("spoken"), source=(member,))
        made = desk.act(
            lambda d, said=said: acts.add_rule(d, policy, said, Place(None, desk.keys()[0].id)), maren
        )  # type: ignore[misc]
        desk.act(lambda d, made=made: acts.delete_rule(d, policy, made, 1), maren)  # type: ignore[misc]
        if meanwhile:
            desk.act(lambda d, made=meanwhile: acts.add_thing(d, made), anders)  # type: ignore[misc]
        else:
            host = thing(desk, "host", "pilot")
            desk.act(lambda d, host=host: acts.delete_thing(d, host, 1), anders)  # type: ignore[misc]
        before = desk.read()
        with pytest.raises(Refused, match=says):
            desk.act(lambda d: acts.undo(d), maren)
        assert desk.read() == before
        desk.act(lambda d: acts.undo(d), anders)
        desk.act(lambda d: acts.undo(d), maren)
        assert desk.read().network.policies[0].rules[0].source == (member,)
        desk.act(lambda d: acts.undo(d), maren)


def test_undo_makes_room_or_refuses(desk: Desk, two: tuple[int, int]) -> None:
    maren, anders = two
    policy, keys = desk.policy_id, desk.keys()
    petrel = thing(desk, "address", "petrel")
    # A name taken meanwhile.
    desk.act(lambda d: acts.delete_rule(d, policy, keys[2].id, 1), maren)
    desk.act(lambda d: acts.add_rule(d, policy, rule("bridge"), Place(keys[1].id, keys[3].id)), anders)
    with pytest.raises(Refused, match="taken meanwhile"):
        desk.act(lambda d: acts.undo(d), maren)
    desk.act(lambda d: acts.undo(d), anders)
    desk.act(lambda d: acts.undo(d), maren)
    # A member that is gone meanwhile.
    desk.act(lambda d: acts.delete_rule(d, policy, keys[0].id, 1), maren)
    desk.act(lambda d: acts.delete_thing(d, petrel, 1), anders)
    with pytest.raises(Refused, match="petrel was deleted meanwhile"):
        desk.act(lambda d: acts.undo(d), maren)
    desk.act(lambda d: acts.undo(d), anders)
    desk.act(lambda d: acts.undo(d), maren)
    # A new name that somebody uses meanwhile.
    desk.act(lambda d: acts.add_thing(d, AddressObject(name="new", members=("any",))), maren)
    desk.act(
        lambda d: acts.add_rule(d, policy, replace(rule("user"), source=("new",)), Place(None, keys[0].id)),
        anders,
    )
    with pytest.raises(Refused, match="new is used meanwhile in user"):
        desk.act(lambda d: acts.undo(d), maren)


def test_random_edits_are_taken_back_to_the_beginning(desk: Desk, rng: random.Random) -> None:
    start = desk.read().network
    done = 0
    for step in range(40):
        stored = desk.read()
        keys = stored.rules[desk.policy_id]
        pick = rng.choice(keys)
        other = rng.choice([k for k in keys if k.id != pick.id])
        act: Any = rng.choice(
            [
                lambda d, o=other, s=step: acts.add_rule(d, desk.policy_id, rule(f"r{s}"), Place(None, o.id)),
                lambda d, p=pick, o=other: acts.move_rule(d, desk.policy_id, p.id, p.ver, Place(o.id, None)),
                lambda d, p=pick, s=step: acts.change_rule(d, desk.policy_id, p.id, p.ver, rule(f"c{s}")),
                lambda d, p=pick: acts.delete_rule(d, desk.policy_id, p.id, p.ver),
                lambda d: acts.undo(d),
                lambda d: acts.redo(d),
            ]
        )
        if len(keys) < 4:  # deleting and taking back would soon leave nothing to choose from

            def act(d, o=other, s=step):
                return acts.add_rule(d, desk.policy_id, rule(f"r{s}"), Place(None, o.id))

        try:
            desk.act(act)
        except NotFound:
            continue
        done += 1
    while True:
        try:
            desk.act(lambda d: acts.undo(d))
        except NotFound:
            break
    assert desk.read().network == start
    assert done > 15


def test_a_rename_follows_everywhere(desk: Desk) -> None:
    vessel = thing(desk, "address", "petrel")
    desk.act(
        lambda d: acts.change_thing(
            d, vessel, 1, AddressObject(name="Petrel", members=("10.44.201.0/24",)), "rename"
        )
    )
    desk.act(
        lambda d: acts.change_thing(
            d, vessel, 2, AddressObject(name="storm-petrel", members=("10.44.201.0/24",)), "rename"
        )
    )
    network = desk.read().network
    assert network.policies[0].rules[0].source == ("storm-petrel",)
    assert uses(network, "address", "petrel") == []
    assert uses(network, "address", "STORM-petrel") == [Use("sensor-side", "no-petrel", "source")]


def test_names_are_checked(desk: Desk) -> None:
    petrel = thing(desk, "address", "petrel")
    desk.act(lambda d: acts.add_thing(d, AddressObject(name="fleet", members=("petrel", "petrel-bridge"))))
    before = desk.read()
    for act, says in (
        (lambda d: acts.add_thing(d, AddressObject(name="VESSELS", members=())), "taken already, by a segment"),
        (lambda d: acts.add_thing(d, AddressObject(name="x", members=("fleat",))), "did you mean fleet"),
        (lambda d: acts.add_thing(d, ServiceObject(name="y", members=("tcp/70000",))), "0 to 65535"),
        (lambda d: acts.change_thing(d, petrel, 1, AddressObject(name="petrel", members=("fleet",)), "x"), "contains itself"),
        (lambda d: acts.change_thing(d, petrel, 1, AddressObject(name="tide-gateway", members=()), "x"), "taken already"),
        (lambda d: acts.delete_thing(d, petrel, 1), "still used in no-petrel, source (in sensor-side)"),
        (lambda d: acts.replace_name(d, petrel, 1, "mqtts"), "no address object is called"),
        (lambda d: acts.replace_name(d, petrel, 1, "fleet"), "contains itself"),
    ):  # fmt: skip
        with pytest.raises(Refused) as refused:
            desk.act(act)
        assert says in str(refused.value)
        assert desk.read() == before
    with pytest.raises(Conflict):
        desk.act(lambda d: acts.change_thing(d, petrel, 7, AddressObject(name="petrel", members=()), "x"))


def test_replacing_a_name_leaves_no_trace_of_it(desk: Desk) -> None:
    start = desk.read().network
    bridge = thing(desk, "address", "petrel-bridge")
    both = replace(rule("both"), source=("petrel", "petrel-bridge"))
    desk.act(lambda d: acts.add_rule(d, desk.policy_id, both, Place(None, desk.keys()[0].id)))
    middle = desk.read().network
    desk.act(lambda d: acts.replace_name(d, bridge, 1, "PETREL"))
    network = desk.read().network
    assert [r.source for r in network.policies[0].rules if "petrel" in r.source] == [("petrel",)] * 3
    assert all(a.name != "petrel-bridge" for a in network.addresses)
    replaced = desk.read().network
    desk.act(lambda d: acts.undo(d))
    assert desk.read().network == middle
    desk.act(lambda d: acts.redo(d))
    assert desk.read().network == replaced
    desk.act(lambda d: acts.undo(d))
    desk.act(lambda d: acts.undo(d))
    assert desk.read().network == start


def test_a_network_with_history_can_be_replaced(desk: Desk, worked_example: Network) -> None:
    desk.act(lambda d: acts.delete_rule(d, desk.policy_id, desk.keys()[0].id, 1))
    desk.act(lambda d: acts.undo(d))
    desk.act(lambda d: acts.redo(d))
    with desk.sessions.begin() as session:
        networks.import_network(session, worked_example, replace=True)
    with desk.sessions.begin() as session:
        assert networks.export_network(session, worked_example.name) == worked_example
