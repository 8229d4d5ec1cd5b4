"""What the server tells of itself: a line in the log for each request, and metrics in the OpenMetrics format."""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable, Mapping
from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Request, Response
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, ProcessCollector
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from sarvex.api.access import Transaction, signed_in
from sarvex.api.errors import unforeseen
from sarvex.service.releases import releases
from sarvex.service.releases.secrets import NoSecret, read
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


class Watched:
    """Answers a request, counts it, and writes a line. Names and questions, which stand in queries and bodies, are not
    logged. Every answer gets the headers that `headers` gives for its path and scheme."""

    def __init__(
        self, app: ASGIApp, telemetry: Telemetry, headers: Callable[[str, str], Mapping[str, str]]
    ) -> None:
        self.app, self.telemetry, self.headers = app, telemetry, headers

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        state = scope.setdefault("state", {})
        state["id"] = secrets.token_hex(8)
        began, status, told_yet = time.perf_counter(), 500, False

        async def told(message: Message) -> None:
            nonlocal status, told_yet
            if message["type"] == "http.response.start":
                told_yet = True
                status = message["status"]
                own = MutableHeaders(scope=message)
                for name, value in self.headers(scope["path"], scope["scheme"]).items():
                    own.setdefault(name, value)
                own[ID_HEADER] = state["id"]
            await send(message)

        try:
            await self.app(scope, receive, told)
        except Exception as error:  # told here, not further out, where no header would be added
            if told_yet:
                raise
            await unforeseen(scope, error)(scope, receive, told)
        finally:
            seconds = time.perf_counter() - began
            route = getattr(scope.get("route"), "path", "none")
            self.telemetry.answered(scope["method"], route, status, seconds)
            client = scope.get("client")
            line = {
                "request": state["id"], "method": scope["method"], "path": scope["path"], "status": status,
                "ms": round(seconds * 1000, 1), "person": state.get("person"), "client": client[0] if client else None,
            }  # fmt: skip
            log.info("request", extra=line)


# What asks for metrics is a program: it has a token of its own instead of a session.
router = APIRouter(prefix="/api", tags=["telemetry"])


def may_measure(request: Request, session: Transaction) -> None:
    """A collector with the token of the secrets' folder, or an administrator."""
    given = request.headers.get("Authorization", "")
    if given:
        try:
            token = read(request.app.state.secrets, TOKEN_FILE)
        except NoSecret:
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
