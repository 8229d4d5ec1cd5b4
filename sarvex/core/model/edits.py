"""Edits of a list of rules as values, each with one `apply`: what is looked at before it is made, and what is then made.

Rules are told by keys, whatever they are to whoever asks: ids in the records, names in a script. A key stands for the
same rule however the list has moved meanwhile, so an edit that was thought out on one list can be applied to a later one,
or is refused by it.

>>> a, b, c = (Rule(name=n, action="drop", source=(), destination=(), service=()) for n in "abc")
>>> made = Move(rules=("c",), place=Place(None, "a")).apply((a, b, c), {"a": 0, "b": 1, "c": 2})
>>> [rule.name for rule in made.rules], made.came_from, made.placed
(['c', 'a', 'b'], [2, 0, 1], range(0, 1))
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal

from sarvex.core.model.records import Action, Default, Field, Member, Name, Rule, Words, fold, record
from sarvex.core.sets.flows import State

Key = int | str
Places = Mapping[Key, int] | Mapping[int, int]
"""The place of each rule in the list, from 0, by its key."""
NEW = -1
"""Where a rule that is new came from."""


class RuleGone(LookupError):
    """A rule that an edit is about is not in the list."""


class NoPlace(LookupError):
    """Both neighbours of the place where a rule should go are gone."""


class BesideItself(ValueError):
    """A rule cannot stand next to itself."""


@dataclass(frozen=True)
class Place:
    """Where a rule goes: between two neighbours, by key. None is the end of the list on that side.

    If one neighbour is gone meanwhile the other decides. At a boundary of two sections a rule goes into the
    section of the neighbour that `before` names, or else of the one that `after` names.
    """

    after: Key | None
    before: Key | None

    __pydantic_config__: ClassVar = {"extra": "forbid"}


@dataclass(frozen=True, eq=False)
class Edited:
    """The list as it is after an edit."""

    rules: list[Rule]
    came_from: list[int]
    """For each rule its place before, or `NEW`."""
    written: tuple[int, ...] = ()
    """The places, now, of rules that are new or say something else."""
    placed: range = field(default=range(0))
    """The places, now, of rules that were put somewhere."""
    about: int | None = None
    """Where the one rule stands that the edit is about, if it is about one that is in use."""
    default: Default | None = None
    """The default, if that is another."""


@record
class Insert:
    """A new rule."""

    act: Literal["insert"] = "insert"
    rule: Rule
    place: Place

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with it. Raises `NoPlace`. O(rules)."""
        order = list(range(len(rules)))
        at = _gap(place_of, order, self.place)
        return Edited(
            [*rules[:at], self.rule, *rules[at:]],
            [*order[:at], NEW, *order[at:]],
            (at,),
            range(at, at + 1),
            at,
        )


@record
class Write:
    """A rule that says something else, where it stands or at another place."""

    act: Literal["write"] = "write"
    rule_key: Key
    rule: Rule
    place: Place | None = None

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with it. Raises `RuleGone`, `NoPlace`, `BesideItself`. O(rules)."""
        (old,) = _chosen(place_of, (self.rule_key,))
        if self.place is None:
            made, order, placed = list(rules), list(range(len(rules))), range(0)
        else:
            moved = Move(rules=(self.rule_key,), place=self.place).apply(rules, place_of)
            made, order, placed = moved.rules, moved.came_from, moved.placed
        at = placed.start if placed else old
        made[at] = self.rule
        return Edited(made, order, (at,), placed, at)


@record
class Move:
    """Rules put next to each other, in the order in which they stand."""

    act: Literal["move"] = "move"
    rules: tuple[Key, ...]
    place: Place

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with them there. Raises `RuleGone`, `NoPlace`, `BesideItself`. O(rules)."""
        going = _chosen(place_of, self.rules)
        if {self.place.after, self.place.before} & set(self.rules):
            raise BesideItself
        rest = _without(list(range(len(rules))), going)
        at = _gap(place_of, rest, self.place)
        rest[at:at] = going
        placed = range(at, at + len(going))
        return Edited([rules[i] for i in rest], rest, (), placed, at if len(going) == 1 else None)


@record
class Delete:
    """Rules that go."""

    act: Literal["delete"] = "delete"
    rules: tuple[Key, ...]

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list without them. Raises `RuleGone`. O(rules)."""
        left = _without(list(range(len(rules))), _chosen(place_of, self.rules))
        return Edited([rules[i] for i in left], left)


@record
class Switch:
    """Rules switched on or off."""

    act: Literal["switch"] = "switch"
    rules: tuple[Key, ...]
    enabled: bool

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with them so. Raises `RuleGone`. O(rules)."""
        return _rewritten(self.rules, rules, place_of, lambda rule: replace(rule, enabled=self.enabled))


