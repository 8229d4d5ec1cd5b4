"""Whose request comes next: nobody holds up others, and what nobody waits for is not worked on."""

from __future__ import annotations

import asyncio
import random
import threading
import time
from collections.abc import Awaitable, Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient
from signed import PASSWORD, Signed, sign_in
from sqlalchemy.orm import Session, sessionmaker
from starlette.exceptions import HTTPException

from sarvex.api import turnstile
from sarvex.api.access import COOKIE
from sarvex.api.turnstile import LONG, MINE, PLACES, Turnstile
from sarvex.service.analysis import questions, turns
from sarvex.service.errors import TooMuch
from sarvex.service.people import accounts

ANYBODY = 0


class Asker:
    """Somebody's request, and whether they are still there."""

    def __init__(self) -> None:
        self.gone = asyncio.Event()

    async def receive(self) -> Any:
        await self.gone.wait()
        return {"type": "http.disconnect"}


def played(act: Callable[[Turnstile], Awaitable[None]]) -> None:
    async def run() -> None:
        stile = Turnstile()
        await asyncio.wait_for(act(stile), 10)
        assert (stile.free, dict(stile.running), stile.waiting, stile._long, stile._served) == (
            PLACES,
            {},
            0,
            {},
            {},
        )

    asyncio.run(run())


class Work:
    """Long work of a person, or (nobody's) short work, until it is told to end."""

    def __init__(self, stile: Turnstile, person: int = ANYBODY) -> None:
        self.asker, self.end, self.begun = Asker(), asyncio.Event(), asyncio.Event()
        self.task = asyncio.ensure_future(self._run(stile, person))

    async def _run(self, stile: Turnstile, person: int) -> None:
        async with stile.entered(self.asker) as turn:  # type: ignore[arg-type]
            if person != ANYBODY:
                await stile.go_long(self.asker, turn, person)  # type: ignore[arg-type]
            self.begun.set()
            await self.end.wait()

    async def over(self) -> None:
        self.end.set()
        await self.task


async def settled() -> None:
    for _ in range(20):
        await asyncio.sleep(0)


def at_work(*works: Work) -> list[bool]:
    return [w.begun.is_set() for w in works]


def test_a_person_has_a_share_of_long_work_and_short_work_always_has_a_place() -> None:
    async def act(stile: Turnstile) -> None:
        greedy = [Work(stile, 1) for _ in range(6)]
        await settled()
        assert at_work(*greedy) == [True] * MINE + [False] * 4
        other = Work(stile, 2)
        await settled()
        assert at_work(other) == [True]
        third = Work(stile, 3)
        await settled()
        assert at_work(third) == [False] and stile.running.total() == LONG
        short = Work(stile)
        await settled()
        assert at_work(short) == [True] and stile.free == 0
        waiting = Work(stile)
        await greedy[0].over()
        await settled()
        assert at_work(waiting, third, greedy[2]) == [True, False, False]  # short work goes first
        await short.over()
        await settled()
        assert at_work(third, greedy[2]) == [True, False]  # then whoever has none at work
        for work in (other, third, waiting, *greedy[1:]):
            await work.over()

    played(act)


def test_whoever_was_served_longest_ago_goes_first() -> None:
    async def act(stile: Turnstile) -> None:
        held = [Work(stile, person) for person in (7, 8, 9)]
        await settled()
        queue = [Work(stile, person) for person in (1, 1, 1, 2)]
        await settled()
        order = []
        for work in held:
            await work.over()
            await settled()
            order.append(at_work(*queue))
        assert order[1] == [True, False, False, True]  # not two of the first while the second has none
        for work in queue:
            await work.over()

    played(act)


def test_whoever_hangs_up_waits_no_longer() -> None:
    async def act(stile: Turnstile) -> None:
        held = [Work(stile, person) for person in (1, 1, 2)]
        await settled()
        left = [Work(stile, 1) for _ in range(5)]
        await settled()
        assert stile.waiting == 5
        for work in left:
            work.asker.gone.set()
        told = await asyncio.gather(*(w.task for w in left), return_exceptions=True)
        assert [e.status_code for e in told if isinstance(e, HTTPException)] == [turnstile.GONE] * 5
        assert stile.waiting == 0
        for work in held:
            await work.over()

    played(act)


