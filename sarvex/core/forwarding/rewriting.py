"""Headers that translations change: each field is as it was asked, moved by a constant, fixed, or one of several, whichever.

A set of packets under way keeps the packets as they were asked and one such header for all of them; so what became of a packet is
always told of the packet that was asked about. Cutting what is moved cuts what was asked. Cutting what is free to be one of several
leaves what was asked whole: by some choices it goes one way, by others another.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterator
from dataclasses import replace

import numpy as np

from sarvex.core.forwarding.headers import cut_each, cut_to
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.packet_sets import NOTHING, PROTOCOL, PacketSet
from sarvex.core.sets import intervals
from sarvex.core.sets.addresses import FAMILIES, HIGHEST, AddressSet
from sarvex.core.sets.boxes import Boxes, coalesced, disjoint
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import TOP

Value = tuple[Hashable, int]
"""What a field is now: a base, moved by so many. The base is None for the field as it was asked, `FIXED` for 0, else a choice."""
Header = tuple[Value, ...]
"""Source, destination, protocol, first and second, by their axes."""
Choices = tuple[tuple[Hashable, Intervals], ...]
"""What each choice may have been, as far as it was not told since."""
FIXED: Hashable = ()
ASKED: Value = (None, 0)
AS_ASKED: Header = (ASKED,) * 5


def fixed(value: int) -> Value:
    """One value, whatever was asked."""
    return FIXED, value


def moved(value: Value, by: int) -> Value:
    return value[0], value[1] + by


def put(header: Header, axis: int, value: Value) -> Header:
    """A header with another value of one field."""
    return *header[:axis], value, *header[axis + 1 :]


def possible(value: Value, choices: Choices) -> Intervals:
    """All that a field may be that is not as it was asked."""
    base, by = value
    some = ((0, 0),) if base == FIXED else dict(choices)[base]
    return tuple((low + by, high + by) for low, high in some)


def seen(packets: PacketSet, header: Header, choices: Choices) -> PacketSet:
    """Packets with a header as it is now: disjoint, though packets that differ in what was lost only look alike. O(boxes² × stretches of
    its choices)."""
    if header == AS_ASKED:
        return packets
    return PacketSet(*(_seen(packets[f], header, choices) for f in FAMILIES))


def _seen(some: Boxes, header: Header, choices: Choices) -> Boxes:
    if not len(some):
        return some
    out, lost = some.copy(), False
    for axis, value in enumerate(header):
        if value[0] is None:
            out[:, axis] += value[1]
            continue
        lost, each = True, []
        for stretch in possible(value, choices):
            each.append(out.copy())
            each[-1][:, axis] = stretch
        out = np.concatenate([out[:0], *each])
    return disjoint(out) if lost else out


def traced(
    share: PacketSet, packets: PacketSet, header: Header, choices: Choices
) -> Iterator[tuple[PacketSet, Choices]]:
    """The packets, as they were asked, of a share of `seen`, with what is known of the choices they came to be by.

    Shares of the same packets by several choices are told one by one. O(boxes of the share × boxes of the packets).
    """
    if header == AS_ASKED:
        yield share, choices
        return
    lost = [axis for axis, value in enumerate(header) if value[0] is not None]
    free = [axis for axis in lost if header[axis][0] != FIXED]
    for f in FAMILIES:
        if not len(share[f]):
            continue
        asked = share[f].copy()
        by_choice: dict[tuple[tuple[int, int], ...], list[int]] = defaultdict(list)
        for row, box in enumerate(asked.tolist()):
            by_choice[tuple((box[axis][0], box[axis][1]) for axis in free)].append(row)
        for axis, value in enumerate(header):
            if value[0] is None:
                asked[:, axis] -= value[1]
            else:
                asked[:, axis] = [0, highest(f, axis)]
        for stretches, rows in by_choice.items():
            back = packet_sets.of_boxes(f, asked[rows])
            if lost:
                back = packet_sets.of_boxes(f, coalesced(packet_sets.intersection(packets, back)[f]))
            known = choices
            for axis, stretch in zip(free, stretches, strict=True):
                known = narrowed(known, header[axis], (stretch,))
            yield back, known


def narrowed(choices: Choices, value: Value, to: Intervals) -> Choices:
    """Choices by which a field is one of some values."""
    base, by = value
    low = tuple((a - by, b - by) for a, b in to)
    return tuple((k, intervals.intersection(some, low) if k == base else some) for k, some in choices)


def towards(
    packets: PacketSet, header: Header, choices: Choices, axis: int, spread: AddressSet
) -> tuple[PacketSet, Choices]:
    """The packets whose address on an axis is now in a set, and the choices by which it is."""
    base, by = header[axis]
    if base is None and not by:
        return cut_to(packets, axis, spread), choices
    if base is None:
        stretches = {f: tuple((a - by, b - by) for a, b in spread[f]) for f in FAMILIES}
        return cut_each(packets, axis, stretches), choices
    family = packet_sets.family_of(packets)
    there = intervals.intersection(possible(header[axis], choices), spread[family])
    if not there:
        return NOTHING, choices
    return packets, choices if base == FIXED else narrowed(choices, header[axis], there)


def spread(packets: PacketSet, header: Header, choices: Choices, axis: int) -> AddressSet:
    """All addresses there are now on an axis."""
    base, by = header[axis]
    if base is None:
        asked = packet_sets.project(packets, axis)
        return (
            asked if not by else AddressSet(*(tuple((a + by, b + by) for a, b in asked[f]) for f in FAMILIES))
        )
    found = possible(header[axis], choices)
    return AddressSet(*(found if packet_sets.has(packets, f) else () for f in FAMILIES))


def agreement(
    packets: PacketSet, one: Header, other: Header, choices: Choices
) -> tuple[PacketSet, PacketSet, PacketSet]:
    """The packets for which two headers are the same, those for which they differ, and those for which it is not known.

    Two choices are never known to be the same, unless they are one.
    """
    same, unlike, open_ = packets, [], NOTHING
    for axis, (a, b) in enumerate(zip(one, other, strict=True)):
        a, b = (_settled(value, choices) for value in (a, b))
        if a == b:
            continue
        same, differs, unsure = _alike(same, axis, a, b, choices)
        left, differs_too, unsure_too = _alike(open_, axis, a, b, choices)
        unlike += [differs, differs_too]
        open_ = packet_sets.union((unsure, left, unsure_too))
    return same, packet_sets.union(unlike), open_


def _settled(value: Value, choices: Choices) -> Value:
    """A choice of which one value is left is fixed."""
    if value[0] is None or value[0] == FIXED:
        return value
    some = possible(value, choices)
    return fixed(some[0][0]) if len(some) == 1 and some[0][0] == some[0][1] else value


def _alike(
    packets: PacketSet, axis: int, a: Value, b: Value, choices: Choices
) -> tuple[PacketSet, PacketSet, PacketSet]:
    if not packets:
        return NOTHING, NOTHING, NOTHING
    if a[0] == b[0]:
        return NOTHING, packets, NOTHING
    if a[0] is None or b[0] is None:
        asked, now = (a, b) if a[0] is None else (b, a)
        inside = tuple((low - asked[1], high - asked[1]) for low, high in possible(now, choices))
        meet, apart = _split(packets, axis, inside)
        return (meet, apart, NOTHING) if now[0] == FIXED else (NOTHING, apart, meet)
    if intervals.intersection(possible(a, choices), possible(b, choices)):
        return NOTHING, NOTHING, packets
    return NOTHING, packets, NOTHING


def _split(packets: PacketSet, axis: int, inside: Intervals) -> tuple[PacketSet, PacketSet]:
    """The packets whose value on an axis is in some stretches, and the others."""
    tops = {f: highest(f, axis) for f in FAMILIES}
    within = {f: intervals.intersection(inside, ((0, top),)) for f, top in tops.items()}
    others = {f: intervals.complement(within[f], 0, top) for f, top in tops.items()}
    return cut_each(packets, axis, within), cut_each(packets, axis, others)


def highest(family: int, axis: int) -> int:
    """The highest value of a field of addresses or ports."""
    return HIGHEST[family] if axis < PROTOCOL else TOP


def flow_as(flow: Flow, header: Header, choices: Choices) -> Flow:
    """One packet with a header as it is now; of what it may have become by choice the lowest.

    >>> sent = Flow(4, 10, 20, 6, 49152, 443)
    >>> flow_as(sent, put(put(AS_ASKED, 1, fixed(30)), 4, (None, 8000)), ())
    Flow(family=4, src=10, dst=30, protocol=6, first=49152, second=8443, state='new', moment=None)
    """
    asked = (flow.src, flow.dst, flow.protocol, flow.first, flow.second)
    now = [
        (value if value is None else value + to[1]) if to[0] is None else possible(to, choices)[0][0]
        for value, to in zip(asked, header, strict=True)
    ]
    src, dst, _, first, second = now
    return replace(flow, src=src, dst=dst, first=first, second=second)  # type: ignore[arg-type]
