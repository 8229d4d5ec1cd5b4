"""First-match lists made ready for questions: what decides a flow, and what each rule decides.

A `FirstMatch` holds, per family, the list as products of sets in ranks with their bit rows. `decide` answers for
arrays of flows; the other questions are put for every rule at once and answered by `sarvex.core.firstmatch.proofs`.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sarvex.core.firstmatch import bit_vectors, proofs
from sarvex.core.firstmatch.form import Arrays, Flags, Form, Index
from sarvex.core.firstmatch.form_building import arrays_from, arrays_of, form_of, with_classes
from sarvex.core.firstmatch.products import reach
from sarvex.core.firstmatch.proofs import ABSENT, ALL, DEAD, PART, SHOWN
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import Match, in_family, matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DTYPE, Known, PacketSet
from sarvex.core.model.records import Policy
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.common_ends import places
from sarvex.core.sets.cover import COVERED, HOLE, UNDECIDED
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.ranks import Ranks

DEFAULT = bit_vectors.NONE
BUDGET = 20_000_000
"""Work allowed for one rule's proof, in boxes looked at: a fraction of a second."""
CHUNK = 1 << 18
LINES = 1 << 22
GUESSES = 100
Decides = Literal["all", "part", "none", "undecided"]


class Layer:
    """One family's view of a list."""

    def __init__(self, family: int, arrays: Arrays, ranks: Ranks) -> None:
        self.family, self.arrays, self.ranks = family, arrays, ranks
        self._form = form_of(arrays)

    @property
    def form(self) -> Form:
        """What compiled functions are given."""
        if self._form is self.arrays:
            self._form = form_of(self.arrays)
        return self._form

    def copy(self) -> Form:
        """The form with marks of its own of what is in use."""
        mine = self.arrays._replace(on=self.arrays.on.copy(), enabled=self.arrays.enabled.copy())
        return form_of(mine)

    @cached_property
    def _tables(self) -> dict[int, NDArray[np.int32]]:
        """The rank of every value, for the axes with few."""
        return {
            axis: self.ranks.encode_points(axis, np.arange(self.ranks.starts[axis][-1]))
            for axis in range(2, 6)
        }

    @cached_property
    def _halves(self) -> list[NDArray[np.uint64]]:
        return [addresses.halves(self.ranks.starts[axis][:-1]) for axis in range(2)]

    def points(self, values: Sequence[NDArray[Any]]) -> NDArray[np.int32]:
        """Flows as ranks, (n, 6). `values` are six arrays (n,); IPv6 addresses may be halves, (n, 2) uint64."""
        out = np.empty((len(values[0]), 6), dtype=np.int32)
        for axis, column in enumerate(values):
            if axis > 1:
                out[:, axis] = self._tables[axis][np.asarray(column, dtype=np.int64)]
            elif self.family == 4:
                out[:, axis] = self.ranks.encode_points(axis, column)
            else:
                column = column if column.ndim == 2 else addresses.halves(column)
                bit_vectors.ranks_of_halves(self._halves[axis], column, out[:, axis])
        return out

    def decide(self, values: Sequence[NDArray[Any]]) -> NDArray[np.int64]:
        """The deciding rule of each flow, `DEFAULT` for none."""
        out = np.empty(len(values[0]), dtype=np.int64)
        for start in range(0, len(out), CHUNK):
            part = slice(start, start + CHUNK)
            points = self.points([column[part] for column in values])
            bit_vectors.first_matches(self.form, points, out[part])
        return out

    def near(self, match: Match) -> NDArray[np.int64]:
        """The rules in use that may share a packet with a match, ascending; its ends need not be of the list.

        Every rule that does is among them. O(intervals of the match × words of the bit rows that they touch).
        """
        if not in_family(match, self.family):
            return np.empty(0, dtype=np.int64)
        sets = match.source[self.family], match.destination[self.family]
        ends: list[Boxes] = [np.array(s, dtype=DTYPE[self.family]).reshape(-1, 2) for s in sets]
        boxes = with_classes(match.service[self.family], match)
        service = np.stack([self.ranks.around(axis + 2, boxes[:, axis]) for axis in range(4)], axis=1)
        line = bit_vectors.touching_product(
            self.form, self.ranks.around(0, ends[0]), self.ranks.around(1, ends[1]), service
        )
        room = np.empty(len(self.arrays.state), dtype=np.int64)
        return room[: bit_vectors.rules_in(self.form, line, bit_vectors.FIRST, len(self.arrays.owner), room)]

    def left_over(self, budget: int) -> tuple[int, Boxes]:
        """Whether the rules cover the family as a whole; with `HOLE` a box of packets for the default, in ranks."""
        sizes, rules = self.arrays.sizes, np.flatnonzero(self.arrays.enabled)
        points = (np.random.default_rng(1).random((GUESSES, 6)) * sizes).astype(np.int32)
        told = np.empty(GUESSES, dtype=np.int64)
        bit_vectors.first_matches(self.form, points, told)
        if (told == DEFAULT).any():
            point = points[int(np.argmax(told == DEFAULT))]
            return HOLE, np.stack((point, point), axis=1)
        hole = np.empty((6, 2), dtype=np.int32)
        whole = np.stack((np.zeros(6), sizes - 1), axis=1).astype(np.int32)
        answer = reach(
            self.form, whole[None], rules, len(self.arrays.state), DEFAULT, np.array([budget]), hole
        )
        return answer, hole

    def values(self, what: Boxes) -> Boxes:
        """Boxes of ranks as boxes of values."""
        return self.ranks.decode(what, DTYPE[self.family])


