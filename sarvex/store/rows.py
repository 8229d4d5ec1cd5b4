"""One row with the list it holds, as plain data: what changes keep of before and after, and write back.

A snapshot has the row's own columns and ``members``, each ``[field, text, target, extra]``: the text as it read
then, the id of the thing meant, or None for a literal, and what belongs to it. Kinds are `rule`, `thing` and
`section`, which has no members.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import Table, delete, insert, literal, null, select, update
from sqlalchemy.orm import Session, aliased

from sarvex.store import tables as t

Snapshot = dict[str, Any]
OWN: dict[str, tuple[Any, Any, Any, tuple[str, ...]]] = {
    "section": (t.Section, None, None, ("policy_id", "place", "name", "folded", "description")),
    "rule": (
        t.Rule,
        t.RuleMember,
        t.RuleMember.rule_id,
        (
            "policy_id",
            "place",
            "name",
            "folded",
            "action",
            "reject_with",
            "log",
            "enabled",
            "kept",
            "negate",
            "states",
            "description",
        ),
    ),
    "thing": (
        t.Thing,
        t.Member,
        t.Member.thing_id,
        ("network_id", "kind", "space", "parent_id", "ord", "name", "folded", "description", "detail"),
    ),
}


def read(session: Session, kind: str, row_id: int) -> tuple[Snapshot, int] | None:
    """A row's snapshot and version; None if it is not there."""
    table, _, _, columns = OWN[kind]
    row = (
        session.execute(select(*(getattr(table, c) for c in (*columns, "ver"))).where(table.id == row_id))
        .mappings()
        .first()
    )
    if row is None:
        return None
    snapshot = {c: row[c].decode("ascii") if isinstance(row[c], bytes) else row[c] for c in columns}
    snapshot["members"] = _members(session, kind, row_id)
    return snapshot, row["ver"]


def _members(session: Session, kind: str, row_id: int) -> list[list[Any]]:
    _, member, owner, _ = OWN[kind]
    if member is None:
        return []
    target = aliased(t.Thing)
    extra = member.extra if member is t.Member else null()
    return [
        [field, name if target_id else text, target_id, more]
        for field, target_id, text, name, more in session.execute(
            select(member.field, member.target_id, member.literal, target.name, extra)
            .outerjoin(target, target.id == member.target_id)
            .where(owner == row_id)
            .order_by(member.field, member.ord)
        )
    ]


def read_all(session: Session, network_id: int) -> dict[tuple[str, int], Snapshot]:
    """The snapshots of all rows of a network, by kind and id. O(size of the network)."""
    found: dict[tuple[str, int], Snapshot] = {}
    for kind, (table, member, owner, columns) in OWN.items():
        thing = t.Thing if kind == "thing" else aliased(t.Thing)
        own = select(*(getattr(table, c) for c in ("id", *columns)))
        if kind != "thing":
            own = own.join(thing, thing.id == table.policy_id)
        for row in session.execute(own.where(thing.network_id == network_id)).mappings():
            values = {c: row[c].decode("ascii") if isinstance(row[c], bytes) else row[c] for c in columns}
            found[kind, row["id"]] = values | {"members": []}
        if member is None:
            continue
        target = aliased(t.Thing)
        extra = member.extra if member is t.Member else null()
        held = select(owner, member.field, member.target_id, member.literal, target.name, extra)
        held = held.join(table, table.id == owner).outerjoin(target, target.id == member.target_id)
        if kind != "thing":
            held = held.join(thing, thing.id == table.policy_id)
        for owner_id, field, target_id, text, name, more in session.execute(
            held.where(thing.network_id == network_id).order_by(owner, member.field, member.ord)
        ):
            found[kind, owner_id]["members"].append([field, name if target_id else text, target_id, more])
    return found


def write(session: Session, kind: str, row_id: int, snapshot: Snapshot, ver: int) -> bool:
    """Write what a snapshot holds (all of it, or some columns) over version `ver`; False if that is not there."""
    table, _, _, _ = OWN[kind]
    written = session.execute(
        update(table).where(table.id == row_id, table.ver == ver).values(**_columns(snapshot), ver=ver + 1)
    )
    if written.rowcount != 1:  # type: ignore[attr-defined]
        return False
    if "members" in snapshot:
        write_members(session, kind, row_id, snapshot["members"])
    return True


def create(session: Session, kind: str, snapshot: Snapshot, row_id: int | None = None, ver: int = 1) -> int:
    """Make a row, under its old id if it had one. Returns the id."""
    table, _, _, _ = OWN[kind]
    values = _columns(snapshot) | {"ver": ver} | ({} if row_id is None else {"id": row_id})
    made = session.execute(insert(table).values(**values))
    new_id = row_id if row_id is not None else int(made.inserted_primary_key[0])  # type: ignore[attr-defined]
    write_members(session, kind, new_id, snapshot["members"])
    return new_id


def remove(session: Session, kind: str, row_id: int, ver: int) -> bool:
    """Delete version `ver` of a row with its list; False if that is not there."""
    table, _, _, _ = OWN[kind]
    gone = session.execute(delete(table).where(table.id == row_id, table.ver == ver))
    return bool(gone.rowcount == 1)  # type: ignore[attr-defined]


def write_members(session: Session, kind: str, row_id: int, members: list[list[Any]]) -> None:
    """Replace the list a row holds."""
    _, member, owner, _ = OWN[kind]
    if member is None:
        return
    session.execute(delete(member).where(owner == row_id))
    table: Table = member.__table__
    place: dict[str, int] = {}
    rows = []
    for field, text, target, *more in members:
        place[field] = place.get(field, -1) + 1
        row = {
            owner.key: row_id,
            "field": field,
            "ord": place[field],
            "target_id": target,
            "literal": None if target else text,
        }
        rows.append(row | {"extra": more[0] if more else None} if member is t.Member else row)
    if rows:
        session.execute(insert(table), rows)


def users(session: Session, kind: str, thing_id: int) -> list[int]:
    """The rows of a kind whose list names a thing."""
    _, member, owner, _ = OWN[kind]
    return sorted(set(session.scalars(select(owner).where(member.target_id == thing_id))))


def name_taken(session: Session, kind: str, row_id: int, snapshot: Snapshot) -> str | None:
    """The kind of another row that bears the name of a snapshot where it must be unique, if there is one."""
    table = OWN[kind][0]
    within = ("policy_id",) if kind != "thing" else ("network_id", "space", "parent_id")
    same = [getattr(table, column) == snapshot[column] for column in (*within, "folded")]
    found = session.scalar(
        select(table.kind if kind == "thing" else literal(kind)).where(table.id != row_id, *same)
    )
    return None if found is None else str(found)


def _columns(snapshot: Snapshot) -> dict[str, Any]:
    values = {c: v for c, v in snapshot.items() if c != "members"}
    if "place" in values:
        values["place"] = values["place"].encode("ascii")
    return values
