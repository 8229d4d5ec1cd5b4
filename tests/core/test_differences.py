"""Which rules moved: the fewest that explain the new order."""

from __future__ import annotations

import random
from itertools import combinations

import pytest

from sarvex.core.model.differences import MOST_MOVED, differences, moved
from sarvex.core.model.records import Network, Policy, Rule


@pytest.mark.parametrize("count", [0, 1, 2, 3, 5, 7])
def test_the_fewest_that_moved(count: int, rng: random.Random) -> None:
    for _ in range(60):
        old = [f"r{i}" for i in range(count)]
        new = rng.sample([*old, "x", "y"], k=rng.randint(0, count + 2))
        both = [n for n in new if n in old]
        gone = moved(old, new)
        stay = [n for n in both if n not in gone]
        assert stay == [n for n in old if n in stay]
        longest = max(
            size for size in range(len(both) + 1) for kept in combinations(both, size) if list(kept) == sorted(kept)
        )  # fmt: skip
        assert len(stay) == longest


def test_moved_rules_are_told_by_name_unless_all_is_in_another_order() -> None:
    rules = tuple(
        Rule(name=f"Rule {i}", action="drop", source=("any",), destination=("any",), service=("any",))
        for i in range(60)
    )

    def policy(order: tuple[Rule, ...]) -> Network:
        return Network(name="n", policies=(Policy(name="p", default="drop", rules=order),))

    def what(order: tuple[Rule, ...]) -> tuple[str, ...]:
        (found,) = differences(policy(rules), policy(order))
        return found.what

    assert what((*rules[1:40], rules[0], *rules[40:])) == ("rule Rule 0 moved",)
    assert what((*rules[2:], *rules[:2])) == ("rule Rule 0 moved", "rule Rule 1 moved")
    assert len(what(rules[: MOST_MOVED + 1][::-1] + rules[MOST_MOVED + 1 :])) == MOST_MOVED
    assert what(rules[::-1]) == ("order of rules",)
