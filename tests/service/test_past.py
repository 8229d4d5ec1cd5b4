"""The draft as it was is read exactly, whatever was done since."""

from __future__ import annotations

import random
from dataclasses import replace

import acts
import pytest
from desk import Desk
from sqlalchemy.orm import Session, sessionmaker
from whole import random_whole

from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.editions import versions
from sarvex.service.errors import NotFound, Refused
from sarvex.store import past


@pytest.mark.parametrize("round_", range(4))
def test_every_revision_is_read_as_it_was(
    round_: int, rng: random.Random, sessions: sessionmaker[Session]
) -> None:
    """Whole networks become others, and some of it is taken back: rows go and come again under their old ids."""
    first = random_whole(rng)
    desk = Desk(sessions, first)
    seen = [desk.read().network]
    for turn in range(6):
        if turn % 3 == 2:
            desk.act(lambda d: acts.undo(d))
        else:
            desk.act(lambda d: acts.become(d, replace(random_whole(rng), name=first.name)))
        seen.append(desk.read().network)
    with sessions() as session:
        back = [stored.network for stored in past.backwards(session, desk.id, len(seen) - 1)]
        assert back == seen[::-1]
        assert [s.revision for s in past.backwards(session, desk.id, 4, 2)] == [4, 3, 2]
        for revision in rng.sample(range(len(seen)), 3):
            stored = past.network_at(session, desk.id, revision)
            assert stored is not None and stored.network == seen[revision]
        assert past.network_at(session, desk.id, len(seen)) is None
        assert past.network_at(session, desk.id + 9, 0) is None


def test_versions_are_called_by_name_and_by_moment(desk: Desk) -> None:
    key = desk.keys()[0]
    before = desk.read().network
    desk.act(lambda d: acts.delete_rule(d, desk.policy_id, key.id, 1))
    with desk.sessions() as session:
        cache = NetworkCache()

        def version(name: str) -> versions.Version:
            return versions.version(session, cache, desk.id, name)

        assert version(" Draft ").network == desk.read().network
        assert version("change 0").network == before
        assert version("change 1").network == version("2099-01-01T00:00Z").network == desk.read().network
        assert version("2020-01-01").network == before
        assert key.id in version("change 0").rule_ids["sensor-side"]
        assert key.id not in version("draft").rule_ids["sensor-side"]
        for name in ("in force", "edition 1", "change 2"):
            with pytest.raises(NotFound):
                version(name)
        for name in ("", "edition", "change -1", "yesterday", "edition 1234567890"):
            with pytest.raises(Refused, match="a version is"):
                version(name)
