"""Since when is an answer what it is: the draft is followed back to the change before which it was another."""

from __future__ import annotations

import time
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.time.moments import today
from sarvex.formats import questions
from sarvex.formats.answers import Reply
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import ask
from sarvex.service.editions.versions import edition, in_force
from sarvex.service.errors import TooMuch
from sarvex.store import past
from sarvex.store import tables as t

SECONDS = 3.0
"""How long is looked; then it is told how far back that was."""


@dataclass(frozen=True)
class Since:
    """The change that made an answer what it is, and the answer before it (None: it could not be asked).

    Without a change the answer has been the same as far back as was looked: `revision`; `whole` tells whether that is the
    beginning.
    """

    revision: int
    change: bool
    act: str
    person: str
    at: datetime | None
    before: str | None
    whole: bool


def since(session: Session, loaded: Loaded, text: str) -> Since:
    """Follow the answer of a question back, as far as it can be worked out in `SECONDS`. Raises `InvalidQuestion` if it cannot
    be asked now, `TooMuch` if it cannot be answered.

    Each revision is asked for itself: an answer may have changed and changed back. O(changes back to it).
    """
    now = _fate(ask(loaded, text))
    deadline = time.monotonic() + SECONDS
    versions = past.backwards(session, loaded.stored.id, loaded.stored.revision)
    for newer, older in pairwise(versions):
        if older.network == newer.network:
            continue
        left = deadline - time.monotonic()
        try:
            reply = ask(Loaded(older, today(ZoneInfo(older.network.time_zone))), text, left)
        except questions.InvalidQuestion:
            return _told(session, loaded, newer.revision, None)
        except TooMuch:  # nothing is known of the answer then
            return _unchanged(newer.revision)
        if _fate(reply) != now:
            return _told(session, loaded, newer.revision, reply.sentence)
    return _unchanged(0)


def _unchanged(back_to: int) -> Since:
    """The answer has been the same as far back as was looked."""
    return Since(back_to, False, "", "", None, None, back_to == 0)


def in_force_beside(session: Session, network_id: int, text: str, reply: Reply) -> str | None:
    """The answer of what is in force, if its verdict is another than a reply's."""
    number = in_force(session, network_id)
    if number is None:
        return None
    try:
        other = ask(edition(session, network_id, number).loaded, text)
    except questions.InvalidQuestion as error:
        return f"cannot be asked of edition {number}: {error.message}"
    except TooMuch:
        return f"too much to be worked out in a moment of edition {number}"
    return None if other.verdict == reply.verdict else other.sentence


def _fate(reply: Reply) -> object:
    """What of an answer counts: which packets get through, not by which rule."""
    passing = {
        (p.sources, p.destinations, p.services, p.more_services, p.when)
        for p in reply.parts
        if p.result == "delivered"
    }
    return reply.verdict, passing if reply.verdict == "some" or reply.asked.open else None


def _told(session: Session, loaded: Loaded, revision: int, before: str | None) -> Since:
    change, person = session.execute(
        select(t.Change, t.Person.name)
        .outerjoin(t.Person, t.Person.id == t.Change.person_id)
        .where(t.Change.network_id == loaded.stored.id, t.Change.revision == revision)
    ).one()
    return Since(revision, True, change.act, person or "the command line", change.at, before, False)
