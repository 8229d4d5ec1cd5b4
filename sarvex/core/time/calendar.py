"""A schedule on the calendar: what of each date it is active, what it excepts, and when it next begins or ends."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from sarvex.core.model.records import Schedule
from sarvex.core.sets import intervals
from sarvex.core.sets.intervals import Intervals
from sarvex.core.time import schedules
from sarvex.core.time.schedules import DAY, weekday

AHEAD = 366


@dataclass(frozen=True)
class Day:
    """One date in minutes of its clock."""

    date: date
    active: Intervals
    excepted: Intervals
    """Within the windows and dates, but for an exception."""
    beyond: bool
    """Whether it is before the first date or after the last."""
    skipped: Intervals
    """What the clock does not show."""
    repeated: Intervals
    """What it shows twice."""


def day_of(schedule: Schedule, day: date, zone: ZoneInfo) -> Day:
    """A schedule on one date: its minutes there by the wall clock, and beside them those that the clock skips or shows twice.

    zone: the clock that it goes by; on the two dates a year when it is moved a day has 23 or 25 hours.

    Raises `InvalidSchedule`. O(windows).
    """
    number = day.toordinal()
    low, high = weekday(number) * DAY, weekday(number) * DAY + DAY - 1
    within = intervals.first_within(schedules.between(schedule), number, number) is not None
    here = intervals.intersection(schedules.windows(schedule), ((low, high),)) if within else ()
    no_week, no_dates = schedules.exceptions(schedule)
    whole = intervals.first_within(no_dates, number, number) is not None
    excepted = here if whole else intervals.intersection(here, no_week)
    active = intervals.intersection(here, intervals.complement(excepted, low, high))
    skipped, repeated = odd_minutes(day, zone)
    return Day(day, _from(active, low), _from(excepted, low), not within, skipped, repeated)


def _from(minutes: Intervals, low: int) -> Intervals:
    return tuple((a - low, b - low) for a, b in minutes)


def odd_minutes(day: date, zone: ZoneInfo) -> tuple[Intervals, Intervals]:
    """The minutes of a date that a clock skips, and those that it shows twice, as intervals of 0 to 1439. O(1) off such dates.

    >>> odd_minutes(date(2026, 3, 29), ZoneInfo("Europe/Oslo"))
    (((120, 179),), ())
    """
    start = datetime.combine(day, time(), zone)
    after = datetime.combine(day + timedelta(days=1), time(), zone)
    if start.utcoffset() == after.utcoffset():
        return (), ()
    skipped: list[tuple[int, int]] = []
    repeated: list[tuple[int, int]] = []
    for minute in range(DAY):
        wall = start.replace(tzinfo=None) + timedelta(minutes=minute)
        one, two = (wall.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
        if one.utcoffset() != two.utcoffset():
            (repeated if schedules.shown(wall, zone) else skipped).append((minute, minute))
    return intervals.union(skipped), intervals.union(repeated)


def next_change(schedule: Schedule, now: datetime, zone: ZoneInfo) -> datetime | None:
    """When it next begins or ends, by the clock; None if that is not within a year. Raises `InvalidSchedule`."""
    active = schedules.activity(schedule)
    there = now.astimezone(zone)
    state = active.at(*schedules.minute_of(there))
    for moment in _edges(schedule, there, zone):
        if active.at(*schedules.minute_of(moment)) != state:
            return moment
    return None


def _edges(schedule: Schedule, now: datetime, zone: ZoneInfo) -> Iterator[datetime]:
    """The moments after `now` at which it may begin or end: both of those that the clock shows twice, and its jumps."""
    for ahead in range(AHEAD):
        day = now.date() + timedelta(days=ahead)
        told = day_of(schedule, day, zone)
        minutes = {0, *(edge for a, b in told.active for edge in (a, b + 1))}
        minutes |= {edge for a, b in (*told.skipped, *told.repeated) for edge in (a, b + 1)}
        midnight = datetime.combine(day, time(), zone)
        found = [
            (midnight + timedelta(minutes=minute)).replace(fold=fold)
            for minute in minutes
            if minute < DAY and intervals.first_within(told.skipped, minute, minute) is None
            for fold in (
                (0, 1) if intervals.first_within(told.repeated, minute, minute) is not None else (0,)
            )
        ]
        there = now.astimezone(UTC)
        yield from sorted((m for m in found if m.astimezone(UTC) > there), key=lambda m: m.astimezone(UTC))
