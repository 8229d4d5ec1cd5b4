"""Whether what must hold does, for whoever looks at it: worked out once for each version of a network."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from threading import Lock

from sarvex.core.change.network_effect import NetworkEffect, Versions
from sarvex.core.change.verdicts import VerdictChanges, verdict_changes
from sarvex.core.forwarding.walk import TooWide
from sarvex.core.model.records import Expectation
from sarvex.core.reach.expectations import Judged, judged
from sarvex.core.reach.reach import Reach
from sarvex.core.reach.ways_around import Way, ways_around, ways_while_unplugged
from sarvex.core.sets.cache import Bounded
from sarvex.formats.expectations import Told, told
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import in_time
from sarvex.service.analysis.reach import is_large, known_reach, whole_reach
from sarvex.service.errors import TooMuch

SECONDS = 30.0
"""How long what must hold is worked on."""
TOO_WIDE = (
    "whether it holds takes longer than half a minute to find out here; run sarvex verify on the document"
)
MOST_KEPT = 8


@dataclass(eq=False)
class _Kept:
    """The verdicts of one network, as it was when somebody last asked."""

    lock: Lock
    loaded: Loaded | None = None
    judged: tuple[Judged, ...] = ()
    told: tuple[Told, ...] | None = None


_KEPT: Bounded[int, _Kept] = Bounded(MOST_KEPT)
_OF_VERSIONS: Bounded[Hashable, tuple[Told, ...]] = Bounded(MOST_KEPT)


@contextmanager
def _refused() -> Iterator[None]:
    """What takes too long is refused in words."""
    try:
        yield
    except TooWide:
        raise TooMuch(TOO_WIDE) from None


def verdicts(loaded: Loaded, of: Iterable[Expectation]) -> list[Judged]:
    """Whether each of some expectations holds, which need not be the network's. Raises `TooMuch`."""
    listed = list(of)
    go_on = in_time(SECONDS)
    with _refused():
        known = _known(loaded, go_on) if listed else None
        return judged(loaded.network, loaded.names, listed, known, go_on=go_on)


def judge(loaded: Loaded, of: Iterable[Expectation]) -> list[Told]:
    """The same, each with its reason. Raises `TooMuch`."""
    return list(told(verdicts(loaded, of), loaded.network, loaded.names))


def around(loaded: Loaded, one: Expectation, unplugged: bool) -> tuple[list[tuple[Way, Told]], list[str]]:
    """What works near something that must be blocked: as it is, or while something is unplugged, each with its reason; and what there was no time to
    unplug. Raises `TooMuch`."""
    network, names, go_on = loaded.network, loaded.names, in_time(SECONDS)
    untried: list[str] = []
    with _refused():
        if unplugged:
            found, untried = ways_while_unplugged(one, network, names, go_on)
        else:
            found = ways_around(one, network, names, _known(loaded, go_on), go_on)
    return [(way, next(told([way.judged], network, names, way.without))) for way in found], untried


def _known(loaded: Loaded, go_on: Callable[[], bool]) -> Reach | None:
    """What everybody reaches: of a large network only if that is known."""
    return known_reach(loaded, go_on) if is_large(loaded.network) else whole_reach(loaded, go_on)


def reasons(loaded: Loaded) -> tuple[Told, ...]:
    """The same, each with its reason. Raises `TooMuch`."""
    kept = _current(loaded, in_time(SECONDS))
    with kept.lock:
        if kept.loaded is not None and kept.loaded.network is loaded.network:
            if kept.told is None:
                kept.told = tuple(told(kept.judged, loaded.network, loaded.names))
            return kept.told
    return reasons(loaded)


def reasons_once(key: Hashable, loaded: Loaded) -> tuple[Told, ...]:
    """The same of a version that need not be the draft, kept by a key that is equal for equal content. Raises `TooMuch`."""

    def make() -> tuple[Told, ...]:
        network, names = loaded.network, loaded.names
        with _refused():
            found = judged(network, names, network.expectations, go_on=in_time(SECONDS))
        return tuple(told(found, network, names))

    return _OF_VERSIONS.get(key, make)


def _current(loaded: Loaded, go_on: Callable[[], bool]) -> _Kept:
    kept = _KEPT.get(loaded.stored.id, lambda: _Kept(Lock()))
    network, names = loaded.network, loaded.names
    with kept.lock:
        if kept.loaded is None or kept.loaded.network is not network or kept.loaded.day != loaded.day:
            with _refused():
                known = _known(loaded, go_on) if network.expectations else None
                found = tuple(judged(network, names, network.expectations, known, go_on=go_on))
            kept.loaded, kept.judged, kept.told = loaded, found, None
    return kept


def changed_by(
    loaded: Loaded, of: Versions, effect: NetworkEffect | None, go_on: Callable[[], bool]
) -> tuple[VerdictChanges, tuple[Told, ...]]:
    """What a change breaks and mends, and the reasons for what it makes hold otherwise. What is not worked out in time is told to be unknown. Raises
    whatever `go_on` raises."""
    try:
        found = verdict_changes(of, effect, _current(loaded, go_on).judged, go_on)
    except (TooWide, TooMuch):
        return VerdictChanges((), of.new.expectations), ()
    after = [change.after for change in found.changes if change.after is not None]
    return found, tuple(told(after, of.new, of.after))
