"""The records: SQLAlchemy tables on MariaDB.

Live rows *are* the draft. Every row that can be edited has a version `ver`, and every write is guarded by
``UPDATE … WHERE id = ? AND ver = ?``. References are by id, so a rename follows everywhere. A rule's place
is a fractional key, so moving one rule among ten thousand writes one row.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, VARBINARY
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "pk": "pk_%(table_name)s",
}
OPTIONS = {"mysql_engine": "InnoDB", "mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_bin"}
Moment = DATETIME(fsp=3)


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    __table_args__: Any = OPTIONS


class Person(Base):
    """Who may sign in, unless the account is closed. Nobody is deleted: changes name who made them."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    login: Mapped[str] = mapped_column(String(100), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    role: Mapped[str] = mapped_column(String(20))
    password: Mapped[str] = mapped_column(String(300))
    created_at: Mapped[datetime] = mapped_column(Moment)
    closed_at: Mapped[datetime | None] = mapped_column(Moment)
    given: Mapped[bool] = mapped_column(Boolean, default=False, server_default=text("0"))
    """Whether the password was given by somebody else, who knows it: it must be changed first of all."""
    totp: Mapped[str | None] = mapped_column(String(64))
    """The secret of a second factor (RFC 6238), in base 32."""
    totp_offered: Mapped[str | None] = mapped_column(String(64))
    """One that was shown and not confirmed with a code yet."""
    totp_used: Mapped[int] = mapped_column(BigInteger, default=0, server_default="0")
    """The time step of the code that was used last: none counts twice."""


class SignIn(Base):
    """An open session; the token itself is kept by the browser only."""

    __tablename__ = "sign_in"
    token_hash: Mapped[bytes] = mapped_column(
        LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"), primary_key=True
    )
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    csrf: Mapped[str] = mapped_column(String(64))
    created_at: Mapped[datetime] = mapped_column(Moment)
    seen_at: Mapped[datetime | None] = mapped_column(Moment)
    client: Mapped[str] = mapped_column(String(300), default="", server_default="")
    expires_at: Mapped[datetime] = mapped_column(Moment, index=True)
    proved_at: Mapped[datetime | None] = mapped_column(Moment)
    """When whoever it is last gave the password, and the code if there is a second factor."""


class Token(Base):
    """What a script signs in with, for somebody and never with more than they may. The token itself is told once and not kept."""

    __tablename__ = "token"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    token_hash: Mapped[bytes] = mapped_column(
        LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"), unique=True
    )
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(100))
    role: Mapped[str] = mapped_column(String(20))
    network_id: Mapped[int | None] = mapped_column(ForeignKey("network.id", ondelete="CASCADE"), index=True)
    """The only one that it is for; none: all."""
    created_at: Mapped[datetime] = mapped_column(Moment)
    expires_at: Mapped[datetime] = mapped_column(Moment)
    seen_at: Mapped[datetime | None] = mapped_column(Moment)


