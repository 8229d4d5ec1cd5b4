"""Networks in memory: loaded once per revision, analysed once per content.

Both are caches that can be dropped at any time; the records are the truth. A web worker holds nothing else.
"""

from __future__ import annotations

import time
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable, Iterable, Iterator
from concurrent.futures import CancelledError, Future, ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from datetime import date
from functools import cached_property
from threading import Condition, Event, Lock
from typing import Any, Generic, TypeVar
from weakref import WeakValueDictionary
from zoneinfo import ZoneInfo

from sqlalchemy import bindparam, select
from sqlalchemy.orm import Session

from sarvex.core.findings import of_network, of_rules
from sarvex.core.findings.accepted import Owners
from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_rules import PolicyReport
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning import similar_names
from sarvex.core.meaning.matches import successor
from sarvex.core.meaning.names import AddressThing, Names, ends_of, moments_of
from sarvex.core.model.records import Accepted, HostAttachment, Network, Policy, ServiceObject, fold
from sarvex.core.model.uses import Space, Use, all_uses, use_counts
from sarvex.core.reach.matrix import Cell
from sarvex.core.sets import addresses, services
from sarvex.core.sets.cache import Bounded, Recent
from sarvex.core.time.moments import today
from sarvex.service.analysis.analysis_process import AnalysisProcess, Asked
from sarvex.service.analysis.turns import waited_for
from sarvex.service.errors import NotFound
from sarvex.store import tables as t
from sarvex.store.networks import Stored, load_network

K = TypeVar("K", bound=Hashable)
T = TypeVar("T")
Whole = tuple[tuple[Policy, ...], tuple[HostAttachment, ...], Names]
"""All of a network that its findings depend on."""
KEEP = 8
KEEP_NAMES = 4
KEEP_REPORTS = 256
KEEP_RULES = 60_000
"""Lists of so many rules in all are kept ready, and so many reported on: a report holds its list."""
AT_ONCE = 2000
"""Lists of so many rules are worked out while one waits (a fifth of a second)."""
REST = 8.0
"""How many times as long as the last long work at a place the next is put off if nobody waits for it."""
FOR_EVER = 1e6
LONGEST_WAIT = 2.0
"""Seconds in which an edit that is committed is surely kept."""
PATIENCE = 0.25
"""How long an answer waits for a longer one, in seconds."""


