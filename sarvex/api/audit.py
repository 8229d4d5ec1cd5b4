"""Who did what when: of one network for everybody who may see it, of everything for administrators."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from starlette.responses import StreamingResponse

from sarvex.api import shapes, views
from sarvex.api.access import Cached, Transaction, at_least
from sarvex.service import audit

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
) -> list[shapes.AuditOut]:
    """What was done to a network, newest first, some at a time."""
    cache.open(session, network_id)
    return [views.audited(e) for e in audit.search(session, network_id, q, before)]


@whole.get("")
def get_whole_audit(session: Transaction, q: Words = "", before: Before = None) -> list[shapes.AuditOut]:
    """Everything that was done, sign-ins too, newest first, some at a time."""
    return [views.audited(e) for e in audit.search(session, None, q, before)]


@whole.get("/check")
def check_audit(session: Transaction) -> shapes.AuditCheck:
    """Walk the whole chain of digests."""
    return shapes.AuditCheck(**vars(audit.verify(session)))


@whole.get("/lines")
def export_audit(request: Request) -> StreamingResponse:
    """All entries as JSON Lines, the first first."""

    def lines() -> Iterator[str]:
        with request.app.state.sessions() as session:
            for entry in audit.everything(session):
                yield json.dumps(audit.line(entry), ensure_ascii=False) + "\n"

    headers = {"Content-Disposition": 'attachment; filename="audit.jsonl"'}
    return StreamingResponse(lines(), media_type="application/jsonl", headers=headers)
