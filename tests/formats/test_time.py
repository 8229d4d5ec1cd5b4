"""Time on the command line: moments in words, findings at a moment, traces that ask for one, effects that say when."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, datetime
from itertools import product
from pathlib import Path
from zoneinfo import ZoneInfo

import clock
import jsonschema
import pytest
from typer.testing import CliRunner

from sarvex.cli.commands import app
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.walk import trace
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.model.records import Network, Policy, Rule, Schedule
from sarvex.core.sets.flows import STATES, Flow
from sarvex.core.time import moment_words
from sarvex.core.time import moments as core_moments
from sarvex.formats import access_lists, answers, document, effects, outputs, questions

LONDON = ZoneInfo("Europe/London")
NOW = datetime(2026, 11, 23, 20, 0, tzinfo=LONDON)  # a Monday
GATE = "gate-south to ramp-hmi-south on https"


@pytest.fixture(autouse=True)
def monday(monkeypatch: pytest.MonkeyPatch) -> None:
    """Analyses speak of all moments from this day on."""
    monkeypatch.setattr("sarvex.core.meaning.names.today", lambda _: NOW.date())


@pytest.mark.parametrize(
    ("text", "means"),
    [
        ("now", "2026-11-23T20:00:00+00:00"),
        ("mon 20:00", "2026-11-23T20:00:00+00:00"),
        ("mon 19:59", "2026-11-30T19:59:00+00:00"),
        ("Saturday 3:00", "2026-11-28T03:00:00+00:00"),
        ("2027-06-01T12:00", "2027-06-01T12:00:00+01:00"),
        ("2027-06-01 12:00:30", "2027-06-01T12:00:30+01:00"),
        ("2027-06-01T12:00Z", "2027-06-01T13:00:00+01:00"),
        ("2027-10-31T01:30", "2027-10-31T01:30:00+01:00"),  # shown twice: the first
        ("2027-10-31T01:30+00:00", "2027-10-31T01:30:00+00:00"),
    ],
)
def test_moments_in_words(text: str, means: str) -> None:
    assert moment_words.parse(text, LONDON, NOW).isoformat() == means


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("2027-03-28 01:30", "skips 01:30"),
        ("2027-03-28", "a whole day"),
        ("tomorrow", "no moment"),
        ("sun 24:00", "no weekday and time"),
        ("day 03:00", "no weekday and time"),
        ("0001-01-01T00:00", "no moment"),
        ("9999-12-31T23:00Z", "no moment"),
    ],
)
def test_words_that_mean_no_moment_say_why(text: str, says: str) -> None:
    with pytest.raises(moment_words.InvalidMoment, match=says):
        moment_words.parse(text, LONDON, NOW)


@pytest.mark.parametrize(
    ("moment", "verdict"),
    [
        ("thu 05:45", "allowed"),
        ("wed 05:45", "blocked"),  # the fuel boat
        ("wed 06:00", "allowed"),
        ("fri 22:30", "allowed"),
        ("sat 00:15", "allowed"),  # runs over midnight
        ("sun 00:29", "allowed"),
        ("mon 00:15", "blocked"),
        ("2026-12-25T22:45", "blocked"),
        ("2026-12-26T00:15", "blocked"),  # the date on the clock is excepted
        ("2026-12-27T00:15", "allowed"),
        ("2026-01-07T05:45", "blocked"),  # a Wednesday of the past
        ("2026-01-08T05:45", "allowed"),
    ],
)
def test_the_gate_lowers_the_ramp_while_boarding(merrow: Network, moment: str, verdict: str) -> None:
    names = Names(merrow)
    asked = questions.parse(f"{GATE} at {moment}", names, now=NOW)
    reply = answers.tell(asked, trace(merrow, names.at(asked.moment), asked.question), names.at(asked.moment))
    assert reply.verdict == verdict
    assert [part.sample.moment for part in reply.parts if part.sample] == [asked.moment]


def test_without_a_moment_the_answer_says_when(merrow: Network) -> None:
    names = Names(merrow)
    asked = questions.parse(GATE, names)
    answer = trace(merrow, names, asked.question)
    assert answers.moment_matters(answer)
    reply = answers.tell(asked, answer, names)
    assert reply.verdict == "some"
    assert reply.sentence.startswith("allowed while boarding by gate lowers the ramp; otherwise blocked by")
    assert {part.result: part.when for part in reply.parts} == {
        "delivered": "while boarding",
        "dropped": "outside boarding",
    }
    always = questions.parse("kiosk-3 to fares-db on postgres", names)
    assert not answers.moment_matters(trace(merrow, names, always.question))


def test_two_that_change_places_are_seen_to_differ(merrow: Network) -> None:
    """What passes and what is dropped both do so at all moments, though no packet does."""
    nights = merrow.schedules[1]
    days = replace(nights, name="days", windows=("daily 05:00-21:00",))
    rules = tuple(
        Rule(name=when, action="allow", source=("any",), destination=("any",), service=(port,), schedule=when)
        for when, port in (("nights", "tcp/1"), ("days", "tcp/2"))
    )
    policies = tuple(replace(p, rules=rules) if p.name == "south-ramp" else p for p in merrow.policies)
    network = replace(merrow, schedules=(*merrow.schedules, days), policies=policies)
    names = Names(network)
    for service, matters in (("tcp/1-2", True), ("tcp/3", False)):
        asked = questions.parse(f"gate-south to ramp-hmi-south on {service}", names)
        answer = trace(network, names, asked.question)
        assert answers.moment_matters(answer) == matters
        assert {t.when for t in answers.tell(asked, answer, names).parts if t.result == "dropped"} == {""}


def run(*arguments: str):
    return CliRunner().invoke(app, arguments)


@pytest.fixture
def file(tmp_path: Path, merrow: Network) -> str:
    path = tmp_path / "merrow.json"
    path.write_text(document.dump(merrow, "json"))
    return str(path)


def test_trace_asks_for_a_moment_only_where_it_matters(file: str) -> None:
    asked = run("trace", file, GATE)
    assert asked.exit_code == 2
    assert "say at which moment" in asked.stderr
    assert run("trace", file, f"{GATE} at thu 05:45").exit_code == 0
    assert run("trace", file, GATE, "--at", "wed 05:45").exit_code == 1
    assert run("trace", file, "kiosk-3 to fares-db on postgres").exit_code == 0
    told = json.loads(run("trace", file, GATE, "--at", "2026-12-03T05:45", "--format", "json").stdout)
    jsonschema.validate(told, outputs.schemas()["trace"])
    assert told["at"] == told["parts"][0]["sample"]["at"] == "2026-12-03T05:45:00+00:00"
    assert run("trace", file, GATE, "--at", "soon").exit_code == 2


def test_findings_at_a_moment(file: str) -> None:
    def rules(*more: str) -> tuple[dict, list]:
        told = json.loads(run("findings", file, "--format", "json", *more).stdout)
        jsonschema.validate(told, outputs.schemas()["findings"])
        return {r["rule"]: r for p in told["policies"] for r in p["rules"]}, told["findings"]

    always, found = rules()
    assert always["gate lowers the ramp"]["decides"] == "all"
    assert always["gate lowers the ramp"]["witness"]["at"] == "2026-11-23T05:30:00+00:00"
    assert ("pumps by hand", "expired") in {(f["rule"], f["kind"]) for f in found}
    partly = next(f for f in found if f["rule"] == "yard brings drawings")
    assert (partly["kind"], partly["when"]) == ("partly shadowed", "while nights")
    day, found = rules("--at", "tue 12:00")
    assert (day["gate lowers the ramp"]["active"], day["gate lowers the ramp"]["decides"]) == (False, "none")
    assert not [f for f in found if f["rule"] in ("yard brings drawings", "pumps by hand")]
    night, found = rules("--at", "tue 23:00")
    assert night["quiet at night"]["active"]
    assert night["yard brings drawings"]["kind"] == "shadowed"


def test_the_effect_of_a_schedule_says_when(tmp_path: Path, file: str, merrow: Network) -> None:
    """Taking the exception away opens half an hour on Wednesdays."""
    boarding, *others = merrow.schedules
    new = replace(merrow, schedules=(replace(boarding, except_=boarding.except_[1:]), *others))
    path = tmp_path / "new.json"
    path.write_text(document.dump(new, "json"))
    done = run("effect", file, str(path), "--format", "json")
    told = json.loads(done.stdout)
    jsonschema.validate(told, outputs.schemas()["effect"])
    (change,) = told["changes"]
    assert (done.exit_code, change["change"], change["after"]) == (1, "newly allowed", "gate lowers the ramp")
    assert change["boxes"][0]["when"] == [
        {"week": ["wed 05:30-06:00"]}  # the excepted dates have no Wednesday
    ]
    assert change["witness"]["at"] == "2026-11-25T05:30:00+00:00"
    assert ": https wed 05:30-06:00\n" in run("effect", file, str(path)).stdout
    assert run("effect", file, file).exit_code == 0


def test_what_only_changes_the_past_changes_nothing(merrow: Network) -> None:
    *others, spring = merrow.schedules
    earlier = replace(merrow, schedules=(*others, replace(spring, last="2026-04-01")))
    assert effects.compare(merrow, earlier).equal
    later = replace(merrow, schedules=(*others, replace(spring, last="2026-12-01")))
    (change,) = effects.compare(merrow, later).changes
    assert (change.kind, change.when) == ("newly allowed", "while spring-tides-2026")


def test_another_time_zone_is_told_to_be_outside(merrow: Network) -> None:
    told = effects.compare(merrow, replace(merrow, time_zone="Atlantic/Faroe"))
    assert told.equal is None
    assert told.outside == ("network: time zone, here Atlantic/Faroe for both",)


def test_boxes_tell_moments_exactly() -> None:
    """The union of the boxes' weeks and dates is the moments at which the outcome differs, one by one."""
    first, second = clock.SCHEDULES[0], clock.SCHEDULES[2]
    rule = Rule(
        name="r", action="allow", source=("any",), destination=("any",), service=("any",), schedule="s"
    )
    old, new = (
        Network(
            name="n",
            time_zone="Europe/London",
            schedules=(replace(schedule, name="s"),),
            policies=(Policy(name="p", default="drop", rules=(rule,)),),
        )
        for schedule in (first, second)
    )
    told = effects.effect_json(effects.compare(old, new))
    spans: dict[str, list[Schedule]] = {"newly allowed": [], "newly blocked": []}
    for change in told["changes"]:
        for span in change["boxes"][0]["when"]:
            spans[change["change"]].append(
                Schedule(
                    name="x", windows=tuple(span["week"]), first=span.get("from", ""), last=span.get("to", "")
                )
            )
    for moment in clock.every_moment():
        was, now = clock.active(first, moment), clock.active(second, moment)
        assert any(clock.active(s, moment) for s in spans["newly allowed"]) == (now and not was)
        assert any(clock.active(s, moment) for s in spans["newly blocked"]) == (was and not now)


