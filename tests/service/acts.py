"""Every act on a draft by a short name, as tests of the records use them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sarvex.core.model.edits import ChangeMember, Delete, Edit, Insert, Move, Place, Switch, Write
from sarvex.core.model.records import Field, Rule
from sarvex.core.model.thing_edits import AddThing, DeleteThing, MoveEntry, ReplaceName, WriteThing
from sarvex.service.drafts import thing_edits
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.drafts.rule_edits import add_section, change_section, delete_section, make, tidy
from sarvex.service.drafts.undo import redo, undo
from sarvex.store.networks import SECTION_OF
from sarvex.store.things import INSIDE, KIND_OF, ONE_OF

__all__ = [
    "add_rule", "add_section", "add_thing", "become", "change_rule", "change_rules", "change_section", "change_thing",
    "delete_rule", "delete_section", "delete_thing", "make", "move_entry", "move_rule", "redo", "replace_name", "tidy", "undo",
]  # fmt: skip


def add_rule(draft: Draft, policy_id: int, rule: Rule, place: Place, key: str | None = None) -> int:
    made = make(draft, policy_id, Insert(rule=rule, place=place), {}, key)
    assert made is not None
    return made


def change_rule(draft: Draft, policy_id: int, rule_id: int, ver: int, rule: Rule) -> None:
    make(draft, policy_id, Write(rule_key=rule_id, rule=rule), {rule_id: ver})


def move_rule(draft: Draft, policy_id: int, rule_id: int, ver: int, place: Place) -> None:
    make(draft, policy_id, Move(rules=(rule_id,), place=place), {rule_id: ver})


def delete_rule(draft: Draft, policy_id: int, rule_id: int, ver: int, key: str | None = None) -> None:
    make(draft, policy_id, Delete(rules=(rule_id,)), {rule_id: ver}, key)


def change_rules(
    draft: Draft,
    policy_id: int,
    chosen: Sequence[tuple[int, int]],
    act: str,
    *,
    place: Place | None = None,
    field: Field | None = None,
    member: str | None = None,
) -> None:
    ids = tuple(rule_id for rule_id, _ in chosen)
    edit: Edit
    if place is not None:
        edit = Move(rules=ids, place=place)
    elif field is not None and member is not None:
        edit = ChangeMember(rules=ids, field=field, member=member, there=act == "add member")
    else:
        edit = Delete(rules=ids) if act == "delete" else Switch(rules=ids, enabled=act == "enable")
    make(draft, policy_id, edit, dict(chosen))


# What becomes of the records by an edit of a thing is what the same edit, as a value, makes of the network.


def add_thing(draft: Draft, thing: Any, parent_id: int = 0) -> int:
    before, device = draft.stored.network, draft.thing(parent_id)[1].name if parent_id else ""
    made = thing_edits.add_thing(draft, thing, parent_id)
    assert draft.stored.network == AddThing(_section(KIND_OF[type(thing)]), thing, device).apply(before)
    return made


def change_thing(draft: Draft, thing_id: int, ver: int, thing: Any, act: str | None = None) -> None:
    before = draft.stored.network
    kind, old, parent_id = draft.thing(thing_id)
    device = draft.thing(parent_id)[1].name if parent_id else ""
    thing_edits.change_thing(draft, thing_id, ver, thing, act)
    if kind not in ONE_OF:
        wanted = WriteThing(_section(kind), old.name, thing, device).apply(before)
        assert draft.stored.network == wanted


def delete_thing(draft: Draft, thing_id: int, ver: int) -> None:
    before = draft.stored.network
    kind, old, parent_id = draft.thing(thing_id)
    device = draft.thing(parent_id)[1].name if parent_id else ""
    thing_edits.delete_thing(draft, thing_id, ver)
    assert draft.stored.network == DeleteThing(_section(kind), old.name, device).apply(before)


def replace_name(draft: Draft, thing_id: int, ver: int, by: str) -> None:
    before = draft.stored.network
    kind, old, _ = draft.thing(thing_id)
    thing_edits.replace_name(draft, thing_id, ver, by)
    wanted = ReplaceName(_section(kind), old.name, by).apply(before)
    assert draft.stored.network == wanted


def _section(kind: str) -> Any:
    return INSIDE.get(kind) or SECTION_OF[kind]


def move_entry(draft: Draft, thing_id: int, ver: int, before_id: int | None) -> None:
    before = draft.stored.network
    kind, entry, parent_id = draft.thing(thing_id)
    next_ = draft.thing(before_id)[1].name if before_id is not None else None
    thing_edits.move_entry(draft, thing_id, ver, before_id)
    wanted = MoveEntry(_section(kind), entry.name, next_, draft.thing(parent_id)[1].name).apply(before)
    assert draft.stored.network == wanted
