"""Inputs that nobody sends by mistake: none is an unhandled error, and each gets the headers and a word."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from signed import PASSWORD, Signed, sign_in
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api.access import COOKIE, HEADER, IDLE
from sarvex.api.app import create_app
from sarvex.service.people import accounts
from sarvex.store import tables as t

Sessions = sessionmaker[Session]
OVERRIDE = "\u202e"


def test_a_forged_token_of_any_characters_is_refused(editor: Signed) -> None:
    for forged in ("", "x" * 5000, "ölçü".encode(), b"\xff\xfe\x80"):
        headers = {HEADER: forged}
        answer = editor.http.request("POST", f"{editor.base}/undo", headers=headers)
        assert answer.status_code == 403 and "x-content-type-options" in answer.headers
    editor.http.cookies.clear()
    editor.http.cookies.set(COOKIE, "x" * 5000, path="/api")
    assert editor.get("").status_code == 401


@pytest.mark.parametrize(
    "path",
    ["/assets/%00.js", "/%00", "/assets/" + "a" * 300, "/" + "a/" * 3000, "/assets/%ff", "/%2e%2e%00/x"],
)
def test_paths_that_are_no_files(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code in (200, 404) and "x-content-type-options" in answer.headers
    assert answer.headers["x-request-id"]


def rule(**more: object) -> dict[str, object]:
    return {
        "name": "r",
        "action": "drop",
        "source": ["any"],
        "destination": ["any"],
        "service": ["any"],
        **more,
    }


@pytest.mark.parametrize(
    ("field", "text", "told"),
    [
        ("name", "x" * 201, "at most 200 characters"),
        ("description", "x" * 4001, "at most 4000 characters"),
        ("name", "   ", "name"),
        ("name", f"ramp{OVERRIDE}clp", "U+202E RIGHT-TO-LEFT OVERRIDE"),
        ("name", "ramp\u200bplc", "U+200B ZERO WIDTH SPACE"),
        ("name", "ramp\nplc", "U+000A"),
        ("name", "ramp\x00plc", "U+0000"),
        ("name", "ramp\u2028plc", "U+2028"),
        ("name", "Überfahrt ☂ №1", ""),
        ("name", "x" * 200, ""),
        ("description", "two\nlines\tand ☂", ""),
        ("description", "☂" * 4000, ""),
    ],
)
def test_names_are_seen_as_what_they_are(editor: Signed, field: str, text: str, told: str) -> None:
    """The same for a rule, an object, a segment and a whole document."""
    policy = editor.get("").json()["policies"][0]["id"]
    place = {"after": None, "before": editor.get(f"/policies/{policy}").json()["rows"][0]["id"]}
    named = {"name": "fresh", field: text}
    answers = [
        editor.post(f"/policies/{policy}/rules", json={"rule": rule(**{field: text}), "place": place}),
        editor.post("/names", json={"kind": "addresses", "thing": {**named, "members": ["10.44.1.1"], "traits": [], "notes": []}}),
        editor.post("/things/zones", json={"thing": {"name": "fresh", "depth": 1, field: text}, "parent_id": 0}),
    ]  # fmt: skip
    for answer in answers:
        assert answer.status_code == (422 if told else 201), answer.text
        assert told in answer.text


def test_a_person_is_never_told_by_a_name_alone(
    editor: Signed, client: TestClient, sessions: Sessions
) -> None:
    with sessions.begin() as session:
        accounts.add_person(session, "mallory", "Maren", "releaser", PASSWORD)
        for login, name in (
            ("x" * 101, "X"),
            ("x", "x" * 201),
            (f"a{OVERRIDE}b", "X"),
            ("y", f"a{OVERRIDE}b"),
        ):
            with pytest.raises(accounts.Refused):
                accounts.add_person(session, login, name, "viewer", PASSWORD)
    sign_in(client, "mallory")
    revision = editor.get("").json()["revision"]
    assert editor.post("/review/signatures", json={"revision": revision, "remark": ""}).status_code == 204
    (signed,) = editor.get("/review").json()["signatures"]
    assert signed["person"] == "Maren (mallory)"
    assert accounts.called("Maren", "maren") == "Maren" and accounts.called("", "maren") == "maren (maren)"


def test_what_a_page_asks_by_itself_keeps_no_session_open(
    client: TestClient, sessions: Sessions, network_id: int
) -> None:
    sign_in(client, "maren")

    def seen() -> datetime:
        with sessions() as session:
            return session.scalars(select(t.SignIn.seen_at)).one()

    before = datetime.now(UTC).replace(tzinfo=None, microsecond=0) - timedelta(minutes=30)
    with sessions.begin() as session:
        session.execute(update(t.SignIn).values(seen_at=before))
    assert client.get("/api/networks", headers={IDLE: "1"}).status_code == 200
    assert seen() == before
    assert client.get("/api/networks").status_code == 200
    assert seen() > before + timedelta(minutes=20)


def tries(client: TestClient, login: str, password: str, count: int) -> list[int]:
    body = {"login": login, "password": password}
    return [client.post("/api/session", json=body).status_code for _ in range(count)]


def test_failed_tries_are_counted_and_written_down(
    client: TestClient, network_id: int, sessions: Sessions
) -> None:
    assert tries(client, "maren", PASSWORD, 15) == [200] * 15  # who gets in is not counted
    assert tries(client, "maren", "wrong wrong wrong", 12) == [401] * 10 + [429] * 2
    assert tries(client, "maren", PASSWORD, 1) == [429]
    assert tries(client, "guest", PASSWORD, 1) == [200]  # another name from the same address
    with sessions() as session:
        acts = list(session.scalars(select(t.Audit.act).order_by(t.Audit.id)))
    assert acts.count("sign-in refused") == 10 and acts.count("sign-in not tried") == 1


def test_nobody_is_shut_out_by_tries_from_elsewhere(database_url: str, network_id: int) -> None:
    app = create_app(database_url)
    with TestClient(app, client=("10.44.90.66", 1)) as elsewhere:
        assert tries(elsewhere, "maren", "wrong wrong wrong", 11)[-1] == 429
        assert (
            tries(elsewhere, "someone", "wrong wrong wrong", 60).count(429) > 5
        )  # one address, whatever the name
        here = TestClient(app, client=("10.44.90.7", 1))
        here.portal = elsewhere.portal
        assert tries(here, "maren", PASSWORD, 1) == [200]


def test_the_same_password_is_no_new_one(editor: Signed) -> None:
    answer = editor.http.put("/api/session/password", json={"old": PASSWORD, "new": PASSWORD})
    assert answer.status_code == 422 and "that there is already" in answer.json()["detail"]
