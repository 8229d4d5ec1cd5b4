"""Findings that need the ground: each with a fault and with the near miss."""

from __future__ import annotations

from dataclasses import replace

import pytest

from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_network import network_findings
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    AddressObject,
    Attachment,
    Device,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
    ZoneDefault,
)
from sarvex.formats import finding_words

ANY = ("any",)


def rule(**changes: object) -> Rule:
    plain: dict[str, object] = {
        "name": "r", "action": "allow", "source": ("guests",), "destination": ("office",), "service": ANY, "description": "d",
    }  # fmt: skip
    return Rule(**{**plain, **changes})  # type: ignore[arg-type]


def network(*policies: Policy, attach: tuple[Attachment, ...], open_: bool = True) -> Network:
    return Network(
        name="n",
        segments=(
            Segment(name="guests", prefixes=("10.44.1.0/24", "fd00:44:1::/64")),
            Segment(name="office", prefixes=("10.44.2.0/24", "fd00:44:2::/64")),
            Segment(name="yard", prefixes=("10.44.3.0/24",)),
            Segment(name="world", outside=True),
        ),
        devices=(
            Device(
                name="lock",
                zone_default=ZoneDefault(mode="open" if open_ else "closed"),
                interfaces=tuple(
                    Interface(name=f"if-{s}", segment=s) for s in ("guests", "office", "yard", "world")
                ),
                policies=attach,
            ),
        ),
        policies=policies,
    )


def found(n: Network, kind: str) -> list[Finding]:
    return [f for f in network_findings(n, Names(n)) if f.kind == kind]


def test_attached_nowhere() -> None:
    p = Policy(name="p", default="drop")
    assert [f.policy for f in found(network(p, attach=()), "unattached")] == ["p"]
    assert not found(network(p, attach=(Attachment(policy="P"),)), "unattached")


@pytest.mark.parametrize(
    ("first", "second", "reached"),
    [
        (Attachment(policy="a"), Attachment(policy="b"), False),
        (Attachment(policy="a", leaving=("if-yard",)), Attachment(policy="b", leaving=("if-yard",)), False),
        (
            Attachment(policy="a", leaving=("if-yard",)),
            Attachment(policy="b", leaving=("if-yard", "if-office")),
            True,
        ),
        (Attachment(policy="a", stage="inbound"), Attachment(policy="b", stage="passage"), True),
        (
            Attachment(policy="a", stage="inbound", entering=("if-yard",)),
            Attachment(policy="b", stage="inbound"),
            True,
        ),
    ],
)
def test_an_earlier_default_ends_the_stage(first: Attachment, second: Attachment, reached: bool) -> None:
    a, b = Policy(name="a", default="drop"), Policy(name="b", default="drop")
    assert [f.policy for f in found(network(a, b, attach=(first, second)), "unreachable policy")] == (
        [] if reached else ["b"]
    )
    # What goes on to the next policy, or speaks of the other family only, ends nothing.
    assert not found(network(replace(a, default="continue"), b, attach=(first, second)), "unreachable policy")
    assert not found(network(replace(a, families="4"), b, attach=(first, second)), "unreachable policy")


@pytest.mark.parametrize(
    ("block", "open_", "forgotten"),
    [
        (rule(action="drop", source=("10.44.1.0/24",)), True, True),
        (rule(action="reject", source=("guests",), destination=("10.44.2.0/24",)), True, True),
        (rule(action="drop", source=("10.44.1.0/24",)), False, False),
        (rule(action="drop"), True, False),
        (rule(action="drop", source=("10.44.1.0/25",)), True, False),
        (rule(action="drop", source=("10.44.1.0/24",), destination=("yard",)), True, False),
        (rule(action="drop", source=("10.44.1.0/24",), service=("icmp/8",)), True, False),
        (rule(action="allow", source=("10.44.1.0/24",)), True, False),
        (rule(action="drop", source=("10.44.1.0/24",), enabled=False), True, False),
    ],
)
def test_a_block_that_forgot_a_family(block: Rule, open_: bool, forgotten: bool) -> None:
    p = Policy(name="p", default="continue", rules=(block,))
    n = network(p, attach=(Attachment(policy="p"),), open_=open_)
    assert bool(found(n, "forgotten family")) == forgotten
    if not forgotten:
        return
    # The same block twice, once for each family, forgets nothing.
    six = rule(name="six", action="drop", source=("fd00:44:1::/64",), destination=("office",))
    both = replace(p, rules=(block, six))
    assert not found(network(both, attach=(Attachment(policy="p"),), open_=open_), "forgotten family")


