"""Whether the network is as it should be, at a glance: what the list of what must hold does not tell itself."""

from __future__ import annotations

from datetime import timedelta
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.formats.matrices import services_of
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.editions.standing import held_in_force, unspoken
from sarvex.service.editions.trials import seen_otherwise

FEW, FEW_SERVICES = 6, 3
SOON = timedelta(days=14)
router = APIRouter(prefix="/api/networks/{network_id}", tags=["standing"])


class ManagedOut(BaseModel):
    """A device, and the segments whose hosts reach a service that it is managed by."""

    device: str
    segments: list[str]


class DeepOut(BaseModel):
    """What works from a segment to a deeper one, and nothing says that it must."""

    source: str
    destination: str
    services: list[str]
    more: int


class OtherwiseOut(BaseModel):
    """A packet that somebody saw fare otherwise than it was told to."""

    packet: str
    about: str
    worked: bool
    person: str


class EndingOut(BaseModel):
    """A rule that is there for a while, and ends soon or has ended."""

    policy_id: int
    policy: str
    rule_id: int
    ver: int
    rule: str
    owner: str
    until: str
    ended: bool


class StandingOut(BaseModel):
    """Who manages devices, what reaches deep unsaid, and what held in the version in force."""

    revision: int
    large: bool
    """Whether the network is too large for who reaches whom at a glance; then neither of the first two is told."""
    managed: list[ManagedOut]
    deep: list[DeepOut]
    """The deepest of them; `more` pairs besides."""
    more: int
    in_force: dict[str, Literal["kept", "broken", "undetermined", "empty", "ended", "other time"]] | None
    """By the names of what must hold there; null while nothing is in force."""
    otherwise: list[OtherwiseOut]
    """What was tried of what is in force, or of the draft while nothing is, and was seen to be otherwise."""
    ending: list[EndingOut]
    """Rules that end within a fortnight, or have ended, the first first."""


@router.get("/standing", dependencies=LONG)
def get_standing(network_id: int, session: Transaction, cache: Cached) -> StandingOut:
    """What a glance at the draft needs beside what must hold."""
    loaded = cache.open(session, network_id)
    found = unspoken(loaded)
    deep = found.deep if found else ()
    told = [(one, services_of(one.packets, loaded.names)) for one in deep[:FEW]]
    return StandingOut(
        revision=loaded.stored.revision,
        large=found is None,
        managed=[ManagedOut(device=m.device.name, segments=[s.name for s in m.segments]) for m in (found.managed if found else ())],
        deep=[
            DeepOut(source=one.source.name, destination=one.destination.name, services=words[:FEW_SERVICES], more=max(0, len(words) - FEW_SERVICES))
            for one, words in told
        ],
        more=max(0, len(deep) - FEW),
        in_force=held_in_force(session, network_id),
        otherwise=[
            OtherwiseOut(packet=s.packet, about=s.about, worked=s.worked, person=s.person)
            for s in seen_otherwise(session, network_id)
        ],
        ending=endings(loaded),
    )  # fmt: skip


def endings(loaded: Loaded) -> list[EndingOut]:
    """The rules that end by the end of a fortnight from today, or have ended."""
    today, last = loaded.day.isoformat(), (loaded.day + SOON).isoformat()
    stored = loaded.stored
    found = [
        EndingOut(
            policy_id=stored.policy_id(policy.name), policy=policy.name, rule_id=key.id, ver=key.ver, rule=rule.name,
            owner=rule.owner, until=rule.until, ended=rule.until < today,
        )
        for policy in loaded.network.policies
        for rule, key in zip(policy.rules, stored.rules.get(stored.policy_id(policy.name), ()), strict=True)
        if rule.enabled and rule.until and rule.until <= last
    ]  # fmt: skip
    return sorted(found, key=lambda one: one.until)
