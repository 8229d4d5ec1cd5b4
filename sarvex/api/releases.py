"""Releases: what is in force, bringing an edition into force, and the way back; and the devices that follow."""

from __future__ import annotations

import asyncio
from functools import partial
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Path, Query, Request
from fastapi.concurrency import run_in_threadpool
from pydantic import AwareDatetime, BaseModel, Field

from sarvex.api.access import LONG, PROVED, Cached, Fresh, InTurn, Transaction, at_least
from sarvex.api.effects import ComparisonOut, comparison_out
from sarvex.api.shapes import Moment, Strict
from sarvex.core.model.problems import Problem
from sarvex.formats.document import InvalidDocument
from sarvex.formats.ground_read import ground_read
from sarvex.service import audit
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.errors import Refused
from sarvex.service.people.accounts import Someone
from sarvex.service.releases import devices, releases
from sarvex.service.releases.drift import SECONDS as DEVICE_SECONDS
from sarvex.service.releases.drift import Drifts, Seen
from sarvex.service.releases.release_worker import ReleaseWorker
from sarvex.service.releases.releases import Settings, Wanted
from sarvex.service.releases.restconf import DeviceFailed
from sarvex.service.releases.secrets import NoSecret, read_for


class GuardOut(BaseModel):
    """What stands against a release: it `stops` it, it `wants a reason`, or it is only told."""

    key: str
    weight: Literal["stops", "wants a reason", "told"]
    text: str


class ProspectOut(BaseModel):
    """What bringing a version into force would do, and what stands against it. Nothing is told if nothing is in force."""

    revision: int
    before: int | None
    guards: list[GuardOut]
    told: ComparisonOut | None


class SettingsIn(Strict):
    """What a network asks of its releases."""

    reviewers: int = Field(ge=0, le=2)
    confirm_minutes: int = Field(ge=0, le=1440)
    managed_from: list[Annotated[str, Field(min_length=1, max_length=200)]] = Field(max_length=20)
    second_factor: bool = False


class SettingsOut(BaseModel):
    reviewers: int
    confirm_minutes: int
    managed_from: list[str]
    second_factor: bool


class DeviceStateOut(BaseModel):
    device: str
    state: Literal["waiting", "done", "failed", "untouched"]
    detail: str
    tries: int
    at: Moment


class ReleaseOut(BaseModel):
    """One release as it stands."""

    number: int
    edition: int
    before: int | None
    state: Literal[
        "planned",
        "being sent",
        "stuck",
        "to be confirmed",
        "in force",
        "going back",
        "stuck going back",
        "gone back",
        "called off",
        "held up",
    ]
    reason: str
    reference: str
    answers: dict[str, str]
    person: str
    asked_at: Moment
    due_at: Moment
    began_at: Moment | None
    confirm_minutes: int
    confirm_by: Moment | None
    ended_at: Moment | None
    note: str
    devices: list[DeviceStateOut]


class ReleasesOut(BaseModel):
    """What is in force, what the releases were, and what they need. `now` is the server's clock."""

    in_force: int | None
    ahead: int
    """Edits of the draft since what is in force was kept, or since the beginning; 0 if nothing differs."""
    devices: int
    """So many follow what is in force, and so many are known to have it."""
    reached: int
    revision: int
    now: Moment
    settings: SettingsOut
    releases: list[ReleaseOut]


class MakeRelease(Strict):
    """Release an edition, or (null) the draft of a revision. `answers` are written reasons, by the guard's key."""

    number: int | None = Field(default=None, ge=1)
    revision: int
    reason: str = Field(max_length=4000)
    reference: str = Field(default="", max_length=200)
    due_at: AwareDatetime | None = None
    confirm_minutes: int | None = Field(default=None, ge=0, le=1440)
    answers: dict[Annotated[str, Field(max_length=600)], Annotated[str, Field(max_length=4000)]] = Field(
        default={}, max_length=200
    )
    request_key: str | None = Field(default=None, max_length=64)


class ReleaseMade(BaseModel):
    number: int


class LinkIn(Strict):
    """Where a device takes its configuration. The password is in a file of the server that `secret` names."""

    address: str = Field(max_length=500)
    login: str = Field(max_length=100)
    secret: str = Field(pattern=r"^[\w.-]{1,100}$")


class LinkOut(BaseModel):
    device_id: int
    device: str
    address: str
    login: str
    secret: str


