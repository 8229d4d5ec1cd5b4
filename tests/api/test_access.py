"""Who may do what: every route is closed unless opened on purpose."""

from __future__ import annotations

import re

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from starlette.routing import BaseRoute

from sarvex.api.access import COOKIE, HEADER
from sarvex.api.app import create_app

OPEN = {("POST", "/api/session"), ("GET", "/api/health"), ("GET", "/{path:path}")}


def routes() -> list[tuple[str, str]]:
    app = create_app("mysql+pymysql://unused@127.0.0.1/unused")
    found: list[tuple[str, str]] = []

    def walk(routes: list[BaseRoute], prefix: str) -> None:
        for route in routes:
            if isinstance(route, APIRoute):
                found.extend((method, prefix + route.path) for method in route.methods)
            else:
                original = getattr(route, "original_router", None)
                assert original is not None, f"a route of an unknown kind: {route!r}"
                context = getattr(route, "include_context", None)
                walk(original.routes, prefix + (context.prefix if context else ""))

    walk(list(app.routes), "")
    return sorted(set(found))


ROUTES = routes()


def test_the_routes_are_seen() -> None:
    assert ("POST", "/api/networks/{network_id}/policies/{policy_id}/rules") in ROUTES
    assert set(ROUTES) >= OPEN


# What is asked with a body and changes nothing.
ASKING = {
    ("POST", f"/api/networks/{{network_id}}{what}")
    for what in (
        "/policies/{policy_id}/decide",
        "/policies/{policy_id}/consequence",
        "/names/{name_id}/consequence",
        *(
            f"/things/{kind}/{{thing_id}}/consequence"
            for kind in ("segments", "hosts", "devices", "interfaces", "policies", "at-hosts", "schedules")
        ),
        "/schedules/week",
        "/pins",
    )
}


@pytest.mark.parametrize(("method", "path"), [r for r in ROUTES if r not in OPEN])
def test_no_route_answers_without_a_session(client: TestClient, method: str, path: str) -> None:
    url = re.sub(r"\{\w+\}", "1", path)
    assert client.request(method, url, json={}).status_code == 401
    client.cookies.set(COOKIE, "forged", path="/api")
    answer = client.request(method, url, json={}, headers={HEADER: "forged"})
    assert answer.status_code == 401
    assert answer.headers["content-type"] == "application/problem+json"


@pytest.mark.parametrize(("method", "path"), [r for r in ROUTES if r not in OPEN and r[0] != "GET"])
def test_no_change_without_the_sessions_own_token(editor, method: str, path: str) -> None:
    url = re.sub(r"\{\w+\}", "1", path)
    for headers in ({HEADER: ""}, {HEADER: "forged"}):
        assert editor.http.request(method, url, json={}, headers=headers).status_code == 403


@pytest.mark.parametrize(
    ("method", "path"),
    [
        r
        for r in ROUTES
        if r[0] in ("POST", "PUT", "DELETE", "PATCH") and "{network_id}" in r[1] and r not in ASKING
    ],
)
def test_viewers_change_nothing(viewer, network_id: int, method: str, path: str) -> None:
    url = re.sub(r"\{\w+\}", "1", path.replace("{network_id}", str(network_id)))
    assert viewer.http.request(method, url + "?ver=1", json={}).status_code == 403


def test_signing_in_and_out(client: TestClient, network_id: int) -> None:
    wrong = client.post("/api/session", json={"login": "maren", "password": "not this one at all"})
    nobody = client.post("/api/session", json={"login": "nobody", "password": "not this one at all"})
    assert wrong.status_code == nobody.status_code == 401
    assert wrong.json()["detail"] == nobody.json()["detail"]

    answer = client.post("/api/session", json={"login": "MAREN", "password": "a long enough password"})
    cookie = answer.headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=strict" in cookie and "Path=/api" in cookie
    assert client.get("/api/session").json()["role"] == "editor"
    token = client.cookies[COOKIE]
    assert client.delete("/api/session", headers={HEADER: answer.json()["csrf"]}).status_code == 204
    client.cookies.set(COOKIE, token, path="/api")
    assert client.get("/api/session").status_code == 401


def test_tries_are_counted(client: TestClient, network_id: int) -> None:
    body = {"login": "maren", "password": "wrong wrong wrong"}
    answers = [client.post("/api/session", json=body).status_code for _ in range(12)]
    assert answers == [401] * 10 + [429] * 2
    assert client.post("/api/session", json=body | {"password": "a long enough password"}).status_code == 429


def test_another_site_cannot_sign_in(client: TestClient, network_id: int) -> None:
    body = {"login": "maren", "password": "a long enough password"}
    assert client.post("/api/session", json=body, headers={"Sec-Fetch-Site": "cross-site"}).status_code == 403


def test_the_page_does_not_leak_files(client: TestClient) -> None:
    for path in (
        "/../pyproject.toml",
        "/%2e%2e/pyproject.toml",
        "/assets/../../pyproject.toml",
        "/assets/none.js",
    ):
        assert "[project]" not in client.get(path).text
    assert client.get("/api/nothing").status_code == 404
    policy = client.get("/").headers["content-security-policy"]
    assert "default-src 'self'" in policy and "script-src" not in policy
