"""Flows as CSV."""

from __future__ import annotations

import csv
import io
from datetime import UTC, date, datetime

import pytest

from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.walk import NO_ROUTE_CARRIES
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.model.records import Network, Policy, Rule, Schedule
from sarvex.formats import flow_table


def decide(network: Network, text: str, at: datetime | None = None) -> tuple[list[list[str]], bool]:
    policy = network.policies[0]

    def ready(since: date) -> FirstMatch:
        return FirstMatch.of(policy, Names(network, moments_of(network, since)))

    table = flow_table.decide(text, ready(date(2026, 11, 23)), ready, at)
    out, good = table.text(), not table.errors
    return [row[-3:] for row in csv.reader(io.StringIO(out))][1:], good


HEAD = "family,src,dst,proto,sport,dport,icmp_type,icmp_code,state\n"


def test_verdicts(worked_example: Network) -> None:
    rows, good = decide(
        worked_example,
        HEAD
        + "4,10.44.201.16,10.44.34.10,6,40000,8883,,,\n"
        + "ipv4,10.44.200.1,10.44.34.10,udp,40000,18110,,,new\n"
        + ",10.44.200.1,10.44.34.10,17,40000,18119,,,established\n"
        + "6,fd00::1,fd00::2,icmp6,,,128,0,\n"
        + "4,10.44.200.1,10.44.34.10,gre,,,,,\n",
    )
    assert good
    assert [(v, r) for v, r, _ in rows] == [
        ("drop", "no-petrel"), ("allow", "sensors"), ("allow", "wide-feed"), ("drop", "otherwise-logged"), ("drop", "otherwise-logged"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("4,10.44.1.1,fd00::1,6,1,2,,,", "different families"),
        ("6,10.44.1.1,10.44.1.2,6,1,2,,,", "but the addresses are IPv4"),
        ("4,10.44.1.0/24,10.44.1.2,6,1,2,,,", "more than one address"),
        ("4,any,10.44.1.2,6,1,2,,,", "more than one address"),
        ("4,10.44.1.1,10.44.1.2,6,,2,,,", "sport: a number from 0 to 65535"),
        ("4,10.44.1.1,10.44.1.2,6,1,70000,,,", "dport: a number"),
        ("4,10.44.1.1,10.44.1.2,6,1,2,8,,", "icmp_type: protocol 6 has none"),
        ("4,10.44.1.1,10.44.1.2,1,,,8,,", "icmp_code: a number from 0 to 255"),
        ("4,10.44.1.1,10.44.1.2,58,,,128,0,", "icmp_type: protocol 58 has none over IPv4"),
        ("4,10.44.1.1,10.44.1.2,300,,,,,", "no protocol number or name"),
        ("4,10.44.1.1,10.44.1.2,47,,,,,old", "state"),
        ("4,10.44.1.1,10.44.1.2,47,,,,,,,", "values for 9 columns"),
    ],
)
def test_a_bad_row_stops_nothing(worked_example: Network, row: str, says: str) -> None:
    rows, good = decide(worked_example, HEAD + row + "\n4,10.44.1.1,10.44.1.2,47,,,,,\n")
    assert not good
    assert rows[0][0] == "error" and says in rows[0][1]
    assert rows[1][:2] == ["drop", "otherwise-logged"]


def test_unknown_ports_matter_only_where_ports_are_looked_at() -> None:
    rule = Rule(
        name="r", action="allow", source=("10.44.1.1",), destination=("any",), service=("sctp/36412",)
    )
    network = Network(name="n", policies=(Policy(name="p", default="drop", rules=(rule,)),))
    rows, good = decide(network, HEAD + "4,10.44.1.1,10.44.1.2,132,,,,,\n4,10.44.1.2,10.44.1.2,132,,,,,\n")
    assert not good
    assert [r[0] for r in rows] == ["error", "drop"]


@pytest.mark.parametrize(
    "text", ["", "src,dst\n", "src,dst,proto,verdict\n", "src,src,dst,proto\n", 'src,dst,proto\n"a']
)
def test_unusable_tables_are_refused(worked_example: Network, text: str) -> None:
    with pytest.raises(flow_table.InvalidFlows):
        decide(worked_example, text)


def scheduled() -> Network:
    def rule(name: str, service: str, schedule: str | None) -> Rule:
        return Rule(
            name=name, action="allow", source=("10.44.1.0/24",), destination=("any",), service=(service,),
            schedule=schedule,
        )  # fmt: skip

    rules = (
        rule("nightly", "tcp/873", "nights"),
        rule("old", "tcp/21", "old"),
        rule("always", "tcp/443", None),
    )
    nights = Schedule(name="nights", windows=("daily 22:00-05:00",), except_=("sat",))
    old = Schedule(name="old", windows=("daily",), last="2026-03-31")
    return Network(
        name="n",
        time_zone="Europe/London",
        schedules=(nights, old),
        policies=(Policy(name="p", default="drop", rules=rules),),
    )


