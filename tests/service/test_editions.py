"""Editions: what is kept is what was there, once, for ever; compared and brought back."""

from __future__ import annotations

import random
import zlib
from dataclasses import replace

import acts
import pytest
from sqlalchemy import Engine, select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker
from whole import random_whole

from sarvex.core.model.records import Network
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts import networks
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import comparisons, editions, versions
from sarvex.service.editions.comparisons import Comparison
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import editions as kept
from sarvex.store import tables as t
from sarvex.store.networks import load_network

Sessions = sessionmaker[Session]


@pytest.fixture
def network_id(sessions: Sessions, worked_example: Network) -> int:
    with sessions.begin() as session:
        return networks.import_network(session, worked_example)


def make(sessions: Sessions, network_id: int, comment: str = "as it should be") -> int:
    with sessions.begin() as session:
        return editions.make(session, network_id, None, comment)


def become(sessions: Sessions, network_id: int, wanted: Network) -> None:
    with sessions.begin() as session:
        acts.become(Draft(session, NetworkCache(), network_id, None), wanted)


def turned(network: Network) -> Network:
    """The bridge's rule on top of the list."""
    policy = network.policies[0]
    r = policy.rules
    return replace(network, policies=(replace(policy, rules=(r[2], *r[:2], *r[3:])),))


@pytest.mark.parametrize("round_", range(6))
def test_what_is_read_is_what_was_kept(round_: int, rng: random.Random, sessions: Sessions) -> None:
    network = random_whole(rng)
    with sessions.begin() as session:
        network_id = networks.import_network(session, network)
        stored = load_network(session, network_id)
        assert stored is not None
        root = kept.write(session, stored)
        assert root == kept.write(session, stored)
        snapshot = kept.read(session, root)
    assert snapshot.network == stored.network
    assert snapshot.rule_ids == {
        p.name: tuple(key.id for key in stored.rules.get(stored.policy_id(p.name), ()))
        for p in stored.network.policies
    }


def test_numbers_rise_and_the_same_is_not_kept_twice(
    sessions: Sessions, network_id: int, worked_example: Network
) -> None:
    assert make(sessions, network_id) == 1
    with pytest.raises(Refused, match="same as edition 1"):
        make(sessions, network_id)
    with sessions() as session:
        chunks = session.query(t.Chunk).count()
    become(sessions, network_id, turned(worked_example))
    assert make(sessions, network_id, "the bridge first") == 2
    with sessions() as session:
        assert session.query(t.Chunk).count() == chunks + 2  # the policy and the root
        found = editions.listing(session, network_id)
        assert [(e.number, e.comment) for e in found] == [(2, "the bridge first"), (1, "as it should be")]
        assert editions.network_of(session, network_id, 1) == worked_example
        with pytest.raises(NotFound):
            editions.network_of(session, network_id, 3)
    with pytest.raises(Refused, match="what it is for"):
        make(sessions, network_id, "  ")
    with pytest.raises(NotFound):
        make(sessions, network_id + 99)


@pytest.mark.parametrize(
    "act",
    [
        "UPDATE edition SET comment = 'other'",
        "DELETE FROM edition",
        "UPDATE chunk SET body = ''",
        "DELETE FROM chunk",
    ],
)
def test_the_records_themselves_refuse_to_change_an_edition(
    sessions: Sessions, owner: Engine, network_id: int, act: str
) -> None:
    make(sessions, network_id)
    with pytest.raises(DBAPIError, match="denied"), sessions.begin() as session:
        session.execute(text(act))
    with pytest.raises(DBAPIError, match="editions stay as they are"), owner.begin() as connection:
        connection.execute(text(act))


def test_what_was_changed_by_other_ways_is_noticed(
    sessions: Sessions, owner: Engine, network_id: int
) -> None:
    make(sessions, network_id)
    with Session(owner) as session, session.begin():
        root = session.scalar(select(t.Edition.root))
        session.execute(text("DROP TRIGGER chunk_no_update"))
        try:
            session.execute(
                text("UPDATE chunk SET body = :b WHERE digest <> :root"),
                {"b": zlib.compress(b"[]"), "root": root},
            )
            with pytest.raises(kept.Damaged):
                editions.network_of(session, network_id, 1)
        finally:
            session.execute(
                text(
                    "CREATE TRIGGER chunk_no_update BEFORE UPDATE ON chunk FOR EACH ROW"
                    " SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'editions stay as they are'"
                )
            )


def test_two_versions_are_compared_exactly(
    sessions: Sessions, network_id: int, worked_example: Network
) -> None:
    make(sessions, network_id)
    become(sessions, network_id, turned(worked_example))
    with sessions() as session:

        def compare(*names: str) -> Comparison:
            return comparisons.compare(
                *(versions.version(session, NetworkCache(), network_id, name) for name in names)
            )

        told = compare("edition 1", "draft")
        assert [(d.section, d.name, d.what) for d in told.differences] == [
            ("policies", "sensor-side", ("rule bridge moved",))
        ]
        (change,) = told.told.changes
        assert (change.kind, change.before, change.after) == ("newly allowed", "no-petrel", "bridge")
        back = compare("draft", "edition 1")
        assert back.told.changes[0].kind == "newly blocked"
        assert compare("edition 1", "change 0").told.equal


def test_an_edition_comes_back_as_one_change_that_can_be_taken_back(
    sessions: Sessions, network_id: int, worked_example: Network
) -> None:
    make(sessions, network_id)
    become(sessions, network_id, turned(worked_example))
    with sessions() as session:
        stored = load_network(session, network_id)
        assert stored is not None
        ids = {
            r.name: k.id
            for r, k in zip(stored.network.policies[0].rules, next(iter(stored.rules.values())), strict=True)
        }
    with pytest.raises(Conflict), sessions.begin() as session:
        editions.restore(Draft(session, NetworkCache(), network_id, None), 1, 0)
    with sessions.begin() as session:
        editions.restore(Draft(session, NetworkCache(), network_id, None), 1, stored.revision)
    with sessions() as session:
        again = load_network(session, network_id)
        assert again is not None
        assert again.network == worked_example
        keys = next(iter(again.rules.values()))
        assert {r.name: k.id for r, k in zip(again.network.policies[0].rules, keys, strict=True)} == ids
        assert (
            session.scalars(select(t.Change.act).order_by(t.Change.id.desc())).first() == "restore edition 1"
        )
    with sessions.begin() as session:
        acts.undo(Draft(session, NetworkCache(), network_id, None))
    with sessions() as session:
        assert load_network(session, network_id).network == turned(worked_example)  # type: ignore[union-attr]