class DeviceDifference(BaseModel):
    what: str
    how: str


class DriftOut(BaseModel):
    """What a device had beside what is in force, when it was asked. `failed`: why it could not be asked."""

    at: Moment
    edition: int | None
    differences: list[DeviceDifference]
    failed: str | None


def prospect_out(loaded: Loaded, told: releases.Prospect) -> ProspectOut:
    return ProspectOut(
        revision=loaded.stored.revision,
        before=told.before,
        guards=[GuardOut(**vars(g)) for g in told.guards],
        told=comparison_out(loaded, told.told) if told.told else None,
    )


def settings_out(told: releases.Settings) -> SettingsOut:
    return SettingsOut(**vars(told) | {"managed_from": list(told.managed_from)})


def release_out(told: releases.Release) -> ReleaseOut:
    devices = [DeviceStateOut(**vars(d)) for d in told.devices]
    return ReleaseOut(**vars(told) | {"devices": devices})


FEW_PROBLEMS = 4
router = APIRouter(prefix="/api/networks/{network_id}", tags=["releases"])
Number = Annotated[int, Path(ge=1)]
Releaser = Annotated[Someone, Depends(at_least("releaser"))]
Administrator = Annotated[Someone, Depends(at_least("administrator"))]


@router.get("/releases")
def get_releases(network_id: int, session: Transaction, cache: Cached) -> ReleasesOut:
    """What is in force, all releases, newest first, and what a release needs."""
    loaded = cache.open(session, network_id)
    now = releases.standing(session, cache, network_id)
    return ReleasesOut(
        in_force=now.edition,
        ahead=now.ahead,
        devices=now.devices,
        reached=now.reached,
        revision=loaded.stored.revision,
        now=audit.now(),
        settings=settings_out(releases.settings(session, network_id)),
        releases=[release_out(r) for r in releases.listing(session, network_id)],
    )


@router.put("/releases/settings", dependencies=PROVED)
def change_settings(
    network_id: int, body: SettingsIn, session: Fresh, cache: Cached, person: Administrator
) -> SettingsOut:
    """Say what releases of this network need."""
    wanted = Settings(body.reviewers, body.confirm_minutes, tuple(body.managed_from), body.second_factor)
    releases.change_settings(session, cache, network_id, person.id, wanted)
    return settings_out(wanted)


@router.get("/releases/prospect", dependencies=LONG)
def get_prospect(
    network_id: int,
    request: Request,
    session: Transaction,
    cache: Cached,
    number: Annotated[int | None, Query(ge=1, description="An edition; left out: the draft.")] = None,
) -> ProspectOut:
    """What a release would do now, and what stands against it."""
    loaded = cache.open(session, network_id)
    return prospect_out(loaded, releases.prospect(session, cache, network_id, number, _client(request)))


@router.post("/releases", status_code=201, dependencies=PROVED)
def make_release(
    network_id: int,
    body: MakeRelease,
    request: Request,
    session: Fresh,
    cache: Cached,
    person: Releaser,
) -> ReleaseMade:
    """Bring an edition, or the draft as the next edition, into force: now, or at a moment to come."""
    wanted = Wanted(
        body.number, body.revision, body.reason, body.reference, body.due_at, body.confirm_minutes, body.answers,
        _client(request),
    )  # fmt: skip
    # Worked out once before the network is locked: the lock then waits for nothing long.
    with request.app.state.sessions() as first:
        releases.prospect(first, cache, network_id, body.number, _client(request))
    number = releases.release(session, cache, network_id, person.id, wanted, body.request_key)
    return ReleaseMade(number=number)


@router.post("/releases/{number}/confirmation", status_code=204, dependencies=PROVED)
def confirm_release(network_id: int, number: Number, session: Fresh, person: Releaser) -> None:
    """It works as meant: it stays in force."""
    releases.confirm(session, network_id, person.id, number)


@router.post("/releases/{number}/way-back", status_code=204)
def take_release_back(network_id: int, number: Number, session: Fresh, person: Releaser) -> None:
    """Go back to what was in force before."""
    releases.take_back(session, network_id, person.id, number)


@router.post("/releases/{number}/retry", status_code=204)
def retry_release(network_id: int, number: Number, session: Fresh, person: Releaser) -> None:
    """Try the devices that failed again."""
    releases.retry(session, network_id, person.id, number)


