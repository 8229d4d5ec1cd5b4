"""The try-it sheet of a version, and what people saw who tried."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from sarvex.core.forwarding.walk import TooWide
from sarvex.core.model.problems import Problem
from sarvex.core.reach.trials import Trials, trials_of
from sarvex.core.sets.cache import Bounded
from sarvex.service import audit
from sarvex.service.analysis.expectations import reasons, reasons_once
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.analysis.questions import in_time
from sarvex.service.editions.versions import DRAFT, IN_FORCE, Version, edition_row, in_force, version
from sarvex.service.errors import Refused, TooMuch
from sarvex.service.people.accounts import called
from sarvex.store import tables as t

SECONDS = 30.0
MOST_KEPT = 8
MOST_PACKET, MOST_ABOUT, MOST_NOTE = 300, 420, 2_000
TOO_MANY = "what to try takes longer than half a minute to find out here; run sarvex trials on the document"


@dataclass(frozen=True)
class Seen:
    """What somebody saw last of one packet; `edition`: what was in force then."""

    packet: str
    about: str
    worked: bool
    told: bool | None
    note: str
    person: str
    at: datetime
    edition: int | None

    @property
    def otherwise(self) -> bool:
        """Whether it was seen to fare otherwise than it was told to."""
        return self.told is not None and self.worked != self.told


@dataclass(frozen=True, eq=False)
class Sheet:
    """What to try of one version of a network."""

    version: Version
    trials: tuple[Trials, ...]


_KEPT: Bounded[Hashable, tuple[Trials, ...]] = Bounded(MOST_KEPT)


def sheet(session: Session, cache: NetworkCache, network_id: int, of: str = "") -> Sheet:
    """What to try; of what is in force if nothing else is wanted, for that is what can be tried, or of the draft while nothing is.

    Raises what `versions.version` raises, and `TooMuch`.
    """
    chosen = of or (DRAFT if in_force(session, network_id) is None else IN_FORCE)
    found = version(session, cache, network_id, chosen)
    loaded = found.loaded

    def make() -> tuple[Trials, ...]:
        told = reasons(loaded) if found.name == DRAFT else reasons_once(found.key, loaded)
        go_on = in_time(SECONDS)
        try:
            return tuple(trials_of(one.judged, loaded.network, loaded.names, go_on) for one in told)
        except TooWide:
            raise TooMuch(TOO_MANY) from None

    return Sheet(found, _KEPT.get(found.key, make))


def seen(session: Session, network_id: int) -> list[Seen]:
    """What was seen last of each packet, the latest first; what was taken back is not told."""
    newest = (
        select(func.max(t.Trial.id)).where(t.Trial.network_id == network_id).group_by(t.Trial.packet)
    ).scalar_subquery()
    rows = session.execute(
        select(t.Trial, t.Person.name, t.Person.login, t.Edition.number)
        .join(t.Person, t.Person.id == t.Trial.person_id)
        .outerjoin(t.Edition, t.Edition.id == t.Trial.edition_id)
        .where(t.Trial.id.in_(newest), t.Trial.worked.is_not(None))
        .order_by(t.Trial.id.desc())
    )
    return [
        Seen(r.packet, r.about, bool(r.worked), r.told, r.note, called(name, login), r.at, number)
        for r, name, login, number in rows
    ]


def seen_otherwise(session: Session, network_id: int) -> list[Seen]:
    """What was seen, since what is in force came into force, to fare otherwise than it was told to."""
    number = in_force(session, network_id)
    return [one for one in seen(session, network_id) if one.otherwise and one.edition == number]


def see(
    session: Session, network_id: int, person_id: int,
    packet: str, about: str, worked: bool | None, told: bool | None, note: str,
) -> None:  # fmt: skip
    """Keep what somebody saw; worked: None takes it back. Raises `Refused`."""
    limits = ("packet", packet, MOST_PACKET), ("about", about, MOST_ABOUT), ("note", note, MOST_NOTE)
    problems = [
        Problem((field,), f"at most {most:,} characters") for field, text, most in limits if len(text) > most
    ]
    if not packet.strip():
        problems.append(Problem(("packet",), "say which packet was tried"))
    if problems:
        raise Refused(problems)
    number = in_force(session, network_id)
    row = t.Trial(
        network_id=network_id, edition_id=edition_row(session, network_id, number).id if number is not None else None,
        packet=packet, about=about, worked=worked, told=told, note=note.strip(), person_id=person_id, at=audit.now(),
    )  # fmt: skip
    session.add(row)
    session.flush()
    act = "take back a trial" if worked is None else "try"
    detail = {"worked": worked, "told": told, "note": row.note}
    audit.note(session, person_id, act, f"{about}: {packet}"[:500], network_id=network_id, detail=detail)
