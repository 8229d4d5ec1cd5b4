"""Back and forth in one's own changes."""

from __future__ import annotations

from sqlalchemy import select

from sarvex.core.problem import Problem
from sarvex.service import history
from sarvex.service.drafting import Drafting, Item
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import keys_between


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
        items = []
        for item in reversed(history.items(self.session, change.id)):
            now = rows.read(self.session, item.kind, item.row_id)
            ver = now[1] if now else None
            if not history.stands(self.session, item, ver):
                raise Conflict(history.blocker(self.session, item), item.kind, item.row_id)
            items.append(self._restored(item, ver))
        self._record(act, request_key, items, undoes_id=change.id)
        self.reload()
        self.check()
        return change.act

    def _restored(self, item: t.ChangeItem, ver: int | None) -> Item:
        """The row as it was before the item."""
        if item.before is None:
            assert ver is not None
            if item.kind == "thing":
                self._unused(item)
            return self._removed(item.kind, item.row_id, ver)
        before = dict(item.before)
        self._possible(item, before)
        if ver is None:
            rows.create(self.session, item.kind, before, item.row_id, (item.ver_before or 0) + 2)
            return self._made(item.kind, item.row_id)
        return self._written(item.kind, item.row_id, ver, before)

    def _unused(self, item: t.ChangeItem) -> None:
        """Refuse to take a name away that somebody uses meanwhile; the rows tell, as some are written already."""
        users = [
            self._read(kind, row_id)[0]["name"]
            for kind in ("rule", "thing")
            for row_id in rows.users(self.session, kind, item.row_id)
        ]
        if users:
            name = self._read("thing", item.row_id)[0]["name"]
            raise Refused([Problem(("name",), f"{name} is used meanwhile in {user}") for user in users])

    def _possible(self, item: t.ChangeItem, before: rows.Snapshot) -> None:
        """Make room for an old place; refuse an old name that is taken, or a member that is gone."""
        targets = {target for _, _, target, *_ in before.get("members", []) if target}
        missing = targets - set(self.session.scalars(select(t.Thing.id).where(t.Thing.id.in_(targets))))
        gone = [text for _, text, target, *_ in before.get("members", []) if target in missing]
        if gone:
            raise Refused([Problem(("members",), f"{name} was deleted meanwhile") for name in gone])
        if "folded" in before and rows.name_taken(self.session, item.kind, item.row_id, before):
            raise Refused([Problem(("name",), f"the name {before['name']!r} is taken meanwhile")])
        if "place" in before:
            policy_id = before.get("policy_id") or self._read(item.kind, item.row_id)[0]["policy_id"]
            keys = [(k.id, k.place) for k in self.stored.rules.get(policy_id, ())]
            keys += [(k.id, k.place) for k in self.stored.sections.get(policy_id, ())]
            taken = sorted(place for id_, place in keys if id_ != item.row_id and place >= before["place"])
            if taken and taken[0] == before["place"]:
                before["place"] = keys_between(taken[0], taken[1] if len(taken) > 1 else None)[0]
