"""What was done, by whom, and what of it can be taken back.

Undo is per person. A change is *live* unless a live change undoes it; an undo is a change too, and a redo
undoes an undo. A change can be taken back while each row it touched still has the version it left, or a
version that later undos have made equal to it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.store import tables as t

FAR = 400


@dataclass(frozen=True)
class Entry:
    """One change of one row, for reading."""

    revision: int
    at: datetime
    person: str
    act: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


def items(session: Session, change_id: int) -> list[t.ChangeItem]:
    """The items of a change in the order in which they were done."""
    return list(
        session.scalars(
            select(t.ChangeItem).where(t.ChangeItem.change_id == change_id).order_by(t.ChangeItem.ord)
        )
    )


def to_undo(session: Session, network_id: int, person_id: int | None) -> t.Change | None:
    """The newest live change of a person that is not itself an undo."""
    own = _own(session, network_id, person_id)
    dead = _dead(own)
    return next((c for c in own if c.undoes_id is None and c.id not in dead), None)


def to_redo(session: Session, network_id: int, person_id: int | None) -> t.Change | None:
    """The newest live undo of a person, if nothing new was done since."""
    own = _own(session, network_id, person_id)
    dead = _dead(own)
    plain = {c.id for c in own if c.undoes_id is None}
    for change in own:
        if change.id in dead:
            continue
        if change.undoes_id is None:
            return None
        if change.undoes_id in plain:
            return change
    return None


def stands(session: Session, item: t.ChangeItem, ver: int | None) -> bool:
    """Whether a row, now at version `ver` (None: gone), is as `item` left it."""
    for _ in range(FAR):
        if ver == item.ver_after:
            return True
        same = t.ChangeItem.ver_after.is_(None) if ver is None else t.ChangeItem.ver_after == ver
        made = session.execute(
            select(t.ChangeItem, t.Change.undoes_id)
            .join(t.Change, t.Change.id == t.ChangeItem.change_id)
            .where(t.ChangeItem.kind == item.kind, t.ChangeItem.row_id == item.row_id, same)
            .order_by(t.Change.revision.desc())
        ).first()
        if made is None or made.undoes_id is None:
            return False
        undone = session.scalar(
            select(t.ChangeItem).where(
                t.ChangeItem.change_id == made.undoes_id,
                t.ChangeItem.kind == item.kind,
                t.ChangeItem.row_id == item.row_id,
            )
        )
        if undone is None:
            return False
        ver = undone.ver_before
    return False


def blocker(session: Session, item: t.ChangeItem) -> str:
    """Whose later change stands on an item, in words."""
    later = session.execute(
        select(t.Change.act, t.Person.name)
        .join(t.ChangeItem, t.ChangeItem.change_id == t.Change.id)
        .outerjoin(t.Person, t.Person.id == t.Change.person_id)
        .where(t.ChangeItem.kind == item.kind, t.ChangeItem.row_id == item.row_id)
        .order_by(t.Change.revision.desc())
    ).first()
    name = (item.after or item.before or {}).get("name", "it")
    if later is None:
        return f"{name} is not as this change left it"
    return f"{later.name or 'somebody'} changed {name} after that ({later.act}); take that back first"


def of_row(session: Session, network_id: int, kind: str, row_id: int) -> list[Entry]:
    """All changes of one row, newest first."""
    found = session.execute(
        select(t.Change, t.ChangeItem, t.Person.name)
        .join(t.ChangeItem, t.ChangeItem.change_id == t.Change.id)
        .outerjoin(t.Person, t.Person.id == t.Change.person_id)
        .where(t.Change.network_id == network_id, t.ChangeItem.kind == kind, t.ChangeItem.row_id == row_id)
        .order_by(t.Change.revision.desc())
    )
    return [
        Entry(change.revision, change.at, name or "the command line", change.act, item.before, item.after)
        for change, item, name in found
    ]


def _own(session: Session, network_id: int, person_id: int | None) -> list[t.Change]:
    """A person's latest changes, newest first."""
    same = t.Change.person_id.is_(None) if person_id is None else t.Change.person_id == person_id
    return list(
        session.scalars(
            select(t.Change)
            .where(t.Change.network_id == network_id, same)
            .order_by(t.Change.revision.desc())
            .limit(FAR)
        )
    )


def _dead(newest_first: list[t.Change]) -> set[int]:
    """Changes that a live change undoes."""
    dead: set[int] = set()
    for change in newest_first:
        if change.undoes_id is not None and change.id not in dead:
            dead.add(change.undoes_id)
    return dead
