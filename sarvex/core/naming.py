"""Sets told in the network's own names, exactly: `kiosks except kiosk-1`, `any except postgres`."""

from __future__ import annotations

import numpy as np

from sarvex.core import addresses, boxes, intervals, services
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.names import Names
from sarvex.core.packets import PROTOCOL, SECOND, PacketSet
from sarvex.core.services import ServiceSet

MANY = 3


def project(what: PacketSet, axis: int) -> AddressSet:
    """All addresses that occur on the source or destination axis of a packet set."""
    v4, v6 = (intervals.union((int(low), int(high)) for low, high in what[f][:, axis]) for f in FAMILIES)
    return AddressSet(v4, v6)


def project_services(what: PacketSet) -> ServiceSet:
    """All services that occur in a packet set, as disjoint boxes."""
    shares = (what[f][:, PROTOCOL : SECOND + 1].astype(np.int64) for f in FAMILIES)
    v4, v6 = (_disjoint(np.unique(share, axis=0)) for share in shares)
    return ServiceSet(v4, v6)


def name_addresses(a: AddressSet, names: Names) -> list[str]:
    """Words that together are exactly `a`: names, widest first, then addresses; or one name with exceptions.

    Where `a` has one family only, names are taken for their part of it and marked so. Greedy; O(names × intervals).
    """
    if a == addresses.ANY:
        return ["any"]
    words, rest = _greedy(a, names)
    words += addresses.describe(rest)
    if rest or len(words) > MANY:
        exception = _exception(a, names)
        if exception and len(exception) < len(words):
            head, *others = exception
            return [f"{head} except {', '.join(others)}"]
    return words


def name_segments(a: AddressSet, names: Names) -> list[str]:
    """The segments that own some of `a`, marked where it is not all of what they own."""
    words = []
    for segment in names.network.segments:
        owned = names.address(segment.name)
        if addresses.intersection(a, owned):
            words.append(segment.name if addresses.covers(a, owned) else f"part of {segment.name}")
    return words


def name_services(s: ServiceSet, names: Names) -> list[str]:
    """Words for `s`: service names where they fit exactly, services in words, or `any except …`."""
    words = _service_words(s, names)
    if len(words) > 1:
        others = _service_words(_within_families(services.complement(s), s), names)
        if len(others) < len(words):
            return [f"any except {', '.join(others)}"] if others else ["any"]
    return words


def _greedy(a: AddressSet, names: Names) -> tuple[list[str], AddressSet]:
    words, rest = [], a
    for candidate, spread, mark in _candidates(a, names):
        if not rest:
            break
        if addresses.covers(a, spread) and addresses.intersection(rest, spread):
            words.append(candidate + mark)
            rest = addresses.difference(rest, spread)
    return words, rest


def _exception(a: AddressSet, names: Names) -> list[str] | None:
    """The narrowest name that holds all of `a`, followed by words for exactly the rest of it."""
    for candidate, spread, mark in reversed(_candidates(a, names)):
        if addresses.covers(spread, a):
            words, rest = _greedy(addresses.difference(spread, a), names)
            return [candidate + mark, *words, *addresses.describe(rest)]
    return None


def _candidates(a: AddressSet, names: Names) -> list[tuple[str, AddressSet, str]]:
    """Names with their part in the families of `a`, the widest first, and a mark where that is not all."""
    found = []
    for thing in names.address_things.values():
        whole = names.address(thing.name)
        part = AddressSet(whole.v4 if a.v4 else (), whole.v6 if a.v6 else ())
        if part:
            mark = "" if part == whole else f" over IPv{4 if a.v4 else 6}"
            found.append((sum(intervals.size(part[f]) for f in FAMILIES), thing.name, part, mark))
    return [(name, part, mark) for _, name, part, mark in sorted(found, key=lambda item: -item[0])]


def _service_words(s: ServiceSet, names: Names) -> list[str]:
    words = []
    rest = s
    for service in names.network.services:
        spread = _within_families(names.service(service.name), s)
        if any(len(spread[f]) for f in FAMILIES) and all(boxes.covers(s[f], spread[f]) for f in FAMILIES):
            left = ServiceSet(*(boxes.difference(rest[f], spread[f]) for f in FAMILIES))
            if _volume(left) < _volume(rest):
                words.append(service.name)
                rest = left
    return words + services.describe(rest)


def _volume(s: ServiceSet) -> int:
    return sum(int(np.prod(box[:, 1] - box[:, 0] + 1)) for f in FAMILIES for box in s[f])


def _within_families(s: ServiceSet, like: ServiceSet) -> ServiceSet:
    """The part of `s` in the families in which `like` holds anything."""
    return ServiceSet(*(s[f] if len(like[f]) else s[f][:0] for f in FAMILIES))


def _disjoint(array: boxes.Boxes) -> boxes.Boxes:
    out = array[:0]
    for box in array:
        out = np.concatenate((out, boxes.difference(box[None], out)))
    return out
