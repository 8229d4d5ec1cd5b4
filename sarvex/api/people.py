"""Who may sign in, for administrators."""

from __future__ import annotations

from fastapi import APIRouter, Depends
from starlette.status import HTTP_204_NO_CONTENT

from sarvex.api import shapes
from sarvex.api.access import PROVED, Person, Transaction, at_least
from sarvex.service.people import accounts, second_factor

# Whatever is added here is for administrators, too.
router = APIRouter(prefix="/api/people", tags=["people"], dependencies=[Depends(at_least("administrator"))])


@router.get("")
def list_people(session: Transaction) -> list[shapes.PersonOut]:
    """Everybody, by sign-in name."""
    return [shapes.PersonOut(**vars(a)) for a in accounts.accounts(session)]


@router.post("", status_code=201, dependencies=PROVED)
def add_person(body: shapes.AddPerson, session: Transaction, person: Person) -> list[shapes.PersonOut]:
    """Let somebody in."""
    accounts.add_person(session, body.login, body.name or body.login, body.role, body.password, person.id)
    return list_people(session)


@router.patch("/{person_id}", status_code=HTTP_204_NO_CONTENT, dependencies=PROVED)
def change_person(person_id: int, body: shapes.ChangePerson, session: Transaction, person: Person) -> None:
    """Change name or role, give a new password, close or open an account."""
    accounts.change_person(
        session, person_id, name=body.name, role=body.role, closed=body.closed, password=body.password,
        by=person.id,
    )  # fmt: skip
    if body.second_factor is False:
        second_factor.take_away(session, person_id, person.id)
