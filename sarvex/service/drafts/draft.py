"""The draft of a network in somebody's hands: each edit is one transaction that takes the next revision, checks the version of
the rows it changes, writes them, and leaves a change with its items behind.

Two people on different rules or names never meet. On the same one the second is told (`Conflict`). A move
conflicts only if the moved rule changed, or if both of its new neighbours are gone.

What an edit writes stands in `rule_edits`, `thing_edits`, `apply_document` and `undo`: functions of a `Draft`.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from sarvex.core.meaning.check import meant_otherwise, naming_problems
from sarvex.core.model.problems import Problem
from sarvex.service import audit
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import Stored, load_network
from sarvex.store.things import INSIDE, SPACE

MOST_TOLD = 3
GONE = "it is gone: somebody deleted it"


@dataclass(frozen=True)
class Item:
    """What an edit did to one row: what it wrote, and what stood there before."""

    kind: str
    row_id: int
    before: rows.Snapshot | None
    after: rows.Snapshot | None
    ver_before: int | None
    ver_after: int | None

    @property
    def differs(self) -> bool:
        """Whether the row is another than before."""
        return self.before is None or self.after is None or bool(rows.differing(self.before, self.after))


class Draft:
    """The draft of one network in the hands of one person, within one transaction."""

    def __init__(self, session: Session, cache: NetworkCache, network_id: int, person_id: int | None) -> None:
        # Taking the revision first locks the network's row, so edits of one network queue up here, and the
        # snapshot that the following reads see begins after the edit before us was committed.
        moved = session.execute(
            update(t.Network).where(t.Network.id == network_id).values(revision=t.Network.revision + 1)
        )
        if moved.rowcount != 1:  # type: ignore[attr-defined]
            raise NotFound("there is no such network")
        self.session, self.person_id = session, person_id
        self.unchanged = False
        """What was recorded last wrote what stood there before: whoever holds the transaction may drop it."""
        row = session.get_one(t.Network, network_id, populate_existing=True)
        self.stored: Stored = replace(_before(session, cache, row), revision=row.revision)
        self._at_first = self.stored.network

    def reload(self, rules_stay: bool = False) -> None:
        """Read the network again as this transaction sees it; where no rule became another, without its rules."""
        stored = load_network(self.session, self.stored.id, self.stored if rules_stay else None)
        assert stored is not None
        self.stored = stored

    def check(self) -> None:
        """Refuse what would leave names that do not resolve, or mean something else; the transaction is rolled back."""
        found = self.problems()
        if found:
            raise Refused(found)

    def problems(self) -> list[Problem]:
        """What is wrong with everything but rules, and with names that rules speak of."""
        return [
            *naming_problems(self.stored.network),
            *meant_otherwise(self._at_first, self.stored.network),
        ]

    def thing(self, thing_id: int) -> tuple[str, Any, int]:
        """Kind, record and parent's id of a thing. Raises `NotFound`."""
        found = self.stored.record_of(thing_id)
        if found is None:
            raise NotFound(GONE)
        return found

    def targets(
        self, device_id: int = 0, things: Mapping[tuple[str, str], int] | None = None
    ) -> dict[tuple[str, str], int]:
        """Things by (space, folded name), of the draft if not given; the interfaces are those of one device."""
        things = self.stored.things if things is None else things
        found = {}
        for (kind, key), id_ in things.items():
            if kind in INSIDE:
                device, _, name = key.partition("\0")
                if things["device", device] == device_id:
                    found[f"{kind}/{device_id}", name] = id_
            else:
                found[SPACE[kind], key] = id_
        return found

    def read(self, kind: str, row_id: int) -> tuple[rows.Snapshot, int]:
        """A row as it is, and its version. Raises `NotFound`."""
        found = rows.read(self.session, kind, row_id)
        if found is None:
            raise NotFound(GONE)
        return found

    def made(self, kind: str, row_id: int) -> Item:
        """What is recorded of a row that was made."""
        after, ver = self.read(kind, row_id)
        return Item(kind, row_id, None, after, None, ver)

    def written(self, kind: str, row_id: int, ver: int, values: rows.Snapshot) -> Item:
        """Write some columns over version `ver` and keep exactly these, before and after."""
        before, now = self.read(kind, row_id)
        if now != ver or not rows.write(self.session, kind, row_id, values, ver):
            raise _changed(before["name"], kind, row_id)
        return Item(kind, row_id, {k: before[k] for k in values}, values, ver, ver + 1)

    def removed(self, kind: str, row_id: int, ver: int) -> Item:
        """Delete version `ver` of a row. Raises `NotFound`, `Conflict`."""
        before, now = self.read(kind, row_id)
        if now != ver or not rows.remove(self.session, kind, row_id, ver):
            raise _changed(before["name"], kind, row_id)
        return Item(kind, row_id, before, None, ver, None)

    def removed_together(self, gone: list[tuple[str, int, int]]) -> list[Item]:
        """Delete rows, given by kind, id and version, that may refer to each other in any way."""
        there = rows.read_many(self.session, ((kind, row_id) for kind, row_id, _ in gone))
        items = []
        for kind, row_id, ver in gone:
            if (kind, row_id) not in there:
                raise NotFound(GONE)
            before, now = there[kind, row_id]
            if now != ver:
                raise _changed(before["name"], kind, row_id)
            items.append(Item(kind, row_id, before, None, ver, None))
        by_kind: dict[str, list[tuple[int, int]]] = defaultdict(list)
        for kind, row_id, ver in gone:
            by_kind[kind].append((row_id, ver))
        for kind, of_it in by_kind.items():
            rows.clear_members(self.session, kind, [row_id for row_id, _ in of_it])
        for kind, of_it in sorted(
            by_kind.items()
        ):  # rules and sections before their policies, which are things
            if not rows.remove_many(self.session, kind, of_it):
                raise _changed("one of them", kind, of_it[0][0])
        return items

    def record(
        self, act: str, request_key: str | None, items: list[Item], undoes_id: int | None = None
    ) -> None:
        """Leave the change behind, and its entry in the audit."""
        self.unchanged = undoes_id is None and not any(item.differs for item in items)
        change = t.Change(
            network_id=self.stored.id, revision=self.stored.revision, person_id=self.person_id,
            at=datetime.now(UTC).replace(tzinfo=None), act=act, request_key=request_key, undoes_id=undoes_id,
        )  # fmt: skip
        self.session.add(change)
        self.session.flush()
        if items:
            self.session.execute(
                insert(t.ChangeItem),
                [{"change_id": change.id, "ord": i, **vars(item)} for i, item in enumerate(items)],
            )
        audit.note(
            self.session, self.person_id, act, self._about(items), network_id=self.stored.id,
            detail={"revision": self.stored.revision}, change=(change.id, [vars(i) for i in items]),
        )  # fmt: skip

    def _about(self, items: list[Item]) -> str:
        """The first of the rows written, by name; a rule after its policy."""
        told = [self._called(item) for item in items[:MOST_TOLD]]
        more = [f"{len(items) - MOST_TOLD} more"] if len(items) > MOST_TOLD else []
        return ", ".join([*told, *more])

    def _called(self, item: Item) -> str:
        row = {**self.read(item.kind, item.row_id)[0]} if item.after is not None else item.before or {}
        within = next((k for k, i in self.stored.things.items() if i == row.get("policy_id")), None)
        return f"{within[1]} / {row['name']}" if within else str(row["name"])


def already_done(session: Session, network_id: int, request_key: str | None) -> bool:
    """Whether a request with this key was carried out before: its retry has nothing left to do."""
    return request_key is not None and bool(
        session.scalar(
            select(t.Change.id).where(t.Change.network_id == network_id, t.Change.request_key == request_key)
        )
    )


def _before(session: Session, cache: NetworkCache, row: t.Network) -> Stored:
    """The network as it was before this edit; nothing uncommitted is ever kept in the cache."""
    kept = cache.kept(row.id, row.revision - 1)
    stored = kept.stored if kept else load_network(session, row.id)
    assert stored is not None
    return stored


def _changed(name: str, kind: str, row_id: int) -> Conflict:
    return Conflict(f"{name} was changed by somebody else meanwhile; look at it and try again", kind, row_id)
