"""Proofs about every rule of a first-match list, each exact or undecided within a budget of work.

All of them rest on one question: do these rules cover those boxes (`sarvex.core.sets.cover`)? A rule *decides* something if
the rules before it do not cover it. An earlier rule *takes* something from it if what both match is not covered by the
rules before the earlier one. Without the rule a later one *inherits* something if what both match is not covered by
all others before the later one. Most answers need no proof: a packet tried at a likely place settles them, and
`sarvex.core.firstmatch.bit_vectors` tries one in a fraction of a microsecond.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sarvex.core.firstmatch.bit_vectors import BLOCK, FIRST, NONE, first_match, rules_in
from sarvex.core.firstmatch.form import Bits, Flags, Form, Index, Int
from sarvex.core.firstmatch.products import box_at, boxes_of, contains, holds, meet, reach
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.compiled import compiled
from sarvex.core.sets.cover import COVERED, HOLE, UNDECIDED

ABSENT, DEAD, PART, ALL, OPEN = 0, 1, 2, 3, 4
"""What a rule decides in one family: it matches nothing there; none; a part; all; undecided."""
NEEDED, REMOVABLE, UNSETTLED = 0, 1, 2
"""What would come of a rule going alone: a change; none; undecided."""
TRIES = 12
STEPS = 160
SHOWN = 50
NOBODY: int = np.int64(NONE)  # type: ignore[assignment]
Codes = NDArray[np.int64]


Forms = tuple[Form, Form]


@compiled
def _random(seed: Index, below: int) -> int:
    seed[0] = (seed[0] * 1103515245 + 12345) & 0x7FFFFFFF
    return (seed[0] >> 8) % below


@compiled
def _address(begin: Index, ends: Int, k: int, known: Int, turn: int, seed: Index) -> int:
    """A rank in an address set: at first a known host's, later anywhere."""
    first, last = begin[k], begin[k + 1]
    if turn == 0:
        for i in range(first, min(last, first + 32)):
            rank = known[ends[i, 0]]
            if rank <= ends[i, 1]:
                return rank
        return ends[first, 0]
    i = first + _random(seed, last - first)
    low, high = ends[i, 0], ends[i, 1]
    if turn % 4 == 1:
        return low
    if turn % 4 == 2:
        return high
    rank = low + _random(seed, high - low + 1)
    return known[rank] if turn % 4 == 3 and known[rank] <= high else rank


@compiled
def _service(box: Int, likely: Int, turn: int, seed: Index, point: Int) -> None:
    """Fill in a point of a service box: at first one that reads well, later anywhere."""
    for axis in range(4):
        low, high = box[axis, 0], box[axis, 1]
        rank = low
        if turn == 0:
            if axis == 0:
                if low <= likely[0] <= high:
                    rank = likely[0]
                elif low <= likely[1] <= high:
                    rank = likely[1]
            elif axis == 1:
                rank = likely[2] if low <= likely[2] <= high else high
            elif axis == 2 and low == 0 and likely[3] <= high:
                rank = likely[3]
        elif turn % 4 == 2:
            rank = high
        elif turn % 4 != 1:
            rank = low + _random(seed, high - low + 1)
        point[axis + 2] = rank


@compiled
def try_point(form: Form, rule: int, turn: int, seed: Index, point: Int) -> None:
    """A packet (in ranks) that a rule matches; turn 0 gives one that reads well, others differ."""
    point[0] = _address(form.begin, form.ends, form.sets[0, rule], form.known[0], turn, seed)
    point[1] = _address(form.begin, form.ends, form.sets[1, rule], form.known[1], turn, seed)
    first, last = form.service_begin[form.sets[2, rule]], form.service_begin[form.sets[2, rule] + 1]
    at = first if turn == 0 else first + _random(seed, last - first)
    _service(form.service_boxes[at], form.likely, turn, seed, point)


