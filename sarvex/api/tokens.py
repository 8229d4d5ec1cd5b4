"""Tokens of one's own, for scripts; of all for administrators."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field
from starlette.status import HTTP_204_NO_CONTENT

from sarvex.api.access import PROVED, Person, Transaction
from sarvex.api.shapes import Moment, Strict
from sarvex.service.people import tokens
from sarvex.service.people.tokens import TokenRole


class TokenOut(BaseModel):
    """A token without itself. network: the only one it is for; null: all that its person sees."""

    id: int
    name: str
    login: str
    role: TokenRole
    network_id: int | None
    network: str | None
    created_at: Moment
    expires_at: Moment
    seen_at: Moment | None


class MakeToken(Strict):
    """`days`: after which it ends."""

    name: str = Field(max_length=200)
    role: TokenRole
    network_id: int | None = None
    days: int = 90


class TokenMade(BaseModel):
    """`token` is told here and never again."""

    id: int
    token: str


router = APIRouter(prefix="/api/tokens", tags=["tokens"])


@router.get("")
def list_tokens(session: Transaction, person: Person) -> list[TokenOut]:
    """Your tokens, those that have ended, too; as an administrator everybody's."""
    found = tokens.listing(session, None if person.role == "administrator" else person.id)
    return [TokenOut(**vars(one)) for one in found]


@router.post("", status_code=201, dependencies=PROVED)
def make_token(body: MakeToken, session: Transaction, person: Person) -> TokenMade:
    """A new token. It may never do more than you may at that moment."""
    token, made = tokens.make(session, person, body.name, body.role, body.network_id, body.days)
    return TokenMade(id=made, token=token)


@router.delete("/{token_id}", status_code=HTTP_204_NO_CONTENT)
def revoke_token(token_id: int, session: Transaction, person: Person) -> None:
    """End a token at once: one of yours, as an administrator any."""
    tokens.revoke(session, person, token_id)
