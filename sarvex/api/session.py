"""Signing in and out. The two routes that are open without a session are here."""

from __future__ import annotations

import asyncio
from typing import Literal

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.status import HTTP_204_NO_CONTENT

from sarvex.api.access import COOKIE, Person, Proved, Throttle, Transaction
from sarvex.api.shapes import Moment, Strict
from sarvex.api.turnstile import STANDSTILL, Turnstile
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import fold
from sarvex.service import audit
from sarvex.service.errors import Refused, SignInRefused
from sarvex.service.people import accounts, roles, second_factor
from sarvex.service.people.accounts import Someone
from sarvex.service.people.roles import Role


class SignIn(Strict):
    login: str = Field(max_length=200)
    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=20)
    """Of the second factor, if there is one."""


class Proof(Strict):
    """One's own password once more."""

    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=20)


class SecondFactorOffered(BaseModel):
    """What an app needs to make codes. It is asked for once it was confirmed with one."""

    secret: str
    picture: str


class Code(Strict):
    code: str = Field(max_length=20)


class Health(BaseModel):
    """`waiting`: requests that wait for their turn; `longest_wait`: seconds for which the short one that came first has."""

    status: Literal["ok"]
    waiting: int
    longest_wait: float


class Me(BaseModel):
    login: str
    name: str
    role: Role
    csrf: str
    second_factor: bool
    given: bool
    """Whether the password must be changed before anything else."""
    networks: dict[int, Role]
    """The role in each network where it is another one than everywhere."""
    token: str
    """The name of the token that speaks, if one does."""


class ChangePassword(Strict):
    old: str = Field(max_length=1000)
    new: str = Field(max_length=1000)


class SessionOut(BaseModel):
    """An open session; `handle` names it, `own` is the one that asks."""

    handle: str
    created_at: Moment
    seen_at: Moment | None
    client: str
    own: bool


open_router = APIRouter(prefix="/api", tags=["session"])
router = APIRouter(prefix="/api", tags=["session"])


def _me(session: Session, person: Someone) -> Me:
    return Me(
        networks=roles.given_to(session, person.id), token=person.token,
        login=person.login, name=person.name, role=person.role, csrf=person.csrf,
        second_factor=person.second_factor, given=person.given,
    )  # fmt: skip


def _client(request: Request) -> str:
    return request.client.host if request.client else "unknown"


def _throttled(request: Request, client: str, login: str) -> None:
    """Refuse a try after too many that failed; that it was not made is written down, too."""
    throttle: Throttle = request.app.state.throttle
    if throttle.check(client, login):
        return
    if throttle.worth_telling(client, login):
        with request.app.state.sessions.begin() as own:
            audit.note(own, client, "sign-in not tried", fold(login), detail={"why": "too many tries failed"})
    raise HTTPException(429, "Too many tries failed; wait a minute.", headers={"Retry-After": "60"})


@open_router.post("/session")
def sign_in(body: SignIn, request: Request, response: Response, session: Transaction) -> Me:
    """Sign in with name and password; sets the session cookie."""
    client = _client(request)
    _throttled(request, client, body.login)
    browser = request.headers.get("User-Agent", "")
    try:
        token, person = accounts.sign_in(session, body.login, body.password, browser, body.code)
    except SignInRefused:
        request.app.state.throttle.failed(client, body.login)
        session.rollback()  # the try itself is kept, in a transaction of its own
        with request.app.state.sessions.begin() as own:
            audit.note(own, client, "sign-in refused", fold(body.login), detail={"client": browser[:300]})
        raise
    response.set_cookie(
        COOKIE, token, max_age=int(accounts.LASTS.total_seconds()), path="/api",
        httponly=True, samesite="strict", secure=request.url.scheme == "https",
    )  # fmt: skip
    return _me(session, person)


@open_router.get("/health")
async def health(request: Request) -> Health:
    """Whether the server and its records answer, and how long those wait who ask for something short. It takes no turn."""
    stile: Turnstile = request.app.state.turnstile
    if stile.longest > STANDSTILL:
        raise HTTPException(503, f"Requests have been waiting for {stile.longest:.0f} seconds.")

    def records() -> None:
        with request.app.state.sessions() as session:
            session.connection()

    try:
        await asyncio.wait_for(run_in_threadpool(records), STANDSTILL)
    except TimeoutError:
        raise HTTPException(503, "The records do not answer just now.", {"Retry-After": "1"}) from None
    return Health(status="ok", waiting=stile.waiting, longest_wait=round(stile.longest, 2))


@router.get("/session")
def who_am_i(person: Person, session: Transaction) -> Me:
    """The person signed in."""
    return _me(session, person)


@router.delete("/session", status_code=HTTP_204_NO_CONTENT)
def sign_out(request: Request, response: Response, _: Person, session: Transaction) -> None:
    """Close the session."""
    accounts.sign_out(session, request.cookies.get(COOKIE, ""))
    response.delete_cookie(COOKIE, path="/api")


@router.put("/session/password", status_code=HTTP_204_NO_CONTENT)
def change_password(body: ChangePassword, request: Request, person: Person, session: Transaction) -> None:
    """Change your own password; your other sessions end."""
    client = _client(request)
    _throttled(request, client, person.login)
    try:
        accounts.change_password(session, person, request.cookies.get(COOKIE, ""), body.old, body.new)
    except Refused as error:
        if any(p.path == ("old",) for p in error.problems):
            request.app.state.throttle.failed(client, person.login)
        raise


@router.post("/session/proof", status_code=HTTP_204_NO_CONTENT)
def prove(body: Proof, request: Request, person: Person, session: Transaction) -> None:
    """Give your password once more, for what an open session alone may not do."""
    client = _client(request)
    _throttled(request, client, person.login)
    try:
        accounts.prove(session, person, request.cookies.get(COOKIE, ""), body.password, body.code)
    except SignInRefused as error:
        request.app.state.throttle.failed(client, person.login)
        raise Refused([Problem(("password",), str(error))]) from None


@router.post("/session/second-factor")
def offer_second_factor(session: Transaction, person: Proved) -> SecondFactorOffered:
    """A new second factor, which counts once it was confirmed."""
    secret, picture = second_factor.offer(session, person.id)
    return SecondFactorOffered(secret=secret, picture=picture)


@router.put("/session/second-factor", status_code=HTTP_204_NO_CONTENT)
def confirm_second_factor(body: Code, session: Transaction, person: Proved) -> None:
    """Confirm it with a code; from now on it is asked for."""
    second_factor.confirm(session, person.id, body.code)


@router.delete("/session/second-factor", status_code=HTTP_204_NO_CONTENT)
def take_second_factor_away(session: Transaction, person: Proved) -> None:
    """Have none any more."""
    second_factor.take_away(session, person.id, person.id)


@router.get("/session/all")
def my_sessions(request: Request, person: Person, session: Transaction) -> list[SessionOut]:
    """Your open sessions, the newest first."""
    found = accounts.open_sessions(session, person.id, request.cookies.get(COOKIE, ""))
    return [SessionOut(**vars(s)) for s in found]


@router.delete("/session/all/{handle}", status_code=HTTP_204_NO_CONTENT)
def end_session(handle: str, person: Person, session: Transaction) -> None:
    """End one of your sessions."""
    accounts.end_session(session, person.id, handle)
