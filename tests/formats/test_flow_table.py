"""Flows as CSV."""

from __future__ import annotations

import csv
import io

import pytest

from sarvex.core.firstmatch import FirstMatch
from sarvex.core.model import Network, Policy, Rule
from sarvex.core.names import Names
from sarvex.formats import flow_table


def decide(network: Network, text: str) -> tuple[list[list[str]], bool]:
    table = flow_table.decide(text, FirstMatch.of(network.policies[0], Names(network)))
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
