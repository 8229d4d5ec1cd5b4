"""The draft as it was: today's rows, and what changes did to them taken back one after the other."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from types import SimpleNamespace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.model import records
from sarvex.core.model.records import FIELDS
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import Reader, RuleKey, SectionKey, Stored, rule_of
from sarvex.store.things import Lists

Rows = dict[tuple[str, int], rows.Snapshot]


def network_at(session: Session, network_id: int, revision: int) -> Stored | None:
    """The network as the change of that revision left it (0: as it was imported); None if there is none.

    Versions are not told: nothing can be edited there. O(size of the network + changes since).
    """
    return next(backwards(session, network_id, revision, revision), None)


def backwards(session: Session, network_id: int, newest: int, oldest: int = 0) -> Iterator[Stored]:
    """The network at each revision from `newest` down to `oldest`, in the snapshot of this transaction."""
    row = session.get(t.Network, network_id, populate_existing=True)
    if row is None or newest > row.revision:
        return
    there = rows.read_all(session, network_id)
    for revision in range(row.revision, oldest - 1, -1):
        if revision <= newest:
            yield _Past(session, row, there, revision).read()
        if revision > oldest:
            take_back(there, _items(session, network_id, revision))


def take_back(there: Rows, items: Sequence[Any]) -> None:
    """Undo the items of one change, given in the order in which they were done."""
    for item in reversed(items):
        key = item.kind, item.row_id
        if item.before is None:
            del there[key]
        elif item.after is None:
            there[key] = dict(item.before)
        else:
            there[key] = {**there[key], **item.before}


def _items(session: Session, network_id: int, revision: int) -> Sequence[Any]:
    return session.execute(
        select(t.ChangeItem.kind, t.ChangeItem.row_id, t.ChangeItem.before, t.ChangeItem.after)
        .join(t.Change, t.Change.id == t.ChangeItem.change_id)
        .where(t.Change.network_id == network_id, t.Change.revision == revision)
        .order_by(t.ChangeItem.ord)
    ).all()


class _Past(Reader):
    """Reads from rows in memory instead of the records."""

    def __init__(self, session: Session, row: t.Network, there: Rows, revision: int) -> None:
        self._there = there
        super().__init__(session, row)
        self.revision = revision

    def _of(self, kind: str) -> Iterator[tuple[int, rows.Snapshot]]:
        return ((row_id, s) for (own, row_id), s in self._there.items() if own == kind)

    def _things(self) -> Sequence[Any]:
        found = [SimpleNamespace(id=row_id, ver=0, **snapshot) for row_id, snapshot in self._of("thing")]
        return sorted(found, key=lambda x: (x.kind, x.parent_id, x.ord, x.id))

    def _lists(self) -> dict[int, Lists]:
        lists: dict[int, Lists] = defaultdict(lambda: defaultdict(list))
        for owner, snapshot in self._of("thing"):
            for field, text, target, *more in snapshot["members"]:
                extra = more[0] if more else None
                lists[owner][field].append((self.name[target] if target else text, extra))
        return lists

    def _sections(self) -> dict[int, tuple[SectionKey, ...]]:
        found: dict[int, list[SectionKey]] = defaultdict(list)
        for row_id, s in sorted(self._of("section"), key=lambda x: x[1]["place"]):
            found[s["policy_id"]].append(SectionKey(row_id, 0, s["place"], s["name"], s["description"]))
        return {policy_id: tuple(keys) for policy_id, keys in found.items()}

    def _rules(self) -> tuple[dict[int, tuple[records.Rule, ...]], dict[int, tuple[RuleKey, ...]]]:
        rules: dict[int, list[records.Rule]] = defaultdict(list)
        keys: dict[int, list[RuleKey]] = defaultdict(list)
        for row_id, s in sorted(self._of("rule"), key=lambda x: x[1]["place"]):
            members: dict[str, list[str]] = {field: [] for field in (*FIELDS, "schedule")}
            for field, text, target, *_ in s["members"]:
                members[field].append(self.name[target] if target else text)
            told = {field: tuple(texts) for field, texts in members.items()}
            rules[s["policy_id"]].append(rule_of(SimpleNamespace(**s), told))
            keys[s["policy_id"]].append(RuleKey(row_id, 0, s["place"]))
        return {k: tuple(v) for k, v in rules.items()}, {k: tuple(v) for k, v in keys.items()}
