"""A list as it was read from a device, entry by entry, against the list that should be there.

Each entry is given to a rule that it lies within, with the same action, such that rules come in their order: as many entries as can be,
those first that are written as the rule's own parts (the best such assignment; a prefix maximum for each entry). What then nobody has of a
rule is missing, and an entry without a rule is wrong: it is told beside the missing line that it is most like. If all entries are right
and nothing is missing, both lists decide every packet alike: the entries of a rule stand together, all do as the rule does, and together
they are the rule.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import cached_property, lru_cache
from itertools import product
from typing import Literal

from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import EVERYTHING, matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Action, Policy
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.services import ServiceSet

MOST_LINES, MOST_IN_ALL = 400, 100_000
"""Lines into which one rule is taken apart, and all of a list; what has more is told whole."""
MOST_PAIRS = 300_000
"""Of entries and rules. Where there are more, an entry that is written as a part of some rule is not tried within others."""
KEEP = 1 << 16
Field = Literal["action", "source", "destination", "service"]
ENDS: tuple[Field, ...] = ("source", "destination", "service")
WRITTEN: tuple[Field, ...] = ("action", *ENDS)
MOST_ALIKE = 200
OWN, DEFAULT, WITHIN = 3, 2, 1
"""What an entry counts for that is written as a part of a rule, as the default, and one that merely lies within."""


@dataclass(frozen=True, eq=False)
class Line:
    """What one entry does with which packets, whatever their state."""

    action: Action
    source: AddressSet
    destination: AddressSet
    service: ServiceSet

    @cached_property
    def packets(self) -> PacketSet:
        return packet_sets.product(self.source, self.destination, self.service, ("new",))

    @cached_property
    def told(self) -> dict[Field, str]:
        """Each field in words, equal for equal sets."""
        return {
            "action": self.action, "source": ", ".join(_described(self.source)), "destination": ", ".join(_described(self.destination)),
            "service": ", ".join(sorted(services.describe(self.service))),
        }  # fmt: skip


@dataclass(frozen=True)
class Wanted:
    """A rule that is in force, or the default (position 0), as lines of one family or of both."""

    position: int
    name: str
    whole: Line
    lines: tuple[Line, ...]

    @cached_property
    def parts(self) -> dict[Field, set[str]]:
        """What each field says in it, or in one of its lines."""
        return {f: {line.told[f] for line in (self.whole, *self.lines)} for f in ENDS}


@dataclass(frozen=True)
class Judged:
    """An entry: right for a rule; wrong in some fields of a line of a rule; in its place elsewhere; or of no rule.

    rule: its index among what is wanted. should: the line that it should be.
    """

    kind: Literal["right", "wrong", "elsewhere", "strange"]
    rule: int | None = None
    fields: tuple[Field, ...] = ()
    should: Line | None = None


@dataclass(frozen=True)
class ReadBack:
    """Every entry, and the lines that are missing, by the rule's index."""

    entries: tuple[Judged, ...]
    missing: tuple[tuple[int, Line], ...]
    default_there: bool
    """Whether an entry says what the default does."""

    @property
    def same(self) -> bool:
        """Whether the list does what it should, apart from a default that no entry says."""
        return not self.missing and all(one.kind == "right" for one in self.entries)


class TooLong(Exception):
    """It was not to go on until the end."""


def wanted(policy: Policy, names: Names, family: int | None = None) -> list[Wanted]:
    """What should be there of a list, rules that are off left out, and its default last. Raises what `Names` raises."""
    found: list[Wanted] = []
    left = MOST_IN_ALL
    for position, (rule, match) in enumerate(zip(policy.rules, matches_of(policy, names), strict=True), 1):
        whole = _in_family(Line(rule.action, match.source, match.destination, match.service), family)
        if rule.enabled and match.times and whole.packets:
            found.append(Wanted(position, rule.name, whole, tuple(_lines(whole, min(left, MOST_LINES)))))
            left -= len(found[-1].lines)
    if policy.default != "continue":
        every = _in_family(_default(policy.default), family)
        found.append(Wanted(0, "default", every, (every,)))
    return found


def _default(action: Action) -> Line:
    return Line(action, EVERYTHING.source, EVERYTHING.destination, EVERYTHING.service)


def _in_family(line: Line, family: int | None) -> Line:
    """Of one family; or of those alone in which it has a packet, so that what does the same is told the same."""
    if family is None:
        there = [f for f in FAMILIES if packet_sets.has(line.packets, f)]
        return _in_family(line, there[0]) if len(there) == 1 else line
    source, destination = (addresses.in_family(one, family) for one in (line.source, line.destination))
    service, nothing = line.service[family], services.NOTHING
    only = ServiceSet(service, nothing.v6) if family == 4 else ServiceSet(nothing.v4, service)
    return Line(line.action, source, destination, only)


