"""Schedules as sets: the minutes of the week and the dates on which they are active.

A schedule is active at a moment if the wall clock of the network's time zone shows one of its dates and one of its
minutes of the week: weekly windows less the excepted ones, on the dates from first to last less the excepted ones.
What runs past midnight is split there, and each side counts to the date that the calendar shows.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

from sarvex.core.model.records import Schedule
from sarvex.core.sets import intervals
from sarvex.core.sets.intervals import Intervals

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
FULL_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
DAY = 24 * 60
WEEK = 7 * DAY
FIRST_DATE, LAST_DATE = date(1, 1, 2).toordinal(), date(9998, 12, 31).toordinal()
EVERY_DATE: Intervals = ((FIRST_DATE, LAST_DATE),)
_TIME = r"(\d{1,2}):(\d{2})"
_WINDOW = re.compile(rf"(?:(?P<days>[a-z, -]+?))?\s*(?:(?P<from>{_TIME})\s*-\s*(?P<to>{_TIME}))?")
_RUN = re.compile(rf"(?P<first>[a-z]+)\s+(?P<from>{_TIME})\s*-\s*(?P<last>[a-z]+)\s+(?P<to>{_TIME})")
_DATES = re.compile(r"(\d{4}-\d{2}-\d{2})(?:\s+to\s+(\d{4}-\d{2}-\d{2}))?")


_KEEP = 512
"""So many schedules are read once only: a year of one asks for the same windows again and again."""


class InvalidSchedule(ValueError):
    """A window or date that cannot be read; the message says how to mend it."""


@dataclass(frozen=True)
class Window:
    """A weekly window as it is written: the days on which it begins (0 is Monday), from which minute to before which, so many
    midnights later."""

    days: tuple[int, ...]
    start: int
    end: int
    midnights: int = 0

    @property
    def minutes(self) -> Intervals:
        """The minutes of the week, 0 is Monday 00:00."""
        length = self.end - self.start + DAY * self.midnights
        return _wrapped((day * DAY + self.start, length) for day in self.days)


@dataclass(frozen=True)
class Activity:
    """When a schedule is active: at these minutes of the week on these dates (ordinals), by the wall clock."""

    week: Intervals
    dates: Intervals

    def at(self, day: int, minute: int) -> bool:
        """Whether at a minute of a date."""
        minute += weekday(day) * DAY
        return all(
            intervals.first_within(s, v, v) is not None for s, v in ((self.dates, day), (self.week, minute))
        )


def until(last: str) -> Activity:
    """The activity of what is there until the end of a date (ISO 8601)."""
    return Activity(((0, WEEK - 1),), ((1, date.fromisoformat(last).toordinal()),))


def weekday(day: int) -> int:
    """The day of the week of a date; 0 is Monday."""
    return (day + 6) % 7


def parse_window(text: str) -> Window:
    """A window in words: days, a time, or both, as in `mon-fri 08:00-18:00`, or from a day and time to another, as in
    `fri 20:00-mon 06:00`. Raises `InvalidSchedule`."""
    if run := _RUN.fullmatch(text.strip().lower()):
        return _over_days(run, text)
    match = _WINDOW.fullmatch(text.strip().lower())
    if match is None or not text.strip():
        raise InvalidSchedule(
            f"{text!r} is no window; write it as mon-fri 08:00-18:00, fri 20:00-mon 06:00, sat,sun or daily"
        )
    days = _days(match["days"], text)
    if match["from"] is None:
        return Window(days, 0, DAY)
    start, end = _minute(match["from"], text), _minute(match["to"], text)
    if start == DAY:
        raise InvalidSchedule(f"{text!r}: a window begins before 24:00")
    if start == end:
        raise InvalidSchedule(f"{text!r} ends as it begins; a whole day is written 00:00-24:00")
    return Window(days, start, end, int(end < start))


def _over_days(run: re.Match[str], text: str) -> Window:
    """From a moment of the week to the next of another; a day that ends as it begins before it goes round."""
    first, last = (_day(run[end], text) for end in ("first", "last"))
    start, end = _minute(run["from"], text), _minute(run["to"], text)
    if start == DAY:
        raise InvalidSchedule(f"{text!r}: a window begins before 24:00")
    midnights = (last - first) % 7
    if not midnights and start == end:
        raise InvalidSchedule(f"{text!r} ends as it begins; all of the week is written daily")
    return Window((first,), start, end, midnights or (7 if end < start else 0))


def _days(text: str | None, whole: str) -> tuple[int, ...]:
    if text is None or text.strip() == "daily":
        return tuple(range(7))
    found: set[int] = set()
    for part in text.split(","):
        ends = [_day(end.strip(), whole) for end in part.split("-")]
        if len(ends) > 2:
            raise InvalidSchedule(f"{whole!r}: a run of days has a first and a last, as in mon-fri")
        length = (ends[-1] - ends[0]) % 7
        found |= {(ends[0] + step) % 7 for step in range(length + 1)}
    return tuple(sorted(found))


def _day(text: str, whole: str) -> int:
    for number, (short, full) in enumerate(zip(DAYS, FULL_DAYS, strict=True)):
        if text in (short, full.lower()):
            return number
    raise InvalidSchedule(f"{whole!r}: {text!r} is no day; they are {', '.join(DAYS)}, and daily for all")


def _minute(text: str, whole: str) -> int:
    hours, minutes = map(int, text.split(":"))
    if minutes > 59 or hours * 60 + minutes > DAY:
        raise InvalidSchedule(f"{whole!r}: {text} is no time of day; they go from 00:00 to 24:00")
    return hours * 60 + minutes


def parse_exception(text: str) -> Window | tuple[int, int]:
    """A window, or one date or a run of dates (`2026-12-24 to 2026-12-26`) as ordinals. Raises `InvalidSchedule`."""
    match = _DATES.fullmatch(text.strip())
    if match is None:
        return parse_window(text)
    first, last = (parse_date(end) for end in (match[1], match[2] or match[1]))
    if last < first:
        raise InvalidSchedule(f"{text!r} ends before it begins")
    return first, last


def parse_date(text: str) -> int:
    """A date in ISO 8601 as an ordinal. Raises `InvalidSchedule`."""
    try:
        day = date.fromisoformat(text)
    except ValueError:
        day = date.min
    if day.isoformat() != text or not FIRST_DATE <= day.toordinal() <= LAST_DATE:
        raise InvalidSchedule(f"{text!r} is no date; write it as 2027-03-31")
    return day.toordinal()


@lru_cache(_KEEP)
def exceptions(schedule: Schedule) -> tuple[Intervals, Intervals]:
    """What a schedule excepts: minutes of the week (0 to 10079, Monday first), and dates as ordinals. Raises `InvalidSchedule`."""
    week: list[tuple[int, int]] = []
    dates: list[tuple[int, int]] = []
    for text in schedule.except_:
        what = parse_exception(text)
        if isinstance(what, Window):
            week += what.minutes
        else:
            dates.append(what)
    return intervals.union(week), intervals.union(dates)


@lru_cache(_KEEP)
def between(schedule: Schedule) -> Intervals:
    """The dates from its first to its last, as ordinals (`date.toordinal`); open ends go on. Raises `InvalidSchedule`."""
    first = parse_date(schedule.first) if schedule.first else FIRST_DATE
    last = parse_date(schedule.last) if schedule.last else LAST_DATE
    return ((first, last),) if first <= last else ()


@lru_cache(_KEEP)
def windows(schedule: Schedule) -> Intervals:
    """The minutes of the week (0 to 10079, Monday first) of its windows, exceptions or not. Raises `InvalidSchedule`."""
    return intervals.union(run for text in schedule.windows for run in parse_window(text).minutes)


@lru_cache(_KEEP)
def activity(schedule: Schedule) -> Activity:
    """When a schedule is active: in a window, from its first date to its last, and in nothing that it excepts.

    Dates are told apart at midnight, also within a window that runs past it. Raises `InvalidSchedule`. O(windows log windows).
    """
    no_week, no_dates = exceptions(schedule)
    week = intervals.intersection(windows(schedule), intervals.complement(no_week, 0, WEEK - 1))
    dates = intervals.intersection(between(schedule), intervals.complement(no_dates, FIRST_DATE, LAST_DATE))
    return Activity(week, dates)


def echo(text: str) -> str | None:
    """What a window that runs into another day means, in words; None for one that does not."""
    window = parse_window(text)
    if not window.midnights:
        return None
    days = spell_days(window.days)
    if len(window.days) > 1:
        return f"{days} from {clock(window.start)} until {clock(window.end)} the next day"
    first, then = (FULL_DAYS[(window.days[0] + step) % 7] for step in (0, window.midnights))
    return f"{first} {clock(window.start)} until {then} {clock(window.end)}"


def clock(minute: int) -> str:
    """A minute of the day (0 to 1440) as `HH:MM`; the end of the day is `24:00`."""
    return f"{minute // 60:02}:{minute % 60:02}"


def spell_days(days: Iterable[int]) -> str:
    """Days of the week in short: runs of three and more as such."""
    there = sorted(days)
    if len(there) == 7:
        return "daily"
    words = []
    for low, high in intervals.union((d, d) for d in there):
        words += [f"{DAYS[low]}-{DAYS[high]}"] if high - low > 1 else [DAYS[d] for d in range(low, high + 1)]
    return ",".join(words)


def spell_week(minutes: Intervals) -> list[str]:
    """Minutes of the week as windows: what `parse_window` reads as exactly these. O(intervals)."""
    by_time: dict[tuple[int, int], list[int]] = defaultdict(list)
    for day, start, end in _windows_of(minutes):
        by_time[start, end].append(day)
    told = sorted((days[0], start, end, days) for (start, end), days in by_time.items())
    return [
        spell_days(days) if (start, end) == (0, DAY) else f"{spell_days(days)} {clock(start)}-{clock(end)}"
        for _, start, end, days in told
    ]


def _windows_of(minutes: Intervals) -> Iterator[tuple[int, int, int]]:
    """Day, start and end of each; what goes on past midnight into the next day, but not on to a third, is one."""
    runs = [(low, high + 1) for low, high in minutes]
    if len(runs) > 1 and runs[0][0] == 0 and runs[-1][1] == WEEK:
        runs = [*runs[1:-1], (runs[-1][0], WEEK + runs[0][1])]
    for low, end in runs:
        day, start = divmod(low, DAY)
        if start and end - low < DAY and end > (day + 1) * DAY:
            yield day % 7, start, end - (day + 1) * DAY
            continue
        while low < end:
            day = low // DAY
            stop = min(end, (day + 1) * DAY)
            yield day % 7, low - day * DAY, stop - day * DAY
            low = stop


def _wrapped(runs: Iterable[tuple[int, int]]) -> Intervals:
    """Runs of minutes as start and length, going round at the end of the week."""
    out = []
    for start, length in runs:
        end = start + length - 1
        out += [(start, min(end, WEEK - 1))] + ([(0, end - WEEK)] if end >= WEEK else [])
    return intervals.union(out)


def spell_date(day: int) -> str:
    """A date in ISO 8601."""
    return date.fromordinal(day).isoformat()


def shown(wall: datetime, zone: ZoneInfo) -> datetime | None:
    """The moment at which a clock shows a time, the first of two; None if it skips it."""
    made = wall.replace(tzinfo=zone)
    return made if made.astimezone(UTC).astimezone(zone).replace(tzinfo=None) == wall else None


def minute_of(moment: datetime) -> tuple[int, int]:
    """The date and the minute of the day that a clock shows."""
    return moment.toordinal(), moment.hour * 60 + moment.minute