def test_documents_with_schedules_come_back(merrow: Network) -> None:
    for form in ("yaml", "json"):
        text = document.dump(merrow, form)
        assert document.load(text) == merrow
        assert "except_" not in text
    schema = document.schema()
    assert "except" in schema["$defs"]["Schedule"]["properties"]
    jsonschema.validate(document.to_data(merrow), schema)


def test_access_lists_cannot_tell_time(merrow: Network) -> None:
    south = next(p for p in merrow.policies if p.name == "south-ramp")
    with pytest.raises(document.InvalidDocument) as refused:
        access_lists.write((south,), Names(merrow))
    assert [p.place for p in refused.value.problems] == [
        "policies[south-ramp].rules[gate lowers the ramp].schedule",
        "policies[south-ramp].rules[pumps by hand].schedule",
    ]


def test_a_day_later_what_was_on_its_last_day_is_over(merrow: Network) -> None:
    spring = merrow.schedules[2]
    for day, times in ((date(2026, 4, 6), True), (date(2026, 4, 7), False)):
        names = Names(merrow, moments_of(merrow, day))
        assert bool(names.times(spring.name)) == times


def test_states_and_moments_are_one_dimension() -> None:
    """A rule for established packets at night takes just these from one for all: every class is told."""
    names = Names(
        Network(name="n", time_zone="Europe/London", schedules=clock.SCHEDULES),
        core_moments.Moments(clock.SCHEDULES, LONDON, clock.SINCE),
    )
    rules = (
        Rule(name="a", action="drop", source=("any",), destination=("any",), service=("tcp",),
             states=("established",), schedule="tide"),
        Rule(name="b", action="allow", source=("any",), destination=("any",), service=("tcp",)),
    )  # fmt: skip
    ready = FirstMatch.of(Policy(name="p", default="drop", rules=rules), names)
    moments = clock.classes(clock.SCHEDULES)
    assert len(moments) > 4
    for state, moment in product(STATES, moments):
        takes = state == "established" and clock.active(clock.SCHEDULES[2], moment)
        assert ready.decide_one(Flow(4, 1, 2, 6, 40000, 443, state, moment)) == (0 if takes else 1)