@dataclass(frozen=True, eq=False)
class Liveness:
    """What one rule decides of what it matches, with the proof.

    `by`: the earlier rules that decide at least one packet of it, the first `SHOWN` of `by_count` (-1: undecided);
    `others`: those of them that do something else and are not contained in it, of `other_count`. `same_outcome`: all of
    them do what it does; `all_log`: all of them log.
    """

    position: int
    decides: Decides
    matches_something: bool
    by: tuple[int, ...]
    by_count: int
    others: tuple[int, ...]
    other_count: int
    same_outcome: bool
    all_log: bool
    _of: FirstMatch = field(repr=False)

    @cached_property
    def witness(self) -> Flow | None:
        """A packet it decides."""
        return self._of.witnesses[self.position]

    @cached_property
    def taken(self) -> Flow | None:
        """A packet it matches and an earlier rule decides."""
        return self._of.taken[self.position]


@dataclass(eq=False)
class FirstMatch:
    """A first-match list made ready for questions about single flows, whole rules and the list.

    `policy`: the rules and their default. `matches`: what each rule matches, in order. `known`: hosts and moments that samples
    prefer. `budget`: the work allowed for one rule's proof, in boxes looked at. Positions count rules from 0; `DEFAULT` stands for
    the default. Nothing is worked out before it is asked, and each thing once; a list is never changed.

    Source: bit vectors over elementary intervals for finding rules (Lakshman and Stiliadis 1998; aggregated: Baboescu and
    Varghese 2001), box cover by branch and bound for proofs (`sarvex.core.sets.cover`).
    """

    policy: Policy
    matches: list[Match]
    known: Known = field(default_factory=Known)
    budget: int = BUDGET

    @classmethod
    def of(cls, policy: Policy, names: Names, budget: int = BUDGET) -> FirstMatch:
        """Make a policy ready. Raises what `Names` raises. O(boxes log boxes), at the first question."""
        return cls(policy, matches_of(policy, names), names.known(), budget)

    @classmethod
    def following(cls, before: FirstMatch | None, policy: Policy, names: Names) -> FirstMatch:
        """Make a policy ready, in O(rules) if its rules match what rules of another one do: some moved, described, disabled,
        deleted or doubled. Else as `of`."""
        made = cls.of(policy, names)
        if before is None or made.known.hosts != before.known.hosts:
            return made
        at = _same_as(made.matches, before.matches)
        if at is not None and not (made._enabled & ~before._enabled[at]).any():
            made.layers = {
                f: Layer(f, arrays_from(layer.arrays, at, made._enabled), layer.ranks)
                for f, layer in before.layers.items()
            }
        return made

    @cached_property
    def layers(self) -> dict[int, Layer]:
        """The list in each family."""
        enabled = self._enabled.tolist()
        return {f: Layer(f, *arrays_of(f, self.matches, enabled, self.known.hosts[f])) for f in FAMILIES}

    @cached_property
    def _enabled(self) -> NDArray[np.bool_]:
        return np.array([rule.enabled for rule in self.policy.rules], dtype=bool)

    @property
    def _forms(self) -> proofs.Forms:
        return self.layers[4].form, self.layers[6].form

    def decide(self, family: int, points: Sequence[NDArray[Any]]) -> NDArray[np.int64]:
        """The deciding rule of each of many flows of one family, (n,) int64, `DEFAULT` for none.

        `points`: six arrays (n,): source, destination, protocol, first, second (ports, or type and code), class (state and moment);
        IPv6 addresses may be halves, (n, 2) uint64. Complexity: O(flows × words of 64 entries that their addresses have in common
        with the list).
        """
        return self.layers[family].decide(points)

    def decide_one(self, flow: Flow) -> int:
        """The rule that decides one flow, or `DEFAULT`; if it tells no moment, at the first there is. Raises `OutOfReach`."""
        point = packet_sets.point_of(flow, self.known.moments, any_moment=True)
        points: list[Boxes] = [np.array([value], dtype=DTYPE[flow.family]) for value in point]
        return int(self.decide(flow.family, points)[0])

    def _in_turn(
        self, backwards: bool = False
    ) -> Iterator[tuple[int, tuple[bit_vectors.Bits, bit_vectors.Bits]]]:
        """The rules in runs: the first of a run, and for each of the run which entries share a packet with it."""
        rules = len(self.matches)
        words = max(layer.arrays.on.size for layer in self.layers.values())
        step = max(64, LINES // words)
        starts = range(0, rules, step)
        for first in reversed(starts) if backwards else starts:
            if len(starts) == 1:
                yield first, self._lines_of_all
            else:
                yield first, self._lines(first, min(rules, first + step))

    def _lines(self, first: int, last: int) -> tuple[bit_vectors.Bits, bit_vectors.Bits]:
        a, b = (bit_vectors.touching(form, first, last) for form in self._forms)
        return a, b

    @cached_property
    def _lines_of_all(self) -> tuple[bit_vectors.Bits, bit_vectors.Bits]:
        return self._lines(0, len(self.matches))

    @cached_property
    def states(self) -> tuple[NDArray[np.int8], NDArray[np.int8]]:
        """What each rule decides in each family, two arrays (rules,) in the codes of `sarvex.core.firstmatch.proofs`.

        Complexity: a few packets tried for most rules; for those that may be dead one cover proof, coNP-hard in the number of
        axes and bounded by `budget`.
        """
        for first, lines in self._in_turn():
            for form, line in zip(self._forms, lines, strict=True):
                proofs.live(form, line, first, self.budget)
        return self.layers[4].arrays.state, self.layers[6].arrays.state

    def decides(self, position: int) -> Decides:
        """How much a rule decides of what it matches; nothing if it matches nothing or is disabled."""
        told = {int(state[position]) for state in self.states} - {ABSENT}
        if not told or told == {DEAD}:
            return "none"
        if told == {ALL}:
            return "all"
        return "part" if told & {ALL, PART} else "undecided"

    @cached_property
    def outcomes(self) -> NDArray[np.int64]:
        """What each rule, and last the default, does to a packet, as numbers."""
        return self._codes(False)

    @cached_property
    def effects(self) -> NDArray[np.int64]:
        """The same, telling apart what is logged."""
        return self._codes(True)

    def _codes(self, with_log: bool) -> NDArray[np.int64]:
        known: dict[object, int] = {}
        default = (self.policy.default, "prohibited" if self.policy.default == "reject" else None)
        made = [(rule.outcome, rule.log and with_log) for rule in self.policy.rules]
        return np.array([known.setdefault(m, len(known)) for m in (*made, (default, False))], dtype=np.int64)

    @cached_property
    def _takers(self) -> tuple[Boxes, Boxes, Boxes]:
        size = len(self.matches)
        by, others = np.empty((2, size, SHOWN), dtype=np.int32)
        counts = np.zeros((size, 4), dtype=np.int64)
        logs = np.array([rule.log for rule in self.policy.rules], dtype=np.int8)
        assert self.states
        for first, lines in self._in_turn():
            proofs.takers(self._forms, lines, first, self.budget, self.outcomes, logs, by, others, counts)
        return by, others, counts

    def liveness(self) -> list[Liveness]:
        """For every rule, what it decides; disabled rules decide nothing."""
        return [self.liveness_of(position) for position in range(len(self.matches))]

    def liveness_of(self, position: int) -> Liveness:
        """What one rule decides."""
        by, others, counts = self._takers
        count, other_count, unlike, silent = counts[position].tolist()
        return Liveness(
            position, self.decides(position), self.matches[position].matches_something,
            tuple(by[position, : max(0, min(count, SHOWN))].tolist()), count,
            tuple(others[position, : min(other_count, SHOWN)].tolist()), other_count,
            not unlike, not silent, self,
        )  # fmt: skip

    @cached_property
    def witnesses(self) -> list[Flow | None]:
        """For every rule a packet that it decides, if it decides any: a known host's if one was found."""
        return self._flows([(s == PART) | (s == ALL) for s in self.states], "witness")

    @cached_property
    def taken(self) -> list[Flow | None]:
        """For every rule a packet that it matches and an earlier rule decides, if there is one."""
        assert self._takers
        return self._flows([layer.arrays.taken[:, 0, 0] >= 0 for layer in self.layers.values()], "taken")

    def _flows(self, told: list[NDArray[np.bool_]], what: str) -> list[Flow | None]:
        out: list[Flow | None] = [None] * len(self.matches)
        for layer, mask in zip(self.layers.values(), told, strict=True):
            values = layer.values(getattr(layer.arrays, what)[mask])
            for rule, box in zip(np.flatnonzero(mask).tolist(), values.tolist(), strict=True):
                out[rule] = packet_sets.legible(
                    [out[rule], packet_sets.flow_in(layer.family, box, self.known)], self.known
                )
        return out

    def removable(self, effects: NDArray[np.int64], ask: Flags) -> Flags:
        """What would come of each rule going alone, (rules,): `proofs.NEEDED`, `REMOVABLE` or `UNSETTLED`.

        `effects` (rules + 1,): what each rule, and last the default, does, as numbers (`effects`, or `outcomes` if logs do not
        count). `ask` (rules,): which rules are asked about; the others are told as needed.
        """
        return self._judged(self._forms, effects, ask, False)

    def sweep(self, effects: NDArray[np.int64], ask: Flags) -> Flags:
        """The same from last to first, each judged against what is left: all that are `REMOVABLE` can go together."""
        return self._judged((self.layers[4].copy(), self.layers[6].copy()), effects, ask, True)

    def _judged(self, forms: proofs.Forms, effects: NDArray[np.int64], ask: Flags, sweep: bool) -> Flags:
        told = np.full(len(self.matches), proofs.NEEDED, dtype=np.int8)
        assert self.states
        for first, lines in self._in_turn(backwards=sweep):
            proofs.removable(forms, lines, first, self.budget, effects, ask, told, sweep)
        return told

    def heirs(self, position: int, forms: proofs.Forms | None = None) -> tuple[int, ...] | None:
        """The rules, last perhaps `DEFAULT`, that would decide what a live rule decides if it alone went.

        None if undecided.
        """
        heirs: set[int] = set()
        room = np.empty(len(self.matches) + 1, dtype=np.int64)
        lines = self._lines(position, position + 1)
        for form, line in zip(forms or self._forms, lines, strict=True):
            count = proofs.heirs(form, line[0], position, self.budget, room)
            if count < 0:
                return None
            heirs.update(room[:count].tolist())
        return tuple(sorted(heirs - {DEFAULT})) + ((DEFAULT,) if DEFAULT in heirs else ())

    def heirs_in_turn(self, going: Sequence[int]) -> dict[int, tuple[int, ...] | None]:
        """The heirs of the live ones of rules that go one after the other, from the last to the first."""
        forms = self.layers[4].copy(), self.layers[6].copy()
        told = {}
        for position in sorted(going, reverse=True):
            if self.decides(position) != "none":
                told[position] = self.heirs(position, forms)
            for form in forms:
                proofs.take_out(form, position)
        return told

    def takes(self, i: int, r: int) -> bool | None:
        """Whether an earlier rule decides something of a later one; None if undecided."""
        told = []
        for form, line in zip(self._forms, self._lines(i, i + 1), strict=True):
            told.append(proofs.takes(form, line[0], i, r, self.budget))
        return True if HOLE in told else None if UNDECIDED in told else False

    def overlapping(self, r: int, first: int, last: int) -> list[int]:
        """The rules at ``first..last-1`` that share a packet with a rule, ascending."""
        found: set[int] = set()
        room = np.empty(len(self.matches), dtype=np.int64)
        for layer, line in zip(self.layers.values(), self._lines(r, r + 1), strict=True):
            entries = layer.arrays.entries
            count = bit_vectors.rules_in(layer.form, line[0], int(entries[first]), int(entries[last]), room)
            found.update(room[:count].tolist())
        return sorted(found)

    @cached_property
    def pairs(self) -> tuple[Boxes, NDArray[np.int64], Boxes, NDArray[np.int64]]:
        """For every rule the later ones of another action that share a packet with it.

        The first `SHOWN` of those with which neither contains the other, how many; the same of those that contain it.
        """
        size = len(self.matches)
        crossing, around = np.empty((2, size, SHOWN), dtype=np.int32)
        crossings, arounds = np.zeros((2, size), dtype=np.int64)
        for first, lines in self._in_turn():
            proofs.pairs(self._forms, lines, first, self.outcomes, crossing, crossings, around, arounds)
        return crossing, crossings, around, arounds

    def default_share(self) -> tuple[Decides, Flow | None]:
        """What the rules leave to the default of all packets the policy speaks of, with a packet of it as witness.

        Complexity: a hundred packets tried, then one cover proof of everything, bounded by `budget`.
        """
        found = dict(packet_sets.NOTHING_OF)
        told = []
        for family, layer in self.layers.items():
            if self.policy.families in ("both", str(family)):
                answer, hole = layer.left_over(self.budget)
                told.append(answer)
                if answer == HOLE:
                    found[family] = layer.values(hole[None])
        witness = packet_sets.sample(PacketSet(found[4], found[6]), self.known)
        if witness is not None:
            some = any(layer.arrays.enabled.any() for layer in self.layers.values())
            return ("part" if some else "all"), witness
        return "none" if set(told) == {COVERED} else "undecided", None


def _same_as(matches: Sequence[Match], before: Sequence[Match]) -> Index | None:
    """For each match the place of one before that has the same fields; None if there is none, or to tell takes too long."""
    at = places(matches, before)
    others = np.flatnonzero(at < 0).tolist()
    if len(others) > MOST_OTHERS:
        return None
    for k in others:
        at[k] = next((j for j, match in enumerate(before) if match.is_as(matches[k])), -1)
    return None if (at < 0).any() else at


MOST_OTHERS = 8
