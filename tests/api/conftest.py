from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from fastapi.testclient import TestClient
from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
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


@pytest.fixture(scope="session", autouse=True)
def quick_hashes() -> Iterator[None]:
    """Passwords are hashed as always, but at a cost that hundreds of sign-ins can bear."""
    with pytest.MonkeyPatch.context() as patch:
        cheap = Argon2Hasher(time_cost=1, memory_cost=64, parallelism=1)
        patch.setattr(people, "_hasher", PasswordHash((cheap,)))
        patch.setattr(people, "_nobody", cheap.hash("nobody has this password"))
        yield


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
