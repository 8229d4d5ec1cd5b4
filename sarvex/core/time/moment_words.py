"""Moments in words: ISO 8601, `now`, or a weekday and a time, which means the next one."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from sarvex.core.time.schedules import DAYS, FULL_DAYS, shown

_WEEKLY = re.compile(r"([a-z]+)\s+(\d{1,2}):(\d{2})")


class InvalidMoment(ValueError):
    """It cannot be read, or there is no such moment."""


def parse(text: str, zone: ZoneInfo, now: datetime | None = None) -> datetime:
    """The moment that words mean on the clock of a zone. Raises `InvalidMoment`.

    A time that the clock shows twice is the first of the two unless the text gives its offset from UTC.
    """
    now = (now or datetime.now(UTC)).astimezone(zone)
    word = text.strip().lower()
    if word == "now":
        return now
    weekly = _WEEKLY.fullmatch(word)
    wall = _next(weekly[1], int(weekly[2]), int(weekly[3]), now, text) if weekly else _iso(text.strip())
    if wall.tzinfo is not None:
        return wall.astimezone(zone)
    made = shown(wall, zone)
    if made is None:
        raise InvalidMoment(f"the clock in {zone.key} skips {wall:%H:%M} on {wall:%Y-%m-%d}")
    return made


def weekly(text: str) -> int | None:
    """The minute of the week of a weekday and a time; None for other words. Raises `InvalidMoment`."""
    words = _WEEKLY.fullmatch(text.strip().lower())
    if words is None:
        return None
    monday = datetime(2001, 1, 1)
    found = _next(words[1], int(words[2]), int(words[3]), monday.replace(tzinfo=UTC), text)
    return int((found - monday).total_seconds()) // 60


def _next(day: str, hour: int, minute: int, now: datetime, text: str) -> datetime:
    names = zip(DAYS, FULL_DAYS, strict=True)
    number = next((n for n, (short, full) in enumerate(names) if day in (short, full.lower())), None)
    if number is None or hour > 23 or minute > 59:
        raise InvalidMoment(f"{text!r} is no weekday and time; write it as sat 03:00")
    there = now.replace(tzinfo=None)
    found = there.replace(hour=hour, minute=minute, second=0, microsecond=0)
    found += timedelta(days=(number - now.weekday()) % 7)
    return found if found >= there else found + timedelta(days=7)


def _iso(text: str) -> datetime:
    try:
        made = datetime.fromisoformat(text)
    except ValueError:
        made = None
    if made is None or not date(1, 1, 3) < made.date() < date(9998, 12, 30):
        raise InvalidMoment(f"{text!r} is no moment; write it as 2026-11-28T03:00, sat 03:00 or now")
    if len(text) <= 10:
        raise InvalidMoment(f"{text!r} is a whole day; add a time, as in {made:%Y-%m-%d}T03:00")
    return made


def spell(moment: datetime) -> str:
    """A moment for reading: weekday, date and time on the clock it is meant by."""
    return f"{DAYS[moment.weekday()]} {moment:%Y-%m-%d %H:%M}"
