"""Edits of the draft on real records: versions, places, conflicts, history."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import acts
import pytest
from desk import Desk
from sqlalchemy import event, func, select
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model.edits import Place
from sarvex.core.model.records import Network, Rule
from sarvex.service.drafts import networks
from sarvex.service.drafts.draft import Draft, already_done
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import tables as t


def rule(name: str) -> Rule:
    return Rule(
        name=name, action="allow", source=("petrel",), destination=("10.44.34.77",), service=("mqtts",)
    )


def test_records_give_back_the_network(sessions: sessionmaker[Session], merrow: Network) -> None:
    assert Desk(sessions, merrow).read().network == merrow


def test_what_the_draft_keeps_in_memory_is_what_the_records_hold(desk: Desk) -> None:
    keys = desk.keys()
    added = desk.act(
        lambda d: acts.add_rule(d, desk.policy_id, rule("sluice"), Place(keys[1].id, keys[2].id))
    )
    desk.act(lambda d: acts.change_rule(d, desk.policy_id, added, 1, replace(rule("sluice gate"), log=True)))
    desk.act(lambda d: acts.move_rule(d, desk.policy_id, added, 2, Place(None, keys[0].id)))
    desk.act(lambda d: acts.delete_rule(d, desk.policy_id, keys[3].id, 1))
    stored = desk.read()
    kept = desk.cache.kept(desk.id, stored.revision)
    assert kept and kept.stored == stored
    assert [r.name for r in stored.network.policies[0].rules] == [
        "sluice gate", "no-petrel", "sensors", "bridge", "wide-feed", "otherwise-logged",
    ]  # fmt: skip


def test_moving_a_rule_writes_one_rule_row(desk: Desk, engine: Any) -> None:
    keys = desk.keys()
    written: list[str] = []

    def note(_: Any, __: Any, statement: str, parameters: Any, *___: Any) -> None:
        if statement.startswith(("UPDATE rule", "INSERT INTO rule", "DELETE FROM rule")):
            written.append(statement)

    event.listen(engine, "before_cursor_execute", note)
    try:
        desk.act(lambda d: acts.move_rule(d, desk.policy_id, keys[5].id, 1, Place(None, keys[0].id)))
    finally:
        event.remove(engine, "before_cursor_execute", note)
    assert len(written) == 1
    after = desk.keys()
    assert [k.ver for k in after] == [2, 1, 1, 1, 1, 1]
    assert [k.id for k in after] == [keys[5].id, *(k.id for k in keys[:5])]


def test_two_people_on_one_rule(desk: Desk) -> None:
    key = desk.keys()[0]
    desk.act(lambda d: acts.change_rule(d, desk.policy_id, key.id, key.ver, rule("mine")))
    for act in (
        lambda d: acts.change_rule(d, desk.policy_id, key.id, key.ver, rule("theirs")),
        lambda d: acts.move_rule(d, desk.policy_id, key.id, key.ver, Place(desk.keys()[5].id, None)),
        lambda d: acts.delete_rule(d, desk.policy_id, key.id, key.ver),
    ):
        before = desk.read()
        with pytest.raises(Conflict, match="changed by somebody else"):
            desk.act(act)
        assert desk.read() == before


def test_a_place_holds_while_one_neighbour_does(desk: Desk) -> None:
    keys = desk.keys()
    desk.act(lambda d: acts.delete_rule(d, desk.policy_id, keys[1].id, 1))
    desk.act(lambda d: acts.add_rule(d, desk.policy_id, rule("a"), Place(keys[0].id, keys[1].id)))
    assert desk.names()[:2] == ["no-petrel", "a"]
    desk.act(lambda d: acts.add_rule(d, desk.policy_id, rule("b"), Place(keys[1].id, keys[2].id)))
    assert desk.names()[:4] == ["no-petrel", "a", "b", "bridge"]
    desk.act(lambda d: acts.delete_rule(d, desk.policy_id, keys[0].id, 1))
    with pytest.raises(Conflict, match="neighbours"):
        desk.act(lambda d: acts.add_rule(d, desk.policy_id, rule("c"), Place(keys[0].id, keys[1].id)))
    with pytest.raises(Conflict, match="neighbours"):
        desk.act(lambda d: acts.add_rule(d, desk.policy_id, rule("c"), Place(None, None)))


@pytest.mark.parametrize(
    ("bad", "place", "says"),
    [
        (replace(rule("x"), source=("petrol",)), "source[0]", "did you mean petrel"),
        (replace(rule("x"), destination=()), "destination", "at least one"),
        (replace(rule("x"), destination=("10.44.34.7/24",)), "destination[0]", "the prefix is 10.44.34.0/24"),
        (replace(rule("x"), service=("tcp/70000",)), "service[0]", "0 to 65535"),
        (rule("Bridge"), "name", "another rule"),
        (rule("Default"), "name", "the last row"),
        (rule("  "), "name", "needs a name"),
        (replace(rule("x"), reject_with="reset"), "reject_with", "only a rule that rejects"),
    ],
)
def test_bad_rules_are_refused_whole(desk: Desk, bad: Rule, place: str, says: str) -> None:
    before = desk.read()
    with pytest.raises(Refused) as refused:
        desk.act(lambda d: acts.add_rule(d, desk.policy_id, bad, Place(None, desk.keys()[0].id)))
    assert [(p.place, says in p.message) for p in refused.value.problems] == [(place, True)]
    assert desk.read() == before


def test_history_keeps_before_and_after(desk: Desk) -> None:
    key = desk.keys()[2]
    desk.act(lambda d: acts.change_rule(d, desk.policy_id, key.id, 1, rule("bridge")))
    desk.act(lambda d: acts.delete_rule(d, desk.policy_id, key.id, 2))
    with desk.sessions.begin() as session:
        done = session.execute(
            select(t.Change.act, t.Change.revision, t.ChangeItem)
            .join(t.ChangeItem, t.ChangeItem.change_id == t.Change.id)
            .order_by(t.Change.revision)
        ).all()
        assert [(a, r) for a, r, _ in done] == [("change rule", 1), ("delete rule", 2)]
        changed, deleted = done[0][2], done[1][2]
        sources = [
            [m[1] for m in snapshot["members"] if m[0] == "source"]
            for snapshot in (changed.before, changed.after, deleted.before)
        ]
        assert sources == [["petrel-bridge"], ["petrel"], ["petrel"]]
        assert (changed.ver_before, changed.ver_after) == (1, 2)
        assert deleted.after is None


def test_a_repeated_request_is_known(desk: Desk) -> None:
    desk.act(
        lambda d: acts.add_rule(d, desk.policy_id, rule("once"), Place(None, desk.keys()[0].id), "key-1")
    )
    with desk.sessions.begin() as session:
        assert already_done(session, desk.id, "key-1")
        assert not already_done(session, desk.id, "key-2")
        assert not already_done(session, desk.id, None)


def test_strangers_are_not_found(desk: Desk) -> None:
    with pytest.raises(NotFound):
        desk.act(lambda d: acts.delete_rule(d, desk.policy_id, 10**9, 1))
    with pytest.raises(NotFound):
        desk.act(lambda d: acts.delete_rule(d, 10**9, desk.keys()[0].id, 1))
    with pytest.raises(NotFound), desk.sessions.begin() as session:
        Draft(session, desk.cache, 10**9, None)


def test_a_name_taken_is_refused_unless_replaced(desk: Desk, worked_example: Network) -> None:
    with pytest.raises(Refused, match="--replace"), desk.sessions.begin() as session:
        networks.import_network(session, worked_example)
    smaller = replace(worked_example, policies=(), devices=())
    with desk.sessions.begin() as session:
        networks.import_network(session, smaller, replace=True)
    with desk.sessions.begin() as session:
        assert networks.export_network(session, worked_example.name.upper()) == smaller
        assert session.scalar(select(func.count()).select_from(t.Rule)) == 0
