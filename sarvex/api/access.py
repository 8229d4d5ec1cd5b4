"""Who may do what: every route asks for a session unless it is opened on purpose.

The session token is a cookie that scripts cannot read and other sites cannot send (HttpOnly,
SameSite=Strict). Whatever changes something must also carry the session's own token in a header, which
another site cannot know.
"""

from __future__ import annotations

import asyncio
import re
import secrets
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from typing import Annotated

from fastapi import Depends, HTTPException, Request
from fastapi.concurrency import run_in_threadpool
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from sqlalchemy.orm import Session

from sarvex.api.intake import SAFE, bearer
from sarvex.api.turnstile import Turn, Turnstile, hung_up
from sarvex.core.model.records import fold
from sarvex.service import audit
from sarvex.service.analysis import turns
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.errors import NotFound, PasswordGiven
from sarvex.service.people import accounts, second_factor, tokens
from sarvex.service.people.accounts import Someone
from sarvex.service.people.roles import Role

COOKIE = "sarvex_session"
HEADER = "X-Sarvex-Token"
IDLE = "X-Sarvex-Idle"
"""Sent with what a page asks by itself while nobody touches it: that does not keep a session open."""
OWN_SESSION = "/api/session"
"""What somebody may do who must change a password first."""
WHO_AM_I = "GET", OWN_SESSION
FOR_TOKENS = "/api/networks"
"""What tokens are for; all else is for persons."""


PLAIN_NUMBER = re.compile("[0-9]{1,18}")
LONGEST = 10.0
"""Seconds that are worked on one request for long work, whatever it asks."""


async def turn(request: Request) -> AsyncIterator[Turn]:
    """Wait until it is this request's turn. It has been read whole by then, so nobody holds a place by sending slowly."""
    stile: Turnstile = request.app.state.turnstile
    async with stile.entered(request) as mine:
        turns.aside.set(mine.aside)
        audit.begin()
        yield mine


InTurn = Annotated[Turn, Depends(turn, scope="function")]


@asynccontextmanager
async def _begun(request: Request) -> AsyncIterator[Session]:
    session: Session = request.app.state.sessions()  # begins when something is first asked of it
    try:
        yield session
    except BaseException:
        await run_in_threadpool(session.close)
        raise
    await run_in_threadpool(_commit, session)


def _commit(session: Session) -> None:
    with session:
        session.commit()


async def transaction(request: Request, _: InTurn) -> AsyncIterator[Session]:
    """One transaction per request: committed if the handler returns, rolled back if it raises."""
    async with _begun(request) as session:
        yield session


# Committed before the answer leaves: nobody is told of an edit that then fails to be written.
Transaction = Annotated[Session, Depends(transaction, scope="function")]


async def fresh(request: Request, _: InTurn) -> AsyncIterator[Session]:
    """A transaction that has read nothing yet: what locks a row first then sees everything committed before that."""
    async with _begun(request) as session:
        yield session


Fresh = Annotated[Session, Depends(fresh, scope="function")]


async def cache(request: Request) -> NetworkCache:
    """The networks in memory."""
    found: NetworkCache = request.app.state.cache
    return found


Cached = Annotated[NetworkCache, Depends(cache)]


def signed_in(request: Request, session: Transaction) -> Someone:
    """The person behind the request, by a session or by a token; 401 without, 403 with a forged change, 404 of a network that they
    do not see."""
    number, among = _network(request)
    token = bearer(request.headers)
    person = (
        _by_session(request, session, number) if token is None else _by_token(request, session, token, number)
    )
    if among and (number is None or person.role == "none"):
        raise NotFound("there is no such network")
    if person.given and not request.url.path.startswith(OWN_SESSION):
        raise PasswordGiven("somebody else gave you your password and knows it; change it first")
    return person


def _network(request: Request) -> tuple[int | None, bool]:
    """The network that a path is of, if its number is written as numbers are, and whether it is of one."""
    number = request.path_params.get("network_id")
    plain = PLAIN_NUMBER.fullmatch(str(number))
    return int(str(number)) if plain else None, number is not None