@compiled
def live(form: Form, lines: Bits, first: int, budget: int) -> None:
    """What the rules from `first` on decide, one for each of `lines` (`bitrows.touching`), into the form's `state`.

    Its `witness` gets a box of packets that the rule decides, where it decides any.
    """
    state, witness = form.state, form.witness
    found = np.empty(len(state), dtype=np.int64)
    point = np.empty(6, dtype=np.int32)
    hole = np.empty((6, 2), dtype=np.int32)
    seed = np.array([1])
    work = np.array([0])
    for r in range(first, first + len(lines)):
        if form.entries[r] == form.entries[r + 1] or not form.enabled[r]:
            state[r] = ABSENT
            continue
        count = rules_in(form, lines[r - first], 0, form.entries[r], found)
        state[r] = ALL if count == 0 else PART
        settled = False
        for turn in range(TRIES):
            try_point(form, r, turn, seed, point)
            if count == 0 or first_match(form, point, FIRST) == r:
                witness[r, :, 0] = point
                witness[r, :, 1] = point
                settled = True
                break
        if not settled:
            work[0] = budget
            answer = reach(form, boxes_of(form, r), found[:count], r, NOBODY, work, hole)
            if answer == HOLE:
                witness[r] = hole
            else:
                state[r] = DEAD if answer == COVERED else OPEN


@compiled
def within(forms: Forms, inner: int, outer: int) -> bool:
    """Whether all that rule `inner` matches, in both families, rule `outer` matches too."""
    for f in range(2):
        form = forms[f]
        if form.entries[inner] < form.entries[inner + 1] and not contains(form, outer, inner):
            return False
    return True


@compiled
def _cut_down(form: Form, box: Boxes, i: int, sample: Boxes) -> int:
    """Do the rules before `i` cover a box that `i` matches? `UNDECIDED` after a few steps.

    Who decides a corner of what is left takes its own part of it away: cheap where few rules share the box.
    """
    pieces = np.empty((STEPS + 12, 6, 2), dtype=np.int32)
    pieces[0] = box
    count = 1
    point = np.empty(6, dtype=np.int32)
    part = np.empty((6, 2), dtype=np.int32)
    for _ in range(STEPS):
        if count == 0:
            return COVERED
        if count > STEPS:
            return UNDECIDED
        count -= 1
        here = pieces[count].copy()
        point[:] = here[:, 0]
        rule = first_match(form, point, FIRST)
        if rule == i:
            sample[:, 0] = point
            sample[:, 1] = point
            return HOLE
        box_at(form, rule, point, part)
        for axis in range(6):
            if part[axis, 1] < here[axis, 1]:
                pieces[count] = here
                pieces[count, axis, 0] = part[axis, 1] + 1
                count += 1
                here[axis, 1] = part[axis, 1]
            # The corner is the lowest, so nothing of the box is below the part.
    return UNDECIDED if count else COVERED


@compiled
def _takes(form: Form, i: int, r: int, found: Index, work: Index, sample: Boxes) -> int:
    """Does the earlier rule `i` decide something of rule `r` (1, 0; 2: undecided)? `found` are those before `r`.

    If so, `sample` (6, 2) becomes a box of it.
    """
    state = form.state[i]
    if state == DEAD:
        return 0
    point = np.empty(6, dtype=np.int32)
    if state != OPEN:
        point[:] = form.witness[i, :, 0]
        if holds(form, r, point):
            sample[:, 0] = point
            sample[:, 1] = point
            return 1
    what = meet(form, i, r)
    if state == ALL:
        sample[:] = what[0]
        return 1
    if len(what) <= STEPS:
        settled = COVERED
        for k in range(len(what)):
            settled = _cut_down(form, what[k], i, sample)
            if settled != COVERED:
                break
        if settled != UNDECIDED:
            return settled
    answer = reach(form, what, found, i, NOBODY, work, sample)
    return 2 if answer == UNDECIDED else answer


