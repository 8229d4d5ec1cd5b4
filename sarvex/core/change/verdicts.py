"""What a change does to what must hold: which expectations it breaks and mends."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from sarvex.core.change.network_effect import NetworkEffect, Versions
from sarvex.core.meaning import packet_sets
from sarvex.core.model.records import Expectation, fold
from sarvex.core.reach.expectations import BAD, Judged, judged, spoken_of


@dataclass(frozen=True, eq=False)
class VerdictChange:
    """An expectation that holds otherwise after a change; None where it is not there."""

    before: Judged | None
    after: Judged | None

    @property
    def breaks(self) -> bool:
        """Whether it does not hold any more, or not as surely, or does not from the beginning."""
        return _rank(self.after) > _rank(self.before)

    @property
    def mends(self) -> bool:
        """Whether it holds again, or is not known to be broken any more."""
        return self.after is not None and _rank(self.after) < _rank(self.before)


@dataclass(frozen=True, eq=False)
class VerdictChanges:
    """All of them, and those of which it is not known because the effect of the change is not worked out."""

    changes: tuple[VerdictChange, ...]
    unknown: tuple[Expectation, ...]


def verdict_changes(
    of: Versions,
    effect: NetworkEffect | None,
    before: Sequence[Judged],
    go_on: Callable[[], bool] = lambda: True,
) -> VerdictChanges:
    """Which expectations a change makes hold otherwise.

    effect: what it does in the network; None: nothing, for nothing is led through it. before: the verdicts in the older version. An expectation is
    judged anew if what it speaks of fares otherwise, or is not what it spoke of. Raises what `expectations.judged` raises.
    """
    was = {fold(one.expectation.name): one for one in before}
    touched = (
        packet_sets.union((*(s.packets for s in effect.shifts), effect.left))
        if effect
        else packet_sets.NOTHING
    )
    again, unknown = [], []
    for one in of.new.expectations:
        old = was.get(fold(one.name))
        now = spoken_of(one, of.after)
        if (
            old is None
            or not now.is_as(spoken_of(old.expectation, of.before))
            or old.expectation.must != one.must
        ):
            again.append(one)
        elif one.must == "allowed" and old.verdict in ("broken", "undetermined"):
            again.append(
                one
            )  # whether one way fails, or is not known to work, is one fare where another works
        elif touched and (asked := packet_sets.product(*now.sides, now.service, ("new",), now.times)):
            if effect and effect.left and packet_sets.intersection(effect.left, asked):
                unknown.append(one)
            elif packet_sets.intersection(touched, asked):
                again.append(one)
    made = {fold(one.expectation.name): one for one in judged(of.new, of.after, again, go_on=go_on)}
    return VerdictChanges(tuple(_changed(was, made, of)), tuple(unknown))


def _changed(was: dict[str, Judged], made: dict[str, Judged], of: Versions) -> Iterable[VerdictChange]:
    for key, now in made.items():
        before = was.get(key)
        if before is None or before.verdict != now.verdict:
            yield VerdictChange(before, now)
    there = {fold(one.name) for one in of.new.expectations}
    for key, one in was.items():
        if key not in there:
            yield VerdictChange(one, None)


def _rank(one: Judged | None) -> int:
    """How bad a verdict is."""
    if one is None or one.verdict not in BAD:
        return 0
    return 1 if one.verdict == "undetermined" else 2
