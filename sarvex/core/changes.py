"""An effect in the network's own words: what opens, what closes, which rules decide before and after.

Each change is one product of sets with one fate before and one after. Parts of the two address families that have the
same words are told as one.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from sarvex.core import intervals, naming, packets
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.effect import Effect, Outcome, Part, outcome_of
from sarvex.core.firstmatch import DEFAULT
from sarvex.core.flows import STATES, Flow, State
from sarvex.core.intervals import Intervals
from sarvex.core.model import Policy
from sarvex.core.names import Names
from sarvex.core.services import NOTHING, ServiceSet

Kind = Literal[
    "newly allowed", "newly blocked", "newly passed on", "blocked differently", "logged differently"
]
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
    parts: tuple[Part, ...]
    places: tuple[int, int]
    """Where the deciding rules stand in their versions, or `DEFAULT`."""
    _known: AddressSet

    @cached_property
    def witness(self) -> Flow:
        """A packet of it."""
        flows = (_sample(part, self._known[part.family], self._known) for part in self.parts)
        told = packets.legible(flows, self._known)
        assert told is not None
        return told

    @property
    def order(self) -> tuple[object, ...]:
        """Changes are listed by kind, rules and words."""
        return self.kind, self.before, self.after, self.source, self.destination, self.service, self.states


def kind_of(was: Outcome, now: Outcome) -> Kind:
    """What it means for packets that something else is done with them."""
    if was[:2] == now[:2]:
        return "logged differently"
    if now[0] == "allow":
        return "newly allowed"
    if now[0] == "continue":
        return "newly passed on"
    return "blocked differently" if was[0] in ("drop", "reject") else "newly blocked"


def changes(effect: Effect, names: Names) -> list[Change]:
    """All changes in the order of `Change.order`, told in `names`. Each part is named once; O(parts × names)."""
    known = names.known()
    told = []
    for shift in effect.shifts:
        before, after = (
            _called(effect.old, shift.before),
            _called(effect.new, shift.after),
        )
        for parts in _together(shift.parts, names):
            was, now = (
                outcome_of(policy, at, parts[0].family)
                for policy, at in ((effect.old, shift.before), (effect.new, shift.after))
            )
            source, destination = _ends(parts, names)
            told.append(
                Change(
                    effect.new.name, kind_of(was, now), before, after, was, now, source, destination,
                    tuple(naming.name_services(_services(parts), names)), parts[0].states, tuple(parts),
                    (shift.before, shift.after), known,
                )
            )  # fmt: skip
    return sorted(told, key=lambda change: change.order)


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
    """Whether two parts have one end, the service and the states in common, and the other end takes no more words."""
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
) -> tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...], tuple[State, ...]]:
    source, destination = (
        tuple(map(_unmarked, _one_end([part], end, names))) for end in ("source", "destination")
    )
    return source, destination, tuple(naming.name_services(_services([part]), names)), part.states


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
    return tuple(naming.name_addresses(_addresses(parts, end), names))


def _addresses(parts: Iterable[Part], end: str) -> AddressSet:
    found: dict[int, Intervals] = {part.family: getattr(part, end) for part in parts}
    return AddressSet(*(found.get(f, ()) for f in FAMILIES))


def _services(parts: Iterable[Part]) -> ServiceSet:
    found = {part.family: part.service for part in parts}
    return ServiceSet(*(found.get(f, NOTHING[f]) for f in FAMILIES))


def _sample(part: Part, hosts: Intervals, known: AddressSet) -> Flow | None:
    """A packet of a part: between known hosts if there are such."""
    ends = [_legible_end(end, hosts) for end in (part.source, part.destination)]
    state = STATES.index(part.states[0]) if part.states else 0
    flows = [
        packets.flow_in(part.family, [*map(list, ends), *box, [state, state]], known)
        for box in part.service[:16].tolist()
    ]
    return packets.legible(flows, known)


def _legible_end(ends: Intervals, hosts: Intervals) -> tuple[int, int]:
    there = (pair for pair in ends if intervals.first_within(hosts, *pair) is not None)
    return next(there, ends[0])
