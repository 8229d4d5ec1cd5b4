"""Commands on the records of a server elsewhere, with a token: the same as on records here."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker
from typer.testing import CliRunner, Result

from sarvex.api.app import create_app
from sarvex.cli import app
from sarvex.formats import document
from sarvex.service.people import accounts, tokens
from sarvex.store import tables as t

ROOT = Path(__file__).parent.parent.parent
EXAMPLE = ROOT / "tests/data/worked-example.yaml"
NEW = "sarvex: 1\nsettle:\n  addresses:\n  - {name: spare sensors, members: {merge: [10.44.34.90]}}\n"


@pytest.fixture
def server(sessions: sessionmaker[Session], database_url: str) -> Iterator[str]:
    """A server's address, on a port of its own."""
    own = uvicorn.Server(uvicorn.Config(create_app(database_url), port=0, log_config=None))
    thread = threading.Thread(target=own.run)
    thread.start()
    while not own.started:
        assert thread.is_alive()
        time.sleep(0.01)
    yield f"http://127.0.0.1:{own.servers[0].sockets[0].getsockname()[1]}"
    own.should_exit = True
    thread.join()


@pytest.fixture
def token(sessions: sessionmaker[Session]) -> Callable[..., str]:
    """Makes tokens of one editor."""
    with sessions.begin() as session:
        accounts.add_person(session, "maren", "Maren", "editor", "a long enough password")

    def made(role: Any = "editor", network: int | None = None) -> str:
        with sessions.begin() as session:
            _, someone = accounts.sign_in(session, "maren", "a long enough password")
            name = str(session.scalar(select(func.count()).select_from(t.Token)))
            return tokens.make(session, someone, name, role, network, 1)[0]

    return made


@pytest.fixture
def run(server: str, token: Callable[..., str], monkeypatch: pytest.MonkeyPatch) -> Callable[..., Result]:
    monkeypatch.setenv("SARVEX_SERVER", server)
    monkeypatch.setenv("SARVEX_TOKEN", token())
    monkeypatch.setenv("SARVEX_DATABASE_URL", "mysql+pymysql://nobody@127.0.0.1:1/nothing")  # never asked
    return lambda *arguments, **more: CliRunner().invoke(app, [str(a) for a in arguments], **more)


def test_a_network_goes_there_and_comes_back_as_it_was(run: Callable[..., Result], tmp_path: Path) -> None:
    first = run("import", EXAMPLE)
    assert (first.exit_code, first.stderr) == (0, ""), first
    assert "imported worked example: 2 policies" in first.stdout or "policies" in first.stdout
    back = run("export", "Worked Example")
    assert document.load(back.stdout) == document.load(EXAMPLE.read_text())
    as_json = run("export", "worked example", "--json")
    assert document.load(json.dumps(json.loads(as_json.stdout))) == document.load(EXAMPLE.read_text())
    again = run("import", EXAMPLE)
    assert again.exit_code == 2 and "exists; import with --replace" in again.stderr
    changed = tmp_path / "changed.yaml"
    changed.write_text(EXAMPLE.read_text().replace("10.44.34.0/24", "10.44.35.0/24", 1))
    done = run("import", changed, "--replace")
    assert done.exit_code == 0 and "changed" in done.stdout, done
    assert document.load(run("export", "worked example").stdout) == document.load(changed.read_text())


