"""Masks with holes and inverse masks: read as what they mean, or refused with what was perhaps meant."""

from __future__ import annotations

import random

import pytest

from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import InvalidAddress, describe, parse


def spell(value: int) -> str:
    return addresses.spell(4, value)


def test_a_mask_is_every_address_that_agrees_where_it_matters(rng: random.Random) -> None:
    for _ in range(40):
        free = sum(1 << bit for bit in rng.sample(range(12), rng.randrange(7)))
        base = (0x0A2C0000 | rng.randrange(1 << 12)) & ~free
        as_mask = parse(f"{spell(base)} mask {spell(free ^ 0xFFFFFFFF)}")
        assert as_mask == parse(f"{spell(base)} inverse {spell(free)}")
        inside = {value for low, high in as_mask.v4 for value in range(low, high + 1)}
        assert inside == {v for v in range(0x0A2C0000, 0x0A2C1000) if v & ~free == base}
        assert not as_mask.v6


def test_they_are_shown_as_what_they_mean() -> None:
    assert describe(parse("10.44.98.0 mask 255.255.255.0")) == ["10.44.98.0/24"]
    assert describe(parse("10.44.98.1 inverse 0.0.0.2")) == ["10.44.98.1", "10.44.98.3"]
    assert describe(parse("10.44.0.9 MASK 255.255.254.255")) == ["10.44.0.9", "10.44.1.9"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("10.44.0.0/255.255.0.0", "write 10.44.0.0/16"),
        (
            "10.44.0.0/0.0.255.255",
            "write 10.44.0.0 mask 0.0.255.255 if these bits matter, 10.44.0.0 inverse 0.0.255.255",
        ),
        ("10.44.0.1 inverse 0.0.255.255", "write 10.44.0.0 inverse 0.0.255.255"),
        ("10.44.0.0 mask 85.85.0.0", "bits set that do not matter"),
        ("0.0.0.0 mask 85.85.85.85", "falls into 65,536 pieces; at most 4,096"),
        ("fd00:: mask ffff::", "masks are of IPv4"),
        ("10.44.0.0 mask red", "is not an IP address"),
    ],
)
def test_what_is_not_meant_is_refused(text: str, says: str) -> None:
    with pytest.raises(InvalidAddress) as error:
        parse(text)
    assert says in str(error.value)
