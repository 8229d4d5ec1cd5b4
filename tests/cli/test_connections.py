"""Connections that say nothing, too many of them, and some from elsewhere."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import Any

import pytest
from uvicorn import Config
from uvicorn.server import ServerState

from sarvex.cli import connections
from sarvex.cli.connections import Guarded

REQUEST = b"GET / HTTP/1.1\r\nHost: x\r\n\r\n"
Streams = tuple[asyncio.StreamReader, asyncio.StreamWriter]


async def answers(scope: Any, receive: Any, send: Any) -> None:
    """An application that answers whatever it is asked."""
    if scope["type"] == "http":
        await send({"type": "http.response.start", "status": 204, "headers": []})
        await send({"type": "http.response.body"})


def served(act: Callable[[int], Awaitable[None]]) -> None:
    async def run() -> None:
        config, state = Config(answers, http=Guarded, log_config=None, timeout_keep_alive=60), ServerState()
        loop = asyncio.get_running_loop()
        server = await loop.create_server(lambda: Guarded(config, state, {}), "127.0.0.1", 0)
        async with server:
            await asyncio.wait_for(act(server.sockets[0].getsockname()[1]), 10)
            for _, writer in OPEN:
                writer.close()
            await asyncio.gather(*(w.wait_closed() for _, w in OPEN), return_exceptions=True)
            OPEN.clear()

    asyncio.run(run())


OPEN: list[Streams] = []


async def opened(port: int) -> Streams:
    """A connection, closed when the server is."""
    OPEN.append(await asyncio.open_connection("127.0.0.1", port))
    return OPEN[-1]


async def said(streams: Streams, text: bytes) -> bytes:
    """What comes back, up to the end of a head or of the connection."""
    streams[1].write(text)
    try:
        return await streams[0].readuntil(b"\r\n\r\n")
    except (asyncio.IncompleteReadError, ConnectionError):
        return b""


def test_a_head_that_does_not_come_is_not_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "HEAD_SECONDS", 0.3)

    async def act(port: int) -> None:
        silent, dripping, kept = [await opened(port) for _ in range(3)]
        assert (await said(kept, REQUEST)).startswith(b"HTTP/1.1 204")
        dripping[1].write(b"GET / HTTP/1.1\r\n")
        await asyncio.sleep(0.6)
        for streams in (silent, dripping):
            assert await said(streams, b"x") == b""
        assert (await said(kept, REQUEST)).startswith(b"HTTP/1.1 204")  # it was not waited for
        kept[1].write(b"GET / HTTP/1.1\r\n")
        await asyncio.sleep(0.6)
        assert await said(kept, b"x") == b""

    served(act)


def test_so_many_connections_and_no_more(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "MOST", 3)

    async def act(port: int) -> None:
        held = [await opened(port) for _ in range(3)]
        assert all([(await said(s, REQUEST)).startswith(b"HTTP/1.1 204") for s in held])
        assert await said(await opened(port), REQUEST) == b""
        held[0][1].close()
        await asyncio.sleep(0.1)
        again = await opened(port)
        assert (await said(again, REQUEST)).startswith(b"HTTP/1.1 204")

    served(act)


@pytest.mark.parametrize(
    ("proxy", "peer", "others", "may"),
    [
        ("", "10.44.90.7", 0, True),
        ("", "10.44.90.7", connections.MOST_EACH, False),
        ("", "127.0.0.1", connections.MOST_EACH, True),
        ("10.44.90.2", "10.44.90.2", connections.MOST_EACH, True),
        ("10.44.90.2", "127.0.0.1", 0, True),
        ("10.44.90.2", "::1", 0, True),
        ("10.44.90.2", "10.44.90.7", 0, False),
    ],
)
def test_with_a_proxy_nobody_comes_past_it(
    proxy: str, peer: str, others: int, may: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def look() -> bool:
        made = Guarded(Config(answers, http=Guarded, log_config=None), ServerState(), {})
        monkeypatch.setenv(connections.PROXY, proxy)
        monkeypatch.setitem(Guarded._from, peer, others)
        return made._may_come(peer)

    assert asyncio.run(look()) == may
