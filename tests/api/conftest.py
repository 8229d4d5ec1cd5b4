from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from signed import PASSWORD, Signed, sign_in
from sqlalchemy.orm import Session, sessionmaker

from sarvex.api.app import create_app
from sarvex.core.model.records import Network
from sarvex.service.drafts import networks
from sarvex.service.people import accounts


@pytest.fixture(scope="session", autouse=True)
def quick_hashes() -> Iterator[None]:
    """Passwords are hashed as always, but at a cost that hundreds of sign-ins can bear."""
    with pytest.MonkeyPatch.context() as patch:
        cheap = Argon2Hasher(time_cost=1, memory_cost=64, parallelism=1)
        patch.setattr(accounts, "_hasher", PasswordHash((cheap,)))
        patch.setattr(accounts, "_nobody", cheap.hash("nobody has this password"))
        yield


@pytest.fixture
def client(sessions: sessionmaker[Session], database_url: str) -> Iterator[TestClient]:
    with TestClient(create_app(database_url), raise_server_exceptions=False) as http:
        yield http


@pytest.fixture
def network_id(sessions: sessionmaker[Session], worked_example: Network) -> int:
    with sessions.begin() as session:
        accounts.add_person(session, "Maren", "Maren", "editor", PASSWORD)
        accounts.add_person(session, "guest", "Guest", "viewer", PASSWORD)
        return networks.import_network(session, worked_example)


@pytest.fixture
def editor(client: TestClient, network_id: int) -> Signed:
    sign_in(client, "maren")
    return Signed(client, f"/api/networks/{network_id}")


@pytest.fixture
def viewer(client: TestClient, network_id: int) -> Signed:
    sign_in(client, "guest")
    return Signed(client, f"/api/networks/{network_id}")
