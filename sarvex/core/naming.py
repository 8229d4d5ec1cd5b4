"""Address sets told in the network's own names."""

from __future__ import annotations

from sarvex.core import addresses, intervals
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.names import Names
from sarvex.core.packets import PacketSet


def project(what: PacketSet, axis: int) -> AddressSet:
    """All addresses that occur on the source or destination axis of a packet set."""
    v4, v6 = (intervals.union((int(low), int(high)) for low, high in what[f][:, axis]) for f in FAMILIES)
    return AddressSet(v4, v6)


def name(a: AddressSet, names: Names) -> list[str]:
    """Names that together are exactly `a`, the widest first; what no name fits is written as addresses.

    Greedy: a name is taken if all it stands for lies in `a` and some of it was not told yet. O(names × intervals).
    """
    if a == addresses.ANY:
        return ["any"]
    told: list[str] = []
    rest = a
    for spread, candidate in _by_size(names):
        if not rest:
            break
        if addresses.covers(a, spread) and addresses.intersection(rest, spread):
            told.append(candidate)
            rest = addresses.difference(rest, spread)
    return told + addresses.describe(rest)


def _by_size(names: Names) -> list[tuple[AddressSet, str]]:
    """All names with what they stand for, the widest first; among equals segments and hosts come first."""
    sized = [
        (sum(intervals.size(spread[f]) for f in FAMILIES), spread, thing.name)
        for thing in names.address_things.values()
        if (spread := names.address(thing.name))
    ]
    return [(spread, name_) for _, spread, name_ in sorted(sized, key=lambda item: -item[0])]
