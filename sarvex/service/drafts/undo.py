"""Back and forth in one's own changes."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from functools import cached_property

from sqlalchemy import select

from sarvex.core.model.problems import Problem
from sarvex.service.drafts import history
from sarvex.service.drafts.transaction import Drafting, Item
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import RuleKey, SectionKey, keys_between


class Undoing(Drafting):
    """Undo and redo, per person."""

    def undo(self, request_key: str | None = None) -> str:
        """Take back this person's newest change that still stands. Returns what it was.

        Raises `NotFound` if there is none, `Conflict` if somebody's later change stands on it.
        """
        change = history.to_undo(self.session, self.stored.id, self.person_id)
        if change is None:
            raise NotFound("there is nothing of yours to undo")
        return self._revert(change, f"undo: {change.act}", request_key)

    def redo(self, request_key: str | None = None) -> str:
        """Do again what this person undid last, if nothing else was done since. Raises as `undo`."""
        change = history.to_redo(self.session, self.stored.id, self.person_id)
        if change is None:
            raise NotFound("there is nothing of yours to redo")
        return self._revert(change, f"redo: {change.act.removeprefix('undo: ')}", request_key)

    def _revert(self, change: t.Change, act: str, request_key: str | None) -> str:
        """Each row as it was before the change. Rows of one change may refer to each other in any way, so rows
        come back without their members first, and those that go lose theirs before any goes."""
        done = history.items(self.session, change.id)[::-1]
        there = rows.read_many(self.session, ((i.kind, i.row_id) for i in done))
        vers = {key: ver for key, (_, ver) in there.items()}
        for item in done:
            if not history.stands(self.session, item, vers.get((item.kind, item.row_id))):
                raise Conflict(history.blocker(self.session, item), item.kind, item.row_id)
        going = [i for i in done if i.before is None]
        back = [i for i in done if i.after is None]
        returning: dict[str, list[tuple[int, int, rows.Snapshot]]] = defaultdict(list)
        coming = {i.row_id for i in back if i.kind == "thing"}
        for item in back:
            snapshot = {**(item.before or {})}
            self._possible(item, snapshot, coming)
            returning[item.kind].append((item.row_id, (item.ver_before or 0) + 2, snapshot))
        for kind, some in returning.items():
            rows.bring_back(self.session, kind, some)
        for kind, some in returning.items():
            rows.fill_members(self.session, kind, ((row_id, s.get("members", [])) for row_id, _, s in some))
        new = rows.read_many(self.session, ((i.kind, i.row_id) for i in back))
        items = [
            Item(kind, row_id, None, after, None, ver)
            for (kind, row_id), (after, ver) in ((k, new[k]) for k in ((i.kind, i.row_id) for i in back))
        ]
        for item in done:
            if item.before is not None and item.after is not None:
                before = dict(item.before)
                self._possible(item, before, coming)
                items.append(self._written(item.kind, item.row_id, vers[item.kind, item.row_id], before))
        self._unused(going)
        items += self._removed_together([(i.kind, i.row_id, vers[i.kind, i.row_id]) for i in going])
        self._record(act, request_key, items, undoes_id=change.id)
        self.reload()
        self.check()
        return change.act

    def _unused(self, going: list[t.ChangeItem]) -> None:
        """Refuse to take a name away that somebody else uses meanwhile; what this step wrote is written."""
        own = {(i.kind, i.row_id) for i in going}
        found = [
            Problem(("name",), f"{self._read('thing', item.row_id)[0]['name']} is used meanwhile in {user}")
            for item in going
            if item.kind == "thing"
            for kind in ("rule", "thing")
            for row_id in rows.users(self.session, kind, item.row_id)
            if (kind, row_id) not in own
            for user in [self._read(kind, row_id)[0]["name"]]
        ]
        if found:
            raise Refused(found)

    def _possible(self, item: t.ChangeItem, before: rows.Snapshot, coming: set[int]) -> None:
        """Make room for an old place; refuse an old name that is taken, or a member that is gone and is none of the things
        `coming` back as well."""
        targets = {target for _, _, target, *_ in before.get("members", []) if target} - coming
        missing = (
            targets - set(self.session.scalars(select(t.Thing.id).where(t.Thing.id.in_(targets))))
            if targets
            else targets
        )
        gone = [text for _, text, target, *_ in before.get("members", []) if target in missing]
        if gone:
            raise Refused([Problem(("members",), f"{name} was deleted meanwhile") for name in gone])
        if "folded" in before and rows.name_taken(self.session, item.kind, item.row_id, before):
            raise Refused([Problem(("name",), f"the name {before['name']!r} is taken meanwhile")])
        if "place" in before:
            policy_id = before.get("policy_id") or self._read(item.kind, item.row_id)[0]["policy_id"]
            taken = self._places_taken(policy_id)
            at = bisect_left(taken, (before["place"],))
            others = [place for place, id_ in taken[at : at + 3] if id_ != item.row_id]
            if others and others[0] == before["place"]:
                before["place"] = keys_between(others[0], others[1] if len(others) > 1 else None)[0]

    def _places_taken(self, policy_id: int) -> list[tuple[str, int]]:
        """The places of a policy as they were before this step, in order, with who has them."""
        if policy_id not in self._places:
            stored = self.stored
            keys: list[RuleKey | SectionKey] = [*stored.rules.get(policy_id, ())]
            keys += stored.sections.get(policy_id, ())
            self._places[policy_id] = sorted((k.place, k.id) for k in keys)
        return self._places[policy_id]

    @cached_property
    def _places(self) -> dict[int, list[tuple[str, int]]]:
        return {}
