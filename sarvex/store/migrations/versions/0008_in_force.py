"""What is in force, releases, devices, signatures, remarks, and the audit, whose entries cannot be changed"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

OPTIONS = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.create_table(
        "audit",
        sa.Column("id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=True),
        sa.Column("person", sa.String(length=200), nullable=False),
        sa.Column("act", sa.String(length=60), nullable=False),
        sa.Column("about", sa.String(length=500), nullable=False),
        sa.Column("detail", sa.JSON(), nullable=False),
        sa.Column("change_id", sa.BigInteger(), nullable=True),
        sa.Column("digest", mysql.VARBINARY(32), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(op.f("ix_audit_at"), "audit", ["at"], unique=False, if_not_exists=True)
    op.create_index(op.f("ix_audit_network_id"), "audit", ["network_id"], unique=False, if_not_exists=True)
    op.create_table(
        "audit_head",
        sa.Column("id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("last", sa.BigInteger(), nullable=False),
        sa.Column("digest", mysql.VARBINARY(32), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit_head")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_table(
        "remark",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("policy_id", sa.BigInteger(), nullable=True),
        sa.Column("rule_id", sa.BigInteger(), nullable=True),
        sa.Column("about", sa.String(length=420), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("settled_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.ForeignKeyConstraint(["network_id"], ["network.id"], name=op.f("fk_remark_network_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_remark_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_remark")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(op.f("ix_remark_network_id"), "remark", ["network_id"], unique=False, if_not_exists=True)
    op.create_table(
        "device_link",
        sa.Column("device_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("address", sa.String(length=500), nullable=False),
        sa.Column("login", sa.String(length=100), nullable=False),
        sa.Column("secret", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(
            ["device_id"], ["thing.id"], name=op.f("fk_device_link_device_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("device_id", name=op.f("pk_device_link")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_table(
        "release",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("edition_id", sa.BigInteger(), nullable=False),
        sa.Column("before_id", sa.BigInteger(), nullable=True),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("reference", sa.String(length=200), nullable=False),
        sa.Column("answers", sa.JSON(), nullable=False),
        sa.Column("confirm_minutes", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("asked_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("due_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("began_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("confirm_by", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("ended_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("request_key", sa.String(length=64), nullable=True),
        sa.ForeignKeyConstraint(["before_id"], ["edition.id"], name=op.f("fk_release_before_id")),
        sa.ForeignKeyConstraint(["edition_id"], ["edition.id"], name=op.f("fk_release_edition_id")),
        sa.ForeignKeyConstraint(["network_id"], ["network.id"], name=op.f("fk_release_network_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_release_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_release")),
        sa.UniqueConstraint("network_id", "number", name=op.f("uq_release_network_id_number")),
        sa.UniqueConstraint("request_key", name=op.f("uq_release_request_key")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(op.f("ix_release_state"), "release", ["state"], unique=False, if_not_exists=True)
    op.create_table(
        "signature",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("network_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("root", mysql.VARBINARY(32), nullable=False),
        sa.Column("base_id", sa.BigInteger(), nullable=True),
        sa.Column("remark", sa.Text(), nullable=False),
        sa.Column("withdrawn_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.ForeignKeyConstraint(["base_id"], ["edition.id"], name=op.f("fk_signature_base_id")),
        sa.ForeignKeyConstraint(["network_id"], ["network.id"], name=op.f("fk_signature_network_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_signature_person_id")),
        sa.ForeignKeyConstraint(["root"], ["chunk.digest"], name=op.f("fk_signature_root")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_signature")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_index(
        op.f("ix_signature_network_id"), "signature", ["network_id"], unique=False, if_not_exists=True
    )
    op.create_table(
        "in_force",
        sa.Column("network_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("edition_id", sa.BigInteger(), nullable=False),
        sa.Column("release_id", sa.BigInteger(), nullable=False),
        sa.Column("since", mysql.DATETIME(fsp=3), nullable=False),
        sa.ForeignKeyConstraint(["edition_id"], ["edition.id"], name=op.f("fk_in_force_edition_id")),
        sa.ForeignKeyConstraint(["network_id"], ["network.id"], name=op.f("fk_in_force_network_id")),
        sa.ForeignKeyConstraint(["release_id"], ["release.id"], name=op.f("fk_in_force_release_id")),
        sa.PrimaryKeyConstraint("network_id", name=op.f("pk_in_force")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.create_table(
        "release_device",
        sa.Column("release_id", sa.BigInteger(), nullable=False),
        sa.Column("device", sa.String(length=200), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("detail", sa.Text(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("had", mysql.LONGBLOB(), nullable=True),
        sa.Column("at", mysql.DATETIME(fsp=3), nullable=False),
        sa.ForeignKeyConstraint(["release_id"], ["release.id"], name=op.f("fk_release_device_release_id")),
        sa.PrimaryKeyConstraint("release_id", "device", name=op.f("pk_release_device")),
        if_not_exists=True,
        **OPTIONS,
    )
    op.add_column(
        "network",
        sa.Column("reviewers", sa.Integer(), server_default="0", nullable=False),
        if_not_exists=True,
    )
    op.add_column(
        "network",
        sa.Column("confirm_minutes", sa.Integer(), server_default="0", nullable=False),
        if_not_exists=True,
    )
    op.add_column(
        "network",
        sa.Column("managed_from", sa.JSON(), server_default=sa.text("'[]'"), nullable=False),
        if_not_exists=True,
    )
    op.execute("INSERT IGNORE INTO audit_head (id, last, digest) VALUES (1, 0, REPEAT(CHAR(0), 32))")
    for act in ("update", "delete"):
        op.execute(
            f"CREATE TRIGGER IF NOT EXISTS audit_no_{act} BEFORE {act.upper()} ON audit FOR EACH ROW"
            " SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'what was done stays written'"
        )
