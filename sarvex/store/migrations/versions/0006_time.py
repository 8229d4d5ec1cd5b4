"""Every network has a clock: the time zone in which its schedules are meant"""

from __future__ import annotations

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        "INSERT INTO thing (network_id, kind, space, parent_id, ord, folded, name, description, detail, ver)"
        " SELECT id, 'clock', 'network', 0, 0, 'clock', 'clock', '', '{\"time_zone\": \"UTC\"}', 1 FROM network"
        " WHERE id NOT IN (SELECT network_id FROM thing WHERE kind = 'clock')"
    )
