"""Shared by all tests: the seed of the random checks, printed so that a failure can be repeated."""

from __future__ import annotations

import os
import random
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model.records import Network
from sarvex.formats import document
from sarvex.store import database, private
from sarvex.store.tables import Base

SEED = int(os.environ.get("SARVEX_SEED", "20261123"))
ROOT = Path(__file__).parent.parent
settings.register_profile("sarvex", deadline=None)  # a machine that stands still for a moment is no fault
settings.load_profile("sarvex")


def pytest_report_header() -> str:
    return f"random checks: SARVEX_SEED={SEED}"


@pytest.fixture
def rng(request: pytest.FixtureRequest) -> random.Random:
    return random.Random(f"{SEED}/{request.node.nodeid}")


@pytest.fixture(scope="session")
def worked_example() -> Network:
    return document.load((ROOT / "tests/data/worked-example.yaml").read_text())


@pytest.fixture(scope="session")
def merrow() -> Network:
    return document.load((ROOT / "demo/merrow.yaml").read_text())


@pytest.fixture(scope="session")
def urls(tmp_path_factory: pytest.TempPathFactory) -> Iterator[private.Urls]:
    """A throw-away database: a private server for this run, or the one SARVEX_TEST_DATABASE_URL names.

    Tests empty the records; SARVEX_DATABASE_URL, which may name real ones, is never looked at.
    """
    given = os.environ.get("SARVEX_TEST_DATABASE_URL")
    if given:
        database.upgrade(given)
        yield private.Urls(given, given)
        return
    with private.running(tmp_path_factory.mktemp("records"), memory_mb=64) as own:
        database.upgrade(own.owner, own.rows)
        yield own


@pytest.fixture(scope="session")
def database_url(urls: private.Urls) -> str:
    """What a server is given: rows are read and written with it, and nothing else."""
    return urls.rows


@pytest.fixture(scope="session")
def engine(database_url: str) -> Iterator[Engine]:
    made = database.connect(database_url)
    yield made
    made.dispose()


@pytest.fixture(scope="session")
def owner(urls: private.Urls) -> Iterator[Engine]:
    """For what no server may do: to empty the records, and to change them behind Sarvex's back."""
    made = database.connect(urls.owner)
    yield made
    made.dispose()


@pytest.fixture
def sessions(engine: Engine, owner: Engine) -> Iterator[sessionmaker[Session]]:
    """Transactions on empty records."""
    with owner.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in Base.metadata.tables.values():
            if table.name in ("edition", "chunk", "audit"):  # these refuse to be deleted from
                if connection.execute(table.select().limit(1)).first():
                    connection.execute(text(f"TRUNCATE TABLE {table.name}"))
            else:
                connection.execute(table.delete())
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    yield database.sessions(engine)
