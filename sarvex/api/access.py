"""Who may do what: every route asks for a session unless it is opened on purpose.

The session token is a cookie that scripts cannot read and other sites cannot send (HttpOnly,
SameSite=Strict). Whatever changes something must also carry the session's own token in a header, which
another site cannot know.
"""

from __future__ import annotations

import secrets
from collections.abc import Awaitable, Callable, Iterator
from typing import Annotated

from fastapi import Depends, HTTPException, Request
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from sqlalchemy.orm import Session

from sarvex.service import people
from sarvex.service.library import Library
from sarvex.service.people import Role, Someone

COOKIE = "sarvex_session"
HEADER = "X-Sarvex-Token"
SAFE = ("GET", "HEAD", "OPTIONS")


def transaction(request: Request) -> Iterator[Session]:
    """One transaction per request: committed if the handler returns, rolled back if it raises."""
    with request.app.state.sessions.begin() as session:
        yield session


# Committed before the answer leaves: nobody is told of an edit that then fails to be written.
Transaction = Annotated[Session, Depends(transaction, scope="function")]


def fresh(request: Request) -> Iterator[Session]:
    """A transaction that has read nothing yet: what locks a row first then sees everything committed before that."""
    yield from transaction(request)


Fresh = Annotated[Session, Depends(fresh, scope="function")]


async def library(request: Request) -> Library:
    """The networks in memory."""
    found: Library = request.app.state.library
    return found


InLibrary = Annotated[Library, Depends(library)]


def signed_in(request: Request, session: Transaction) -> Someone:
    """The person behind the request; 401 without an open session, 403 with a forged change."""
    token = request.cookies.get(COOKIE, "")
    person = people.who(session, token) if token else None
    if person is None:
        raise HTTPException(401, "Sign in first.")
    if request.method not in SAFE and not secrets.compare_digest(
        request.headers.get(HEADER, ""), person.csrf
    ):
        raise HTTPException(403, f"The header {HEADER} does not belong to this session; reload the page.")
    request.state.person = person.login
    return person


Person = Annotated[Someone, Depends(signed_in)]


def at_least(role: Role) -> Callable[[Someone], Awaitable[Someone]]:
    """A dependency that asks for a role."""

    async def check(person: Person) -> Someone:  # no thread is needed for that
        person.may(role)
        return person

    return check


Editor = Annotated[Someone, Depends(at_least("editor"))]


class Throttle:
    """Tries to sign in, per client and per name, within one worker."""

    def __init__(self, per_minute: int) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._limit = RateLimitItemPerMinute(per_minute)

    def __call__(self, *keys: str) -> None:
        """Count a try; 429 when there were too many."""
        within = [self._limiter.hit(self._limit, key) for key in keys]  # every key counts, none short-cut
        if not all(within):
            raise HTTPException(429, "Too many tries; wait a minute.", headers={"Retry-After": "60"})
