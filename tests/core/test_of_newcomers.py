"""Open to newcomers: told where a rule reaches further than what it names, and not where it names what it means."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_newcomers import open_to_newcomers
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    Device,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
    ServiceObject,
    Zone,
)
from sarvex.formats.finding_words import text


def network(*rules: Rule, **fields: object) -> Network:
    """Guests before a plant, with what lies outside, at one device that drops what no rule allows."""
    ports = (
        Interface(name="out", segment="sea", zone="sea", addresses=("192.0.2.1",)),
        Interface(name="guests", segment="quay", zone="guests", addresses=("10.44.1.1",)),
        Interface(name="plant", segment="pumps", zone="plant", addresses=("10.44.2.1",)),
    )
    lock = Device(name="lock", interfaces=ports, policies=(Attachment(policy="all", stage="passage"),))
    made = Network(
        name="small",
        zones=(Zone(name="sea", depth=0), Zone(name="guests", depth=1), Zone(name="plant", depth=4)),
        segments=(
            Segment(name="sea", outside=True),
            Segment(name="quay", prefixes=("10.44.1.0/24",)),
            Segment(name="pumps", prefixes=("10.44.2.0/24",)),
        ),
        devices=(lock,), policies=(Policy(name="all", default="drop", rules=rules),),
    )  # fmt: skip
    return replace(made, **fields)  # type: ignore[arg-type]


def allow(source: str, destination: str, service: str = "tcp/443") -> Rule:
    return Rule(name="r", action="allow", source=(source,), destination=(destination,), service=(service,))


def told(made: Network) -> list[Finding]:
    return list(open_to_newcomers(made, Names(made)))


def test_a_prefix_wider_than_its_segment_lets_newcomers_in_and_through() -> None:
    rules = allow("10.44.0.0/16", "pumps"), replace(allow("quay", "10.44.0.0/16"), name="other")
    [guests, plant] = told(network(*rules))
    assert (guests.name, guests.fact("zone"), guests.fact("by"), guests.fact("to")) == (
        "lock", "guests", (), ("pumps",),
    )  # fmt: skip
    assert (plant.fact("zone"), plant.fact("by"), plant.fact("to"), plant.weight) == (
        "plant", ("quay",), (), "note",
    )  # fmt: skip
    assert text(guests).startswith("A new segment of guests there would reach pumps")


def test_what_comes_from_outside_weighs_more() -> None:
    [plant] = told(network(allow("any", "10.44.0.0/16")))[1:]
    assert plant.fact("by") == ("sea", "quay") and plant.weight == "warning"


@pytest.mark.parametrize(
    "rule",
    [
        allow("quay", "pumps"),
        allow("10.44.1.0/24", "10.44.2.0/24"),
        allow("10.44.0.0/16", "10.44.0.0/16", "udp/53"),
        allow("pumps", "any"),
        replace(allow("any", "any"), enabled=False),
    ],
)
def test_nothing_is_told_of_rules_that_name_what_they_mean(rule: Rule) -> None:
    assert not told(network(rule))


def test_the_networks_own_list_says_what_is_looked_past() -> None:
    rule = allow("10.44.0.0/16", "10.44.0.0/16", "tcp/9100")
    own = (ServiceObject(name="infrastructure", members=("tcp/9100",)),)
    assert told(network(rule)) and not told(network(rule, services=own))
    assert told(network(allow("10.44.0.0/16", "10.44.0.0/16", "udp/53"), services=own))


def test_after_edits_of_rules_it_is_as_if_asked_for_the_first_time(rng: random.Random) -> None:
    """By the same names only what an edit touched is led again."""
    ends = ("any", "sea", "quay", "pumps", "10.44.0.0/16", "10.44.2.0/23", "10.44.1.7")
    made = network()
    kept = Names(made)
    moved, before = 0, list(open_to_newcomers(made, kept))
    for number in range(80):
        rules = list(made.policies[0].rules)
        drawn = replace(
            allow(rng.choice(ends), rng.choice(ends), rng.choice(("any", "tcp/443", "udp/53", "tcp/100-900"))),
            name=f"r{number}", action=rng.choice(("allow", "allow", "drop")), enabled=rng.random() < 0.8,
        )  # fmt: skip
        rules.insert(rng.randrange(len(rules) + 1), drawn)
        if len(rules) > 5:
            del rules[rng.randrange(len(rules))]
        rng.shuffle(rules)
        default = rng.choice(("drop", "drop", "drop", "allow"))
        made = replace(made, policies=(replace(made.policies[0], default=default, rules=tuple(rules)),))
        now = list(open_to_newcomers(made, kept))
        assert now == told(made), (number, made)
        moved += now != before
        before = now
    assert moved > 10
