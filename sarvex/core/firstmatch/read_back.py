"""A list as it was read from a device, entry by entry, against the list that should be there.

Each entry is given to a rule that it lies within, with the same action, such that rules come in their order: as many entries as can be,
those first that are written as the rule's own parts (the best such assignment; a prefix maximum for each entry). What then nobody has of a
rule is missing, and an entry without a rule is wrong: it is told beside the missing line that it is most like. If all entries are right
and nothing is missing, both lists decide every packet alike: the entries of a rule stand together, all do as the rule does, and together
they are the rule.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import cache, cached_property
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

MOST_LINES = 400
"""Lines into which one rule is taken apart; a larger one is told whole."""
Field = Literal["action", "source", "destination", "service"]
ENDS: tuple[Field, ...] = ("source", "destination", "service")
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


def wanted(policy: Policy, names: Names, family: int | None = None) -> list[Wanted]:
    """What should be there of a list, rules that are off left out, and its default last. Raises what `Names` raises."""
    found = []
    for position, (rule, match) in enumerate(zip(policy.rules, matches_of(policy, names), strict=True), 1):
        whole = _in_family(Line(rule.action, match.source, match.destination, match.service), family)
        if rule.enabled and match.times and whole.packets:
            found.append(Wanted(position, rule.name, whole, tuple(_lines(whole))))
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


def _lines(whole: Line) -> Iterator[Line]:
    """A rule taken apart as a device without names has it: one source, one destination and one service each, of one family."""
    for family in FAMILIES:
        one = _in_family(whole, family)
        if not one.packets:
            continue
        parts = (
            [addresses.parse(w) for w in _described(one.source)], [addresses.parse(w) for w in _described(one.destination)],
            [ServiceSet(row[None], row[None]) for row in one.service[family]],
        )  # fmt: skip
        if len(parts[0]) * len(parts[1]) * len(parts[2]) > MOST_LINES:
            yield one
            continue
        for source, destination, service in product(*parts):
            yield _in_family(Line(whole.action, source, destination, service), family)


@cache
def _described(some: AddressSet) -> list[str]:
    return addresses.describe(some)


def compare(should: Sequence[Wanted], entries: Sequence[Line], family: int | None = None) -> ReadBack:
    """What was read against what should be there. O(entries × rules) comparisons, and a few sets for each rule."""
    read = [_in_family(one, family) for one in entries]
    fits = [_fits(one, should) for one in read]
    given = _assigned(fits, len(should))
    for j, rule in enumerate(given):  # an entry that is narrower than what it stands for is no right one
        if (
            rule is not None
            and fits[j][rule] == WITHIN
            and _left(should[rule], [read[k] for k in _of(given, rule)])
        ):
            given[j] = None
    missing = _all_missing(should, read, given)
    while _handed_over(should, read, fits, given, missing):
        missing = _all_missing(should, read, given)
    judged: list[Judged] = []
    for j, (one, rule) in enumerate(zip(read, given, strict=True)):
        if rule is not None:
            judged.append(Judged("right", rule))
            continue
        own = next((i for i, fit in fits[j].items() if fit == OWN and should[i].position), None)
        found = _most_like(one, should, missing, given, j)
        if own is not None and (found is None or own != found[0]):
            judged.append(Judged("elsewhere", own))
        elif found is None:
            judged.append(Judged("strange"))
        else:
            at, line, fields = found
            judged.append(Judged("wrong", at, fields, line))
            missing = [
                m for m in missing if m[0] != at or (m[1] is not line and line is not should[at].whole)
            ]
    last = len(should) - 1
    there = bool(should) and not should[-1].position and bool(_of(given, last))
    return ReadBack(tuple(judged), tuple(missing), there)


def _fits(one: Line, should: Sequence[Wanted]) -> dict[int, int]:
    """The rules that an entry may be of, and what it counts for there."""
    return {
        i: (OWN if rule.position else DEFAULT) if all(one.told[f] in rule.parts[f] for f in ENDS) else WITHIN
        for i, rule in enumerate(should)
        if one.action == rule.whole.action
        and _covers(rule.whole.source, one.source)
        and _covers(rule.whole.destination, one.destination)
        and not packet_sets.difference(one.packets, rule.whole.packets)
    }


@cache
def _covers(whole: AddressSet, part: AddressSet) -> bool:
    return addresses.covers(whole, part)


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


def _handed_over(
    should: Sequence[Wanted], read: Sequence[Line], fits: Sequence[dict[int, int]], given: list[int | None], missing: Sequence[tuple[int, Line]]
) -> bool:  # fmt: skip
    """Whether an entry that is one too many for its rule is given to another, in order, of which it is a missing line.

    Two rules may have a line in common; then nothing but what is missing tells whose an entry is.
    """
    for i, line in missing:
        for j, rule in enumerate(given):
            if (
                rule in (None, i)
                or fits[j].get(i) != OWN
                or packet_sets.difference(line.packets, read[j].packets)
            ):
                continue
            low = next((g for g in reversed(given[:j]) if g is not None), 0)
            high = next((g for g in given[j + 1 :] if g is not None), len(should))
            others = (read[k].packets for k in _of(given, rule) if k != j)
            if low <= i <= high and not packet_sets.difference(read[j].packets, packet_sets.union(others)):
                given[j] = i
                return True
    return False


def _all_missing(
    should: Sequence[Wanted], read: Sequence[Line], given: Sequence[int | None]
) -> list[tuple[int, Line]]:
    """By rule, the lines that no entry given to it has; of the default only if one is."""
    return [
        (i, line)
        for i, rule in enumerate(should)
        if rule.position or len(should) == 1 or _of(given, i)
        for line in _missing(rule, [read[j] for j in _of(given, i)])
    ]


def _of(given: Sequence[int | None], rule: int | None) -> list[int]:
    return [j for j, one in enumerate(given) if one == rule]


def _left(rule: Wanted, mine: Sequence[Line]) -> PacketSet:
    """What of a rule no entry of it says."""
    left = rule.whole.packets
    for one in mine:
        left = packet_sets.difference(left, one.packets)
    return left


def _missing(rule: Wanted, mine: Sequence[Line]) -> list[Line]:
    if not mine:
        return [*rule.lines]
    left = _left(rule, mine)
    return [line for line in rule.lines if packet_sets.intersection(left, line.packets)] if left else []


def _most_like(
    one: Line,
    should: Sequence[Wanted],
    missing: Sequence[tuple[int, Line]],
    given: Sequence[int | None],
    at: int,
) -> tuple[int, Line, tuple[Field, ...]] | None:
    """The missing line, or whole rule of which all is missing, that an entry at its place is most like; None if none in half of its fields."""
    low = next((g for g in reversed(given[:at]) if g is not None), 0)
    high = next((g for g in given[at + 1 :] if g is not None), len(should) - 1)
    there = [(i, line) for i, line in missing if low <= i <= high]
    whole = {i for i, _ in there if i not in given}
    choices = [*there, *((i, should[i].whole) for i in sorted(whole) if len(should[i].lines) > 1)]
    told = one.told
    ranked = []
    for i, line in choices:
        other = line.told
        fields = tuple(f for f in told if told[f] != other[f])
        like = SequenceMatcher(None, " ".join(told.values()), " ".join(other.values())).ratio()
        ranked.append((len(fields), -like, i, line, fields))
    if not ranked:
        return None
    count, _, i, line, fields = min(ranked, key=lambda r: r[:3])
    return (i, line, fields) if 0 < count <= 2 else None
