"""Tokens: what scripts sign in with (RFC 6750), for one person, and never with more than that person may at that moment.

A token is told once, when it is made; the records keep its SHA-256 alone, which is enough for what is 256 random bits. It ends with its
time, when it is revoked, and while its person's account is closed.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal, cast, get_args

from sqlalchemy import bindparam, delete, or_, select, update
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem, name_problem
from sarvex.core.model.records import fold
from sarvex.service import audit
from sarvex.service.errors import NotFound, Refused
from sarvex.service.people import roles
from sarvex.service.people.accounts import SEEN_EVERY, Someone, hashed, now
from sarvex.store import tables as t

TokenRole = Literal["viewer", "editor"]
"""What is released, and who may do what, is decided by persons alone."""
MARK = "sarvex_"
"""Tokens begin with it, so that one that lies about is known for what it is."""
MOST_DAYS = 366
MOST = 50
LONGEST_NAME = 100


@dataclass(frozen=True)
class Token:
    """A token without itself. network: the only one it is for, by id and name; none: all that its person sees."""

    id: int
    name: str
    login: str
    role: TokenRole
    network_id: int | None
    network: str | None
    created_at: datetime
    expires_at: datetime
    seen_at: datetime | None


def make(session: Session, person: Someone, name: str, role: TokenRole, network_id: int | None, days: int) -> tuple[str, int]:  # fmt: skip
    """A new token of somebody, and its id. Raises `Refused`: a name they have already, too long a time, or what they may not do."""
    mine = select(t.Token).where(t.Token.person_id == person.id).with_for_update()
    there = [row for row in session.scalars(mine) if row.expires_at > now()]
    network = session.get(t.Network, network_id) if network_id is not None else None
    may = roles.in_networks(session, person.id)(network_id) if network_id is not None else person.role
    problems = []
    if wrong := name_problem(name, "a name tells tokens apart") or (
        f"at most {LONGEST_NAME} characters" if len(name) > LONGEST_NAME else ""
    ):
        problems.append(Problem(("name",), wrong))
    elif fold(name) in {fold(row.name) for row in there}:
        problems.append(
            Problem(("name",), f"you have a token {name} already; revoke it or take another name")
        )
    if not 1 <= days <= MOST_DAYS:
        problems.append(Problem(("days",), f"a token is for 1 to {MOST_DAYS} days"))
    if network_id is not None and (network is None or may == "none"):
        problems.append(Problem(("network_id",), "there is no such network"))
    elif role not in get_args(TokenRole) or roles.lesser(role, may) != role:
        problems.append(Problem(("role",), f"you are {may} there, and a token may not do more than you"))
    if len(there) >= MOST:
        problems.append(Problem((), f"you have {MOST} tokens; revoke some that nothing uses"))
    if problems:
        raise Refused(problems)
    token = MARK + secrets.token_urlsafe(32)
    row = t.Token(
        token_hash=hashed(token), person_id=person.id, name=name, role=role, network_id=network_id,
        created_at=now(), expires_at=now() + timedelta(days=days),
    )  # fmt: skip
    session.add(row)
    session.flush()
    told = {"role": role, "network": network.name if network else None, "days": days}
    audit.note(session, person.id, "make token", name, network_id=network_id, detail=told)
    return token, row.id


def listing(session: Session, person_id: int | None) -> list[Token]:
    """The tokens of a person, or of everybody, the newest first; those that have ended, too."""
    rows = (
        select(t.Token, t.Person.login, t.Network.name)
        .join(t.Person, t.Person.id == t.Token.person_id)
        .outerjoin(t.Network, t.Network.id == t.Token.network_id)
        .order_by(t.Token.id.desc())
    )
    if person_id is not None:
        rows = rows.where(t.Token.person_id == person_id)
    return [
        Token(
            row.id, row.name, login, cast(TokenRole, row.role), row.network_id, network, row.created_at, row.expires_at, row.seen_at
        )
        for row, login, network in session.execute(rows)
    ]  # fmt: skip


def revoke(session: Session, by: Someone, token_id: int) -> None:
    """End a token: one's own, or as an administrator anybody's. Raises `NotFound`."""
    row = session.get(t.Token, token_id, with_for_update=True)
    if row is None or (row.person_id != by.id and by.role != "administrator"):
        raise NotFound("there is no such token")
    person = session.get_one(t.Person, row.person_id)
    told = {"of": person.login, "role": row.role, "expires": row.expires_at.isoformat()}
    session.execute(delete(t.Token).where(t.Token.id == token_id))
    audit.note(session, by.id, "revoke token", row.name, network_id=row.network_id, detail=told)


def who(session: Session, token: str, network_id: int | None = None) -> Someone | None:
    """The person of a token that has not ended, with what it may do in a network, or anywhere else."""
    row = session.execute(
        _WHO, {"token_hash": hashed(token), "now": now(), "network_id": network_id}
    ).one_or_none()
    if row is None:
        return None
    own, person, here = row
    may = roles.lesser(own.role, roles.held(person.role, here))
    if own.network_id is not None and own.network_id != network_id:
        may = "none"
    return Someone(
        person.id, person.login, person.name, may, "", own.seen_at, person.given, None, person.totp is not None, own.name, own.network_id
    )  # fmt: skip


def see(session: Session, token: str) -> None:
    """Note that a token is in use, unless that was just done."""
    late = or_(t.Token.seen_at.is_(None), t.Token.seen_at < now() - SEEN_EVERY)
    session.execute(update(t.Token).where(t.Token.token_hash == hashed(token), late).values(seen_at=now()))


_WHO = (
    select(t.Token, t.Person, t.NetworkRole.role)
    .join(t.Person, t.Person.id == t.Token.person_id)
    .outerjoin(t.NetworkRole, roles.here())
    .where(
        t.Token.token_hash == bindparam("token_hash"),
        t.Token.expires_at > bindparam("now"),
        t.Person.closed_at.is_(None),
    )
)
