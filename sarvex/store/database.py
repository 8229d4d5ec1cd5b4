"""The connection to the records, and their schema brought up to date."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import URL, Engine, create_engine, inspect, make_url, text
from sqlalchemy.exc import OperationalError, ProgrammingError
from sqlalchemy.orm import Session, sessionmaker

CONNECTIONS = 40
"""As many are kept as a server has threads that answer: to make one takes longer than most answers."""
APPEND_ONLY = ("audit", "chunk", "edition")
"""Tables whose rows stay as they were written. Their triggers say so too; whoever may not drop a trigger cannot get by."""
MIGRATIONS = Path(__file__).parent / "migrations"


def connect(url: str) -> Engine:
    """An engine on MariaDB. A transaction reads one snapshot, so a network is always loaded whole."""
    return create_engine(
        url, pool_size=CONNECTIONS, pool_pre_ping=True, pool_recycle=1800, isolation_level="REPEATABLE READ"
    )


@contextmanager
def opened(url: str) -> Iterator[sessionmaker[Session]]:
    """Transactions on the records at `url`, their connections closed in the end."""
    engine = connect(url)
    try:
        yield sessions(engine)
    finally:
        engine.dispose()


def sessions(engine: Engine) -> sessionmaker[Session]:
    """Makes transactions; see `sqlalchemy.orm.sessionmaker`."""
    return sessionmaker(engine, expire_on_commit=False)


@contextmanager
def only_one(engine: Engine, name: str) -> Iterator[bool]:
    """Whether nobody else holds a lock of this name, whichever process they run in; held until the end, or until the
    connection is lost."""
    with engine.connect() as connection:
        got = connection.scalar(text("SELECT GET_LOCK(:name, 0)"), {"name": name[:64]}) == 1
        connection.commit()
        try:
            yield got
        finally:
            if got:
                connection.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": name[:64]})
                connection.commit()


def alembic_config(url: str) -> Config:
    """Alembic's configuration, without a file."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def upgrade(url: str, rows_url: str = "") -> None:
    """Bring the schema to the newest version; safe to repeat, also after a crash half-way.

    `rows_url`: of the account that reads and writes rows, if it is another than the schema's owner. It is allowed exactly
    that, and of `APPEND_ONLY` to read and add.
    """
    command.upgrade(alembic_config(url), "head")
    if rows_url and rows_url != url:
        _allow_rows(url, make_url(rows_url))


def _allow_rows(owner: str, rows: URL) -> None:
    engine = connect(owner)
    account, database = f"'{rows.username}'@'{rows.host}'", engine.url.database
    try:
        with engine.connect() as connection:
            with suppress(
                OperationalError, ProgrammingError
            ):  # where it has none there is nothing to take back
                connection.execute(text(f"REVOKE ALL PRIVILEGES ON {database}.* FROM {account}"))
            for table in inspect(connection).get_table_names():
                may = "SELECT, INSERT" if table in APPEND_ONLY else "SELECT, INSERT, UPDATE, DELETE"
                with suppress(OperationalError, ProgrammingError):
                    connection.execute(text(f"REVOKE ALL PRIVILEGES ON {database}.{table} FROM {account}"))
                connection.execute(text(f"GRANT {may} ON {database}.{table} TO {account}"))
    finally:
        engine.dispose()
