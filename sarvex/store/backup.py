"""All records in one file, and back: JSON Lines in a gzip stream, read in one snapshot while everything goes on.

The first line says what it is and the schema's version; then come the tables in the order of their references, each
with a line for its name and one for each row; the last line tells how many rows there were and the SHA-256 of all lines
before, so a file that was cut off or changed is refused before anything is written.
"""

from __future__ import annotations

import gzip
import json
import zlib
from base64 import b64decode, b64encode
from collections.abc import Iterator
from datetime import datetime
from hashlib import sha256
from pathlib import Path
from typing import Any

from alembic import command
from sqlalchemy import Connection, Engine, MetaData, Table, insert, inspect, select, text

from sarvex.store import database
from sarvex.store import tables as t
from sarvex.store.tables import Base

FORM = 1
AT_ONCE = 500
LARGEST_LINE = 512_000_000
LEFT_OUT = {t.SignIn.__tablename__, t.Token.__tablename__}
"""Not in a backup: whoever finds it is not signed in with it, whoever was signed in signs in again, and no token that was revoked since
comes back."""


class InvalidBackup(ValueError):
    """A file is no backup, or not all of one; nothing was written."""


def write(engine: Engine, file: Path) -> int:
    """Write all records to a file, which appears when it is whole. Returns the number of rows."""
    fresh = file.with_name(file.name + ".part")
    fresh.touch(mode=0o600)
    digest, rows = sha256(), 0
    with engine.connect() as connection, gzip.open(fresh, "wb") as out:

        def put(line: Any, counts: bool = True) -> None:
            body = json.dumps(line, ensure_ascii=False, separators=(",", ":")).encode() + b"\n"
            if counts:
                digest.update(body)
            out.write(body)

        put({"sarvex backup": FORM, "schema": _schema(connection)})
        for table in Base.metadata.sorted_tables:
            if table.name in LEFT_OUT:
                continue
            put({"table": table.name, "columns": [c.name for c in table.columns]})
            for row in connection.execution_options(stream_results=True, yield_per=AT_ONCE).execute(
                select(table)
            ):
                put([_plain(value) for value in row])
                rows += 1
        put({"rows": rows, "sha256": digest.hexdigest()}, counts=False)
    fresh.rename(file)
    return rows


def check(file: Path) -> tuple[str, int]:
    """Read a whole backup. Returns its schema and number of rows. Raises `InvalidBackup`."""
    digest, rows, schema, last = sha256(), 0, "", None
    for line in _lines(file):
        if last is not None:
            raise InvalidBackup("something stands behind its end")
        told = _told(line)
        if not schema:
            if not isinstance(told, dict) or told.get("sarvex backup") != FORM:
                raise InvalidBackup("it is no backup of Sarvex, or of a newer one")
            schema = str(told["schema"])
        if isinstance(told, dict) and "sha256" in told:
            last = told
            continue
        rows += isinstance(told, list)
        digest.update(line)
    if last is None:
        raise InvalidBackup("its end is missing")
    if last != {"rows": rows, "sha256": digest.hexdigest()}:
        raise InvalidBackup("it was changed since it was written")
    return schema, rows


def restore(url: str, file: Path) -> int:
    """Write a backup into empty records, all of it or nothing, and bring its schema up to date. Returns the number of rows.

    Raises `InvalidBackup`: the file is damaged, of a newer version, or there are records already.
    """
    schema, rows = check(file)
    config = database.alembic_config(url)
    engine = database.connect(url)
    try:
        if inspect(engine).get_table_names():
            _nothing_there(engine)
            command.upgrade(config, "head")
        else:
            _upgrade_to(config, schema)
        with engine.begin() as connection:
            if _schema(connection) < schema:
                raise InvalidBackup(f"it is of a newer version of Sarvex (schema {schema})")
            _fill(connection, file)
    finally:
        engine.dispose()
    database.upgrade(url)
    return rows


def _upgrade_to(config: Any, schema: str) -> None:
    """The tables as they were when the backup was written."""
    try:
        command.upgrade(config, schema)
    except Exception as error:
        raise InvalidBackup(f"its schema {schema} is not known here: {error}") from None


def _nothing_there(engine: Engine) -> None:
    with engine.connect() as connection:
        for table in ("person", "network", "audit"):
            if connection.execute(text(f"SELECT 1 FROM {table} LIMIT 1")).first():
                raise InvalidBackup("there are records already; restore into empty ones")


def _fill(connection: Connection, file: Path) -> None:
    connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
    known = MetaData()
    known.reflect(connection)
    table: Table | None = None
    columns: list[str] = []
    waiting: list[dict[str, Any]] = []

    def flush() -> None:
        if table is not None and waiting:
            connection.execute(insert(table), waiting)
            waiting.clear()

    for line in _lines(file):
        told = _told(line)
        if isinstance(told, dict):
            flush()
            if "table" in told:
                table, columns = known.tables[told["table"]], told["columns"]
                connection.execute(text(f"DELETE FROM {table.name}")) if table.name == "audit_head" else None
            continue
        waiting.append(dict(zip(columns, map(_value, told), strict=True)))
        if len(waiting) >= AT_ONCE:
            flush()
    flush()
    connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))


def _schema(connection: Connection) -> str:
    return str(connection.scalar(text("SELECT version_num FROM alembic_version")))


def _lines(file: Path) -> Iterator[bytes]:
    try:
        with gzip.open(file, "rb") as stream:
            while line := stream.readline(LARGEST_LINE):
                yield line
    except (OSError, EOFError, zlib.error) as error:
        raise InvalidBackup(f"it cannot be read: {error}") from None


def _told(line: bytes) -> Any:
    try:
        return json.loads(line)
    except ValueError:
        raise InvalidBackup("it is no backup of Sarvex") from None


def _plain(value: Any) -> Any:
    """A column's value as JSON has it: bytes and moments are told as such, JSON columns as their text."""
    if isinstance(value, bytes):
        return {"b": b64encode(value).decode()}
    if isinstance(value, datetime):
        return {"t": value.isoformat()}
    if isinstance(value, list | dict):
        return {"j": value}
    return value


def _value(told: Any) -> Any:
    if isinstance(told, dict):
        ((kind, value),) = told.items()
        if kind == "b":
            return b64decode(value)
        return datetime.fromisoformat(value) if kind == "t" else json.dumps(value)
    return told
