"""A private MariaDB server on loopback: its own data folder, port and socket, started and stopped by us.

It never touches a server that runs on the machine already. Everything is passed on the command line
(``--no-defaults``), so no configuration of the machine leaks in.

Whoever else is on the machine reaches its port, so no account is without a password. There are three: the superuser, who is
whoever runs Sarvex, over the socket alone and known to the server by the operating system; an owner of the records, for
their schema; and one that reads and writes rows, for everything else. What other accounts a data folder has are taken
away when it is started, before anybody can connect.
"""

from __future__ import annotations

import fcntl
import logging
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

DATABASE = "sarvex"
OWNER, USER = "sarvex_owner", "sarvex"
AT = "127.0.0.1"
LONGEST_SOCKET = 100
"""Bytes of a socket's path that every system takes."""
START_SECONDS = 60
SHORTEST_PAUSE, LONGEST_PAUSE = 0.2, 10.0
"""Seconds before a server that ended is started again; longer each time if it does not last."""

log = logging.getLogger("sarvex.database")


class DatabaseUnavailable(RuntimeError):
    """The server could not be installed, started or reached; the message says what to do."""


@dataclass(frozen=True)
class Urls:
    """Where the database is: for whoever reads and writes rows, and for the schema's owner."""

    rows: str
    owner: str


@contextmanager
def running(folder: Path, memory_mb: int = 256) -> Iterator[Urls]:
    """Run a server on `folder` (made if it is not there) and give its database URLs.

    The server stops with the context, and is started again if it ends before. A folder in use by another server is
    refused.
    """
    for binary in ("mariadbd", "mariadb-install-db"):
        if not _which(binary):
            raise DatabaseUnavailable(
                f"{binary} is not installed; run script/setup, or set SARVEX_DATABASE_URL"
            )
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    with _only_one(folder):
        yield from _run(folder, memory_mb)


