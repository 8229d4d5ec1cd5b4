"""What the draft would lock out, told as findings long before a release."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy.orm import Session

from sarvex.core.findings.finding import Finding, facts
from sarvex.core.meaning.names import NameCycle, UnknownName
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.editions.versions import edition, in_force
from sarvex.service.releases.guards import LockOuts
from sarvex.store import tables as t


def draft_lock_outs(session: Session, network_id: int, loaded: Loaded) -> Iterator[Finding]:
    """The devices that a place devices are managed from reaches as they are in force, and would not as the draft has them.

    A place that the draft knows no more is told by the release.
    """
    number = in_force(session, network_id)
    places = session.get_one(t.Network, network_id).managed_from
    if number is None or not places:
        return
    lock_outs = LockOuts(edition(session, network_id, number).network, loaded.network)
    for place in dict.fromkeys(places):
        try:
            for device, flow in lock_outs.of(place):
                known = facts(place=place, sample=str(flow))
                yield Finding("lock-out", "error", None, None, name=device.name, facts=known)
        except (UnknownName, NameCycle):
            continue
