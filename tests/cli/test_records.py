"""Documents into the records and out again, by the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from sqlalchemy.orm import Session, sessionmaker
from typer.testing import CliRunner

from sarvex.cli import app
from sarvex.formats import document

EXAMPLE = Path(__file__).parent.parent / "data" / "worked-example.yaml"


@pytest.fixture
def run(sessions: sessionmaker[Session], database_url: str, monkeypatch: pytest.MonkeyPatch):  # type: ignore[no-untyped-def]
    """Commands on empty records."""
    monkeypatch.setenv("SARVEX_DATABASE_URL", database_url)
    return lambda *arguments, **more: CliRunner().invoke(app, [str(a) for a in arguments], **more)


def test_what_would_change_is_told_and_done_only_when_asked(run, tmp_path: Path) -> None:
    assert run("import", EXAMPLE).stdout == "imported worked example: 1 policies, 6 rules\n"
    changed = tmp_path / "changed.yaml"
    changed.write_text(
        EXAMPLE.read_text().replace("tcp/8883", "tcp/8884").replace("name: wide-feed", "name: by-range")
    )
    refused = run("import", changed)
    assert refused.exit_code == 2 and "--replace" in refused.stderr
    told = [
        "changed  services mqtts: members",
        "changed  policies sensor-side: rule by-range added, rule wide-feed removed",
    ]
    assert refused.stdout.splitlines() == told
    assert document.load(run("export", "worked example").stdout) == document.load(EXAMPLE.read_text())
    done = run("import", changed, "--replace")
    assert done.exit_code == 0 and done.stdout.splitlines()[:2] == told
    for form in ([], ["--json"]):
        out = run("export", "WORKED EXAMPLE", *form)
        assert document.load(out.stdout) == document.load(changed.read_text())


def test_a_bad_document_changes_nothing(run, tmp_path: Path) -> None:
    bad = tmp_path / "bad.yaml"
    bad.write_text(EXAMPLE.read_text().replace("tcp/8883", "tcp/88830"))
    refused = run("import", bad)
    assert refused.exit_code == 2 and "services[mqtts].members[0]" in refused.stderr
    assert run("export", "worked example").exit_code == 2
    assert run("import", tmp_path / "missing.yaml").exit_code == 2


def test_people_are_let_in(run) -> None:
    assert run("person", "maren", "--role", "editor", input="a long enough password\n").exit_code == 0
    assert run("person", "maren", input="a long enough password\n").exit_code == 2
    assert run("person", "gus", "--role", "captain", input="a long enough password\n").exit_code == 2
    assert run("person", "gus", input="short\n").exit_code == 2


def test_records_are_written_to_a_file_and_come_back_elsewhere(
    run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert run("import", EXAMPLE).exit_code == 0
    assert run("person", "maren", input="a long enough password\n").exit_code == 0
    before = run("db", "audit")
    assert before.exit_code == 0 and "the chain holds" in before.stderr
    lines = run("db", "audit", "--lines").stdout.splitlines()
    assert [json.loads(line)["act"] for line in lines] == ["make network", "let somebody in"]
    file = tmp_path / "friday.sarvex"
    assert "rows" in run("db", "backup", file).stdout
    refused = run("db", "restore", file)
    assert refused.exit_code == 2 and "records already" in refused.stderr
    monkeypatch.delenv("SARVEX_DATABASE_URL")
    elsewhere = ("--data", tmp_path / "other")
    assert "rows are back" in run("db", "restore", file, *elsewhere).stdout
    out = run("export", "worked example", *elsewhere)
    assert document.load(out.stdout) == document.load(EXAMPLE.read_text())
    assert run("db", "audit", *elsewhere).stderr == before.stderr
    broken = tmp_path / "broken.sarvex"
    broken.write_bytes(file.read_bytes()[:-20])
    refused = run("db", "restore", broken, "--data", tmp_path / "third")
    assert refused.exit_code == 2 and "nothing was written" in refused.stderr
