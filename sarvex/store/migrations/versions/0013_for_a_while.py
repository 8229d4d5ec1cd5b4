"""Rules that are there for a while: who answers for them, and their last date"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name, length in (("until", 10), ("owner", 200)):
        column = sa.Column(name, sa.String(length=length), nullable=False, server_default="")
        op.add_column("rule", column, if_not_exists=True)
