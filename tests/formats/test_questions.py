"""Questions in words and their answers on the demo network."""

from __future__ import annotations

import pytest

from sarvex.core.forwarding.walk import trace
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.formats import answers, questions
from sarvex.formats.answers import Reply


def ask(network: Network, text: str) -> Reply:
    names = Names(network)
    asked = questions.parse(text, names)
    return answers.tell(asked, trace(network, names, asked.question), names)


@pytest.mark.parametrize(
    ("question", "verdict", "sentence"),
    [
        ("passenger-wifi to ramp-plc", "blocked", "blocked by no guests inside · silence"),
        ("passenger-wifi to ramp-plc on modbus", "blocked", "blocked by no guests inside · silence"),
        ("tide-historian to ramp-plc on tcp/502", "allowed", "allowed by historian reads ramps"),
        ("TIDE-HISTORIAN to RAMP-PLC on MODBUS", "allowed", "allowed by historian reads ramps"),
        ("cctv to ramp-plc on https", "blocked", "blocked by no cameras inward · prohibited"),
        ("kiosk-3 to gate-server on ping", "allowed", "allowed by the passage default of eastpier-lock"),
        ("ramp-plc to ramp-hmi", "allowed", "allowed, passes no device"),
        ("10.44.60.48/28 to ramp-hmi on https", "allowed", "allowed by harbour master view"),
        ("kiosks to fares-db", "some", "some allowed by kiosks read fares; rest blocked by no strangers at fares, no old kiosk"),
        ("who to ramp-plc on modbus", "some", "linkspans, tide-historian, eng-console"),
        ("kiosk-3 to fares-db on what", "some", "postgres"),
        ("passenger-wifi to 10.44.30.1 on ssh", "blocked", "blocked by no guests inside · silence"),
        ("eng-console to 10.44.60.1 on ssh", "allowed", "allowed by engineers manage"),
        ("tower to 10.44.60.1 on https", "blocked", "blocked by otherwise in lock-itself · silence"),
        ("fd00:44:64::9 to 10.44.30.10", "empty", "no such packets: the two sides share no address family, or one is empty"),
        ("control to ramp-plc on modbus", "some", None),
        ("workshop to office-lock on https", "blocked", "blocked by otherwise in office-itself · silence"),
        ("internet to eastpier-lock itself on ssh", "blocked", None),
        ("internet to 203.0.113.2 on tcp/8554", "blocked", "blocked by the passage default of eastpier-lock · silence"),
        ("workshop to winch on snmp", "blocked", "blocked: the answer is dropped by the default of slip-side at slip-lock · silence"),
        ("pilot-maren to fulmar-bridge on https", "allowed", "allowed by pilots ask the bridge"),
        ("workshop to tower on https without drydock-lock.ring", "blocked", "blocked by no route at drydock-lock · unreachable"),
        ("tower to kiosk-3 on ping without southpier-lock without office-lock.ring", "allowed", None),
        ("kiosk-3 to fares-db on postgres without eastpier-lock", "blocked", "blocked by eastpier-lock is unplugged · unreachable"),
        ("ramp-plc to fares-db entering eastpier-lock.quay-0", "blocked", None),
        ("ramp-plc to harbour-time on ntp as established", "allowed", "allowed by names and time"),
    ],
)  # fmt: skip
def test_answers(merrow: Network, question: str, verdict: str, sentence: str | None) -> None:
    reply = ask(merrow, question)
    assert reply.verdict == verdict
    assert sentence is None or reply.sentence == sentence


def test_parts_are_told_in_names(merrow: Network) -> None:
    parts = ask(merrow, "kiosks to fares-db").parts
    assert [(p.result, p.sources, p.services) for p in parts] == [
        ("delivered", ("kiosks",), ("postgres",)),
        ("rejected", ("kiosks except kiosk-1",), ("any except postgres",)),
        ("dropped", ("kiosk-1",), ("any except postgres",)),
    ]


@pytest.mark.parametrize(
    ("question", "says", "span"),
    [
        ("", "who sends", (0, 0)),
        ("kiosk-3", "to whom", (7, 7)),
        ("kiosk-3 to", "to whom", (10, 10)),
        ("kiosk-9 to fares-db", "did you mean kiosk", (0, 7)),
        ("kiosk-3 to fares-db on", "what follows “on”", (22, 22)),
        ("kiosk-3 to fares-db on tcp/99999", "0 to 65535", (23, 32)),
        ("kiosk-3 to fares-db on ntp on dns", "stands twice", (27, 29)),
        ("kiosk-3 to fares-db as old", "a state is one of", (23, 26)),
        ("kiosk-3 to fares-db without nobody", "no device or interface", (28, 34)),
        ("kiosk-3 to fares-db without", "what follows “without”", (27, 27)),
        ("kiosk-3 to fares-db entering quay-0", "DEVICE.INTERFACE", (29, 35)),
        ("nobody itself to fares-db", "no device is called", (0, 6)),
        ("kiosk-3 to fares-db at sat", "no moment", (23, 26)),
        ("kiosk-3 to fares-db at 2027-03-28 01:30", "skips 01:30", (23, 39)),
        ("kiosk-3 to fares-db at 2027-03-28", "is a whole day", (23, 33)),
        ("kiosk-3 to fares-db at mon 03:00 at tue 03:00", "stands twice", (33, 35)),
        ("old kiosk to fares-db", "double quotes", (0, 9)),
        ("kiosk-3 to 10.44.50.5/27", "the prefix is 10.44.50.0/27", (11, 24)),
    ],
)
def test_bad_questions_mark_the_place(
    merrow: Network, question: str, says: str, span: tuple[int, int]
) -> None:
    with pytest.raises(questions.InvalidQuestion) as error:
        questions.parse(question, Names(merrow))
    assert says in error.value.message
    assert (error.value.start, error.value.end) == span


@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("", None),
        ("pass", "passenger-wifi"),
        ("passenger-wifi ", "to"),
        ("passenger-wifi to ra", "ramp-hmi"),
        ("passenger-wifi to ramp-plc ", "as"),
        ("passenger-wifi to ramp-plc on mod", "modbus"),
        ("passenger-wifi to ramp-plc on 502", "modbus"),
        ("passenger-wifi to ramp-plc on modbus as est", "established"),
        ("10.44.50.5", "fares-db"),
        ("wh", "who"),
        ("eastp", "eastpier-lock"),
        ("kiosk-3 to fares-db without drydock-lock.ri", "drydock-lock.ring"),
    ],
)
def test_completion(merrow: Network, text: str, first: str | None) -> None:
    offered = questions.complete(text, merrow)
    assert offered
    assert first is None or offered[0].insert == first
    for suggestion in offered:
        # Whatever is accepted still reads as the same question so far.
        assert text[: suggestion.start] + suggestion.insert


def test_undetermined_is_neither_allowed_nor_blocked(merrow: Network) -> None:
    from dataclasses import replace

    apart = replace(merrow, devices=())
    assert ask(apart, "tide-historian to ramp-plc").sentence == "undetermined: no device is on tower"
