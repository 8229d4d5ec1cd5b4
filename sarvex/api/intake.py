"""What is taken in: how much of a body, from whom, and for how long. Looked at before a body is read.

Without an open session nothing larger than `SMALL` is read, wherever it is sent. Larger ones have places of their own:
where lists of members are written, and where whole documents come in.
"""

from __future__ import annotations

import asyncio
import re
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from http.cookies import CookieError, SimpleCookie
from urllib.parse import urlsplit

from fastapi.concurrency import run_in_threadpool
from sqlalchemy.exc import InterfaceError, OperationalError
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from sarvex.api.errors import AWAY, respond
from sarvex.api.turnstile import AGAIN
from sarvex.formats.skeleton import Skeleton

SMALL = 64_000
LISTS = 4_000_000
DOCUMENTS = 64_000_000
NETWORK = r"/api/networks/\d+"
LARGER: tuple[tuple[re.Pattern[str], int], ...] = (
    (re.compile(rf"(?:/api/networks|{NETWORK}/(?:to-come|bring-in|settle)|{NETWORK}/policies/\d+/decide)$"), DOCUMENTS),
    (re.compile(rf"{NETWORK}/(?:members|names|things|policies|pins|schedules|expectations|first)(?:/|$)"), LISTS),
)  # fmt: skip
LARGE = 1_000_000
LARGE_EACH, LARGE_ALL = 1, 4
"""So many bodies of this size are read and parsed at a time: of one session, and of all. Parsing is what holds up the others, and
what takes memory."""
BUSY = "Documents as large as this are read one at a time; try again when the one before has been answered."
MANY = "a long body is a few fields with long text, in UTF-8; this is not"
SECONDS = 20.0
BYTES_A_SECOND = 100_000
"""A body has so many seconds, and one more for each of these: who sends it in drips is not waited for."""
SAFE = ("GET", "HEAD", "OPTIONS")
CLOSE = {"Connection": "close"}
"""What is left of a body that is not read is not taken for another request."""
Known = Callable[[str], bool]
"""Whether a token is of an open session, or one that has not ended."""


def most(path: str) -> int:
    """The largest body that is read at a path, in bytes."""
    return next((size for pattern, size in LARGER if pattern.match(path)), SMALL)


class Intake:
    """Refuses what is too large, too slow, from another site, or large and from nobody, before it is read."""

    def __init__(self, app: ASGIApp, known: Known, cookie: str) -> None:
        self.app, self.known, self.cookie = app, known, cookie
        self._reading: Counter[str] = Counter()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = await self._refusal(scope, headers)
        if refusal is not None:
            await respond(*refusal, headers=CLOSE)(scope, receive, send)
            return
        limit = most(scope["path"]) if _looked_at(headers) else SMALL
        if limit < DOCUMENTS:
            await self.app(scope, _Reader(receive, limit, None), send)
            return
        whose = _token(headers, self.cookie) if _may_be_large(headers) else None
        if whose and (self._reading[whose] >= LARGE_EACH or self._reading.total() >= LARGE_ALL):
            await respond(429, BUSY, headers=CLOSE | AGAIN)(scope, receive, send)
            return
        with self._one_more(whose):
            await self.app(scope, _Reader(receive, limit, Skeleton()), send)

    @contextmanager
    def _one_more(self, whose: str | None) -> Iterator[None]:
        """While a large body is read and answered."""
        if whose is None:
            yield
            return
        self._reading[whose] += 1
        try:
            yield
        finally:
            self._reading[whose] -= 1
            self._reading += Counter()  # those who have none are forgotten

    async def _refusal(self, scope: Scope, headers: Headers) -> tuple[int, str] | None:
        if scope["method"] not in SAFE and not _same_origin(scope, headers):
            return 403, "This came from another site than our own page."
        told = headers.get("content-length", "0")
        if not told.isdigit():
            return 400, "Its length cannot be read."
        length = int(told)
        limit = most(scope["path"])
        if length > limit:
            return 413, too_large(limit)
        if length > SMALL or ("transfer-encoding" in headers and limit > SMALL):
            token = _token(headers, self.cookie)
            try:
                if not token or not await run_in_threadpool(self.known, token):
                    return 401, "Sign in first."
            except (OperationalError, InterfaceError):
                return 503, AWAY
        return None


def too_large(limit: int) -> str:
    """The words for a body over a limit."""
    return f"more than {limit // 1_000_000} MB are not read here" if limit >= 1_000_000 else (
        f"more than {limit // 1000} kB are not read here"
    )  # fmt: skip


def _looked_at(headers: Headers) -> bool:
    """Whether it was asked who sends it: it is long, or does not tell how long it is."""
    return "transfer-encoding" in headers or int(headers.get("content-length", "0")) > SMALL


def _may_be_large(headers: Headers) -> bool:
    return "transfer-encoding" in headers or int(headers.get("content-length", "0")) > LARGE


def _same_origin(scope: Scope, headers: Headers) -> bool:
    """Browsers tell from which page a request comes (Fetch metadata; RFC 6454); programs tell nothing."""
    if headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return False
    origin = headers.get("origin")
    if origin is None:
        return True
    try:
        parts = urlsplit(origin)
    except ValueError:
        return False
    return (parts.scheme, parts.netloc.lower()) == (scope["scheme"], headers.get("host", "").lower())


def bearer(headers: Headers) -> str | None:
    """The token in the header `Authorization` (RFC 6750); None if it is of another kind, which something in front may ask for."""
    kind, _, token = headers.get("authorization", "").strip().partition(" ")
    return token.strip() if kind.lower() == "bearer" else None


def _token(headers: Headers, name: str) -> str:
    """What whoever sends it signs in with: the header goes before the cookie."""
    if (token := bearer(headers)) is not None:
        return token
    try:
        found = SimpleCookie(headers.get("cookie", "")).get(name)
    except CookieError:
        return ""
    return found.value if found else ""


class _Reader:
    """Reads a body within its size and time. Raises `HTTPException` from within whoever reads it."""

    def __init__(self, receive: Receive, limit: int, skeleton: Skeleton | None) -> None:
        self._receive, self._limit, self._skeleton = receive, limit, skeleton
        self._read, self._over = 0, False
        self._began = time.monotonic()

    async def __call__(self) -> Message:
        if self._over:  # what comes now is only that the asker has gone
            return await self._receive()
        left = self._began + SECONDS + self._read / BYTES_A_SECOND - time.monotonic()
        try:
            message = await asyncio.wait_for(self._receive(), max(left, 0))
        except TimeoutError:
            raise HTTPException(408, "The body came too slowly; send it again.", CLOSE) from None
        self._read += len(message.get("body", b""))
        self._over = not message.get("more_body", False)
        if self._read > self._limit:
            raise HTTPException(413, too_large(self._limit), CLOSE)
        if self._skeleton is not None:
            piece = message.get("body", b"")
            # JSON has no NUL byte; UTF-16 has, and its quotes could not be told.
            if b"\0" in piece or self._skeleton.add(piece).size > SMALL:
                raise HTTPException(413, MANY, CLOSE)
        return message
