"""Edits of everything that bears a name, but rules: names, the ground, policies."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from secrets import token_hex
from typing import Any

from sqlalchemy import func, select

from sarvex.core.meaning.check import meant_otherwise
from sarvex.core.model.problems import Problem, entry
from sarvex.core.model.records import fold
from sarvex.service.drafts.draft import Draft, Item
from sarvex.service.errors import NotFound, Refused
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import SECTION_OF, load_thing, thing_members, thing_row
from sarvex.store.things import INSIDE, KIND_OF, KINDS, ONE_OF, ORDERED, inside

ROOM = 1024
"""Between entries of a list that are numbered anew."""
WORD = {
    "zone": "zone", "segment": "segment", "host": "host", "device": "device", "interface": "interface",
    "address": "address object", "service": "service object", "policy": "policy", "at_hosts": "policies at hosts",
    "schedule": "schedule", "clock": "clock", "expectation": "expectation", "translate_to": "destination translation",
    "translate_from": "source translation", "steering": "steering entry",
}  # fmt: skip


def add_thing(draft: Draft, thing: Any, parent_id: int = 0, request_key: str | None = None) -> int:
    """Add a zone, segment, host, device, something inside the device `parent_id`, name or policy; the last of its list."""
    kind = KIND_OF[type(thing)]
    if (kind in INSIDE) != bool(parent_id):
        told = "interfaces, translations and steering have a device, and nothing else has"
        raise Refused([Problem(("parent_id",), told)])
    if parent_id and draft.thing(parent_id)[0] != "device":
        raise NotFound("there is no such device")
    last = draft.session.scalar(
        select(func.max(t.Thing.ord)).where(
            t.Thing.network_id == draft.stored.id, t.Thing.kind == kind, t.Thing.parent_id == parent_id
        )
    )
    snapshot = _snapshot(draft, thing, parent_id, 0 if last is None else last + 1)
    taken = _taken(draft, 0, snapshot)
    thing_id = rows.create(draft.session, "thing", snapshot)
    draft.record(f"add {WORD[kind]}", request_key, [draft.made("thing", thing_id)])
    _settle(draft, thing_id, kind, taken, rules_stay=True)
    return thing_id


def add_things(draft: Draft, things: Sequence[Any], request_key: str | None = None) -> list[int]:
    """Add several things of one kind that are in no device, the last of their list: all or none, one step of undo."""
    kind = KIND_OF[type(things[0])]
    last = draft.session.scalar(
        select(func.max(t.Thing.ord)).where(t.Thing.network_id == draft.stored.id, t.Thing.kind == kind)
    )
    first = 0 if last is None else last + 1
    known = {key for own, key in draft.stored.things if own == kind}
    for index, thing in enumerate(things):
        if fold(thing.name) in known:
            raise Refused([Problem(("things", index, "name"), f"the name {thing.name!r} is taken already")])
        known.add(fold(thing.name))
    targets = draft.targets()
    snapshots = [
        {
            **thing_row(draft.stored.id, kind, thing, first + index),
            "members": [list(m) for m in thing_members(thing, targets)],
        }
        for index, thing in enumerate(things)
    ]
    ids = rows.create_many(draft.session, "thing", snapshots)
    there = rows.read_many(draft.session, [("thing", id_) for id_ in ids])
    made = [Item("thing", id_, None, after, None, ver) for id_ in ids for after, ver in [there["thing", id_]]]
    draft.record(f"add {_several(kind, len(ids))}", request_key, made)
    draft.reload(rules_stay=True)
    draft.check()
    return ids


def change_thing(
    draft: Draft, thing_id: int, ver: int, thing: Any, act: str | None = None, request_key: str | None = None
) -> None:
    """Replace a thing's content, its name included; references follow, for they are by id.

    `act` tells what kind of change it is: adding members, removing and replacing them are different
    things to do.
    """
    kind, before, parent_id = draft.thing(thing_id)
    if KIND_OF[type(thing)] != kind:
        raise NotFound(f"there is no such {WORD[KIND_OF[type(thing)]]}; this is {a(WORD[kind])}")
    snapshot = _snapshot(draft, thing, parent_id, 0, thing_id)
    del snapshot["ord"]
    taken = _taken(draft, thing_id, snapshot)
    item = draft.written("thing", thing_id, ver, snapshot)
    draft.record(act or f"change {WORD[kind]}", request_key, [item])
    # A new name is another word in every rule that refers to it.
    _settle(draft, thing_id, kind, taken, rules_stay=kind in ONE_OF or thing.name == before.name)


def delete_thing(draft: Draft, thing_id: int, ver: int, request_key: str | None = None) -> None:
    """Delete what nothing refers to; a device goes with what is inside it, a policy with its rules."""
    kind, thing, _ = draft.thing(thing_id)
    if kind in ONE_OF:
        raise Refused([Problem(("name",), "it can be changed, not deleted")])
    before = draft.stored.network
    inside = _inside(draft, kind, thing, thing_id)
    used = [
        word
        for id_ in (thing_id, *(i for k, i, _ in inside if k == "thing"))
        for word in _users(draft, id_, apart_from=thing_id)
    ]
    if used:
        raise Refused([Problem(("name",), f"still used in {word}") for word in dict.fromkeys(used)])
    items = draft.removed_together([*inside, ("thing", thing_id, ver)])
    draft.record(f"delete {WORD[kind]}", request_key, items)
    draft.reload(rules_stay=True)
    if found := meant_otherwise(before, draft.stored.network):
        raise Refused([Problem(("name",), problem.message) for problem in found])


def change_things(
    draft: Draft, vers: Mapping[int, int], changed: Callable[[Any], Any], request_key: str | None = None
) -> None:
    """Change several things of one kind alike, by id and the version seen of each: all or none, one step of undo."""
    items, kinds = [], set()
    for thing_id, ver in vers.items():
        kind, before, parent_id = draft.thing(thing_id)
        kinds.add(kind)
        snapshot = _snapshot(draft, changed(before), parent_id, 0, thing_id)
        del snapshot["ord"]
        items.append(draft.written("thing", thing_id, ver, snapshot))
    (kind,) = kinds
    draft.record(f"change {_several(kind, len(items))}", request_key, items)
    draft.reload(rules_stay=True)
    draft.check()


def delete_things(draft: Draft, vers: Mapping[int, int], request_key: str | None = None) -> None:
    """Delete several things of one kind that nothing refers to, such as what must hold: all or none, one step of undo."""
    kinds = {draft.thing(thing_id)[0] for thing_id in vers}
    (kind,) = kinds
    used = [word for thing_id in vers for word in _users(draft, thing_id, apart_from=thing_id)]
    if used:
        raise Refused([Problem(("name",), f"still used in {word}") for word in dict.fromkeys(used)])
    items = draft.removed_together([("thing", thing_id, ver) for thing_id, ver in vers.items()])
    draft.record(f"delete {_several(kind, len(items))}", request_key, items)
    draft.reload(rules_stay=True)


def _several(kind: str, count: int) -> str:
    return WORD[kind] if count == 1 else f"{count} {WORD[kind]}s"


def move_entry(
    draft: Draft, thing_id: int, ver: int, before_id: int | None, request_key: str | None = None
) -> None:
    """Put an entry of a device's list before another of the list, or at its end. Its neighbours are written only if there is no room
    between them."""
    kind, _, parent_id = draft.thing(thing_id)
    if kind not in ORDERED:
        raise Refused([Problem(("before_id",), f"the order of a {WORD[kind]} means nothing")])
    there = draft.session.execute(
        select(t.Thing.id, t.Thing.ord, t.Thing.ver)
        .where(t.Thing.network_id == draft.stored.id, t.Thing.kind == kind, t.Thing.parent_id == parent_id)
        .order_by(t.Thing.ord, t.Thing.id)
    ).all()
    rest = [row for row in there if row.id != thing_id]
    at = len(rest) if before_id is None else next((n for n, r in enumerate(rest) if r.id == before_id), None)
    if at is None:
        raise Refused([Problem(("before_id",), "that is no other entry of this list; look again")])
    low = rest[at - 1].ord if at else (rest[0].ord if rest else 0) - 2 * ROOM
    high = rest[at].ord if at < len(rest) else low + 2 * ROOM
    if high - low > 1:
        items = [draft.written("thing", thing_id, ver, {"ord": (low + high) // 2})]
    else:
        order = [(r.id, r.ver) for r in rest]
        order.insert(at, (thing_id, ver))
        items = [draft.written("thing", i, v, {"ord": n * ROOM}) for n, (i, v) in enumerate(order)]
    draft.record(f"move {WORD[kind]}", request_key, items)
    draft.reload(rules_stay=True)


def replace_name(draft: Draft, thing_id: int, ver: int, by: str, request_key: str | None = None) -> None:
    """Let another name stand wherever this one does, and delete this one."""
    kind, _, _ = draft.thing(thing_id)
    if kind not in ("address", "service"):
        raise Refused(
            [Problem(("by",), f"{a(WORD[kind])} is not replaced by a name; change what refers to it")]
        )
    heir = draft.targets().get((KINDS[kind].space, fold(by)))
    if heir is None:
        raise Refused([Problem(("by",), f"no {WORD[kind]} is called {by!r}")])
    if heir == thing_id:
        raise Refused([Problem(("by",), "a name cannot replace itself")])
    users = [("rule", i) for i in rows.users(draft.session, "rule", thing_id)]
    users += [("thing", i) for i in rows.users(draft.session, "thing", thing_id)]
    items = []
    for user_kind, user_id in users:
        snapshot, user_ver = draft.read(user_kind, user_id)
        members = _replaced(snapshot["members"], thing_id, heir)
        items.append(draft.written(user_kind, user_id, user_ver, {"members": members}))
    items.append(draft.removed("thing", thing_id, ver))
    draft.record(f"replace {WORD[kind]}", request_key, items)
    draft.reload()
    draft.check()


# --- parts -------------------------------------------------------------------------------------------


def _snapshot(draft: Draft, thing: Any, parent_id: int, order: int, thing_id: int = 0) -> rows.Snapshot:
    kind = KIND_OF[type(thing)]
    device = parent_id if kind in INSIDE else thing_id if kind == "device" else 0
    return {
        **thing_row(draft.stored.id, kind, thing, order, parent_id),
        "members": [list(member) for member in thing_members(thing, draft.targets(device), device)],
    }


def _taken(draft: Draft, thing_id: int, snapshot: rows.Snapshot) -> list[Problem]:
    """Whether the name is taken, which the records would refuse in their own words. The snapshot then gets
    another one, so that what else is wrong is found as well; nothing of it stays."""
    taker = rows.name_taken(draft.session, "thing", thing_id, snapshot)
    if taker is None:
        return []
    message = f"the name {snapshot['name']!r} is taken already, by {a(WORD[taker])}"
    snapshot["name"] = snapshot["folded"] = f"a name nobody else has {token_hex(8)}"
    return [Problem(("name",), message)]


def _settle(draft: Draft, thing_id: int, kind: str, found: list[Problem], rules_stay: bool) -> None:
    """Read anew what may have become another, and refuse it if it does not hold together, with the thing's own faults
    first."""
    if rules_stay and kind in ("address", "service"):
        draft.stored = draft.stored.with_object(kind, thing_id, *load_thing(draft.session, thing_id))
    else:
        draft.reload(rules_stay)
    others = draft.problems()
    own = _path(draft, thing_id)
    mine = [Problem(p.path[len(own) :], p.message) for p in others if p.path[: len(own)] == own]
    if found or others:
        raise Refused([*found, *(mine or ([] if found else others))])


def _path(draft: Draft, thing_id: int) -> tuple[str, ...]:
    kind, thing, parent_id = draft.thing(thing_id)
    if kind in INSIDE:
        _, device, _ = draft.thing(parent_id)
        return ("devices", entry(device.name), INSIDE[kind], entry(thing.name))
    if kind in ONE_OF:
        return ("at_hosts",) if kind == "at_hosts" else ()
    return SECTION_OF[kind], entry(thing.name)


def _inside(draft: Draft, kind: str, thing: Any, thing_id: int) -> list[tuple[str, int, int]]:
    """Rows that go with a thing: kind, id, version."""
    stored = draft.stored
    if kind == "device":
        ids = [stored.thing_id(kind, thing.name, inner.name) for kind, inner in inside(thing)]
        return [("thing", id_, stored.versions[id_]) for id_ in ids]
    if kind == "policy":
        rules = [("rule", key.id, key.ver) for key in stored.rules.get(thing_id, ())]
        return rules + [("section", key.id, key.ver) for key in stored.sections.get(thing_id, ())]
    return []


def _users(draft: Draft, thing_id: int, apart_from: int) -> list[str]:
    """Who refers to a thing, in words; what goes together with it does not count."""
    words = []
    for rule_id in rows.users(draft.session, "rule", thing_id):
        rule, _ = draft.read("rule", rule_id)
        policy, _ = draft.read("thing", rule["policy_id"])
        used = sorted({field for field, _, target, *_ in rule["members"] if target == thing_id})
        words.append(f"{rule['name']}, {' and '.join(used)} (in {policy['name']})")
    for user_id in rows.users(draft.session, "thing", thing_id):
        user, _ = draft.read("thing", user_id)
        if apart_from in (user_id, user["parent_id"]):
            continue
        owner = f"{draft.read('thing', user['parent_id'])[0]['name']} " if user["parent_id"] else ""
        words.append(f"{owner}{user['name']}")
    return words


def a(word: str) -> str:
    """A word with its article."""
    return f"an {word}" if word[0] in "aeio" else f"a {word}"


def _replaced(members: list[list[Any]], old: int, new: int) -> list[list[Any]]:
    """The members with one name for another; where both stood, one stays."""
    seen: set[tuple[Any, ...]] = set()
    out = []
    for field, text, target, *more in members:
        target = new if target == old else target
        if (field, target or text) not in seen:
            out.append([field, text, target, *more])
        seen.add((field, target or text))
    return out