@dataclass(frozen=True, eq=False)
class Loaded:
    """A network of one revision, with its names resolved and its reports at hand."""

    stored: Stored
    day: date
    """Its analyses speak of all moments from this day on."""
    more_ends: frozenset[str] = frozenset()
    """Last dates that are told apart beside those of its rules, for an edit that is being tried."""

    @cached_property
    def ends(self) -> frozenset[str]:
        """All last dates that its names tell apart."""
        return self.more_ends | ends_of(self.network)

    def telling(self, ends: Iterable[str]) -> Loaded:
        """The same, whose names tell some last dates apart as well."""
        more = frozenset(ends) - self.ends
        if not more:
            return self
        kept: Bounded[frozenset[str], Loaded] = self._telling
        return kept.get(more, lambda: replace(self, more_ends=self.more_ends | more))

    @cached_property
    def _telling(self) -> Bounded[frozenset[str], Loaded]:
        return Bounded(KEEP)

    @property
    def network(self) -> Network:
        return self.stored.network

    @cached_property
    def names(self) -> Names:
        """Everything that names stand for; shared by revisions that differ in rules only."""
        bare = replace(self.network, name="", description="", policies=(), at_hosts=(), expectations=())
        ground = replace(bare, addresses=(), services=()), self.day, self.ends

        def make() -> Names:
            before = _NAMES.newest(lambda key: key[1] == ground)
            return (
                successor(before, bare) if before else Names(bare, moments_of(bare, self.day, ends=self.ends))
            )

        return _NAMES.get(((bare.addresses, bare.services), ground), make)

    def report(self, policy: Policy) -> PolicyReport:
        """What every rule of a policy decides, with the findings."""
        return _outcome(lambda: _REPORTS.get(None, (policy, self.names), len(policy.rules)))

    def report_soon(self, policy: Policy, patience: float = PATIENCE) -> PolicyReport | None:
        """The same if it is at hand or a moment away; a long list is worked on meanwhile."""
        place = self.stored.id, policy.name
        rules = len(policy.rules)
        return _soon(_REPORTS.get(place, (policy, self.names), rules), rules, patience)

    @property
    def network_findings(self) -> list[Finding]:
        """Findings that are not about one policy alone."""
        return _outcome(lambda: _NETWORK_FINDINGS.get(None, self._whole, self._rules))

    def network_findings_soon(self, patience: float) -> list[Finding] | None:
        """The same if they are at hand or a moment away."""
        return _soon(_NETWORK_FINDINGS.get(self.stored.id, self._whole, self._rules), self._rules, patience)

    @cached_property
    def owners(self) -> Owners:
        """What findings are about."""
        return Owners(self.network)

    def accepted(self, found: Finding) -> Accepted | None:
        """How a finding is accepted today, if it is."""
        return self.owners.accepted(found, self.day)

    @property
    def _whole(self) -> Whole:
        return self.network.policies, self.network.at_hosts, self.names

    @cached_property
    def _rules(self) -> int:
        return sum(len(p.rules) for p in self.network.policies)

    def ready(self, policy: Policy) -> FirstMatch:
        """A policy made ready for questions."""
        found = self._ready.get(policy.name)  # by name: to hash a long list takes longer than many a question
        if found is None:
            found = self._ready[policy.name] = _LISTS.get(policy, self.names)
        return found

    def rule_ids(self, policy_id: int) -> list[int]:
        """The ids of a policy's rules, in order."""
        if policy_id not in self._ids:
            self._ids[policy_id] = [key.id for key in self.stored.rules.get(policy_id, ())]
        return self._ids[policy_id]

    def rule_places(self, policy_id: int) -> dict[int, int]:
        """The places, from 0, of a policy's rules by id."""
        if policy_id not in self._places:
            self._places[policy_id] = {rule_id: i for i, rule_id in enumerate(self.rule_ids(policy_id))}
        return self._places[policy_id]

    @cached_property
    def _ids(self) -> dict[int, list[int]]:
        return {}

    @cached_property
    def _places(self) -> dict[int, dict[int, int]]:
        return {}

    @cached_property
    def _ready(self) -> WeakValueDictionary[str, FirstMatch]:
        return WeakValueDictionary()

    @cached_property
    def _uses(self) -> dict[Space, dict[str, list[Use]]]:
        return {"address": all_uses(self.network, "address"), "service": all_uses(self.network, "service")}

    def uses(self, space: Space) -> dict[str, list[Use]]:
        """The direct uses of every name of a space, by folded name."""
        return self._uses[space]

    @cached_property
    def _use_counts(self) -> dict[Space, Counter[str]]:
        return {
            "address": use_counts(self.network, "address"),
            "service": use_counts(self.network, "service"),
        }

    def use_count(self, space: Space, name: str) -> int:
        """How many direct uses a name has."""
        return self._use_counts[space][fold(name)]

    def values(self, thing: AddressThing | ServiceObject) -> list[str]:
        """What a name stands for, in words."""
        known: dict[tuple[bool, str], list[str]] = self.names.keep("values", dict)
        key = isinstance(thing, ServiceObject), thing.name
        if key not in known:
            if isinstance(thing, ServiceObject):
                known[key] = services.describe(self.names.service(thing.name))
            else:
                known[key] = addresses.describe(self.names.address(thing.name))
        return known[key]

    def text(self, what: Hashable, write: Callable[[], bytes]) -> bytes:
        """What is told of this revision, written once for all who look at it; who else asks meanwhile waits."""
        lock, texts = self._texts.setdefault(what, (Lock(), []))
        with lock:
            if not texts:
                texts.append(write())
            return texts[0]

    @cached_property
    def _texts(self) -> dict[Hashable, tuple[Lock, list[bytes]]]:
        return {}

    @property
    def same(self) -> dict[str, list[str]]:
        """Names that stand for the same as another."""
        found: dict[str, list[str]] = self.names.keep("same", lambda: similar_names.same(self.names))
        return found

    @property
    def nearly(self) -> dict[str, list[str]]:
        """Names whose value differs from another's by two swapped digits."""
        found: dict[str, list[str]] = self.names.keep("nearly", lambda: similar_names.nearly(self.names))
        return found


def _outcome(get: Callable[[], Future[T]]) -> T:
    """What a work came to. Where a newer state took its place it is begun anew: somebody waits for it."""
    while True:
        with suppress(CancelledError):
            return waited_for(get())


def _soon(work: Future[T], rules: int, patience: float) -> T | None:
    """What a work came to, if it is there in time; what is short is waited for."""
    try:
        return waited_for(work, patience if rules > AT_ONCE else None)
    except (TimeoutError, CancelledError, BrokenProcessPool):
        return None


