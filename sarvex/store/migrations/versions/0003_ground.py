"""Everything a thing lists or refers to as members of it; sections of policies

The lists of policies at devices move from tables of their own into the members of the device.
"""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("member", sa.Column("extra", sa.JSON(), nullable=True), if_not_exists=True)
    op.alter_column(
        "member", "field", existing_type=sa.String(20), type_=sa.String(40), existing_nullable=False
    )
    tables = sa.inspect(op.get_bind()).get_table_names()
    if "scope" in tables:
        _attachments_to_members(op.get_bind())
    op.execute(
        "INSERT INTO thing (network_id, kind, space, parent_id, ord, folded, name, description, detail, ver)"
        " SELECT id, 'at_hosts', 'network', 0, 0, 'at hosts', 'at hosts', '', '{}', 1 FROM network"
        " WHERE id NOT IN (SELECT network_id FROM thing WHERE kind = 'at_hosts')"
    )
    op.drop_table("scope", if_exists=True)
    op.drop_table("attached", if_exists=True)
    op.create_table(
        "section",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("policy_id", sa.BigInteger(), nullable=False),
        sa.Column("place", mysql.VARBINARY(200), nullable=False),
        sa.Column("folded", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("description", sa.Text(), nullable=False),
        sa.Column("ver", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["policy_id"], ["thing.id"], name=op.f("fk_section_policy_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_section")),
        sa.UniqueConstraint("policy_id", "folded", name=op.f("uq_section_policy_id_folded")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )


def _attachments_to_members(connection: sa.Connection) -> None:
    """Rows that are there already stay: an interrupted run goes on where it was."""
    insert = sa.text(
        "INSERT IGNORE INTO member (thing_id, field, ord, target_id, literal, extra)"
        " VALUES (:thing, :field, :ord, :target, :literal, :extra)"
    )
    attached = connection.execute(
        sa.text("SELECT id, device_id, policy_id, stage FROM attached ORDER BY device_id, ord")
    ).all()
    scopes: dict[tuple[int, str], list[int]] = {}
    for attached_id, side, target in connection.execute(
        sa.text("SELECT attached_id, side, target_id FROM scope ORDER BY attached_id, side, ord")
    ):
        scopes.setdefault((attached_id, side), []).append(target)
    place: dict[int, int] = {}
    for row in attached:
        index = place[row.device_id] = place.get(row.device_id, -1) + 1
        values = {"thing": row.device_id, "field": "policies", "ord": index, "literal": None}
        connection.execute(
            insert, {**values, "target": row.policy_id, "extra": json.dumps({"stage": row.stage})}
        )
        for side in ("entering", "leaving"):
            field = {**values, "field": f"policies.{index}.{side}", "extra": None}
            for ord_, target in enumerate(scopes.get((row.id, side), ())):
                connection.execute(insert, {**field, "ord": ord_, "target": target})
            if (row.id, side) not in scopes:
                connection.execute(insert, {**field, "ord": 0, "target": None, "literal": "any"})
