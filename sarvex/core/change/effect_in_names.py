"""An effect in the network's own words: what opens, what closes, which rules decide before and after.

Each change is one product of sets with one fate before and one after. Parts of the two address families that have the
same words are told as one.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import islice
from typing import Literal

from sarvex.core.change import sets_in_names
from sarvex.core.change.effect import Effect, Outcome, Part, Shift, outcome_of, sample
from sarvex.core.firstmatch.rule_list import DEFAULT
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import Known
from sarvex.core.model.records import Policy
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.flows import Flow, State
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import NOTHING, ServiceSet
from sarvex.core.time.moments import Times

Kind = Literal[
    "newly allowed", "newly blocked", "newly passed on", "blocked differently", "logged differently",
    "translated differently", "steered differently",
]  # fmt: skip
DEFAULT_NAME = "default"
FEW = 20


@dataclass(frozen=True, eq=False)
class Change:
    """Packets that are treated alike before and alike after, but not the same. Words are exactly the sets."""

    policy: str
    kind: Kind
    before: str
    after: str
    was: Outcome
    now: Outcome
    source: tuple[str, ...]
    destination: tuple[str, ...]
    service: tuple[str, ...]
    states: tuple[State, ...]
    times: Times
    when: str
    """The moments in words; nothing for always."""
    parts: tuple[Part, ...]
    places: tuple[int, int]
    """Where the deciding rules stand in their versions, or `DEFAULT`."""
    _known: Known

    @cached_property
    def witness(self) -> Flow:
        """A packet of it."""
        flows = (sample(part, self._known) for part in self.parts)
        told = packet_sets.legible(flows, self._known)
        assert told is not None
        return told

    @property
    def order(self) -> tuple[object, ...]:
        """Changes are listed by kind, rules and words."""
        told = self.source, self.destination, self.service, self.states, self.when
        return self.kind, self.before, self.after, *told


def kind_of(was: Outcome, now: Outcome) -> Kind:
    """What it means for packets that something else is done with them."""
    if was[:2] == now[:2]:
        return "logged differently"
    if "translate" in (was[0], now[0]):
        return "translated differently"
    if "steer" in (was[0], now[0]):
        return "steered differently"
    if now[0] == "allow":
        return "newly allowed"
    if now[0] == "continue":
        return "newly passed on"
    return "blocked differently" if was[0] in ("drop", "reject") else "newly blocked"


ORDER: tuple[Kind, ...] = (
    "newly allowed", "newly blocked", "newly passed on", "blocked differently", "logged differently",
    "translated differently", "steered differently",
)  # fmt: skip


def changes(effect: Effect, names: Names) -> list[Change]:
    """The parts of an effect in the network's own names, in the order of `Change.order`.

    The words of a change stand for exactly its packets. Complexity: O(parts × names), each part named once.
    """
    told = (
        _change(effect, shift, parts, names)
        for shift in effect.shifts
        for parts in _together(shift.parts, names)
    )
    return sorted(told, key=lambda change: change.order)


def first_changes(effect: Effect, names: Names, most: int) -> tuple[list[Change], int]:
    """The first `most` changes of an effect in names, and how many parts there are besides.

    What opens comes before what closes, and then as the rules stand. Only those told are named: a long effect costs no more than
    a short one. Complexity: O(parts) + O(most × names).
    """
    told: list[Change] = []
    more = 0

    def weight(shift: Shift) -> tuple[int, int, int]:
        return ORDER.index(_kind(effect, shift)), shift.after, shift.before

    for shift in sorted(effect.shifts, key=weight):
        room = most - len(told)
        if room > 0:
            # Both families' parts of one change stand apart: enough of each is looked at.
            few = [p for f in FAMILIES for p in islice((q for q in shift.parts if q.family == f), room)]
            named = [_change(effect, shift, parts, names) for parts in _together(few, names)]
            told += named[:room]
            more += len(shift.parts) - len(few) + sum(len(change.parts) for change in named[room:])
        else:
            more += len(shift.parts)
    return told, more


def _kind(effect: Effect, shift: Shift) -> Kind:
    family = shift.parts[0].family
    return kind_of(outcome_of(effect.old, shift.before, family), outcome_of(effect.new, shift.after, family))


def _change(effect: Effect, shift: Shift, parts: Sequence[Part], names: Names) -> Change:
    family = parts[0].family
    was, now = outcome_of(effect.old, shift.before, family), outcome_of(effect.new, shift.after, family)
    source, destination = _ends(parts, names)
    service = tuple(sets_in_names.name_services(_services(parts), names))
    return Change(
        effect.new.name, kind_of(was, now), _called(effect.old, shift.before), _called(effect.new, shift.after),
        was, now, source, destination, service, parts[0].states, parts[0].times,
        names.moments.words(parts[0].times), tuple(parts), (shift.before, shift.after), names.known(),
    )  # fmt: skip


def _called(policy: Policy, at: int) -> str:
    return DEFAULT_NAME if at == DEFAULT else policy.rules[at].name


def _together(parts: Sequence[Part], names: Names) -> Iterator[list[Part]]:
    """The parts, those of both families as one where that takes no more words."""
    of_6: dict[object, list[Part]] = {}
    for part in parts:
        if part.family == 6:
            of_6.setdefault(_words(part, names), []).append(part)
    alone = []
    for part in parts:
        if part.family == 4:
            twins = of_6.get(_words(part, names))
            if twins:
                yield [part, twins.pop()]
            else:
                alone.append(part)
    left = [part for others in of_6.values() for part in others]
    for part in alone:
        twin = next((other for other in left[:FEW] if _reads_better([part, other], names)), None)
        if twin is not None:
            left.remove(twin)
        yield [part, twin] if twin else [part]
    yield from ([part] for part in left)


def _reads_better(both: Sequence[Part], names: Names) -> bool:
    """Whether two parts have one end, the service, states and moments in common, and the other end takes no more words."""
    (s4, d4, v4, c4), (s6, d6, v6, c6) = (_words(part, names) for part in both)
    if (v4, c4) != (v6, c6) or (s4 != s6 and d4 != d6):
        return False
    end, apart = ("destination", (d4, d6)) if s4 == s6 else ("source", (s4, s6))
    return sum(map(_count, _one_end(both, end, names))) <= max(sum(map(_count, words)) for words in apart)


def _count(word: str) -> int:
    """How many names there are in a word with exceptions."""
    return 1 + (word.count(", ") + 1 if " except " in word else 0)


def _words(
    part: Part, names: Names
) -> tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...], tuple[tuple[State, ...], Times]]:
    source, destination = (
        tuple(map(_unmarked, _one_end([part], end, names))) for end in ("source", "destination")
    )
    service = tuple(sets_in_names.name_services(_services([part]), names))
    return source, destination, service, (part.states, part.times)


def _unmarked(word: str) -> str:
    return word.replace(" over IPv4", "").replace(" over IPv6", "")


def _ends(parts: Sequence[Part], names: Names) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Words for both ends. A mark of the family is only needed at one, and at none if the other has no other family."""
    source, destination = (_one_end(parts, end, names) for end in ("source", "destination"))
    marked = [any(word != _unmarked(word) for word in words) for words in (source, destination)]
    if not marked[0] or not marked[1]:
        source, destination = tuple(map(_unmarked, source)), tuple(map(_unmarked, destination))
    else:
        destination = tuple(map(_unmarked, destination))
    return source, destination


def _one_end(parts: Sequence[Part], end: str, names: Names) -> tuple[str, ...]:
    return tuple(sets_in_names.name_addresses(_addresses(parts, end), names))


def _addresses(parts: Iterable[Part], end: str) -> AddressSet:
    found: dict[int, Intervals] = {part.family: getattr(part, end) for part in parts}
    return AddressSet(*(found.get(f, ()) for f in FAMILIES))


def _services(parts: Iterable[Part]) -> ServiceSet:
    found = {part.family: part.service for part in parts}
    return ServiceSet(*(found.get(f, NOTHING[f]) for f in FAMILIES))
