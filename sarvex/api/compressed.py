"""Answers made small on their way out (gzip, RFC 1952): what compresses well, for whoever takes it.

Only what says nothing that must not be guessed from its length: data and the page's files, never the page itself, which bears
a nonce. Large bodies are worked on in a thread, so that nobody waits for another's.
"""

from __future__ import annotations

import gzip

from anyio import to_thread
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

SMALL, LARGE = 1_000, 30_000
"""Bytes: below the one it is not worth it, above the other it takes a thread."""
LEVEL = 2
KINDS = ("application/json", "application/problem+json", "text/javascript", "text/css", "image/svg+xml")


class Compressed:
    """Compresses answers that are sent in one piece."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on, and look at what comes back."""
        takes = (
            "gzip" in Headers(scope=scope).get("accept-encoding", "") if scope["type"] == "http" else False
        )
        if not takes:
            await self.app(scope, receive, send)
            return
        begun: list[Message] = []

        async def look(message: Message) -> None:
            if message["type"] == "http.response.start":
                begun.append(message)
                return
            if begun:
                start = begun.pop()
                if message["type"] == "http.response.body" and not message.get("more_body"):
                    message = {**message, "body": await _small(start, message.get("body", b""))}
                await send(start)
            await send(message)

        await self.app(scope, receive, look)


async def _small(start: Message, body: bytes) -> bytes:
    """The body as it is sent, and its headers made to say so."""
    headers = MutableHeaders(raw=start["headers"])
    kind = headers.get("content-type", "").partition(";")[0]
    if kind not in KINDS or len(body) < SMALL or "content-encoding" in headers:
        return body
    made = (
        gzip.compress(body, LEVEL, mtime=0)
        if len(body) < LARGE
        else await to_thread.run_sync(lambda: gzip.compress(body, LEVEL, mtime=0))
    )
    headers["Content-Encoding"] = "gzip"
    headers["Content-Length"] = str(len(made))
    headers.add_vary_header("Accept-Encoding")
    start["headers"] = headers.raw
    return made
