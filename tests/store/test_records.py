"""The schema and the private server."""

from __future__ import annotations

from pathlib import Path

import pymysql
from alembic import command
from sqlalchemy import Engine, inspect
from sqlalchemy.engine import make_url

from sarvex.core.model.references import REFERENCES
from sarvex.store import database, private
from sarvex.store.things import KINDS, Texts


def test_migrations_lead_to_the_tables(urls: private.Urls) -> None:
    database.upgrade(urls.owner, urls.rows)  # a second time: nothing left to do
    command.check(database.alembic_config(urls.owner))


def test_an_interrupted_migration_can_be_run_again(tmp_path: Path) -> None:
    """MariaDB commits each statement of a migration by itself; what is half made must not be in the way."""
    with private.running(tmp_path, memory_mb=32) as urls:
        url = urls.owner
        database.upgrade(url)
        parts = make_url(url)
        with (
            pymysql.connect(
                host=parts.host,
                port=parts.port or 0,
                user=parts.username,
                password=str(parts.password),
                database=parts.database,
            ) as connection,
            connection.cursor() as cursor,
        ):
            cursor.execute("DROP TABLE alembic_version")
            cursor.execute("DROP TABLE change_item")
        database.upgrade(url)
        command.check(database.alembic_config(url))


def test_every_table_is_transactional(engine: Engine) -> None:
    inspector = inspect(engine)
    tables = inspector.get_table_names()
    assert len(tables) > 10
    for table in tables:
        assert "InnoDB" in inspector.get_table_options(table).values()


def test_rows_refer_to_what_the_model_says() -> None:
    for kind in KINDS.values():
        for field, shape in kind.lists.items():
            if isinstance(shape, Texts):
                assert REFERENCES[kind.record].get(field) == shape.space
            else:
                said = {shape.head: shape.space} | {name: texts.space for name, texts in shape.refers.items()}
                assert REFERENCES[shape.record] == {name: space for name, space in said.items() if space}
