"""Searches that somebody keeps"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

OPTIONS = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.create_table(
        "kept_search",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("place", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("line", sa.String(length=500), nullable=False),
        sa.Column("shared", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["network_id"], ["network.id"], name=op.f("fk_kept_search_network_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_kept_search_person_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_search")),
        sa.UniqueConstraint(
            "network_id",
            "person_id",
            "place",
            "name",
            name=op.f("uq_kept_search_network_id_person_id_place_name"),
        ),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(
        op.f("ix_kept_search_person_id"), "kept_search", ["person_id"], unique=False, if_not_exists=True
    )
