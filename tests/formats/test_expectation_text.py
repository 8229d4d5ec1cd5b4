"""What must hold as people write it: each line is an expectation, or is told not to be."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.formats import document
from sarvex.formats.expectation_text import MOST_LINES, Line, read


@pytest.fixture(scope="module")
def merrow() -> Network:
    return document.load((Path(__file__).parents[2] / "demo/merrow.yaml").read_text())


def said(line: Line) -> tuple[object, ...]:
    one = line.expectation
    return (one.source, one.must, one.destination, one.service, one.at) if one else (line.problem,)


@pytest.mark.parametrize(
    ("text", "means"),
    [
        (
            "kiosks must reach fares-db on postgres",
            (("kiosks",), "allowed", ("fares-db",), ("postgres",), None),
        ),
        ("Kiosks must not reach control.", (("kiosks",), "blocked", ("control",), ("any",), None)),
        (
            '"passenger-wifi" and crew-wifi cannot talk to linkspans',
            (("passenger-wifi", "crew-wifi"), "blocked", ("linkspans",), ("any",), None),
        ),
        (
            "anders must reach fulmar-bridge over https",
            (("anders",), "allowed", ("fulmar-bridge",), ("https",), None),
        ),
        (
            "kiosks should reach fares-db on 5432/tcp at boarding",
            (("kiosks",), "allowed", ("fares-db",), ("postgres",), "boarding"),
        ),
        (
            "offices must never reach eastpier-lock on TCP 22",
            (("offices",), "blocked", ("eastpier-lock",), ("ssh",), None),
        ),
        (
            "10.44.50.5 must reach internet on tcp/8000-8100",
            (("fares-db",), "allowed", ("internet",), ("tcp/8000-8100",), None),
        ),
    ],
)
def test_a_sentence_means_what_it_says(merrow: Network, text: str, means: tuple[object, ...]) -> None:
    (line,) = read(text, Names(merrow))
    assert said(line) == means and not line.problem


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("kiosks must reach fare-db on postgres", "did you mean fares-db"),
        ("kiosks must reach fares-db on 5432", "write tcp/5432 or udp/5432"),
        ("kiosks must reach fares-db at bording", "boarding"),
        ("offices\t10.44.50.300\tany\tno", "not an IP address"),
        ("offices\tpayroll-web\tpay-slips\tperhaps", "add yes or no"),
        ("hello there", "SOURCE must reach DESTINATION"),
    ],
)
def test_what_means_nothing_is_told(merrow: Network, text: str, says: str) -> None:
    (line,) = read(text, Names(merrow))
    assert line.expectation is None and says in line.problem, line


@pytest.mark.parametrize("mark", ["\t", ";", "|", ","])
def test_columns_are_found_with_a_head_and_without(merrow: Network, mark: str) -> None:
    rows = [
        ["from", "to", "port", "allowed", "why"],
        ["kiosks", "payroll", "", "no", "wages"],
        ["tower", "cctv", "rtsp", "Yes", ""],
    ]
    headed = read("\n".join(mark.join(row) for row in rows), Names(merrow))
    assert [said(line)[:4] for line in headed] == [
        (("kiosks",), "blocked", ("payroll",), ("any",)), (("tower",), "allowed", ("cctv",), ("rtsp",)),
    ]  # fmt: skip
    assert headed[0].number == 2 and headed[0].expectation and headed[0].expectation.description == "wages"
    bare = read("\n".join(mark.join(row) for row in rows[1:]), Names(merrow))
    assert [said(line)[:4] for line in bare] == [said(line)[:4] for line in headed]


def test_lines_are_compared_with_each_other_and_with_what_is_there(merrow: Network) -> None:
    text = "kiosks must reach fares-db on postgres\ntower must reach payroll\n\ntower must not reach PAYROLL\ntower must reach payroll on any"
    notes = [line.note for line in read(text, Names(merrow), merrow.expectations)]
    assert notes == [
        "says the same as 'kiosks sell', which is there already",
        "",
        "says the opposite of line 2",
        "says the same as line 2",
    ]
    names = [line.expectation.name for line in read(text, Names(merrow)) if line.expectation]
    assert len({name.casefold() for name in names}) == 4


def test_more_lines_than_are_read_are_told_too(merrow: Network) -> None:
    found = read("nonsense\n" * (MOST_LINES + 3), Names(merrow))
    assert len(found) == MOST_LINES + 3 and f"{MOST_LINES:,}" in found[-1].problem


@given(st.lists(st.text(alphabet=' abkiosksmutnrech,;|\t".%/0123:', max_size=60), max_size=8))
def test_no_line_is_dropped(lines: list[str]) -> None:
    """Whatever is pasted: every line that is not empty ends as an expectation or as a told refusal, but for a head."""
    network = document.load("sarvex: 1\nname: n\nsegments: [{name: kiosks, prefixes: [10.44.1.0/24]}]")
    text = "\n".join(lines)
    wanted = [n for n, line in enumerate(text.splitlines(), 1) if line.strip()]
    found = read(text, Names(network))
    assert [line.number for line in found] == wanted
    assert all((line.expectation is None) != (line.problem == "") for line in found)
