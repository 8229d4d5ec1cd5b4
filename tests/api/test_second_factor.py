"""What an open session alone may not do: a second factor, the password once more, and a password that somebody else knows."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any
from xml.etree import ElementTree

import pyotp
import pytest
from fastapi.testclient import TestClient
from signed import PASSWORD, Signed, sign_in
from sqlalchemy import update
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api.access import HEADER
from sarvex.service.people import accounts
from sarvex.store import tables as t

Sessions = sessionmaker[Session]
ANOTHER = "the ferry leaves at seven"


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> list[float]:
    """The seconds by which codes are reckoned."""
    now = [1_800_000_000.0]
    monkeypatch.setattr(
        "sarvex.service.people.second_factor.time", type("clock", (), {"time": lambda: now[0]})
    )
    return now


def entered(client: TestClient, login: str, code: str = "", password: str = PASSWORD) -> Any:
    client.cookies.clear()
    answer = client.post("/api/session", json={"login": login, "password": password, "code": code})
    if answer.status_code == 200:
        client.headers[HEADER] = answer.json()["csrf"]
    return answer


def with_factor(client: TestClient, clock: list[float]) -> pyotp.TOTP:
    offered = client.post("/api/session/second-factor").json()
    assert offered["picture"].startswith("data:image/svg+xml")
    made = pyotp.TOTP(offered["secret"])
    assert client.put("/api/session/second-factor", json={"code": "000000"}).status_code == 422
    assert client.put("/api/session/second-factor", json={"code": made.at(clock[0])}).status_code == 204
    return made


def test_codes_are_those_of_the_standard() -> None:
    """RFC 6238, appendix B, the last six of its eight digits."""
    totp = pyotp.TOTP("GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ")
    assert [totp.at(s) for s in (59, 1111111109, 1234567890)] == ["287082", "081804", "005924"]


def test_a_code_is_asked_for_and_counts_once(client: TestClient, editor: Signed, clock: list[float]) -> None:
    totp = with_factor(client, clock)
    assert client.get("/api/session").json()["second_factor"] is True
    needed = entered(client, "maren")
    assert (needed.status_code, needed.json()["kind"]) == (401, "code")
    assert (
        entered(client, "maren", password="wrong wrong wrong").json().get("kind") is None
    )  # says nothing of a code
    used = totp.at(clock[0])
    assert entered(client, "maren", used).status_code == 401  # it confirmed the factor already
    clock[0] += 30
    assert entered(client, "maren", "12345").status_code == 401
    assert entered(client, "maren", f" {totp.at(clock[0])[:3]} {totp.at(clock[0])[3:]}").status_code == 200
    assert entered(client, "maren", totp.at(clock[0])).status_code == 401
    clock[0] += 30
    assert (
        entered(client, "maren", totp.at(clock[0] + 30)).status_code == 200
    )  # a clock that is a little fast
    assert (
        entered(client, "maren", totp.at(clock[0])).status_code == 401
    )  # what is before the last one is over
    clock[0] += 300
    assert entered(client, "maren", totp.at(clock[0] - 60)).status_code == 401
    assert entered(client, "maren", totp.at(clock[0])).status_code == 200
    assert client.delete("/api/session/second-factor").status_code == 204
    assert entered(client, "maren").status_code == 200


def test_wrong_codes_are_counted_like_wrong_passwords(
    client: TestClient, editor: Signed, clock: list[float]
) -> None:
    with_factor(client, clock)
    clock[0] += 60
    assert [entered(client, "maren", "000000").status_code for _ in range(11)] == [401] * 10 + [429]


def test_the_picture_is_what_the_secret_says(editor: Signed) -> None:
    offered = editor.http.post("/api/session/second-factor").json()
    from urllib.parse import unquote

    ElementTree.fromstring(unquote(offered["picture"].partition(",")[2]))
    assert len(offered["secret"]) == 32


PROVEN = [
    ("POST", "/releases", {"number": None, "revision": 0, "reason": "x"}),
    ("POST", "/releases/1/confirmation", None),
    ("PUT", "/releases/settings", {"reviewers": 0, "confirm_minutes": 0, "managed_from": []}),
    ("PUT", "/links/1", {"address": "https://10.44.90.21", "login": "x", "secret": "x"}),
    ("DELETE", "/links/1", None),
    ("POST", "/../../people", {"login": "gus", "role": "viewer", "password": ANOTHER}),
    ("PATCH", "/../../people/1", {"role": "viewer"}),
    ("POST", "/../../session/second-factor", None),
    ("DELETE", "/../../session/second-factor", None),
]


@pytest.fixture
def chief(client: TestClient, sessions: Sessions, network_id: int) -> Signed:
    with sessions.begin() as session:
        accounts.add_person(session, "chief", "Chief", "administrator", PASSWORD)
    sign_in(client, "chief")
    return Signed(client, f"/api/networks/{network_id}")


def aged(sessions: Sessions) -> None:
    """It is a while since anybody gave a password."""
    with sessions.begin() as session:
        session.execute(
            update(t.SignIn).values(proved_at=datetime.now(UTC).replace(tzinfo=None) - accounts.PROOF * 2)
        )


@pytest.mark.parametrize(("method", "path", "body"), PROVEN)
def test_an_open_session_alone_is_not_enough(
    client: TestClient, chief: Signed, sessions: Sessions, method: str, path: str, body: Any
) -> None:
    address = chief.base + path if not path.startswith("/../../") else "/api" + path[len("/../..") :]
    aged(sessions)
    answer = client.request(method, address, json=body)
    assert (answer.status_code, answer.json().get("kind")) == (403, "proof")
    wrong = client.post("/api/session/proof", json={"password": "wrong wrong wrong"})
    assert wrong.status_code == 422 and wrong.json()["problems"][0]["path"] == ["password"]
    assert client.post("/api/session/proof", json={"password": PASSWORD}).status_code == 204
    again = client.request(method, address, json=body)
    assert again.status_code != 403 or again.json().get("kind") != "proof"


def test_a_way_back_asks_for_nothing(client: TestClient, chief: Signed, sessions: Sessions) -> None:
    aged(sessions)
    assert chief.post("/releases/1/way-back").status_code == 404  # there is none, and that is all


def test_where_a_network_asks_for_it_nobody_releases_or_administers_without(
    client: TestClient, chief: Signed, clock: list[float]
) -> None:
    settings = {"reviewers": 0, "confirm_minutes": 0, "managed_from": [], "second_factor": True}
    assert chief.put("/releases/settings", json=settings).status_code == 200
    release = {"number": None, "revision": chief.get("").json()["revision"], "reason": "x"}
    for answer in (
        chief.post("/releases", json=release),
        chief.put("/releases/settings", json=settings | {"second_factor": False}),
        client.post("/api/people", json={"login": "gus", "role": "viewer", "password": ANOTHER}),
    ):
        assert answer.status_code == 403 and "second factor" in answer.json()["detail"]
    number = chief.base.rsplit("/", 1)[1]
    for written, status in ((f"{number}.0", 404), (f"+{number}", 404), (f"%20{number}", 404), ("0.8", 404)):
        answer = client.post(f"/api/networks/{written}/releases", json=release)
        assert answer.status_code == status, written  # however the network is named
    with_factor(client, clock)
    assert client.post("/api/networks/0.8/releases", json=release).status_code == 404
    assert chief.post("/releases", json=release).status_code == 201
    assert (
        client.post("/api/people", json={"login": "gus", "role": "viewer", "password": ANOTHER}).status_code
        == 201
    )


def test_a_password_that_was_given_is_changed_first(
    client: TestClient, chief: Signed, sessions: Sessions, network_id: int
) -> None:
    client.post("/api/people", json={"login": "gus", "name": "Gus", "role": "releaser", "password": ANOTHER})
    me = entered(client, "gus", password=ANOTHER)
    assert me.json()["given"] is True
    refused = chief.get("")
    assert (refused.status_code, refused.json()["kind"]) == (403, "password")
    assert client.get("/api/session").status_code == 200
    change = {"old": ANOTHER, "new": ANOTHER}
    assert client.put("/api/session/password", json=change).status_code == 422  # the same is no other
    assert client.put("/api/session/password", json=change | {"new": PASSWORD}).status_code == 204
    revision = chief.get("").json()["revision"]
    assert chief.post("/review/signatures", json={"revision": revision, "remark": ""}).status_code == 204
    (signed,) = chief.get("/review").json()["signatures"]
    assert signed["standing"] == "as signed"
    entered(client, "chief")
    gus = next(p["id"] for p in client.get("/api/people").json() if p["login"] == "gus")
    assert client.patch(f"/api/people/{gus}", json={"password": ANOTHER}).status_code == 204
    (signed,) = chief.get("/review").json()["signatures"]
    assert signed["standing"] == "password given"  # somebody else can sign in as gus now


def test_an_administrator_takes_a_lost_factor_away(
    client: TestClient, chief: Signed, clock: list[float]
) -> None:
    entered(client, "maren")
    with_factor(client, clock)
    entered(client, "chief")
    maren = next(p for p in client.get("/api/people").json() if p["login"] == "maren")
    assert maren["second_factor"] is True
    assert client.patch(f"/api/people/{maren['id']}", json={"second_factor": True}).status_code == 422
    assert client.patch(f"/api/people/{maren['id']}", json={"second_factor": False}).status_code == 204
    assert entered(client, "maren").status_code == 200
