"""Searches that somebody keeps: a line by a name of its own, for oneself or for all who see the network."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, cast

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.service.errors import NotFound, Refused
from sarvex.store import tables as t

Place = Literal["rules", "names", "findings"]
MOST_KEPT = 100
"""For one person in one network."""


@dataclass(frozen=True)
class Kept:
    """A line that was looked for with, and by whom it is kept."""

    id: int
    place: Place
    name: str
    line: str
    shared: bool
    person: str
    mine: bool


def listed(session: Session, network_id: int, person_id: int) -> list[Kept]:
    """One's own searches in a network and those that others share, by name."""
    rows = session.execute(
        select(t.KeptSearch, t.Person.name)
        .join(t.Person, t.Person.id == t.KeptSearch.person_id)
        .where(
            t.KeptSearch.network_id == network_id,
            or_(t.KeptSearch.person_id == person_id, t.KeptSearch.shared),
        )
        .order_by(t.KeptSearch.name, t.KeptSearch.id)
    )
    return [
        Kept(
            row.id, cast(Place, row.place), row.name, row.line, row.shared, person, row.person_id == person_id
        )
        for row, person in rows
    ]


def keep(
    session: Session, network_id: int, person_id: int, place: Place, name: str, line: str, shared: bool
) -> int:
    """Keep a line; one of one's own that is called so there is replaced. Raises `Refused`."""
    problems = [
        Problem((field,), told)
        for field, text, told in (
            ("name", name, "say what it is called"),
            ("line", line, "there is nothing to look for"),
        )
        if not text.strip()
    ]
    if problems:
        raise Refused(problems)
    own = (t.KeptSearch.network_id == network_id, t.KeptSearch.person_id == person_id)
    row = session.scalar(
        select(t.KeptSearch).where(*own, t.KeptSearch.place == place, t.KeptSearch.name == name.strip())
    )
    if row is None:
        if (session.scalar(select(func.count()).select_from(t.KeptSearch).where(*own)) or 0) >= MOST_KEPT:
            raise Refused([Problem(("name",), f"at most {MOST_KEPT} are kept; forget one first")])
        row = t.KeptSearch(network_id=network_id, person_id=person_id, place=place, name=name.strip())
        session.add(row)
    row.line, row.shared = line.strip(), shared
    session.flush()
    return row.id


def forget(session: Session, network_id: int, person_id: int, search_id: int, also_shared: bool) -> None:
    """Forget one of one's own, or one that somebody shares. Raises `NotFound`."""
    row = session.get(t.KeptSearch, search_id)
    may = row is not None and (row.person_id == person_id or (also_shared and row.shared))
    if row is None or row.network_id != network_id or not may:
        raise NotFound("there is no such search of yours")
    session.delete(row)
