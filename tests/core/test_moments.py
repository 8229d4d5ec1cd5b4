"""Schedules and classes of moments against a clock read a moment at a time."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import clock
import pytest
from clock import LONDON, SINCE

from sarvex.core.findings import of_rules
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.meaning.packet_sets import CLASSES, class_intervals, times_intervals, times_of
from sarvex.core.model.records import Network, Policy, Rule, Schedule
from sarvex.core.sets import intervals
from sarvex.core.time import calendar, schedules
from sarvex.core.time.moments import ALWAYS, NEVER, Moments, OutOfReach, Span, TooManyKinds
from sarvex.formats import finding_words


def one(**parts: object) -> Schedule:
    return Schedule(**{"name": "s", "windows": ("daily",), **parts})  # type: ignore[arg-type]


def at(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=LONDON)


@pytest.mark.parametrize("round_", range(60))
def test_a_schedule_is_active_when_every_window_and_date_says_so(round_: int, rng: random.Random) -> None:
    schedule = clock.random_schedule(rng, "s")
    made = schedules.activity(schedule)
    for moment in clock.every_moment():
        local = moment.astimezone(LONDON)
        assert made.at(*schedules.minute_of(local)) == clock.active(schedule, moment)


@pytest.mark.parametrize("round_", range(40))
def test_kinds_of_moments_are_those_that_schedules_tell_apart(round_: int, rng: random.Random) -> None:
    listed = [clock.random_schedule(rng, f"s{n}") for n in range(rng.randint(1, 4))]
    moments = Moments(listed, LONDON, SINCE)
    assert len(moments.classes) == len(clock.classes(tuple(listed)))
    for kind in moments.classes.values():
        first = moments.first(kind)
        assert first is None or moments.class_at(first) == kind
    for moment in rng.sample(list(clock.every_moment()), 60):
        kind = moments.class_at(moment)
        for schedule in listed:
            assert bool(moments.times(schedule.name) >> kind & 1) == clock.active(schedule, moment)
        first = moments.first(kind)
        assert first is None or first <= moment or moments.class_at(first) == kind


@pytest.mark.parametrize("round_", range(40))
def test_a_set_of_moments_is_told_exactly(round_: int, rng: random.Random) -> None:
    """Dates and windows, read again as a schedule each, are the set and nothing else."""
    listed = [clock.random_schedule(rng, f"s{n}") for n in range(2)]
    moments = Moments(listed, LONDON, SINCE)
    a, b = (moments.times(s.name) for s in listed)
    for times in (a, ~a, a & b, a | b, a & ~b, ~a & ~b):
        told = [as_schedule(span) for span in moments.spans(times)]
        for moment in clock.every_moment():
            inside = bool(times >> moments.class_at(moment) & 1)
            assert any(clock.active(s, moment) for s in told) == inside


def as_schedule(span: Span) -> Schedule:
    first, last = (day.isoformat() if day else "" for day in (span.first, span.last))
    return Schedule(name="told", windows=span.week, first=first, last=last)


@pytest.mark.parametrize("round_", range(40))
def test_the_week_is_spelled_as_it_is_read(round_: int, rng: random.Random) -> None:
    minutes = schedules.windows(clock.random_schedule(rng, "s"))
    again = intervals.union(
        run for text in schedules.spell_week(minutes) for run in schedules.parse_window(text).minutes
    )
    assert again == minutes


@pytest.mark.parametrize(
    ("text", "week"),
    [
        ("fri 20:00-mon 06:00", ["mon 00:00-06:00", "fri 20:00-24:00", "sat", "sun"]),
        ("wed 08:00-wed 12:00", ["wed 08:00-12:00"]),
        ("Tuesday 22:00 - wed 04:00", ["tue 22:00-04:00"]),
        ("sun 12:00-sun 11:00", ["daily 00:00-24:00 but sun 11:00-12:00"]),
    ],
)
def test_a_window_may_go_over_several_days(text: str, week: list[str]) -> None:
    minutes = intervals.union(schedules.parse_window(text).minutes)
    if "but" in week[0]:
        gap = schedules.parse_window("sun 11:00-12:00").minutes
        assert minutes == intervals.complement(gap, 0, schedules.WEEK - 1)
    else:
        assert minutes == intervals.union(m for w in week for m in schedules.parse_window(w).minutes)
    assert schedules.echo("fri 20:00-mon 06:00") == "Friday 20:00 until Monday 06:00"
    assert schedules.echo("wed 08:00-wed 12:00") is None


def test_sets_of_moments_are_sets(rng: random.Random) -> None:
    """The last kind goes on for ever, so the set operations hold however many kinds there are."""
    for _ in range(200):
        bits = rng.getrandbits(9)
        times = bits - 512 if bits & 256 else bits
        runs = times_intervals(times)
        assert [n for n in range(12) if any(low <= n <= high for low, high in runs)] == [
            n for n in range(12) if times >> n & 1
        ]
        assert times_of(class_intervals(("established", "invalid"), times)) == times
        assert intervals.union(times_intervals(~times)) == intervals.complement(
            intervals.union(runs), 0, CLASSES - 1
        )
    assert class_intervals((), ALWAYS) == [(0, 4 * CLASSES - 1)]
    assert class_intervals((), NEVER) == []


def test_words_name_schedules_where_they_can() -> None:
    listed = [one(name="boarding", windows=("daily 05:00-07:00",)), one(name="winter", last="2026-12-01")]
    moments = Moments(listed, LONDON, SINCE)
    a, b = moments.times("boarding"), moments.times("winter")
    told = {times: moments.words(times) for times in (ALWAYS, a, ~a, a & b, a & ~b, a | b, ~a & ~b, NEVER)}
    assert told == {
        ALWAYS: "", a: "while boarding", ~a: "outside boarding", a & b: "while boarding and winter",
        a & ~b: "while boarding but not winter", a | b: "while boarding or winter",
        ~a & ~b: "outside boarding and winter", NEVER: "never",
    }  # fmt: skip
    assert Moments(listed[:1], LONDON, SINCE).words(moments.times("winter") ^ ALWAYS) != ""


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("mon-fri 08:00-08:00", "ends as it begins"),
        ("mon 24:00-25:00", "no time of day"),
        ("mon 24:00-02:00", "begins before 24:00"),
        ("mon 08:60-09:00", "no time of day"),
        ("moon 08:00-09:00", "'moon' is no day"),
        ("mon-wed-fri", "a first and a last"),
        ("08:00", "no window"),
        ("", "no window"),
        ("2026-12-24", "no window"),
        ("fri 20:00-fri 20:00", "all of the week is written daily"),
        ("fri 24:00-mon 06:00", "begins before 24:00"),
        ("fri 20:00-moon 06:00", "'moon' is no day"),
        ("fri,sat 20:00-mon 06:00", "no window"),
    ],
)
def test_windows_that_cannot_be_read_say_why(text: str, says: str) -> None:
    with pytest.raises(schedules.InvalidSchedule, match=says):
        schedules.parse_window(text)


@pytest.mark.parametrize(
    ("parts", "place", "says"),
    [
        ({"windows": ()}, "windows", "at least one window"),
        ({"windows": ("daily", "noon")}, "windows[1]", "'noon' is no day"),
        ({"except_": ("2026-02-30",)}, "except[0]", "no date"),
        ({"except_": ("2026-12-26 to 2026-12-24",)}, "except[0]", "ends before it begins"),
        ({"windows": ("daily",) * 501}, "windows", "at most 500"),
        ({"except_": ("Christmas",)}, "except[0]", "'christmas' is no day"),
        ({"first": "1 May"}, "first", "no date"),
        ({"first": "2026-05-02", "last": "2026-05-01"}, "last", "ends before it begins"),
    ],
)
def test_schedules_that_cannot_be_read_say_where(parts: dict[str, object], place: str, says: str) -> None:
    (found,) = problems(Network(name="n", schedules=(one(**parts),)))
    assert found.place == f"schedules[s].{place}"
    assert says in found.message


def test_unknown_zones_and_schedules_are_told() -> None:
    rule = Rule(
        name="r", action="allow", source=("any",), destination=("any",), service=("any",), schedule="boardin"
    )
    network = Network(
        name="n",
        time_zone="Europe/Londn",
        schedules=(one(name="boarding"), one(name="Boarding")),
        policies=(Policy(name="p", default="drop", rules=(rule,)),),
    )
    found = {p.place: p.message for p in problems(network)}
    assert "did you mean Europe/London" in found["time_zone"]
    assert "did you mean boarding" in found["policies[p].rules[r].schedule"]
    assert "taken already" in found["schedules[Boarding].name"]


def test_more_kinds_than_can_be_told_apart_are_refused() -> None:
    listed = [one(name=f"s{n}", windows=(f"daily {n:02}:00-{n + 11:02}:00",)) for n in range(12)]
    dated = [
        one(name=f"d{n}", first=f"20{60 + n // 12}-{n % 12 + 1:02}-01", last="2099-01-01") for n in range(190)
    ]
    with pytest.raises(TooManyKinds):
        Moments([*listed, *dated], LONDON, SINCE)
    (found,) = problems(Network(name="n", schedules=(*listed, *dated)))
    assert found.place == "schedules"


# Clocks that jump -----------------------------------------------------------------------------------------------------

SPRING, AUTUMN = "2027-03-28", "2027-10-31"


def test_a_skipped_hour_has_no_moment() -> None:
    gap = one(windows=("sun 01:15-01:45",), first=SPRING, last=SPRING)
    assert Moments((gap,), LONDON, SINCE).times("s") == NEVER
    every = one(windows=("sun 01:15-01:45",))  # on other Sundays there is
    assert Moments((every,), LONDON, SINCE).times("s") != NEVER
    reaching = one(windows=("sun 01:15-02:15",), first=SPRING, last=SPRING)
    moments = Moments((reaching,), LONDON, SINCE)
    assert moments.at(at(f"{SPRING}T02:00")) == moments.times("s")
    assert moments.first(moments.class_at(at(f"{SPRING}T02:05"))) == at(f"{SPRING}T02:00")
    day = calendar.day_of(every, date.fromisoformat(SPRING), LONDON)
    assert (day.skipped, day.repeated) == (((60, 119),), ())


def test_a_repeated_hour_counts_twice() -> None:
    twice = one(windows=("sun 01:30-02:00",))
    moments = Moments((twice,), LONDON, SINCE)
    start = datetime(2027, 10, 31, 0, 0, tzinfo=UTC)  # 01:00 in summer time; the clock goes back at 02:00
    active = [
        minute
        for minute in range(150)
        if moments.times("s") >> moments.class_at(start + timedelta(minutes=minute)) & 1
    ]
    assert active == [*range(30, 60), *range(90, 120)]
    day = calendar.day_of(twice, date.fromisoformat(AUTUMN), LONDON)
    assert (day.skipped, day.repeated) == ((), ((60, 119),))


@pytest.mark.parametrize("round_", range(25))
def test_the_next_change_is_the_first_moment_at_which_it_differs(round_: int, rng: random.Random) -> None:
    schedule = clock.random_schedule(rng, "s")
    now = rng.choice(list(clock.every_moment()))
    told = calendar.next_change(schedule, now, LONDON)
    later = [m for m in clock.every_moment() if m > now]
    differs = [m for m in later if clock.active(schedule, m) != clock.active(schedule, now)]
    if differs:
        assert told == differs[0]
    elif told is not None:
        assert not later or told > later[-1]


@pytest.mark.parametrize(
    ("window", "now", "change"),
    [
        ("sun 01:30-02:30", "2027-03-27T12:00+00:00", "2027-03-28T02:00+01:00"),  # begins in the skipped hour
        ("sun 00:30-01:30", "2027-03-28T00:45+00:00", "2027-03-28T02:00+01:00"),  # ends there
        ("sun 01:10-01:50", "2027-03-27T12:00+00:00", "2027-04-04T01:10+01:00"),  # lies there: a week later
        (
            "sun 01:30-02:00",
            "2027-10-31T00:35+00:00",
            "2027-10-31T01:00+00:00",
        ),  # the clock goes back: not yet again
        ("sun 01:30-02:00", "2027-10-31T01:05+00:00", "2027-10-31T01:30+00:00"),  # a second time
        ("sun 01:30-02:00", "2027-10-31T01:35+00:00", "2027-10-31T02:00+00:00"),
    ],
)
def test_the_next_change_minds_the_clock_that_jumps(window: str, now: str, change: str) -> None:
    told = calendar.next_change(one(windows=(window,)), datetime.fromisoformat(now), LONDON)
    assert told is not None
    assert told.astimezone(UTC) == datetime.fromisoformat(change).astimezone(UTC)


# What rules and findings make of them ---------------------------------------------------------------------------------


def report(rules: list[Rule], *listed: Schedule, only: datetime | None = None) -> of_rules.PolicyReport:
    policy = Policy(name="p", default="drop", rules=tuple(rules))
    network = Network(name="n", time_zone="Europe/London", schedules=listed, policies=(policy,))
    names = Names(network, moments_of(network, SINCE, only))
    return of_rules.report(policy, names)


def rule(name: str, action: str, schedule: str | None = None, port: str = "tcp/443") -> Rule:
    return Rule(
        name=name, action=action, source=("10.44.0.0/24",), destination=("any",), service=(port,),
        schedule=schedule, description="d",
    )  # fmt: skip


PAST = one(name="past", first="2026-01-01", last="2026-02-01")
NIGHTS = one(name="nights", windows=("daily 22:00-05:00",))
DAYS = one(name="days", windows=("daily 05:00-22:00",))


def kinds(told: of_rules.PolicyReport) -> list[tuple[str, str | None]]:
    return [(f.kind, f.rule) for f in told.findings]


def test_what_will_never_be_active_again_is_expired_and_decides_nothing() -> None:
    told = report([rule("old", "drop", "past"), rule("new", "allow")], PAST)
    assert kinds(told) == [("expired", "old")]
    assert "last so on 2026-02-01" in finding_words.text(told.findings[0])
    assert [(r.decides, r.kind) for r in told.rules] == [("none", None), ("all", None)]


def test_what_was_there_for_a_while_is_over_after_its_last_date() -> None:
    over, last_day = (replace(rule("visit", "allow"), until=day) for day in ("2026-11-22", "2026-11-23"))
    told = report([over, rule("new", "allow")])
    assert kinds(told) == [("expired", "visit")]
    assert "for a while, until 2026-11-22" in finding_words.text(told.findings[0])
    assert told.rules[0].decides == "none"
    told = report([last_day, rule("rest", "reject")])
    assert [r.decides for r in told.rules] == ["all", "part"] and kinds(told) == []
    assert told.rules[1].witness is not None and told.rules[1].witness.moment == at("2026-11-24T00:00")
    nightly = replace(rule("night", "allow", "nights"), until="2026-11-24")
    asked = [("2026-11-24T23:59", "all"), ("2026-11-25T00:01", "none")]
    assert [report([nightly], NIGHTS, only=at(m)).rules[0].decides for m, _ in asked] == [d for _, d in asked]
    assert not kinds(report([nightly], NIGHTS, only=at("2026-11-25T00:01")))


def test_times_until_a_date_are_told_as_dates() -> None:
    network = Network(name="n", time_zone="Europe/London", schedules=(NIGHTS,))
    moments = moments_of(network, SINCE, ends=("2026-12-01", "2026-11-30"))
    until = moments.until("2026-11-30")
    assert [moments.words(t) for t in (until, ~until, until & moments.times("nights"))] == [
        "until 2026-11-30", "from 2026-12-01", "daily 22:00-05:00 until 2026-11-30",
    ]  # fmt: skip
    assert until | moments.until("2026-12-01") == moments.until("2026-12-01")
    with pytest.raises(KeyError):
        moments.until("2026-12-02")


def test_a_schedule_without_any_moment_makes_a_rule_empty() -> None:
    never = one(name="never", windows=("mon",), except_=("mon-wed",))
    told = report([rule("void", "drop", "never")], never)
    assert kinds(told) == [("empty", "void")]
    assert "never leaves no moment" in finding_words.text(told.findings[0])


def test_two_halves_of_the_day_shadow_what_is_there_all_day() -> None:
    told = report([rule("a", "drop", "nights"), rule("b", "drop", "days"), rule("c", "allow")], NIGHTS, DAYS)
    assert (told.rules[2].decides, told.rules[2].kind) == ("none", "shadowed")
    assert told.rules[2].by == ("a", "b")
    told = report([rule("a", "drop", "nights"), rule("c", "allow")], NIGHTS, DAYS)
    assert told.rules[1].decides == "part"
    assert told.rules[1].witness is not None
    assert told.rules[1].witness.moment == at("2026-11-23T05:00")


def test_rules_that_are_never_active_together_are_no_pair() -> None:
    wide = replace(rule("b", "allow", "days"), source=("10.44.0.0/16",), destination=("10.44.9.0/24",))
    assert "order-sensitive pair" not in dict(
        kinds(report([rule("a", "drop", "nights"), wide], NIGHTS, DAYS))
    )
    both = replace(wide, schedule=None)
    told = report([rule("a", "drop", "nights"), both], NIGHTS, DAYS)
    pair = next(f for f in told.findings if f.kind == "order-sensitive pair")
    partly = next(f for f in told.findings if f.kind == "partly shadowed")
    assert pair.when == partly.when == "while nights"
    assert "only while nights" in finding_words.text(partly)


def test_at_one_moment_what_is_not_active_is_passed_over_without_a_word() -> None:
    rules = [rule("a", "drop", "nights"), rule("c", "allow"), rule("p", "drop", "past", "udp")]
    night = report(rules, NIGHTS, PAST, only=at("2026-11-24T23:00"))
    assert [r.decides for r in night.rules] == ["all", "none", "none"]
    assert kinds(night) == [("shadowed", "c")]
    noon = report(rules, NIGHTS, PAST, only=at("2026-11-24T12:00"))
    assert [r.decides for r in noon.rules] == ["none", "all", "none"]
    assert kinds(noon) == []


def test_a_past_moment_is_out_of_reach_of_names_for_today_on() -> None:
    network = Network(name="n", time_zone="Europe/London", schedules=(PAST,))
    names = Names(network, moments_of(network, SINCE))
    with pytest.raises(OutOfReach):
        names.moments.class_at(at("2026-01-05T12:00"))
    assert names.at(at("2026-01-05T12:00")).times("past") == ALWAYS
    assert names.at(at("2026-11-25T12:00")) is names
