"""Clients with an open session."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi.testclient import TestClient

from sarvex.api.access import HEADER

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


def sign_in(client: TestClient, login: str) -> None:
    answer = client.post("/api/session", json={"login": login, "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    client.headers[HEADER] = answer.json()["csrf"]