@record
class ChangeMember:
    """A member that some rules have in one of their fields, or have no more."""

    act: Literal["member"] = "member"
    rules: tuple[Key, ...]
    field: Field
    member: Member
    there: bool

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with it. Raises `RuleGone`. O(rules)."""
        return _rewritten(self.rules, rules, place_of, self._one)

    def _one(self, rule: Rule) -> Rule:
        before = rule.members(self.field)
        others = tuple(m for m in before if fold(m) != fold(self.member))
        if self.there:
            others = before if len(others) < len(before) else (*before, self.member)
        return replace(rule, **{self.field: others})  # type: ignore[arg-type]


@record
class ReplaceMember:
    """Another member where one stands in a field of some rules."""

    act: Literal["replace"] = "replace"
    rules: tuple[Key, ...]
    field: Field
    member: Member
    by: Member

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with it; rules without the member stay as they are. Raises `RuleGone`. O(rules)."""
        return _rewritten(self.rules, rules, place_of, self._one)

    def _one(self, rule: Rule) -> Rule:
        before = rule.members(self.field)
        if all(fold(m) != fold(self.member) for m in before):
            return rule
        made = (self.by if fold(m) == fold(self.member) else m for m in before)
        once = {fold(m): m for m in reversed(list(made))}
        return replace(rule, **{self.field: tuple(reversed(once.values()))})  # type: ignore[arg-type]


@record
class Says:
    """What rules say besides what they match; what is null stays as it is."""

    action: Action | None = None
    """A rejection keeps its answer, and has the usual one if it is new."""
    log: bool | None = None
    states: tuple[State, ...] | None = None
    schedule: Name | None = None
    """Empty: always."""
    until: Name | None = None
    """Empty: for good."""
    owner: Name | None = None
    description: Words | None = None


@record
class Amend:
    """Rules that say something else besides what they match, all the same."""

    act: Literal["amend"] = "amend"
    rules: tuple[Key, ...]
    says: Says

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with them so. Raises `RuleGone`. O(rules)."""
        told = {name: value for name, value in vars(self.says).items() if value is not None}
        if "schedule" in told:
            told["schedule"] = told["schedule"] or None
        return _rewritten(self.rules, rules, place_of, lambda rule: self._one(rule, told))

    @staticmethod
    def _one(rule: Rule, told: dict[str, Any]) -> Rule:
        made: Rule = replace(rule, **told)
        answer = (made.reject_with or "prohibited") if made.action == "reject" else None
        return made if "action" not in told else replace(made, reject_with=answer)


@record
class ChangeDefault:
    """Another default."""

    act: Literal["default"] = "default"
    default: Default

    def apply(self, rules: Sequence[Rule], _place_of: Places) -> Edited:
        """The same list with it."""
        return Edited(list(rules), list(range(len(rules))), default=self.default)


@record
class Rewrite:
    """Rules that say something else, and rules that go: a list made tidy."""

    act: Literal["rewrite"] = "rewrite"
    changed: tuple[tuple[Key, Rule], ...]
    gone: tuple[Key, ...]

    def apply(self, rules: Sequence[Rule], place_of: Places) -> Edited:
        """The list with them so. Raises `RuleGone`. O(rules)."""
        _chosen(place_of, [key for key, _ in self.changed])
        new = {place_of[key]: rule for key, rule in self.changed}  # type: ignore[index]
        left = Delete(rules=self.gone).apply(rules, place_of)
        written = tuple(at for at, old in enumerate(left.came_from) if old in new)
        for at in written:
            left.rules[at] = new[left.came_from[at]]
        return replace(left, written=written)


Edit = (
    Insert | Write | Move | Delete | Switch | ChangeMember | ReplaceMember | Amend | ChangeDefault | Rewrite
)


def _chosen(place_of: Places, keys: Sequence[Key]) -> list[int]:
    """The places of some rules, ascending."""
    missing = [key for key in keys if key not in place_of]
    if missing:
        raise RuleGone(missing[0])
    return sorted({place_of[key] for key in keys})  # type: ignore[index]


def _without(order: list[int], going: Sequence[int]) -> list[int]:
    """Ascending numbers from 0 without some."""
    if len(going) == 1:
        del order[going[0]]
        return order
    gone = set(going)
    return [i for i in order if i not in gone]


def _gap(place_of: Places, rest: Sequence[int], place: Place) -> int:
    """Where among the rest, which ascends, a rule goes. O(log n)."""
    for key, beyond in ((place.before, 0), (place.after, 1)):
        old = place_of.get(key) if key is not None else None  # type: ignore[arg-type]
        if old is not None:
            at = bisect_left(rest, old)
            if at < len(rest) and rest[at] == old:
                return at + beyond
    if rest:
        raise NoPlace
    return len(rest)


def _rewritten(
    keys: Sequence[Key], rules: Sequence[Rule], place_of: Places, become: Callable[[Rule], Rule]
) -> Edited:
    chosen = _chosen(place_of, keys)
    made = list(rules)
    for i in chosen:
        made[i] = become(rules[i])
    about = chosen[0] if len(chosen) == 1 and made[chosen[0]].enabled else None
    return Edited(made, list(range(len(rules))), tuple(chosen), about=about)
