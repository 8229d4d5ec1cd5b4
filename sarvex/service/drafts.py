"""Edits of the draft. Each is one transaction: it takes the next revision, checks the version of the row
it changes, writes, and leaves a change with its items behind.

Two people on different rules never meet. On the same rule the second is told (`Conflict`). A move conflicts
only if the moved rule changed, or if both of its new neighbours are gone.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from sarvex.core.check import Problem, rule_problems
from sarvex.core.model import Policy, Rule
from sarvex.core.names import Names
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.service.library import Library
from sarvex.store import tables as t
from sarvex.store.networks import RuleKey, Stored, keys_between, load_network, member_rows, rule_row


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
        row = t.Rule(**rule_row(rule, policy_id, key))
        self.session.add(row)
        self.session.flush()
        self._write_members(row.id, rule)
        after = _snapshot(rule, key)
        self._record("add rule", request_key, [("rule", row.id, None, after, None, 1)])
        self.stored = self.stored.with_rules(
            policy_id, rules, (*keys[:index], RuleKey(row.id, 1, key), *keys[index:]), self.stored.revision
        )
        return row.id

    def change_rule(
        self, policy_id: int, rule_id: int, ver: int, rule: Rule, request_key: str | None = None
    ) -> None:
        """Replace a rule's content; it stays where it is. Raises `Refused`, `Conflict`, `NotFound`."""
        policy, keys, index = self._rule(policy_id, rule_id)
        rules = (*policy.rules[:index], rule, *policy.rules[index + 1 :])
        self._check(rule, replace(policy, rules=rules))
        place = keys[index].place
        values = {k: v for k, v in rule_row(rule, policy_id, place).items() if k not in ("ver", "place")}
        self._guarded(rule_id, ver, policy.rules[index].name, values)
        self.session.execute(delete(t.RuleMember).where(t.RuleMember.rule_id == rule_id))
        self._write_members(rule_id, rule)
        before, after = _snapshot(policy.rules[index], place), _snapshot(rule, place)
        self._record("change rule", request_key, [("rule", rule_id, before, after, ver, ver + 1)])
        self._keep(policy_id, rules, keys, index, replace(keys[index], ver=ver + 1))

    def move_rule(
        self, policy_id: int, rule_id: int, ver: int, place: Place, request_key: str | None = None
    ) -> None:
        """Move a rule within its policy: one row is written. Raises `Conflict`, `NotFound`."""
        policy, keys, index = self._rule(policy_id, rule_id)
        if rule_id in (place.after, place.before):
            raise Refused([Problem(("place",), "a rule cannot stand next to itself")])
        rest = (*keys[:index], *keys[index + 1 :])
        target, key = self._key(rest, place, policy_id)
        self._guarded(rule_id, ver, policy.rules[index].name, {"place": key.encode("ascii")})
        before, after = {"place": keys[index].place}, {"place": key}
        self._record("move rule", request_key, [("rule", rule_id, before, after, ver, ver + 1)])
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
        gone = self.session.execute(delete(t.Rule).where(t.Rule.id == rule_id, t.Rule.ver == ver))
        if gone.rowcount != 1:  # type: ignore[attr-defined]
            raise _changed(policy.rules[index].name, rule_id)
        before = _snapshot(policy.rules[index], keys[index].place)
        self._record("delete rule", request_key, [("rule", rule_id, before, None, ver, None)])
        self.stored = self.stored.with_rules(
            policy_id,
            (*policy.rules[:index], *policy.rules[index + 1 :]),
            (*keys[:index], *keys[index + 1 :]),
            self.stored.revision,
        )

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

    def _guarded(self, rule_id: int, ver: int, name: str, values: dict[str, Any]) -> None:
        written = self.session.execute(
            update(t.Rule).where(t.Rule.id == rule_id, t.Rule.ver == ver).values(**values, ver=ver + 1)
        )
        if written.rowcount != 1:  # type: ignore[attr-defined]
            raise _changed(name, rule_id)

    def _write_members(self, rule_id: int, rule: Rule) -> None:
        ids = {
            ("service" if kind == "service" else "address", folded): id_
            for (kind, folded), id_ in self.stored.things.items()
            if kind in ("segment", "host", "address", "service")
        }
        self.session.execute(insert(t.RuleMember), member_rows(rule_id, rule, ids))

    def _record(self, act: str, request_key: str | None, items: list[tuple[Any, ...]]) -> None:
        change = t.Change(
            network_id=self.stored.id, revision=self.stored.revision, person_id=self.person_id,
            at=datetime.now(UTC).replace(tzinfo=None), act=act, request_key=request_key,
        )  # fmt: skip
        self.session.add(change)
        self.session.flush()
        columns = ("kind", "row_id", "before", "after", "ver_before", "ver_after")
        self.session.execute(
            insert(t.ChangeItem),
            [
                {"change_id": change.id, "ord": i, **dict(zip(columns, item, strict=True))}
                for i, item in enumerate(items)
            ],
        )

    def _keep(
        self, policy_id: int, rules: tuple[Rule, ...], keys: tuple[RuleKey, ...], index: int, key: RuleKey
    ) -> None:
        keys = (*keys[:index], key, *keys[index + 1 :])
        self.stored = self.stored.with_rules(policy_id, rules, keys, self.stored.revision)


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


def _snapshot(rule: Rule, place: str) -> dict[str, Any]:
    return {**asdict(rule), "place": place}


def _changed(name: str, rule_id: int) -> Conflict:
    return Conflict(
        f"{name} was changed by somebody else meanwhile; look at it and try again", "rule", rule_id
    )
