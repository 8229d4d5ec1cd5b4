"""Editions: immutable snapshots, content-addressed. The database itself refuses to change or delete them"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

OPTIONS = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.create_table(
        "chunk",
        sa.Column("digest", mysql.VARBINARY(32), nullable=False),
        sa.Column("body", mysql.LONGBLOB(), nullable=False),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_chunk")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_table(
        "edition",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("root", mysql.VARBINARY(32), nullable=False),
        sa.Column("comment", sa.Text(), nullable=False),
        sa.Column("revision", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("made_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.ForeignKeyConstraint(["network_id"], ["network.id"], name=op.f("fk_edition_network_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_edition_person_id")),
        sa.ForeignKeyConstraint(["root"], ["chunk.digest"], name=op.f("fk_edition_root")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_edition")),
        sa.UniqueConstraint("network_id", "number", name=op.f("uq_edition_network_id_number")),
        if_not_exists=True,
        **OPTIONS,
    )
    for table in ("chunk", "edition"):
        for act in ("update", "delete"):
            op.execute(
                f"CREATE TRIGGER IF NOT EXISTS {table}_no_{act} BEFORE {act.upper()} ON {table} FOR EACH ROW"
                " SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'editions stay as they are'"
            )
