"""Searches that are kept by a name: one's own, and those that are shared with all who see the network."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field
from starlette.status import HTTP_204_NO_CONTENT

from sarvex.api.access import Person, Transaction
from sarvex.api.shapes import Strict
from sarvex.service.people import searches
from sarvex.service.people.roles import ROLES
from sarvex.service.people.searches import Place


class SearchOut(BaseModel):
    """A kept search; `mine` may be changed, and what is shared may be forgotten by whoever edits."""

    id: int
    place: Place
    name: str
    line: str
    shared: bool
    person: str
    mine: bool


class KeepSearch(Strict):
    """A line to keep. What one keeps by the same name at the same place is replaced."""

    place: Place
    name: str = Field(max_length=100)
    line: str = Field(max_length=500)
    shared: bool = False


class SearchKept(BaseModel):
    id: int


router = APIRouter(prefix="/api/networks/{network_id}/searches", tags=["searches"])


@router.get("")
def list_searches(network_id: int, session: Transaction, person: Person) -> list[SearchOut]:
    """Your kept searches in this network, and those that others share."""
    return [SearchOut(**vars(one)) for one in searches.listed(session, network_id, person.id)]


@router.post("", status_code=201)
def keep_search(network_id: int, body: KeepSearch, session: Transaction, person: Person) -> SearchKept:
    """Keep a search. Sharing it takes a role that edits."""
    if body.shared:
        person.may("editor")
    made = searches.keep(session, network_id, person.id, body.place, body.name, body.line, body.shared)
    return SearchKept(id=made)


@router.delete("/{search_id}", status_code=HTTP_204_NO_CONTENT)
def forget_search(network_id: int, search_id: int, session: Transaction, person: Person) -> None:
    """Forget a kept search: one of yours, or, for whoever edits, one that is shared."""
    edits = ROLES.index(person.role) >= ROLES.index("editor")
    searches.forget(session, network_id, person.id, search_id, edits)
