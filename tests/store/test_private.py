"""The private database: one at a time, started again when it is killed, and never left behind."""

from __future__ import annotations

import os
import pwd
import signal
import subprocess
import sys
import time
from pathlib import Path

import pymysql
import pytest
from sqlalchemy import Engine, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import DBAPIError

from sarvex.store import database, private


def pid_of(folder: Path) -> int:
    """The server on a folder's data; 0 if there is none."""
    own = f"--datadir={folder / 'mariadb'}".encode()
    found = [int(p.name) for p in Path("/proc").glob("[0-9]*") if own in private._cmdline(p).split(b"\0")]
    assert len(found) <= 1
    return found[0] if found else 0


def written(urls: private.Urls, number: int) -> list[int]:
    """Add a number to a table, as soon as the server answers; all that are there."""
    told = make_url(urls.owner)
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
    with private.running(tmp_path, memory_mb=32) as urls:
        assert written(urls, 1) == [1]
        for number in (2, 3):
            before = pid_of(tmp_path)
            os.kill(before, signal.SIGKILL)
            assert written(urls, number) == list(range(1, number + 1))
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
with private.running(Path({str(tmp_path)!r}), memory_mb=32) as urls:
    print(urls.owner, flush=True)
    os.read(0, 1)
    os.kill(os.getpid(), signal.SIGKILL)
"""
    with subprocess.Popen(
        [sys.executable, "-c", act], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as first:
        assert first.stdout and first.stdin
        written(private.Urls("", first.stdout.readline().decode().strip()), 7)
        first.stdin.write(b"x")
    assert first.returncode == -signal.SIGKILL
    orphan = pid_of(tmp_path)
    assert orphan
    with private.running(tmp_path, memory_mb=32) as urls:
        assert pid_of(tmp_path) != orphan
        assert written(urls, 8) == [7, 8]


def test_an_installation_that_was_cut_off_is_done_again(tmp_path: Path) -> None:
    (tmp_path / "mariadb.new" / "mysql").mkdir(parents=True)
    with private.running(tmp_path, memory_mb=32) as urls:
        assert written(urls, 1) == [1]


# --- who gets in ---------------------------------------------------------------------------------------------------

TRY = """
import sys, pymysql
port, sock = int(sys.argv[1]), sys.argv[2]
ways = [dict(host="127.0.0.1", port=port), dict(unix_socket=sock)]
for way in ways:
    for user in ("root", "", "mysql", "mariadb.sys", "sarvex", "sarvex_owner", "nobody", "mallory", sys.argv[3]):
        for password in ("", "root", "password", "invalid"):
            try:
                pymysql.connect(user=user, password=password, **way).close()
            except (pymysql.err.MySQLError, OSError):
                continue
            print("in as", repr(user), "by", way)
