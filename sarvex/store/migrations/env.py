"""Alembic's entry: runs the migrations against the URL it was configured with."""

from __future__ import annotations

from alembic import context
from sqlalchemy import create_engine, pool

from sarvex.store.tables import Base

url = context.config.get_main_option("sqlalchemy.url")
assert url
with create_engine(url, poolclass=pool.NullPool).connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
