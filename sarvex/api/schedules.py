"""Schedules: when they are active, on the network's clock."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from fastapi import APIRouter
from pydantic import BaseModel, Field

from sarvex.api.access import Cached, Transaction
from sarvex.api.names import UseOut, use_out
from sarvex.api.shapes import Held, Moment, ProblemOut, Strict, problem_out
from sarvex.core.meaning.check import schedule_problems
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Schedule, fold
from sarvex.core.model.uses import schedule_uses
from sarvex.core.sets.intervals import Intervals
from sarvex.core.time import calendar, moment_words, schedules
from sarvex.core.time.moments import NEVER, Moments, TooManyKinds
from sarvex.service.errors import Refused
from sarvex.store.networks import one_of
from sarvex.store.things import CLOCK, Clock


class SpanOut(BaseModel):
    """Part of a day: minutes since midnight by the clock, half-open."""

    start: int
    end: int


class DayOut(BaseModel):
    """One date of a schedule."""

    date: str
    active: list[SpanOut]
    excepted: list[SpanOut]
    """Within its windows and dates, but for an exception."""
    beyond: bool
    """Whether it is before the first date or after the last."""
    skipped: list[SpanOut]
    """What the clock does not show on this date."""
    repeated: list[SpanOut]
    """What it shows twice."""


class WeekIn(Strict):
    """A schedule that may not be written yet, and a date of the week to show; no date: this week."""

    schedule: Schedule
    date: str = Field(default="", max_length=10)


class WeekOut(BaseModel):
    """How a schedule goes in one week. Nothing is told while there are problems."""

    problems: list[ProblemOut]
    today: str
    days: list[DayOut]
    echoes: list[str]
    """Windows that run into the next day, in words."""
    moments: list[str]
    """All its moments from today on, as dates and windows."""
    now: bool
    changes: Moment | None
    """When it next begins or ends, if that is within a year."""
    alike: str | None
    """Another schedule that is active at the very same moments."""


class ScheduleLine(BaseModel):
    id: int
    ver: int
    thing: Schedule
    used: list[UseOut]
    now: bool
    over: bool
    """Whether it will never be active again."""
    changes: Moment | None


class SchedulesOut(BaseModel):
    revision: int
    clock: Held[Clock]
    now: str
    """What the network's clock shows."""
    schedules: list[ScheduleLine]


router = APIRouter(prefix="/api/networks/{network_id}", tags=["schedules"])


@router.get("/schedules")
def get_schedules(network_id: int, session: Transaction, cache: Cached) -> SchedulesOut:
    """All schedules with their uses, and the clock they go by."""
    loaded = cache.open(session, network_id)
    stored, network = loaded.stored, loaded.network
    zone, now = ZoneInfo(network.time_zone), datetime.now(UTC)
    used = schedule_uses(network)
    lines = []
    for schedule in network.schedules:
        thing_id = stored.thing_id("schedule", schedule.name)
        lines.append(
            ScheduleLine(
                id=thing_id,
                ver=stored.versions[thing_id],
                thing=schedule,
                used=[use_out(u, loaded) for u in used.get(fold(schedule.name), [])],
                now=_active(schedule, now, zone),
                over=loaded.names.times(schedule.name) == NEVER,
                changes=calendar.next_change(schedule, now, zone),
            )
        )
    clock_id = stored.things["clock", CLOCK]
    clock = Held(id=clock_id, ver=stored.versions[clock_id], thing=one_of(network, "clock"))
    return SchedulesOut(
        revision=stored.revision,
        clock=clock,
        now=moment_words.spell(now.astimezone(zone)),
        schedules=lines,
    )


@router.post("/schedules/week")
def week_of_schedule(network_id: int, body: WeekIn, session: Transaction, cache: Cached) -> WeekOut:
    """How a schedule, written already or not, goes in one week, exceptions and jumps of the clock included."""
    loaded = cache.open(session, network_id)
    zone, now = ZoneInfo(loaded.network.time_zone), datetime.now(UTC)
    today = now.astimezone(zone).date()
    found = schedule_problems(body.schedule)
    if found:
        problems = [problem_out(p) for p in found]
        return WeekOut(
            problems=problems,
            today=today.isoformat(),
            days=[],
            echoes=[],
            moments=[],
            now=False,
            changes=None,
            alike=None,
        )
    shown = _date(body.date) if body.date else today
    monday = shown - timedelta(days=shown.weekday())
    week = [calendar.day_of(body.schedule, monday + timedelta(days=n), zone) for n in range(7)]
    echoes = [schedules.echo(text) for text in body.schedule.windows]
    return WeekOut(
        problems=[],
        today=today.isoformat(),
        days=[_day(day) for day in week],
        echoes=[text for text in echoes if text],
        moments=_moments(body.schedule, zone, loaded.day),
        now=_active(body.schedule, now, zone),
        changes=calendar.next_change(body.schedule, now, zone),
        alike=next((s.name for s in loaded.network.schedules if _alike(s, body.schedule)), None),
    )


def _alike(one: Schedule, other: Schedule) -> bool:
    """Whether two of different names are active at the very same moments."""
    return fold(one.name) != fold(other.name) and schedules.activity(one) == schedules.activity(other)


def _active(schedule: Schedule, now: datetime, zone: ZoneInfo) -> bool:
    return schedules.activity(schedule).at(*schedules.minute_of(now.astimezone(zone)))


def _date(text: str) -> date:
    try:
        return date.fromordinal(schedules.parse_date(text))
    except schedules.InvalidSchedule as error:
        raise Refused([Problem(("date",), str(error))]) from None


def _moments(schedule: Schedule, zone: ZoneInfo, since: date) -> list[str]:
    try:
        alone = Moments((schedule,), zone, since)
    except TooManyKinds as error:
        return [str(error)]
    times = alone.times(schedule.name)
    return ["never"] if times == NEVER else [str(span) for span in alone.spans(times)]


def _day(day: calendar.Day) -> DayOut:
    return DayOut(
        date=day.date.isoformat(),
        active=_spans(day.active),
        excepted=_spans(day.excepted),
        beyond=day.beyond,
        skipped=_spans(day.skipped),
        repeated=_spans(day.repeated),
    )


def _spans(minutes: Intervals) -> list[SpanOut]:
    return [SpanOut(start=low, end=high + 1) for low, high in minutes]
