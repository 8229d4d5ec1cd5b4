"""Accounts, roles, passwords and sessions."""

from __future__ import annotations

import pytest
from fastapi.testclient import TestClient
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api.access import HEADER
from sarvex.service.people import accounts

PASSWORD = "correct horse battery"


def sign_in(client: TestClient, login: str, password: str = PASSWORD) -> int:
    answer = client.post("/api/session", json={"login": login, "password": password})
    if answer.status_code == 200:
        client.headers[HEADER] = answer.json()["csrf"]
    return int(answer.status_code)


@pytest.fixture
def admin(client: TestClient, sessions: sessionmaker[Session]) -> TestClient:
    with sessions.begin() as session:
        accounts.add_person(session, "Ada", "Ada", "administrator", PASSWORD)
    assert sign_in(client, "ada") == 200
    return client


def add(admin: TestClient, login: str, role: str = "viewer") -> int:
    answer = admin.post("/api/people", json={"login": login, "role": role, "password": PASSWORD})
    assert answer.status_code == 201, answer.text
    return int(next(p["id"] for p in answer.json() if p["login"] == login))


def other(admin: TestClient) -> TestClient:
    return TestClient(admin.app, base_url=admin.base_url)


def test_the_first_administrator_is_made_once(sessions: sessionmaker[Session]) -> None:
    with sessions.begin() as session:
        password = accounts.first_person(session)
        assert password and accounts.first_person(session) is None
        _, someone = accounts.sign_in(session, "administrator", password)
        assert someone.role == "administrator"


@pytest.mark.parametrize("role", ["viewer", "editor", "releaser"])
def test_only_administrators_see_and_change_people(admin: TestClient, role: str) -> None:
    person_id = add(admin, "gus", role)
    gus = other(admin)
    assert sign_in(gus, "gus") == 200
    assert gus.get("/api/people").status_code == 403
    assert (
        gus.post(
            "/api/people", json={"login": "x", "role": "administrator", "password": PASSWORD}
        ).status_code
        == 403
    )
    assert gus.patch(f"/api/people/{person_id}", json={"role": "administrator"}).status_code == 403


def test_closing_an_account_ends_its_sessions_at_once(admin: TestClient) -> None:
    person_id = add(admin, "gus")
    gus = other(admin)
    sign_in(gus, "gus")
    assert gus.get("/api/session").status_code == 200
    assert admin.patch(f"/api/people/{person_id}", json={"closed": True}).status_code == 204
    assert gus.get("/api/session").status_code == 401
    assert sign_in(gus, "gus") == 401
    admin.patch(f"/api/people/{person_id}", json={"closed": False})
    assert sign_in(gus, "gus") == 200


def test_a_role_counts_from_the_next_request_on(admin: TestClient) -> None:
    person_id = add(admin, "gus", "administrator")
    gus = other(admin)
    sign_in(gus, "gus")
    changed = {"old": PASSWORD, "new": "the ferry leaves at seven"}
    assert gus.put("/api/session/password", json=changed).status_code == 204
    assert gus.get("/api/people").status_code == 200
    admin.patch(f"/api/people/{person_id}", json={"role": "viewer"})
    assert gus.get("/api/people").status_code == 403


def test_somebody_must_remain_to_administer(admin: TestClient) -> None:
    own = next(p["id"] for p in admin.get("/api/people").json() if p["login"] == "ada")
    for change in ({"role": "editor"}, {"closed": True}):
        refused = admin.patch(f"/api/people/{own}", json=change)
        assert refused.status_code == 422 and "remain to administer" in refused.json()["detail"]
    add(admin, "gus", "administrator")
    assert admin.patch(f"/api/people/{own}", json={"role": "editor"}).status_code == 204
    assert admin.patch("/api/people/999999", json={"role": "editor"}).status_code == 403


def test_ones_own_password(admin: TestClient) -> None:
    second = other(admin)
    sign_in(second, "ada")
    wrong = admin.put("/api/session/password", json={"old": "guess", "new": "a new long password"})
    assert wrong.status_code == 422 and wrong.json()["problems"][0]["place"] == "old"
    short = admin.put("/api/session/password", json={"old": PASSWORD, "new": "short"})
    assert short.json()["problems"][0]["place"] == "new"
    assert (
        admin.put("/api/session/password", json={"old": PASSWORD, "new": "a new long password"}).status_code
        == 204
    )
    assert admin.get("/api/session").status_code == 200
    assert second.get("/api/session").status_code == 401
    assert sign_in(second, "ada") == 401
    assert sign_in(second, "ada", "a new long password") == 200


def test_ones_own_sessions_are_listed_and_ended(admin: TestClient) -> None:
    second = other(admin)
    second.headers["User-Agent"] = "the other browser"
    sign_in(second, "ada")
    listed = admin.get("/api/session/all").json()
    assert (listed[0]["own"], listed[0]["client"]) == (False, "the other browser")
    assert sum(s["own"] for s in listed) == 1 and all(s["created_at"].endswith("Z") for s in listed)
    assert admin.delete(f"/api/session/all/{listed[0]['handle']}").status_code == 204
    assert second.get("/api/session").status_code == 401
    for handle in (listed[0]["handle"], "zz", "00" * 32):
        assert admin.delete(f"/api/session/all/{handle}").status_code == 404


def test_nobody_ends_the_session_of_another(admin: TestClient) -> None:
    add(admin, "gus")
    gus = other(admin)
    sign_in(gus, "gus")
    own = next(s["handle"] for s in admin.get("/api/session/all").json() if s["own"])
    assert gus.delete(f"/api/session/all/{own}").status_code == 404
    assert admin.get("/api/session").status_code == 200
