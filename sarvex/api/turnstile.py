"""Whose request is worked on next: few at a time, short work before long, and of long work a fair share for everybody.

More at a time would be answered later, not sooner, for they would only take turns. *Short* work is what the page needs to be
shown and edited; it goes first, and one place is never given to anything else. *Long* work are questions over the whole network
and what an edit would do: each person has few places for it, whoever has been served least goes first, and what waits is bounded.
All methods but `Turn.aside` belong to the event loop.
"""

from __future__ import annotations

import asyncio
import time
from collections import Counter, deque
from collections.abc import AsyncIterator, Iterator
from contextlib import asynccontextmanager, contextmanager

from anyio import from_thread
from starlette.exceptions import HTTPException
from starlette.requests import Request

PLACES = 4
LONG = PLACES - 1
MINE = 2
"""Long works of one person at a time."""
WAITING_EACH = 12
"""Long works of one person that may wait."""
WAITING = 500
AGAIN = {"Retry-After": "2"}
GONE = 499
"""Nobody hears it."""
STANDSTILL = 10.0
"""Seconds after which a request that waits shows that the server does not answer."""

Waiting = asyncio.Future[None]


class Turn:
    """A request's place, which it may leave for a while."""

    def __init__(self, stile: Turnstile) -> None:
        self.stile = stile
        self.person: int | None = None
        """Without a person it is short work."""
        self.held = True

    def leave(self) -> None:
        """Give the place to whoever is next."""
        if self.held:
            self.held = False
            self.stile.give_back(self.person)

    async def again(self) -> None:
        """Take the next one."""
        await self.stile.take(self.person)
        self.held = True

    @contextmanager
    def aside(self) -> Iterator[None]:
        """From a thread: leave the place, and take the next one afterwards."""
        from_thread.run_sync(self.leave)
        try:
            yield
        finally:
            from_thread.run(self.again)


class Turnstile:
    """The places of one server process."""

    def __init__(self, places: int = PLACES) -> None:
        self.free = places
        self.running: Counter[int] = Counter()
        """Long works by person."""
        self._short: deque[Waiting] = deque()
        self._long: dict[int, deque[Waiting]] = {}
        self._since: dict[Waiting, float] = {}
        self._served: dict[int, float] = {}
        """When each who waits or works was last given a place."""

    @property
    def longest(self) -> float:
        """For how long the short work that waits longest has waited, in seconds."""
        return max((time.monotonic() - self._since[w] for w in self._short if w in self._since), default=0.0)

    @property
    def waiting(self) -> int:
        """How many requests wait."""
        return len(self._since)

    @asynccontextmanager
    async def entered(self, request: Request) -> AsyncIterator[Turn]:
        """A place for short work, as soon as there is one. Raises `HTTPException`: 503 if too many wait."""
        if self.waiting >= WAITING:
            raise HTTPException(503, "Too many requests wait already. Try again in a moment.", AGAIN)
        await self.take(None, request)
        turn = Turn(self)
        try:
            yield turn
        finally:
            turn.leave()

    async def go_long(self, request: Request, turn: Turn, person: int) -> None:
        """Change a place for short work for one for long work. Raises `HTTPException`: 429 if too many of this person wait."""
        if len(self._long.get(person, ())) >= WAITING_EACH:
            raise HTTPException(429, "Too many of your questions wait already. Try again in a moment.", AGAIN)
        turn.leave()
        await self.take(person, request)
        turn.person, turn.held = person, True

    async def take(self, person: int | None, request: Request | None = None) -> None:
        """Wait for a place and take it. Raises `HTTPException` once whoever asks has gone."""
        queue = self._short if person is None else self._long.setdefault(person, deque())
        mine: Waiting = asyncio.get_running_loop().create_future()
        queue.append(mine)
        self._dispatch()
        if mine.done():
            return
        self._since[mine] = time.monotonic()
        gone = asyncio.ensure_future(hung_up(request)) if request is not None else None
        try:
            await asyncio.wait((mine, gone) if gone else (mine,), return_when=asyncio.FIRST_COMPLETED)
            if not mine.done():
                raise HTTPException(GONE, "Whoever asked has gone.")
        except BaseException:
            if mine.done():
                self.give_back(person)
            else:
                queue.remove(mine)
            raise
        finally:
            if gone:
                gone.cancel()
            del self._since[mine]

    def give_back(self, person: int | None) -> None:
        """Give a place back, and let the next have it."""
        self.free += 1
        if person is not None:
            self.running[person] -= 1
        self._dispatch()

    def _dispatch(self) -> None:
        while self.free:
            if self._short:
                waiting = self._short.popleft()
            else:
                person = self._next()
                if person is None:
                    break
                self.running[person] += 1
                self._served[person] = time.monotonic()
                waiting = self._long[person].popleft()
            self.free -= 1
            waiting.set_result(None)
        self._long = {p: q for p, q in self._long.items() if q}
        self.running = +self.running
        self._served = {p: at for p, at in self._served.items() if p in self.running or p in self._long}

    def _next(self) -> int | None:
        """Whose long work comes next: of those with the fewest at work whoever was served longest ago."""
        if self.running.total() >= LONG:
            return None
        may = [p for p, queue in self._long.items() if queue and self.running[p] < MINE]
        return min(may, key=lambda p: (self.running[p], self._served.get(p, 0.0)), default=None)


async def hung_up(request: Request) -> None:
    """Ends when the asker has gone. Only once the body is read."""
    while (await request.receive())["type"] != "http.disconnect":
        pass
