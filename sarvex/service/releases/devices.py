"""Where devices take their configuration."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.service import audit
from sarvex.service.errors import NotFound, Refused
from sarvex.service.releases import restconf
from sarvex.store import tables as t


@dataclass(frozen=True)
class Link:
    """One device that takes its configuration from here."""

    device_id: int
    device: str
    address: str
    login: str
    secret: str


def links(session: Session, network_id: int) -> list[Link]:
    """All of a network, in its devices' order."""
    rows = session.execute(
        select(t.DeviceLink, t.Thing.name)
        .join(t.Thing, t.Thing.id == t.DeviceLink.device_id)
        .where(t.Thing.network_id == network_id)
        .order_by(t.Thing.ord)
    )
    return [Link(r.device_id, name, r.address, r.login, r.secret) for r, name in rows]


def named(session: Session, network_id: int, device_id: int) -> str:
    """The name of a device. Raises `NotFound`."""
    row = session.get(t.Thing, device_id)
    if row is None or (row.network_id, row.kind) != (network_id, "device"):
        raise NotFound("there is no such device")
    return row.name


def link(
    session: Session,
    network_id: int,
    person_id: int | None,
    device_id: int,
    address: str,
    login: str,
    secret: str,
) -> None:
    """Say where a device takes its configuration. Raises `NotFound`, `Refused`."""
    name = named(session, network_id, device_id)
    wrong = restconf.check_address(address)
    if wrong:
        raise Refused([Problem(("address",), wrong)])
    row = session.get(t.DeviceLink, device_id, with_for_update=True)
    before = {"address": row.address, "login": row.login, "secret": row.secret} if row else None
    if row is None:
        row = t.DeviceLink(device_id=device_id)
        session.add(row)
    row.address, row.login, row.secret = address.rstrip("/"), login, secret
    told = {"before": before, "after": {"address": row.address, "login": login, "secret": secret}}
    audit.note(session, person_id, "link device", name, network_id=network_id, detail=told)


def unlink(session: Session, network_id: int, person_id: int | None, device_id: int) -> None:
    """A device takes its configuration from here no longer. Raises `NotFound`."""
    name = named(session, network_id, device_id)
    row = session.get(t.DeviceLink, device_id)
    if row is None:
        raise NotFound("this device is not linked")
    session.delete(row)
    audit.note(session, person_id, "unlink device", name, network_id=network_id)
