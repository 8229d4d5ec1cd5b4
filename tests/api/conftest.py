from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from fastapi.testclient import TestClient
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api.access import HEADER
from sarvex.api.app import create_app
from sarvex.core.model import Network
from sarvex.service import networks, people

PASSWORD = "a long enough password"


@dataclass
class Signed:
    """A client with an open session."""

    http: TestClient
    base: str

    def __getattr__(self, method: str):
        def call(path: str, **options):
            return getattr(self.http, method)(self.base + path, **options)

        return call


@pytest.fixture
def client(sessions: sessionmaker[Session], database_url: str) -> Iterator[TestClient]:
    with TestClient(create_app(database_url), raise_server_exceptions=False) as http:
        yield http


@pytest.fixture
def network_id(sessions: sessionmaker[Session], worked_example: Network) -> int:
    with sessions.begin() as session:
        people.add_person(session, "Maren", "Maren", "editor", PASSWORD)
        people.add_person(session, "guest", "Guest", "viewer", PASSWORD)
        return networks.import_network(session, worked_example)


def sign_in(client: TestClient, login: str) -> None:
    answer = client.post("/api/session", json={"login": login, "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    client.headers[HEADER] = answer.json()["csrf"]


@pytest.fixture
def editor(client: TestClient, network_id: int) -> Signed:
    sign_in(client, "maren")
    return Signed(client, f"/api/networks/{network_id}")


@pytest.fixture
def viewer(client: TestClient, network_id: int) -> Signed:
    sign_in(client, "guest")
    return Signed(client, f"/api/networks/{network_id}")