"""


def tried_by_somebody_else(urls: private.Urls, folder: Path) -> str:
    """What another account of the machine gets by: every name that might be there, with passwords that anybody would try."""
    if os.geteuid() != 0:
        pytest.skip("only root can be somebody else: whether others get in was NOT tried")
    port, sock = make_url(urls.rows).port, folder / "run" / "db.sock"
    site = next(p for p in sys.path if p.endswith("site-packages"))
    done = subprocess.run(
        ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", sys.executable, "-c",
         f"import sys; sys.path.insert(0, {site!r})\n{TRY}", str(port), str(sock), pwd.getpwuid(os.geteuid()).pw_name],
        capture_output=True, text=True, check=True, cwd="/",
    )  # fmt: skip
    return done.stdout


OPEN_TO_ANYBODY = """
CREATE OR REPLACE USER 'root'@'127.0.0.1'; GRANT ALL ON *.* TO 'root'@'127.0.0.1' WITH GRANT OPTION;
CREATE OR REPLACE USER 'root'@'localhost'; GRANT ALL ON *.* TO 'root'@'localhost' WITH GRANT OPTION;
CREATE USER ''@'127.0.0.1'; CREATE USER 'mallory'@'%'; GRANT FILE ON *.* TO 'mallory'@'%';
CREATE ROLE friends; GRANT ALL ON *.* TO friends; GRANT friends TO 'sarvex'@'127.0.0.1';
GRANT ALL ON *.* TO 'sarvex'@'127.0.0.1'; GRANT ALL ON sarvex.* TO 'sarvex'@'127.0.0.1';
"""


def opened_to_anybody(folder: Path) -> None:
    """A data folder as earlier versions left it, and worse."""
    with private.running(folder, memory_mb=32) as urls:
        database.upgrade(urls.owner, urls.rows)
    run = folder / "other"
    run.mkdir(mode=0o700)
    (run / "accounts.sql").write_text(
        "\n".join(OPEN_TO_ANYBODY.strip().replace("; ", ";\n").splitlines()) + "\n"
    )
    server = private._Server(folder / "mariadb", run, private._free_port(), 32, folder / "other.log")
    server.start()
    server.wait_until_ready()
    pymysql.connect(host="127.0.0.1", port=server.port, user="root", connect_timeout=30).close()
    server.stop()


def test_nobody_else_on_the_machine_gets_in(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    with private.running(tmp_path, memory_mb=32) as urls:
        assert tried_by_somebody_else(urls, tmp_path) == ""


def test_a_folder_that_let_anybody_in_is_mended_when_it_is_started(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    opened_to_anybody(tmp_path)
    with private.running(tmp_path, memory_mb=32) as urls:
        database.upgrade(urls.owner, urls.rows)
        assert tried_by_somebody_else(urls, tmp_path) == ""
        with database.connect(urls.rows).connect() as rows:
            grants = " ".join(rows.scalars(text("SHOW GRANTS")))
            assert "ON *.* TO" in grants and grants.count("*.*") == 1 and "USAGE ON *.*" in grants
            assert "friends" not in grants and "`sarvex`.*" not in grants


@pytest.mark.parametrize(
    "act",
    [
        "DROP TABLE audit", "ALTER TABLE audit ADD COLUMN more INT", "TRUNCATE TABLE audit", "DROP TRIGGER audit_no_delete",
        "CREATE TRIGGER mine BEFORE INSERT ON audit FOR EACH ROW SET NEW.act = ''", "CREATE TABLE more (n INT)",
        "UPDATE audit SET act = ''", "DELETE FROM audit", "DELETE FROM edition", "UPDATE chunk SET body = ''",
        "CREATE USER more@localhost", "SELECT * FROM mysql.global_priv", "SELECT 1 INTO OUTFILE 'more'",
        "LOAD DATA LOCAL INFILE '/etc/hostname' INTO TABLE audit", "SET GLOBAL general_log = 1",
    ],
)  # fmt: skip
def test_what_a_server_may_not_do_with_the_records(act: str, engine: Engine) -> None:
    with engine.connect() as rows, pytest.raises(DBAPIError) as refused:
        rows.exec_driver_sql(act)
    assert refused.value.orig and refused.value.orig.args[0] in (
        1044, 1142, 1227, 1290, 1148, 4166, 1369, 1054, 1146,
    ), refused.value  # fmt: skip


def test_no_file_of_the_machine_can_be_read(engine: Engine) -> None:
    with engine.connect() as rows:
        assert rows.exec_driver_sql("SELECT LOAD_FILE('/etc/hostname')").scalar() is None


def test_what_holds_passwords_is_for_its_owner_alone(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    with private.running(tmp_path, memory_mb=32):
        for file in ("database-password", "database-owner-password", "run/accounts.sql", "mariadb.log"):
            assert (tmp_path / file).stat().st_mode & 0o077 == 0, file
        for folder in ("run", "mariadb", "mariadb.tmp", "mariadb.files"):
            assert (tmp_path / folder).stat().st_mode & 0o077 == 0, folder
    assert not (tmp_path / "run").exists()
