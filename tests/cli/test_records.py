"""Documents into the records and out again, by the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session, sessionmaker
from typer.testing import CliRunner

from sarvex.cli import app
from sarvex.formats import document
from sarvex.service import audit
from sarvex.store import tables as t

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


def test_a_lost_second_factor_is_taken_away_by_whoever_runs_the_server(
    run, sessions: sessionmaker[Session]
) -> None:
    assert run("person", "maren", input="a long enough password\n").exit_code == 0
    with sessions.begin() as session:
        session.query(t.Person).update({"totp": "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"})
    nobody = run("person", "gus", "--lost-second-factor")
    assert nobody.exit_code == 2 and "nobody's sign-in name is gus" in nobody.stderr
    done = run("person", "MAREN", "--lost-second-factor")
    assert done.exit_code == 0 and "without a code" in done.output
    with sessions() as session:
        assert session.query(t.Person.totp).all() == [(None,)]
        assert session.query(t.Audit).order_by(t.Audit.id.desc()).first().act == "take away second factor"


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


def test_cutting_off_the_end_of_the_audit_is_told(run, owner: Engine, heads: Path) -> None:
    """Whoever gets at the records themselves takes the last entries away and rewrites the head: the chain alone holds."""
    for login in ("maren", "anders", "signe"):
        run("person", login, input="a long enough password\n")
    lines = [json.loads(line) for line in run("db", "audit", "--lines").stdout.splitlines()]
    digests = [line["digest"] for line in lines]
    assert [line.split()[1:] for line in heads.read_text().splitlines()] == [
        [str(n), d] for n, d in enumerate(digests, 1)
    ]
    assert heads.stat().st_mode & 0o077 == 0
    assert run("db", "audit", "--expect", digests[1].upper()).exit_code == 0
    unknown = run("db", "audit", "--expect", "0" * 64)
    assert unknown.exit_code == 1 and "that was expected" in unknown.stderr
    with owner.begin() as connection:
        for act in ("update", "delete"):
            connection.exec_driver_sql(f"DROP TRIGGER audit_no_{act}")
        try:
            connection.exec_driver_sql("DELETE FROM audit WHERE id > 1")
            connection.exec_driver_sql(f"UPDATE audit_head SET last = 1, digest = UNHEX('{digests[0]}')")
        finally:
            for act in ("update", "delete"):
                connection.exec_driver_sql(
                    f"CREATE TRIGGER audit_no_{act} BEFORE {act.upper()} ON audit FOR EACH ROW"
                    " SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'what was done stays written'"
                )
    told = run("db", "audit")
    assert told.exit_code == 1 and "ends with; what came after" in told.stderr and digests[2] in told.stderr
    heads.write_text(heads.read_text()[: len(heads.read_text()) // 3 + 20])  # and a line that was cut off
    assert run("db", "audit").exit_code == 0
    assert run("db", "audit", "--expect", digests[1]).exit_code == 1


def test_what_was_rolled_back_is_told_nowhere(sessions: sessionmaker[Session], heads: Path) -> None:
    with pytest.raises(ZeroDivisionError), sessions.begin() as session:
        audit.note(session, None, "an act")
        raise ZeroDivisionError
    assert not heads.exists()
    with sessions.begin() as session:
        audit.note(session, None, "an act")
    assert audit.last_told(heads) and len(heads.read_text().splitlines()) == 1
