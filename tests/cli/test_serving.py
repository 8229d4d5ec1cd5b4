"""How the server is reached: over TLS, by whom it believes who asks, and what it refuses to do in the clear."""

from __future__ import annotations

import json
import os
import re
import signal
import ssl
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx2 as httpx
import pytest
from sqlalchemy.orm import Session, sessionmaker
from typer.testing import CliRunner

from sarvex.cli import app

TLS = Path(__file__).parent.parent / "data" / "tls"
CERTIFICATE, KEY = str(TLS / "certificate.pem"), str(TLS / "key.pem")
START_SECONDS = 90
ELSEWHERE = {"X-Forwarded-For": "10.44.90.7", "X-Forwarded-Proto": "https"}


@pytest.mark.parametrize(
    ("options", "why"),
    [
        (["--host", "0.0.0.0"], "passwords would travel in the clear"),
        (["--host", "::"], "passwords would travel in the clear"),
        (["--host", "sarvex.merrow.example"], "passwords would travel in the clear"),
        (["--key", KEY], "belongs to a --certificate"),
        (["--certificate", "none.pem"], "No such file"),
        (["--certificate", CERTIFICATE], "no PEM, encrypted, or not of each other"),
        (["--certificate", CERTIFICATE, "--key", __file__], "no PEM, encrypted, or not of each other"),
    ],
)
def test_what_would_be_read_on_the_way_is_not_served(options: list[str], why: str) -> None:
    done = CliRunner().invoke(app, ["serve", "--port", "0", *options])
    assert done.exit_code == 2 and why in done.stderr


def test_neither_is_the_demo() -> None:
    done = CliRunner().invoke(app, ["demo", "--port", "0", "--host", "0.0.0.0"])
    assert done.exit_code == 2 and "in the clear" in done.stderr


Served = tuple[str, Path]
"""Its address, and the file that has its log."""


@pytest.fixture
def served(
    sessions: sessionmaker[Session], database_url: str, tmp_path: Path
) -> Iterator[Callable[..., Served]]:
    running: list[subprocess.Popen[bytes]] = []

    def serve(*options: str) -> Served:
        log = tmp_path / "log"
        command = [
            str(Path(sys.executable).parent / "sarvex"),
            "serve",
            "--port",
            "0",
            "--data",
            str(tmp_path),
        ]
        environment = os.environ | {"SARVEX_DATABASE_URL": database_url, "SARVEX_LOG": "INFO"}
        with log.open("wb") as out:
            running.append(subprocess.Popen([*command, *options], stdout=out, stderr=out, env=environment))
        deadline = time.monotonic() + START_SECONDS
        while True:
            found = re.search(r"Sarvex is at (\S+)", log.read_text())
            with suppress(httpx.TransportError):
                if found and asked(found[1], "GET", "/api/health").status_code == 200:
                    return found[1], log
            assert running[-1].poll() is None and time.monotonic() < deadline, log.read_text()
            time.sleep(0.2)

    yield serve
    for server in running:
        server.send_signal(signal.SIGTERM)
        server.wait(timeout=40)


def asked(address: str, method: str, path: str, **more: Any) -> httpx.Response:
    trusted = ssl.create_default_context(cafile=CERTIFICATE)
    with httpx.Client(base_url=address, verify=trusted, headers=ELSEWHERE, timeout=10) as client:
        return client.request(method, path, **more)


def signed_in(address: str, log: Path) -> httpx.Response:
    password = re.search(r"with password +(\S+)", log.read_text())
    assert password
    body = {"login": "administrator", "password": password[1]}
    return asked(address, "POST", "/api/session", json=body).raise_for_status()


def asked_from(log: Path) -> set[str]:
    lines = [json.loads(line) for line in log.read_text().splitlines() if line.startswith("{")]
    return {line["client"] for line in lines if line.get("logger") == "sarvex.requests"}


def test_over_tls_the_session_never_leaves_in_the_clear(served: Callable[..., Served]) -> None:
    address, log = served("--certificate", CERTIFICATE, "--key", KEY)
    assert address.startswith("https://127.0.0.1:")
    answer = signed_in(address, log)
    assert "secure" in answer.headers["set-cookie"].lower()
    assert answer.headers["strict-transport-security"] == "max-age=31536000"
    with pytest.raises(httpx.TransportError):
        asked(address.replace("https", "http"), "GET", "/api/health")
    assert asked_from(log) == {"127.0.0.1"}  # whatever a request says of itself


def test_what_speaks_tls_in_front_of_it_tells_who_asks(served: Callable[..., Served]) -> None:
    address, log = served("--proxy", "127.0.0.1")
    answer = signed_in(address, log)
    assert "secure" in answer.headers["set-cookie"].lower()
    assert "strict-transport-security" in answer.headers
    assert asked_from(log) == {"10.44.90.7"}


def test_nobody_else_is_believed(served: Callable[..., Served]) -> None:
    address, log = served("--proxy", "127.0.0.2")
    assert "secure" not in signed_in(address, log).headers["set-cookie"].lower()
    assert asked_from(log) == {"127.0.0.1"}
