"""Who may sign in, for administrators."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field
from starlette.status import HTTP_204_NO_CONTENT

from sarvex.api.access import PROVED, Person, Transaction, at_least
from sarvex.api.shapes import Moment, Strict
from sarvex.service.people import accounts, roles, second_factor
from sarvex.service.people.roles import Role


class InNetwork(BaseModel):
    """A role in one network that is not the one everywhere."""

    network_id: int
    role: Role


class PersonOut(BaseModel):
    id: int
    login: str
    name: str
    role: Role
    closed: bool
    created_at: Moment
    seen_at: Moment | None
    sessions: int
    second_factor: bool
    given: bool
    """Whether the password was given by an administrator and is not changed yet."""
    networks: list[InNetwork]


class RoleIn(Strict):
    """null: the role that they have everywhere."""

    network_id: int
    role: Role | None


class AddPerson(Strict):
    login: str = Field(max_length=100)
    name: str = Field(default="", max_length=200)
    role: Role
    password: str = Field(max_length=1000)


class ChangePerson(Strict):
    """What is left out stays as it is."""

    name: str | None = Field(default=None, max_length=200)
    role: Role | None = None
    closed: bool | None = None
    password: str | None = Field(default=None, max_length=1000)
    second_factor: Literal[False] | None = None
    """`false` takes it away, from somebody who lost it."""


# Whatever is added here is for administrators, too.
router = APIRouter(prefix="/api/people", tags=["people"], dependencies=[Depends(at_least("administrator"))])


@router.get("")
def list_people(session: Transaction) -> list[PersonOut]:
    """Everybody, by sign-in name."""
    given = roles.given(session)
    return [
        PersonOut(
            **vars(a), networks=[InNetwork(network_id=n, role=r) for n, r in given.get(a.id, {}).items()]
        )
        for a in accounts.accounts(session)
    ]


@router.post("", status_code=201, dependencies=PROVED)
def add_person(body: AddPerson, session: Transaction, person: Person) -> list[PersonOut]:
    """Let somebody in."""
    accounts.add_person(session, body.login, body.name or body.login, body.role, body.password, person.id)
    return list_people(session)


@router.patch("/{person_id}", status_code=HTTP_204_NO_CONTENT, dependencies=PROVED)
def change_person(person_id: int, body: ChangePerson, session: Transaction, person: Person) -> None:
    """Change name or role, give a new password, close or open an account."""
    accounts.change_person(
        session, person_id, name=body.name, role=body.role, closed=body.closed, password=body.password,
        by=person.id,
    )  # fmt: skip
    if body.second_factor is False:
        second_factor.take_away(session, person_id, person.id)


@router.put("/{person_id}/role", status_code=HTTP_204_NO_CONTENT, dependencies=PROVED)
def give_role(person_id: int, body: RoleIn, session: Transaction, person: Person) -> None:
    """Give somebody another role in one network, or take it back."""
    roles.give(session, person_id, body.network_id, body.role, person.id)
