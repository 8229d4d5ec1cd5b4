"""The audit: who did what when, each entry chained to the one before by its digest.

An entry is written in the transaction of what it tells of, so neither is there without the other. The newest entry's row
in `audit_head` is locked until the commit: entries stand in the order of commits. Whoever adds one has taken all other
locks before. Changing, removing or adding an entry by other ways breaks the chain; cutting its end off and
rewriting the head does not. So each digest is also written to the log and to a file, once its transaction is committed: the chain
must hold the last one of them, and any that somebody has kept.
"""

from __future__ import annotations

import logging
import os
from collections.abc import Iterable, Iterator, Sequence
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import and_, event, insert, or_, select
from sqlalchemy.orm import Session

from sarvex.store import tables as t
from sarvex.store.canonical import digest, packed

START = bytes(32)
HEADS = "SARVEX_AUDIT_HEADS"
"""The file to which the digests are written."""
_TOLD = "audit head"


@dataclass
class Acting:
    """By what whoever acts is signed in: the name of a token, "" for a session. Found out on the way, so one for each request."""

    token: str = ""


_acting: ContextVar[Acting | None] = ContextVar("acting", default=None)


def begin() -> None:
    """Nobody acts yet in what begins here, a request."""
    _acting.set(Acting())


def by_token(name: str) -> None:
    """A token of this name acts in what has begun."""
    found = _acting.get()
    assert found is not None
    found.token = name


log = logging.getLogger("sarvex.audit")
MOST = 200
_READ_AT_ONCE = 500


@dataclass(frozen=True)
class Entry:
    """One entry. `items` tell what a change did to each row, before and after."""

    id: int
    at: datetime
    network_id: int | None
    person: str
    act: str
    about: str
    detail: dict[str, Any]
    items: tuple[dict[str, Any], ...]
    digest: str


@dataclass(frozen=True)
class Verified:
    """Whether the chain holds. `broken` is the first entry that does not, `why` what is wrong with it."""

    entries: int
    head: str
    broken: int | None = None
    why: str = ""
    missing: tuple[str, ...] = ()
    """Digests that were expected, of which no entry has one: entries that there were are gone."""


def note(
    session: Session,
    person: int | str | None,
    act: str,
    about: str = "",
    *,
    network_id: int | None = None,
    detail: dict[str, Any] | None = None,
    change: tuple[int, Sequence[dict[str, Any]]] | None = None,
) -> None:
    """Add an entry at the end of this transaction. `person`: an id, a name, or None for the command line; `change`: the
    id of the change it tells of, and its items."""
    at = now()
    login = (
        session.scalar(select(t.Person.login).where(t.Person.id == person))
        if isinstance(person, int)
        else person
    )
    if (acts := _acting.get()) and acts.token:
        detail = {**(detail or {}), "token": acts.token}
    session.flush()
    session.execute(insert(t.AuditHead).prefix_with("IGNORE").values(id=1, last=0, digest=START))
    head = session.get_one(t.AuditHead, 1, with_for_update=True, populate_existing=True)
    row = t.Audit(
        id=head.last + 1, at=at, network_id=network_id, person=(login or "the command line")[:200], act=act[:60],
        about=about[:500], detail=detail or {}, change_id=change[0] if change else None,
    )  # fmt: skip
    row.digest = _digest(head.digest, row, change[1] if change else ())
    session.add(row)
    head.last, head.digest = row.id, row.digest
    session.flush()
    session.info[_TOLD] = f"{_spelled(at)} {row.id} {row.digest.hex()}"


@event.listens_for(Session, "after_commit")
def _tell(session: Session) -> None:
    """What was committed is told outside of the records, too. That this fails does not undo it."""
    told = session.info.pop(_TOLD, None)
    if told is None:
        return
    log.info("audit", extra={"head": told})
    file = os.environ.get(HEADS)
    if file:
        try:
            with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "a") as out:
                out.write(told + "\n")
        except OSError as error:
            log.error("the audit's head could not be written to %s: %s", file, error)


@event.listens_for(Session, "after_rollback")
def _forget(session: Session) -> None:
    session.info.pop(_TOLD, None)


def last_told(file: Path) -> str:
    """The digest that was written to a file last; nothing if there is none. What was cut off while it was written is not one."""
    try:
        lines = file.read_text(encoding="utf-8").splitlines()
    except FileNotFoundError:
        return ""
    whole = (line.split() for line in reversed(lines))
    return next((words[2] for words in whole if len(words) == 3 and len(words[2]) == 64), "")


