"""What people saw who tried in the network itself what must hold"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

OPTIONS = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.create_table(
        "trial",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("edition_id", sa.BigInteger(), nullable=True),
        sa.Column("packet", sa.String(length=300), nullable=False),
        sa.Column("about", sa.String(length=420), nullable=False),
        sa.Column("worked", sa.Boolean(), nullable=True),
        sa.Column("told", sa.Boolean(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=3), nullable=False),
        sa.ForeignKeyConstraint(["edition_id"], ["edition.id"], name=op.f("fk_trial_edition_id")),
        sa.ForeignKeyConstraint(["network_id"], ["network.id"], name=op.f("fk_trial_network_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_trial_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trial")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(op.f("ix_trial_network_id"), "trial", ["network_id"], unique=False, if_not_exists=True)
