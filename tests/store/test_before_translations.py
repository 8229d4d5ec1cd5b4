"""Records, editions and device data from before there were translations open, compare and go back, byte for byte.

`tests/data/before-translations.sarvex` is a backup that the code of then wrote, with two editions; beside it the digests of their roots and
what a device was given of each.
"""

from __future__ import annotations

import json
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Sees
from sarvex.formats import device_config
from sarvex.formats.effects import compare
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import editions
from sarvex.store import backup, database, private
from sarvex.store import editions as chunks
from sarvex.store import tables as t
from sarvex.store.networks import load_network

DATA = Path(__file__).parents[1] / "data"


def test_what_was_written_before_is_what_it_was(tmp_path: Path) -> None:
    then = json.loads((DATA / "before-translations.json").read_text(encoding="utf-8"))
    with private.running(tmp_path / "own", memory_mb=64) as urls:
        backup.restore(urls.owner, DATA / "before-translations.sarvex")
        with database.opened(urls.owner) as sessions:
            with sessions.begin() as session:
                network_id = int(session.scalar(select(t.Network.id)) or 0)
                _unchanged(session, network_id, then)
            with sessions.begin() as session:
                draft = Draft(session, NetworkCache(), network_id, None)
                editions.restore(draft, 1, draft.stored.revision - 1)
            with sessions() as session:
                stored = load_network(session, network_id)
                assert stored is not None
                assert stored.network == editions.network_of(session, network_id, 1)


def _unchanged(session: Session, network_id: int, then: dict[str, list[object]]) -> None:
    stored = load_network(session, network_id)
    assert stored is not None
    (gate,) = stored.network.devices
    assert (gate.entries, gate.replies, gate.sees, gate.cluster) == ((), "by conversation", Sees(), "pair")
    rows = session.scalars(select(t.Edition).order_by(t.Edition.number)).all()
    assert [row.root.hex() for row in rows] == then["roots"]
    # What is in the records now is the second edition: an edition of it is the very same chunks.
    assert chunks.write(session, stored).hex() == then["roots"][1]
    networks = [editions.network_of(session, network_id, number) for number in (1, 2)]
    given = [device_config.build(n, Names(n), "vessel-gate", at) for at, n in enumerate(networks, 1)]
    assert given == then["devices"]
    told = compare(*networks)
    assert told.changes and not told.outside
