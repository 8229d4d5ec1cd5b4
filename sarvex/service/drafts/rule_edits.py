"""Edits of the rules and sections of a policy."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from sarvex.core.findings.tidy import tidy
from sarvex.core.meaning.check import RESERVED, rule_problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.problems import Problem, name_problem
from sarvex.core.model.records import Field, Policy, Rule, Section, fold
from sarvex.service.drafts.transaction import Drafting, Item
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import rows
from sarvex.store.networks import RuleKey, SectionKey, keys_between, rule_members, rule_row, section_row

Many = Literal["enable", "disable", "delete", "move", "add member", "remove member"]


@dataclass(frozen=True)
class Place:
    """Where a rule goes: between two neighbours, by id. None is the end of the list on that side.

    If one neighbour is gone meanwhile the other decides. At a boundary of two sections a rule goes into the
    section of the neighbour that `before` names, or else of the one that `after` names.
    """

    after: int | None
    before: int | None


class RuleEdits(Drafting):
    """Rules and sections. All raise `Refused`, `Conflict` or `NotFound` and have then written nothing."""

    def add_rule(self, policy_id: int, rule: Rule, place: Place, request_key: str | None = None) -> int:
        """Add a rule between two neighbours. Returns its id."""
        policy, keys = self._policy(policy_id)
        index, (key,) = self._keys(policy_id, keys, place)
        rules = (*policy.rules[:index], rule, *policy.rules[index:])
        self._check(rule, replace(policy, rules=rules))
        rule_id = rows.create(self.session, "rule", self._rule_snapshot(policy_id, rule, key))
        self._record("add rule", request_key, [self._made("rule", rule_id)])
        self._now(policy_id, rules, (*keys[:index], RuleKey(rule_id, 1, key), *keys[index:]))
        return rule_id

    def change_rule(
        self, policy_id: int, rule_id: int, ver: int, rule: Rule, request_key: str | None = None
    ) -> None:
        """Replace a rule's content; it stays where it is."""
        policy, keys, index = self._rule(policy_id, rule_id)
        rules = (*policy.rules[:index], rule, *policy.rules[index + 1 :])
        self._check(rule, replace(policy, rules=rules))
        item = self._written("rule", rule_id, ver, self._rule_snapshot(policy_id, rule, keys[index].place))
        self._record("change rule", request_key, [item])
        self._now(policy_id, rules, (*keys[:index], replace(keys[index], ver=ver + 1), *keys[index + 1 :]))

    def move_rule(
        self, policy_id: int, rule_id: int, ver: int, place: Place, request_key: str | None = None
    ) -> None:
        """Move a rule within its policy: one row is written."""
        self._rule(policy_id, rule_id)
        self._record("move rule", request_key, self._move(policy_id, [(rule_id, ver)], place))

    def delete_rule(self, policy_id: int, rule_id: int, ver: int, request_key: str | None = None) -> None:
        """Delete a rule; its change keeps all of it."""
        self._rule(policy_id, rule_id)
        self._record("delete rule", request_key, self._delete(policy_id, [(rule_id, ver)]))

    def change_rules(
        self,
        policy_id: int,
        chosen: Sequence[tuple[int, int]],
        act: Many,
        request_key: str | None = None,
        *,
        place: Place | None = None,
        field: Field | None = None,
        member: str | None = None,
    ) -> None:
        """One act on several rules, given by id and version: all of it or nothing, and one step of undo.

        `move` needs `place`; `add member` and `remove member` need `field` and `member`.
        """
        if not chosen:
            raise Refused([Problem(("rules",), "choose at least one rule")])
        if act == "move":
            assert place is not None
            items = self._move(policy_id, chosen, place)
        elif act == "delete":
            items = self._delete(policy_id, chosen)
        else:
            items = self._each(policy_id, chosen, act, field, member)
        self._record(f"{act}: {len(chosen)} rules", request_key, items)

    def tidy(
        self,
        policy_id: int,
        going: Sequence[int],
        into: Sequence[int] = (),
        merge: bool = False,
        request_key: str | None = None,
    ) -> None:
        """Take rules out, given by id, if that is proven to change nothing as the list is now; one step of undo.

        With `merge` those that go may leave their members to the rules `into`.
        """
        policy, keys = self._policy(policy_id)
        index_of = {key.id: i for i, key in enumerate(keys)}
        for rule_id in going:
            self._rule(policy_id, rule_id)
        wanted = {policy.rules[index_of[rule_id]].name for rule_id in going}
        free = {*going, *into}
        keep = [rule.name for rule, key in zip(policy.rules, keys, strict=True) if key.id not in free]
        told = tidy(policy, self._names(), merge, keep)
        if not wanted or {step.rule for step in told.steps} != wanted:
            needed = sorted(wanted - {step.rule for step in told.steps})
            text = f"not proven for {', '.join(needed[:3]) or 'these'} alone: the list may have changed, or another has to go first"
            raise Conflict(text, "policy", policy_id)
        left = {rule.name: rule for rule in told.policy.rules}
        rules, now, items = list(policy.rules), list(keys), []
        for i, rule in enumerate(rules):
            if rule.name in left and left[rule.name] != rule:
                rules[i] = left[rule.name]
                snapshot = self._rule_snapshot(policy_id, rules[i], keys[i].place)
                items.append(self._written("rule", keys[i].id, keys[i].ver, snapshot))
                now[i] = replace(keys[i], ver=keys[i].ver + 1)
        self._now(policy_id, tuple(rules), tuple(now))
        items += self._delete(policy_id, [(rule_id, keys[index_of[rule_id]].ver) for rule_id in going])
        self._record(f"tidy: {len(going)} rules", request_key, items)

    def add_section(
        self, policy_id: int, section: Section, before_id: int | None, request_key: str | None = None
    ) -> int:
        """Begin a section at a rule, or at the end of the list. Returns its id."""
        _, keys = self._policy(policy_id)
        if before_id is not None and before_id not in {key.id for key in keys}:
            raise Conflict("the rule it would begin at is gone; choose another", "policy", policy_id)
        last = keys[-1].id if keys else None
        place = Place(None, before_id) if before_id is not None else Place(last, None)
        self._check_section(policy_id, None, section.name)
        _, (key,) = self._keys(policy_id, keys, place)
        snapshot = self._section_snapshot(policy_id, section, key)
        section_id = rows.create(self.session, "section", snapshot)
        self._record("add section", request_key, [self._made("section", section_id)])
        self._sections(policy_id, add=SectionKey(section_id, 1, key, section.name, section.description))
        return section_id

    def change_section(
        self, policy_id: int, section_id: int, ver: int, section: Section, request_key: str | None = None
    ) -> None:
        """Rename or describe a section; it stays where it is."""
        key = self._section(policy_id, section_id)
        self._check_section(policy_id, section_id, section.name)
        snapshot = self._section_snapshot(policy_id, section, key.place)
        item = self._written("section", section_id, ver, snapshot)
        self._record("change section", request_key, [item])
        now = SectionKey(section_id, ver + 1, key.place, section.name, section.description)
        self._sections(policy_id, drop=section_id, add=now)

    def delete_section(
        self, policy_id: int, section_id: int, ver: int, request_key: str | None = None
    ) -> None:
        """Take a section away; its rules stay where they are."""
        self._section(policy_id, section_id)
        self._record("delete section", request_key, [self._removed("section", section_id, ver)])
        self._sections(policy_id, drop=section_id)

    # --- several at once ---------------------------------------------------------------------------------

    def _each(
        self,
        policy_id: int,
        chosen: Sequence[tuple[int, int]],
        act: Many,
        field: Field | None,
        member: str | None,
    ) -> list[Item]:
        policy, keys = self._policy(policy_id)
        indexes = [self._rule(policy_id, rule_id)[2] for rule_id, _ in chosen]
        rules = list(policy.rules)
        for index in indexes:
            rules[index] = acted(rules[index], act, field, member)
        drafted = replace(policy, rules=tuple(rules))
        names = self._names()
        for index in indexes:
            self._check(rules[index], drafted, names)
        items, now = [], list(keys)
        for index, (rule_id, ver) in zip(indexes, chosen, strict=True):
            snapshot = self._rule_snapshot(policy_id, rules[index], keys[index].place)
            items.append(self._written("rule", rule_id, ver, snapshot))
            now[index] = replace(keys[index], ver=ver + 1)
        self._now(policy_id, tuple(rules), tuple(now))
        return items

    def _move(self, policy_id: int, chosen: Sequence[tuple[int, int]], place: Place) -> list[Item]:
        """Move rules next to each other, in the order in which they stand."""
        policy, keys = self._policy(policy_id)
        vers = dict(chosen)
        for rule_id in vers:
            self._rule(policy_id, rule_id)
        if vers.keys() & {place.after, place.before}:
            raise Refused([Problem(("place",), "a rule cannot stand next to itself")])
        pairs = list(zip(policy.rules, keys, strict=True))
        rest = [pair for pair in pairs if pair[1].id not in vers]
        moving = [pair for pair in pairs if pair[1].id in vers]
        index, places = self._keys(policy_id, tuple(key for _, key in rest), place, len(moving))
        items = [
            self._written("rule", key.id, vers[key.id], {"place": new})
            for (_, key), new in zip(moving, places, strict=True)
        ]
        rest[index:index] = [
            (rule, RuleKey(key.id, vers[key.id] + 1, new))
            for (rule, key), new in zip(moving, places, strict=True)
        ]
        self._now(policy_id, tuple(rule for rule, _ in rest), tuple(key for _, key in rest))
        return items

    def _delete(self, policy_id: int, chosen: Sequence[tuple[int, int]]) -> list[Item]:
        policy, keys = self._policy(policy_id)
        gone = {self._rule(policy_id, rule_id)[2] for rule_id, _ in chosen}
        items = [self._removed("rule", rule_id, ver) for rule_id, ver in chosen]
        left = [i for i in range(len(keys)) if i not in gone]
        self._now(policy_id, tuple(policy.rules[i] for i in left), tuple(keys[i] for i in left))
        return items

    # --- parts -------------------------------------------------------------------------------------------

    def _now(self, policy_id: int, rules: tuple[Rule, ...], keys: tuple[RuleKey, ...]) -> None:
        self.stored = self.stored.with_rules(policy_id, rules, keys, self.stored.revision)

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

    def _keys(
        self, policy_id: int, keys: tuple[RuleKey, ...], place: Place, count: int = 1
    ) -> tuple[int, list[str]]:
        """The index in `keys` and new fractional keys for a place; sections stand in the same order."""
        index_of = {key.id: i for i, key in enumerate(keys)}
        sections = [section.place for section in self.stored.sections.get(policy_id, ())]
        taken = sorted([*(key.place for key in keys), *sections])
        if place.before in index_of:
            index = index_of[place.before]
            at = bisect_left(taken, keys[index].place)
        elif place.after in index_of:
            index = index_of[place.after] + 1
            at = bisect_right(taken, keys[index - 1].place)
        elif place.after is None and place.before is None and not keys:
            index, at = 0, len(taken)
        else:
            raise Conflict(
                "both neighbours of that place are gone; choose the place again", "policy", policy_id
            )
        low = taken[at - 1] if at else None
        high = taken[at] if at < len(taken) else None
        return index, keys_between(low, high, count)

    def _names(self) -> Names:
        return Names(self.stored.network)

    def _check(self, rule: Rule, policy: Policy, names: Names | None = None) -> None:
        problems = rule_problems(rule, policy, names or self._names())
        if problems:
            raise Refused(problems)

    def _rule_snapshot(
        self, policy_id: int, rule: Rule, place: str, targets: dict[tuple[str, str], int] | None = None
    ) -> rows.Snapshot:
        targets = self.targets() if targets is None else targets
        members = [list(member) for member in rule_members(rule, targets)]
        columns = {k: v for k, v in rule_row(rule, policy_id, place).items() if k != "ver"}
        return {**columns, "place": place, "members": members}

    # --- sections ----------------------------------------------------------------------------------------

    def _section(self, policy_id: int, section_id: int) -> SectionKey:
        self._policy(policy_id)
        found = next((s for s in self.stored.sections.get(policy_id, ()) if s.id == section_id), None)
        if found is None:
            raise NotFound("the section is gone: somebody took it away")
        return found

    def _check_section(self, policy_id: int, section_id: int | None, name: str) -> None:
        wrong = name_problem(name, "a section needs a name of its own")
        if wrong or fold(name) == RESERVED:
            raise Refused([Problem(("name",), wrong or "a section needs a name of its own")])
        for other in self.stored.sections.get(policy_id, ()):
            if other.id != section_id and fold(other.name) == fold(name):
                raise Refused([Problem(("name",), f"another section here is called {name!r}")])

    def _section_snapshot(self, policy_id: int, section: Section, place: str) -> rows.Snapshot:
        columns = {k: v for k, v in section_row(section, policy_id, place).items() if k != "ver"}
        return {**columns, "place": place, "members": []}

    def _sections(self, policy_id: int, drop: int | None = None, add: SectionKey | None = None) -> None:
        policy, keys = self._policy(policy_id)
        kept = [s for s in self.stored.sections.get(policy_id, ()) if s.id != drop]
        sections = sorted([*kept, *([add] if add else [])], key=lambda s: s.place)
        self.stored = replace(
            self.stored, sections={**self.stored.sections, policy_id: tuple(sections)}
        ).with_rules(policy_id, policy.rules, keys, self.stored.revision)


def acted(rule: Rule, act: Many, field: Field | None, member: str | None) -> Rule:
    if act in ("enable", "disable"):
        return replace(rule, enabled=act == "enable")
    assert field is not None and member is not None
    members = [m for m in rule.members(field) if fold(m) != fold(member)]
    if act == "add member":
        members = [*rule.members(field)] if len(members) < len(rule.members(field)) else [*members, member]
    return replace(rule, **{field: tuple(members)})  # type: ignore[arg-type]
