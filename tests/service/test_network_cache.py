"""What is kept in memory of a network: worked out once, and of what changes quickly only the newest."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from concurrent.futures import CancelledError, ThreadPoolExecutor

import pytest
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.findings import of_network
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.service.analysis import network_cache as libraries
from sarvex.service.analysis.network_cache import Loaded, NetworkCache, _Works
from sarvex.service.drafts.networks import import_network

LONG = libraries.AT_ONCE + 1


class Slow:
    """Works that wait until they are let go."""

    def __init__(self) -> None:
        self.begun: list[str] = []
        self.works = _Works[str, str](lambda key: f"{key} at once", self._work)
        self._begins, self._goes = threading.Semaphore(0), threading.Semaphore(0)

    def _work(self, key: str) -> str:
        self.begun.append(key)
        self._begins.release()
        assert self._goes.acquire(timeout=30)
        if key.startswith("bad"):
            raise ArithmeticError(key)
        return key

    def begins(self) -> None:
        assert self._begins.acquire(timeout=30)

    def let_go(self, count: int = 1) -> None:
        self._goes.release(count)


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> Iterator[Slow]:
    with ThreadPoolExecutor(max_workers=8) as background:
        monkeypatch.setattr(libraries, "_BACKGROUND", background)
        monkeypatch.setattr(libraries, "REST", 0)
        made = Slow()
        yield made
        made.let_go(100)


def test_short_ones_are_there_at_once_and_only_once(slow: Slow) -> None:
    first = slow.works.get("p", "a", libraries.AT_ONCE)
    assert first.result(0) == "a at once"
    assert slow.works.get("p", "a", libraries.AT_ONCE) is first and not slow.begun


def test_of_what_waits_at_one_place_only_the_newest_is_worked_out(slow: Slow) -> None:
    running = slow.works.get("p", "1", LONG)
    slow.begins()
    older, elsewhere = (slow.works.get(p, k, LONG) for p, k in (("p", "2"), ("q", "3")))
    newest = slow.works.get("p", "4", LONG)
    slow.let_go(3)
    assert [w.result(30) for w in (running, elsewhere, newest)] == ["1", "3", "4"]
    with pytest.raises(CancelledError):
        older.result(30)
    assert sorted(slow.begun) == ["1", "3", "4"]


def rested(slow: Slow, rest: float) -> None:
    """After a first work at place p, which let the next wait for so many seconds."""
    slow.let_go()
    assert slow.works.get("p", "first", LONG).result(30) == "first"
    slow.works._rests["p"] = time.monotonic() + rest


def test_of_what_rests_only_the_newest_is_worked_out(slow: Slow) -> None:
    rested(slow, 1)
    slow.let_go(2)
    resting = slow.works.get("p", "1", LONG)
    while not resting.running():
        time.sleep(0.01)
    newest = slow.works.get("p", "2", LONG)
    with pytest.raises(CancelledError):
        resting.result(30)
    assert slow.works.get("q", "elsewhere", LONG).result(30) == "elsewhere" and not newest.done()
    assert newest.result(30) == "2" and slow.begun == ["first", "elsewhere", "2"]


def test_a_work_is_followed_by_a_rest_at_its_place(slow: Slow, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(libraries, "REST", 1e6)
    slow.let_go(3)
    assert slow.works.get("p", "1", LONG).result(30) == "1"
    resting = slow.works.get("p", "2", LONG)
    assert slow.works.get("q", "3", LONG).result(30) == "3"
    with pytest.raises(TimeoutError):
        resting.result(0.2)
    assert libraries._outcome(lambda: slow.works.get(None, "2", LONG)) == "2"  # whoever waits is not put off


def test_a_server_that_ends_waits_for_no_rest(slow: Slow) -> None:
    rested(slow, 3600)
    resting = slow.works.get("p", "1", LONG)
    slow.works.end()
    with pytest.raises(CancelledError):
        resting.result(30)
    slow.works.begin()
    slow.works._rests.clear()
    slow.let_go()
    assert slow.works.get("p", "2", LONG).result(30) == "2" and slow.begun == ["first", "2"]


def test_nobody_waits_for_a_rest(slow: Slow) -> None:
    rested(slow, 3600)
    slow.let_go(2)
    resting = slow.works.get("p", "1", LONG)
    assert libraries._outcome(lambda: slow.works.get(None, "1", LONG)) == "1" == resting.result(0)
    assert slow.works.get(None, "3", LONG).result(0) == "3"


def test_what_went_wrong_is_tried_again(slow: Slow) -> None:
    slow.let_go(2)
    with pytest.raises(ArithmeticError):
        slow.works.get("p", "bad", LONG).result(30)
    again = slow.works.get("p", "bad", LONG)
    with pytest.raises(ArithmeticError):
        again.result(30)
    assert slow.begun == ["bad", "bad"]


def test_no_more_rules_are_kept_than_there_is_room_for(slow: Slow) -> None:
    half = libraries.KEEP_RULES // 2
    slow.let_go(4)
    works = [slow.works.get(None, key, half) for key in "ab"]
    assert [w.result(30) for w in works] == ["a", "b"]
    assert slow.works.get(None, "a", half) is works[0]  # used just now, so the other one goes
    slow.works.get(None, "c", half).result(30)
    assert slow.works.get(None, "a", half) is works[0]
    assert slow.works.get(None, "b", half) is not works[1]


@pytest.fixture
def loaded(sessions: sessionmaker[Session], merrow: Network) -> Loaded:
    with sessions.begin() as session:
        return NetworkCache().open(session, import_network(session, merrow))


def test_long_lists_are_told_as_short_ones_are(loaded: Loaded, monkeypatch: pytest.MonkeyPatch) -> None:
    libraries.begin()  # a server that other tests started may have ended
    short = [loaded.report(p).findings for p in loaded.network.policies]
    whole = loaded.network_findings
    assert whole == of_network.network_findings(loaded.network, Names(loaded.network))
    monkeypatch.setattr(libraries, "AT_ONCE", 0)
    for kept in (libraries._REPORTS, libraries._NETWORK_FINDINGS):
        monkeypatch.setattr(kept, "_kept", type(kept._kept)())
    policies = loaded.network.policies
    assert loaded.network_findings_soon(patience=0) is None
    assert [loaded.report(p).findings for p in policies] == short
    assert loaded.network_findings == whole == loaded.network_findings_soon(patience=0)
    assert all(loaded.report_soon(p, patience=0) for p in policies)


def test_a_text_is_written_once_for_all_who_ask(loaded: Loaded) -> None:
    written, go_on = [], threading.Event()

    def write() -> bytes:
        written.append(b"told")
        assert go_on.wait(30)
        return b"told"

    with ThreadPoolExecutor(8) as people:
        asked = [people.submit(loaded.text, "a", write) for _ in range(8)]
        assert loaded.text("b", lambda: b"something else") == b"something else"  # which need not wait
        go_on.set()
        assert {a.result(30) for a in asked} == {b"told"}
    assert written == [b"told"]


def test_a_text_that_could_not_be_written_is_tried_again(loaded: Loaded) -> None:
    with pytest.raises(ZeroDivisionError):
        loaded.text("a", lambda: bytes(1 // 0))
    assert loaded.text("a", lambda: b"told") == b"told"


def test_a_revision_on_its_way_is_waited_for(loaded: Loaded) -> None:
    cache = NetworkCache()
    seen: list[Loaded | None] = []
    with cache.coming(loaded.stored.id) as tell:
        tell(loaded.stored.revision)
        reader = threading.Thread(
            target=lambda: seen.append(cache.kept(loaded.stored.id, loaded.stored.revision))
        )
        reader.start()
        kept = cache.keep(loaded.stored)
    reader.join(30)
    assert seen == [kept]
    assert cache.kept(loaded.stored.id, loaded.stored.revision + 1) is None
