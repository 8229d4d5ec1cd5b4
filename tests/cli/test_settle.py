"""Settling by the command line: what is so already changes nothing at all; and the pipeline that the documentation shows."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import jsonschema
import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker
from typer.testing import CliRunner

from sarvex.cli import app
from sarvex.formats import document, settling
from sarvex.store import tables as t

ROOT = Path(__file__).parent.parent.parent
EXAMPLE = ROOT / "tests/data/worked-example.yaml"
WISHES = """
sarvex: 1
settle:
  addresses:
    - {name: spare sensors, members: {merge: [10.44.34.90]}}
  policies:
    - name: sensor-side
      rules:
        - {name: spares, place: {before: catch-all}, action: allow, source: {merge: [spare sensors]}, destination: {merge: [berth-sensors]}, service: {merge: [mqtts]}}
"""


@pytest.fixture
def run(sessions: sessionmaker[Session], database_url: str, monkeypatch: pytest.MonkeyPatch):  # type: ignore[no-untyped-def]
    monkeypatch.setenv("SARVEX_DATABASE_URL", database_url)
    done = lambda *arguments, **more: CliRunner().invoke(app, [str(a) for a in arguments], **more)  # noqa: E731
    assert done("import", EXAMPLE).exit_code == 0
    return done


@pytest.fixture
def changes(tmp_path: Path) -> Path:
    last = document.load(EXAMPLE.read_text()).policies[0].rules[-1].name
    file = tmp_path / "changes.yaml"
    file.write_text(WISHES.replace("catch-all", last))
    return file


def counts(sessions: sessionmaker[Session]) -> tuple[int, ...]:
    """Revision, changes, audit entries, rows."""
    with sessions() as session:
        revision = session.scalar(select(t.Network.revision))
        return (
            revision or 0,
            *(
                session.scalar(select(func.count()).select_from(of)) or 0
                for of in (t.Change, t.Audit, t.Thing, t.Rule)
            ),
        )


def test_it_is_told_done_and_the_second_time_nothing(
    run, changes: Path, sessions: sessionmaker[Session]
) -> None:
    before = counts(sessions)
    would = run("settle", changes, "--network", "worked example", "--check")
    assert would.exit_code == 3 and counts(sessions) == before
    assert (
        "added    addresses spare sensors" in would.stdout
        and "newly allowed, no longer logged: spare sensors → berth-sensors : mqtts" in would.stdout
    )
    done = run("settle", changes, "--network", "WORKED example", "--json")
    assert done.exit_code == 3, done.output
    told = json.loads(done.stdout)
    jsonschema.validate(told, json.loads(run("schema", "settle").stdout))
    assert told["changed"] and [d["name"] for d in told["differences"]] == ["spare sensors", "sensor-side"]
    after = counts(sessions)
    assert after[0] == before[0] + 1 and after[1:3] == (before[1] + 1, before[2] + 1)
    for more in ([], ["--check"]):
        again = run("settle", changes, "--network", "worked example", *more)
        assert (again.exit_code, again.stdout) == (0, "nothing to change\n") and counts(sessions) == after
    jsonschema.validate(
        json.loads(run("settle", changes, "--network", "worked example", "--json").stdout),
        json.loads(run("schema", "settle").stdout),
    )


@pytest.mark.parametrize(
    ("text", "code", "told"),
    [
        ("sarvex: 1\nsettle: {policies: [{name: sensor-side, rules: [{name: n, place: {before: nobody}}]}]}", 1, "no 'nobody'"),
        ("sarvex: 1\nsettle: {addresses: [{name: a, members: [x]}]}", 2, "settle.addresses[a].members: say what"),
        ("sarvex: 1\nsettle: {", 2, "line"),
        ("\x00", 2, "changes.yaml"),
    ],
)  # fmt: skip
def test_what_is_refused_changes_nothing(
    run, changes: Path, sessions: sessionmaker[Session], text: str, code: int, told: str
) -> None:
    changes.write_text(text)
    before = counts(sessions)
    for more in ([], ["--check"]):
        refused = run("settle", changes, "--network", "worked example", *more)
        assert refused.exit_code == code and told in refused.stderr, refused.stderr
    assert counts(sessions) == before
    missing = run("settle", changes.parent / "none.yaml", "--network", "worked example")
    assert missing.exit_code == 2 and "none.yaml" in missing.stderr


def test_a_network_that_is_not_there_is_bad_input(run, changes: Path) -> None:
    nobody = run("settle", changes, "--network", "nowhere")
    assert nobody.exit_code == 2 and "nowhere" in nobody.stderr


def test_changes_come_from_a_pipe(run, changes: Path) -> None:
    done = run("settle", "-", "--network", "worked example", "--check", input=changes.read_text())
    assert done.exit_code == 3
    jsonschema.validate(
        json.loads(json.dumps({"sarvex": 1, "settle": settling.read(changes.read_text())})),
        json.loads(run("schema", "changes").stdout),
    )


def test_the_pipeline_of_the_documentation_runs_as_it_stands(
    run, tmp_path: Path, database_url: str, sessions: sessionmaker[Session]
) -> None:
    assert run("import", ROOT / "demo/merrow.yaml").exit_code == 0
    (tmp_path / "changes.yaml").write_text((ROOT / "demo/changes.yaml").read_text())
    script = re.search(r"```sh\n(set -u.*?)```", (ROOT / "docs/from-a-script.md").read_text(), re.S)
    assert script
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    environment = {**os.environ, "PATH": path, "SARVEX_DATABASE_URL": database_url}

    def go() -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            ["sh", "-c", script[1]],
            cwd=tmp_path,
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )

    first = go()
    assert first.returncode == 0 and first.stdout.count("not all holds") == 2, first
    effect = json.loads((tmp_path / "effect.json").read_text())
    would = json.loads((tmp_path / "would.json").read_text())["effect"]
    assert (
        effect["changes"] == would["changes"] and effect["network"] == would["network"] and effect["changes"]
    )
    assert "screens show departures" in (tmp_path / "held-after.xml").read_text()
    now = counts(sessions)
    second = go()
    assert (
        second.returncode == 0 and second.stdout.endswith("nothing to change\n") and counts(sessions) == now
    )
