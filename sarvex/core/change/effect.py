"""The exact effect of a change: the packets that two versions of a list treat differently, and how.

Two versions are never compared as wholes. Rules that are there in both, match and do the same and stand in the same
order are *settled*; where such rules decide a packet in both versions it is the same rule. So each packet that is
treated differently is decided by a rule that is not settled, before or after, and lies where that rule was taken from
or brought to. Around each of those places only the rules that share a packet with it are looked at, as
`sarvex.core.sets.cubes`; the work is in proportion to what the change can touch.

What changes is told as pairs of rules: who decided before, who decides after. For one pair that is what both match,
less the rules before the one in the old version, less the rules before the other in the new one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from math import inf
from time import monotonic
from typing import NamedTuple

import numpy as np

from sarvex.core.firstmatch.atoms import Atoms, states_of
from sarvex.core.firstmatch.form import Index
from sarvex.core.firstmatch.rule_list import DEFAULT, FirstMatch
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import EVERYTHING, Match, common, in_family, minus
from sarvex.core.meaning.packet_sets import Known
from sarvex.core.model.edits import NEW
from sarvex.core.model.records import Policy, fold
from sarvex.core.sets import intervals, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.boxes import Boxes, WorkLimit
from sarvex.core.sets.common_ends import longest_rise
from sarvex.core.sets.cover import COVERED, HOLE
from sarvex.core.sets.cubes import Cube, canonical, hole_in, less, meet
from sarvex.core.sets.flows import Flow, State
from sarvex.core.sets.intervals import Intervals
from sarvex.core.time.moments import ALWAYS, Times

BUDGET = 200_000
"""Work before the rest is left open, in cubes looked at: about a tenth of a second."""
LOOK_UP = 250
"""What it costs to find the rules near a region, in the same unit, and what to cut one more match into atoms."""
CUT = 6
PIECES = 10_000
HOLE_WORK = 1_000_000
"""What may be spent to prove that nothing is left of a region too hard to tell, or to find one packet of it."""
FEW_NEAR = 500
Outcome = tuple[str, str | None, bool]


@dataclass(frozen=True, eq=False)
class Part:
    """One product of packets of one family, all treated alike before and alike after."""

    family: int
    source: Intervals
    destination: Intervals
    service: Boxes
    states: tuple[State, ...]
    times: Times = ALWAYS

    @property
    def match(self) -> Match:
        """The same as a match, with nothing in the other family."""
        f = self.family
        return Match(
            AddressSet(**{f"v{f}": self.source}),
            AddressSet(**{f"v{f}": self.destination}),
            replace(services.NOTHING, **{f"v{f}": self.service}),
            self.states,
            self.times,
        )


@dataclass(frozen=True, eq=False)
class Shift:
    """What passes from one rule to another that does something else with it. `DEFAULT` stands for the default."""

    before: int
    after: int
    parts: tuple[Part, ...]


@dataclass(frozen=True, eq=False)
class Effect:
    """The semantic difference of two versions of a list: disjoint packet sets, each with who decided and who decides.

    Exactly `shifts` change if nothing is `left`; otherwise something within `left` may change as well. Positions count rules from
    0 in `old` and in `new`; `DEFAULT` stands for the default.
    """

    old: Policy
    new: Policy
    shifts: tuple[Shift, ...]
    left: tuple[Match, ...] = ()
    """What was not settled within the budget lies in these."""

    @property
    def complete(self) -> bool:
        """Whether every packet is settled."""
        return not self.left

    @property
    def equal(self) -> bool | None:
        """Whether nothing changes; None if that is undecided."""
        if self.shifts:
            return False
        return True if self.complete else None


class Superseded(Exception):
    """A newer question has been asked; this one is given up."""


@dataclass(eq=False)
class Versions:
    """A first-match list before and after a change, and what may be spent on comparing them.

    `old`: made ready, so that it tells which of its rules are near a match. `new`, `matches`: the rules after the change and what
    each matches, in order (`matches_of`). `kept`: for each of them the position it had in `old`, counted from 0, or `NEW`; a
    rule that is kept may match and do something else (`same_names` pairs them by name).
    """

    old: FirstMatch
    new: Policy
    matches: list[Match]
    kept: Sequence[int]
    go_on: Callable[[], bool] = field(default=lambda: True)
    """Asked between steps; once it says no the work is given up."""
    deadline: float = inf
    """When to leave open what is not settled, on the clock of `time.monotonic`."""
    budget: int = BUDGET
    """The same in work."""


def same_names(old: Policy, new: Policy) -> list[int]:
    """Which rule of the old version each of the new one is, by name; one that is renamed is another rule."""
    place = {fold(rule.name): at for at, rule in enumerate(old.rules)}
    return [place.get(fold(rule.name), NEW) for rule in new.rules]


def effect(of: Versions) -> Effect:
    """The exact set of packets that two versions of a list treat differently, action, kind of rejection and log included.

    Every packet is in at most one part of one shift; two rules that do the same are told apart only where another rule stands
    between them. What is not settled within budget or deadline is told in `Effect.left`, never guessed.

    Raises `Superseded` as soon as `go_on` says no.
    Complexity: O(changed rules × rules that share a packet with them × cubes in hand); rules far from the change cost nothing.
    Source: change impact as the semantic difference of two lists (Liu 2007; Liu and Gouda 2008), computed here by regions around
    what changed instead of by a common decision diagram.

    >>> from sarvex.core import FirstMatch, Names, Network, Policy, Rule, matches_of
    >>> one = Rule(name="one", action="allow", source=("10.44.1.0/24",), destination=("any",), service=("tcp/443",))
    >>> two = Rule(name="two", action="drop", source=("10.44.1.7",), destination=("any",), service=("any",))
    >>> before, after = (Policy(name="quay", default="drop", rules=rules) for rules in ((one, two), (two, one)))
    >>> names = Names(Network(name="pier", policies=(before,)))
    >>> told = effect(Versions(FirstMatch.of(before, names), after, matches_of(after, names), [1, 0]))
    >>> [(shift.before, shift.after, len(shift.parts)) for shift in told.shifts]
    [(0, 0, 1)]
    """
    order = _Order(of)
    shifts: dict[tuple[int, int], list[Part]] = defaultdict(list)
    left: list[Match] = []
    for family in FAMILIES:
        compared = _Comparison(of, order, family)
        for pair, found in compared.found.items():
            shifts[pair] += found
        left += compared.left
    told = (Shift(before, after, tuple(parts)) for (before, after), parts in shifts.items())
    return Effect(of.old.policy, of.new, tuple(told), tuple(left))


def outcome_of(policy: Policy, position: int, family: int) -> Outcome:
    """What a rule, or the default, does to a packet: action, kind of rejection, whether it logs.

    A policy leaves the packets of a family it does not speak of to the next.
    """
    if position != DEFAULT:
        rule = policy.rules[position]
        return (*rule.outcome, rule.log)
    if policy.families not in ("both", str(family)):
        return ("continue", None, False)
    return (policy.default, "prohibited" if policy.default == "reject" else None, False)


class Hull(NamedTuple):
    """The box around what a match matches in one family."""

    source: tuple[int, int]
    destination: tuple[int, int]
    protocol: tuple[int, int]
    second: tuple[int, int]

    @classmethod
    def of(cls, match: Match, family: int) -> Hull:
        """Of a match that matches something there."""
        source, destination, service = (
            match.source[family],
            match.destination[family],
            match.service[family],
        )
        low, high = service[:, :, 0].min(axis=0).tolist(), service[:, :, 1].max(axis=0).tolist()
        return cls(
            (source[0][0], source[-1][1]),
            (destination[0][0], destination[-1][1]),
            (low[0], high[0]),
            (low[2], high[2]),
        )

    def touches(self, other: Hull) -> bool:
        """Whether two share a point."""
        return all(a[0] <= b[1] and b[0] <= a[1] for a, b in zip(self, other, strict=True))


@dataclass(frozen=True, eq=False)
class _Side:
    """A rule, or the default, in one version."""

    at: int
    turn: int
    """It comes after this many settled rules."""
    match: Match
    outcome: Outcome
    settled: bool
    """Whether it is the default or a settled rule."""


class _Order:
    """Which rules changed their order: the fewest that, taken out, leave the others in the order they had."""

    def __init__(self, of: Versions) -> None:
        old, kept = of.old.policy.rules, np.asarray(of.kept, dtype=np.int64)
        there = np.flatnonzero(kept >= 0)
        chain = there[_chain(kept[there], lambda i: of.old.matches[i])]
        self.chain_old, self.chain_new = kept[chain], chain
        """The places, old and new, of the rules that did not."""
        ends = np.flatnonzero((np.diff(self.chain_old) != 1) | (np.diff(chain) != 1)) + 1
        runs = zip([0, *ends.tolist()], [*ends.tolist(), len(chain)], strict=True)
        self.suspects = [
            (at, int(self.chain_old[at]), int(chain[at])) for run in runs for at in self._unlike(of, *run)
        ]
        """Which of them may match or do something else: at what place in the chain, their old and new places."""
        self.back = np.full(len(old), NEW)
        """For an old rule its new place."""
        self.back[kept[there]] = there
        settled = np.zeros(len(old), dtype=bool)
        settled[self.chain_old] = True
        self.moved = set(np.flatnonzero((self.back >= 0) & ~settled).tolist())

    def _unlike(self, of: Versions, start: int, stop: int) -> Iterator[int]:
        """Where in a run of the chain, whose rules stand together in both versions, they are not quite the same.

        By halves: equal runs of rules are told at once.
        """
        if start == stop:
            return
        i, j, size = int(self.chain_old[start]), int(self.chain_new[start]), stop - start
        if (
            of.old.policy.rules[i : i + size] == of.new.rules[j : j + size]
            and of.old.matches[i : i + size] == of.matches[j : j + size]
        ):
            return
        if size == 1:
            yield start
            return
        middle = start + size // 2
        yield from self._unlike(of, start, middle)
        yield from self._unlike(of, middle, stop)


class _Comparison:
    """The two versions in one family.

    Each packet that changes hands has a decider `before` and one `after`, at least one of them not settled:

    ==============  ==============  =======================================================
    before          after           told by
    ==============  ==============  =======================================================
    not settled     settled         `_taken_from(before)`: where it was taken from
    not settled     not settled     `_taken_from(before)`, or `_brought_to(after)` where the
                                    rule before is there still and only gave way
    settled         not settled     `_brought_to(after)`: where it was brought to
    settled         settled         never: the order of settled rules is the same
    ==============  ==============  =======================================================

    So the pairs are told once each, and only around what changed.
    """

    def __init__(self, of: Versions, order: _Order, family: int) -> None:
        self.of, self.order, self.family = of, order, family
        self.old, self.new = of.old.policy, of.new
        self.near = of.old.layers[family].near
        self.found: dict[tuple[int, int], list[Part]] = {}
        self.left: list[Match] = []
        self.work = of.budget // len(FAMILIES)
        self._sort_out()
        for i in self.changed_old:
            self._taken_from(i)
        for j in self.changed_new:
            self._brought_to(j)
        if outcome_of(self.old, DEFAULT, family) != outcome_of(self.new, DEFAULT, family):
            _Region(self, EVERYTHING).pair(self._old(DEFAULT), self._new(DEFAULT))

    def _sort_out(self) -> None:
        """Which rules are settled, and which are not."""
        order = self.order
        same = np.ones(len(order.chain_old), dtype=bool)
        same[[at for at, i, j in order.suspects if not self._is_settled(i, j)]] = False
        self.settled_old, self.settled_new = order.chain_old[same], order.chain_new[same]
        self.turn_of = np.full(len(self.old.rules), NEW)
        """For an old rule how many settled ones come before it; `NEW` for those that are not."""
        self.turn_of[self.settled_old] = np.arange(len(self.settled_old))
        unsettled = self.unsettled_new = np.ones(len(self.new.rules), dtype=bool)
        unsettled[self.settled_new] = False
        self.changed_old = [
            i for i in np.flatnonzero(self.turn_of == NEW).tolist() if self.old.rules[i].enabled
        ]
        self.changed_new = [j for j in np.flatnonzero(unsettled).tolist() if self.new.rules[j].enabled]
        f = self.family
        self.hulls_old = {
            i: Hull.of(m, f) for i in self.changed_old if in_family(m := self.of.old.matches[i], f)
        }
        self.hulls_new = {j: Hull.of(m, f) for j in self.changed_new if in_family(m := self.of.matches[j], f)}

    def _is_settled(self, i: int, j: int) -> bool:
        a, b = self.old.rules[i], self.new.rules[j]
        if not (a.enabled or b.enabled):
            return True
        f, before, after = self.family, self.of.old.matches[i], self.of.matches[j]
        return (
            a.enabled == b.enabled
            and outcome_of(self.old, i, f) == outcome_of(self.new, j, f)
            and (before.states, before.times) == (after.states, after.times)
            and before.source[f] == after.source[f]
            and before.destination[f] == after.destination[f]
            and np.array_equal(before.service[f], after.service[f])
        )

    def _old(self, i: int) -> _Side:
        match = EVERYTHING if i == DEFAULT else self.of.old.matches[i]
        turn = len(self.settled_old) if i == DEFAULT else int(np.searchsorted(self.settled_old, i))
        settled = i == DEFAULT or bool(self.turn_of[i] != NEW)
        return _Side(i, turn, match, outcome_of(self.old, i, self.family), settled)

    def _new(self, j: int) -> _Side:
        match = EVERYTHING if j == DEFAULT else self.of.matches[j]
        turn = len(self.settled_new) if j == DEFAULT else int(np.searchsorted(self.settled_new, j))
        settled = j == DEFAULT or not self.unsettled_new[j]
        return _Side(j, turn, match, outcome_of(self.new, j, self.family), settled)

    def is_spent(self) -> bool:
        """Whether work or time is up. Raises `Superseded`."""
        if not self.of.go_on():
            raise Superseded
        return self.work <= 0 or monotonic() > self.of.deadline

    def _taken_from(self, i: int) -> None:
        """What a rule that is not settled decided before and another decides now.

        ======================  ===================================  ==============================
        the rule now            the region it can have lost          settled heirs in it
        ======================  ===================================  ==============================
        gone, or switched off   all that it matched                  all behind it, and the default
        at its place            what it matches no longer            all behind it, and the default
        moved, matching as much all that it matched                  those between its two places
        moved, matching less    all that it matched                  all behind it, and the default
        ======================  ===================================  ==============================

        Other rules that are not settled may take any of it, and all that it matched where it does something else now.
        """
        if self.is_spent():
            self.left.append(self.of.old.matches[i])
            return
        side, twin = self._old(i), self._twin_of(i)
        stays = twin is not None and i not in self.order.moved
        lost = minus(side.match, twin.match) if twin and stays else [side.match]
        until = twin.turn if twin and not stays and not minus(side.match, twin.match) else None
        for region in self._here(lost):
            here = _Region(self, region)
            for k in here.settled_between(side.turn, until):
                here.pair(side, self._new(int(self.settled_new[k])))
            if until is None:
                here.pair(side, self._new(DEFAULT))
        acts_anew = twin is not None and side.outcome != twin.outcome
        for region in self._here([side.match] if acts_anew else lost):
            here, around = _Region(self, region), Hull.of(region, self.family)
            for j, hull in self.hulls_new.items():
                if hull.touches(around):
                    here.pair(side, self._new(j))

    def _brought_to(self, j: int) -> None:
        """What a rule that is not settled decides now and another decided before.

        The mirror of `_taken_from`: a new rule can have gained all that it matches, one at its place what it did not match
        before, one that moved all that it matches, from the settled rules between its two places if it matched as much before.
        From rules that are not settled only what their own `_taken_from` cannot tell: where such a rule stays, does the same as
        before and still matches the packet, it lost it to this one and not by a change of its own.
        """
        if self.is_spent():
            self.left.append(self.of.matches[j])
            return
        side, i = self._new(j), int(self.of.kept[j])
        twin = self._old(i) if i != NEW and self.old.rules[i].enabled else None
        stays = twin is not None and i not in self.order.moved
        gained = minus(side.match, twin.match) if twin and stays else [side.match]
        until = twin.turn if twin and not stays and not minus(side.match, twin.match) else None
        for region in self._here(gained):
            here = _Region(self, region)
            for k in here.settled_between(side.turn, until):
                here.pair(self._old(int(self.settled_old[k])), side)
            if until is None:
                here.pair(self._old(DEFAULT), side)
            around = Hull.of(region, self.family)
            for other, hull in self.hulls_old.items():
                if not hull.touches(around):
                    continue
                again = self._twin_of(other)
                before = self._old(other)
                if again and other not in self.order.moved and again.outcome == before.outcome:
                    here.pair(before, side, again)  # the rest of it was taken from it above

    def _here(self, regions: Iterable[Match]) -> list[Match]:
        return [region for region in regions if in_family(region, self.family)]

    def _twin_of(self, i: int) -> _Side | None:
        """An old rule as it is now, if it is there and in use."""
        j = int(self.order.back[i])
        return self._new(j) if j != NEW and self.new.rules[j].enabled else None


class _Region:
    """Where a rule was taken from or brought to, and the settled rules that share a packet with it.

    Where they are few, all that is asked here is asked in the same atoms.
    """

    def __init__(self, whole: _Comparison, region: Match) -> None:
        self.whole, self.region = whole, region
        whole.work -= LOOK_UP
        turns = whole.turn_of[whole.near(region)]
        self.turns: list[int] = turns[turns != NEW].tolist()
        self._here: _Spot | None = None
        self._left = False

    def settled_between(self, first: int, until: int | None) -> list[int]:
        """The settled rules near here that come at turn `first` or later, and before `until`."""
        return [k for k in self.turns if k >= first and (until is None or k < until)]

    def pair(self, before: _Side, after: _Side, within: _Side | None = None) -> None:
        """What passes from one rule to another here, of what a new rule `within` matches if one is given."""
        whole = self.whole
        if before.outcome == after.outcome or self._left:
            return
        if whole.is_spent():
            whole.left.append(self.region)
            self._left = True
            return
        if len(self.turns) <= FEW_NEAR:
            if self._here is None:
                self._here = _Spot(whole, self.region, self.turns)
            self._here.pair(before, after, within)
            return
        spot: Match | None = self.region
        for match in (before.match, after.match, within.match if within else EVERYTHING):
            spot = common(spot, match) if spot else None
        if spot is None or not in_family(spot, whole.family):
            return
        whole.work -= LOOK_UP
        turns = whole.turn_of[whole.near(spot)]
        _Spot(whole, spot, turns[turns != NEW].tolist()).pair(before, after, within)


class _Spot:
    """A region in atoms, with the rules near it as cubes inside it."""

    def __init__(self, whole: _Comparison, region: Match, turns: Sequence[int]) -> None:
        self.whole, self.region, self.turns = whole, region, turns
        of = whole.of
        settled = [of.old.matches[int(whole.settled_old[k])] for k in turns]
        around = Hull.of(region, whole.family)
        new = {j: of.matches[j] for j, hull in whole.hulls_new.items() if hull.touches(around)}
        old = {i: of.old.matches[i] for i, hull in whole.hulls_old.items() if hull.touches(around)}
        self.atoms = Atoms(whole.family, [region, *settled, *new.values(), *old.values()])
        whole.work -= CUT * (len(settled) + len(new) + len(old))
        self.own = self.atoms.cube(region)
        self.settled = [self._inside(match) for match in settled]
        self.new = {j: self._inside(match) for j, match in new.items()}
        self.old = {i: self._inside(match) for i, match in old.items()}

    def _inside(self, match: Match) -> Cube | None:
        if self.own is None or match is EVERYTHING:
            return self.own
        cube = self.atoms.cube(match)
        return cube and meet(self.own, cube)

    def _side(self, changed: dict[int, Cube | None], side: _Side) -> Cube | None:
        """What a rule matches here; nothing for one that is not settled and not near."""
        if side.at in changed:
            return changed[side.at]
        return self._inside(side.match) if side.settled else None

    def pair(self, before: _Side, after: _Side, within: _Side | None) -> None:
        """What passes from one rule to another here, of what a new rule `within` matches if one is given."""
        whole = self.whole
        spot = self.own
        sides = [self._side(self.old, before), self._side(self.new, after)]
        for inside in sides + ([self._side(self.new, within)] if within else []):
            spot = meet(spot, inside) if spot and inside else None
        if spot is None:
            return
        cutters = []
        for cutter in self._decided_before(before, after):
            whole.work -= 1
            both = cutter and meet(spot, cutter)
            if both == spot:
                return
            if both:
                cutters.append(both)
        # What cuts off one face leaves one cube: such cutters first.
        cutters.sort(key=lambda cube: sum(a != b for a, b in zip(cube, spot, strict=True)))
        try:
            left = less([spot], cutters, min(PIECES, max(0, whole.work)))
        except WorkLimit:
            self._give_up(spot, cutters, before, after)
            return
        whole.work -= len(left) * len(cutters)
        if left:
            parts = (part_of(self.atoms, cube) for cube in canonical(left))
            whole.found.setdefault((before.at, after.at), []).extend(parts)

    def _give_up(self, spot: Cube, cutters: Sequence[Cube], before: _Side, after: _Side) -> None:
        """Leave a region that falls into too many cubes, unless nothing of it is left; one box of the rest is told."""
        whole = self.whole
        whole.work -= len(cutters)
        answer, box = hole_in(spot, cutters, HOLE_WORK)
        if answer == COVERED:
            return
        whole.left.append(part_of(self.atoms, spot).match)
        if answer == HOLE:
            told = whole.found.setdefault((before.at, after.at), [])
            told.append(part_of(self.atoms, box))

    def _decided_before(self, before: _Side, after: _Side) -> Iterator[Cube | None]:
        """What is decided before the one in the old version, or before the other in the new one."""
        yield from (b for j, b in self.new.items() if after.at == DEFAULT or j < after.at)
        yield from (b for i, b in self.old.items() if before.at == DEFAULT or i < before.at)
        last = max(before.turn, after.turn)
        yield from (b for k, b in zip(self.turns, self.settled, strict=True) if k < last)


def part_of(atoms: Atoms, cube: Cube) -> Part:
    """A cube as sets of values."""
    source, destination, service, states, times = cube
    return Part(
        atoms.family,
        tuple(atoms.source.intervals(source)),
        tuple(atoms.destination.intervals(destination)),
        atoms.services.boxes(service),
        states_of(states),
        atoms.times.times(times),
    )


def sample(part: Part, known: Known) -> Flow | None:
    """A packet of a part that reads well: between known hosts if there are such."""
    hosts = known.hosts[part.family]
    ends = [_legible_end(end, hosts) for end in (part.source, part.destination)]
    classes = list(packet_sets.class_intervals(part.states, part.times)[0])
    flows = [
        packet_sets.flow_in(part.family, [*map(list, ends), *box, classes], known)
        for box in part.service[:16].tolist()
    ]
    return packet_sets.legible(flows, known)


def _legible_end(ends: Intervals, hosts: Intervals) -> tuple[int, int]:
    there = (pair for pair in ends if intervals.first_within(hosts, *pair) is not None)
    return next(there, ends[0])


def _chain(values: Index, match: Callable[[int], Match]) -> Index:
    """The same as `longest_rise`, in O(n) where one rule moved; of two neighbours that changed places the narrower one is taken
    to have moved."""
    falls = np.flatnonzero(np.diff(values) < 0)
    everywhere = np.arange(len(values))
    if not len(falls):
        return everywhere
    if len(falls) == 1:
        k = int(falls[0])
        one = [np.delete(everywhere, at) for at in (k + 1, k)]
        rising = [run for run in one if (np.diff(values[run]) > 0).all()]
        if rising:
            wider = len(rising) == 2 and not minus(match(int(values[k])), match(int(values[k + 1])))
            return rising[-1] if wider else rising[0]
    return longest_rise(values)
