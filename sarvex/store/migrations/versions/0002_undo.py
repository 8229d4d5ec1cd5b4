"""Changes that take back changes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("change", sa.Column("undoes_id", sa.BigInteger(), nullable=True), if_not_exists=True)
    op.execute(
        "ALTER TABLE `change` ADD CONSTRAINT fk_change_undoes_id FOREIGN KEY IF NOT EXISTS fk_change_undoes_id"
        " (undoes_id) REFERENCES `change` (id)"
    )
    op.create_index("ix_change_undoes_id", "change", ["undoes_id"], if_not_exists=True)
