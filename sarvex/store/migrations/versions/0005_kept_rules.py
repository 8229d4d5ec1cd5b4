"""Rules that tidying leaves alone"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "rule", sa.Column("kept", sa.Boolean(), nullable=False, server_default="0"), if_not_exists=True
    )
