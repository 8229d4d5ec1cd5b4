"""Between which segments, and to which devices themselves, something must or must not work: what a chart of all pairs marks."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from sarvex.core.forwarding.headers import from_sources, to_destinations
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Device, Network, Segment
from sarvex.core.reach.expectations import BAD, Judged, spoken_of
from sarvex.core.sets import addresses


@dataclass(frozen=True, eq=False)
class Mentioned:
    """A pair of which expectations speak, with all of these, and those of them that do not hold because of packets between this pair, or are not known
    to hold."""

    source: Segment
    destination: Segment | Device
    by: tuple[Judged, ...]
    bad: tuple[Judged, ...]


def mentioned(judged: Iterable[Judged], network: Network, names: Names) -> list[Mentioned]:
    """The pairs that something is expected of, in the order of the network. A segment is its hosts, a device itself; what has ended speaks of none.

    O(expectations × (segments + devices)), and the pairs.
    """
    routing = routing_of(network)
    sources = [(segment, routing.hosts(segment)) for segment in network.segments]
    ends: list[tuple[Segment | Device, addresses.AddressSet]] = [
        *sources,
        *((device, routing.own(device)) for device in network.devices),
    ]
    found: dict[tuple[int, int], list[Judged]] = defaultdict(list)
    bad: dict[tuple[int, int], list[Judged]] = defaultdict(list)
    for one in judged:
        if one.verdict in ("ended", "empty"):
            continue
        sides = spoken_of(one.expectation, names).sides
        rows = [n for n, (_, own) in enumerate(sources) if addresses.intersection(own, sides[0])]
        columns = [n for n, (_, own) in enumerate(ends) if addresses.intersection(own, sides[1])]
        for row in rows:
            sent = from_sources(one.packets, sources[row][1])
            for column in columns:
                if row == column:
                    continue
                found[row, column].append(one)
                unknown = one.verdict in BAD and not one.packets
                if unknown or (sent and to_destinations(sent, ends[column][1])):
                    bad[row, column].append(one)
    return [
        Mentioned(sources[row][0], ends[column][0], tuple(by), tuple(bad[row, column]))
        for (row, column), by in sorted(found.items(), key=lambda pair: pair[0])
    ]