def test_settling_there_is_as_settling_here(
    run: Callable[..., Result], sessions: sessionmaker[Session], database_url: str, server: str, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    assert run("import", EXAMPLE).exit_code == 0
    asked = ("settle", "-", "--network", "worked example")

    def both(*more: str, text: str = NEW) -> Result:
        """There; and here, where that changes nothing."""
        there = run(*asked, *more, input=text)
        if "--check" in more:
            monkeypatch.delenv("SARVEX_SERVER")
            monkeypatch.setenv("SARVEX_DATABASE_URL", database_url)
            here = run(*asked, *more, input=text)
            monkeypatch.setenv("SARVEX_SERVER", server)
            assert (here.exit_code, here.stdout, here.stderr) == (there.exit_code, there.stdout, there.stderr)
        return there

    assert both("--check", "--json").exit_code == 3
    assert both("--check", text=NEW.replace("merge", "mrege")).exit_code == 2
    first = both()
    assert first.exit_code == 3 and "spare sensors" in first.stdout
    with sessions() as session:
        before = [session.scalar(select(func.count()).select_from(of)) for of in (t.Change, t.Audit)]
    second = both()
    assert (second.exit_code, second.stdout) == (0, "nothing to change\n")
    with sessions() as session:
        assert [session.scalar(select(func.count()).select_from(of)) for of in (t.Change, t.Audit)] == before
    create = NEW.replace("merge: [10.44.34.90]", "create: [10.44.34.91]")
    refused = both(text=create)
    assert refused.exit_code == 1 and "spare sensors" in refused.stderr


def test_access_lists_go_into_a_network_there(run: Callable[..., Result], tmp_path: Path) -> None:
    assert run("import", EXAMPLE).exit_code == 0
    file = tmp_path / "lists.json"
    file.write_text(
        run("convert", EXAMPLE, "--policy", "sensor-side", "--to", "rfc8519").stdout.replace(
            "sensor-side", "again"
        )
    )
    done = run("import", file, "--into", "worked example")
    assert done.exit_code == 0 and "added    policies again" in done.stdout, done
    there = document.load(run("export", "worked example").stdout)
    assert [p.name for p in there.policies][-1] == "again"


def test_what_a_token_is_not_for_is_refused_with_the_reason(
    run: Callable[..., Result], token: Callable[..., str], sessions: sessionmaker[Session], monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    assert run("import", EXAMPLE).exit_code == 0
    demo = run("import", ROOT / "demo/merrow.yaml")
    assert demo.exit_code == 0
    with sessions() as session:
        one = session.scalar(select(t.Network.id).where(t.Network.folded == "worked example"))
    monkeypatch.setenv("SARVEX_TOKEN", token("viewer", one))
    assert run("export", "worked example").exit_code == 0
    other = run("export", "Merrow Sound Ferries")
    assert other.exit_code == 2 and "or the token is not for it" in other.stderr
    written = run("settle", "-", "--network", "worked example", input=NEW)
    assert written.exit_code == 2 and "is for a viewer" in written.stderr, written
    for given, why in (("sarvex_wrong", "not known"), ("", "SARVEX_TOKEN")):
        monkeypatch.setenv("SARVEX_TOKEN", given)
        told = run("export", "worked example")
        assert told.exit_code == 2 and why in told.stderr and "Traceback" not in told.output


@pytest.mark.parametrize(
    ("url", "why"),
    [
        ("http://policies.merrow.example", "https"), ("ftp://127.0.0.1", "an address such as"), ("127.0.0.1:8440", "an address such as"),
        ("http://127.0.0.1:1", "cannot be asked"), ("https://a:b@127.0.0.1", "only scheme"),
    ],
)  # fmt: skip
def test_a_token_goes_nowhere_in_the_clear(url: str, why: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("SARVEX_TOKEN", "sarvex_secret")
    told = CliRunner().invoke(app, ["export", "anything", "--server", url])
    assert told.exit_code == 2 and why in told.stderr and "sarvex_secret" not in told.output, told


def test_the_pipeline_of_the_documentation_runs_on_a_server(
    run: Callable[..., Result], tmp_path: Path, server: str
) -> None:
    assert run("import", ROOT / "demo/merrow.yaml").exit_code == 0
    (tmp_path / "changes.yaml").write_text((ROOT / "demo/changes.yaml").read_text())
    script = re.search(r"```sh\n(set -u.*?)```", (ROOT / "docs/from-a-script.md").read_text(), re.S)
    assert script
    environment = {**os.environ, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    done = subprocess.run(
        ["sh", "-c", script[1]], cwd=tmp_path, env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done
    assert json.loads((tmp_path / "effect.json").read_text())["changes"]
