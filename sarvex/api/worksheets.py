"""What is to be typed into a device by hand, and whether what it then tells is that."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.shapes import Strict
from sarvex.core.firstmatch import read_back as core
from sarvex.core.firstmatch.read_back import Line, Wanted
from sarvex.core.model.records import Action, Device
from sarvex.formats import read_back, worksheets
from sarvex.formats.read_back import Column, Read
from sarvex.formats.worksheets import Change, ListSheet
from sarvex.service.analysis.questions import in_time, policy_named
from sarvex.service.editions.versions import IN_FORCE, in_force, version
from sarvex.service.errors import NotFound, TooMuch

router = APIRouter(prefix="/api/networks/{network_id}", tags=["worksheets"])
MOST_TEXT = 1_000_000
SECONDS = 8.0
TOO_LONG = (
    "to compare so many lines takes longer than there is time here; run sarvex read-back on the document"
)


class PlainOut(BaseModel):
    source: str
    destination: str
    service: str


class EntryOut(BaseModel):
    """See `sarvex.formats.worksheets.Entry`."""

    position: int
    name: str
    action: Action
    words: str
    besides: list[str]
    change: Change
    lines: list[PlainOut]


class ListSheetOut(BaseModel):
    policy_id: int
    policy: str
    places: list[str]
    entries: list[EntryOut]
    gone: list[str]
    """Rules that are in force and no longer wanted."""


class WorksheetOut(BaseModel):
    """`in_force`: the edition against which changes are told."""

    device: str
    in_force: int | None
    lists: list[ListSheetOut]


class Pasted(Strict):
    """A list as the device tells it; `columns`: what they are, if they were not recognised rightly."""

    text: str = Field(max_length=MOST_TEXT)
    columns: list[Column] | None = Field(default=None, max_length=100)


class TypedLineOut(PlainOut):
    action: Action


class ReadOut(BaseModel):
    """A line of the text. kind: *right*, *wrong* in some fields of what it should be, *elsewhere* in the list, *strange*: to be taken
    out, or *unread*."""

    number: int
    text: str
    kind: Literal["right", "wrong", "elsewhere", "strange", "unread"]
    problem: str
    rule: str | None
    fields: list[str]
    told: TypedLineOut | None
    should: TypedLineOut | None


class MissingOut(BaseModel):
    rule: str
    line: TypedLineOut


class ReadBackOut(BaseModel):
    """`same`: whether the device's list is the one that should be there. `default_told`: whether a line says the default."""

    columns: list[Column]
    family: Literal[4, 6] | None
    notes: list[str]
    reads: list[ReadOut]
    missing: list[MissingOut]
    same: bool
    default_told: bool
    default: str
    not_compared: int
    """Lines that the rules have of the family that the text has no address of."""


@router.get("/devices/{device_id}/worksheet", dependencies=LONG)
def get_worksheet(network_id: int, device_id: int, session: Transaction, cache: Cached) -> WorksheetOut:
    """The lists of a device in order, with what changed against what is in force."""
    loaded = cache.open(session, network_id)
    _, device, _ = loaded.stored.record_of(device_id) or ("", None, 0)
    if not isinstance(device, Device):
        raise NotFound("there is no such device")
    number = in_force(session, network_id)
    old = version(session, cache, network_id, IN_FORCE).loaded if number is not None else None
    lists = worksheets.worksheet(
        device, loaded.network, loaded.names, (old.network, old.names) if old else None
    )
    return WorksheetOut(
        device=device.name, in_force=number,
        lists=[_list(one, loaded.stored.thing_id("policy", one.policy)) for one in lists],
    )  # fmt: skip


def _list(one: ListSheet, policy_id: int) -> ListSheetOut:
    entries = [
        EntryOut(**(vars(e) | {"lines": [PlainOut(**vars(line)) for line in e.lines]})) for e in one.entries
    ]
    return ListSheetOut(
        policy_id=policy_id, policy=one.policy, places=list(one.places), entries=entries, gone=list(one.gone)
    )


@router.post("/policies/{policy_id}/read-back", dependencies=LONG)
def read_it_back(
    network_id: int, policy_id: int, body: Pasted, session: Transaction, cache: Cached
) -> ReadBackOut:
    """What a device tells of a list against what should be there, entry by entry. Changes nothing."""
    loaded = cache.open(session, network_id)
    policy = policy_named(loaded, policy_id)
    pasted = read_back.read(body.text, loaded.names, body.columns)
    should = core.wanted(policy, loaded.names, pasted.family)
    try:
        told = core.compare(
            should, [one.line for one in pasted.reads if one.line], pasted.family, in_time(SECONDS)
        )
    except core.TooLong:
        raise TooMuch(TOO_LONG) from None
    entries = iter(told.entries)
    reads = [_read(one, next(entries) if one.line else None, should) for one in pasted.reads]
    return ReadBackOut(
        columns=list(pasted.columns), family=pasted.family, notes=list(pasted.notes), reads=reads,  # type: ignore[arg-type]
        missing=[MissingOut(rule=worksheets.called(should[i]), line=_line(line)) for i, line in told.missing],
        same=told.same and not any(one.problem for one in pasted.reads),
        default_told=told.default_there, default=policy.default,
        not_compared=worksheets.not_compared(policy, loaded.names, pasted.family),
    )  # fmt: skip


def _read(one: Read, judged: core.Judged | None, should: list[Wanted]) -> ReadOut:
    rule = should[judged.rule] if judged and judged.rule is not None else None
    return ReadOut(
        number=one.number, text=one.text, kind=judged.kind if judged else "unread", problem=one.problem,
        rule=worksheets.called(rule) if rule else None, fields=list(judged.fields) if judged else [],
        told=_line(one.line) if one.line else None, should=_line(judged.should) if judged and judged.should else None,
    )  # fmt: skip


def _line(line: Line) -> TypedLineOut:
    return TypedLineOut(**{str(k): v for k, v in line.told.items()})  # type: ignore[arg-type]
