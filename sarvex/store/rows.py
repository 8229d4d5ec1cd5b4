"""One row with the list it holds, as plain data: what changes keep of before and after, and write back.

A snapshot has the row's own columns and ``members``, each ``[field, text, target, extra]``: the text as it read
then, the id of the thing meant, or None for a literal, and what belongs to it. Kinds are `rule`, `thing` and
`section`, which has no members.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from sqlalchemy import Table, delete, insert, literal, null, select, tuple_, update
from sqlalchemy.orm import Session, aliased

from sarvex.store import tables as t

Snapshot = dict[str, Any]
Key = tuple[str, int]
"""Kind and id of a row."""
AT_ONCE = 500
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
            "accepted",
            "negate",
            "states",
            "until",
            "owner",
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
    return read_many(session, [(kind, row_id)]).get((kind, row_id))


def read_many(session: Session, wanted: Iterable[Key]) -> dict[Key, tuple[Snapshot, int]]:
    """The snapshots and versions of some rows, by kind and id; those that are not there are left out."""
    found: dict[Key, tuple[Snapshot, int]] = {}
    by_kind: dict[str, list[int]] = {}
    for kind, row_id in wanted:
        by_kind.setdefault(kind, []).append(row_id)
    for kind, ids in by_kind.items():
        table, member, owner, columns = OWN[kind]
        for some in _pieces(ids):
            own = select(*(getattr(table, c) for c in ("id", *columns, "ver"))).where(table.id.in_(some))
            for row in session.execute(own).mappings():
                found[kind, row["id"]] = _snapshot(row, columns), row["ver"]
            if member is not None:
                for owner_id, held in _held(session, member, owner, owner.in_(some)):
                    found[kind, owner_id][0]["members"].append(held)
    return found


def differing(before: Snapshot, wanted: Snapshot) -> Snapshot:
    """The columns wanted that do not say what stands there before."""
    return {c: v for c, v in wanted.items() if _comparable(c, before[c]) != _comparable(c, v)}


def _comparable(column: str, value: Any) -> Any:
    """Members by what they mean and in the order in which they are kept; the rest as it is."""
    if column != "members":
        return value.decode("ascii") if isinstance(value, bytes) else value
    return sorted(
        ((field, target or text, (more[0] if more else None)) for field, text, target, *more in value),
        key=lambda member: member[0],
    )


def _pieces(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    return (ids[at : at + AT_ONCE] for at in range(0, len(ids), AT_ONCE))


def _snapshot(row: Any, columns: tuple[str, ...]) -> Snapshot:
    values = {c: row[c].decode("ascii") if isinstance(row[c], bytes) else row[c] for c in columns}
    return values | {"members": []}


def _held(session: Session, member: Any, owner: Any, of: Any) -> Iterator[tuple[int, list[Any]]]:
    """Owner and entry of the lists of some rows, in their order."""
    target = aliased(t.Thing)
    extra = member.extra if member is t.Member else null()
    held = select(owner, member.field, member.target_id, member.literal, target.name, extra)
    held = held.outerjoin(target, target.id == member.target_id).where(of)
    for owner_id, field, target_id, text, name, more in session.execute(
        held.order_by(owner, member.field, member.ord)
    ):
        yield owner_id, [field, name if target_id else text, target_id, more]


def read_all(session: Session, network_id: int) -> dict[Key, Snapshot]:
    """The snapshots of all rows of a network, by kind and id. O(size of the network)."""
    found: dict[Key, Snapshot] = {}
    for kind, (table, member, owner, columns) in OWN.items():
        own = select(*(getattr(table, c) for c in ("id", *columns)))
        if kind == "thing":
            within = t.Thing.network_id == network_id
        else:
            policies = select(t.Thing.id).where(t.Thing.network_id == network_id, t.Thing.kind == "policy")
            within = table.policy_id.in_(policies)
        for row in session.execute(own.where(within)).mappings():
            found[kind, row["id"]] = _snapshot(row, columns)
        if member is not None:
            for owner_id, held in _held(session, member, owner, owner.in_(select(table.id).where(within))):
                found[kind, owner_id]["members"].append(held)
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


def create(session: Session, kind: str, snapshot: Snapshot) -> int:
    """Make a row. Returns its id."""
    return create_many(session, kind, [snapshot])[0]


def create_many(session: Session, kind: str, snapshots: Sequence[Snapshot]) -> list[int]:
    """Make rows. Returns their ids, in the same order."""
    if not snapshots:
        return []
    table = OWN[kind][0]
    values = [_columns(s) | {"ver": 1} for s in snapshots]
    made = session.scalars(insert(table).returning(table.id, sort_by_parameter_order=True), values).all()
    fill_members(session, kind, zip(made, (s["members"] for s in snapshots), strict=True))
    return list(made)


def bring_back(session: Session, kind: str, gone: Sequence[tuple[int, int, Snapshot]]) -> None:
    """Make rows again under the ids that they had, without their members: given by id, version and snapshot."""
    if gone:
        values = [_columns(s) | {"id": row_id, "ver": ver} for row_id, ver, s in gone]
        session.execute(insert(OWN[kind][0]), values)


def remove(session: Session, kind: str, row_id: int, ver: int) -> bool:
    """Delete version `ver` of a row with its list; False if that is not there."""
    return remove_many(session, kind, [(row_id, ver)])


def remove_many(session: Session, kind: str, gone: Sequence[tuple[int, int]]) -> bool:
    """Delete rows with their lists, given by id and version; False if one of them is not there."""
    table, _, _, _ = OWN[kind]
    count = 0
    for at in range(0, len(gone), AT_ONCE):
        some = tuple_(table.id, table.ver).in_(gone[at : at + AT_ONCE])
        count += session.execute(delete(table).where(some)).rowcount  # type: ignore[attr-defined]
    return count == len(gone)


def clear_members(session: Session, kind: str, ids: Sequence[int]) -> None:
    """Empty the lists of rows."""
    _, member, owner, _ = OWN[kind]
    if member is not None:
        for some in _pieces(ids):
            session.execute(delete(member).where(owner.in_(some)))


def write_members(session: Session, kind: str, row_id: int, members: list[list[Any]]) -> None:
    """Replace the list a row holds."""
    clear_members(session, kind, [row_id])
    fill_members(session, kind, [(row_id, members)])


def fill_members(session: Session, kind: str, lists: Iterable[tuple[int, list[list[Any]]]]) -> None:
    """Write the lists of rows that hold none."""
    _, member, owner, _ = OWN[kind]
    if member is None:
        return
    rows = []
    for row_id, members in lists:
        place: dict[str, int] = {}
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
    table: Table = member.__table__
    for at in range(0, len(rows), AT_ONCE):
        session.execute(insert(table), rows[at : at + AT_ONCE])


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