def search(
    session: Session,
    network_id: int | None = None,
    text: str = "",
    before: int | None = None,
    limit: int = MOST,
) -> list[Entry]:
    """Entries, newest first, whose person, act or subject contains every word of a text.

    With a network: its own, and none of others. `before`: only those before an entry.
    """
    columns = (t.Audit.person, t.Audit.act, t.Audit.about)
    wanted = [or_(*(c.contains(word, autoescape=True) for c in columns)) for word in text.split()]
    if network_id is not None:
        wanted.append(t.Audit.network_id == network_id)
    if before is not None:
        wanted.append(t.Audit.id < before)
    rows = session.scalars(
        select(t.Audit).where(and_(True, *wanted)).order_by(t.Audit.id.desc()).limit(limit)
    )
    return list(_entries(session, list(rows)))


def everything(session: Session) -> Iterator[Entry]:
    """All entries from the first on, for export. Reads some hundred at a time."""
    for rows in _in_turn(session):
        yield from _entries(session, rows)


def verify(session: Session, expect: Iterable[str] = ()) -> Verified:
    """Walk the whole chain, and look for entries with these digests. O(entries), memory bounded."""
    before, count = START, 0
    missing = {digest.lower() for digest in expect if digest}
    for rows in _in_turn(session):
        items = _items(session, rows)
        for row in rows:
            count += 1
            if row.id != count:
                return Verified(count - 1, before.hex(), count, f"entry {count} is missing")
            if row.digest != _digest(before, row, items.get(row.change_id or 0, ())):
                return Verified(
                    count - 1, before.hex(), row.id, "it is not what was written, or the one before is not"
                )
            before = row.digest
            missing.discard(before.hex())
    head = session.get(t.AuditHead, 1)
    last = (head.last, head.digest) if head else (0, START)
    if last != (count, before):
        return Verified(count, before.hex(), count + 1, f"{last[0]} entries were written, {count} are there")
    return Verified(count, before.hex(), missing=tuple(sorted(missing)))


def line(entry: Entry) -> dict[str, Any]:
    """An entry as plain data, for JSON Lines."""
    return {**vars(entry), "at": _spelled(entry.at), "items": list(entry.items)}


def now() -> datetime:
    """This moment as the records keep it: UTC, to the millisecond."""
    at = datetime.now(UTC).replace(tzinfo=None)
    return at.replace(microsecond=at.microsecond // 1000 * 1000)


def _spelled(at: datetime) -> str:
    return at.isoformat(timespec="milliseconds") + "Z"


def _digest(before: bytes, row: t.Audit, items: Sequence[dict[str, Any]]) -> bytes:
    told = [
        row.id,
        _spelled(row.at),
        row.network_id,
        row.person,
        row.act,
        row.about,
        row.detail,
        row.change_id,
    ]
    return digest(before, packed([*told, list(items)]))


def _in_turn(session: Session) -> Iterator[list[t.Audit]]:
    last = 0
    while rows := list(
        session.scalars(select(t.Audit).where(t.Audit.id > last).order_by(t.Audit.id).limit(_READ_AT_ONCE))
    ):
        yield rows
        last = rows[-1].id
        session.expunge_all()


def _items(session: Session, rows: Sequence[t.Audit]) -> dict[int, list[dict[str, Any]]]:
    """The items of the changes that entries tell of, by change."""
    found: dict[int, list[dict[str, Any]]] = {}
    for item in session.scalars(
        select(t.ChangeItem)
        .where(t.ChangeItem.change_id.in_([r.change_id for r in rows if r.change_id]))
        .order_by(t.ChangeItem.change_id, t.ChangeItem.ord)
    ):
        found.setdefault(item.change_id, []).append(item_line(item))
    return found


def item_line(item: Any) -> dict[str, Any]:
    """What a change did to one row, as plain data."""
    return {
        key: getattr(item, key) for key in ("kind", "row_id", "before", "after", "ver_before", "ver_after")
    }


def _entries(session: Session, rows: Sequence[t.Audit]) -> Iterator[Entry]:
    items = _items(session, rows)
    for r in rows:
        yield Entry(
            r.id, r.at, r.network_id, r.person, r.act, r.about, r.detail, tuple(items.get(r.change_id or 0, ())),
            r.digest.hex(),
        )  # fmt: skip
