"""First records"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "network",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("folded", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("description", sa.Text(), nullable=False),
        sa.Column("revision", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_network")),
        sa.UniqueConstraint("folded", name=op.f("uq_network_folded")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "person",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("login", sa.String(length=100), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("password", sa.String(length=300), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("login", name=op.f("uq_person_login")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "change",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("revision", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("act", sa.String(length=40), nullable=False),
        sa.Column("request_key", sa.String(length=64), nullable=True),
        sa.ForeignKeyConstraint(
            ["network_id"], ["network.id"], name=op.f("fk_change_network_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_change_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_change")),
        sa.UniqueConstraint("network_id", "revision", name=op.f("uq_change_network_id_revision")),
        sa.UniqueConstraint("request_key", name=op.f("uq_change_request_key")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "sign_in",
        sa.Column(
            "token_hash",
            sa.LargeBinary(length=32)
            .with_variant(sa.VARBINARY(length=32), "mariadb")
            .with_variant(sa.VARBINARY(length=32), "mysql"),
            nullable=False,
        ),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("csrf", sa.String(length=64), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_sign_in_person_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_sign_in")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(
        op.f("ix_sign_in_expires_at"), "sign_in", ["expires_at"], unique=False, if_not_exists=True
    )
    op.create_index(op.f("ix_sign_in_person_id"), "sign_in", ["person_id"], unique=False, if_not_exists=True)
    op.create_table(
        "thing",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("space", sa.String(length=20), nullable=False),
        sa.Column("parent_id", sa.BigInteger(), nullable=False),
        sa.Column("ord", sa.Integer(), nullable=False),
        sa.Column("folded", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("description", sa.Text(), nullable=False),
        sa.Column("detail", sa.JSON(), nullable=False),
        sa.Column("ver", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["network_id"], ["network.id"], name=op.f("fk_thing_network_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_thing")),
        sa.UniqueConstraint(
            "network_id",
            "space",
            "parent_id",
            "folded",
            name=op.f("uq_thing_network_id_space_parent_id_folded"),
        ),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "attached",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("device_id", sa.BigInteger(), nullable=False),
        sa.Column("ord", sa.Integer(), nullable=False),
        sa.Column("policy_id", sa.BigInteger(), nullable=False),
        sa.Column("stage", sa.String(length=30), nullable=False),
        sa.Column("ver", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["device_id"], ["thing.id"], name=op.f("fk_attached_device_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["policy_id"], ["thing.id"], name=op.f("fk_attached_policy_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_attached")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(
        op.f("ix_attached_device_id"), "attached", ["device_id"], unique=False, if_not_exists=True
    )
    op.create_index(
        op.f("ix_attached_policy_id"), "attached", ["policy_id"], unique=False, if_not_exists=True
    )
    op.create_table(
        "change_item",
        sa.Column("change_id", sa.BigInteger(), nullable=False),
        sa.Column("ord", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("row_id", sa.BigInteger(), nullable=False),
        sa.Column("before", sa.JSON(), nullable=True),
        sa.Column("after", sa.JSON(), nullable=True),
        sa.Column("ver_before", sa.Integer(), nullable=True),
        sa.Column("ver_after", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(
            ["change_id"], ["change.id"], name=op.f("fk_change_item_change_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("change_id", "ord", name=op.f("pk_change_item")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(
        op.f("ix_change_item_row_id"), "change_item", ["row_id"], unique=False, if_not_exists=True
    )
    op.create_table(
        "member",
        sa.Column("thing_id", sa.BigInteger(), nullable=False),
        sa.Column("field", sa.String(length=20), nullable=False),
        sa.Column("ord", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("target_id", sa.BigInteger(), nullable=True),
        sa.Column("literal", sa.String(length=300), nullable=True),
        sa.ForeignKeyConstraint(["target_id"], ["thing.id"], name=op.f("fk_member_target_id")),
        sa.ForeignKeyConstraint(
            ["thing_id"], ["thing.id"], name=op.f("fk_member_thing_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("thing_id", "field", "ord", name=op.f("pk_member")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(op.f("ix_member_target_id"), "member", ["target_id"], unique=False, if_not_exists=True)
    op.create_table(
        "rule",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("policy_id", sa.BigInteger(), nullable=False),
        sa.Column(
            "place",
            sa.LargeBinary(length=200)
            .with_variant(sa.VARBINARY(length=200), "mariadb")
            .with_variant(sa.VARBINARY(length=200), "mysql"),
            nullable=False,
        ),
        sa.Column("folded", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("action", sa.String(length=10), nullable=False),
        sa.Column("reject_with", sa.String(length=30), nullable=True),
        sa.Column("log", sa.Boolean(), nullable=False),
        sa.Column("enabled", sa.Boolean(), nullable=False),
        sa.Column("negate", sa.JSON(), nullable=False),
        sa.Column("states", sa.JSON(), nullable=False),
        sa.Column("description", sa.Text(), nullable=False),
        sa.Column("ver", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["policy_id"], ["thing.id"], name=op.f("fk_rule_policy_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rule")),
        sa.UniqueConstraint("policy_id", "folded", name=op.f("uq_rule_policy_id_folded")),
        sa.UniqueConstraint("policy_id", "place", name=op.f("uq_rule_policy_id_place")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "rule_member",
        sa.Column("rule_id", sa.BigInteger(), nullable=False),
        sa.Column("field", sa.String(length=12), nullable=False),
        sa.Column("ord", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("target_id", sa.BigInteger(), nullable=True),
        sa.Column("literal", sa.String(length=300), nullable=True),
        sa.ForeignKeyConstraint(
            ["rule_id"], ["rule.id"], name=op.f("fk_rule_member_rule_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["target_id"], ["thing.id"], name=op.f("fk_rule_member_target_id")),
        sa.PrimaryKeyConstraint("rule_id", "field", "ord", name=op.f("pk_rule_member")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(
        op.f("ix_rule_member_target_id"), "rule_member", ["target_id"], unique=False, if_not_exists=True
    )
    op.create_table(
        "scope",
        sa.Column("attached_id", sa.BigInteger(), nullable=False),
        sa.Column("side", sa.String(length=10), nullable=False),
        sa.Column("ord", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("target_id", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["attached_id"], ["attached.id"], name=op.f("fk_scope_attached_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["target_id"], ["thing.id"], name=op.f("fk_scope_target_id")),
        sa.PrimaryKeyConstraint("attached_id", "side", "ord", name=op.f("pk_scope")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(op.f("ix_scope_target_id"), "scope", ["target_id"], unique=False, if_not_exists=True)
