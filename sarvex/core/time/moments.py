"""Kinds of moments: which moments no schedule of a network tells apart, and sets of them as integers.

Two moments are of one *class* if the same schedules are active at both. There are few classes, so time needs no axis of
its own: the classes from a first date on are numbered in the order in which they first come up, and a set of them (a
`Times`) is an integer with a bit for each. The last class's bit goes on for ever, as the sign: so `ALWAYS` is -1 however
many classes there are, ``&``, ``|`` and ``~`` are the set's operations, and 0 is `NEVER`.

Past moments do not count: a rule that will never be active again decides nothing.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import copy
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import cached_property
from itertools import combinations
from zoneinfo import ZoneInfo

from sarvex.core.model.records import Schedule, fold
from sarvex.core.sets import intervals
from sarvex.core.sets.intervals import Intervals
from sarvex.core.time import schedules
from sarvex.core.time.schedules import DAY, LAST_DATE, WEEK, weekday

Times = int
ALWAYS: Times = -1
NEVER: Times = 0
CLASSES = 4096
"""So many classes of moments can be told apart."""


class TooManyKinds(ValueError):
    """The schedules tell more than `CLASSES` classes of moments apart."""


class MomentMissing(ValueError):
    """No moment was told, though schedules tell moments apart."""


class OutOfReach(LookupError):
    """A moment of a class that does not come up from the first date on."""


@dataclass(frozen=True)
class Span:
    """Moments as dates and windows: on the dates from `first` to `last` (None: from now on, for ever) these."""

    first: date | None
    last: date | None
    week: tuple[str, ...]

    def __str__(self) -> str:
        dates = f"from {self.first} to {self.last}" if self.first and self.last else ""
        dates = dates or (f"from {self.first}" if self.first else f"until {self.last}" if self.last else "")
        if self.first and self.first == self.last:
            dates = f"on {self.first}"
        week = "" if self.week == ("daily",) else ", ".join(self.week)
        return " ".join(filter(None, (week, dates))) or "always"


class Moments:
    """The classes of moments that some schedules tell apart from a first date on, or the one class of `only` one moment.

    ends: last dates (ISO 8601) of what is there for a while; they tell moments apart as schedules do.

    Raises `TooManyKinds`, and `schedules.InvalidSchedule` for one that cannot be read.
    O(cuts of dates, and cuts of a week for each set of schedules that speak of the same dates).
    """

    def __init__(
        self,
        listed: Iterable[Schedule],
        zone: ZoneInfo,
        since: date,
        only: datetime | None = None,
        ends: Iterable[str] = (),
    ) -> None:
        self.zone = zone
        listed = list(listed)
        self.names = [schedule.name for schedule in listed]
        self.activities = [schedules.activity(s) for s in listed]
        self._number = {fold(s.name): number for number, s in enumerate(listed)}
        self.ends = {end: number for number, end in enumerate(sorted(set(ends)), len(listed))}
        """Each last date with its place among the activities."""
        self.activities += [schedules.until(end) for end in self.ends]
        self.since = since
        self.is_one = only is not None
        """Whether it is about one moment only."""
        self.classes: dict[int, int] = {}
        """For each set of schedules, as bits, that are the ones active at some moment: the number of its class."""
        self._first: list[datetime] = []
        if only is not None:
            self.classes[self._active(only.astimezone(zone))] = 0
            self._first.append(only.astimezone(zone))
            return
        self._find()
        if len(self.classes) > CLASSES:
            raise TooManyKinds(
                f"the schedules tell {len(self.classes):,} classes of moments apart; {CLASSES:,} can be worked with"
            )

    def _find(self) -> None:
        """All classes, in the order in which they first come up. A day like one before has nothing new."""
        by_day: list[list[tuple[int, int, int]]] = [[] for _ in range(7)]
        for atom in self._weeks:
            by_day[atom[0] // DAY].append(atom)
        done: set[tuple[int, int]] = set()
        for low, high, dated in self._dates:
            for day in range(low, min(high, low + 6) + 1):
                like = dated, weekday(day)
                if like in done:
                    continue
                for start, end, weekly in by_day[weekday(day)]:
                    active = dated & weekly
                    if active not in self.classes:
                        first = next(self._moments((day, high), (start % DAY, end % DAY)), None)
                        if first is not None:
                            self.classes[active] = len(self.classes)
                            self._first.append(first)
                if all(dated & weekly in self.classes for _, _, weekly in by_day[weekday(day)]):
                    done.add(like)

    @classmethod
    def of_both(
        cls,
        before: Sequence[Schedule],
        after: Sequence[Schedule],
        zone: ZoneInfo,
        since: date,
        ends: Iterable[str] = (),
    ) -> tuple[Moments, Moments]:
        """The same classes for two versions of the schedules, by the names of each; `ends`: those of both."""
        listed = list(dict.fromkeys((*after, *before)))
        whole = cls(listed, zone, since, ends=ends)
        return whole._by_names(listed, before), whole._by_names(listed, after)

    def _by_names(self, listed: Sequence[Schedule], named: Sequence[Schedule]) -> Moments:
        one = copy(self)
        one.names = [schedule.name for schedule in named]
        one._number = {fold(schedule.name): listed.index(schedule) for schedule in named}
        return one

    def times(self, schedule: str) -> Times:
        """When a schedule is active. Raises `KeyError`."""
        bit = 1 << self._number[fold(schedule)]
        return self._set(number for active, number in self.classes.items() if active & bit)

    def until(self, end: str) -> Times:
        """The moments of a last date and of all before it. Raises `KeyError` for one that it does not tell apart."""
        bit = 1 << self.ends[end]
        return self._set(number for active, number in self.classes.items() if active & bit)

    def _set(self, numbers: Iterable[int]) -> Times:
        bits = sum(1 << number for number in numbers)
        last = 1 << len(self.classes) - 1
        return bits - 2 * last if bits & last else bits

    def coming(self, last: date | None = None, minute: int | None = None) -> Times:
        """The moments of all classes that come up until a last date, at one minute of the week or at any. O(atoms)."""
        end = LAST_DATE if last is None else last.toordinal()
        at = ((0, WEEK - 1),) if minute is None else ((minute, minute),)
        found = {
            self.classes.get(dated & weekly)
            for low, high, dated in self._dates
            if low <= end
            for there in [intervals.intersection(_days_of(low, min(high, end)), at)]
            for first, until, weekly in self._weeks
            if intervals.intersection(((first, until),), there)
        }
        return self._set(number for number in found if number is not None)

    def class_at(self, moment: datetime) -> int:
        """The number of a moment's class. Raises `OutOfReach` for one that does not come up from the first date on."""
        active = self._active(moment.astimezone(self.zone))
        if active not in self.classes:
            raise OutOfReach(f"{moment.isoformat()} is before {self.since}")
        return self.classes[active]

    def reaches(self, moment: datetime) -> bool:
        """Whether moments like this one come up from the first date on."""
        return self._active(moment.astimezone(self.zone)) in self.classes

    def class_of(self, moment: datetime | None) -> int:
        """The same for one that need not be told where all are alike. Raises `MomentMissing`."""
        if moment is None and self.matter:
            raise MomentMissing("what is active differs from moment to moment: which is meant?")
        return self.class_at(moment) if moment and self.matter else 0

    def at(self, moment: datetime) -> Times:
        """All moments of the class of one. Raises `OutOfReach`."""
        return self._set([self.class_at(moment)])

    def _active(self, local: datetime) -> int:
        day, minute = schedules.minute_of(local)
        return sum(1 << n for n, one in enumerate(self.activities) if one.at(day, minute))

    def first(self, number: int) -> datetime | None:
        """The first moment of a class, by the clock of the zone; None if there is but one class, and any will do."""
        return self._first[min(number, len(self._first) - 1)] if self.matter or self.is_one else None

    def is_as(self, other: Moments) -> bool:
        """Whether it tells the same classes by the same numbers as others."""
        mine, theirs = (
            (one.since, one.zone, one.is_one, one.names, one.activities, one.classes) for one in (self, other)
        )
        return self is other or mine == theirs

    @property
    def matter(self) -> bool:
        """Whether there is more than one class."""
        return len(self.classes) > 1

    @cached_property
    def _weeks(self) -> list[tuple[int, int, int]]:
        """The week in atoms: first and last minute, and the schedules active there on some date."""
        return list(_cut({n: a.week for n, a in enumerate(self.activities)}, 0, WEEK - 1, DAY))

    @cached_property
    def _dates(self) -> list[tuple[int, int, int]]:
        """The dates in atoms: first and last, and the schedules that speak of them."""
        dates = {n: a.dates for n, a in enumerate(self.activities)}
        return list(_cut(dates, self.since.toordinal(), LAST_DATE, None))

    def _moments(self, days: tuple[int, int], minutes: tuple[int, int]) -> Iterator[datetime]:
        """Moments at some minutes of a day, from a date on each week. An hour that the clock skips has none."""
        for day in range(days[0], days[1] + 1, 7):
            for minute in range(minutes[0], minutes[1] + 1):
                found = self.moment(day, minute)
                if found is not None:
                    yield found
                    break

    def moment(self, day: int, minute: int) -> datetime | None:
        """The moment at which the clock shows a minute of a date, the first if it does so twice; None if it never does."""
        wall = datetime.combine(date.fromordinal(day), time()) + timedelta(minutes=minute)
        return schedules.shown(wall, self.zone)

    # --- telling ---------------------------------------------------------------------------------------------

    def spans(self, times: Times) -> list[Span]:
        """The moments of a set, told as dates and windows; their union is exactly the set. O(atoms)."""
        if times == ALWAYS:
            return [Span(None, None, ("daily",))]
        return [
            Span(
                None if low <= self.since.toordinal() else date.fromordinal(low),
                None if high == LAST_DATE else date.fromordinal(high),
                ("daily",) if week == there else tuple(schedules.spell_week(week)),
            )
            for low, high, week, there in self._joined(times)
            if week
        ]

    def _joined(self, times: Times) -> list[tuple[int, int, Intervals, Intervals]]:
        """Runs of dates with the minutes of the week that are in a set, and those that there are; runs that do not differ are one."""
        out: list[tuple[int, int, Intervals, Intervals]] = []
        for low, high, dated in self._dates:
            there = _days_of(low, high)
            numbered = ((a, b, self.classes.get(dated & weekly)) for a, b, weekly in self._weeks)
            week = intervals.union((a, b) for a, b, n in numbered if n is not None and times >> n & 1)
            week = intervals.intersection(week, there)
            if out:
                first, _, before, known = out[-1]
                both = intervals.intersection(known, there)
                if both:
                    alike = intervals.intersection(before, both) == intervals.intersection(week, both)
                else:  # days of the week that the run had not: nothing says that the same is meant
                    alike = (before == known and week == there) or not (before or week)
                if alike:
                    union = intervals.union((*before, *week)), intervals.union((*known, *there))
                    out[-1] = (first, high, *union)
                    continue
            out.append((low, high, week, there))
        return out

    def words(self, times: Times) -> str:
        """A set in the schedules' names where two of them are enough, else as dates and windows; nothing for always."""
        if times == ALWAYS:
            return ""
        known = [(name, self.times(name)) for name in self.names]
        for name, one in known:
            if times == one:
                return f"while {name}"
            if times == ~one:
                return f"outside {name}"
        for (a, one), (b, two) in combinations(known, 2):
            for both, said in (
                (one & two, f"while {a} and {b}"),
                (one & ~two, f"while {a} but not {b}"),
                (two & ~one, f"while {b} but not {a}"),
                (one | two, f"while {a} or {b}"),
                (~one & ~two, f"outside {a} and {b}"),
            ):
                if times == both:
                    return said
        return "; ".join(map(str, self.spans(times))) or "never"


