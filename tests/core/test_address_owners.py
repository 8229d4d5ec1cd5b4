"""Addresses parted among owners: against asking every part for every address."""

from __future__ import annotations

import random

import pytest

from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.address_owners import AddressOwners
from sarvex.core.sets.addresses import AddressSet

SPAN = 60


def some(rng: random.Random, most: int) -> AddressSet:
    def one() -> intervals.Intervals:
        starts = [rng.randrange(SPAN) for _ in range(rng.randint(0, most))]
        return intervals.union((low, min(SPAN - 1, low + rng.randint(0, 9))) for low in starts)

    return AddressSet(one(), one())


def each(what: AddressSet) -> set[tuple[int, int]]:
    return {(f, a) for f in addresses.FAMILIES for low, high in what[f] for a in range(low, high + 1)}


@pytest.mark.parametrize("overlapping", [True, False])
def test_every_address_goes_to_the_first_part_that_has_it(rng: random.Random, overlapping: bool) -> None:
    for _ in range(300):
        parts = [some(rng, 3) for _ in range(rng.randint(0, 7))]
        if not overlapping:
            parts = [*addresses.apart(parts)]
        wanted = some(rng, 4)
        told = list(AddressOwners(parts).split(wanted))
        meant: dict[int, set[tuple[int, int]]] = {}
        for address in each(wanted):
            owner = next((k for k, part in enumerate(parts) if address in each(part)), None)
            if owner is not None:
                meant.setdefault(owner, set()).add(address)
        assert {k: each(share) for k, share in told} == meant
        assert [k for k, _ in told] == sorted(meant)
        normal = [AddressSet(*(intervals.union(share[f]) for f in addresses.FAMILIES)) for _, share in told]
        assert [share for _, share in told] == normal


def test_the_widest_numbers_are_found_too() -> None:
    two = AddressOwners([addresses.parse("ffff::/16"), addresses.parse("255.0.0.0/8"), addresses.ANY])
    told = {k: addresses.describe(share) for k, share in two.split(addresses.ANY)}
    assert told[0] == ["ffff::/16"] and told[1] == ["255.0.0.0/8"] and len(told) == 3
