"""Who may do what: every route is closed unless opened on purpose."""

from __future__ import annotations

import re
import threading
from collections import Counter
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from prometheus_client.openmetrics.parser import text_string_to_metric_families
from roles import OPEN, OWN, may, needed, routes
from signed import PASSWORD, sign_in
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api import findings as finding_routes
from sarvex.api.access import COOKIE, HEADER, Fresh, Person, Transaction
from sarvex.api.app import create_app
from sarvex.api.turnstile import PLACES
from sarvex.core.model.records import Network
from sarvex.service.analysis import turns
from sarvex.service.drafts import networks
from sarvex.service.people import accounts, passwords
from sarvex.service.people import roles as roles_given
from sarvex.service.people.roles import ROLES, Role
from sarvex.store import tables as t
from sarvex.store.database import CONNECTIONS

ROUTES = routes()


def test_the_routes_are_seen() -> None:
    assert ("POST", "/api/networks/{network_id}/policies/{policy_id}/rules") in ROUTES
    assert set(ROUTES) >= OPEN


def test_no_route_answers_without_a_session(client: TestClient) -> None:
    def refused(headers: dict[str, str]) -> list[str]:
        answers = {
            f"{method} {path}": client.request(method, _filled(path), json={}, headers=headers)
            for method, path in ROUTES
            if (method, path) not in OPEN
        }
        return [
            route
            for route, answer in answers.items()
            if (answer.status_code, answer.headers["content-type"]) != (401, "application/problem+json")
        ]

    assert refused({}) == []
    client.cookies.set(COOKIE, "forged", path="/api")
    assert refused({HEADER: "forged"}) == []


def test_no_change_without_the_sessions_own_token(editor) -> None:
    for headers in ({HEADER: ""}, {HEADER: "forged"}):
        for method, path in ROUTES:
            if (method, path) not in OPEN and method != "GET":
                answer = editor.http.request(method, _filled(path), json={}, headers=headers)
                assert answer.status_code == 403, (method, path)


def _filled(path: str, **values: int) -> str:
    """A path with 1 for every variable that is not given."""
    return re.sub(r"\{(\w+)\}", lambda m: str(values.get(m[1], 1)), path)


@pytest.mark.parametrize("role", ROLES)
def test_each_role_may_what_it_may_and_no_more(
    client: TestClient, sessions: sessionmaker[Session], network_id: int, role: Role
) -> None:
    """Every route: refused with 403 below its role; above it the body may be wrong, but never the person."""
    with sessions.begin() as session:
        accounts.add_person(session, "somebody", "Somebody", role, PASSWORD)
    sign_in(client, "somebody")
    assert _wrong(client, network_id, role, role) == []


@pytest.mark.parametrize("here", ROLES[:-1])
def test_a_role_in_one_network_counts_there_alone(
    client: TestClient, sessions: sessionmaker[Session], network_id: int, here: Role
) -> None:
    """Every route, whatever somebody is elsewhere."""
    with sessions.begin() as session:
        admin = accounts.add_person(session, "admin", "Admin", "administrator", PASSWORD)
        for everywhere in ("none", "editor"):
            made = accounts.add_person(session, everywhere, everywhere, everywhere, PASSWORD)
            roles_given.give(session, made, network_id, here, admin)
    for everywhere in ("none", "editor"):
        sign_in(client, everywhere)
        assert _wrong(client, network_id, everywhere, here) == []
        there = [n["id"] for n in client.get("/api/networks").json()]
        assert there == ([network_id] if here != "none" else [])
        assert client.get("/api/session").json()["networks"] == {str(network_id): here}


def test_nobody_reads_of_another_network_by_numbers_of_its_things(
    client: TestClient, sessions: sessionmaker[Session], network_id: int, worked_example: Network
) -> None:
    """Paths of a network that somebody sees, with numbers of one that they do not see."""
    hidden = replace(worked_example, name="Hidden")
    with sessions.begin() as session:
        admin = accounts.add_person(session, "admin", "Admin", "administrator", PASSWORD)
        other = networks.import_network(session, hidden)
        seen = networks.import_network(session, Network(name="Empty"))
        made = accounts.add_person(session, "somebody", "Somebody", "none", PASSWORD)
        roles_given.give(session, made, seen, "editor", admin)
        things = session.scalars(select(t.Thing.id).where(t.Thing.network_id == other)).all()
        rules = session.scalars(select(t.Rule.id).join(t.Thing).where(t.Thing.network_id == other)).all()
    sign_in(client, "somebody")
    assert client.get(f"/api/networks/{other}").status_code == 404
    asked: Counter[str] = Counter()
    for method, path in ROUTES:
        names = re.findall(r"\{(\w+)\}", path)
        if method in ("GET", "DELETE") and path.startswith("/api/networks/{network_id}/") and names[1:]:
            for number in (things[0], things[-1], rules[0]):
                values = dict.fromkeys(names, number) | {"network_id": seen}
                answer = client.request(method, _filled(path, **values) + "?ver=1")
                told = answer.status_code
                assert told in (403, 404, 409, 422) or (method == "GET" and answer.json() == []), (
                    path,
                    answer.text,
                )
                asked[method] += 1
    assert min(asked.values()) > 10, asked
    thing = {"ver": 1, "thing": {"name": "taken over"}}
    for kind in ("zones", "segments", "devices", "policies"):
        for number in things:
            assert client.put(f"/api/networks/{seen}/things/{kind}/{number}", json=thing).status_code in (
                404,
                422,
            )
    with sessions() as session:
        assert networks.export_network(session, "Hidden") == hidden


