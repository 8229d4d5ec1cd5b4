"""Back and forth in one's own changes."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Callable
from functools import cache, partial

from sqlalchemy import select

from sarvex.core.meaning.names import Names, UnknownName
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import fold
from sarvex.core.model.renames import FIRST_OF
from sarvex.service.drafts import history
from sarvex.service.drafts.draft import Draft, Item
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import RuleKey, SectionKey, Stored, keys_between, target_of
from sarvex.store.things import space_of

Taken = list[tuple[str, int]]


def undo(draft: Draft, request_key: str | None = None) -> str:
    """Take back this person's newest change that still stands. Returns what it was.

    Raises `NotFound` if there is none, `Conflict` if somebody's later change stands on it.
    """
    change = history.to_undo(draft.session, draft.stored.id, draft.person_id)
    if change is None:
        raise NotFound("there is nothing of yours to undo")
    return _revert(draft, change, f"undo: {change.act}", request_key)


def redo(draft: Draft, request_key: str | None = None) -> str:
    """Do again what this person undid last, if nothing else was done since. Raises as `undo`."""
    change = history.to_redo(draft.session, draft.stored.id, draft.person_id)
    if change is None:
        raise NotFound("there is nothing of yours to redo")
    return _revert(draft, change, f"redo: {change.act.removeprefix('undo: ')}", request_key)


def _revert(draft: Draft, change: t.Change, act: str, request_key: str | None) -> str:
    """Each row as it was before the change. Rows of one change may refer to each other in any way, so rows
    come back without their members first, and those that go lose theirs before any goes."""
    done = history.items(draft.session, change.id)[::-1]
    there = rows.read_many(draft.session, ((i.kind, i.row_id) for i in done))
    vers = {key: ver for key, (_, ver) in there.items()}
    for item in done:
        if not history.stands(draft.session, item, vers.get((item.kind, item.row_id))):
            raise Conflict(history.blocker(draft.session, item), item.kind, item.row_id)
    going = [i for i in done if i.before is None]
    back = [i for i in done if i.after is None]
    returning: dict[str, list[tuple[int, int, rows.Snapshot]]] = defaultdict(list)
    coming = {i.row_id for i in back if i.kind == "thing"}
    taken_in = cache(partial(_places_taken, draft.stored))
    for item in back:
        snapshot = {**(item.before or {})}
        _possible(draft, item, snapshot, coming, taken_in)
        returning[item.kind].append((item.row_id, (item.ver_before or 0) + 2, snapshot))
    for kind, some in returning.items():
        rows.bring_back(draft.session, kind, some)
    for kind, some in returning.items():
        rows.fill_members(draft.session, kind, ((row_id, s.get("members", [])) for row_id, _, s in some))
    new = rows.read_many(draft.session, ((i.kind, i.row_id) for i in back))
    items = [
        Item(kind, row_id, None, after, None, ver)
        for (kind, row_id), (after, ver) in ((k, new[k]) for k in ((i.kind, i.row_id) for i in back))
    ]
    for item in done:
        if item.before is not None and item.after is not None:
            before = dict(item.before)
            _possible(draft, item, before, coming, taken_in)
            items.append(draft.written(item.kind, item.row_id, vers[item.kind, item.row_id], before))
    _unused(draft, going)
    items += draft.removed_together([(i.kind, i.row_id, vers[i.kind, i.row_id]) for i in going])
    draft.record(act, request_key, items, undoes_id=change.id)
    draft.reload()
    draft.check()
    _as_meant(draft, items)
    return change.act


def _as_meant(draft: Draft, items: list[Item]) -> None:
    """Refuse what comes back and names a device or a user by what is called otherwise meanwhile, or by nobody's name."""
    names, targets = Names(draft.stored.network), draft.targets()
    for item in items:
        members = (item.after or {}).get("members", ())
        kind = "rule" if item.kind == "rule" else draft.thing(item.row_id)[0] if members else ""
        for field, text, target, *_ in members:
            space = space_of(kind, field)
            if space not in FIRST_OF:
                continue
            if target_of(space, fold(text), targets, 0) != target:
                told = f"{text} was the {draft.thing(target)[0]}" if target else f"{text} was a user"
                raise Refused([Problem(("members",), f"{told}, and means something else meanwhile")])
            if target is None and item.kind == "rule" and not _resolves(names, text):
                raise Refused([Problem(("members",), f"{text} was deleted meanwhile")])


def _resolves(names: Names, text: str) -> bool:
    try:
        names.address(text)
    except UnknownName:
        return False
    return True


def _unused(draft: Draft, going: list[t.ChangeItem]) -> None:
    """Refuse to take a name away that somebody else uses meanwhile; what this step wrote is written."""
    own = {(i.kind, i.row_id) for i in going}
    found = [
        Problem(("name",), f"{draft.read('thing', item.row_id)[0]['name']} is used meanwhile in {user}")
        for item in going
        if item.kind == "thing"
        for kind in ("rule", "thing")
        for row_id in rows.users(draft.session, kind, item.row_id)
        if (kind, row_id) not in own
        for user in [draft.read(kind, row_id)[0]["name"]]
    ]
    if found:
        raise Refused(found)


def _possible(
    draft: Draft,
    item: t.ChangeItem,
    before: rows.Snapshot,
    coming: set[int],
    taken_in: Callable[[int], Taken],
) -> None:
    """Make room for an old place; refuse an old name that is taken, or a member that is gone and is none of the things
    `coming` back as well. `taken_in`: the places of a policy as they were before this step."""
    targets = {target for _, _, target, *_ in before.get("members", []) if target} - coming
    missing = (
        targets - set(draft.session.scalars(select(t.Thing.id).where(t.Thing.id.in_(targets))))
        if targets
        else targets
    )
    gone = [text for _, text, target, *_ in before.get("members", []) if target in missing]
    if gone:
        raise Refused([Problem(("members",), f"{name} was deleted meanwhile") for name in gone])
    if "folded" in before and rows.name_taken(draft.session, item.kind, item.row_id, before):
        raise Refused([Problem(("name",), f"the name {before['name']!r} is taken meanwhile")])
    if "place" in before:
        policy_id = before.get("policy_id") or draft.read(item.kind, item.row_id)[0]["policy_id"]
        taken = taken_in(policy_id)
        at = bisect_left(taken, (before["place"],))
        others = [place for place, id_ in taken[at : at + 3] if id_ != item.row_id]
        if others and others[0] == before["place"]:
            before["place"] = keys_between(others[0], others[1] if len(others) > 1 else None)[0]


def _places_taken(stored: Stored, policy_id: int) -> Taken:
    """The places of a policy, in order, with who has them."""
    keys: list[RuleKey | SectionKey] = [*stored.rules.get(policy_id, ())]
    keys += stored.sections.get(policy_id, ())
    return sorted((k.place, k.id) for k in keys)
