"""What somebody may: a role everywhere, and another one in some networks.

An administrator is one everywhere. Who is *none* in a network does not see that it is there; who is *none* everywhere sees only networks
in which they were given a role.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, cast

from sqlalchemy import ColumnElement, and_, bindparam, delete, select
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.service import audit
from sarvex.service.errors import NotFound, Refused
from sarvex.store import tables as t

Role = Literal["none", "viewer", "editor", "releaser", "administrator"]
ROLES: tuple[Role, ...] = ("none", "viewer", "editor", "releaser", "administrator")


def held(everywhere: str, here: str | None) -> Role:
    """The role in a network, by the one everywhere and the one that was given there, if any."""
    return cast(Role, everywhere if here is None or everywhere == "administrator" else here)


def lesser(a: str, b: str) -> Role:
    """The role that may less."""
    return ROLES[min(ROLES.index(cast(Role, one)) for one in (a, b))]


def here() -> ColumnElement[bool]:
    """Joins to a person the role in the network of a statement's parameter `network_id`."""
    return and_(t.NetworkRole.person_id == t.Person.id, t.NetworkRole.network_id == bindparam("network_id"))


def given(session: Session) -> dict[int, dict[int, Role]]:
    """By person and network, the roles that were given in networks."""
    found: dict[int, dict[int, Role]] = {}
    for row in session.scalars(select(t.NetworkRole)):
        found.setdefault(row.person_id, {})[row.network_id] = cast(Role, row.role)
    return found


def given_to(session: Session, person_id: int) -> dict[int, Role]:
    """By network, the roles that somebody was given in networks."""
    rows = select(t.NetworkRole).where(t.NetworkRole.person_id == person_id)
    return {row.network_id: cast(Role, row.role) for row in session.scalars(rows)}


def in_networks(session: Session, person_id: int) -> Callable[[int], Role]:
    """What somebody may in each network."""
    everywhere = session.get_one(t.Person, person_id).role
    own = given_to(session, person_id)
    return lambda network_id: held(everywhere, own.get(network_id))


def give(session: Session, person_id: int, network_id: int, role: Role | None, by: int) -> None:
    """Give somebody a role in one network; None: the one that they have everywhere. Raises `NotFound`, `Refused`."""
    person = session.get(t.Person, person_id, with_for_update=True)
    network = session.get(t.Network, network_id)
    if person is None or network is None:
        raise NotFound("there is no such person" if person is None else "there is no such network")
    if role == "administrator":
        raise Refused([Problem(("role",), "whoever administers does so everywhere")])
    key = {"person_id": person_id, "network_id": network_id}
    row = session.get(t.NetworkRole, key)
    before = row.role if row else None
    if before == role:
        return
    if role is None:
        session.execute(delete(t.NetworkRole).filter_by(**key))
    elif row:
        row.role = role
    else:
        session.add(t.NetworkRole(**key, role=role))
    told = {"network": network.name, "before": before, "after": role}
    audit.note(session, by, "role in a network", person.login, network_id=network_id, detail=told)
