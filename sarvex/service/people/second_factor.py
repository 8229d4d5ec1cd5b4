"""A second factor: codes that change every half minute (TOTP, RFC 6238), from an app that shares a secret with the records.

A code counts once. One step before and after is accepted, for clocks that are a little off.
"""

from __future__ import annotations

import hmac
import time

import pyotp
import segno
from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.core.model.records import fold
from sarvex.service import audit
from sarvex.service.errors import CodeNeeded, NotAllowed, NotFound, Refused, SignInRefused
from sarvex.store import tables as t

STEP = 30
ISSUER = "Sarvex"
WRONG = "this code does not count: it is wrong, over, or was used before"


def check(person: t.Person, code: str) -> None:
    """Take a code of somebody who has a second factor; without one any code will do. The caller commits what was used.

    Raises `CodeNeeded` if there is none, `SignInRefused` for one that does not count.
    """
    if person.totp is None:
        return
    if not code.strip():
        raise CodeNeeded("the code of your second factor is needed, too")
    step = _step_of(person.totp, code)
    if step is None or step <= person.totp_used:
        raise SignInRefused(WRONG)
    person.totp_used = step


def offer(session: Session, person_id: int) -> tuple[str, str]:
    """A new secret, to be confirmed with a code, and its picture (SVG in a data URI) for an app to read."""
    person = session.get_one(t.Person, person_id, with_for_update=True)
    person.totp_offered = pyotp.random_base32()
    uri = pyotp.TOTP(person.totp_offered).provisioning_uri(name=person.login, issuer_name=ISSUER)
    return person.totp_offered, segno.make(uri, error="m").svg_data_uri(scale=4, border=2)


def confirm(session: Session, person_id: int, code: str) -> None:
    """From now on the second factor is asked for. Raises `Refused`."""
    person = session.get_one(t.Person, person_id, with_for_update=True)
    step = _step_of(person.totp_offered, code) if person.totp_offered else None
    if step is None:
        raise Refused([Problem(("code",), WRONG)])
    person.totp, person.totp_offered, person.totp_used = person.totp_offered, None, step
    audit.note(session, person_id, "set up second factor")


def take_away(session: Session, person_id: int, by: int | None) -> None:
    """Ask for none any more: one's own, or that of somebody who lost it."""
    person = session.get_one(t.Person, person_id, with_for_update=True)
    person.totp = person.totp_offered = None
    audit.note(session, by, "take away second factor", person.login)


def lost(session: Session, login: str) -> None:
    """Take away the second factor of whoever has a sign-in name, by whoever runs the server. Raises `NotFound`."""
    found = session.scalar(select(t.Person.id).where(t.Person.login == fold(login)))
    if found is None:
        raise NotFound(f"nobody's sign-in name is {login}")
    take_away(session, found, None)


def demand(session: Session, person_id: int, network_id: int | None) -> None:
    """Raises `NotAllowed` where a network (None: any of them) asks for a second factor and somebody has none."""
    asks = session.query(t.Network.id).filter(t.Network.second_factor)
    if network_id is not None:
        asks = asks.filter(t.Network.id == network_id)
    if asks.first() is not None and session.get_one(t.Person, person_id).totp is None:
        raise NotAllowed(
            "this needs a second factor, and you have none; set one up under “Password and sessions”"
        )


def _step_of(secret: str, code: str) -> int | None:
    """The time step of a code, if it is one of now."""
    now, given = int(time.time()) // STEP, "".join(code.split())
    return next(
        (
            step
            for step in (now, now - 1, now + 1)
            if hmac.compare_digest(pyotp.TOTP(secret).generate_otp(step).encode(), given.encode())
        ),
        None,
    )
