"""What all of the API shares. Concepts of the model are the core's own records."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Generic, TypeVar

from fastapi import Query
from pydantic import AfterValidator, BaseModel, ConfigDict

from sarvex.core.model.problems import Problem


def _utc(moment: datetime) -> datetime:
    """The records keep moments in UTC and without saying so."""
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment


Moment = Annotated[datetime, AfterValidator(_utc)]


Sought = Annotated[str, Query(max_length=300)]
"""A part of a line that something is looked for with."""


class Strict(BaseModel):
    """Input: keys it does not know are refused."""

    model_config = ConfigDict(extra="forbid")


T = TypeVar("T")


class ThingDone(BaseModel):
    revision: int
    id: int | None


class Held(BaseModel, Generic[T]):
    """A thing with its identity and version."""

    id: int
    ver: int
    thing: T


class ProblemOut(BaseModel):
    path: list[str | int]
    place: str
    message: str


def problem_out(p: Problem) -> ProblemOut:
    path = [step[1:] if isinstance(step, str) and step.startswith("=") else step for step in p.path]
    return ProblemOut(path=path, place=p.place, message=p.message)
