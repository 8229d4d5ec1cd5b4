"""People and their sessions. Passwords are kept as argon2id hashes, session tokens as SHA-256 hashes."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from pwdlib import PasswordHash
from sqlalchemy import ColumnElement, and_, bindparam, delete, func, not_, or_, select, update
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem, name_problem, odd_character
from sarvex.core.model.records import LONGEST_NAME, fold
from sarvex.service import audit
from sarvex.service.errors import NotAllowed, NotFound, ProofNeeded, Refused, SignInRefused
from sarvex.service.people import passwords, roles, second_factor
from sarvex.service.people.roles import ROLES, Role, held
from sarvex.store import tables as t

LASTS = timedelta(hours=12)
IDLE = timedelta(hours=1)
"""A session ends at the latest after `LASTS`, and when nothing was asked in it for so long."""
LONGEST_LOGIN = 100
SEEN_EVERY = timedelta(minutes=1)
PROOF = timedelta(minutes=5)
"""For so long a password that was given stands for what a session alone may not do."""

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
    """In the network that is asked about, or everywhere else."""
    csrf: str
    seen_at: datetime | None = None
    """When the session or the token was last noted to be in use."""
    given: bool = False
    """Whether somebody else gave the password, and so knows it."""
    proved_at: datetime | None = None
    second_factor: bool = False
    token: str = ""
    """The name of the token that speaks for them, if one does."""
    only: int | None = None
    """The only network that it is for."""

    def may(self, needed: Role) -> None:
        """Raises `NotAllowed` unless the role is at least `needed`."""
        if ROLES.index(self.role) < ROLES.index(needed):
            who = f"the token {self.token} is for a" if self.token else "you are"
            raise NotAllowed(f"this needs the role {needed}; {who} {self.role}")

    def in_person(self) -> None:
        """Raises `NotAllowed` if a token speaks for them."""
        if self.token:
            raise NotAllowed("no token may do this; sign in with your password")

    def proved(self) -> None:
        """Raises `ProofNeeded` unless the password was given within the last `PROOF`."""
        self.in_person()
        if self.proved_at is None or now() - self.proved_at > PROOF:
            raise ProofNeeded(
                "give your password once more: whoever finds your session open must not do this"
            )


def add_person(
    session: Session, login: str, name: str, role: Role, password: str, by: int | None = None
) -> int:
    """Let somebody in; with a password that somebody gives (`by`) they must first take another. Raises `Refused` for a name
    taken or a password too short."""
    problems = []
    if wrong := name_problem(login, "a sign-in name is needed") or _too_long(login, LONGEST_LOGIN):
        problems.append(Problem(("login",), wrong))
    if wrong := odd_character(name) or _too_long(name, LONGEST_NAME):
        problems.append(Problem(("name",), wrong))
    if problems:
        pass
    elif session.scalar(select(t.Person.id).where(t.Person.login == fold(login))):
        problems.append(Problem(("login",), f"{login} is taken"))
    if wrong := passwords.objection(password, (login, name)):
        problems.append(Problem(("password",), wrong))
    if problems:
        raise Refused(problems)
    row = t.Person(
        login=fold(login), name=name, role=role, password=_hashed(password), created_at=now(), given=by is not None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    audit.note(session, by, "let somebody in", row.login, detail={"role": role})
    return row.id


def ensure_person(session: Session, login: str, name: str, role: Role, password: str) -> None:
    """Let somebody in, or give them this password if they are known already."""
    person = session.scalar(select(t.Person).where(t.Person.login == fold(login)))
    if person is None:
        add_person(session, login, name, role, password)
    elif not _verified(password, person.password):
        person.password = _hashed(password)


def first_person(session: Session) -> str | None:
    """On records that know nobody: make `administrator` with a password made at random, and return that."""
    if session.scalar(select(t.Person.id).limit(1)) is not None:
        return None
    password = "-".join(secrets.token_hex(2) for _ in range(4))
    made = add_person(session, "administrator", "Administrator", "administrator", password)
    session.get_one(t.Person, made).given = True
    return password


def called(name: str | None, login: str | None) -> str:
    """Somebody as they are told where it matters who it was: a name that anybody may have, never without the sign-in name."""
    if login is None:
        return ""
    return name if name and fold(name) == login else f"{name or login} ({login})"


@dataclass(frozen=True)
class Account:
    """Somebody who may, or might once, sign in."""

    id: int
    login: str
    name: str
    role: Role
    closed: bool
    created_at: datetime
    seen_at: datetime | None
    sessions: int
    second_factor: bool
    given: bool


def accounts(session: Session) -> list[Account]:
    """Everybody, by sign-in name."""
    open_ = select(
        t.SignIn.person_id, func.count().label("sessions"), func.max(t.SignIn.seen_at).label("seen_at")
    ).where(_open())
    known = open_.group_by(t.SignIn.person_id).subquery()
    rows = session.execute(
        select(t.Person, known.c.sessions, known.c.seen_at)
        .outerjoin(known, known.c.person_id == t.Person.id)
        .order_by(t.Person.login)
    )
    return [
        Account(
            p.id,
            p.login,
            p.name,
            p.role,
            p.closed_at is not None,
            p.created_at,
            seen,
            sessions or 0,
            p.totp is not None,
            p.given,
        )
        for p, sessions, seen in rows
    ]


def change_person(
    session: Session,
    person_id: int,
    *,
    name: str | None = None,
    role: Role | None = None,
    closed: bool | None = None,
    password: str | None = None,
    by: int | None = None,
) -> None:
    """Change an account. Closing it, or giving it another password, ends its sessions; with another password its tokens are
    revoked, and while it is closed none counts.

    Raises `NotFound`, `Refused`: a password too short, or nobody left to administer.
    """
    # All rows are locked first, so that two administrators cannot take the role from each other at once.
    everybody = session.scalars(select(t.Person).with_for_update()).all()
    person = next((p for p in everybody if p.id == person_id), None)
    if person is None:
        raise NotFound("there is no such person")
    before = {"name": person.name, "role": person.role, "closed": person.closed_at is not None}
    if password is not None:
        _check_password(password, person)
        person.password, person.given = _hashed(password), True
    if name is not None:
        if wrong := name_problem(name) or _too_long(name, LONGEST_NAME):
            raise Refused([Problem(("name",), wrong)])
        person.name = name
    if role is not None:
        person.role = role
    if closed is not None:
        person.closed_at = (person.closed_at or now()) if closed else None
    if not any(p.role == "administrator" and p.closed_at is None for p in everybody):
        raise Refused([Problem(("role",), "somebody must remain to administer; make another one first")])
    session.flush()
    if closed or password is not None:
        session.execute(delete(t.SignIn).where(t.SignIn.person_id == person_id))
    if password is not None:
        session.execute(delete(t.Token).where(t.Token.person_id == person_id))
    after = {"name": person.name, "role": person.role, "closed": person.closed_at is not None}
    told = {"before": before, "after": after, "password": "another" if password is not None else "the same"}
    audit.note(session, by, "change account", person.login, detail=told)


def change_password(session: Session, person: Someone, token: str, old: str, new: str) -> None:
    """Change one's own password; all one's other sessions end. Raises `Refused`."""
    row = session.get_one(t.Person, person.id)
    if not _verified(old, row.password):
        raise Refused([Problem(("old",), "this is not your password")])
    _check_password(new, row, "new")
    row.password, row.given = _hashed(new), False
    session.execute(
        delete(t.SignIn).where(t.SignIn.person_id == person.id, t.SignIn.token_hash != hashed(token))
    )
    audit.note(session, person.id, "change own password")


@dataclass(frozen=True)
class OpenSession:
    """One open session. `handle` names it without giving the token away."""

    handle: str
    created_at: datetime
    seen_at: datetime | None
    client: str
    own: bool


def open_sessions(session: Session, person_id: int, token: str) -> list[OpenSession]:
    """The open sessions of a person, the newest first; `own` is the one of this token."""
    rows = session.scalars(
        select(t.SignIn).where(t.SignIn.person_id == person_id, _open()).order_by(t.SignIn.created_at.desc())
    )
    own = hashed(token)
    return [
        OpenSession(r.token_hash.hex(), r.created_at, r.seen_at, r.client, r.token_hash == own) for r in rows
    ]


def end_session(session: Session, person_id: int, handle: str) -> None:
    """Close one session of a person. Raises `NotFound`."""
    try:
        token_hash = bytes.fromhex(handle)
    except ValueError:
        raise NotFound("there is no such session") from None
    gone = session.execute(
        delete(t.SignIn).where(t.SignIn.person_id == person_id, t.SignIn.token_hash == token_hash)
    )
    if gone.rowcount != 1:  # type: ignore[attr-defined]
        raise NotFound("there is no such session")


def sign_in(
    session: Session, login: str, password: str, client: str = "", code: str = ""
) -> tuple[str, Someone]:
    """Open a session. Returns its token and the person. Raises `SignInRefused`, `CodeNeeded`."""
    person = session.scalar(select(t.Person).where(t.Person.login == fold(login)))
    known = _verified(password, person.password if person else _nobody)
    if not person or not known or person.closed_at is not None:
        raise SignInRefused("this name and password do not go together")
    session.refresh(person, with_for_update=True)  # a code counts once, also when it is sent twice at once
    second_factor.check(person, code)
    session.execute(delete(t.SignIn).where(not_(_open())))
    token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    session.add(
        t.SignIn(
            token_hash=hashed(token),
            person_id=person.id,
            csrf=csrf,
            created_at=now(),
            seen_at=now(),
            client=client[:300],
            expires_at=now() + LASTS,
            proved_at=now(),
        )
    )
    audit.note(session, person.id, "sign in", detail={"client": client[:300]})
    return token, _someone(person, csrf)


def prove(session: Session, person: Someone, token: str, password: str, code: str = "") -> None:
    """Give the password again in an open session, and a code. Raises `SignInRefused`, `CodeNeeded`."""
    row = session.get_one(t.Person, person.id, with_for_update=True, populate_existing=True)
    if not _verified(password, row.password):
        raise SignInRefused("this is not your password")
    second_factor.check(row, code)
    session.execute(update(t.SignIn).where(t.SignIn.token_hash == hashed(token)).values(proved_at=now()))


def who(session: Session, token: str, network_id: int | None = None) -> Someone | None:
    """The person of a session token, if the session is open, with the role in a network."""
    asked = {"token_hash": hashed(token), "now": now(), "idle_since": now() - IDLE, "network_id": network_id}
    row = session.execute(_WHO, asked).first()
    if row is None:
        return None
    *told, here = row
    someone = Someone(*told)
    return replace(someone, role=held(someone.role, here))


def unseen(person: Someone) -> bool:
    """Whether it is time to note that a session is in use."""
    return person.seen_at is None or now() - person.seen_at > SEEN_EVERY


def see(session: Session, token: str) -> None:
    """Note that a session is in use, unless that was just done."""
    late = or_(t.SignIn.seen_at.is_(None), t.SignIn.seen_at < now() - SEEN_EVERY)
    session.execute(update(t.SignIn).where(t.SignIn.token_hash == hashed(token), late).values(seen_at=now()))


def sign_out(session: Session, token: str) -> None:
    """Close a session."""
    person_id = session.scalar(select(t.SignIn.person_id).where(t.SignIn.token_hash == hashed(token)))
    if person_id is not None:
        audit.note(session, person_id, "sign out")
    session.execute(delete(t.SignIn).where(t.SignIn.token_hash == hashed(token)))


def _too_long(text: str, most: int) -> str:
    return f"at most {most} characters" if len(text) > most else ""


def _check_password(password: str, person: t.Person, field: str = "password") -> None:
    if _verified(password, person.password):
        raise Refused([Problem((field,), "this is the password that there is already; take another")])
    if wrong := passwords.objection(password, (person.login, person.name)):
        raise Refused([Problem((field,), wrong)])


def _hashed(password: str) -> str:
    return _hasher.hash(passwords.normal(password))


def _verified(password: str, hashed: str) -> bool:
    return _hasher.verify(passwords.normal(password[: passwords.LONGEST]), hashed)


def _open() -> ColumnElement[bool]:
    """The sessions that have not ended."""
    return _open_at(now(), now() - IDLE)


def _open_at(now: Any, idle_since: Any) -> ColumnElement[bool]:
    seen = func.coalesce(t.SignIn.seen_at, t.SignIn.created_at)
    return and_(t.SignIn.expires_at > now, seen > idle_since)


# Asked with every request, so it is put together once, and of the person no more is read than it takes.
_WHO = (
    select(
        t.Person.id,
        t.Person.login,
        t.Person.name,
        t.Person.role,
        t.SignIn.csrf,
        t.SignIn.seen_at,
        t.Person.given,
        t.SignIn.proved_at,
        t.Person.totp.is_not(None),
        t.NetworkRole.role,
    )
    .join(t.SignIn, t.SignIn.person_id == t.Person.id)
    .outerjoin(t.NetworkRole, roles.here())
    .where(
        t.SignIn.token_hash == bindparam("token_hash"),
        _open_at(bindparam("now"), bindparam("idle_since")),
        t.Person.closed_at.is_(None),
    )
)


def _someone(person: t.Person, csrf: str) -> Someone:
    return Someone(
        person.id, person.login, person.name, person.role, csrf, given=person.given, proved_at=now(),  # type: ignore[arg-type]
        second_factor=person.totp is not None,
    )  # fmt: skip


def hashed(token: str) -> bytes:
    """How a token is kept."""
    return hashlib.sha256(token.encode()).digest()


def now() -> datetime:
    """This moment as the records keep moments: UTC, without saying so."""
    return datetime.now(UTC).replace(tzinfo=None)
