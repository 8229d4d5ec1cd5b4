"""Accounts that are closed, and what is known of open sessions"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=3)
    op.add_column("person", sa.Column("closed_at", moment, nullable=True), if_not_exists=True)
    op.add_column("sign_in", sa.Column("seen_at", moment, nullable=True), if_not_exists=True)
    op.add_column(
        "sign_in",
        sa.Column("client", sa.String(300), nullable=False, server_default=""),
        if_not_exists=True,
    )
