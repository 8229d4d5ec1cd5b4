"""Releases: what is in force, bringing an edition into force, and the way back; and the devices that follow."""

from __future__ import annotations

import asyncio
from typing import Annotated

from fastapi import APIRouter, Depends, Path, Query, Request
from fastapi.concurrency import run_in_threadpool

from sarvex.api import shapes, views
from sarvex.api.access import LONG, PROVED, Cached, Fresh, InTurn, Transaction, at_least
from sarvex.core.model.problems import Problem
from sarvex.service import audit
from sarvex.service.errors import Refused
from sarvex.service.people.accounts import Someone
from sarvex.service.releases import devices, releases
from sarvex.service.releases.drift import Drifts, Seen
from sarvex.service.releases.releases import Settings, Wanted
from sarvex.service.releases.secrets import NoSecret, read_for

router = APIRouter(prefix="/api/networks/{network_id}", tags=["releases"])
Number = Annotated[int, Path(ge=1)]
Releaser = Annotated[Someone, Depends(at_least("releaser"))]
Administrator = Annotated[Someone, Depends(at_least("administrator"))]


@router.get("/releases")
def get_releases(network_id: int, session: Transaction, cache: Cached) -> shapes.ReleasesOut:
    """What is in force, all releases, newest first, and what a release needs."""
    loaded = cache.open(session, network_id)
    now = releases.standing(session, cache, network_id)
    return shapes.ReleasesOut(
        in_force=now.edition,
        ahead=now.ahead,
        devices=now.devices,
        reached=now.reached,
        revision=loaded.stored.revision,
        now=audit.now(),
        settings=views.settings(releases.settings(session, network_id)),
        releases=[views.release(r) for r in releases.listing(session, network_id)],
    )


@router.put("/releases/settings", dependencies=PROVED)
def change_settings(
    network_id: int, body: shapes.SettingsIn, session: Fresh, cache: Cached, person: Administrator
) -> shapes.SettingsOut:
    """Say what releases of this network need."""
    wanted = Settings(body.reviewers, body.confirm_minutes, tuple(body.managed_from), body.second_factor)
    releases.change_settings(session, cache, network_id, person.id, wanted)
    return views.settings(wanted)


@router.get("/releases/prospect", dependencies=LONG)
def get_prospect(
    network_id: int,
    request: Request,
    session: Transaction,
    cache: Cached,
    number: Annotated[int | None, Query(ge=1, description="An edition; left out: the draft.")] = None,
) -> shapes.ProspectOut:
    """What a release would do now, and what stands against it."""
    loaded = cache.open(session, network_id)
    return views.prospect(loaded, releases.prospect(session, cache, network_id, number, _client(request)))


@router.post("/releases", status_code=201, dependencies=PROVED)
def make_release(
    network_id: int,
    body: shapes.MakeRelease,
    request: Request,
    session: Fresh,
    cache: Cached,
    person: Releaser,
) -> shapes.ReleaseMade:
    """Bring an edition, or the draft as the next edition, into force: now, or at a moment to come."""
    wanted = Wanted(
        body.number, body.revision, body.reason, body.reference, body.due_at, body.confirm_minutes, body.answers,
        _client(request),
    )  # fmt: skip
    # Worked out once before the network is locked: the lock then waits for nothing long.
    with request.app.state.sessions() as first:
        releases.prospect(first, cache, network_id, body.number, _client(request))
    number = releases.release(session, cache, network_id, person.id, wanted, body.request_key)
    return shapes.ReleaseMade(number=number)


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
def get_links(network_id: int, session: Transaction) -> list[shapes.LinkOut]:
    """The devices that take their configuration from here."""
    return [shapes.LinkOut(**vars(link)) for link in devices.links(session, network_id)]


@router.put("/links/{device_id}", status_code=204, dependencies=PROVED)
def link_device(
    network_id: int,
    device_id: int,
    body: shapes.LinkIn,
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
def get_drift(
    network_id: int, device_id: int, request: Request, session: Transaction
) -> shapes.DriftOut | None:
    """How what a device had differed from what is in force, when somebody asked it last; null if nobody did."""
    device = devices.named(session, network_id, device_id)
    return _drift(request.app.state.drifts.last(network_id, device))


@router.post("/links/{device_id}/drift")
async def ask_device(
    network_id: int, device_id: int, request: Request, session: Transaction, mine: InTurn, _: Releaser
) -> shapes.DriftOut | None:
    """Ask a device what it has. No place and no transaction is held meanwhile."""
    device = await run_in_threadpool(devices.named, session, network_id, device_id)
    await run_in_threadpool(session.rollback)
    mine.leave()
    drifts: Drifts = request.app.state.drifts
    seen = await asyncio.wrap_future(drifts.ask(network_id, device))
    return _drift(seen)


def _drift(seen: Seen | None) -> shapes.DriftOut | None:
    if seen is None:
        return None
    told = [shapes.DeviceDifference(**vars(d)) for d in seen.differences]
    return shapes.DriftOut(at=seen.at, edition=seen.edition, differences=told, failed=seen.failed)


def _client(request: Request) -> str:
    return request.client.host if request.client else ""
