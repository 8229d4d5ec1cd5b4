"""Versions of a network and how they are named: the draft, what is in force, an edition, the draft as it was.

A version is named `draft`, `in force`, `edition 12`, `change 345` (the draft right after that change; 0: as it was brought
in), or by a moment in ISO 8601 (the draft as it was then).
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network
from sarvex.core.time.moments import today
from sarvex.service.analysis.network_cache import Loaded, NetworkCache
from sarvex.service.errors import NotFound, Refused
from sarvex.store import editions, past
from sarvex.store import tables as t
from sarvex.store.networks import Stored

DRAFT, IN_FORCE = "draft", "in force"
_NUMBERED = re.compile(r"(edition|change) (\d{1,9})")


@dataclass(frozen=True)
class Version:
    """A network as it is or was. `key` is equal for equal content of one network; `rule_ids` are by policy, in order."""

    name: str
    key: tuple[int, str, date]
    loaded: Loaded
    rule_ids: Mapping[str, Sequence[int]]

    @property
    def network(self) -> Network:
        return self.loaded.network


def version(session: Session, cache: NetworkCache, network_id: int, name: str) -> Version:
    """The version of a name. Raises `NotFound`, `Refused` for a name that means none, `editions.Damaged`."""
    name = " ".join(name.lower().split())
    numbered = _NUMBERED.fullmatch(name)
    if name == DRAFT:
        return of_draft(cache.open(session, network_id))
    if name == IN_FORCE:
        number = in_force(session, network_id)
        if number is None:
            raise NotFound("nothing is in force yet")
        return replace(edition(session, network_id, number), name=f"edition {number}, in force")
    if numbered and numbered[1] == "edition":
        return edition(session, network_id, int(numbered[2]))
    revision = int(numbered[2]) if numbered else _revision_at(session, network_id, _moment(name))
    stored = past.network_at(session, network_id, revision)
    if stored is None:
        raise NotFound(f"there is no change {revision}")
    return of_draft(Loaded(stored, today(ZoneInfo(stored.network.time_zone))), f"change {revision}")


def in_force(session: Session, network_id: int) -> int | None:
    """The number of the edition in force."""
    return session.scalar(
        select(t.Edition.number)
        .join(t.InForce, t.InForce.edition_id == t.Edition.id)
        .where(t.InForce.network_id == network_id)
    )


def edition_row(session: Session, network_id: int, number: int) -> t.Edition:
    """The record of an edition. Raises `NotFound`."""
    row = session.scalar(
        select(t.Edition).where(t.Edition.network_id == network_id, t.Edition.number == number)
    )
    if row is None:
        raise NotFound(f"there is no edition {number}")
    return row


def edition(session: Session, network_id: int, number: int) -> Version:
    """An edition as a version. Raises `NotFound`, `editions.Damaged`."""
    return rooted(session, network_id, edition_row(session, network_id, number).root, f"edition {number}")


def rooted(session: Session, network_id: int, root: bytes, name: str) -> Version:
    """What was kept under a root, as a version. Raises `editions.Damaged`."""
    found = _ROOTS.get((network_id, root))
    if found is None or found.loaded.day != today(ZoneInfo(found.network.time_zone)):
        kept = editions.read(session, root)
        loaded = bare(network_id, kept.network)
        found = Version(name, (network_id, root.hex(), loaded.day), loaded, kept.rule_ids)
        _ROOTS[network_id, root] = found
        for oldest in list(_ROOTS)[:-KEEP]:
            _ROOTS.pop(oldest, None)
    return replace(found, name=name)


KEEP = 8
_ROOTS: dict[tuple[int, bytes], Version] = {}
"""What was read last; under one root there is always the same."""


def bare(network_id: int, network: Network) -> Loaded:
    """A network without its records, for questions."""
    return Loaded(Stored(network_id, -1, network, {}, {}, {}, {}), today(ZoneInfo(network.time_zone)))


def of_draft(loaded: Loaded, name: str = DRAFT) -> Version:
    """A network with its records as a version."""
    stored = loaded.stored
    ids = {p.name: loaded.rule_ids(stored.policy_id(p.name)) for p in stored.network.policies}
    return Version(name, (stored.id, f"change {stored.revision}", loaded.day), loaded, ids)


def _moment(name: str) -> datetime:
    try:
        at = datetime.fromisoformat(name.upper())
    except ValueError:
        message = "a version is `draft`, `in force`, `edition 12`, `change 345`, or a moment such as `2026-11-23T18:00Z`"
        raise Refused([Problem(("version",), message)]) from None
    return (at if at.tzinfo else at.replace(tzinfo=UTC)).astimezone(UTC).replace(tzinfo=None)


def _revision_at(session: Session, network_id: int, at: datetime) -> int:
    """The last change up to a moment. A moment told to the second or minute means all of that millisecond on."""
    own = select(func.max(t.Change.revision)).where(t.Change.network_id == network_id)
    return session.scalar(own.where(t.Change.at < at + timedelta(milliseconds=1))) or 0
