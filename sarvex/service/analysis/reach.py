"""All segments at once, for whoever waits for them: worked out once, and after an edit only what it touches."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from threading import Lock

from sarvex.core.change.network_effect import Versions, reach_after
from sarvex.core.forwarding.walk import TooWide
from sarvex.core.meaning.names import NameCycle, Names, UnknownName
from sarvex.core.model.problems import Problem
from sarvex.core.reach.matrix import Cell, cells
from sarvex.core.reach.reach import Reach, reach_of
from sarvex.core.sets.cache import Bounded
from sarvex.core.time.moments import ALWAYS
from sarvex.formats import moment_words
from sarvex.formats.effects import all_effects
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import in_time
from sarvex.service.errors import Refused, TooMuch

SECONDS = 30.0
"""How long all segments are worked on."""
TOO_WIDE = "all segments take longer than half a minute here; ask for one service, or run sarvex matrix on the document"
MOST_KEPT = 8


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
        known = kept.reach
        if known is not None and known.network is not loaded.network:
            known = _brought_up(known, loaded, go_on)
            kept.reach = known or kept.reach
        return known


def whole_reach(loaded: Loaded, go_on: Callable[[], bool]) -> Reach:
    """The same, worked out if it is not known. Who else asks meanwhile waits. Raises `walk.TooWide` once `go_on` says no."""
    known = known_reach(loaded, go_on)
    kept = _KEPT.get(loaded.stored.id, _Kept)
    with kept.lock:
        if known is None or known.network is not loaded.network:
            known = kept.reach = reach_of(loaded.network, loaded.names, go_on=go_on)
        return known


def _brought_up(before: Reach, loaded: Loaded, go_on: Callable[[], bool]) -> Reach | None:
    if not _same_moments(before.names, loaded.names):
        return None
    of = Versions(before.network, loaded.network, before.names, loaded.names)
    made, at_places = all_effects(of)
    try:
        return reach_after(before, of, made, at_places, go_on)
    except TooWide:
        return None


def _same_moments(one: Names, other: Names) -> bool:
    a, b = one.moments, other.moments
    return a is b or (a.since, a.names, a.activities, a.zone, a.classes) == (
        b.since, b.names, b.activities, b.zone, b.classes,
    )  # fmt: skip


def moment_of(loaded: Loaded, at: str) -> datetime | None:
    """A moment in words; None for all. Raises `Refused`."""
    try:
        return moment_words.parse(at, loaded.names.moments.zone) if at.strip() else None
    except moment_words.InvalidMoment as error:
        raise Refused([Problem(("at",), str(error))]) from None


def all_segments(loaded: Loaded, service: str, at: str = "", seconds: float = SECONDS) -> list[Cell]:
    """Every pair of segments, and devices themselves, for a service, at a moment in words or at all moments.

    Raises `Refused` for words that mean no service or no moment, and `TooMuch`.
    """
    moment, names = moment_of(loaded, at), loaded.names
    try:
        asked = names.service(service)
    except (UnknownName, NameCycle) as error:
        raise Refused([Problem(("service",), str(error))]) from None
    times = ALWAYS if moment is None else 1 << names.moments.class_of(moment)
    try:
        return list(cells(whole_reach(loaded, in_time(seconds)).only(asked, times)))
    except TooWide:
        raise TooMuch(TOO_WIDE) from None
