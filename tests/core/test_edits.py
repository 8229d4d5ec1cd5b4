"""Edits of a list, against doing the same by hand on a list of names; what cannot be done is refused and changes nothing."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from sarvex.core.model.edits import (
    NEW,
    Amend,
    BesideItself,
    ChangeDefault,
    ChangeMember,
    Delete,
    Edited,
    Insert,
    Move,
    NoPlace,
    Place,
    ReplaceMember,
    Rewrite,
    RuleGone,
    Says,
    Switch,
    Write,
)
from sarvex.core.model.records import Rule

ROUNDS = 300


def rule(name: str, *sources: str) -> Rule:
    return Rule(name=name, action="drop", source=sources or ("any",), destination=("any",), service=("any",))


def of(names: str) -> tuple[tuple[Rule, ...], dict[str, int]]:
    return tuple(map(rule, names)), {name: i for i, name in enumerate(names)}


def called(made: Edited) -> str:
    return "".join(one.name for one in made.rules)


def hangs_together(made: Edited, before: tuple[Rule, ...]) -> None:
    """Whatever was done: what is told of the rules is true of them."""
    assert len(made.rules) == len(made.came_from)
    old = [i for i in made.came_from if i != NEW]
    assert len(set(old)) == len(old)
    for at, (now, came) in enumerate(zip(made.rules, made.came_from, strict=True)):
        assert at in made.written or now is before[came]
    stayed = [i for at, i in enumerate(made.came_from) if at not in made.placed]
    assert stayed == sorted(stayed) and NEW not in stayed


@pytest.mark.parametrize("round_", range(ROUNDS))
def test_places_mean_what_they_say(round_: int, rng: random.Random) -> None:
    """By hand: the rest of the list is cut beside the neighbour that decides, and what goes there is put between."""
    names = "abcdefgh"[: rng.randint(2, 8)]
    before, place_of = of(names)
    going = "".join(n for n in names if rng.random() < 0.3) or rng.choice(names)
    rest = [n for n in names if n not in going]
    if not rest:
        return
    gone = {"x", "y"}
    first, second = (rng.choice([*rest, *gone, None]) for _ in range(2))
    if {first, second} <= {*gone, None}:
        first = rng.choice(rest)
    cut = rest.index(second) if second in rest else rest.index(first) + 1
    edit = Move(rules=tuple(rng.sample(going, len(going))), place=Place(first, second))
    made = edit.apply(before, place_of)
    assert called(made) == "".join([*rest[:cut], *going, *rest[cut:]])
    hangs_together(made, before)
    assert [made.rules[at].name for at in made.placed] == list(going)
    assert (made.about is not None) == (len(going) == 1)
    new = Insert(rule=rule("N"), place=Place(first, second)).apply(before, place_of)
    hangs_together(new, before)
    full = names.index(second) if second in rest else names.index(first) + 1
    assert called(new) == names[:full] + "N" + names[full:] and new.came_from[full] == NEW
    one = Write(rule_key=going[0], rule=rule("W"), place=Place(first, second)).apply(before, place_of)
    hangs_together(one, before)
    moved = Move(rules=(going[0],), place=Place(first, second)).apply(before, place_of)
    assert called(one) == called(moved).replace(going[0], "W") and one.placed == moved.placed


def test_what_stays_where_it_is() -> None:
    before, place_of = of("abcd")
    written = Write(rule_key="b", rule=rule("B")).apply(before, place_of)
    assert (called(written), written.written, list(written.placed), written.about) == ("aBcd", (1,), [], 1)
    gone = Delete(rules=("d", "b")).apply(before, place_of)
    assert (called(gone), gone.came_from) == ("ac", [0, 2])
    off = Switch(rules=("c",), enabled=False).apply(before, place_of)
    assert [r.enabled for r in off.rules] == [True, True, False, True] and off.about is None
    on = Switch(rules=("c",), enabled=True).apply(off.rules, place_of)
    assert tuple(on.rules) == before and on.about == 2
    default = ChangeDefault(default="allow").apply(before, place_of)
    assert (tuple(default.rules), default.default) == (before, "allow")
    tidy = Rewrite(changed=(("d", rule("D")), ("a", rule("A"))), gone=("b",)).apply(before, place_of)
    assert (called(tidy), tidy.came_from, tidy.written) == ("AcD", [0, 2, 3], (0, 2))
    for made in (written, gone, off, default, tidy):
        hangs_together(made, before)


def test_a_member_comes_once_and_goes_whatever_its_case() -> None:
    before, place_of = (rule("a", "quay"), rule("b", "any")), {"a": 0, "b": 1}
    there = ChangeMember(rules=("a", "b"), field="source", member="Quay", there=True)
    both = there.apply(before, place_of)
    assert [r.source for r in both.rules] == [("quay",), ("any", "Quay")]
    back = replace(there, there=False).apply(both.rules, place_of)
    assert [r.source for r in back.rules] == [(), ("any",)]


def test_a_member_stands_where_another_stood_and_only_there() -> None:
    before, place_of = (
        (rule("a", "x", "Quay", "y"), rule("b", "any"), rule("c", "pier", "quay")),
        {"a": 0, "b": 1, "c": 2},
    )
    made = ReplaceMember(rules=("a", "b", "c"), field="source", member="quay", by="Pier").apply(
        before, place_of
    )
    assert [r.source for r in made.rules] == [("x", "Pier", "y"), ("any",), ("pier",)]
    hangs_together(made, before)


def test_rules_say_something_else_and_nothing_more() -> None:
    before, place_of = (
        (rule("a"), replace(rule("b"), action="reject", reject_with="reset", schedule="nights")),
        {"a": 0, "b": 1},
    )
    both = Amend(rules=("a", "b"), says=Says(action="reject", log=True, until="2031-01-31"))
    made = both.apply(before, place_of)
    assert [(r.action, r.reject_with, r.log, r.until, r.schedule) for r in made.rules] == [
        ("reject", "prohibited", True, "2031-01-31", None), ("reject", "reset", True, "2031-01-31", "nights"),
    ]  # fmt: skip
    over = Amend(
        rules=("b",), says=Says(action="allow", schedule="", states=("new",), owner="", description="d")
    )
    (_, b) = over.apply(tuple(made.rules), place_of).rules
    assert (b.action, b.reject_with, b.schedule, b.states, b.description, b.log) == (
        "allow",
        None,
        None,
        ("new",),
        "d",
        True,
    )
    assert Amend(rules=("a",), says=Says()).apply(before, place_of).rules[0] == before[0]
    hangs_together(made, before)


@pytest.mark.parametrize(
    ("edit", "error"),
    [
        (Delete(rules=("a", "x")), RuleGone),
        (Switch(rules=("x",), enabled=False), RuleGone),
        (Amend(rules=("x",), says=Says(log=True)), RuleGone),
        (ReplaceMember(rules=("x",), field="source", member="a", by="b"), RuleGone),
        (Write(rule_key="x", rule=rule("b")), RuleGone),
        (Rewrite(changed=(("x", rule("b")),), gone=()), RuleGone),
        (Move(rules=("a",), place=Place("a", "b")), BesideItself),
        (Move(rules=("a",), place=Place("x", "y")), NoPlace),
        (Insert(rule=rule("n"), place=Place("x", None)), NoPlace),
    ],
)
def test_what_cannot_be_done_is_refused(edit: Delete, error: type[Exception]) -> None:
    before, place_of = of("abc")
    with pytest.raises(error):
        edit.apply(before, place_of)


def test_into_nothing_anything_goes() -> None:
    made = Insert(rule=rule("n"), place=Place("x", "y")).apply((), {})
    assert (called(made), made.came_from, made.about) == ("n", [NEW], 0)
