"""All segments at once, for whoever waits for them: worked out once, and after an edit only what it touches."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import CancelledError, Future
from dataclasses import dataclass
from datetime import datetime
from threading import Lock, Thread

import numpy as np

from sarvex.core.change.all_effects import all_effects
from sarvex.core.change.matrix_after import matrix_after
from sarvex.core.change.network_effect import Versions, reach_after
from sarvex.core.forwarding.walk import TooWide
from sarvex.core.meaning.names import NameCycle, UnknownName
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network
from sarvex.core.reach.infrastructure import asked_service
from sarvex.core.reach.matrix import Cell, cells, every_pair
from sarvex.core.reach.reach import Reach, reach_of
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.sets.cache import Bounded
from sarvex.core.time import moment_words
from sarvex.core.time.moments import ALWAYS
from sarvex.service.analysis.analysis_process import Asked
from sarvex.service.analysis.network_cache import Loaded, matrix_part
from sarvex.service.analysis.questions import in_time
from sarvex.service.analysis.turns import waited_for
from sarvex.service.errors import Refused, TooMuch

SECONDS = 30.0
"""How long all segments are worked on."""
TOO_WIDE = "all segments take longer than half a minute here; ask for one service, or run sarvex matrix on the document"
MOST_KEPT = 8
MOST_SEGMENTS, MOST_RULES = 150, 4_000
"""With more all segments are worked out elsewhere, part by part."""
PATIENCE = 2.0
"""So many seconds an answer waits for all of them."""
BROUGHT_UP = 20.0
"""So many seconds are spent on bringing up to date what is known of a large network; then it is worked out anew."""
FORGOTTEN = 20.0
"""So many seconds after somebody last asked they are given up."""


class _Kept:
    """What everybody reaches in one network, as it was when somebody last asked."""

    def __init__(self) -> None:
        self.reach: Reach | None = None
        self.lock = Lock()


_KEPT: Bounded[int, _Kept] = Bounded(MOST_KEPT)


def known_reach(loaded: Loaded, go_on: Callable[[], bool] = lambda: True) -> Reach | None:
    """What everybody reaches, if it was asked for before: brought up to date from what it was. None if it is not known.

    go_on: asked now and then; once it says no what is worked out is given up.
    """
    kept = _KEPT.get(loaded.stored.id, _Kept)
    with kept.lock:
        return _current(kept, loaded, go_on)


def whole_reach(loaded: Loaded, go_on: Callable[[], bool]) -> Reach:
    """The same, worked out if it is not known. Who else asks meanwhile waits. Raises `walk.TooWide` once `go_on` says no."""
    kept = _KEPT.get(loaded.stored.id, _Kept)
    with kept.lock:
        known = _current(kept, loaded, go_on)
        if known is None:
            known = kept.reach = reach_of(loaded.network, loaded.names, go_on=go_on)
        return known


def _current(kept: _Kept, loaded: Loaded, go_on: Callable[[], bool]) -> Reach | None:
    known = kept.reach
    if known is not None and known.network is not loaded.network:
        known = _brought_up(known, loaded, go_on)
        kept.reach = known or kept.reach
    return known


def _brought_up(before: Reach, loaded: Loaded, go_on: Callable[[], bool]) -> Reach | None:
    if not before.names.moments.is_as(loaded.names.moments):
        return None
    of = Versions(before.network, loaded.network, before.names, loaded.names)
    made, at_places = all_effects(of)
    try:
        return reach_after(before, of, made, at_places, go_on)
    except TooWide:
        return None


def moment_of(loaded: Loaded, at: str) -> datetime | None:
    """A moment in words; None for all. Raises `Refused`."""
    try:
        return moment_words.parse(at, loaded.names.moments.zone) if at.strip() else None
    except moment_words.InvalidMoment as error:
        raise Refused([Problem(("at",), str(error))]) from None


@dataclass(frozen=True)
class AllSegments:
    """Every pair of which something is told, and the share that is worked out; nothing is told before all is."""

    share: float
    cells: list[Cell]


def all_segments(
    loaded: Loaded, service: str, at: str = "", aside: bool = False, patience: float | None = None
) -> AllSegments:
    """Every pair of segments, and devices themselves, for a service, at a moment in words or at all moments.

    aside: whether name service, time and ping are looked past. Of a large network it is worked out by a process of its own, as long as
    somebody asks for it now and then. Raises `Refused` for words that mean no service or no moment, and `TooMuch`.
    """
    moment, names = moment_of(loaded, at), loaded.names
    try:
        asked = asked_service(names, service, aside)
    except (UnknownName, NameCycle) as error:
        raise Refused([Problem(("service",), str(error))]) from None
    times = ALWAYS if moment is None else 1 << names.moments.class_of(moment)
    if is_large(loaded.network):
        return _in_parts(loaded, (service, aside, times), PATIENCE if patience is None else patience)
    try:
        return AllSegments(1.0, list(cells(whole_reach(loaded, in_time(SECONDS)).only(asked, times))))
    except TooWide:
        raise TooMuch(TOO_WIDE) from None


def is_large(network: Network) -> bool:
    """Whether all segments of a network are worked out elsewhere, part by part."""
    rules = sum(len(p.rules) for p in network.policies)
    return len(network.segments) > MOST_SEGMENTS or rules > MOST_RULES


class _Parts:
    """All segments of a large network, worked out part by part as long as somebody asks."""

    def __init__(self, loaded: Loaded, asked: Asked, before: _Parts | None) -> None:
        self.loaded, self.what, self.share = loaded, asked, 0.0
        self.before = before.known if before and before.what == asked else None
        """What was known of an older version, and of which."""
        self.known: tuple[Loaded, list[Cell]] | None = self.before
        """The newest that is known whole."""
        self.asked = time.monotonic()
        self.told: Future[list[Cell]] = Future()

    def is_about(self, loaded: Loaded, asked: Asked) -> bool:
        """Whether it is what is asked now."""
        same = self.loaded.network is loaded.network and self.loaded.names is loaded.names
        return same and self.what == asked

    @property
    def is_in_vain(self) -> bool:
        """Whether it was given up or went wrong."""
        return self.told.cancelled() or (self.told.done() and self.told.exception() is not None)

    def go_on(self) -> bool:
        return time.monotonic() - self.asked < FORGOTTEN

    def work(self) -> None:
        """Bring up to date what was known, or ask for part after part; `told` is cancelled once nobody asks any more."""
        try:
            found = self._brought_up()
            if found is None:
                found, part = [], 0
                while self.share < 1:
                    if not self.go_on():
                        self.told.cancel()
                        return
                    self.share, some = matrix_part(self.loaded.network, self.loaded.names, self.what, part)
                    found += some
                    part += 1
            self.known, self.before = (self.loaded, found), None
            self.told.set_result(list(every_pair(self.loaded.network, found)))
        except BaseException as error:
            self.told.set_exception(error)

    def _brought_up(self) -> list[Cell] | None:
        """All of the older version with what was touched since led again; None if that is none or takes too long."""
        if self.before is None:
            return None
        (old, cells_before), new = self.before, self.loaded
        service, aside, times = self.what
        try:
            was, now = (asked_service(one.names, service, aside) for one in (old, new))
        except (UnknownName, NameCycle):
            return None
        if not all(np.array_equal(was[f], now[f]) for f in FAMILIES):
            return None
        of, until = Versions(old.network, new.network, old.names, new.names), in_time(BROUGHT_UP)
        try:
            return matrix_after(
                cells_before, of, *all_effects(of), now, times, lambda: self.go_on() and until()
            )
        except (TooWide, WorkLimit):
            return None


_PARTS: dict[int, _Parts] = {}
_LOCK = Lock()


def _in_parts(loaded: Loaded, asked: Asked, patience: float) -> AllSegments:
    with _LOCK:
        job = _PARTS.get(loaded.stored.id)
        if job is None or not job.is_about(loaded, asked) or job.is_in_vain:
            if job is not None:
                job.asked = -FORGOTTEN  # what was asked before is not worth an answer any more
            job = _PARTS[loaded.stored.id] = _Parts(loaded, asked, job)
            Thread(target=job.work, name="all segments", daemon=True).start()
        job.asked = time.monotonic()
    try:
        return AllSegments(1.0, waited_for(job.told, patience))
    except (TimeoutError, CancelledError):
        return AllSegments(min(job.share, 0.999), [])
