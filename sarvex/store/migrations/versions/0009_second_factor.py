"""A second factor, passwords that must be changed, and when somebody last proved who they are"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=3)
    for column in (
        sa.Column("given", sa.Boolean(), nullable=False, server_default=sa.text("0")),
        sa.Column("totp", sa.String(64), nullable=True),
        sa.Column("totp_offered", sa.String(64), nullable=True),
        sa.Column("totp_used", sa.BigInteger(), nullable=False, server_default="0"),
    ):
        op.add_column("person", column, if_not_exists=True)
    op.add_column("sign_in", sa.Column("proved_at", moment, nullable=True), if_not_exists=True)
    op.add_column(
        "network",
        sa.Column("second_factor", sa.Boolean(), nullable=False, server_default=sa.text("0")),
        if_not_exists=True,
    )