@compiled
def takers(
    forms: Forms, lines: tuple[Bits, Bits], first: int, budget: int, effects: Codes, logs: Flags, by: Boxes,
    others: Boxes, counts: Boxes,
) -> None:  # fmt: skip
    """Which earlier rules decide something of each rule from `first` on.

    An earlier rule `i` decides something of `r` unless the rules before `i` cover all that both match:

    =============================  ===================================================  ===========
    what is known of `i`           then                                                 proof
    =============================  ===================================================  ===========
    it is dead                     no                                                   none
    its witness is matched by `r`  yes, the witness                                     one lookup
    it decides all it matches      yes, any packet of both                              none
    few boxes are in both          who decides the corner of a box cuts his part off    `_cut_down`
    else                           the cover proof                                      `reach`
    =============================  ===================================================  ===========

    Into `by` (rules, `SHOWN`) the first of them, into `others` the first of those of another effect that are not
    themselves contained in the rule. Into `counts` (rules, 4) how many there are of each, how many have another effect,
    and how many do not log; the first is -1 if undecided. The form's `taken` gets a box of packets that the first of
    them decides in that family.
    """
    size = len(forms[0].state)
    found = (np.empty(size, dtype=np.int64), np.empty(size, dtype=np.int64))
    sample = np.empty((6, 2), dtype=np.int32)
    work = np.array([0])
    count = np.zeros(2, dtype=np.int64)
    at = np.zeros(2, dtype=np.int64)
    for r in range(first, first + len(lines[0])):
        counts[r] = 0
        for f in range(2):
            form = forms[f]
            at[f] = count[f] = 0
            form.taken[r, 0, 0] = -1
            if form.state[r] != ABSENT:
                count[f] = rules_in(form, lines[f][r - first], 0, form.entries[r], found[f])
        work[0] = budget
        unsure = False
        while at[0] < count[0] or at[1] < count[1]:
            i = size
            for f in range(2):
                if at[f] < count[f]:
                    i = min(i, found[f][at[f]])
            took = False
            for f in range(2):
                if at[f] < count[f] and found[f][at[f]] == i:
                    at[f] += 1
                    if not took:
                        answer = _takes(forms[f], i, r, found[f][: at[f]], work, sample)
                        took = answer == 1
                        unsure = unsure or answer == 2
                        if took and forms[f].taken[r, 0, 0] < 0:
                            forms[f].taken[r] = sample
            if took:
                if counts[r, 0] < SHOWN:
                    by[r, counts[r, 0]] = i
                counts[r, 0] += 1
                if effects[i] != effects[r]:
                    counts[r, 2] += 1
                    if not within(forms, i, r):
                        if counts[r, 1] < SHOWN:
                            others[r, counts[r, 1]] = i
                        counts[r, 1] += 1
                if not logs[i]:
                    counts[r, 3] += 1
        if unsure:
            counts[r, 0] = -1


@compiled
def _judge(
    forms: Forms, lines: tuple[Bits, Bits], line: int, r: int, budget: int, effects: Codes, found: Index, seed: Index,
) -> int:  # fmt: skip
    """`NEEDED`, `REMOVABLE` or `UNSETTLED`: would a change come of a rule that decides something going alone?

    1. A packet that it decides and that another rule would treat differently proves that it is needed: its witness first, then a
       few more that it matches.
    2. Else for each later rule that does something else, and the default: is there a packet that both match and no rule before
       that one, `r` left out, does? One such packet: needed. None for any of them: removable.
    """
    size = len(forms[0].state)
    point = np.empty(6, dtype=np.int32)
    hole = np.empty((6, 2), dtype=np.int32)
    work = np.array([budget])
    told = REMOVABLE
    for f in range(2):
        form = forms[f]
        state = form.state[r]
        if state == OPEN:
            told = UNSETTLED
        if state != PART and state != ALL:
            continue
        for turn in range(-1, TRIES):
            if turn < 0:
                point[:] = form.witness[r, :, 0]
            else:
                try_point(form, r, turn, seed, point)
                if state == PART and first_match(form, point, FIRST) != r:
                    continue
            heir = first_match(form, point, form.entries[r + 1])
            if effects[heir if heir >= 0 else size] != effects[r]:
                return NEEDED
    for f in range(2):
        form = forms[f]
        if form.state[r] != PART and form.state[r] != ALL:
            continue
        count = rules_in(form, lines[f][line], 0, len(form.owner), found)
        for k in range(count + 1):
            heir = found[k] if k < count else size
            if heir <= r or effects[heir] == effects[r]:
                continue
            what = meet(form, r, heir) if heir < size else boxes_of(form, r)
            answer = reach(form, what, found[:count], heir, r, work, hole)
            if answer == HOLE:
                return NEEDED
            if answer == UNDECIDED:
                told = UNSETTLED
    return told


