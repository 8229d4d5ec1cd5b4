"""What scripts sign in with, and what somebody may in one network"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

OPTIONS = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.create_table(
        "token",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("token_hash", mysql.VARBINARY(32), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("seen_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.ForeignKeyConstraint(
            ["network_id"], ["network.id"], name=op.f("fk_token_network_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_token_person_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_token")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_token_token_hash")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(op.f("ix_token_person_id"), "token", ["person_id"], unique=False, if_not_exists=True)
    op.create_index(op.f("ix_token_network_id"), "token", ["network_id"], unique=False, if_not_exists=True)
    op.create_table(
        "network_role",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.ForeignKeyConstraint(
            ["network_id"], ["network.id"], name=op.f("fk_network_role_network_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_network_role_person_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("person_id", "network_id", name=op.f("pk_network_role")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(
        op.f("ix_network_role_network_id"), "network_role", ["network_id"], unique=False, if_not_exists=True
    )
