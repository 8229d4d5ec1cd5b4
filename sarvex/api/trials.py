"""The try-it sheet: what to try in the network itself, what must be seen there, and what was."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from sarvex.api.access import LONG, Cached, Editor, Transaction
from sarvex.api.networks import StepOut, step_out
from sarvex.api.shapes import Strict
from sarvex.core.reach.trials import Trial, Trials
from sarvex.formats.expectations import sentence
from sarvex.formats.trials import line
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.editions import trials
from sarvex.service.editions.versions import Version, in_force

router = APIRouter(prefix="/api/networks/{network_id}/trials", tags=["trials"])


class SeenOut(BaseModel):
    """What somebody saw; `edition`: what was in force then."""

    packet: str
    about: str
    worked: bool
    otherwise: bool
    """Whether the packet was told to fare otherwise."""
    note: str
    person: str
    at: datetime
    edition: int | None


class TrialOut(BaseModel):
    """A packet to try, and what must be seen."""

    packet: str
    """The same for the same trial: what is seen is kept by it."""
    source: str
    source_address: str
    destination: str
    destination_address: str
    service: str
    when: str
    """The moment at which it must be tried; empty for any."""
    works: bool | None
    """Whether it will be answered; null where nobody knows, or its ways differ."""
    as_it_must: bool | None
    seen: list[str]
    counted: list[StepOut]
    """What decides it, and counts it."""


class TriedOut(BaseModel):
    """What to try of one thing that must hold."""

    name: str
    sentence: str
    must: Literal["allowed", "blocked"]
    trials: list[TrialOut]
    more: int
    why: str


class SheetOut(BaseModel):
    """What to try of a version, and what was seen last of each packet, be it on the sheet or not."""

    version: str
    in_force: int | None
    expectations: list[TriedOut]
    seen: list[SeenOut]


class See(Strict):
    """What was seen of a packet; `worked` null takes back what was said before."""

    packet: str = Field(max_length=trials.MOST_PACKET)
    about: str = Field(max_length=trials.MOST_ABOUT)
    worked: bool | None
    told: bool | None
    note: str = Field(default="", max_length=trials.MOST_NOTE)


@router.get("", dependencies=LONG)
def get_trials(network_id: int, session: Transaction, cache: Cached, version: str = "") -> SheetOut:
    """What to try: of the version in force unless another is named, or of the draft while nothing is in force."""
    draft = cache.open(session, network_id)
    sheet = trials.sheet(session, cache, network_id, version)
    return SheetOut(
        version=sheet.version.name,
        in_force=in_force(session, network_id),
        expectations=[_told(one, sheet.version, draft) for one in sheet.trials],
        seen=[SeenOut(**vars(one), otherwise=one.otherwise) for one in trials.seen(session, network_id)],
    )


@router.post("", status_code=204)
def see(network_id: int, body: See, session: Transaction, cache: Cached, person: Editor) -> None:
    """Keep what somebody saw who tried."""
    cache.open(session, network_id)
    trials.see(session, network_id, person.id, body.packet, body.about, body.worked, body.told, body.note)


def _told(one: Trials, version: Version, draft: Loaded) -> TriedOut:
    return TriedOut(
        name=one.expectation.name, sentence=sentence(one.expectation), must=one.expectation.must,
        trials=[_trial(trial, version, draft) for trial in one.trials], more=one.more, why=one.why,
    )  # fmt: skip


def _trial(trial: Trial, version: Version, draft: Loaded) -> TrialOut:
    told = line(trial, version.loaded.names)
    return TrialOut(
        packet=told.key, source=told.source, source_address=told.source_address, destination=told.destination,
        destination_address=told.destination_address, service=told.service, when=told.when, works=trial.works, as_it_must=trial.as_it_must,
        seen=list(told.seen), counted=[step_out(step, draft) for step in told.counted],
    )  # fmt: skip
