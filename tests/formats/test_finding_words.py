"""Every kind of finding has a sentence, and what it says follows from the finding alone."""

from __future__ import annotations

from typing import get_args

from sarvex.core.findings.finding import Finding, Kind, facts
from sarvex.core.findings.tidy import Step
from sarvex.formats.finding_words import SENTENCES, step_text, text


def test_every_kind_has_a_sentence_and_there_are_no_others() -> None:
    assert list(SENTENCES) == list(get_args(Kind))


def found(kind: Kind, **more: object) -> str:
    return text(Finding(kind, "warning", "p", "r", **more))  # type: ignore[arg-type]


def test_a_few_rules_are_named_and_the_rest_counted() -> None:
    three = ((1, "a"), (2, "b"), (None, "default"))
    assert found("shadowed", others=three[:1], count=1) == "It decides nothing: 1 a takes all of it."
    assert (
        found("shadowed", others=three, count=3)
        == "It decides nothing: 1 a, 2 b, the default take all of it."
    )
    many = found("partly shadowed", others=three, count=1203, when="sat 05:00-06:00")
    assert (
        many == "It decides a part: 1 a, 2 b, the default and 1,200 more take the rest, only sat 05:00-06:00."
    )
    assert found("redundant", others=three[:1], count=1, facts=facts(earlier=True, log_lost=True)) == (
        "It decides nothing: 1 a already does the same. Its log never happens."
    )
    assert found("redundant", others=three[2:], count=1) == (
        "Removing it changes nothing: the default would do the same."
    )


def test_what_matches_nothing_says_why() -> None:
    assert found("empty", facts=facts(fields=("source",))).endswith("its source holds nothing.")
    assert found("empty", facts=facts(fields=("source", "service"))).endswith(
        "its source and service hold nothing."
    )
    assert found("empty", facts=facts(fields=())).endswith("its fields share no address family.")
    assert found("empty", facts=facts(schedule="never")).endswith("its schedule never leaves no moment.")


def test_addresses_astray_are_told_of_hosts_and_of_interfaces() -> None:
    host = Finding(
        "address astray", "warning", None, None, name="crane", facts=facts(address="10.0.0.1", segment="quay")
    )
    assert text(host) == "crane: 10.0.0.1 is no address of quay."
    there = facts(address="10.0.0.1", segment="quay", interface="a", device="lock")
    device = Finding("address astray", "warning", None, None, name="quay", facts=there)
    assert text(device) == "a of lock: 10.0.0.1 is no address of quay."


def test_steps_of_tidying() -> None:
    assert step_text(Step("r", 1, "matches nothing", (), 0)) == "It matches no packet."
    assert step_text(Step("r", 1, "decided earlier", ("a",), 1)) == "It decides nothing: a takes all of it."
    assert (
        step_text(Step("r", 1, "same later", ("a", "b", "c", "d"), 4))
        == "a, b, c and 1 more would do the same."
    )
    merged = Step("r", 1, "merged", ("a",), 1, "source", ("quay",))
    assert step_text(merged) == "a does the same and differs in its source only; it takes over quay."
