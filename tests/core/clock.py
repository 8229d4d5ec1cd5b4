"""An independent reading of schedules: a moment at a time, by asking every window and date. Slow and obvious."""

from __future__ import annotations

import functools
import random
from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from sarvex.core.model.records import Schedule

LONDON = ZoneInfo("Europe/London")
SINCE = date(2026, 11, 23)
"""A Monday. All dates of random schedules are in the fortnight from it on, so four weeks show all there is."""
WEEKS = 4
WEEK = 7 * 24 * 60
STEP = timedelta(minutes=30)
NAMES = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]


FRIDAY = datetime(2026, 11, 27, 5, 0, tzinfo=UTC)


def active(schedule: Schedule, moment: datetime) -> bool:
    local = moment.astimezone(LONDON)
    day = local.date().isoformat()
    if (schedule.first and day < schedule.first) or (schedule.last and day > schedule.last):
        return False
    for text in schedule.except_:
        first, _, last = text.partition(" to ")
        if first[0].isdigit() and "-" in first and ":" not in first:
            if first <= day <= (last or first):
                return False
        elif _in_window(text, local.weekday(), local.hour * 60 + local.minute):
            return False
    return any(_in_window(t, local.weekday(), local.hour * 60 + local.minute) for t in schedule.windows)


@functools.cache
def _in_window(text: str, day: int, minute: int) -> bool:
    words = text.split()
    if len(words) == 3:  # fri 20:00-mon 06:00: minute by minute from its beginning to its end
        first, (begins, last), ends = words[0], words[1].split("-"), words[2]
        at, until = _minute_of_week(first, begins), _minute_of_week(last, ends)
        inside = set()
        while at % WEEK != until % WEEK or not inside:
            inside.add(at % WEEK)
            at += 1
        return day * 24 * 60 + minute in inside
    days, start, end = set(range(7)), 0, 24 * 60
    for word in words:
        if ":" in word:
            start, end = (int(t.split(":")[0]) * 60 + int(t.split(":")[1]) for t in word.split("-"))
        else:
            days = _days(word)
    if start < end:
        return day in days and start <= minute < end
    return (day in days and minute >= start) or ((day - 1) % 7 in days and minute < end)


def _minute_of_week(day: str, time: str) -> int:
    hours, minutes = time.split(":")
    return NAMES.index(day) * 24 * 60 + int(hours) * 60 + int(minutes)


def _days(word: str) -> set[int]:
    found = set()
    for part in word.split(","):
        if part == "daily":
            return set(range(7))
        first, last = (NAMES.index(end) for end in (part.split("-") * 2)[:2])
        while first != last:
            found.add(first)
            first = (first + 1) % 7
        found.add(last)
    return found


def every_moment() -> Iterable[datetime]:
    first = datetime.combine(SINCE, datetime.min.time(), LONDON).astimezone(UTC)
    return (first + n * STEP for n in range(WEEKS * 7 * 48))


@functools.cache
def classes(schedules: tuple[Schedule, ...]) -> tuple[datetime, ...]:
    """One moment for each different set of active schedules."""
    found: dict[tuple[bool, ...], datetime] = {}
    for moment in every_moment() if schedules else [next(iter(every_moment()))]:
        found.setdefault(tuple(active(s, moment) for s in schedules), moment)
    return tuple(found.values())


def random_schedule(rng: random.Random, name: str) -> Schedule:
    def window() -> str:
        first, last = rng.choice(NAMES), rng.choice(NAMES)
        days = rng.choice(["daily", first, f"{first}-{last}", f"{first},{last}"])
        start, end = rng.sample(range(48), 2)
        times = f"{start // 2:02}:{start % 2 * 30:02}-{end // 2:02}:{end % 2 * 30:02}"
        begins, ends = times.split("-")
        return rng.choice(
            [days, times, f"{days} {times}", f"{days} {times}", f"{first} {begins}-{last} {ends}"]
        )

    def dates() -> list[str]:
        two = sorted(rng.sample(range(14), 2))
        return [(SINCE + timedelta(days=n)).isoformat() for n in two]

    first, last = dates()
    bounds = rng.choice([{}, {}, {"first": first}, {"last": last}, {"first": first, "last": last}])
    exceptions = []
    for _ in range(rng.choice([0, 0, 1, 2])):
        exceptions.append(rng.choice([window(), dates()[0], " to ".join(dates())]))
    return Schedule(
        name=name,
        windows=tuple(window() for _ in range(rng.choice([1, 1, 2]))),
        except_=tuple(exceptions),
        **bounds,
    )


SCHEDULES = (
    Schedule(name="boarding", windows=("mon-fri 05:30-07:00", "sat,sun 22:00-02:00")),
    Schedule(name="winter", windows=("daily",), first="2026-11-25", last="2026-12-01"),
    Schedule(
        name="tide", windows=("daily 04:00-12:00",), except_=("wed 05:00-06:00", "2026-11-27 to 2026-11-29")
    ),
)

ENDS = "2026-11-26", "2026-12-01"
"""Last dates of rules that are there for a while."""
LASTING = tuple(Schedule(name=f"until {end}", windows=("daily",), last=end) for end in ENDS)
"""Schedules that are active as long as such rules are."""


def lasts(until: str, moment: datetime) -> bool:
    """Whether what is there until the end of a date is there at a moment."""
    return not until or moment.astimezone(LONDON).date() <= date.fromisoformat(until)
