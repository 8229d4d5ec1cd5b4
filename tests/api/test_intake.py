"""What is read of a request before anybody is known: little, and not for long; and nothing from another site's page."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient
from signed import PASSWORD, Signed

from sarvex.api import intake
from sarvex.api.access import COOKIE
from sarvex.api.app import create_app

WRONG = [{"nothing": "that is known"}]


def pieces(count: int) -> Iterator[bytes]:
    for _ in range(count):
        yield b"x" * 10_000


def test_without_a_session_nothing_large_is_read(client: TestClient, network_id: int) -> None:
    small, large = "/api/session", f"/api/networks/{network_id}/bring-in"
    for body in (b"x" * 65_000, pieces(10)):
        answer = client.post(small, content=body, headers={"Content-Type": "application/json"})
        assert (answer.status_code, answer.json()["detail"]) == (413, "more than 64 kB are not read here")
    for body in (b"x" * 65_000, pieces(10)):
        assert client.post(large, content=body).status_code == 401
    client.cookies.set(COOKIE, "forged", path="/api")
    assert client.post(large, content=b"x" * 65_000).status_code == 401
    assert client.post(large, content=b"x" * 64_000_001).status_code == 413


def test_a_body_that_is_refused_is_not_read_at_all(database_url: str) -> None:
    async def ask(path: str, headers: dict[str, str]) -> tuple[int, int]:
        read, told = 0, 0

        async def receive() -> Any:
            nonlocal read
            read += 1
            return {"type": "http.request", "body": b"x" * 1000, "more_body": True}

        async def send(message: Any) -> None:
            nonlocal told
            told = message.get("status", told)

        scope = {
            "type": "http", "method": "POST", "path": path, "scheme": "http", "query_string": b"", "http_version": "1.1",
            "headers": [(k.encode(), v.encode()) for k, v in headers.items()], "client": ("127.0.0.1", 1),
        }  # fmt: skip
        await create_app(database_url)(scope, receive, send)
        return told, read

    for path, headers, status in (
        ("/api/networks", {"content-length": "5000000"}, 401),
        ("/api/networks", {"transfer-encoding": "chunked"}, 401),
        ("/api/session", {"content-length": "5000000"}, 413),
        ("/api/session", {"content-length": "10", "origin": "https://elsewhere.example", "host": "testserver"}, 403),
        ("/api/session", {"content-length": "many"}, 400),
    ):  # fmt: skip
        assert asyncio.run(ask(path, headers)) == (status, 0), path
    told, read = asyncio.run(ask("/api/session", {"transfer-encoding": "chunked"}))
    assert (told, read) == (413, 65)


def test_a_body_that_comes_in_drips_is_not_waited_for(
    database_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(intake, "SECONDS", 0.3)

    async def ask() -> int:
        told = 0

        async def receive() -> Any:
            await asyncio.sleep(0.1)
            return {"type": "http.request", "body": b" ", "more_body": True}

        async def send(message: Any) -> None:
            nonlocal told
            told = message.get("status", told)

        scope = {
            "type": "http", "method": "POST", "path": "/api/session", "scheme": "http", "query_string": b"",
            "http_version": "1.1", "headers": [(b"content-length", b"1000"), (b"content-type", b"application/json")],
            "client": ("127.0.0.1", 1),
        }  # fmt: skip
        await create_app(database_url)(scope, receive, send)
        return told

    assert asyncio.run(asyncio.wait_for(ask(), 5)) == 408


def test_whoever_is_signed_in_sends_lists_and_documents(editor: Signed) -> None:
    many = {"space": "address", "text": " ".join(f"10.44.{n // 256}.{n % 256}" for n in range(8000))}
    assert len(json.dumps(many)) > intake.SMALL
    told = editor.post("/members", json=many)
    assert told.status_code == 200 and len(told.json()) == 8000
    document = json.dumps({"sarvex": 1, "name": "large", "description": "x" * 2000, "addresses": [
        {"name": f"a{n}", "members": ["10.44.1.1"]} for n in range(5000)
    ]})  # fmt: skip
    assert editor.http.post("/api/networks", json={"text": document}).status_code == 201
    answer = editor.post("/undo", json={"padding": "x" * 70_000})
    assert answer.status_code == 413


def test_a_body_of_a_thousand_mistakes_gets_two_hundred_words_of_them(editor: Signed) -> None:
    answer = editor.post("/pins", json={"asker": "a", "generation": 1, "questions": list(range(200_000))})
    assert answer.status_code == 422
    assert len(answer.json()["problems"]) <= 200 and len(answer.content) < 200_000


@pytest.mark.parametrize(
    ("headers", "may"),
    [
        ({}, True),
        ({"Origin": "http://testserver"}, True),
        ({"Origin": "http://TESTSERVER"}, True),
        ({"Origin": "https://testserver"}, False),
        ({"Origin": "http://testserver:81"}, False),
        ({"Origin": "http://testserver.elsewhere.example"}, False),
        ({"Origin": "null"}, False),
        ({"Origin": "http://["}, False),
        ({"Sec-Fetch-Site": "same-origin"}, True),
        ({"Sec-Fetch-Site": "same-site"}, False),
        ({"Sec-Fetch-Site": "cross-site"}, False),
        ({"Origin": "http://elsewhere.example", "Sec-Fetch-Site": "same-origin"}, False),
    ],
)
def test_another_site_changes_nothing(
    client: TestClient, network_id: int, headers: dict[str, str], may: bool
) -> None:
    body = {"login": "maren", "password": PASSWORD}
    assert client.post("/api/session", json=body, headers=headers).status_code == (200 if may else 403)


def test_what_nobody_thought_of_carries_the_headers_too(
    client: TestClient, editor: Signed, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(*_: object) -> None:
        raise RuntimeError("nobody thought of this")

    monkeypatch.setattr("sarvex.service.drafts.networks.listing", fails)
    answer = client.get("/api/networks")
    assert answer.status_code == 500
    assert "nobody thought" not in answer.text
    for header in ("content-security-policy", "x-content-type-options", "x-request-id", "cache-control"):
        assert header in answer.headers
    assert answer.headers["x-request-id"] in answer.json()["detail"]


def test_a_long_body_of_many_values_is_not_parsed(editor: Signed) -> None:
    many = "[" + ",".join(['{"a": 1}'] * 200_000) + "]"
    for body, status in (
        (many.encode(), 413),
        (("[" * 100_000).encode(), 413),
        (json.dumps({"text": many}).encode("utf-16"), 413),
        (json.dumps({"form": "document", "text": many}).encode(), 422),  # read, and no document
        (json.dumps({"form": "document", "text": 'a "quoted" \\ line\n' * 10_000}).encode(), 422),
    ):
        answer = editor.http.post(
            f"{editor.base}/to-come", content=body, headers={"Content-Type": "application/json"}
        )
        assert answer.status_code == status, answer.text[:300]


def test_large_bodies_are_read_one_at_a_time() -> None:
    """Of one session; others have theirs, but four in all; small ones are not held up."""

    async def go() -> None:
        answered = asyncio.Event()

        async def app(scope: Any, receive: Any, send: Any) -> None:
            await answered.wait()
            await send({"type": "http.response.start", "status": 200, "headers": []})
            await send({"type": "http.response.body", "body": b""})

        guard = intake.Intake(app, lambda _: True, COOKIE)

        def ask(whose: str, length: int) -> asyncio.Task[int]:
            async def asked() -> int:
                told = 0

                async def send(message: Any) -> None:
                    nonlocal told
                    told = message.get("status", told)

                headers = {"cookie": f"{COOKIE}={whose}", "content-length": str(length)}
                scope = {
                    "type": "http", "method": "POST", "path": "/api/networks", "scheme": "http",
                    "headers": [(k.encode(), v.encode()) for k, v in headers.items()],
                }  # fmt: skip
                await guard(scope, lambda: asyncio.sleep(0, {"type": "http.disconnect"}), send)
                return told

            return asyncio.create_task(asked())

        first = ask("a", 2_000_000)
        while not guard._reading:  # who sends it is looked up in a thread
            await asyncio.sleep(0.001)
        assert await ask("a", 2_000_000) == 429
        small = ask("a", 900_000)
        others = [ask(who, 2_000_000) for who in "bcd"]
        while guard._reading.total() < 4:
            await asyncio.sleep(0.001)
        assert await ask("e", 2_000_000) == 429
        answered.set()
        assert [await task for task in (first, small, *others)] == [200] * 5
        assert await ask("a", 2_000_000) == 200 and not guard._reading

    asyncio.run(go())