@pytest.mark.parametrize(
    ("members", "wide"),
    [
        (("10.44.0.0/16",), True),
        (("10.44.0.0/21",), False),
        (("guests",), False),
        (("any",), False),
        (("world",), False),
        (("fd00::/8",), True),
        (("10.44.1.7",), False),
    ],
)
def test_an_allow_wider_than_what_exists(members: tuple[str, ...], wide: bool) -> None:
    def told(r: Rule) -> list[Finding]:
        p = Policy(name="p", default="drop", rules=(r,))
        return found(network(p, attach=(Attachment(policy="p"),)), "too wide")

    assert bool(told(rule(source=members, destination=ANY))) == wide
    # Wide blocks and negations are right.
    assert not told(rule(action="drop", source=members, destination=ANY))
    assert not told(rule(source=members, destination=ANY, negate=("source",)))


def test_duplicates_and_unused_names() -> None:
    n = replace(
        network(Policy(name="p", default="drop", rules=(rule(source=("used",)),)), attach=()),
        addresses=(
            AddressObject(name="used", members=("10.44.1.7",)),
            AddressObject(name="twin", members=("10.44.1.7/32",)),
            AddressObject(name="inner", members=("10.44.1.8",)),
            AddressObject(name="outer", members=("inner",)),
        ),
    )
    assert [f.name for f in found(n, "duplicate")] == ["used", "inner"]
    assert [f.name for f in found(n, "unused")] == ["twin", "outer"]


LEAVING_OFFICE = (Attachment(policy="p", leaving=("if-office",)),)


@pytest.mark.parametrize(
    ("changes", "attach", "out"),
    [
        ({}, LEAVING_OFFICE, False),
        ({"source": ("office",), "destination": ("guests",)}, LEAVING_OFFICE, True),  # the wrong direction
        ({"destination": ("yard",)}, LEAVING_OFFICE, True),  # the wrong interface
        ({"destination": ("yard",)}, (*LEAVING_OFFICE, Attachment(policy="p", leaving=("if-yard",))), False),
        ({"source": ("office",)}, LEAVING_OFFICE, True),  # inside one segment
        ({}, (Attachment(policy="p", stage="to the device"),), True),  # the wrong plane
        ({}, (Attachment(policy="p", stage="inbound", entering=("if-yard",)),), True),
        ({"action": "drop", "source": ("office",), "destination": ("guests",)}, LEAVING_OFFICE, True),
        ({"action": "drop", "source": ("office",), "destination": ANY},
         (Attachment(policy="p", stage="inbound", entering=("if-world",)),), False),  # forged sources
        ({"enabled": False, "destination": ("yard",)}, LEAVING_OFFICE, False),
        ({"source": ("guests", "yard"), "destination": ("yard", "office")}, LEAVING_OFFICE, False),
    ],
)  # fmt: skip
def test_a_rule_where_its_packets_never_come_by(
    changes: dict, attach: tuple[Attachment, ...], out: bool
) -> None:
    policy = Policy(name="p", default="continue", rules=(rule(**changes),))
    assert bool(found(network(policy, attach=attach), "out of place")) == out


def test_what_is_out_of_place_says_where_its_packets_go() -> None:
    policy = Policy(name="p", default="continue", rules=(rule(destination=("yard",)),))
    (told,) = found(network(policy, attach=LEAVING_OFFICE), "out of place")
    assert finding_words.text(told).endswith("comes by here, passage at lock. By the routes it passes lock.")
    inside = Policy(name="p", default="continue", rules=(rule(source=("office",)),))
    (told,) = found(network(inside, attach=LEAVING_OFFICE), "out of place")
    assert finding_words.text(told).endswith("By the routes it passes no device at all.")


def test_where_routes_are_not_known_nothing_is_out_of_place() -> None:
    policy = Policy(name="p", default="continue", rules=(rule(destination=("yard",)),))
    made = network(policy, attach=LEAVING_OFFICE)
    other = Device(name="other", interfaces=(Interface(name="x", segment="yard"),))
    lock = replace(made.devices[0], interfaces=made.devices[0].interfaces[:2])
    assert found(made, "out of place")
    assert not found(replace(made, devices=(lock, other)), "out of place")