def test_what_waits_is_bounded(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(turnstile, "WAITING_EACH", 3)
    monkeypatch.setattr(turnstile, "WAITING", 5)

    async def act(stile: Turnstile) -> None:
        held = [Work(stile, 1) for _ in range(MINE)]
        await settled()
        waiting = [Work(stile, 1) for _ in range(3)]
        await settled()
        with pytest.raises(HTTPException) as refused:
            await Work(stile, 1).task
        assert (refused.value.status_code, refused.value.headers) == (429, {"Retry-After": "2"})
        fill = [Work(stile) for _ in range(PLACES - MINE + 2)]
        await settled()
        with pytest.raises(HTTPException) as refused:
            await Work(stile).task
        assert (refused.value.status_code, refused.value.headers) == (503, {"Retry-After": "2"})
        assert stile.longest > 0
        for work in (*fill, *held, *waiting):
            await work.over()

    played(act)


def test_whoever_is_cancelled_gives_everything_back() -> None:
    async def act(stile: Turnstile) -> None:
        works = [Work(stile, person) for person in (1, 1, 1, 2, ANYBODY, ANYBODY)]
        await settled()
        for work in works:
            work.task.cancel()
        await asyncio.gather(*(w.task for w in works), return_exceptions=True)

    played(act)


def test_any_order_of_coming_going_and_hanging_up(rng: random.Random) -> None:
    async def act(stile: Turnstile) -> None:
        all_works: list[Work] = []
        works: list[Work] = []
        for _ in range(400):
            if rng.random() < 0.5:
                works.append(Work(stile, rng.randint(0, 4)))
                all_works.append(works[-1])
            elif works:
                work = works.pop(rng.randrange(len(works)))
                rng.choice((work.end.set, work.asker.gone.set, work.task.cancel))()
                work.end.set()
            if rng.random() < 0.3:
                await settled()
                assert 0 <= stile.free <= PLACES
                assert stile.running.total() <= LONG and max(stile.running.values(), default=0) <= MINE
        for work in works:
            work.end.set()
        await asyncio.gather(*(w.task for w in all_works), return_exceptions=True)

    played(act)


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> list[threading.Event]:
    """Questions that are worked on until nobody wants the answer; each tells when it begins."""
    begun: list[threading.Event] = []

    def trace(network: object, names: object, question: object, go_on: Callable[[], bool]) -> object:
        begun.append(threading.Event())
        while go_on():
            time.sleep(0.005)
        begun[-1].set()
        raise TooMuch("nobody waited")

    monkeypatch.setattr(questions, "trace", trace)
    return begun


def test_one_deadline_holds_for_all_of_a_request(
    editor: Signed, slow: list[threading.Event], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fifty pinned questions are not given fifty times as long."""
    monkeypatch.setattr("sarvex.api.access.LONGEST", 0.5)
    began = time.monotonic()
    body = {"asker": "a", "generation": 1, "questions": ["any to any"] * 20}
    answer = editor.post("/pins", json=body)
    assert time.monotonic() - began < 5
    assert answer.status_code == 200 and {p["sentence"] for p in answer.json()["pins"]} == {"nobody waited"}


def test_work_ends_when_the_asker_has_gone() -> None:
    asking = turns.Asking()
    before = turns.asking.set(asking)
    assert turns.go_on()
    asking.gone.set()
    assert not turns.go_on()
    turns.asking.reset(before)


def test_two_work_while_a_third_asks_what_is_costly(
    client: TestClient, sessions: sessionmaker[Session], network_id: int, slow: list[threading.Event],
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    """His questions wait for each other; what others ask is answered at once."""
    monkeypatch.setattr("sarvex.api.access.LONGEST", 3.0)
    with sessions.begin() as session:
        accounts.add_person(session, "third", "Third", "viewer", PASSWORD)
    cookies = {}
    for who in ("third", "maren"):
        sign_in(client, who)
        cookies[who] = {"Cookie": f"{COOKIE}={client.cookies[COOKIE]}"}
        client.cookies.clear()
    base = f"/api/networks/{network_id}"
    answers: list[int] = []

    def ask() -> None:
        told = client.get(f"{base}/answer", params={"q": "any to any"}, headers=cookies["third"])
        answers.append(told.status_code)

    threads = [threading.Thread(target=ask) for _ in range(24)]
    for thread in threads:
        thread.start()
    while len(slow) < MINE:
        time.sleep(0.01)
    times = []
    for _ in range(30):
        began = time.monotonic()
        assert client.get(base, headers=cookies["maren"]).status_code == 200
        times.append(time.monotonic() - began)
    assert len(slow) <= 2 * MINE
    for thread in threads:
        thread.join()
    assert sorted(times)[28] < 1.0
    assert set(answers) <= {422, 429} and answers.count(429) >= 24 - 12 - 2 * MINE