def today(zone: ZoneInfo) -> date:
    """The date that the clock of a zone shows now."""
    return datetime.now(zone).date()


def _days_of(low: int, high: int) -> Intervals:
    """The minutes of the week that there are on a run of dates."""
    if high - low >= 6:
        return ((0, WEEK - 1),)
    days = (weekday(day) for day in range(low, high + 1))
    return intervals.union((day * DAY, day * DAY + DAY - 1) for day in days)


def _cut(
    sets: Mapping[int, Intervals], low: int, high: int, every: int | None
) -> Iterator[tuple[int, int, int]]:
    """A line from `low` to `high` in atoms, cut at the ends of the sets and at `every` so many; the sets of each as bits."""
    cuts = {edge for ends in sets.values() for a, b in ends for edge in (a, b + 1) if low < edge <= high}
    cuts |= {low, *(range(low, high + 1, every) if every else ())}
    places = sorted(cuts)
    held = [0] * len(places)
    for number, ends in sets.items():
        for a, b in ends:
            begin, end = bisect_right(places, max(a, low)) - 1, bisect_right(places, b)
            if b >= low:
                for place in range(begin, end):
                    held[place] |= 1 << number
    for place, start in enumerate(places):
        yield start, (places[place + 1] if place + 1 < len(places) else high + 1) - 1, held[place]


NO_SCHEDULES = Moments((), ZoneInfo("UTC"), date(2000, 1, 1))
