"""People and their sessions. Passwords are kept as argon2id hashes, session tokens as SHA-256 hashes."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from pwdlib import PasswordHash
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from sarvex.core.model import fold
from sarvex.core.problem import Problem
from sarvex.service.errors import NotAllowed, Refused, SignInRefused
from sarvex.store import tables as t

Role = Literal["viewer", "editor", "releaser", "administrator"]
ROLES: tuple[Role, ...] = ("viewer", "editor", "releaser", "administrator")
LASTS = timedelta(hours=12)
SHORTEST = 12  # characters; NIST SP 800-63B asks for length, not for kinds of characters
LONGEST = 1000

_hasher = PasswordHash.recommended()
# Verified when the name is unknown, so that the time taken does not tell which names exist.
_nobody = _hasher.hash(secrets.token_urlsafe(16))


@dataclass(frozen=True)
class Someone:
    """Who is signed in."""

    id: int
    login: str
    name: str
    role: Role
    csrf: str

    def may(self, needed: Role) -> None:
        """Raises `NotAllowed` unless the role is at least `needed`."""
        if ROLES.index(self.role) < ROLES.index(needed):
            raise NotAllowed(f"this needs the role {needed}; you are {self.role}")


def add_person(session: Session, login: str, name: str, role: Role, password: str) -> int:
    """Let somebody in. Raises `Refused` for a name taken or a password too short."""
    problems = []
    if not login.strip():
        problems.append(Problem(("login",), "a sign-in name is needed"))
    elif session.scalar(select(t.Person.id).where(t.Person.login == fold(login))):
        problems.append(Problem(("login",), f"{login} is taken"))
    if not SHORTEST <= len(password) <= LONGEST:
        problems.append(Problem(("password",), f"a password has at least {SHORTEST} characters"))
    if problems:
        raise Refused(problems)
    row = t.Person(
        login=fold(login), name=name, role=role, password=_hasher.hash(password), created_at=_now()
    )
    session.add(row)
    session.flush()
    return row.id


def ensure_person(session: Session, login: str, name: str, role: Role, password: str) -> None:
    """Let somebody in, or give them this password if they are known already."""
    person = session.scalar(select(t.Person).where(t.Person.login == fold(login)))
    if person is None:
        add_person(session, login, name, role, password)
    elif not _hasher.verify(password, person.password):
        person.password = _hasher.hash(password)


def sign_in(session: Session, login: str, password: str) -> tuple[str, Someone]:
    """Open a session. Returns its token and the person. Raises `SignInRefused`."""
    person = session.scalar(select(t.Person).where(t.Person.login == fold(login)))
    known = _hasher.verify(password[:LONGEST], person.password if person else _nobody)
    if not person or not known:
        raise SignInRefused("this name and password do not go together")
    session.execute(delete(t.SignIn).where(t.SignIn.expires_at < _now()))
    token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    session.add(
        t.SignIn(
            token_hash=_hash(token),
            person_id=person.id,
            csrf=csrf,
            created_at=_now(),
            expires_at=_now() + LASTS,
        )
    )
    return token, _someone(person, csrf)


def who(session: Session, token: str) -> Someone | None:
    """The person of a session token, if the session is open."""
    row = session.execute(
        select(t.Person, t.SignIn.csrf)
        .join(t.SignIn, t.SignIn.person_id == t.Person.id)
        .where(t.SignIn.token_hash == _hash(token), t.SignIn.expires_at > _now())
    ).first()
    return _someone(row[0], row[1]) if row else None


def sign_out(session: Session, token: str) -> None:
    """Close a session."""
    session.execute(delete(t.SignIn).where(t.SignIn.token_hash == _hash(token)))


def _someone(person: t.Person, csrf: str) -> Someone:
    return Someone(person.id, person.login, person.name, person.role, csrf)  # type: ignore[arg-type]


def _hash(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)