def _lines(whole: Line, most: int) -> Iterator[Line]:
    """A rule taken apart as a device without names has it: one source, one destination and one service each, of one family; one of
    which there are more than `most` in a family stands whole."""
    for family in FAMILIES:
        one = _in_family(whole, family)
        if not one.packets:
            continue
        parts = (
            [addresses.parse(w) for w in _described(one.source)], [addresses.parse(w) for w in _described(one.destination)],
            [ServiceSet(row[None], row[None]) for row in one.service[family]],
        )  # fmt: skip
        if len(parts[0]) * len(parts[1]) * len(parts[2]) > most:
            yield one
            continue
        for source, destination, service in product(*parts):
            yield _in_family(Line(whole.action, source, destination, service), family)


@lru_cache(KEEP)
def _described(some: AddressSet) -> list[str]:
    return addresses.describe(some)


@lru_cache(KEEP)
def _covers(whole: AddressSet, part: AddressSet) -> bool:
    return addresses.covers(whole, part)


def compare(
    should: Sequence[Wanted], entries: Sequence[Line], family: int | None = None, go_on: Callable[[], bool] = lambda: True
) -> ReadBack:  # fmt: skip
    """What was read against what should be there.

    go_on: asked now and then; `TooLong` is raised once it says no. O(entries × rules) comparisons where these are few (`MOST_PAIRS`),
    and a few sets for each rule.
    """
    return _Comparison(should, [_in_family(one, family) for one in entries], go_on).told()


class _Comparison:
    """Which entry is of which rule: `given`, by entry, and `mine`, by rule."""

    def __init__(self, should: Sequence[Wanted], read: Sequence[Line], go_on: Callable[[], bool]) -> None:
        self.should, self.read, self._go_on = should, read, go_on
        self._written = _written(should)
        self.fits = [self._fits(one) for one in read]
        self.given = _assigned(self.fits, len(should))
        self.mine: dict[int, list[int]] = defaultdict(list)
        for j, rule in enumerate(self.given):
            if rule is not None:
                self.mine[rule].append(j)

    def told(self) -> ReadBack:
        self._part_only()
        missing = {i: lines for i in range(len(self.should)) if (lines := self._missing(i))}
        while moved := self._handed_over(missing):
            missing = {i: lines for i in missing | dict.fromkeys(moved) if (lines := self._missing(i))}
        judged = [self._judged(j, missing) for j in range(len(self.read))]
        last = len(self.should) - 1
        default = bool(self.should) and not self.should[-1].position and bool(self.mine.get(last))
        return ReadBack(
            tuple(judged), tuple((i, line) for i in sorted(missing) for line in missing[i]), default
        )

    def _tick(self) -> None:
        if not self._go_on():
            raise TooLong

    def _fits(self, one: Line) -> dict[int, int]:
        """The rules that an entry may be of, and what it counts for there."""
        self._tick()
        own = set.intersection(*(self._written[f, one.told[f]] for f in WRITTEN))
        found = {i: OWN if self.should[i].position else DEFAULT for i in own if self._within(one, i)}
        if found and len(self.should) * len(self.read) > MOST_PAIRS:
            return found
        return found | {i: WITHIN for i in range(len(self.should)) if i not in found and self._within(one, i)}

    def _within(self, one: Line, i: int) -> bool:
        whole = self.should[i].whole
        return (
            one.action == whole.action
            and _covers(whole.source, one.source)
            and _covers(whole.destination, one.destination)
            and not packet_sets.difference(one.packets, whole.packets)
        )

    def _give(self, j: int, rule: int | None) -> None:
        before, self.given[j] = self.given[j], rule
        if before is not None:
            self.mine[before].remove(j)
        if rule is not None:
            self.mine[rule].append(j)

    def _part_only(self) -> None:
        """What is narrower than the line it stands for is not right."""
        for j, rule in enumerate(self.given):
            if rule is not None and self.fits[j][rule] == WITHIN and self._left(rule):
                self._give(j, None)

    def _left(self, i: int) -> PacketSet:
        """What of a rule no entry of it says."""
        self._tick()
        left = self.should[i].whole.packets
        for j in self.mine.get(i, ()):
            left = packet_sets.difference(left, self.read[j].packets)
        return left

    def _missing(self, i: int) -> list[Line]:
        """The lines of a rule that none of its entries has; of the default only if some has a part of it, or there is nothing else."""
        rule = self.should[i]
        if not self.mine.get(i):
            return [*rule.lines] if rule.position or len(self.should) == 1 else []
        left = self._left(i)
        return [line for line in rule.lines if packet_sets.intersection(left, line.packets)] if left else []

    def _around(self, j: int) -> tuple[int, int]:
        """The rules of the entries before and behind one."""
        low = next((g for g in reversed(self.given[:j]) if g is not None), 0)
        high = next((g for g in self.given[j + 1 :] if g is not None), len(self.should) - 1)
        return low, high

    def _handed_over(self, missing: dict[int, list[Line]]) -> tuple[int, ...]:
        """The two rules of an entry that was one too many for the one and is now the other's, which missed it; in order.

        Two rules may have a line in common; then nothing but what is missing tells whose an entry is.
        """
        for i, lines in missing.items():
            for j, fits in enumerate(self.fits):
                rule = self.given[j]
                if rule is None or rule == i or fits.get(i) != OWN:
                    continue
                low, high = self._around(j)
                if not low <= i <= high or all(
                    packet_sets.difference(line.packets, self.read[j].packets) for line in lines
                ):
                    continue
                others = packet_sets.union(self.read[k].packets for k in self.mine[rule] if k != j)
                if not packet_sets.difference(self.read[j].packets, others):
                    self._give(j, i)
                    return rule, i
            self._tick()
        return ()

    def _judged(self, j: int, missing: dict[int, list[Line]]) -> Judged:
        """An entry; the line that it should be is no longer missing."""
        self._tick()
        if (rule := self.given[j]) is not None:
            return Judged("right", rule)
        own = next((i for i, fit in self.fits[j].items() if fit == OWN), None)
        found = self._most_like(j, missing)
        if own is not None and (found is None or own != found[0]):
            return Judged("elsewhere", own)
        if found is None:
            return Judged("strange")
        at, line, fields = found
        whole = line is self.should[at].whole
        missing[at] = [] if whole else [other for other in missing[at] if other is not line]
        return Judged("wrong", at, fields, line)

    def _most_like(
        self, j: int, missing: dict[int, list[Line]]
    ) -> tuple[int, Line, tuple[Field, ...]] | None:
        """The missing line, or rule of which all is missing, that an entry at its place is most like; None if in no two fields."""
        (low, high), told = self._around(j), self.read[j].told
        found: dict[int, list[tuple[int, Line, tuple[Field, ...]]]] = defaultdict(list)
        for i, lines in missing.items():
            if low <= i <= high and lines:
                rule = self.should[i]
                for line in (*lines, *([rule.whole] if len(rule.lines) > 1 and not self.mine.get(i) else ())):
                    fields = tuple(f for f in told if told[f] != line.told[f])
                    found[len(fields)].append((i, line, fields))
        written = " ".join(told.values())
        for count in (1, 2):
            if alike := found.get(count):
                return max(alike[:MOST_ALIKE], key=lambda one: _likeness(written, one[1]))
        return None


