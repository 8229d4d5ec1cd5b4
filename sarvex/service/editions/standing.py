"""Whether the network is as it should be: what nobody speaks for, and what held in the version in force."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from sarvex.core.forwarding.walk import TooWide
from sarvex.core.reach.expectations import Verdict
from sarvex.core.reach.unspoken import Deep, Managed, deepest, managed
from sarvex.core.sets.cache import Bounded
from sarvex.service.analysis.expectations import reasons_once
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import in_time
from sarvex.service.analysis.reach import is_large, whole_reach
from sarvex.service.editions.versions import edition, in_force
from sarvex.service.errors import TooMuch

SECONDS = 30.0
MOST_KEPT = 8


@dataclass(frozen=True, eq=False)
class Unspoken:
    """Who manages devices, and what reaches deep though nobody says that it must."""

    managed: tuple[Managed, ...]
    deep: tuple[Deep, ...]


_KEPT: Bounded[int, list[tuple[Loaded, Unspoken]]] = Bounded(MOST_KEPT)
"""The newest of each network."""


def unspoken(loaded: Loaded) -> Unspoken | None:
    """The same, worked out once for each version; None of a network that is too large for a glance. Raises `TooMuch`."""
    if is_large(loaded.network):
        return None

    kept = _KEPT.get(loaded.stored.id, list)
    for of, known in kept:
        if of.network is loaded.network and of.day == loaded.day:
            return known
    try:
        reach = whole_reach(loaded, in_time(SECONDS))
    except TooWide:
        raise TooMuch("who reaches whom takes longer than half a minute to find out here") from None
    made = Unspoken(tuple(managed(reach)), tuple(deepest(reach)))
    kept[:] = [(loaded, made)]
    return made


def held_in_force(session: Session, network_id: int) -> dict[str, Verdict] | None:
    """What held in the version in force, by the names of its expectations; None if nothing is. Raises `TooMuch`."""
    number = in_force(session, network_id)
    if number is None:
        return None
    version = edition(session, network_id, number)
    return {one.expectation.name: one.judged.verdict for one in reasons_once(version.key, version.loaded)}
