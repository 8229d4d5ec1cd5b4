"""What the server tells of itself: a line in the log for each request, and metrics in the OpenMetrics format."""

from __future__ import annotations

import logging
import secrets
import time
from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Request, Response
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, ProcessCollector
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from starlette.middleware.base import RequestResponseEndpoint

from sarvex.api.access import Transaction, signed_in
from sarvex.service import releases
from sarvex.service.keeper import read_secret
from sarvex.service.restconf import DeviceFailed
from sarvex.store import tables as t

log = logging.getLogger("sarvex.requests")
ID_HEADER = "X-Request-Id"
TOKEN_FILE = "metrics"
"""In the folder of secrets: what a collector of metrics sends as its bearer token."""
SLOWEST = (0.005, 0.01, 0.025, 0.05, 0.1, 0.2, 0.5, 1.0, 2.5, 10.0)


class Telemetry:
    """The metrics of one server process."""

    def __init__(self) -> None:
        self.registry = own = CollectorRegistry()
        by = ["method", "route"]
        self._requests = Counter("sarvex_requests", "Requests answered", [*by, "status"], registry=own)
        self._seconds = Histogram(
            "sarvex_request_seconds", "How long they took", by, buckets=SLOWEST, registry=own
        )
        self._releases = Gauge(
            "sarvex_releases_open", "Releases that have not ended", ["state"], registry=own
        )
        self._audit = Gauge("sarvex_audit_entries", "Entries of the audit", registry=own)
        self._networks = Gauge("sarvex_networks", "Networks in the records", registry=own)
        ProcessCollector(registry=own)

    def answered(self, method: str, route: str, status: int, seconds: float) -> None:
        """Count one request."""
        self._requests.labels(method, route, str(status)).inc()
        self._seconds.labels(method, route).observe(seconds)

    def text(self, session: Session) -> bytes:
        """All metrics, those of the records asked just now."""
        counted = select(t.Release.state, func.count()).group_by(t.Release.state)
        states = {state: n for state, n in session.execute(counted.where(t.Release.state.in_(releases.OPEN)))}  # noqa: C416
        for state in releases.OPEN:
            self._releases.labels(state).set(states.get(state, 0))
        self._audit.set(session.scalar(select(t.AuditHead.last)) or 0)
        self._networks.set(session.scalar(select(func.count()).select_from(t.Network)) or 0)
        text: bytes = generate_latest(self.registry)  # type: ignore[no-untyped-call]
        return text


async def watched(request: Request, call_next: RequestResponseEndpoint) -> Response:
    """Answer a request, count it, and write a line. Names and questions, which stand in queries and bodies, are not logged."""
    request.state.id = secrets.token_hex(8)
    began = time.perf_counter()
    status = 500
    try:
        response = await call_next(request)
        status = response.status_code
        response.headers[ID_HEADER] = request.state.id
        return response
    finally:
        seconds = time.perf_counter() - began
        route = getattr(request.scope.get("route"), "path", "none")
        request.app.state.telemetry.answered(request.method, route, status, seconds)
        told = {
            "request": request.state.id, "method": request.method, "path": request.url.path, "status": status,
            "ms": round(seconds * 1000, 1), "person": getattr(request.state, "person", None),
            "client": request.client.host if request.client else None,
        }  # fmt: skip
        log.info("request", extra=told)


# What asks for metrics is a program: it has a token of its own instead of a session.
router = APIRouter(prefix="/api", tags=["telemetry"])


def may_measure(request: Request, session: Transaction) -> None:
    """A collector with the token of the secrets' folder, or an administrator."""
    given = request.headers.get("Authorization", "")
    if given:
        try:
            token = read_secret(request.app.state.secrets, TOKEN_FILE)
        except DeviceFailed:
            token = ""
        if not token or not secrets.compare_digest(given.encode(), f"Bearer {token}".encode()):
            raise HTTPException(401, f"The token is not the one in the server's secrets file {TOKEN_FILE}.")
        return
    signed_in(request, session).may("administrator")


@router.get("/metrics", response_class=Response)
def metrics(request: Request, session: Transaction, _: Annotated[None, Depends(may_measure)]) -> Response:
    """Metrics of this server, as OpenMetrics text."""
    text = request.app.state.telemetry.text(session)
    return Response(text, headers={"Content-Type": CONTENT_TYPE_LATEST})