TIMED = "src,dst,proto,sport,dport,at\n"


@pytest.mark.parametrize(
    ("port", "at", "verdict", "rule"),
    [
        (873, "2026-11-24T23:00", "allow", "nightly"),
        (873, "2026-11-24T12:00", "drop", "default"),
        (873, "2026-11-25T04:59:59", "allow", "nightly"),
        (873, "2026-11-25T05:00", "drop", "default"),
        (873, "2026-11-27T23:59", "allow", "nightly"),  # Friday's window runs on, but Saturday is excepted
        (873, "2026-11-28T00:00", "drop", "default"),
        (873, "2026-06-30T21:30Z", "allow", "nightly"),  # 22:30 in summer time
        (873, "2026-11-30T21:30Z", "drop", "default"),
        (21, "2026-03-31T23:59:59", "allow", "old"),
        (21, "2026-04-01T00:00", "drop", "default"),
        (443, "", "allow", "always"),
        (21, "", "drop", "default"),  # from today on it is over
        (873, "", "error", flow_table.MOMENT_ASKED),
        (873, "yesterday", "error", "no moment"),
        (873, "2027-03-28T01:30", "error", "skips 01:30"),
    ],
)
def test_a_flow_is_decided_at_its_moment(port: int, at: str, verdict: str, rule: str) -> None:
    ((told, by, _),), good = decide(scheduled(), f"{TIMED}10.44.1.1,10.44.2.1,6,40000,{port},{at}\n")
    assert (told, good) == (verdict, verdict != "error")
    assert rule in by


def test_a_moment_for_all_is_for_those_that_tell_none() -> None:
    rows = "10.44.1.1,10.44.2.1,6,40000,873,\n10.44.1.1,10.44.2.1,6,40000,873,2026-11-24T12:00\n"
    noon, night = (datetime(2026, 11, 24, hour, tzinfo=UTC) for hour in (12, 23))
    for at, verdicts in ((noon, ["drop", "drop"]), (night, ["allow", "drop"])):
        told, good = decide(scheduled(), TIMED + rows, at)
        assert good and [row[0] for row in told] == verdicts


def through(network: Network, text: str, at: datetime | None = None) -> list[list[str]]:
    table = flow_table.decide_through(text, network, Names(network), at)
    assert table.results == flow_table.THROUGH
    assert table.columns[-4:] == ["verdict", "rule", "policy", "course"]
    return [row[-4:] for row in table.rows]


FLOWS = """\
src,dst,proto,sport,dport
10.44.64.10,10.44.30.10,tcp,50000,502
10.44.10.13,10.44.50.5,tcp,50000,5432
10.44.180.10,10.44.250.4,tcp,50000,443
10.44.10.13,224.0.0.5,udp,1,2
10.44.10.13,10.44.10.14,udp,1,2
nowhere,10.44.10.14,udp,1,2
"""


def test_through_the_whole_network_the_course_is_told(merrow: Network) -> None:
    assert through(merrow, FLOWS) == [
        ["blocked", "no guests inside", "guest-manners", "eastpier-lock"],
        ["allowed", "kiosks read fares", "ticketing", "eastpier-lock"],
        ["blocked", "default", "office-itself", "drydock-lock, office-lock"],
        ["undetermined", NO_ROUTE_CARRIES, "", ""],
        ["allowed", "passes no device", "", ""],
        ["error", "src: 'nowhere' is not an IP address", "", ""],
    ]


def test_through_the_network_a_moment_is_asked_for_where_it_matters(merrow: Network) -> None:
    flow = "src,dst,proto,sport,dport,at\n10.44.97.5,10.44.99.20,tcp,50000,443,"
    assert through(merrow, flow) == [["error", flow_table.MOMENT_ASKED, "", ""]]
    zone = Names(merrow).moments.zone
    fares = {}
    for when in (datetime(2026, 12, 4, 5, 45, tzinfo=zone), datetime(2026, 12, 4, 12, tzinfo=zone)):
        ((fares[when.hour], *_),) = through(merrow, flow, when)
    assert fares == {5: "allowed", 12: "blocked"}
    assert (
        through(merrow, f"{flow}2020-01-03T05:45")[0][0] == "allowed"
    )  # long before any moment of today's classes


def test_a_column_of_the_result_is_refused_by_name(merrow: Network) -> None:
    with pytest.raises(flow_table.InvalidFlows, match="course"):
        through(merrow, "src,dst,proto,course\n")
