"""Edits of the draft. Each is one transaction: it takes the next revision, checks the version of the row
it changes, writes, and leaves a change with its items behind.

Two people on different rules or names never meet. On the same one the second is told (`Conflict`). A move
conflicts only if the moved rule changed, or if both of its new neighbours are gone.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Literal

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from sarvex.core.check import naming_problems, rule_problems
from sarvex.core.model import FIELDS, AddressObject, Policy, Rule, ServiceObject, fold, named
from sarvex.core.names import Names
from sarvex.core.problem import Problem, entry
from sarvex.core.uses import uses
from sarvex.service import history
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.service.library import Library
from sarvex.store import rows
from sarvex.store import tables as t
from sarvex.store.networks import SPACE, RuleKey, Stored, keys_between, load_network, rule_row

NameKind = Literal["address", "service"]
Name = AddressObject | ServiceObject
WORD: dict[NameKind, str] = {"address": "address object", "service": "service object"}
SECTION: dict[NameKind, str] = {"address": "addresses", "service": "services"}


@dataclass(frozen=True)
class Item:
    """What an edit did to one row: what it wrote, and what stood there before."""

    kind: str
    row_id: int
    before: rows.Snapshot | None
    after: rows.Snapshot | None
    ver_before: int | None
    ver_after: int | None


@dataclass(frozen=True)
class Place:
    """Where a rule goes: between two neighbours, by id. None is the end of the list on that side.

    If one neighbour is gone meanwhile the other decides.
    """

    after: int | None
    before: int | None


class Draft:
    """The draft of one network in the hands of one person, within one transaction."""

    def __init__(self, session: Session, library: Library, network_id: int, person_id: int | None) -> None:
        # Taking the revision first locks the network's row, so edits of one network queue up here, and the
        # snapshot that the following reads see begins after the edit before us was committed.
        moved = session.execute(
            update(t.Network).where(t.Network.id == network_id).values(revision=t.Network.revision + 1)
        )
        if moved.rowcount != 1:  # type: ignore[attr-defined]
            raise NotFound("there is no such network")
        self.session, self.person_id = session, person_id
        row = session.get_one(t.Network, network_id, populate_existing=True)
        self.stored: Stored = replace(_before(session, library, row), revision=row.revision)

    # --- rules -------------------------------------------------------------------------------------------

    def add_rule(self, policy_id: int, rule: Rule, place: Place, request_key: str | None = None) -> int:
        """Add a rule between two neighbours. Returns its id. Raises `Refused`, `Conflict`, `NotFound`."""
        policy, keys = self._policy(policy_id)
        index, key = self._key(keys, place, policy_id)
        rules = (*policy.rules[:index], rule, *policy.rules[index:])
        self._check(rule, replace(policy, rules=rules))
        rule_id = rows.create(self.session, "rule", self._rule_snapshot(policy_id, rule, key))
        self._record("add rule", request_key, [self._made("rule", rule_id)])
        self.stored = self.stored.with_rules(
            policy_id, rules, (*keys[:index], RuleKey(rule_id, 1, key), *keys[index:]), self.stored.revision
        )
        return rule_id

    def change_rule(
        self, policy_id: int, rule_id: int, ver: int, rule: Rule, request_key: str | None = None
    ) -> None:
        """Replace a rule's content; it stays where it is. Raises `Refused`, `Conflict`, `NotFound`."""
        policy, keys, index = self._rule(policy_id, rule_id)
        rules = (*policy.rules[:index], rule, *policy.rules[index + 1 :])
        self._check(rule, replace(policy, rules=rules))
        item = self._written("rule", rule_id, ver, self._rule_snapshot(policy_id, rule, keys[index].place))
        self._record("change rule", request_key, [item])
        keys = (*keys[:index], replace(keys[index], ver=ver + 1), *keys[index + 1 :])
        self.stored = self.stored.with_rules(policy_id, rules, keys, self.stored.revision)

    def move_rule(
        self, policy_id: int, rule_id: int, ver: int, place: Place, request_key: str | None = None
    ) -> None:
        """Move a rule within its policy: one row is written. Raises `Conflict`, `NotFound`."""
        policy, keys, index = self._rule(policy_id, rule_id)
        if rule_id in (place.after, place.before):
            raise Refused([Problem(("place",), "a rule cannot stand next to itself")])
        rest = (*keys[:index], *keys[index + 1 :])
        target, key = self._key(rest, place, policy_id)
        self._record("move rule", request_key, [self._written("rule", rule_id, ver, {"place": key})])
        others = (*policy.rules[:index], *policy.rules[index + 1 :])
        self.stored = self.stored.with_rules(
            policy_id,
            (*others[:target], policy.rules[index], *others[target:]),
            (*rest[:target], RuleKey(rule_id, ver + 1, key), *rest[target:]),
            self.stored.revision,
        )

    def delete_rule(self, policy_id: int, rule_id: int, ver: int, request_key: str | None = None) -> None:
        """Delete a rule; its change keeps all of it. Raises `Conflict`, `NotFound`."""
        policy, keys, index = self._rule(policy_id, rule_id)
        self._record("delete rule", request_key, [self._removed("rule", rule_id, ver)])
        self.stored = self.stored.with_rules(
            policy_id,
            (*policy.rules[:index], *policy.rules[index + 1 :]),
            (*keys[:index], *keys[index + 1 :]),
            self.stored.revision,
        )

    # --- names -------------------------------------------------------------------------------------------

    def add_name(self, kind: NameKind, thing: Name, request_key: str | None = None) -> int:
        """Add an address or service object. Returns its id. Raises `Refused`."""
        last = max((o for o in self._orders(kind)), default=-1)
        self._check_names(kind, None, thing)
        thing_id = rows.create(self.session, "thing", self._name_snapshot(kind, thing, last + 1))
        self._record(f"add {WORD[kind]}", request_key, [self._made("thing", thing_id)])
        self.reload()
        return thing_id

    def change_name(
        self, thing_id: int, ver: int, thing: Name, act: str, request_key: str | None = None
    ) -> str:
        """Replace an object's content, its name included; references follow, for they are by id.

        `act` tells what kind of change it is: adding members, removing and replacing them are different
        things to do. Returns it. Raises `Refused`, `Conflict`, `NotFound`.
        """
        kind, before = self.name(thing_id)
        self._check_names(kind, before.name, thing)
        snapshot = self._name_snapshot(kind, thing, 0)
        del snapshot["ord"]
        self._record(act, request_key, [self._written("thing", thing_id, ver, snapshot)])
        self.reload()
        return act

    def delete_name(self, thing_id: int, ver: int, request_key: str | None = None) -> None:
        """Delete an object that nothing refers to. Raises `Refused` with the uses, `Conflict`, `NotFound`."""
        kind, thing = self.name(thing_id)
        used = uses(self.stored.network, kind, thing.name)
        if used:
            raise Refused([Problem(("name",), f"still used in {use}") for use in used])
        self._record(f"delete {WORD[kind]}", request_key, [self._removed("thing", thing_id, ver)])
        self.reload()

    def replace_name(self, thing_id: int, ver: int, by: str, request_key: str | None = None) -> None:
        """Let another name stand wherever this one does, and delete this one. Raises as `delete_name`."""
        kind, _ = self.name(thing_id)
        heir = self._things_of(kind).get(fold(by))
        if heir is None:
            raise Refused([Problem(("by",), f"no {WORD[kind]} is called {by!r}")])
        if heir == thing_id:
            raise Refused([Problem(("by",), "a name cannot replace itself")])
        users = [("rule", i) for i in rows.users(self.session, "rule", thing_id)]
        users += [("thing", i) for i in rows.users(self.session, "thing", thing_id)]
        items = []
        for user_kind, user_id in users:
            snapshot, user_ver = self._read(user_kind, user_id)
            members = [[f, t, heir if target == thing_id else target] for f, t, target in snapshot["members"]]
            unique = [
                m
                for i, m in enumerate(members)
                if (m[0], m[2] or m[1]) not in [(x[0], x[2] or x[1]) for x in members[:i]]
            ]
            items.append(self._written(user_kind, user_id, user_ver, {"members": unique}))
        items.append(self._removed("thing", thing_id, ver))
        self._record(f"replace {WORD[kind]}", request_key, items)
        self.reload()
        self._check_all()

    # --- back and forth ----------------------------------------------------------------------------------

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
        self._check_all()
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
        targets = {target for _, _, target in before.get("members", []) if target}
        missing = targets - set(self.session.scalars(select(t.Thing.id).where(t.Thing.id.in_(targets))))
        gone = [text for _, text, target in before.get("members", []) if target in missing]
        if gone:
            raise Refused([Problem(("members",), f"{name} was deleted meanwhile") for name in gone])
        if "folded" in before and rows.name_taken(self.session, item.kind, item.row_id, before):
            raise Refused([Problem(("name",), f"the name {before['name']!r} is taken meanwhile")])
        if "place" in before:
            row = self.session.get(t.Rule, item.row_id)
            policy_id = before.get("policy_id") or (row.policy_id if row else 0)
            taken = sorted(
                key.place
                for key in self.stored.rules.get(policy_id, ())
                if key.id != item.row_id and key.place >= before["place"]
            )
            if taken and taken[0] == before["place"]:
                before["place"] = keys_between(taken[0], taken[1] if len(taken) > 1 else None)[0]

    # --- parts -------------------------------------------------------------------------------------------

    def _policy(self, policy_id: int) -> tuple[Policy, tuple[RuleKey, ...]]:
        policy = self.stored.policy_of(policy_id)
        if policy is None:
            raise NotFound("there is no such policy")
        return policy, self.stored.rules.get(policy_id, ())

    def _rule(self, policy_id: int, rule_id: int) -> tuple[Policy, tuple[RuleKey, ...], int]:
        policy, keys = self._policy(policy_id)
        index = next((i for i, key in enumerate(keys) if key.id == rule_id), None)
        if index is None:
            raise NotFound("the rule is gone: somebody deleted it")
        return policy, keys, index

    def _key(self, keys: tuple[RuleKey, ...], place: Place, policy_id: int) -> tuple[int, str]:
        """The index in `keys` and the new fractional key for a place."""
        index_of = {key.id: i for i, key in enumerate(keys)}
        if place.before in index_of:
            index = index_of[place.before]
        elif place.after in index_of:
            index = index_of[place.after] + 1
        elif place.after is None and place.before is None and not keys:
            index = 0
        else:
            raise Conflict(
                "both neighbours of that place are gone; choose the place again", "policy", policy_id
            )
        low = keys[index - 1].place if index else None
        high = keys[index].place if index < len(keys) else None
        return index, keys_between(low, high)[0]

    def _check(self, rule: Rule, policy: Policy) -> None:
        problems = rule_problems(rule, policy, Names(self.stored.network))
        if problems:
            raise Refused(problems)

    def _check_names(self, kind: NameKind, old: str | None, thing: Name) -> None:
        """Refuse a network whose names would not hold together."""
        network, section = self.stored.network, SECTION[kind]
        if isinstance(thing, AddressObject):
            others = tuple(a for a in network.addresses if old is None or fold(a.name) != fold(old))
            drafted = replace(network, addresses=(*others, thing))
        else:
            rest = tuple(s for s in network.services if old is None or fold(s.name) != fold(old))
            drafted = replace(network, services=(*rest, thing))
        problems = naming_problems(drafted, renamed=(old, thing.name))
        own = [p for p in problems if p.path[:2] == (section, entry(thing.name))]
        if problems:
            raise Refused([Problem(p.path[2:], p.message) for p in own] or problems)

    def _check_all(self) -> None:
        """Refuse what would leave names that do not resolve; the transaction is rolled back."""
        found = naming_problems(self.stored.network)
        if found:
            raise Refused(found)

    def reload(self) -> None:
        """Read the network again as this transaction sees it."""
        stored = load_network(self.session, self.stored.id)
        assert stored is not None
        self.stored = stored

    def _rule_snapshot(self, policy_id: int, rule: Rule, place: str) -> rows.Snapshot:
        targets = {space: self._things_of(space) for space in ("address", "service")}
        members = [
            [field, member, targets["service" if field == "service" else "address"].get(fold(member))]
            for field in FIELDS
            for member in rule.members(field)
        ]
        columns = {k: v for k, v in rule_row(rule, policy_id, place).items() if k != "ver"}
        return {**columns, "place": place, "members": members}

    def _name_snapshot(self, kind: NameKind, thing: Name, order: int) -> rows.Snapshot:
        targets = self._things_of(kind)
        return {
            "network_id": self.stored.id, "kind": kind, "space": kind, "parent_id": 0, "ord": order,
            "name": thing.name, "folded": fold(thing.name), "description": thing.description, "detail": {},
            "members": [["members", member, targets.get(fold(member))] for member in thing.members],
        }  # fmt: skip

    def _things_of(self, space: str) -> dict[str, int]:
        return {folded: id_ for (kind, folded), id_ in self.stored.things.items() if SPACE[kind] == space}

    def _orders(self, kind: str) -> list[int]:
        return list(
            self.session.scalars(
                select(t.Thing.ord).where(t.Thing.network_id == self.stored.id, t.Thing.kind == kind)
            )
        )

    def name(self, thing_id: int) -> tuple[NameKind, Name]:
        """An address or service object by id. Raises `NotFound`."""
        for (kind, folded), id_ in self.stored.things.items():
            if id_ == thing_id and kind in ("address", "service"):
                network = self.stored.network
                things: tuple[Name, ...] = network.addresses if kind == "address" else network.services
                return kind, named(things, folded)  # type: ignore[return-value]
        raise NotFound(
            "there is no such name: somebody deleted it, or it is of a kind that is not edited here"
        )

    # --- rows and their items ----------------------------------------------------------------------------

    def _read(self, kind: str, row_id: int) -> tuple[rows.Snapshot, int]:
        found = rows.read(self.session, kind, row_id)
        if found is None:
            raise NotFound("it is gone: somebody deleted it")
        return found

    def _made(self, kind: str, row_id: int) -> Item:
        after, ver = self._read(kind, row_id)
        return Item(kind, row_id, None, after, None, ver)

    def _written(self, kind: str, row_id: int, ver: int, values: rows.Snapshot) -> Item:
        """Write some columns over version `ver` and keep exactly these, before and after."""
        before, now = self._read(kind, row_id)
        if now != ver or not rows.write(self.session, kind, row_id, values, ver):
            raise _changed(before["name"], kind, row_id)
        return Item(kind, row_id, {k: before[k] for k in values}, values, ver, ver + 1)

    def _removed(self, kind: str, row_id: int, ver: int) -> Item:
        before, now = self._read(kind, row_id)
        if now != ver or not rows.remove(self.session, kind, row_id, ver):
            raise _changed(before["name"], kind, row_id)
        return Item(kind, row_id, before, None, ver, None)

    def _record(
        self, act: str, request_key: str | None, items: list[Item], undoes_id: int | None = None
    ) -> None:
        change = t.Change(
            network_id=self.stored.id, revision=self.stored.revision, person_id=self.person_id,
            at=datetime.now(UTC).replace(tzinfo=None), act=act, request_key=request_key, undoes_id=undoes_id,
        )  # fmt: skip
        self.session.add(change)
        self.session.flush()
        self.session.execute(
            insert(t.ChangeItem),
            [{"change_id": change.id, "ord": i, **vars(item)} for i, item in enumerate(items)],
        )


def already_done(session: Session, network_id: int, request_key: str | None) -> bool:
    """Whether a request with this key was carried out before: its retry has nothing left to do."""
    return request_key is not None and bool(
        session.scalar(
            select(t.Change.id).where(t.Change.network_id == network_id, t.Change.request_key == request_key)
        )
    )


def _before(session: Session, library: Library, row: t.Network) -> Stored:
    """The network as it was before this edit; nothing uncommitted is ever kept in the library."""
    kept = library.kept(row.id, row.revision - 1)
    stored = kept.stored if kept else load_network(session, row.id)
    assert stored is not None
    return stored


def _changed(name: str, kind: str, row_id: int) -> Conflict:
    return Conflict(f"{name} was changed by somebody else meanwhile; look at it and try again", kind, row_id)