@router.delete("/releases/{number}", status_code=204)
def call_release_off(network_id: int, number: Number, session: Fresh, person: Releaser) -> None:
    """Drop a planned release."""
    releases.call_off(session, network_id, person.id, number)


@router.get("/links")
def get_links(network_id: int, session: Transaction) -> list[LinkOut]:
    """The devices that take their configuration from here."""
    return [LinkOut(**vars(link)) for link in devices.links(session, network_id)]


@router.put("/links/{device_id}", status_code=204, dependencies=PROVED)
def link_device(
    network_id: int,
    device_id: int,
    body: LinkIn,
    request: Request,
    session: Fresh,
    person: Administrator,
) -> None:
    """Say where a device takes its configuration. Its password is sent nowhere else than its file says."""
    try:
        read_for(request.app.state.secrets, body.secret, body.address)
    except NoSecret as error:
        raise Refused([Problem(("secret",), str(error))]) from None
    devices.link(session, network_id, person.id, device_id, body.address, body.login, body.secret)


@router.delete("/links/{device_id}", status_code=204, dependencies=PROVED)
def unlink_device(network_id: int, device_id: int, session: Fresh, person: Administrator) -> None:
    """A device takes its configuration from here no longer."""
    devices.unlink(session, network_id, person.id, device_id)


@router.get("/links/{device_id}/drift")
def get_drift(network_id: int, device_id: int, request: Request, session: Transaction) -> DriftOut | None:
    """How what a device had differed from what is in force, when somebody asked it last; null if nobody did."""
    device = devices.named(session, network_id, device_id)
    return _drift(request.app.state.drifts.last(network_id, device))


@router.post("/links/{device_id}/drift")
async def ask_device(
    network_id: int, device_id: int, request: Request, session: Transaction, mine: InTurn, _: Releaser
) -> DriftOut | None:
    """Ask a device what it has. No place and no transaction is held meanwhile."""
    device = await run_in_threadpool(devices.named, session, network_id, device_id)
    await run_in_threadpool(session.rollback)
    mine.leave()
    drifts: Drifts = request.app.state.drifts
    seen = await asyncio.wrap_future(drifts.ask(network_id, device))
    return _drift(seen)


class GroundOtherwise(BaseModel):
    """One thing that a device tells otherwise. `wish`: what takes it over, for `settle`; empty where nothing can."""

    what: str
    wish: str


class GroundReadOut(BaseModel):
    """What a device tells of interfaces, routes and neighbours otherwise than the draft has it. `failed`: why it could not be asked."""

    differences: list[GroundOtherwise]
    notes: list[str]
    failed: str | None


@router.post("/links/{device_id}/ground")
async def read_ground(
    network_id: int,
    device_id: int,
    request: Request,
    session: Transaction,
    cache: Cached,
    mine: InTurn,
    _: Releaser,
) -> GroundReadOut:
    """Ask a device what it knows of the ground. Changes nothing; no place and no transaction is held meanwhile."""
    device = await run_in_threadpool(devices.named, session, network_id, device_id)
    loaded = await run_in_threadpool(cache.open, session, network_id)
    await run_in_threadpool(session.rollback)
    mine.leave()
    worker: ReleaseWorker = request.app.state.worker
    drifts: Drifts = request.app.state.drifts
    try:
        data = await asyncio.wrap_future(
            drifts.apart(partial(worker.tells, network_id, device, DEVICE_SECONDS))
        )
        told = await run_in_threadpool(ground_read, data, loaded.network, device)
    except DeviceFailed as error:
        return GroundReadOut(differences=[], notes=[], failed=str(error))
    except InvalidDocument as error:
        told_wrong = "; ".join(map(str, error.problems[:FEW_PROBLEMS]))
        return GroundReadOut(
            differences=[], notes=[], failed=f"what it tells is not understood: {told_wrong}"
        )
    found = [GroundOtherwise(what=one.what, wish=one.wish) for one in told.differences]
    return GroundReadOut(differences=found, notes=list(told.notes), failed=None)


def _drift(seen: Seen | None) -> DriftOut | None:
    if seen is None:
        return None
    told = [DeviceDifference(**vars(d)) for d in seen.differences]
    return DriftOut(at=seen.at, edition=seen.edition, differences=told, failed=seen.failed)


def _client(request: Request) -> str:
    return request.client.host if request.client else ""