@compiled
def take_out(form: Form, rule: int) -> None:
    """Let a rule no longer be in use."""
    entries, on = form.entries, form.on
    form.enabled[rule] = 0
    for e in range(entries[rule], entries[rule + 1]):
        on[e // BLOCK, e % BLOCK // 64] &= ~(np.uint64(1) << np.uint64(e % 64))


@compiled
def takes(form: Form, line: Bits, i: int, r: int, budget: int) -> int:
    """Does rule `i` decide something of a later rule? `line` are the entries that touch `i`. As `uncovered`."""
    if form.entries[i] == form.entries[i + 1] or form.entries[r] == form.entries[r + 1]:
        return COVERED
    found = np.empty(len(form.state), dtype=np.int64)
    count = rules_in(form, line, 0, form.entries[i], found)
    hole = np.empty((6, 2), dtype=np.int32)
    return reach(form, meet(form, i, r), found[:count], i, NOBODY, np.array([budget]), hole)


@compiled
def removable(
    forms: Forms, lines: tuple[Bits, Bits], first: int, budget: int, effects: Codes, ask: Flags, out: Flags,
    sweep: bool,
) -> None:  # fmt: skip
    """Whether each rule from `first` on that `ask` names could go alone without a change, into `out`.

    `effects` (rules + 1,) numbers what each rule does to a packet, the default last. Rules that decide nothing are
    `REMOVABLE`. With `sweep` from the last rule to the first, each judged anew against what is left: what can go is
    taken out, that is out of `on` and `enabled` of the forms. What the rules before it decide does not change by that,
    so `state` and `witness` hold for all still to come.
    """
    found = np.empty(len(forms[0].state), dtype=np.int64)
    seed = np.array([7])
    count = len(lines[0])
    for k in range(count):
        line = count - 1 - k if sweep else k
        r = first + line
        if not ask[r]:
            continue
        out[r] = _judge(forms, lines, line, r, budget, effects, found, seed)
        if sweep and out[r] == REMOVABLE:
            for f in range(2):
                take_out(forms[f], r)


@compiled
def heirs(form: Form, line: Bits, r: int, budget: int, out: Index) -> int:
    """The rules, and last `NONE` for the default, that would decide something of live rule `r` if it alone went.

    Into `out`; returns how many, or -1 if undecided.
    """
    if form.entries[r] == form.entries[r + 1]:
        return 0
    found = np.empty(len(form.state), dtype=np.int64)
    hole = np.empty((6, 2), dtype=np.int32)
    work = np.array([budget])
    count = rules_in(form, line, 0, len(form.owner), found)
    told = 0
    size = len(form.state)
    for k in range(count + 1):
        heir = found[k] if k < count else size
        if heir <= r:
            continue
        what = meet(form, r, heir) if heir < size else boxes_of(form, r)
        answer = reach(form, what, found[:count], heir, r, work, hole)
        if answer == UNDECIDED:
            return -1
        if answer == HOLE:
            out[told] = heir if heir < size else NONE
            told += 1
    return told


@compiled
def pairs(
    forms: Forms, lines: tuple[Bits, Bits], first: int, effects: Codes, crossing: Boxes, crossings: Index,
    around: Boxes, arounds: Index,
) -> None:  # fmt: skip
    """For each rule from `first` on the later enabled ones of another effect that it shares a packet with.

        r  =====        r   =====        r ===========
        i     =====     i =========      i    ===
        crossing        around: `i`      neither: `r` takes all of `i`,
                        contains `r`     which liveness tells

    Into `crossing` (rules, `SHOWN`) and `crossings` (rules,) the first of those where neither contains the other, and
    how many; into `around` and `arounds` those that contain it.
    """
    size = len(forms[0].state)
    found = (np.empty(size, dtype=np.int64), np.empty(size, dtype=np.int64))
    count = np.zeros(2, dtype=np.int64)
    at = np.zeros(2, dtype=np.int64)
    for r in range(first, first + len(lines[0])):
        crossings[r] = arounds[r] = 0
        for f in range(2):
            form = forms[f]
            at[f] = count[f] = 0
            if form.entries[r] < form.entries[r + 1] and forms[f].enabled[r]:
                last = len(form.owner)
                count[f] = rules_in(form, lines[f][r - first], form.entries[r + 1], last, found[f])
        while at[0] < count[0] or at[1] < count[1]:
            i = size
            for f in range(2):
                if at[f] < count[f]:
                    i = min(i, found[f][at[f]])
            for f in range(2):
                if at[f] < count[f] and found[f][at[f]] == i:
                    at[f] += 1
            if effects[i] == effects[r]:
                continue
            if within(forms, r, i):
                if arounds[r] < SHOWN:
                    around[r, arounds[r]] = i
                arounds[r] += 1
            elif not within(forms, i, r):
                if crossings[r] < SHOWN:
                    crossing[r, crossings[r]] = i
                crossings[r] += 1
