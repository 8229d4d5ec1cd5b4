"""Errors as problem details (RFC 9457): every refusal says what, where and how to mend it."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, InterfaceError, OperationalError
from starlette.exceptions import HTTPException

from sarvex.api.shapes import ProblemOut, problem_out
from sarvex.core.change.effect import Superseded
from sarvex.core.model.problems import MOST_PROBLEMS, few
from sarvex.core.model.problems import Problem as Found
from sarvex.formats.questions import InvalidQuestion
from sarvex.service.errors import (
    CodeNeeded,
    Conflict,
    NotAllowed,
    NotFound,
    PasswordGiven,
    ProofNeeded,
    Refused,
    SignInRefused,
    TooMuch,
)
from sarvex.store.editions import Damaged


class Problem(BaseModel):
    """An error as RFC 9457 has it, with our own members."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[ProblemOut] = []
    start: int | None = None
    end: int | None = None
    kind: str | None = None
    row_id: int | None = None


log = logging.getLogger("sarvex.api")
UNREADABLE = "The body cannot be read: it is no JSON in UTF-8, or it is nested too deeply."
AWAY = "The records do not answer just now. Try again in a moment: what was done already is not done twice."
TOO_MUCH = "too much to answer"
"""Kind of a refusal that says nothing about the question or its answer."""
TITLES = {
    400: "The request could not be read",
    401: "Sign in first",
    403: "Not allowed",
    404: "Not found",
    405: "Not a thing one can do here",
    408: "Too slow",
    409: "Somebody else's change came first",
    413: "Too large",
    422: "The input needs mending",
    429: "Too many tries",
    500: "Something went wrong here",
    503: "Not just now",
}
Handler = Callable[[Request, Any], JSONResponse]
OURS = {400: UNREADABLE}
"""Details of what the framework says in fewer words."""


def respond(status: int, detail: str, **more: Any) -> JSONResponse:
    """A problem document."""
    headers = more.pop("headers", None)
    body = Problem(
        type=f"/problems/{status}", title=TITLES.get(status, "Error"), status=status, detail=detail, **more
    )
    return JSONResponse(
        body.model_dump(exclude_none=True), status, headers=headers, media_type="application/problem+json"
    )


def _invalid(_: Request, error: RequestValidationError) -> JSONResponse:
    told = error.errors()
    found = [Found(tuple(e["loc"][1:]), _message(e)) for e in told[: MOST_PROBLEMS + 1]]
    problems = [problem_out(p) for p in few(found, len(told))]
    return respond(422, "; ".join(f"{p.place}: {p.message}" for p in problems), problems=problems)


def _damaged(_: Request, error: Damaged) -> JSONResponse:
    log.error("%s", error)
    return respond(500, f"{error}: the records were changed by other ways. Restore them from a backup.")


def _http(_: Request, error: HTTPException) -> JSONResponse:
    detail = OURS.get(error.status_code, str(error.detail))
    return respond(error.status_code, detail, headers=error.headers)


def _away(request: Request, error: DBAPIError) -> JSONResponse:
    log.warning("%s %s: the records do not answer: %s", request.method, request.url.path, error.orig)
    return respond(503, AWAY, headers={"Retry-After": "1"})


def _not_written(status: int, detail: str) -> Handler:
    def answer(_: Request, error: DBAPIError) -> JSONResponse:
        log.warning("not written: %s", error.orig)
        return respond(status, detail)

    return answer


ANSWERS: dict[type[Exception], Handler] = {
    Refused: lambda _, e: respond(422, str(e), problems=[problem_out(p) for p in e.problems]),
    InvalidQuestion: lambda _, e: respond(422, e.message, start=e.start, end=e.end),
    RequestValidationError: _invalid,
    TooMuch: lambda _, e: respond(422, str(e), kind=TOO_MUCH),
    Conflict: lambda _, e: respond(409, str(e), kind=e.kind, row_id=e.row_id),
    Superseded: lambda *_: respond(
        409, "A newer question of the same asker took its place.", kind="superseded"
    ),
    NotFound: lambda _, e: respond(404, str(e)),
    Damaged: _damaged,
    NotAllowed: lambda _, e: respond(403, str(e)),
    CodeNeeded: lambda _, e: respond(401, str(e), kind="code"),
    ProofNeeded: lambda _, e: respond(403, str(e), kind="proof"),
    PasswordGiven: lambda _, e: respond(403, str(e), kind="password"),
    SignInRefused: lambda _, e: respond(401, str(e)),
    HTTPException: _http,
    OperationalError: _away,
    InterfaceError: _away,
    DataError: _not_written(422, "Something in it is longer, or larger, than the records have room for."),
    IntegrityError: _not_written(
        409, "Somebody wrote the same at the same moment, or this request's key belongs to another."
    ),
}
"""What each error is answered with; the nearest base of an error's class counts."""


def install(app: FastAPI) -> None:
    """Make the app answer every error as a problem document."""
    for error, answer in ANSWERS.items():
        app.add_exception_handler(error, answer)


def unforeseen(scope: Any, error: Exception) -> JSONResponse:
    """The answer to what nobody thought of; the log has the rest."""
    number = scope["state"]["id"]
    log.error("%s %s failed", scope["method"], scope["path"], exc_info=error, extra={"request": number})
    return respond(500, f"The server's log has the details under {number}; nothing was changed.")


def _message(error: Any) -> str:
    if error["type"] == "extra_forbidden":
        return "no such key; check its spelling or remove it"
    text = str(error["msg"])
    return text[:1].lower() + text[1:]
