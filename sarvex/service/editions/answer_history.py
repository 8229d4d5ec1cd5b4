"""Since when is an answer what it is: the draft is followed back to the change before which it was another."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.forwarding.walk import TooWide, about, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.model.records import fold
from sarvex.core.reach.expectations import judged, spoken_of
from sarvex.core.time.moments import today
from sarvex.formats import questions
from sarvex.formats.answers import Reply
from sarvex.formats.expectations import Told
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import ask, in_time
from sarvex.service.editions.versions import edition, in_force
from sarvex.service.errors import TooMuch
from sarvex.store import past
from sarvex.store import tables as t

WORDS = {
    "kept": "it held", "broken": "it did not hold", "undetermined": "it could not be told", "empty": "it said nothing", "ended": "it had ended",
}  # fmt: skip
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


def held_since(session: Session, loaded: Loaded, told: Told) -> Since:
    """Since when something that must hold does not: back to the change before which it did, said otherwise, or was not there.

    A packet that breaks it is followed first: where it broke it before, nothing else need be. As far back as can be worked out in `SECONDS`.
    """
    now = told.judged
    go_on = in_time(SECONDS)
    versions = past.backwards(session, loaded.stored.id, loaded.stored.revision)
    for newer, older in pairwise(versions):
        if older.network == newer.network:
            continue
        of = Loaded(older, today(ZoneInfo(older.network.time_zone)))
        name = fold(now.expectation.name)
        then = next((one for one in older.network.expectations if fold(one.name) == name), None)
        if then is None:
            return _told(session, loaded, newer.revision, None)
        try:
            if then == now.expectation and _still_breaks(told, of, go_on):
                continue
            (before,) = judged(older.network, of.names, [then], go_on=go_on)
        except TooWide:
            return _unchanged(newer.revision)
        if before.verdict != now.verdict:
            return _told(session, loaded, newer.revision, WORDS[before.verdict])
    return _unchanged(0)


def _still_breaks(told: Told, of: Loaded, go_on: Callable[[], bool]) -> bool:
    """Whether the packet that breaks an expectation did so in another version, if that still spoke of it."""
    flow, one = told.sample, told.expectation
    if told.judged.verdict != "broken" or flow is None or flow.moment is not None:
        return False
    question, spoken = about(flow, of.names), spoken_of(one, of.names)
    asked = packet_sets.product(question.source, question.destination, question.service, ("new",))
    said = packet_sets.product(*spoken.sides, spoken.service, ("new",), spoken.times)
    if packet_sets.difference(asked, said):
        return False
    results = {part.result for part in trace(of.network, of.names, question, go_on).parts}
    if one.must == "blocked":
        return "delivered" in results
    return bool(results - {"delivered", "undetermined"})


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
