"""The private database: one at a time, started again when it is killed, and never left behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pymysql
import pytest
from sqlalchemy.engine import make_url

from sarvex.store import private


def pid_of(folder: Path) -> int:
    """The server on a folder's data; 0 if there is none."""
    own = f"--datadir={folder / 'mariadb'}".encode()
    found = [int(p.name) for p in Path("/proc").glob("[0-9]*") if own in private._cmdline(p).split(b"\0")]
    assert len(found) <= 1
    return found[0] if found else 0


def written(url: str, number: int) -> list[int]:
    """Add a number to a table, as soon as the server answers; all that are there."""
    told = make_url(url)
    deadline = time.monotonic() + 60
    while True:
        try:
            with (
                pymysql.connect(host=told.host, port=told.port, user=told.username, password=told.password,
                                database=told.database, autocommit=True) as connection,
                connection.cursor() as cursor,
            ):  # fmt: skip
                cursor.execute("CREATE TABLE IF NOT EXISTS kept (n INT PRIMARY KEY)")
                cursor.execute("INSERT INTO kept VALUES (%s)", (number,))
                cursor.execute("SELECT n FROM kept ORDER BY n")
                return [n for (n,) in cursor.fetchall()]
        except pymysql.err.OperationalError:
            assert time.monotonic() < deadline
            time.sleep(0.05)


def test_a_killed_server_is_started_again_and_knows_everything(tmp_path: Path) -> None:
    with private.running(tmp_path, memory_mb=32) as url:
        assert written(url, 1) == [1]
        for number in (2, 3):
            before = pid_of(tmp_path)
            os.kill(before, signal.SIGKILL)
            assert written(url, number) == list(range(1, number + 1))
            assert pid_of(tmp_path) not in (0, before)
        with pytest.raises(private.DatabaseUnavailable, match="another Sarvex"), private.running(tmp_path):
            pass
    assert pid_of(tmp_path) == 0


def test_a_server_that_outlived_its_sarvex_makes_way(tmp_path: Path) -> None:
    """A killed Sarvex cannot stop its database; the next one does, and reads what it wrote."""
    act = f"""
import os, signal
from pathlib import Path
from sarvex.store import private
with private.running(Path({str(tmp_path)!r}), memory_mb=32) as url:
    print(url, flush=True)
    os.read(0, 1)
    os.kill(os.getpid(), signal.SIGKILL)
"""
    with subprocess.Popen(
        [sys.executable, "-c", act], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as first:
        assert first.stdout and first.stdin
        written(first.stdout.readline().decode().strip(), 7)
        first.stdin.write(b"x")
    assert first.returncode == -signal.SIGKILL
    orphan = pid_of(tmp_path)
    assert orphan
    with private.running(tmp_path, memory_mb=32) as url:
        assert pid_of(tmp_path) != orphan
        assert written(url, 8) == [7, 8]


def test_an_installation_that_was_cut_off_is_done_again(tmp_path: Path) -> None:
    (tmp_path / "mariadb.new" / "mysql").mkdir(parents=True)
    with private.running(tmp_path, memory_mb=32) as url:
        assert written(url, 1) == [1]