def _likeness(written: str, line: Line) -> float:
    return SequenceMatcher(None, written, " ".join(line.told.values())).ratio()


def _written(should: Sequence[Wanted]) -> dict[tuple[Field, str], set[int]]:
    """The rules in which a field, or that of a line, is written so."""
    found: dict[tuple[Field, str], set[int]] = defaultdict(set)
    for i, rule in enumerate(should):
        found["action", rule.whole.action].add(i)
        for f in ENDS:
            for words in rule.parts[f]:
                found[f, words].add(i)
    return found


def _assigned(fits: Sequence[dict[int, int]], rules: int) -> list[int | None]:
    """To each entry a rule that it fits, in the order of rules, for the most; None for those that have none."""
    best: list[tuple[int, int, int]] = [(0, -1, -1)] * (rules + 1)
    """A Fenwick tree of prefix maxima: what is counted up to a rule, by which entry and rule last."""
    came: dict[tuple[int, int], tuple[int, int]] = {}

    def upto(i: int) -> tuple[int, int, int]:
        found, at = (0, -1, -1), i + 1
        while at:
            found = max(found, best[at])
            at -= at & -at
        return found

    for j, fit in enumerate(fits):
        for i, value in [(i, (upto(i), counts)) for i, counts in fit.items()]:
            (before, *last), counts = value
            came[j, i] = last[0], last[1]
            at, now = i + 1, (before + counts, j, i)
            while at <= rules:
                best[at] = max(best[at], now)
                at += at & -at
    given: list[int | None] = [None] * len(fits)
    _, j, i = upto(rules - 1) if rules else (0, -1, -1)
    while j >= 0:
        given[j] = i
        j, i = came[j, i]
    return given
