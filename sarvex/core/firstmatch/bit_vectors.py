"""Bit rows: for every elementary interval of an axis, which entries of a list hold there.

Entries (`sarvex.core.firstmatch.products`) are taken in blocks of 4096, 64 words of 64 bits, with one word over each row telling
which of its words are not zero. The entries that match a packet are the AND of six rows, and the first rule is the
lowest set bit: words are taken from the front, and of most rows only the telling word is read. Each block tells apart
only what its own entries do, so memory stays in proportion to the list, whatever the addresses are.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.compiled import compiled, written_plainly

if TYPE_CHECKING:
    from sarvex.core.firstmatch.form import Form

Bits = NDArray[np.uint64]
Int = NDArray[np.int32]
Index = NDArray[np.int64]
BLOCK = 4096
NONE = -1
FIRST: int = np.int64(0)  # type: ignore[assignment]
"""Typed, because the compiler makes a version of a function for each literal it is called with."""
_DE_BRUIJN = np.uint64(0x03F79D71B4CB0A89)
_PLACES = np.zeros(64, dtype=np.int64)
for _bit in range(64):
    _PLACES[(int(_DE_BRUIJN) << _bit & 0xFFFFFFFFFFFFFFFF) >> 58] = _bit


def rows_of(
    sets: Int, begin: Index, ends: Int, boxes: Int, rule: Index, box: Index, sizes: Index
) -> tuple[Index, Int, Bits, Bits]:
    """The bit rows of entries, each of a rule (with address sets) and a service box: ``at, row, bits, told``.

    `row` (elementary intervals of all axes, blocks) numbers rows of `bits` (rows, 64) and of `told` (rows,); axis a has
    its intervals from `at[a]` on. O(entries × intervals that one block tells apart) at worst.
    """
    each = np.arange(len(boxes) + 1, dtype=np.int64)
    made = [_axis_rows(sets[axis][rule], begin, ends, sizes[axis]) for axis in range(2)]
    made += [
        _axis_rows(box.astype(np.int32), each, np.ascontiguousarray(boxes[:, axis]), sizes[axis + 2])
        for axis in range(4)
    ]
    row, bits, told = zip(*made, strict=True)
    shift = np.cumsum([0, *map(len, told)])
    return (
        np.concatenate(([0], np.cumsum(sizes[:-1]))),
        np.ascontiguousarray(
            np.concatenate([r + s for r, s in zip(row, shift, strict=False)], axis=1, dtype=np.int32).T
        ),
        np.concatenate(bits),
        np.concatenate(told),
    )


def all_on(entries: int) -> Bits:
    """A mask of entries, (blocks, 64), with every entry there."""
    blocks = max(1, -(-entries // BLOCK))
    flat = np.zeros(blocks * BLOCK, dtype=np.uint8)
    flat[:entries] = 1
    return np.packbits(flat, bitorder="little").view(np.uint64).reshape(blocks, 64)


@compiled
def _axis_rows(set_of: Int, begin: Index, ends: Int, size: int) -> tuple[Int, Bits, Bits]:
    entries = len(set_of)
    blocks = max(1, (entries + BLOCK - 1) // BLOCK)
    row = np.empty((blocks, size), dtype=np.int32)
    total = 0
    seen = np.full(len(begin), -1, dtype=np.int64)
    for block in range(blocks):
        mark = np.zeros(size + 1, dtype=np.int64)
        mark[0] = 1
        for e in range(block * BLOCK, min(entries, (block + 1) * BLOCK)):
            s = set_of[e]
            if seen[s] != block:
                seen[s] = block
                for k in range(begin[s], begin[s + 1]):
                    mark[ends[k, 0]] = 1
                    mark[ends[k, 1] + 1] = 1
        at = total - 1
        for x in range(size):
            at += mark[x]
            row[block, x] = at
        total = at + 1
    bits = np.zeros((total, 64), dtype=np.uint64)
    told = np.zeros(total, dtype=np.uint64)
    whole = np.zeros((blocks, 64), dtype=np.uint64)
    for e in range(entries):
        block, word = e // BLOCK, (e % BLOCK) // 64
        bit = np.uint64(1) << np.uint64(e % 64)
        s = set_of[e]
        first = begin[s]
        if ends[first, 0] == 0 and ends[first, 1] == size - 1:
            whole[block, word] |= bit
            continue
        for k in range(first, begin[s + 1]):
            for r in range(row[block, ends[k, 0]], row[block, ends[k, 1]] + 1):
                bits[r, word] |= bit
    for block in range(blocks):
        words = min(64, (entries - block * BLOCK + 63) // 64)
        for r in range(row[block, 0], row[block, size - 1] + 1):
            for word in range(words):
                bits[r, word] |= whole[block, word]
                if bits[r, word]:
                    told[r] |= np.uint64(1) << np.uint64(word)
    return row, bits, told


def _lowest_plainly(word: int) -> int:
    return (int(word) & -int(word)).bit_length() - 1


@written_plainly(_lowest_plainly)
def lowest(word: int) -> int:
    """The place of the lowest set bit of a word that is not zero."""
    w = np.uint64(word)
    return _PLACES[((w & (~w + np.uint64(1))) * _DE_BRUIJN) >> np.uint64(58)]


@compiled
def first_match(form: Form, point: Int, start: int) -> int:
    """The rule of the first entry from `start` that is `on` and holds at a point (6,) of ranks; `NONE` for none.

    Six rows of bits are joined, 64 entries at a time; a summary bit for each word skips those that cannot hold:

        source       0 1 0 0 | 0 1 1 0       told: which words have a bit at all
        destination  0 0 0 0 | 1 1 0 0       AND over the axes leaves the words to look at,
        ...                                  AND within them the entries; the lowest wins
        -> entry 5

    Complexity: O(entries / 4096) in the worst case, mostly one or two words.
    Source: Lakshman and Stiliadis 1998; the summary: Baboescu and Varghese 2001.
    """
    at, row, bits, told, on = form.at, form.row, form.bits, form.told, form.on
    i, j, k = at[0] + point[0], at[1] + point[1], at[2] + point[2]
    x, y, z = at[3] + point[3], at[4] + point[4], at[5] + point[5]
    for block in range(start // BLOCK, len(on)):
        a, b = row[i, block], row[j, block]
        words = told[a] & told[b]
        if not words:  # most blocks end here: addresses tell most apart
            continue
        c, d, e, f = row[k, block], row[x, block], row[y, block], row[z, block]
        words &= told[c] & told[d] & told[e] & told[f]
        while words:
            word = lowest(words)
            words &= words - np.uint64(1)
            found = bits[a, word] & bits[b, word] & bits[c, word] & on[block, word]
            found &= bits[d, word] & bits[e, word] & bits[f, word]
            base = block * BLOCK + word * 64
            if base < start:
                if base + 64 <= start:
                    continue
                found &= ~np.uint64(0) << np.uint64(start - base)
            if found:
                return form.owner[base + lowest(found)]
    return NONE


@compiled
def first_matches(form: Form, points: Int, out: Index) -> None:
    """`first_match` of many points, (n, 6) ranks, into `out` (n,): numbers of rules, `NONE` where the default decides."""
    for k in range(len(points)):
        out[k] = first_match(form, points[k], FIRST)


@compiled
def ranks_of_halves(starts: Bits, values: Bits, out: Int) -> None:
    """The ranks of 128-bit values (n, 2) among ascending `starts` (k, 2), into `out` (n,). O(n log k)."""
    for i in range(len(values)):
        left, right = 0, len(starts)
        while left < right:
            middle = (left + right) // 2
            if starts[middle, 0] < values[i, 0] or (
                starts[middle, 0] == values[i, 0] and starts[middle, 1] <= values[i, 1]
            ):
                left = middle + 1
            else:
                right = middle
        out[i] = left - 1


@compiled
def touching(form: Form, first: int, last: int) -> Bits:
    """For the rules ``first..last-1``: which entries share a packet with them, as bits (last - first, words).

    Per axis the rows of all intervals that a rule has there are joined (OR); an entry shares a packet where all axes say so
    (AND). Exact, since a match is a product of sets. O(intervals × words), words = entries / 64.
    """
    row, begin, service_begin, sets, ends = form.row, form.begin, form.service_begin, form.sets, form.ends
    words = row.shape[1] * 64
    out = np.zeros((last - first, words), dtype=np.uint64)
    address_slot = np.full(len(begin), -1, dtype=np.int64)
    service_slot = np.full(len(service_begin), -1, dtype=np.int64)
    used = np.zeros(2, dtype=np.int64)
    for r in range(first, last):
        for which in range(3):
            k = sets[which, r]
            slot = service_slot if which == 2 else address_slot
            if k >= 0 and slot[k] < 0:
                slot[k] = used[which // 2]
                used[which // 2] += 1
    addresses = np.zeros((used[0], words), dtype=np.uint64)
    services = np.zeros((used[1], words), dtype=np.uint64)
    line = np.empty(words, dtype=np.uint64)
    for r in range(first, last):
        for axis in range(2):
            k = sets[axis, r]
            if k >= 0 and address_slot[k] >= 0:
                _join(form, axis, ends[begin[k] : begin[k + 1]], addresses[address_slot[k]])
                address_slot[k] = -2 - address_slot[k]  # done
        k = sets[2, r]
        if k >= 0 and service_slot[k] >= 0:
            for v in range(service_begin[k], service_begin[k + 1]):
                services[service_slot[k]] |= _service_line(form, form.service_boxes[v], line)
            service_slot[k] = -2 - service_slot[k]
    for r in range(first, last):
        if sets[0, r] >= 0:
            s, d = -2 - address_slot[sets[0, r]], -2 - address_slot[sets[1, r]]
            v = -2 - service_slot[sets[2, r]]
            for w in range(words):
                out[r - first, w] = addresses[s, w] & addresses[d, w] & services[v, w]
    return out


@compiled
def touching_product(form: Form, source: Int, destination: Int, service: Int) -> Bits:
    """Which entries share a packet with a product of sets that need be no rule's, as bits (words,).

    source, destination: closed intervals of ranks (n, 2).
    service: boxes of ranks (n, 4, 2) over protocol, first, second and class of moments.
    """
    words = form.row.shape[1] * 64
    out, line = np.zeros(words, dtype=np.uint64), np.zeros(words, dtype=np.uint64)
    _join(form, 0, source, out)
    _join(form, 1, destination, line)
    out &= line
    either = np.zeros(words, dtype=np.uint64)
    for v in range(len(service)):
        either |= _service_line(form, service[v], line)
    out &= either
    return out


@compiled
def _service_line(form: Form, box: Boxes, line: Bits) -> Bits:
    """Which entries touch a service box."""
    line[:] = ~np.uint64(0)
    joined = np.empty(len(line), dtype=np.uint64)
    for axis in range(4):
        ends = box[axis : axis + 1]
        if ends[0, 0] > 0 or ends[0, 1] < form.sizes[axis + 2] - 1:
            joined[:] = 0
            _join(form, axis + 2, ends, joined)
            line &= joined
    return line


@compiled
def _join(form: Form, axis: int, ends: Int, line: Bits) -> None:
    """OR into `line` the rows of an axis's intervals."""
    if ends[0, 0] == 0 and ends[0, 1] == form.sizes[axis] - 1:
        line[:] = ~np.uint64(0)
        return
    at, row, bits = form.at[axis], form.row, form.bits
    for block in range(row.shape[1]):
        words = min(64, (len(form.owner) - block * BLOCK + 63) // 64)
        last = -1
        for k in range(len(ends)):
            for r in range(max(last + 1, row[at + ends[k, 0], block]), row[at + ends[k, 1], block] + 1):
                for w in range(words):
                    line[block * 64 + w] |= bits[r, w]
                last = r


@compiled
def rules_in(form: Form, line: Bits, first: int, last: int, out: Index) -> int:
    """The different rules of the set bits of a `line` (words,) at entries ``first..last-1`` that are `on`, ascending, into `out`.

    Returns how many. O(words + bits set).
    """
    owner, enabled = form.owner, form.enabled
    count = 0
    for word in range(first // 64, (last + 63) // 64):
        bits = line[word]
        while bits:
            e = word * 64 + lowest(bits)
            bits &= bits - np.uint64(1)
            if first <= e < last:
                r = owner[e]
                if enabled[r] and (count == 0 or out[count - 1] != r):
                    out[count] = r
                    count += 1
    return count