class NetworkRole(Base):
    """What somebody may in one network, if it is otherwise than in all others."""

    __tablename__ = "network_role"
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    network_id: Mapped[int] = mapped_column(
        ForeignKey("network.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    role: Mapped[str] = mapped_column(String(20))


class KeptSearch(Base):
    """A line that somebody looks for things with, kept by a name."""

    __tablename__ = "kept_search"
    __table_args__ = (UniqueConstraint("network_id", "person_id", "place", "name"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    place: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(100))
    line: Mapped[str] = mapped_column(String(500))
    shared: Mapped[bool] = mapped_column(Boolean)


class Network(Base):
    """One model. `revision` counts its changes and orders them; it guards nothing."""

    __tablename__ = "network"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    folded: Mapped[str] = mapped_column(String(200), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    description: Mapped[str] = mapped_column(Text)
    revision: Mapped[int] = mapped_column(BigInteger, default=0)
    reviewers: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    """How many must have signed what a release does."""
    confirm_minutes: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    """Within which a release is confirmed, or goes back by itself; 0: it stays."""
    managed_from: Mapped[list[str]] = mapped_column(JSON, default=list, server_default=text("'[]'"))
    """From where the devices are managed: members of the address space."""
    second_factor: Mapped[bool] = mapped_column(Boolean, default=False, server_default=text("0"))
    """Whether whoever releases or administers needs one."""


class Thing(Base):
    """Everything that bears a name: zones, segments, hosts, address and service objects, devices,
    interfaces, policies. `space` is the name space in which `folded` is unique; an interface's is its
    device's (`parent_id`). `detail` holds the scalar attributes of the kind."""

    __tablename__ = "thing"
    __table_args__ = (UniqueConstraint("network_id", "space", "parent_id", "folded"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(20))
    space: Mapped[str] = mapped_column(String(20))
    parent_id: Mapped[int] = mapped_column(BigInteger, default=0)
    ord: Mapped[int] = mapped_column(Integer)
    folded: Mapped[str] = mapped_column(String(200))
    name: Mapped[str] = mapped_column(String(200))
    description: Mapped[str] = mapped_column(Text)
    detail: Mapped[dict[str, Any]] = mapped_column(JSON)
    ver: Mapped[int] = mapped_column(Integer, default=1)


class Member(Base):
    """One entry of a list that a thing holds: a literal, or a reference to another thing, and what belongs to
    it. `sarvex.store.things` says which fields there are."""

    __tablename__ = "member"
    thing_id: Mapped[int] = mapped_column(ForeignKey("thing.id", ondelete="CASCADE"), primary_key=True)
    field: Mapped[str] = mapped_column(String(40), primary_key=True)
    ord: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    target_id: Mapped[int | None] = mapped_column(ForeignKey("thing.id"), index=True)
    literal: Mapped[str | None] = mapped_column(String(300))
    extra: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))


class Rule(Base):
    """A rule keeps its id when it moves or is edited. `place` orders the rules of a policy."""

    __tablename__ = "rule"
    __table_args__ = (
        UniqueConstraint("policy_id", "place"),
        UniqueConstraint("policy_id", "folded"),
        OPTIONS,
    )
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    policy_id: Mapped[int] = mapped_column(ForeignKey("thing.id", ondelete="CASCADE"))
    place: Mapped[bytes] = mapped_column(LargeBinary(200).with_variant(VARBINARY(200), "mysql", "mariadb"))
    folded: Mapped[str] = mapped_column(String(200))
    name: Mapped[str] = mapped_column(String(200))
    action: Mapped[str] = mapped_column(String(10))
    reject_with: Mapped[str | None] = mapped_column(String(30))
    log: Mapped[bool] = mapped_column(Boolean)
    enabled: Mapped[bool] = mapped_column(Boolean)
    kept: Mapped[bool] = mapped_column(Boolean, default=False, server_default="0")
    negate: Mapped[list[str]] = mapped_column(JSON)
    states: Mapped[list[str]] = mapped_column(JSON)
    until: Mapped[str] = mapped_column(String(10), default="", server_default="")
    """The last date on which it is active."""
    owner: Mapped[str] = mapped_column(String(200), default="", server_default="")
    accepted: Mapped[list[dict[str, Any]]] = mapped_column(JSON, default=list, server_default=text("'[]'"))
    description: Mapped[str] = mapped_column(Text)
    ver: Mapped[int] = mapped_column(Integer, default=1)


class Section(Base):
    """A named run of rules. It stands in the order of the rules: it begins at the first rule of a later place."""

    __tablename__ = "section"
    __table_args__ = (UniqueConstraint("policy_id", "folded"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    policy_id: Mapped[int] = mapped_column(ForeignKey("thing.id", ondelete="CASCADE"))
    place: Mapped[bytes] = mapped_column(LargeBinary(200).with_variant(VARBINARY(200), "mysql", "mariadb"))
    folded: Mapped[str] = mapped_column(String(200))
    name: Mapped[str] = mapped_column(String(200))
    description: Mapped[str] = mapped_column(Text)
    ver: Mapped[int] = mapped_column(Integer, default=1)


class RuleMember(Base):
    """One member of a rule's field: a literal, or a reference to a thing."""

    __tablename__ = "rule_member"
    __table_args__ = (Index(None, "target_id"), OPTIONS)
    rule_id: Mapped[int] = mapped_column(ForeignKey("rule.id", ondelete="CASCADE"), primary_key=True)
    field: Mapped[str] = mapped_column(String(12), primary_key=True)
    ord: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    target_id: Mapped[int | None] = mapped_column(ForeignKey("thing.id"))
    literal: Mapped[str | None] = mapped_column(String(300))


class Change(Base):
    """One act of one person: audit, undo log and history in one. `request_key` makes retries harmless.
    `undoes_id`: the change this one takes back; a redo takes back an undo."""

    __tablename__ = "change"
    __table_args__ = (UniqueConstraint("network_id", "revision"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id", ondelete="CASCADE"))
    revision: Mapped[int] = mapped_column(BigInteger)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(Moment)
    act: Mapped[str] = mapped_column(String(40))
    request_key: Mapped[str | None] = mapped_column(String(64), unique=True)
    undoes_id: Mapped[int | None] = mapped_column(ForeignKey("change.id"), index=True)


class Chunk(Base):
    """A part of editions, named by the SHA-256 of what it holds (JSON, zlib). Triggers refuse to change or delete it."""

    __tablename__ = "chunk"
    digest: Mapped[bytes] = mapped_column(
        LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"), primary_key=True
    )
    body: Mapped[bytes] = mapped_column(LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb"))


class Edition(Base):
    """An immutable numbered snapshot of a network: a root over chunks. Triggers refuse to change or delete it."""

    __tablename__ = "edition"
    __table_args__ = (UniqueConstraint("network_id", "number"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id"))
    number: Mapped[int] = mapped_column(Integer)
    root: Mapped[bytes] = mapped_column(
        LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"), ForeignKey("chunk.digest")
    )
    comment: Mapped[str] = mapped_column(Text)
    revision: Mapped[int] = mapped_column(BigInteger)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    made_at: Mapped[datetime] = mapped_column(Moment)


class InForce(Base):
    """What is in force: one row for a network, switched in one transaction. No row: nothing was released yet."""

    __tablename__ = "in_force"
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id"), primary_key=True, autoincrement=False)
    edition_id: Mapped[int] = mapped_column(ForeignKey("edition.id"))
    release_id: Mapped[int] = mapped_column(ForeignKey("release.id"))
    since: Mapped[datetime] = mapped_column(Moment)


class Release(Base):
    """One act of bringing an edition into force, and what became of it; `sarvex.service.releases.releases` has the states."""

    __tablename__ = "release"
    __table_args__ = (UniqueConstraint("network_id", "number"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id"))
    number: Mapped[int] = mapped_column(Integer)
    edition_id: Mapped[int] = mapped_column(ForeignKey("edition.id"))
    before_id: Mapped[int | None] = mapped_column(ForeignKey("edition.id"))
    state: Mapped[str] = mapped_column(String(20), index=True)
    reason: Mapped[str] = mapped_column(Text)
    reference: Mapped[str] = mapped_column(String(200))
    answers: Mapped[dict[str, str]] = mapped_column(JSON)
    confirm_minutes: Mapped[int] = mapped_column(Integer)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    asked_at: Mapped[datetime] = mapped_column(Moment)
    due_at: Mapped[datetime] = mapped_column(Moment)
    began_at: Mapped[datetime | None] = mapped_column(Moment)
    confirm_by: Mapped[datetime | None] = mapped_column(Moment)
    ended_at: Mapped[datetime | None] = mapped_column(Moment)
    note: Mapped[str] = mapped_column(Text)
    request_key: Mapped[str | None] = mapped_column(String(64), unique=True)


class DeviceLink(Base):
    """Where a device takes its configuration. The password is kept in a file of the server, named by `secret`."""

    __tablename__ = "device_link"
    device_id: Mapped[int] = mapped_column(
        ForeignKey("thing.id", ondelete="CASCADE"), primary_key=True, autoincrement=False
    )
    address: Mapped[str] = mapped_column(String(500))
    login: Mapped[str] = mapped_column(String(100))
    secret: Mapped[str] = mapped_column(String(100))


class ReleaseDevice(Base):
    """What a release does to one device, and how far it got. `had`: what the device had before."""

    __tablename__ = "release_device"
    release_id: Mapped[int] = mapped_column(ForeignKey("release.id"), primary_key=True)
    device: Mapped[str] = mapped_column(String(200), primary_key=True)
    state: Mapped[str] = mapped_column(String(20))
    detail: Mapped[str] = mapped_column(Text)
    tries: Mapped[int] = mapped_column(Integer, default=0)
    had: Mapped[bytes | None] = mapped_column(LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb"))
    at: Mapped[datetime] = mapped_column(Moment)


class Signature(Base):
    """Somebody stands for the effect of a draft (`root`) against what was in force then (`base_id`)."""

    __tablename__ = "signature"
    __table_args__ = (Index(None, "network_id"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(Moment)
    root: Mapped[bytes] = mapped_column(
        LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"), ForeignKey("chunk.digest")
    )
    base_id: Mapped[int | None] = mapped_column(ForeignKey("edition.id"))
    remark: Mapped[str] = mapped_column(Text)
    withdrawn_at: Mapped[datetime | None] = mapped_column(Moment)


class Remark(Base):
    """What somebody says about the draft, or about one rule of it. It outlives the rule."""

    __tablename__ = "remark"
    __table_args__ = (Index(None, "network_id"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id"))
    policy_id: Mapped[int | None] = mapped_column(BigInteger)
    rule_id: Mapped[int | None] = mapped_column(BigInteger)
    about: Mapped[str] = mapped_column(String(420))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(Moment)
    text: Mapped[str] = mapped_column(Text)
    settled_at: Mapped[datetime | None] = mapped_column(Moment)


class Trial(Base):
    """What somebody saw who tried a packet in the network itself, and what was told beforehand; the newest of a packet counts."""

    __tablename__ = "trial"
    __table_args__ = (Index(None, "network_id"), OPTIONS)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    network_id: Mapped[int] = mapped_column(ForeignKey("network.id"))
    edition_id: Mapped[int | None] = mapped_column(ForeignKey("edition.id"))
    """What was in force then."""
    packet: Mapped[str] = mapped_column(String(300))
    about: Mapped[str] = mapped_column(String(420))
    worked: Mapped[bool | None] = mapped_column(Boolean)
    """None: what was said before is taken back."""
    told: Mapped[bool | None] = mapped_column(Boolean)
    """Whether it was to work; None: nobody knew."""
    note: Mapped[str] = mapped_column(Text)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(Moment)


class Audit(Base):
    """Who did what when. Each entry holds the digest of the one before; triggers refuse to change or delete any."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    at: Mapped[datetime] = mapped_column(Moment, index=True)
    network_id: Mapped[int | None] = mapped_column(BigInteger, index=True)
    person: Mapped[str] = mapped_column(String(200))
    act: Mapped[str] = mapped_column(String(60))
    about: Mapped[str] = mapped_column(String(500))
    detail: Mapped[dict[str, Any]] = mapped_column(JSON)
    change_id: Mapped[int | None] = mapped_column(BigInteger)
    digest: Mapped[bytes] = mapped_column(LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"))


class AuditHead(Base):
    """The newest audit entry. Its row is locked by whoever adds one, so entries stand in the order of commits."""

    __tablename__ = "audit_head"
    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    last: Mapped[int] = mapped_column(BigInteger)
    digest: Mapped[bytes] = mapped_column(LargeBinary(32).with_variant(VARBINARY(32), "mysql", "mariadb"))


class ChangeItem(Base):
    """What one change did to one row: the row before and after, with its versions."""

    __tablename__ = "change_item"
    change_id: Mapped[int] = mapped_column(ForeignKey("change.id", ondelete="CASCADE"), primary_key=True)
    ord: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    kind: Mapped[str] = mapped_column(String(20))
    row_id: Mapped[int] = mapped_column(BigInteger, index=True)
    before: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    after: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    ver_before: Mapped[int | None] = mapped_column(Integer)
    ver_after: Mapped[int | None] = mapped_column(Integer)
