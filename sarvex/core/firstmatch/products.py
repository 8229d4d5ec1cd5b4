"""What products of sets have in common, and whether rules cover boxes: set algebra on a list's `Form`, compiled."""

from __future__ import annotations

import numpy as np

from sarvex.core.firstmatch.form import Form, Index, Int
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.compiled import compiled
from sarvex.core.sets.cover import HOLE, UNDECIDED, uncovered

MOST_BOXES = 1_000_000
"""A match of more boxes is not taken apart; what needs that is undecided."""


@compiled
def boxes_of(form: Form, rule: int) -> Boxes:
    """The boxes of one rule in ranks, (n, 6, 2): every choice of a source interval, a destination interval and a service box,
    at every class of moments. At most `MOST_BOXES`, then one too many: what needs them all is undecided.
    """
    return meet(form, rule, rule)


@compiled
def _between(begin: Index, ends: Int, k: int, low: int, high: int) -> tuple[int, int]:
    """The intervals of set `k` that touch ``low..high``: from, to before. O(log n)."""
    left, right = begin[k], begin[k + 1]
    while left < right:
        middle = (left + right) // 2
        if ends[middle, 1] < low:
            left = middle + 1
        else:
            right = middle
    start = left
    right = begin[k + 1]
    if start < right and ends[start, 0] > high:
        return start, start
    while left < right:
        middle = (left + right) // 2
        if ends[middle, 0] <= high:
            left = middle + 1
        else:
            right = middle
    return start, left


@compiled
def meet(form: Form, a: int, b: int) -> Boxes:
    """The boxes of what two rules both match; past `MOST_BOXES` no more are made."""
    begin, ends, sets, service_begin, service_boxes = (
        form.begin,
        form.ends,
        form.sets,
        form.service_begin,
        form.service_boxes,
    )
    source = _common(begin, ends, sets[0, a], sets[0, b])
    destination = _common(begin, ends, sets[1, a], sets[1, b])
    first, last = service_begin[sets[2, a]], service_begin[sets[2, a] + 1]
    if a == b:
        service = service_boxes[first:last]
    else:
        start, stop = service_begin[sets[2, b]], service_begin[sets[2, b] + 1]
        service = np.empty(((last - first) * (stop - start), 4, 2), dtype=np.int32)
        count = 0
        for i in range(first, last):
            for j in range(start, stop):
                touches = True
                for x in range(4):
                    low = max(service_boxes[i, x, 0], service_boxes[j, x, 0])
                    high = min(service_boxes[i, x, 1], service_boxes[j, x, 1])
                    touches = touches and low <= high
                    service[count, x, 0], service[count, x, 1] = low, high
                count += touches
        service = service[:count]
    total = min(len(source) * len(destination) * len(service), MOST_BOXES + 1)
    out = np.empty((total, 6, 2), dtype=np.int32)
    at = 0
    for s in range(len(source)):
        for d in range(len(destination)):
            for v in range(len(service)):
                if at == total:
                    return out
                out[at, 0] = source[s]
                out[at, 1] = destination[d]
                out[at, 2:] = service[v]
                at += 1
    return out


@compiled
def _common(begin: Index, ends: Int, a: int, b: int) -> Int:
    """The intervals that two sets share."""
    if a == b:
        return ends[begin[a] : begin[a + 1]]
    if begin[a + 1] - begin[a] > begin[b + 1] - begin[b]:
        a, b = b, a
    out = np.empty((begin[a + 1] - begin[a] + begin[b + 1] - begin[b], 2), dtype=np.int32)
    count = 0
    for i in range(begin[a], begin[a + 1]):
        start, stop = _between(begin, ends, b, ends[i, 0], ends[i, 1])
        for j in range(start, stop):
            out[count, 0] = max(ends[i, 0], ends[j, 0])
            out[count, 1] = min(ends[i, 1], ends[j, 1])
            count += 1
    return out[:count]


