"""Sets of services: boxes over protocol, first and second, and how one is written.

`first` and `second` are source and destination port where the protocol has ports, ICMP type and code
for ICMP over its own family, and nothing otherwise. Sets are kept whole along axes a protocol does not
have, so the algebra of boxes needs no special case. ICMP values end at 255: there a range that reaches
255 is carried on to the end of the axis, so that the values nobody can send never count as a gap.

Words: ``tcp/443``, ``tcp/8000-8100``, ``udp``, ``tcp/5432 from 1024-65535``, ``icmp/8``, ``icmp/3.4``,
``icmp6/128``, ``gre``, ``proto/47``, ``any``. Case does not matter.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from sarvex.core.sets import boxes
from sarvex.core.sets.boxes import Boxes

TOP = 65535
PROTOCOL_TOP = 255
ICMP, ICMP6 = 1, 58
ICMP_OF = {4: ICMP, 6: ICMP6}
ECHO = {4: (8, 0), 6: (128, 129)}
"""Type of an echo request and of its answer (RFC 792, RFC 4443)."""
# Keywords of the IANA protocol-numbers registry that a policy is likely to name.
PROTOCOLS = {
    "icmp": 1, "igmp": 2, "ipencap": 4, "tcp": 6, "egp": 8, "igp": 9, "udp": 17, "dccp": 33, "ipv6": 41,
    "rsvp": 46, "gre": 47, "esp": 50, "ah": 51, "icmp6": 58, "ospf": 89, "etherip": 97,
    "pim": 103, "ipcomp": 108, "vrrp": 112, "l2tp": 115, "sctp": 132, "udplite": 136, "mpls-in-ip": 137,
}  # fmt: skip
NAME_OF_PROTOCOL = {number: name for name, number in PROTOCOLS.items()}
WITH_PORTS = frozenset({6, 17, 33, 132, 136})


class InvalidService(ValueError):
    """The text names no service; the message says why."""


def has_ports(protocol: int) -> bool:
    """TCP, UDP, DCCP, SCTP and UDP-Lite have ports."""
    return protocol in WITH_PORTS


def has_type(family: int, protocol: int) -> bool:
    """ICMP has type and code over IPv4, ICMPv6 over IPv6."""
    return ICMP_OF[family] == protocol


@dataclass(frozen=True, eq=False)
class ServiceSet:
    """Services of both families: box arrays of shape (n, 3, 2) over protocol, first, second."""

    v4: Boxes
    v6: Boxes

    def __getitem__(self, family: int) -> Boxes:
        return self.v4 if family == 4 else self.v6


WHOLE = np.array([[[0, PROTOCOL_TOP], [0, TOP], [0, TOP]]], dtype=np.int64)
ANY = ServiceSet(WHOLE, WHOLE)
NOTHING = ServiceSet(boxes.empty(3), boxes.empty(3))


def union(sets: Iterable[ServiceSet]) -> ServiceSet:
    """All services of any of the sets, as disjoint boxes; those of each set must be disjoint."""
    sets = list(sets)
    if len(sets) == 1:
        return sets[0]
    v4, v6 = NOTHING.v4, NOTHING.v6
    for s in sets:
        v4 = np.concatenate((v4, boxes.difference(s.v4, v4)))
        v6 = np.concatenate((v6, boxes.difference(s.v6, v6)))
    return ServiceSet(v4, v6)


def intersection(a: ServiceSet, b: ServiceSet) -> ServiceSet:
    """All services in both, as disjoint boxes. O(len(a) len(b)).

    >>> describe(intersection(parse("tcp/80-443"), parse("tcp/400-500")))
    ['tcp/400-443']
    """
    return ServiceSet(boxes.intersection(a.v4, b.v4), boxes.intersection(a.v6, b.v6))


def difference(a: ServiceSet, b: ServiceSet) -> ServiceSet:
    """All services of `a` that are not in `b`, as disjoint boxes; a box of `b` multiplies those it touches by at most six.

    >>> describe(difference(parse("tcp/80-443"), parse("tcp/81-442")))
    ['tcp/80', 'tcp/443']
    """
    return ServiceSet(boxes.difference(a.v4, b.v4), boxes.difference(a.v6, b.v6))


def complement(s: ServiceSet) -> ServiceSet:
    """All services not in the set, over all 256 protocols, in each family."""
    return ServiceSet(boxes.difference(WHOLE, s.v4), boxes.difference(WHOLE, s.v6))


_WORD = re.compile(
    r"(?P<protocol>[a-z][a-z0-9-]*?)(?:/(?P<value>[\d.-]+))?(?:\s+from\s+(?P<source>\d+(?:-\d+)?))?", re.I
)


@lru_cache(maxsize=4096)
def parse(text: str) -> ServiceSet:
    """The services written in one word (see above).

    Raises `InvalidService`: unknown protocol, ports where there are none, a value out of range, a
    reversed range.

    >>> parse("tcp/443").v4.tolist()
    [[[6, 6], [0, 65535], [443, 443]]]
    """
    text = text.strip()
    if text.lower() == "any":
        return ANY
    match = _WORD.fullmatch(text)
    if not match:
        raise InvalidService(f"{text!r} is no service; write for example tcp/443, udp/53, icmp/8 or any")
    protocol, value, source = match["protocol"].lower(), match["value"], match["source"]
    if protocol == "proto":
        if value is None or source or not value.isdecimal() or int(value) > PROTOCOL_TOP:
            raise InvalidService(f"{text}: a protocol number is written proto/0 to proto/255")
        number, value = int(value), None
    elif protocol in PROTOCOLS:
        number = PROTOCOLS[protocol]
    else:
        raise InvalidService(f"{text}: no protocol is called {protocol}; write proto/NUMBER")
    if number in WITH_PORTS:
        box = [[number] * 2, _ports(text, source), _ports(text, value)]
        return ServiceSet(np.array([box], dtype=np.int64), np.array([box], dtype=np.int64))
    if source:
        raise InvalidService(f"{text}: {protocol} has no ports")
    if number in (ICMP, ICMP6):
        return _icmp(text, number, value)
    if value is not None:
        raise InvalidService(f"{text}: {protocol} has no ports")
    whole = np.array([[[number] * 2, [0, TOP], [0, TOP]]], dtype=np.int64)
    return ServiceSet(whole, whole)


def is_literal(text: str) -> bool:
    """Whether the text is a service in words (and so not a name)."""
    try:
        parse(text)
    except InvalidService:
        return False
    return True


def _ports(text: str, value: str | None) -> list[int]:
    if value is None:
        return [0, TOP]
    first, dash, last = value.partition("-")
    if not first.isdecimal() or (dash and not last.isdecimal()):
        raise InvalidService(f"{text}: ports are written 443 or 8000-8100")
    low, high = int(first), int(last or first)
    if max(low, high) > TOP:
        raise InvalidService(f"{text}: a port is a number from 0 to {TOP}")
    if low > high:
        raise InvalidService(f"{text}: the range is reversed; write {high}-{low}")
    return [low, high]


def _icmp(text: str, number: int, value: str | None) -> ServiceSet:
    if value is None:
        whole = np.array([[[number] * 2, [0, TOP], [0, TOP]]], dtype=np.int64)
        return ServiceSet(whole, whole)
    kind, dot, code = value.partition(".")
    if not kind.isdecimal() or (dot and not code.isdecimal()) or int(kind) > 255 or int(code or 0) > 255:
        raise InvalidService(f"{text}: type and code are numbers from 0 to 255, written icmp/3 or icmp/3.4")
    axes = [_to_end(int(kind), int(kind)), _to_end(int(code), int(code)) if dot else [0, TOP]]
    named = np.array([[[number] * 2, *axes]], dtype=np.int64)
    return ServiceSet(named, NOTHING.v6) if number == ICMP else ServiceSet(NOTHING.v4, named)


def _to_end(low: int, high: int) -> list[int]:
    return [low, TOP if high == 255 else high]


def describe(s: ServiceSet) -> list[str]:
    """The set in the words above: a word for each box, each once, those of IPv4 first. O(boxes).

    >>> describe(union([parse("tcp/443"), parse("udp/53 from 1024-65535")]))
    ['tcp/443', 'udp/53 from 1024-65535']
    """
    words: dict[str, None] = {}
    for family in (4, 6):
        for box in s[family].tolist():
            words.setdefault(_box_text(family, box))
    return list(words)


def _box_text(family: int, box: list[list[int]]) -> str:
    (low, high), (first_low, first_high), (second_low, second_high) = box
    if low != high:
        return "any" if [low, high] == [0, PROTOCOL_TOP] else f"protocols {low}-{high}"
    name = NAME_OF_PROTOCOL.get(low, f"proto/{low}")
    if has_ports(low):
        port = "" if (second_low, second_high) == (0, TOP) else f"/{_range_text(second_low, second_high)}"
        come = "" if (first_low, first_high) == (0, TOP) else f" from {_range_text(first_low, first_high)}"
        return f"{name}{port}{come}"
    if has_type(family, low) and (first_low, first_high) != (0, TOP):
        code = (
            ""
            if (second_low, second_high) == (0, TOP)
            else f".{_range_text(second_low, min(second_high, 255))}"
        )
        return f"{name}/{_range_text(first_low, min(first_high, 255))}{code}"
    return name


def _range_text(low: int, high: int) -> str:
    return str(low) if low == high else f"{low}-{high}"
