"""Findings about rules that somebody accepts"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "rule",
        sa.Column("accepted", sa.JSON(), nullable=False, server_default=sa.text("'[]'")),
        if_not_exists=True,
    )
