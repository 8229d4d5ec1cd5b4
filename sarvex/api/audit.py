"""Who did what when: of one network for everybody who may see it, of everything for administrators."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel
from starlette.responses import StreamingResponse

from sarvex.api.access import Cached, Transaction, at_least
from sarvex.api.history import Difference, _differences
from sarvex.api.shapes import Moment
from sarvex.service import audit


class AuditOut(BaseModel):
    """One entry: who did what when. `rows` tell what a change did to each row."""

    id: int
    at: Moment
    network_id: int | None
    person: str
    act: str
    about: str
    detail: dict[str, Any]
    rows: list[AuditRow]
    digest: str


class AuditRow(BaseModel):
    kind: str
    name: str
    differences: list[Difference]


class AuditCheck(BaseModel):
    """Whether the chain holds; `broken` is the first entry that does not."""

    entries: int
    head: str
    broken: int | None
    why: str


def audited_out(e: audit.Entry) -> AuditOut:
    rows = [
        AuditRow(
            kind=item["kind"],
            name=(item["after"] or item["before"] or {}).get("name", ""),
            differences=_differences(item["before"] or {}, item["after"] or {}),
        )
        for item in e.items
    ]
    return AuditOut(
        id=e.id, at=e.at, network_id=e.network_id, person=e.person, act=e.act, about=e.about, detail=e.detail,
        rows=rows, digest=e.digest,
    )  # fmt: skip


router = APIRouter(tags=["audit"])
# Whatever is added here is for administrators.
whole = APIRouter(prefix="/api/audit", tags=["audit"], dependencies=[Depends(at_least("administrator"))])
Words = Annotated[
    str, Query(max_length=200, description="Words of the person, the act or its subject; all must be there.")
]
Before = Annotated[int | None, Query(ge=1, description="Only entries before this one.")]


@router.get("/api/networks/{network_id}/audit")
def get_audit(
    network_id: int, session: Transaction, cache: Cached, q: Words = "", before: Before = None
) -> list[AuditOut]:
    """What was done to a network, newest first, some at a time."""
    cache.open(session, network_id)
    return [audited_out(e) for e in audit.search(session, network_id, q, before)]


@whole.get("")
def get_whole_audit(session: Transaction, q: Words = "", before: Before = None) -> list[AuditOut]:
    """Everything that was done, sign-ins too, newest first, some at a time."""
    return [audited_out(e) for e in audit.search(session, None, q, before)]


@whole.get("/check")
def check_audit(session: Transaction) -> AuditCheck:
    """Walk the whole chain of digests."""
    return AuditCheck(**vars(audit.verify(session)))


@whole.get("/lines")
def export_audit(request: Request) -> StreamingResponse:
    """All entries as JSON Lines, the first first."""

    def lines() -> Iterator[str]:
        with request.app.state.sessions() as session:
            for entry in audit.everything(session):
                yield json.dumps(audit.line(entry), ensure_ascii=False) + "\n"

    headers = {"Content-Disposition": 'attachment; filename="audit.jsonl"'}
    return StreamingResponse(lines(), media_type="application/jsonl", headers=headers)
