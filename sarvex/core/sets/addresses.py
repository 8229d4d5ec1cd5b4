"""Sets of IP addresses of both families, and how one is written.

Families never mix: a set is a pair of interval sets, and its complement is taken in each family.
Text forms: an address (RFC 4291 for IPv6), a prefix in CIDR notation (RFC 4632), a range
``first-last``, ``any``, and on IPv4 an address with a mask, ``10.44.0.5 mask 255.255.0.255`` or, with the
bits that do not matter, ``10.44.0.5 inverse 0.0.255.0``; such a mask may have holes and is expanded. IPv4-mapped IPv6 addresses are refused: they would name one host in two
families.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache, singledispatch
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets import intervals
from sarvex.core.sets.intervals import Intervals

FAMILIES = (4, 6)
MASKS = ("mask", "inverse")
MOST_PIECES = 4096
HIGHEST = {4: 2**32 - 1, 6: 2**128 - 1}


class InvalidAddress(ValueError):
    """The text is no address, prefix or range; the message says why and what was perhaps meant."""


@dataclass(frozen=True)
class AddressSet:
    """A set of IPv4 and IPv6 addresses as ascending closed intervals that neither touch nor overlap.

    Equal sets are equal values. Operations are linear in the number of intervals, a union O(n log n). Other kinds of sets tell
    intervals too, and may have quicker ways for what is a `singledispatch` here.
    """

    v4: Intervals = ()
    v6: Intervals = ()

    def __getitem__(self, family: int) -> Intervals:
        return self.v4 if family == 4 else self.v6

    def __bool__(self) -> bool:
        return bool(self.v4 or self.v6)


NOTHING = AddressSet()
ANY = AddressSet(((0, HIGHEST[4]),), ((0, HIGHEST[6]),))


def union(sets: Iterable[AddressSet]) -> AddressSet:
    """All addresses of any of the sets. O(n log n) for n intervals.

    >>> describe(union([parse("10.0.0.0/25"), parse("10.0.0.128/25")]))
    ['10.0.0.0/24']
    """
    some = list(sets)
    return (some[0] if len(some) == 1 else union_of(some[0], some)) if some else NOTHING


@singledispatch
def union_of(first: AddressSet, sets: list[AddressSet]) -> AddressSet:  # noqa: ARG001
    """The same of several. first: the first of them, by whose kind it is chosen how."""
    return AddressSet(
        intervals.union(pair for s in sets for pair in s.v4),
        intervals.union(pair for s in sets for pair in s.v6),
    )


@singledispatch
def intersection(a: AddressSet, b: AddressSet) -> AddressSet:
    """All addresses in both. O(len(a) + len(b)).

    >>> describe(intersection(parse("10.0.0.0/24"), parse("10.0.0.250-10.0.1.4")))
    ['10.0.0.250-10.0.0.255']
    """
    return AddressSet(intervals.intersection(a.v4, b.v4), intervals.intersection(a.v6, b.v6))


def complement(a: AddressSet) -> AddressSet:
    """All addresses not in the set, in each family separately. O(n)."""
    return AddressSet(intervals.complement(a.v4, 0, HIGHEST[4]), intervals.complement(a.v6, 0, HIGHEST[6]))


@singledispatch
def difference(a: AddressSet, b: AddressSet) -> AddressSet:
    """All addresses of `a` that are not in `b`. O(len(a) + len(b)).

    >>> describe(difference(parse("10.0.0.0/30"), parse("10.0.0.0")))
    ['10.0.0.1-10.0.0.3']
    """
    return intersection(a, complement(b))


def apart(sets: Iterable[AddressSet]) -> Iterator[AddressSet]:
    """Each set without what those before it have. O(sets × intervals)."""
    taken = NOTHING
    for one in sets:
        yield difference(one, taken)
        taken = union((taken, one))


def covers(a: AddressSet, b: AddressSet) -> bool:
    """Whether `b` lies wholly in `a`."""
    return not difference(b, a)


@lru_cache(maxsize=1 << 16)
def parse(text: str) -> AddressSet:
    """The addresses written as an address, a prefix, a range ``first-last``, a mask or ``any``.

    Raises `InvalidAddress`: malformed text, host bits set in a prefix (the message offers the prefix),
    a reversed range, a range over two families, an IPv4-mapped address, a mask that falls into more than
    4,096 pieces.

    >>> parse("10.44.0.0/31").v4 == ((0x0A2C0000, 0x0A2C0001),)
    True
    """
    text = text.strip()
    if text.lower() == "any":
        return ANY
    for word in MASKS:
        if f" {word} " in text.lower():
            return _masked(text, word)
    if "-" in text:
        first, _, last = text.partition("-")
        low, high = _address(first.strip()), _address(last.strip())
        if low.version != high.version:
            raise InvalidAddress(f"{text}: a range stays in one family")
        if int(low) > int(high):
            raise InvalidAddress(f"{text}: the range is reversed; write {high}-{low}")
        return span(low.version, int(low), int(high))
    if "/" in text:
        return _prefix(text)
    address = _address(text)
    return span(address.version, int(address), int(address))


def is_literal(text: str) -> bool:
    """Whether the text is an address, a prefix, a range or ``any`` (and so not a name)."""
    try:
        parse(text)
    except InvalidAddress:
        return False
    return True


def in_family(a: AddressSet, family: int) -> AddressSet:
    """The addresses of one family."""
    return AddressSet(a.v4) if family == 4 else AddressSet((), a.v6)


def span(family: int, low: int, high: int) -> AddressSet:
    """The addresses of one family from the lowest to the highest."""
    return AddressSet(((low, high),)) if family == 4 else AddressSet((), ((low, high),))


def _address(text: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address:
    try:
        address = ipaddress.ip_address(text)
    except ValueError:
        raise InvalidAddress(f"{text!r} is not an IP address") from None
    if isinstance(address, ipaddress.IPv6Address):
        if address.ipv4_mapped is not None:
            raise InvalidAddress(f"{text}: an IPv4-mapped address; write {address.ipv4_mapped}")
        if address.scope_id is not None:
            raise InvalidAddress(f"{text}: an address with a zone index means something on one machine only")
    return address


def _masked(text: str, word: str) -> AddressSet:
    """All addresses that agree with the base in every bit that matters."""
    base, mask = (_address(part) for part in text.lower().split(f" {word} "))
    if base.version != 4 or mask.version != 4:
        raise InvalidAddress(f"{text}: masks are of IPv4; write an IPv6 set as prefixes or ranges")
    free = int(mask) if word == "inverse" else int(mask) ^ HIGHEST[4]
    if int(base) & free:
        low = spell(4, int(base) & ~free)
        raise InvalidAddress(f"{text} has bits set that do not matter; write {low} {word} {mask}")
    run = 1
    while free & run:
        run <<= 1  # the free bits at the low end make each piece one interval
    holes = [1 << bit for bit in range(32) if free & ~(run - 1) & (1 << bit)]
    if 2 ** len(holes) > MOST_PIECES:
        raise InvalidAddress(
            f"{text} falls into {2 ** len(holes):,} pieces; at most {MOST_PIECES:,} are read"
        )
    starts = [int(base)]
    for hole in holes:
        starts += [start | hole for start in starts]
    return AddressSet(intervals.union((start, start + run - 1) for start in starts))


def _dotted(text: str, base: str, mask: str) -> InvalidAddress:
    """A mask after a slash is not guessed at; what it may mean is offered."""
    try:
        bits = int(ipaddress.IPv4Address(mask))
    except ValueError:
        return InvalidAddress(f"{text}: the prefix length is a number")
    for length in range(33):
        if bits == HIGHEST[4] >> (32 - length) << (32 - length):
            return InvalidAddress(f"{text}: write {base}/{length}")
    return InvalidAddress(
        f"{text}: write {base} mask {mask} if these bits matter, {base} inverse {mask} if they do not"
    )


def _prefix(text: str) -> AddressSet:
    base, _, length = text.partition("/")
    address = _address(base)
    if "." in length:
        raise _dotted(text, base, length)
    bits = 32 if address.version == 4 else 128
    if not length.isdecimal() or int(length) > bits:
        raise InvalidAddress(f"{text}: the prefix length is a number from 0 to {bits}")
    size = 1 << (bits - int(length))
    low = int(address) & -size
    if low != int(address):
        meant = f"{type(address)(low)}/{length}"
        raise InvalidAddress(f"{text} has host bits set; the prefix is {meant}")
    return span(address.version, low, low + size - 1)


def halves(values: NDArray[Any]) -> NDArray[np.uint64]:
    """128-bit values, (n,) Python integers, as their upper and lower 64 bits, (n, 2)."""
    out = np.empty((len(values), 2), dtype=np.uint64)
    out[:, 0] = [int(v) >> 64 for v in values]
    out[:, 1] = [int(v) & 0xFFFFFFFFFFFFFFFF for v in values]
    return out


def spell(family: int, value: int) -> str:
    """One address as text (RFC 5952 for IPv6)."""
    return str(ipaddress.IPv4Address(value) if family == 4 else ipaddress.IPv6Address(value))


def describe(a: AddressSet) -> list[str]:
    """The set as text, each interval as an address, a prefix or a range.

    >>> describe(parse("10.44.0.0/16"))
    ['10.44.0.0/16']
    """
    if a == ANY:
        return ["any"]
    return [_interval_text(family, low, high) for family in FAMILIES for low, high in a[family]]


def _interval_text(family: int, low: int, high: int) -> str:
    span = high - low + 1
    if span == 1:
        return spell(family, low)
    if span & (span - 1) == 0 and low % span == 0:
        return f"{spell(family, low)}/{(32 if family == 4 else 128) - span.bit_length() + 1}"
    return f"{spell(family, low)}-{spell(family, high)}"
