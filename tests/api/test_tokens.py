"""Tokens: what scripts may, for whom, until when, and what is told of them."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from roles import IN_PERSON, OPEN, may, needed, routes
from signed import PASSWORD, Signed, sign_in
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api.access import COOKIE, HEADER
from sarvex.core.model.records import Network
from sarvex.service import audit
from sarvex.service.drafts import networks
from sarvex.service.people import accounts, roles
from sarvex.store import tables as t

ROUTES = [route for route in routes() if route not in OPEN and "metrics" not in route[1]]


@pytest.fixture
def admin(client: TestClient, sessions: sessionmaker[Session], network_id: int) -> Signed:
    with sessions.begin() as session:
        accounts.add_person(session, "admin", "Admin", "administrator", PASSWORD)
    sign_in(client, "admin")
    return Signed(client, "/api")


def made(client: TestClient, **given: object) -> str:
    answer = client.post("/api/tokens", json={"name": "pipeline", "role": "editor", **given})
    assert answer.status_code == 201, answer.text
    return answer.json()["token"]


def alone(client: TestClient, token: str) -> dict[str, str]:
    """Without the session that made it."""
    client.cookies.clear()
    client.headers.pop(HEADER, None)
    return {"Authorization": f"Bearer {token}"}


@pytest.mark.parametrize(
    ("role", "here", "only"),
    [
        ("editor", None, "all"), ("editor", "viewer", "all"), ("editor", "releaser", "this"), ("editor", "none", "all"),
        ("editor", None, "another"), ("viewer", "releaser", "this"), ("viewer", None, "all"), ("viewer", "none", "this"),
    ],
)  # fmt: skip
def test_each_token_may_what_it_and_its_person_may_and_no_more(
    client: TestClient,
    sessions: sessionmaker[Session],
    network_id: int,
    role: str,
    here: str | None,
    only: str,
) -> None:
    """Every route, by a token of an editor who is something else in this network, or not."""
    with sessions.begin() as session:
        by = accounts.add_person(session, "admin", "Admin", "administrator", PASSWORD)
        whose = accounts.add_person(session, "somebody", "Somebody", "editor", PASSWORD)
        another = networks.import_network(session, Network(name="another"))
    sign_in(client, "somebody")
    token = made(client, role=role, network_id={"all": None, "this": network_id, "another": another}[only])
    with sessions.begin() as session:
        roles.give(session, whose, network_id, here, by)
    headers = alone(client, token)
    mine = min(role, here or "editor", key=roles.ROLES.index) if only != "another" else "none"
    wrong = []
    for method, path in ROUTES:
        url = re.sub(r"\{(\w+)\}", lambda m: str(network_id if m[1] == "network_id" else 1), path)
        answer = client.request(method, url, json={"?": "?"}, headers=headers)
        told = answer.status_code
        if "{network_id}" in path:
            right = (
                (told == 404 and answer.json()["detail"] == "there is no such network")
                if mine == "none"
                else (
                    (told != 403) == (may(mine, method, path) and (method, path) not in IN_PERSON)
                    and told not in (401, 500)
                )
            )
        elif path in ("/api/networks", "/api/session"):
            there = role if only == "all" else "none"
            right = (told != 403) == (may(there, method, path) if "networks" in path else method == "GET")
        else:
            right = told == 403
        if not right:
            wrong.append(f"{method} {path}: {told} for {mine}, where {needed(method, path)} is needed")
    assert wrong == []
    there = [n["id"] for n in client.get("/api/networks", headers=headers).json()]
    assert there == [n for n in (another, network_id) if only in ("all", {network_id: "this", another: "another"}[n])
                     and not (n == network_id and here == "none")]  # fmt: skip


def test_a_token_is_told_once_and_kept_as_its_digest(
    admin: Signed, sessions: sessionmaker[Session], network_id: int
) -> None:
    token = made(admin.http, network_id=network_id, days=7)
    listed = admin.get("/tokens")
    assert token not in listed.text
    [one] = listed.json()
    assert (one["name"], one["role"], one["network_id"], one["seen_at"]) == (
        "pipeline",
        "editor",
        network_id,
        None,
    )
    with sessions() as session:
        row = session.scalars(select(t.Token)).one()
        assert token.encode() not in row.token_hash and len(row.token_hash) == 32
        assert timedelta(days=7) == row.expires_at - row.created_at
        assert all(token not in f"{entry.about} {entry.detail}" for entry in audit.everything(session))


def test_it_ends_with_its_time_when_revoked_and_while_its_account_is_closed(
    admin: Signed, sessions: sessionmaker[Session], network_id: int
) -> None:
    http = admin.http
    made_id = http.post(
        "/api/people", json={"login": "script", "role": "editor", "password": "for the script alone"}
    )
    who = next(p["id"] for p in made_id.json() if p["login"] == "script")
    with sessions.begin() as session:
        session.get_one(t.Person, who).given = False
    session_of = http.post("/api/session", json={"login": "script", "password": "for the script alone"})
    http.headers[HEADER] = session_of.json()["csrf"]
    token = made(http)
    sign_in(http, "admin")
    bearer = {"Authorization": f"Bearer {token}"}

    def status() -> int:
        return http.get(f"/api/networks/{network_id}", headers=bearer).status_code

    assert status() == 200
    http.patch(f"/api/people/{who}", json={"closed": True})
    assert status() == 401
    http.patch(f"/api/people/{who}", json={"closed": False})
    assert status() == 200
    with sessions.begin() as session:
        session.execute(update(t.Token).values(expires_at=datetime.now(UTC).replace(tzinfo=None)))
    assert status() == 401
    with sessions.begin() as session:
        session.execute(update(t.Token).values(expires_at=datetime(2999, 1, 1)))
    assert status() == 200
    [one] = admin.get("/tokens").json()
    assert one["login"] == "script" and one["seen_at"]
    assert admin.delete(f"/tokens/{one['id']}").status_code == 204
    assert status() == 401 and admin.delete(f"/tokens/{one['id']}").status_code == 404
    answer = http.get("/api/networks", headers=bearer)
    assert answer.headers["WWW-Authenticate"] == "Bearer" and "ended" in answer.json()["detail"]


def test_another_password_from_an_administrator_revokes_what_there_is(
    admin: Signed, sessions: sessionmaker[Session], network_id: int
) -> None:
    sign_in(admin.http, "maren")
    bearer = {"Authorization": f"Bearer {made(admin.http)}"}
    sign_in(admin.http, "admin")
    who = next(p["id"] for p in admin.get("/people").json() if p["login"] == "maren")
    assert admin.http.get("/api/networks", headers=bearer).status_code == 200
    admin.patch(f"/people/{who}", json={"password": "wholly another one"})
    assert admin.http.get("/api/networks", headers=bearer).status_code == 401


def test_what_it_does_stands_in_the_audit_under_its_name(
    admin: Signed, sessions: sessionmaker[Session], network_id: int
) -> None:
    bearer = {"Authorization": f"Bearer {made(admin.http)}"}
    admin.http.cookies.clear()
    text = "sarvex: 1\nsettle: {addresses: [{name: from-a-script, members: {replace: [10.44.9.9]}}]}"
    for changed in (True, False):  # the second time there is nothing to do, and nothing to tell
        answer = admin.http.post(f"/api/networks/{network_id}/settle", json={"text": text}, headers=bearer)
        assert answer.status_code == 200 and answer.json()["changed"] is changed, answer.text
    with sessions() as session:
        told = [e for e in audit.everything(session) if e.detail.get("token") == "pipeline"]
        assert [(e.person, e.network_id) for e in told] == [("admin", network_id)]
        assert audit.verify(session).broken is None
        made_ = [e for e in audit.everything(session) if e.act == "make token"]
        assert [(e.about, e.detail["role"]) for e in made_] == [("pipeline", "editor")]


def test_what_is_asked_for_wrongly_is_refused_with_the_field(admin: Signed, network_id: int) -> None:
    made(admin.http)
    for given, field in (
        ({"name": ""}, "name"), ({"name": "PIPELINE"}, "name"), ({"name": "x", "days": 0}, "days"), ({"name": "x", "days": 367}, "days"),
        ({"name": "x", "network_id": 999}, "network_id"), ({"name": "x", "role": "releaser"}, "role"),
    ):  # fmt: skip
        answer = admin.post("/tokens", json={"role": "editor", **given})
        assert answer.status_code == 422 and field in answer.text, (given, answer.text)
    sign_in(admin.http, "guest")
    answer = admin.post("/tokens", json={"name": "more", "role": "editor"})
    assert answer.status_code == 422 and "viewer" in answer.text
    assert admin.get("/tokens").json() == []  # nobody sees those of others


def test_nothing_else_counts_as_a_token(admin: Signed, network_id: int) -> None:
    token = made(admin.http)
    session = admin.http.cookies.get(COOKIE, path="/api")

    def status(given: str) -> int:
        return admin.http.get("/api/networks", headers={"Authorization": given}).status_code

    for given in ("Bearer", "Bearer ", f"Bearer {token}x", f"Bearer {session}", "bearer none"):
        assert status(given) == 401, given  # also beside an open session: who sends one means it
    assert status(f"bearer {token}") == 200
    for given in ("", f"Basic {token}", token):  # of another kind: something in front of it may ask for that
        assert status(given) == 200, given
    admin.http.cookies.clear()
    for given in ("", f"Basic {token}", token):
        assert status(given) == 401, given
    admin.http.cookies.set(COOKIE, token, path="/api")
    admin.http.cookies.clear()
    admin.http.cookies.set(COOKIE, token, path="/api")
    assert admin.http.get("/api/networks").status_code == 401


def test_a_document_of_any_size_is_read_from_a_token_and_from_nobody_else(
    admin: Signed, network_id: int
) -> None:
    headers = alone(admin.http, made(admin.http))
    text = "sarvex: 1\nsettle: {}\n" + "# a long remark\n" * 8_000
    answer = admin.http.post(f"/api/networks/{network_id}/settle", json={"text": text}, headers=headers)
    assert answer.status_code != 401 and answer.status_code != 413
    for given in ({}, {"Authorization": "Bearer sarvex_nothing"}):
        answer = admin.http.post(f"/api/networks/{network_id}/settle", json={"text": text}, headers=given)
        assert answer.status_code == 401