def _wrong(client: TestClient, network_id: int, everywhere: Role, here: Role) -> list[str]:
    """What is answered otherwise than the table of roles has it."""
    wrong = []
    for method, path in ROUTES:
        if (method, path) in OPEN | OWN:
            continue
        url = _filled(path, network_id=network_id)
        answer = client.request(method, url + ("?ver=1" if method == "DELETE" else ""), json={"?": "?"})
        refused, role = answer.status_code in (401, 403), here if "{network_id}" in path else everywhere
        if "{network_id}" in path and here == "none":
            right = answer.status_code == 404 and answer.json()["detail"] == "there is no such network"
        else:
            right = refused != may(role, method, path) and answer.status_code < 500
        if not right:
            wrong.append(
                f"{method} {path}: {answer.status_code} for {role}, who needs {needed(method, path)}"
            )
    return wrong


def test_metrics_are_for_a_collector_with_its_token(
    client: TestClient, tmp_path: Path, network_id: int
) -> None:
    def ask(token: str) -> int:
        return client.get("/api/metrics", headers={"Authorization": token}).status_code

    client.app.state.secrets = tmp_path
    assert ask("Bearer anything") == ask("Bearer ") == 401
    (tmp_path / "metrics").write_text("a token\n")
    assert ask("Bearer another") == ask("a token") == 401
    assert ask("Bearer a token") == 200
    client.get("/api/networks/99")
    answer = client.get("/api/metrics", headers={"Authorization": "Bearer a token"})
    assert answer.headers["content-type"].startswith("application/openmetrics-text")
    told = {
        (sample.name, *sorted(sample.labels.items())): sample.value
        for family in text_string_to_metric_families(answer.text)
        for sample in family.samples
    }
    unknown = (("method", "GET"), ("route", "/api/networks/{network_id}"), ("status", "401"))
    assert told[("sarvex_requests_total", *unknown)] == 1
    assert told[("sarvex_networks",)] == 1
    assert told[("sarvex_releases_open", ("state", "stuck"))] == 0
    assert told[("process_resident_memory_bytes",)] > 1_000_000


def test_a_session_ends_when_nothing_is_asked_in_it(
    client: TestClient, sessions: sessionmaker[Session], network_id: int
) -> None:
    sign_in(client, "maren")

    def seen(ago: timedelta) -> int:
        with sessions.begin() as session:
            session.execute(update(t.SignIn).values(seen_at=datetime.now(UTC).replace(tzinfo=None) - ago))
        return client.get("/api/session").status_code

    assert seen(accounts.IDLE - timedelta(minutes=1)) == 200
    with sessions() as session:  # being asked keeps it open
        assert datetime.now(UTC).replace(tzinfo=None) - session.scalar(select(t.SignIn.seen_at)) < timedelta(
            minutes=1
        )
    assert seen(accounts.IDLE + timedelta(minutes=1)) == 401
    with sessions.begin() as session:
        session.execute(update(t.SignIn).values(expires_at=datetime.now(UTC).replace(tzinfo=None)))
    assert seen(timedelta()) == 401


def test_many_requests_at_once_wait_for_their_turn_and_not_for_each_other(
    client: TestClient, sessions: sessionmaker[Session], network_id: int
) -> None:
    sign_in(client, "maren")
    with sessions.begin() as session:  # it is time to note that the session is in use
        session.execute(
            update(t.SignIn).values(seen_at=datetime.now(UTC).replace(tzinfo=None) - accounts.SEEN_EVERY * 2)
        )
    everybody = 3 * CONNECTIONS
    with ThreadPoolExecutor(everybody) as pool:
        told = list(
            pool.map(lambda _: client.get(f"/api/networks/{network_id}").status_code, range(everybody))
        )
    assert told == [200] * everybody
    assert client.app.state.sessions.kw["bind"].pool.size() == CONNECTIONS > 2 * PLACES