@contextmanager
def _only_one(folder: Path) -> Iterator[None]:
    """Hold the folder: a second start on it is told, a crashed one leaves no lock behind."""
    with (folder / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise DatabaseUnavailable(f"another Sarvex runs on {folder}; stop it first") from None
        yield


def _run(folder: Path, memory_mb: int) -> Iterator[Urls]:
    data = folder / "mariadb"
    _end_orphan(data)
    if not (data / "mysql").exists():
        _install(data)
    passwords = {
        USER: _password(folder / "database-password"),
        OWNER: _password(folder / "database-owner-password"),
    }
    with _run_folder(folder) as run:
        accounts = run / "accounts.sql"
        _own_file(accounts, _accounts(passwords))
        server = _Server(data, run, _free_port(), memory_mb, folder / "mariadb.log")
        server.start()
        try:
            server.wait_until_ready()
            server.keep()
            rows, owner = (
                f"mysql+pymysql://{user}:{passwords[user]}@{AT}:{server.port}/{DATABASE}?charset=utf8mb4&ssl_disabled=true"
                for user in (USER, OWNER)
            )
            yield Urls(rows, owner)
        finally:
            server.stop()


@contextmanager
def _run_folder(folder: Path) -> Iterator[Path]:
    """A folder for the socket and what the server reads when it starts, which nobody else may enter."""
    run = folder / "run"
    if len(bytes(run / "db.sock")) > LONGEST_SOCKET:
        with tempfile.TemporaryDirectory(prefix="sarvex-") as elsewhere:
            yield Path(elsewhere)
        return
    shutil.rmtree(run, ignore_errors=True)
    run.mkdir(mode=0o700)
    yield run
    shutil.rmtree(run, ignore_errors=True)


def _password(file: Path) -> str:
    """A password made at random once and kept where only its owner reads it."""
    if not file.exists():
        _own_file(file, secrets.token_urlsafe(24))
    file.chmod(0o600)
    return file.read_text()


def _own_file(file: Path, text: str) -> None:
    with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        out.write(text)


def _accounts(passwords: dict[str, str]) -> str:
    """What the server does before it lets anybody in, at every start: exactly our accounts, whatever a folder had before."""
    me = pwd.getpwuid(os.geteuid()).pw_name
    kept = [f"{me}@localhost", "mariadb.sys@localhost", *(f"{user}@{AT}" for user in passwords)]
    ours = ", ".join(f"'{account}'" for account in kept)
    lines = [
        f"DELETE FROM mysql.{table} WHERE CONCAT(User, '@', Host) NOT IN ({ours})"
        for table in ("global_priv", "db", "tables_priv", "columns_priv", "procs_priv")
    ]
    users = ", ".join(f"'{user}'" for user in passwords)
    lines += [
        "DELETE FROM mysql.proxies_priv",
        "DELETE FROM mysql.roles_mapping",
        f"UPDATE mysql.global_priv SET Priv = JSON_SET(Priv, '$.access', 0) WHERE User IN ({users})",
        "FLUSH PRIVILEGES",
        f"CREATE USER IF NOT EXISTS '{me}'@'localhost' IDENTIFIED VIA unix_socket",
        f"ALTER USER '{me}'@'localhost' IDENTIFIED VIA unix_socket",
        f"GRANT ALL ON *.* TO '{me}'@'localhost' WITH GRANT OPTION",
        f"CREATE DATABASE IF NOT EXISTS {DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
    ]
    for user, password in passwords.items():
        lines += [
            f"CREATE USER IF NOT EXISTS '{user}'@'{AT}' IDENTIFIED BY '{password}'",
            f"ALTER USER '{user}'@'{AT}' IDENTIFIED BY '{password}'",
        ]
    lines.append(f"GRANT ALL ON {DATABASE}.* TO '{OWNER}'@'{AT}' WITH GRANT OPTION")
    return "".join(f"{line};\n" for line in lines)


class _Server:
    """One mariadbd on a data folder. Once kept, it is started again whenever it ends by itself or is killed."""

    def __init__(self, data: Path, run: Path, port: int, memory_mb: int, log: Path) -> None:
        self.sock, self.port, self._log = run / "db.sock", port, log
        self._command = [
            str(_which("mariadbd")), "--no-defaults", f"--datadir={data}", f"--socket={self.sock}", f"--port={port}",
            f"--bind-address={AT}", "--skip-name-resolve", f"--innodb-buffer-pool-size={memory_mb}M",
            f"--pid-file={self.sock}.pid", "--character-set-server=utf8mb4", f"--tmpdir={_own_tmp(data)}",
            f"--init-file={run / 'accounts.sql'}", "--local-infile=0", f"--secure-file-priv={_own_tmp(data, 'files')}",
            *_as_user(),
        ]  # fmt: skip
        self._stopping = threading.Event()
        self._turn = threading.Lock()
        self._process: subprocess.Popen[bytes]

    def start(self) -> None:
        """Start the process."""
        self.sock.unlink(missing_ok=True)
        self._log.touch(mode=0o600)
        self._log.chmod(0o600)
        with self._log.open("ab") as out:
            # Its own session: Ctrl-C reaches us only, and we stop the server after our last write.
            self._process = subprocess.Popen(self._command, stdout=out, stderr=out, start_new_session=True)

    def wait_until_ready(self) -> None:
        """Wait until it greets: while it still reads its accounts it listens already, but would not hear that it should stop. Raises
        `DatabaseUnavailable`."""
        deadline = time.monotonic() + START_SECONDS
        while not self._greets():
            if self._process.poll() is not None or time.monotonic() > deadline:
                tail = self._log.read_text(errors="replace")[-2000:]
                raise DatabaseUnavailable(f"the database did not start:\n{tail}")
            time.sleep(0.02)

    def _greets(self) -> bool:
        if not self.sock.exists():
            return False
        try:
            with socket.create_connection((AT, self.port), timeout=1) as line:
                return bool(line.recv(1))
        except OSError:
            return False

    def keep(self) -> None:
        """From now on, start it again when it ends."""
        threading.Thread(target=self._keep, name="database", daemon=True).start()

    def _keep(self) -> None:
        pause = SHORTEST_PAUSE
        while True:
            began = time.monotonic()
            code = self._process.wait()
            if self._stopping.is_set():
                return
            log.error("the database ended with %s; it is started again", code)
            pause = (
                SHORTEST_PAUSE if time.monotonic() - began > LONGEST_PAUSE else min(2 * pause, LONGEST_PAUSE)
            )
            self._stopping.wait(pause)
            with self._turn:
                if self._stopping.is_set():
                    return
                self.start()

    def stop(self) -> None:
        """End it, after its last write."""
        with self._turn:
            self._stopping.set()
        self._process.terminate()
        try:
            self._process.wait(timeout=30)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


def _which(binary: str) -> str | None:
    return shutil.which(binary) or shutil.which(binary, path="/usr/sbin:/usr/local/sbin")


def _as_user() -> list[str]:
    return ["--user=root"] if os.geteuid() == 0 else []


def _install(data: Path) -> None:
    """Make the data folder, which appears when it is whole."""
    fresh = data.with_suffix(".new")
    shutil.rmtree(fresh, ignore_errors=True)
    command = [
        str(_which("mariadb-install-db")), "--no-defaults", f"--datadir={fresh}", "--skip-test-db",
        "--auth-root-authentication-method=socket", *_as_user(),
    ]  # fmt: skip
    own = os.environ | {"TMPDIR": str(_own_tmp(data))}
    done = subprocess.run(command, capture_output=True, text=True, check=False, env=own)
    if done.returncode:
        raise DatabaseUnavailable(f"mariadb-install-db failed:\n{done.stdout[-2000:]}{done.stderr[-2000:]}")
    fresh.rename(data)


def _end_orphan(data: Path) -> None:
    """End a server of ours that outlived a killed Sarvex; we hold the folder, so nobody uses it."""
    own = f"--datadir={data}".encode()
    orphans = [p for p in Path("/proc").glob("[0-9]*") if own in _cmdline(p).split(b"\0")]
    for orphan in orphans:
        with suppress(ProcessLookupError):
            os.kill(int(orphan.name), signal.SIGTERM)
    deadline = time.monotonic() + START_SECONDS
    while any(map(_cmdline, orphans)) and time.monotonic() < deadline:
        time.sleep(0.05)


def _cmdline(process: Path) -> bytes:
    try:
        return (process / "cmdline").read_bytes()
    except OSError:  # it has ended, or is somebody else's
        return b""


def _own_tmp(data: Path, what: str = "tmp") -> Path:
    """A folder for temporary files that no other server sweeps: each deletes what it finds there when it starts."""
    tmp = data.with_suffix(f".{what}")
    tmp.mkdir(exist_ok=True, mode=0o700)
    return tmp


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind((AT, 0))
        return int(probe.getsockname()[1])
