"""Connections before there is a request: so many at a time, from whom they may come, and how long a request's head may take.

uvicorn waits for the head of a request as long as it takes; whoever opens many connections and says nothing would hold all.
"""

from __future__ import annotations

import asyncio
import ipaddress
import os
from collections import Counter
from typing import Any, ClassVar

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

PROXY = "SARVEX_PROXY"
"""The address of what speaks TLS in front: connections are taken from there and from this machine alone."""
MOST = 1000
MOST_EACH = 200
"""From one address, unless it is the proxy's or this machine's own: many people stand behind these."""
HEAD_SECONDS = 10.0


class Guarded(HttpToolsProtocol):
    """A connection that is closed if there are too many, if it is from elsewhere, or if its request's head does not come."""

    _from: ClassVar[Counter[str]] = Counter()
    _waits: asyncio.TimerHandle | None = None
    _counted = ""

    def connection_made(self, transport: Any) -> None:
        """Take it, or close it at once."""
        super().connection_made(transport)
        peer = self.client[0] if self.client else ""
        if not self._may_come(peer):
            transport.abort()
            return
        self._counted = peer
        self._from[peer] += 1
        self._wait_for_head()

    def connection_lost(self, exc: Exception | None) -> None:
        """It is over."""
        if self._counted:
            self._from[self._counted] -= 1
            if not self._from[self._counted]:
                del self._from[self._counted]
            self._counted = ""
        self._head_came()
        super().connection_lost(exc)

    def on_message_begin(self) -> None:
        """A further request on a connection that was kept."""
        if self._waits is None:
            self._wait_for_head()
        super().on_message_begin()

    def on_headers_complete(self) -> None:
        """The head is there; its body has its own time."""
        self._head_came()
        super().on_headers_complete()

    def _may_come(self, peer: str) -> bool:
        proxy = os.environ.get(PROXY, "")
        near = _is_near(peer)
        if proxy and not near and peer != proxy:
            return False
        return len(self.connections) <= MOST and (near or peer == proxy or self._from[peer] < MOST_EACH)

    def _wait_for_head(self) -> None:
        self._waits = self.loop.call_later(HEAD_SECONDS, self.transport.abort)

    def _head_came(self) -> None:
        if self._waits is not None:
            self._waits.cancel()
            self._waits = None


def _is_near(peer: str) -> bool:
    try:
        return ipaddress.ip_address(peer).is_loopback
    except ValueError:
        return not peer
