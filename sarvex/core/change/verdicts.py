"""What a change does to what must hold: which expectations it breaks and mends."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from sarvex.core.change.network_effect import NetworkEffect, Versions
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import NOTHING
from sarvex.core.model.records import Expectation, Network, fold
from sarvex.core.reach.expectations import BAD, Judged, judged, packets_of, spoken_of
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.tables.table import Table


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

    effect: what it does in the network; None: nothing is told of it, and all are judged anew. before: the verdicts in the older version. An expectation is
    judged anew if what it speaks of fares otherwise, or is not what it spoke of. Raises what `expectations.judged` raises.
    """
    was = {fold(one.expectation.name): one for one in before}
    owned = addresses.intersection(*map(_told_of, (of.old, of.new)))
    again, unknown = [], []
    touched = effect.touched if effect is not None else NOTHING
    space = touched.space if isinstance(touched, Table) else None
    for one in of.new.expectations:
        spoken, old = spoken_of(one, of.after), was.get(fold(one.name))
        if (
            old is None
            or effect is None
            or old.expectation.must != one.must
            or not spoken.is_as(spoken_of(old.expectation, of.before))
        ):
            again.append(one)
        elif not all(addresses.covers(owned, side) for side in spoken.sides):
            again.append(one)  # of what nobody owns no effect is told
        elif packet_sets.intersection(touched, packets_of(space, spoken.sides, spoken.service, spoken.times)):
            asked = packet_sets.product(*spoken.sides, spoken.service, ("new",), spoken.times)
            if packet_sets.intersection(effect.left, asked):
                unknown.append(one)
            elif (one.must == "allowed" and old.verdict in ("broken", "undetermined")) or any(
                packet_sets.intersection(shift.packets, asked) for shift in effect.shifts
            ):  # whether one way fails, or is only not known to work, is one fare where another works
                again.append(one)
    found = judged(of.new, of.after, again, go_on=go_on, space=space)
    made = {fold(one.expectation.name): one for one in found}
    return VerdictChanges(tuple(_changed(was, made, of)), tuple(unknown))


def _told_of(network: Network) -> AddressSet:
    """The addresses between which an effect tells what changes, and those that nothing changes for."""
    routing = routing_of(network)
    return addresses.union((routing.addressed, routing.unrouted))


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
