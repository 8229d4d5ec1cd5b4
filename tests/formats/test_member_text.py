"""Pasted members: each comes out as a member or as not understood, whatever they were mixed with; never as nothing."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sarvex.core.meaning.names import Names
from sarvex.core.model.records import AddressObject, Network, ServiceObject
from sarvex.core.sets import addresses
from sarvex.formats.member_text import Member, members

NAMES = Names(
    Network(
        name="n",
        addresses=(
            AddressObject(name="ramp-plc", members=("10.44.31.10",)),
            AddressObject(name="front desk", members=("10.44.8.0/28",)),
            AddressObject(name="twin", members=("10.44.9.9",)),
            AddressObject(name="Zwilling", members=("10.44.9.9",)),
            AddressObject(name="everything", members=("any",)),
        ),
        services=(ServiceObject(name="modbus", members=("tcp/502",)),),
    )
)


def told(text: str, space: str = "address") -> list[tuple[str, bool]]:
    return [(m.member, not m.problem) for m in members(text, NAMES, space)]  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("10.44.0.1\n10.44.0.2\r\n10.44.0.3\n10.44.0.4\n10.44.0.5\n10.44.0.6", [f"10.44.0.{n}" for n in range(1, 7)]),
        ("10.44.0.1,10.44.0.2; 10.44.0.3\t10.44.0.4 10.44.0.5", [f"10.44.0.{n}" for n in range(1, 6)]),
        ("10.44.0.1 - 10.44.0.9", ["10.44.0.1-10.44.0.9"]),
        ("10.44.0.0/24 fd44::/64", ["10.44.0.0/24", "fd44::/64"]),
        ("front desk ramp-plc", ["front desk", "ramp-plc"]),
        ('"front desk","RAMP-plc"', ["front desk", "ramp-plc"]),
        ("10.44.31.10", ["ramp-plc"]),  # it stands for exactly that
        ("10.44.9.9", ["10.44.9.9"]),  # which of the two is meant nobody knows
        ("any", ["any"]),
        ("10.44.0.5 mask 255.255.0.255 10.44.0.1", ["10.44.0.5 mask 255.255.0.255", "10.44.0.1"]),
        ("10.44.0.1 10.44.0.1,10.44.0.1", ["10.44.0.1"]),
        ("", []),
        (" ,;\n\t ", []),
    ],
)  # fmt: skip
def test_what_is_understood(text: str, expected: list[str]) -> None:
    assert told(text) == [(member, True) for member in expected]


def test_what_is_not_understood_stands_where_it_was() -> None:
    assert told("10.44.0.1 10.0.0.300 some thing 10.44.0.2") == [
        ("10.44.0.1", True), ("10.0.0.300", False), ("some thing", False), ("10.44.0.2", True),
    ]  # fmt: skip
    first, second = members("ramp-plk\n10.44.0.1/24", NAMES, "address")
    assert "did you mean ramp-plc" in first.problem
    assert "10.44.0.0/24" in second.problem


def test_services() -> None:
    assert told("tcp/502, udp/53 tcp/443 from 1024-65535\nTCP/80", "service") == [
        ("modbus", True), ("udp/53", True), ("tcp/443 from 1024-65535", True), ("tcp/80", True),
    ]  # fmt: skip
    assert told("tcp/99999", "service") == [("tcp/99999", False)]


VALUES = st.one_of(
    st.integers(0, 255).map(lambda n: f"10.44.0.{n}"),
    st.integers(8, 30).map(lambda n: f"10.0.0.0/{n}"),
    st.integers(1, 9).map(lambda n: f"fd44::{n}-fd44::f{n}"),
    st.sampled_from(["ramp-plc", '"front desk"', "twin", "any", "10.0.0.300", "fd44::zz", "nobody", "10.44.0.1/24"]),
)  # fmt: skip
BETWEEN = st.sampled_from(["\n", ", ", ";", " ", "\t", "\r\n", " , ", ",,"])


@given(st.lists(st.tuples(VALUES, BETWEEN), max_size=12))
def test_every_value_comes_out_once(parts: list[tuple[str, str]]) -> None:
    found = members("".join(value + between for value, between in parts), NAMES, "address")
    assert len({m.member.casefold() for m in found}) == len(found)
    together = " ".join(m.text for m in found)
    for value, _ in parts:
        plain = value.strip('"')
        assert plain in together or any(_same(plain, m) for m in found), (value, found)


def _same(value: str, m: Member) -> bool:
    try:
        return addresses.parse(value) == NAMES.address(m.member)
    except (ValueError, LookupError):
        return False


@given(st.text(max_size=60))
def test_no_character_of_any_text_is_lost(text: str) -> None:
    """Of whatever text: all that parts no members stands in one of them."""
    left = re.sub(r'[\s",;]', "", " ".join(text.split())).casefold()
    there = re.sub(r'[\s",;]', "", "".join(m.text for m in members(text, NAMES, "address"))).casefold()
    for character in set(left):
        assert character in there
