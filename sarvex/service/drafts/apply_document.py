"""A whole network brought to what a document says, as one change: ids, versions and history stay.

Things are matched by name, rules by name within their policy. What differs is written, what is new is made,
what is gone is removed; rows that are the same are not touched.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cache
from itertools import pairwise
from typing import Any

import numpy as np

from sarvex.core.meaning.check import problems
from sarvex.core.model.differences import differences
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network, Policy, fold
from sarvex.core.sets.common_ends import longest_rise
from sarvex.service.drafts.draft import Draft, Item
from sarvex.service.drafts.rule_edits import rule_snapshot, section_snapshot
from sarvex.service.drafts.thing_edits import WORD, a
from sarvex.service.errors import Conflict, Refused
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import SECTION_OF, key_of, keys_between, one_of, thing_members, thing_row
from sarvex.store.things import INSIDE, ONE_OF, ORDERED, inside

ORDER = ("zone", "segment", "host", "address", "service", "schedule", "policy", "device", "expectation")
Things = dict[tuple[str, str], int]
There = Mapping[tuple[str, int], rows.Snapshot]


def become(
    draft: Draft,
    wanted: Network,
    expected: int | None = None,
    request_key: str | None = None,
    act: str = "bring in",
    sound: bool = False,
) -> int:
    """Make the draft what `wanted` says. Returns how many rows were touched.

    `expected`: the revision at which the change was looked at; at a later one it might do something
    else, so that is a `Conflict`. `sound`: it is known to have no problems. Raises `Refused`.
    """
    if expected is not None and draft.stored.revision - 1 != expected:
        message = "the network was changed meanwhile; look at what this would do now"
        raise Conflict(message, "network", draft.stored.id)
    found = [] if sound else problems(wanted)
    if fold(wanted.name) != fold(draft.stored.network.name):
        found.append(Problem(("name",), f"this is {wanted.name!r}, not {draft.stored.network.name!r}"))
    if found:
        raise Refused(found)
    items = _bring(draft, wanted) if differences(draft.stored.network, wanted) else []
    draft.record(act, request_key, items)
    row = draft.session.get_one(t.Network, draft.stored.id)
    row.name, row.description = wanted.name, wanted.description
    draft.session.flush()
    draft.reload()
    return len(items)


def _bring(draft: Draft, wanted: Network) -> list[Item]:
    # All rows are read at once, and what is new is made and read at once: one by one that would take a minute.
    there = rows.read_all(draft.session, draft.stored.id)
    things, made = _rows(draft, wanted)
    items: list[Item] = []
    orders = _orders(wanted, things, there)
    targets = cache(lambda device_id: draft.targets(device_id, things))
    # All rows are there now, so every reference finds its target.
    for thing_id, thing, device_id in _listed(wanted, things):
        members = [list(m) for m in thing_members(thing, targets(device_id), device_id)]
        if thing_id in made:
            rows.write_members(draft.session, "thing", thing_id, members)
            items.append(_new("thing", thing_id))
        else:
            ver = draft.stored.versions[thing_id]
            columns = {**_columns(draft, thing), **orders.get(thing_id, {}), "members": members}
            items += _brought(draft, there, "thing", thing_id, ver, columns)
    for policy in wanted.policies:
        items += _policy_brought(draft, there, policy, things["policy", fold(policy.name)], targets(0))
    items += draft.removed_together(_gone(draft, wanted))
    new = rows.read_many(draft.session, ((i.kind, i.row_id) for i in items if i.before is None))
    return [replace(i, after=new[i.kind, i.row_id][0]) if i.before is None else i for i in items]


def _rows(draft: Draft, wanted: Network) -> tuple[Things, set[int]]:
    """The ids of all things, rows made (without members yet) for those that are new."""
    things: Things = dict(draft.stored.things)
    made: set[int] = set()

    def row(kind: str, key: str, thing: Any, order: int, parent_id: int) -> None:
        if (kind, key) not in things:
            snapshot = {**thing_row(draft.stored.id, kind, thing, order, parent_id), "members": []}
            taker = rows.name_taken(draft.session, "thing", 0, snapshot)
            if taker:
                message = f"{thing.name} is {a(WORD[taker])} here; rename or delete that first"
                raise Refused([Problem((SECTION_OF.get(kind, kind), thing.name), message)])
            things[kind, key] = rows.create(draft.session, "thing", snapshot)
            made.add(things[kind, key])

    for kind in ORDER:
        for order, thing in enumerate(getattr(wanted, SECTION_OF[kind])):
            row(kind, fold(thing.name), thing, order, 0)
    for device in wanted.devices:
        for kind, field in INSIDE.items():
            for order, inner in enumerate(getattr(device, field)):
                key = key_of(device.name, inner.name)
                row(kind, key, inner, order, things["device", fold(device.name)])
    return things, made


def _orders(wanted: Network, things: Things, there: There) -> dict[int, dict[str, int]]:
    """Of every list whose order means something and is another than in the records: the order of all in it."""
    found: dict[int, dict[str, int]] = {}
    for device in wanted.devices:
        for kind in ORDERED:
            ids = [things[kind, key_of(device.name, e.name)] for e in getattr(device, INSIDE[kind])]
            now = [int(there["thing", i]["ord"]) for i in ids if ("thing", i) in there]
            if len(now) < len(ids) or now != sorted(set(now)):
                found |= {i: {"ord": at} for at, i in enumerate(ids)}
    return found


def _listed(wanted: Network, things: Things) -> list[tuple[int, Any, int]]:
    """Id, record and device (of itself, or of what is inside it) of everything wanted but rules."""
    found = [
        (things[kind, fold(thing.name)], thing, things[kind, fold(thing.name)] if kind == "device" else 0)
        for kind in ORDER
        for thing in getattr(wanted, SECTION_OF[kind])
    ]
    for device in wanted.devices:
        device_id = things["device", fold(device.name)]
        for kind, inner in inside(device):
            found.append((things[kind, key_of(device.name, inner.name)], inner, device_id))
    found += [(things[kind, name], one_of(wanted, kind), 0) for kind, name in ONE_OF.items()]
    return found


def _columns(draft: Draft, thing: Any) -> rows.Snapshot:
    row = thing_row(draft.stored.id, "zone", thing, 0)
    return {column: row[column] for column in ("name", "folded", "description", "detail")}


def _brought(
    draft: Draft, there: There, kind: str, row_id: int, ver: int, wanted: rows.Snapshot
) -> list[Item]:
    """Write the columns of a row that differ, if any do."""
    before = there[kind, row_id]
    differing = rows.differing(before, wanted)
    return [draft.written(kind, row_id, ver, differing)] if differing else []


def _policy_brought(
    draft: Draft, there: There, policy: Policy, policy_id: int, targets: dict[tuple[str, str], int]
) -> list[Item]:
    """Rules and sections of one policy: those gone first, then places, then contents."""
    keys = draft.stored.rules.get(policy_id, ())
    old = draft.stored.policy_of(policy_id)
    known = {("rule", fold(r.name)): k for r, k in zip(old.rules, keys, strict=True)} if old else {}
    for s in draft.stored.sections.get(policy_id, ()):
        known["section", fold(s.name)] = s  # type: ignore[assignment]
    order = _in_order(policy)
    names = {(kind, fold(thing.name)) for kind, thing in order}
    gone = [(kind, key.id, key.ver) for (kind, name), key in known.items() if (kind, name) not in names]
    items = draft.removed_together(gone)
    places = _places([known.get((kind, fold(thing.name))) for kind, thing in order])
    new: dict[str, list[rows.Snapshot]] = {"rule": [], "section": []}
    for (kind, thing), place in zip(order, places, strict=True):
        snapshot = (
            rule_snapshot(policy_id, thing, place, targets)
            if kind == "rule"
            else section_snapshot(policy_id, thing, place)
        )
        key = known.get((kind, fold(thing.name)))
        if key is None:
            new[kind].append(snapshot)
        else:
            items += _brought(draft, there, kind, key.id, key.ver, snapshot)
    for kind, snapshots in new.items():
        items += [_new(kind, row_id) for row_id in rows.create_many(draft.session, kind, snapshots)]
    return items


def _gone(draft: Draft, wanted: Network) -> list[tuple[str, int, int]]:
    """Rows of things that are not wanted, with what is inside them."""
    names = {(kind, fold(t.name)) for kind in ORDER for t in getattr(wanted, SECTION_OF[kind])}
    names |= {(kind, key_of(d.name, inner.name)) for d in wanted.devices for kind, inner in inside(d)}
    names |= set(ONE_OF.items())
    gone: list[tuple[str, int, int]] = []
    for (kind, name), thing_id in draft.stored.things.items():
        if (kind, name) in names:
            continue
        if kind == "policy":
            gone += [("rule", k.id, k.ver) for k in draft.stored.rules.get(thing_id, ())]
            gone += [("section", k.id, k.ver) for k in draft.stored.sections.get(thing_id, ())]
        gone.append(("thing", thing_id, draft.stored.versions[thing_id]))
    return gone


def _new(kind: str, row_id: int) -> Item:
    """A row made; what it is then is read when all are there."""
    return Item(kind, row_id, None, None, None, 1)


def _in_order(policy: Policy) -> list[tuple[str, Any]]:
    """Sections and rules in one order."""
    order: list[tuple[str, Any]] = []
    for rule in policy.rules:
        order += [("section", s) for s in policy.sections if s.before and fold(s.before) == fold(rule.name)]
        order.append(("rule", rule))
    return order + [("section", s) for s in policy.sections if s.before is None]


def _places(known: Sequence[Any]) -> list[str]:
    """A place for each of a list: as many as can keep theirs do (a longest increasing run), the others and
    the new ones (None) get places between, none of which anybody had. O(n log n)."""
    had = sorted(k.place for k in known if k)
    at = [i for i, k in enumerate(known) if k]
    rank = {place: number for number, place in enumerate(had)}
    stay = longest_rise(np.array([rank[known[i].place] for i in at], dtype=np.int64))
    kept = [at[i] for i in stay.tolist()]
    places: list[str] = []
    for before, after in pairwise([-1, *kept, len(known)]):
        low, high = (known[i].place if 0 <= i < len(known) else None for i in (before, after))
        missing = after - before - 1
        if missing:
            first = bisect_right(had, low) if low is not None else 0
            taken = had[first : bisect_left(had, high) if high is not None else len(had)]
            free = set(taken)
            places += [p for p in keys_between(low, high, missing + len(taken)) if p not in free][:missing]
        if high is not None:
            places.append(high)
    return places