_NAMES: Recent[tuple[Any, Any], Names] = Recent(KEEP_NAMES)


def _today(stored: Stored) -> date:
    return today(ZoneInfo(stored.network.time_zone))


class _Lists:
    """Lists made ready, by all that they depend on: a few long ones, or many short ones."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[Policy, Names], FirstMatch] = OrderedDict()
        self._lock = Lock()
        self._making = Lock()

    def get(self, policy: Policy, names: Names) -> FirstMatch:
        """The list, made now if it is not there. Whoever asks for one that is being made waits for it."""
        found = self._there(policy, names)
        if found is None:
            with self._making:
                found = self._there(policy, names)
                if found is None:
                    found = FirstMatch.following(self._before(policy), policy, names)
                    assert found.layers
                    self._keep(policy, names, found)
        return found

    def _before(self, policy: Policy) -> FirstMatch | None:
        """The list that was asked for last of those that are called so."""
        with self._lock:
            return next(
                (made for (p, _), made in reversed(self._kept.items()) if p.name == policy.name), None
            )

    def _there(self, policy: Policy, names: Names) -> FirstMatch | None:
        with self._lock:
            found = self._kept.get((policy, names))
            if found is not None:
                self._kept.move_to_end((policy, names))
            return found

    def _keep(self, policy: Policy, names: Names, made: FirstMatch) -> None:
        with self._lock:
            self._kept[policy, names] = made
            while len(self._kept) > 1 and sum(len(p.rules) for p, _ in self._kept) > KEEP_RULES:
                self._kept.popitem(last=False)


_LISTS = _Lists()


class _Works(Generic[K, T]):
    """What was worked out of lists of rules, by all that it depends on: another policy's edit costs nothing here.

    =============  ====================  ==============================================================================
    the list       somebody              what happens
    =============  ====================  ==============================================================================
    short          looks or waits        worked out at once, by whoever asks first; others wait for that one
    long           waits                 worked out now by the process, whatever rests
    long           looks (`place` told)  begun when its turn comes: at a place one runs, the newest waits, older ones that
                                         are not begun are cancelled; after each there is a rest in proportion to its work
    =============  ====================  ==============================================================================

        edits   1---2-3-4------------5
        runs    [ 1 ]~~~~[  4  ]~~~~~~[ 5 ]        ~ rest; 2 and 3 are never begun
    """

    def __init__(self, at_once: Callable[[K], T], by_process: Callable[[K], T]) -> None:
        self._at_once, self._by_process = at_once, by_process
        self._kept: OrderedDict[K, tuple[int, Future[T]]] = OrderedDict()
        self._waiting: dict[Hashable, tuple[K, Future[T]]] = {}
        self._running: set[Hashable] = set()
        self._rests: dict[Hashable, float] = {}
        """Until when the next at a place is put off, unless somebody waits."""
        self._over = False
        self._turn = Condition()

    def get(self, place: Hashable, key: K, rules: int) -> Future[T]:
        """The result, or the work on it. Where `place` is told, what is newer there takes the place of what is not begun
        yet; else somebody waits, and it is worked out now."""
        long = rules > AT_ONCE
        with self._turn:
            if long and place is None:
                self._rests.clear()
                self._turn.notify_all()
            found = self._kept.get(key)
            if found is not None and not _in_vain(found[1]):
                self._kept.move_to_end(key)
                return found[1]
            if long and place is not None:
                work = _BACKGROUND.submit(self._in_turn, place, key)
                if place in self._waiting:
                    self._waiting[place][1].cancel()
                self._waiting[place] = key, work
                self._turn.notify_all()
                return self._keep(key, rules, work)
            mine: Future[T] = self._keep(key, rules, Future())
        try:
            mine.set_result((self._by_process if long else self._at_once)(key))
        except BaseException as error:
            mine.set_exception(error)
        return mine

    def _in_turn(self, place: Hashable, key: K) -> T:
        def is_newest() -> bool:
            return not self._over and place in self._waiting and self._waiting[place][0] is key

        def rest() -> float:
            return FOR_EVER if place in self._running else self._rests.get(place, 0.0) - time.monotonic()

        with self._turn:
            while is_newest() and (left := rest()) > 0:
                self._turn.wait(left)
            if not is_newest():
                raise CancelledError
            del self._waiting[place]
            self._running.add(place)
        began = time.monotonic()
        try:
            return self._by_process(key)
        finally:
            with self._turn:
                self._rests = {p: until for p, until in self._rests.items() if until > began}
                self._rests[place] = time.monotonic() + REST * (time.monotonic() - began)
                self._running.discard(place)
                self._turn.notify_all()

    def begin(self) -> None:
        """From now on there is somebody to work for."""
        self._over = False

    def end(self) -> None:
        """Give up what rests or is not begun."""
        with self._turn:
            self._over = True
            self._turn.notify_all()

    def _keep(self, key: K, rules: int, work: Future[T]) -> Future[T]:
        self._kept[key] = rules, work
        while len(self._kept) > KEEP_REPORTS or (
            len(self._kept) > 1 and sum(rules for rules, _ in self._kept.values()) > KEEP_RULES
        ):
            self._kept.popitem(last=False)
        return work


def _in_vain(work: Future[Any]) -> bool:
    """Whether it was given up or went wrong; the next who asks tries again."""
    return work.cancelled() or (work.done() and work.exception() is not None)


def _report(of: tuple[Policy, Names]) -> PolicyReport:
    policy, names = of
    return of_rules.report_of(_LISTS.get(policy, names), names)


def _network_findings(of: Whole) -> list[Finding]:
    policies, at_hosts, names = of
    network = replace(names.network, policies=policies, at_hosts=at_hosts)
    return of_network.network_findings(network, names)


def matrix_part(network: Network, names: Names, asked: Asked, part: int) -> tuple[float, list[Cell]]:
    """Some of all segments; see `AnalysisProcess.matrix_part`."""
    return _ANALYST.matrix_part(network, names, asked, part)


def begin() -> None:
    """A server begins to answer."""
    global _ANALYST
    _ANALYST = AnalysisProcess()
    _REPORTS.begin()
    _NETWORK_FINDINGS.begin()


def end() -> None:
    """It does not any more: what long works are on is given up, so that the process can end."""
    _REPORTS.end()
    _NETWORK_FINDINGS.end()
    _ANALYST.close()


_ANALYST = AnalysisProcess()
_BACKGROUND = ThreadPoolExecutor(max_workers=8, thread_name_prefix="reports")  # they wait; the process works
_REPORTS = _Works(_report, lambda of: _ANALYST.report(*of))
_NETWORK_FINDINGS = _Works(_network_findings, lambda of: _ANALYST.network_findings(*of))


# Asked with nearly every request, so it is put together once.
_REVISION = select(t.Network.revision).where(t.Network.id == bindparam("network_id"))


class NetworkCache:
    """The latest revisions of the networks in use."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[int, int], Loaded] = OrderedDict()
        self._coming: dict[tuple[int, int], Event] = {}
        self._lock = Lock()
        self._loading = Lock()

    def open(self, session: Session, network_id: int) -> Loaded:
        """The network as this transaction sees it. Raises `NotFound`."""
        revision = session.scalar(_REVISION, {"network_id": network_id})
        if revision is None:
            raise NotFound("there is no such network")
        kept = self.kept(network_id, revision)
        if kept:
            return kept
        with self._loading:  # who else asks for the same waits for it
            kept = self.kept(network_id, revision)
            if kept:
                return kept
            stored = load_network(session, network_id)
            if stored is None:
                raise NotFound("there is no such network")
            return self.keep(stored)

    @contextmanager
    def coming(self, network_id: int) -> Iterator[Callable[[int], None]]:
        """While an edit is committed and until it is kept here, those who see its revision wait for it instead of reading
        it from the records. Gives what tells the revision, just before the commit."""
        told: list[tuple[int, int]] = []

        def tell(revision: int) -> None:
            told.append((network_id, revision))
            self._coming[told[0]] = Event()

        try:
            yield tell
        finally:
            for key in told:
                self._coming.pop(key).set()

    def kept(self, network_id: int, revision: int) -> Loaded | None:
        """The network of that revision, if it is at hand."""
        key = network_id, revision
        coming = self._coming.get(key)
        if coming is not None:
            coming.wait(LONGEST_WAIT)
        with self._lock:
            found = self._kept.get(key)
            if found:
                day = _today(found.stored)
                if found.day != day:
                    found = self._kept[key] = Loaded(found.stored, day)
                self._kept.move_to_end(key)
            return found

    def keep(self, stored: Stored) -> Loaded:
        """Remember a network that has been committed."""
        loaded = Loaded(stored, _today(stored))
        with self._lock:
            self._kept[stored.id, stored.revision] = loaded
            while len(self._kept) > KEEP:
                self._kept.popitem(last=False)
        return loaded