def test_a_fresh_transaction_has_read_nothing_and_takes_no_second_place(
    client: TestClient, network_id: int
) -> None:
    app = client.app

    @app.get("/api/own/transactions")
    def own(fresh: Fresh, _: Person, session: Transaction) -> list[bool | int]:
        return [fresh is session, fresh.in_transaction(), session.in_transaction(), app.state.turnstile.free]

    app.router.routes.insert(0, app.router.routes.pop())  # before the page, which answers whatever is left
    sign_in(client, "maren")
    assert client.get("/api/own/transactions").json() == [False, False, True, PLACES - 1]


def test_whoever_waits_for_an_analysis_holds_nobody_up(
    client: TestClient, network_id: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    sign_in(client, "maren")
    waiting, work = threading.Semaphore(0), Future[list[str]]()

    def waits(*_: object) -> list[str]:
        waiting.release()
        return turns.waited_for(work)

    monkeypatch.setattr(finding_routes, "_all", waits)
    many = 2 * PLACES
    with ThreadPoolExecutor(many) as pool:
        asked = [pool.submit(client.get, f"/api/networks/{network_id}/findings") for _ in range(many)]
        for _ in range(many):
            assert waiting.acquire(timeout=30)
        assert client.get(f"/api/networks/{network_id}").status_code == 200
        work.set_result([])
        assert [one.result(30).status_code for one in asked] == [200] * many
    assert client.app.state.turnstile.free == PLACES  # everybody gave their place back


@pytest.mark.parametrize(
    ("password", "told"),
    [
        ("fourteen chars", "at least 15"),
        ("ﬁfteen letters", ""),  # two letters once they are spelled in one way
        ("aaaaaaaaaaaaaaaaaaaaaaaa", "easily guessed"),
        ("password1password1", "easily guessed"),
        ("qwertyuiopasdfghjkl", "easily guessed"),
        ("maren.fairweather", "easily guessed"),
        ("sarvexsarvexsarvex", "easily guessed"),
        ("the ferry leaves at seven", ""),
        ("ölçü ☂ ünïts are fine", ""),
        ("x" * 1001, "at most 1000"),
    ],
)
def test_passwords_are_long_and_not_easily_guessed(password: str, told: str) -> None:
    found = passwords.objection(password, ("maren", "Maren Fairweather", "maren.fairweather"))
    assert told in found and bool(told) == bool(found)


def test_records_that_are_away_are_told_as_that() -> None:
    with TestClient(
        create_app("mysql+pymysql://nobody@127.0.0.1:1/none"), raise_server_exceptions=False
    ) as http:
        answer = http.get("/api/health")
    assert (answer.status_code, answer.headers["retry-after"]) == (503, "1")
    assert "Try again" in answer.json()["detail"]


def test_a_body_nested_deep_is_refused(client: TestClient) -> None:
    deep = client.post("/api/session", content=b"[" * 60_000, headers={"Content-Type": "application/json"})
    assert deep.status_code == 400 and "nested too deeply" in deep.json()["detail"]


def test_every_answer_carries_the_headers_that_browsers_heed(client: TestClient) -> None:
    for path in ("/", "/api/health", "/api/nothing", "/api/networks"):
        headers = client.get(path).headers
        policy = headers["content-security-policy"]
        assert "default-src 'self'" in policy and "script-src" not in policy and "object-src 'none'" in policy
        assert "unsafe" not in policy
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["cross-origin-resource-policy"] == "same-origin"
        assert re.fullmatch(r"[0-9a-f]{16}", headers["x-request-id"])
        assert "strict-transport-security" not in headers
    secure = client.get("https://testserver/api/health").headers
    assert secure["strict-transport-security"] == "max-age=31536000"


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


def test_the_page_says_anew_each_time_which_style_element_is_its_own(tmp_path: Path) -> None:
    (tmp_path / "index.html").write_text('<meta property="csp-nonce" nonce="STYLE_NONCE">')
    client = TestClient(create_app("mysql+pymysql://nobody@127.0.0.1:1/none", page=tmp_path))
    nonces = set()
    for path in ("/", "/networks/1", "/index.html"):
        answer = client.get(path)
        (nonce,) = re.findall(r'nonce="([\w-]{20,})"', answer.text)
        assert f"style-src 'self' 'nonce-{nonce}'" in answer.headers["content-security-policy"]
        assert answer.headers["cache-control"] == "no-store"
        nonces.add(nonce)
    assert len(nonces) == 3