def _by_session(request: Request, session: Session, network_id: int | None) -> Someone:
    token = request.cookies.get(COOKIE, "")
    person = accounts.who(session, token, network_id) if token else None
    if person is None:
        raise HTTPException(401, "Sign in first.")
    given = request.headers.get(HEADER, "").encode()  # as text it could only be compared if it were ASCII
    if request.method not in SAFE and not secrets.compare_digest(given, person.csrf.encode()):
        raise HTTPException(403, f"The header {HEADER} does not belong to this session; reload the page.")
    if accounts.unseen(person) and IDLE not in request.headers:
        # Not in the request's own transaction: every other request of this session would wait for its end.
        with request.app.state.sessions.begin() as own:
            accounts.see(own, token)
    request.state.person = person.login
    return person


def _by_token(request: Request, session: Session, token: str, network_id: int | None) -> Someone:
    """By RFC 6750. No other site can send one, so nothing else is asked for."""
    person = tokens.who(session, token, network_id) if token else None
    if person is None:
        raise HTTPException(
            401,
            "This token is not known, has ended, or its account is closed.",
            {"WWW-Authenticate": "Bearer"},
        )
    if accounts.unseen(person):
        with request.app.state.sessions.begin() as own:
            tokens.see(own, token)
    request.state.person = f"{person.login} by {person.token}"
    audit.by_token(person.token)
    if not request.url.path.startswith(FOR_TOKENS) and (request.method, request.url.path) != WHO_AM_I:
        person.in_person()
    return person


Person = Annotated[Someone, Depends(signed_in)]


async def long_work(
    request: Request, mine: InTurn, session: Transaction, person: Person
) -> AsyncIterator[None]:
    """For questions over the whole network, and what an edit would do: a fair share of the places for each person, one deadline
    for all of the request, and an end when the asker hangs up."""
    await run_in_threadpool(session.rollback)  # whoever waits holds no connection
    await request.app.state.turnstile.go_long(request, mine, person.id)
    asking = turns.Asking(time.monotonic() + LONGEST)
    turns.asking.set(asking)
    watch = asyncio.ensure_future(hung_up(request))
    watch.add_done_callback(lambda _: asking.gone.set())
    try:
        yield
    finally:
        watch.cancel()


LONG = [Depends(long_work, scope="function")]
"""Of a route whose work may take long."""


def at_least(role: Role) -> Callable[[Someone], Awaitable[Someone]]:
    """A dependency that asks for a role."""

    async def check(person: Person) -> Someone:  # no thread is needed for that
        person.may(role)
        return person

    return check


async def in_person(person: Person) -> Someone:
    """A dependency that no token satisfies."""
    person.in_person()
    return person


IN_PERSON = [Depends(in_person)]


async def proved(person: Person) -> Someone:
    """A dependency that asks for the password again if it was not given just now."""
    person.proved()
    return person


Proved = Annotated[Someone, Depends(proved)]


def with_second_factor(request: Request, session: Transaction, person: Person) -> None:
    """A dependency that asks for a second factor where the network does, or where any does: of no network, and of a number that
    is written otherwise than here."""
    second_factor.demand(session, person.id, _network(request)[0])


PROVED = [Depends(proved), Depends(with_second_factor)]
"""Of a route that an open session alone may not use."""
Editor = Annotated[Someone, Depends(at_least("editor"))]


class Throttle:
    """Failed tries to sign in, within one worker: of one name from one address, and of one address whatever the name. Nobody can
    shut somebody else out by trying their name from elsewhere."""

    def __init__(self, per_minute: int, per_address: int) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._limits = RateLimitItemPerMinute(per_minute), RateLimitItemPerMinute(per_address)
        self._told = RateLimitItemPerMinute(1)

    def _keys(self, address: str, login: str) -> tuple[str, str]:
        return f"{address} {fold(login)}", address

    def check(self, address: str, login: str) -> bool:
        """Whether another try may be made."""
        keys = self._keys(address, login)
        return all(self._limiter.test(limit, key) for limit, key in zip(self._limits, keys, strict=True))

    def failed(self, address: str, login: str) -> None:
        """Count a failed try."""
        for limit, key in zip(self._limits, self._keys(address, login), strict=True):
            self._limiter.hit(limit, key)

    def worth_telling(self, address: str, login: str) -> bool:
        """Whether that a try was not made is to be written down: once a minute, or whoever tries would fill the audit."""
        return self._limiter.hit(self._told, "told", *self._keys(address, login))