@compiled
def cutters(form: Form, box: Boxes, rules: Index, below: int, without: int) -> Boxes:
    """The parts of some rules inside a box (6, 2), as boxes (n, 6, 2).

    rules: ascending numbers of rules (n,); those that are `below` a number and not `without` count, so that a list is asked
    without one of its rules and without being copied. O(intervals of those rules that touch the box).
    """
    begin, ends, sets, service_begin, service_boxes = (
        form.begin,
        form.ends,
        form.sets,
        form.service_begin,
        form.service_boxes,
    )
    out = np.empty((64, 6, 2), dtype=np.int32)
    count = 0
    for r in rules:
        if r >= below or r == without:
            continue
        s0, s1 = _between(begin, ends, sets[0, r], box[0, 0], box[0, 1])
        d0, d1 = _between(begin, ends, sets[1, r], box[1, 0], box[1, 1])
        if s0 == s1 or d0 == d1:
            continue
        for v in range(service_begin[sets[2, r]], service_begin[sets[2, r] + 1]):
            touches = True
            for x in range(4):
                if service_boxes[v, x, 0] > box[x + 2, 1] or service_boxes[v, x, 1] < box[x + 2, 0]:
                    touches = False
                    break
            if not touches:
                continue
            for s in range(s0, s1):
                for d in range(d0, d1):
                    if count > MOST_BOXES:
                        return out[:count]
                    if count == len(out):
                        wider = np.empty((2 * count, 6, 2), dtype=np.int32)
                        wider[:count] = out
                        out = wider
                    out[count, 0] = ends[s]
                    out[count, 1] = ends[d]
                    out[count, 2:] = service_boxes[v]
                    count += 1
    return out[:count]


@compiled
def reach(form: Form, what: Boxes, rules: Index, below: int, without: int, work: Boxes, hole: Boxes) -> int:
    """Do those of `rules` that are less than `below` and not `without` cover all boxes of `what`? See `uncovered`.

    Undecided if some box is, and no other has a hole.
    """
    told = 0
    if len(what) > MOST_BOXES:
        return UNDECIDED
    for k in range(len(what)):
        near = cutters(form, what[k], rules, below, without)
        if len(near) > MOST_BOXES:
            told = UNDECIDED
            continue
        answer = uncovered(what[k], near, work, hole)
        if answer == HOLE:
            return HOLE
        if answer == UNDECIDED:
            told = UNDECIDED
    return told


@compiled
def contains(form: Form, outer: int, inner: int) -> bool:
    """Whether all that rule `inner` matches in this family (something) rule `outer` matches too. Exact."""
    entries, begin, ends, sets, service_boxes, service_begin = (
        form.entries,
        form.begin,
        form.ends,
        form.sets,
        form.service_boxes,
        form.service_begin,
    )
    if entries[outer] == entries[outer + 1]:
        return False
    if not _inside(begin, ends, sets[0, inner], sets[0, outer]):
        return False
    if not _inside(begin, ends, sets[1, inner], sets[1, outer]):
        return False
    a, b = sets[2, inner], sets[2, outer]
    if a == b:
        return True
    near = service_boxes[service_begin[b] : service_begin[b + 1]]
    hole = np.empty((4, 2), dtype=np.int32)
    work = np.array([1_000_000_000])
    for v in range(service_begin[a], service_begin[a + 1]):
        if uncovered(service_boxes[v], near, work, hole) != 0:
            return False
    return True


@compiled
def _inside(begin: Index, ends: Int, inner: int, outer: int) -> bool:
    """Whether each interval of one set lies in one of another (both are disjoint and do not touch)."""
    if inner == outer:
        return True
    for i in range(begin[inner], begin[inner + 1]):
        start, stop = _between(begin, ends, outer, ends[i, 0], ends[i, 0])
        if start == stop or ends[start, 1] < ends[i, 1]:
            return False
    return True


@compiled
def _service_at(form: Form, rule: int, point: Int) -> int:
    """The place of the service box of a rule that a point is in, or -1."""
    boxes, begin, service = form.service_boxes, form.service_begin, form.sets[2, rule]
    for v in range(begin[service], begin[service + 1]):
        inside = True
        for x in range(4):
            inside = inside and boxes[v, x, 0] <= point[x + 2] <= boxes[v, x, 1]
        if inside:
            return v
    return -1


@compiled
def holds(form: Form, rule: int, point: Int) -> bool:
    """Whether a rule matches a point (6,), given in ranks. O(log intervals + service boxes)."""
    begin, ends, sets = form.begin, form.ends, form.sets
    if sets[2, rule] < 0:
        return False
    for axis in range(2):
        start, stop = _between(begin, ends, sets[axis, rule], point[axis], point[axis])
        if start == stop:
            return False
    return _service_at(form, rule, point) >= 0


@compiled
def box_at(form: Form, rule: int, point: Int, out: Boxes) -> None:
    """The box of a rule around a point that it matches, into `out` (6, 2)."""
    begin, ends, sets = form.begin, form.ends, form.sets
    for axis in range(2):
        at, _ = _between(begin, ends, sets[axis, rule], point[axis], point[axis])
        out[axis] = ends[at]
    out[2:] = form.service_boxes[_service_at(form, rule, point)]
