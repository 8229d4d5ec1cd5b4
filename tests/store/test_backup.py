"""All records in one file, and back: the same networks, history, editions and audit; damaged files change nothing."""

from __future__ import annotations

import gzip
import json
from pathlib import Path

import acts
import pytest
from sqlalchemy import text
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model.records import Network
from sarvex.service import audit
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts import networks
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import editions
from sarvex.service.people import accounts
from sarvex.store import backup, database, private
from sarvex.store.networks import load_network


@pytest.fixture
def saved(sessions: sessionmaker[Session], worked_example: Network, tmp_path: Path) -> Path:
    with sessions.begin() as session:
        person = accounts.add_person(session, "maren", "Maren ☂", "editor", "a long enough password")
        network_id = networks.import_network(session, worked_example, person_id=person)
        editions.make(session, network_id, person, "as it is")
        draft = Draft(session, NetworkCache(), network_id, person)
        key = draft.stored.rules[draft.stored.policy_id("sensor-side")][0]
        acts.delete_rule(draft, draft.stored.policy_id("sensor-side"), key.id, key.ver)
    file = tmp_path / "records.sarvex"
    assert backup.write(sessions.kw["bind"], file) > 60
    return file


def test_what_comes_back_is_what_was_there(
    saved: Path, sessions: sessionmaker[Session], tmp_path: Path
) -> None:
    with sessions() as session:
        (network_id,) = session.scalars(text("SELECT id FROM network"))
        before = load_network(session, network_id)
        chain = audit.verify(session)
    with private.running(tmp_path / "other", memory_mb=64) as urls:
        url = urls.owner
        backup.restore(url, saved)
        with database.opened(url) as others, others.begin() as session:
            after = load_network(session, network_id)
            assert after == before
            assert audit.verify(session) == chain
            assert chain.broken is None and chain.entries == 4
            assert editions.network_of(session, network_id, 1).policies[0].rules[0].name == "no-petrel"
            draft = Draft(session, NetworkCache(), network_id, after and 1)
        with database.opened(url) as others:
            engine = others.kw["bind"]
            again = tmp_path / "again.sarvex"
            backup.write(engine, again)
            with pytest.raises(backup.InvalidBackup, match="records already"):
                backup.restore(url, saved)
            with engine.connect() as connection, pytest.raises(Exception, match="stays written"):
                connection.exec_driver_sql("DELETE FROM audit")
    assert draft.stored.revision == 2


def lines(file: Path) -> list[bytes]:
    return gzip.decompress(file.read_bytes()).splitlines(keepends=True)


@pytest.mark.parametrize(
    ("damage", "told"),
    [
        (lambda raw: raw[: len(raw) // 2], "cannot be read"),
        (lambda _: b"not gzip", "cannot be read"),
        (
            lambda raw: gzip.compress(b"".join(gzip.decompress(raw).splitlines(True)[:-1])),
            "its end is missing",
        ),
        (lambda raw: gzip.compress(gzip.decompress(raw).replace(b"Maren", b"Moren")), "was changed"),
        (lambda raw: gzip.compress(gzip.decompress(raw) + b"[]\n"), "behind its end"),
        (lambda _: gzip.compress(b"{}\n"), "no backup of Sarvex"),
        (lambda _: gzip.compress(b"hello\n"), "no backup of Sarvex"),
        (lambda _: gzip.compress(json.dumps({"sarvex backup": 2, "schema": "x"}).encode()), "newer one"),
    ],
)
def test_a_damaged_file_is_refused_before_anything_is_written(saved: Path, damage, told: str) -> None:
    saved.write_bytes(damage(saved.read_bytes()))
    with pytest.raises(backup.InvalidBackup, match=told):
        backup.restore("mysql+pymysql://nobody@127.0.0.1:1/none", saved)


def test_a_backup_appears_when_it_is_whole(saved: Path) -> None:
    assert not list(saved.parent.glob("*.part"))
    assert saved.stat().st_mode & 0o777 == 0o600
    head, *_, last = lines(saved)
    assert json.loads(head)["sarvex backup"] == 1
    assert set(json.loads(last)) == {"rows", "sha256"}
