"""The web application: the API under /api, the page everywhere else."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import Depends, FastAPI, HTTPException
from fastapi.responses import FileResponse
from starlette.middleware.body_limit import RequestBodyLimitMiddleware

from sarvex.api import (
    audit,
    consequences,
    editions,
    errors,
    ground,
    names,
    networks,
    people,
    releases,
    reviews,
    rules,
    schedules,
    session,
    telemetry,
)
from sarvex.api.access import AT_ONCE, Throttle, signed_in
from sarvex.api.errors import LARGEST_BODY
from sarvex.api.telemetry import Telemetry, Watched
from sarvex.service import library as libraries
from sarvex.service.consequences import Askers
from sarvex.service.keeper import Keeper
from sarvex.service.library import Library
from sarvex.store import database

PAGE = Path(__file__).parent.parent.parent / "web" / "dist"
SIGN_INS_PER_MINUTE = 10
HEADERS = {
    # Vuetify writes its theme into a style element; scripts are ours alone.
    "Content-Security-Policy": "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=(), payment=(), usb=()",
}
SECURE_ONLY = "max-age=31536000"
"""Told over HTTPS: this host is not asked in the clear again, for a year."""


def create_app(
    database_url: str, page: Path = PAGE, secrets: Path = Path("secrets"), keeps: bool = False
) -> FastAPI:
    """The application on the records at `database_url`. Holds nothing else that matters.

    `secrets`: the folder with the passwords of devices. `keeps`: whether it looks after releases by itself.
    """
    engine = database.connect(database_url)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        libraries.begin()
        if keeps:
            app.state.keeper.start()
        yield
        app.state.keeper.stop()
        libraries.end()
        engine.dispose()

    app = FastAPI(
        lifespan=lifespan,
        title="Sarvex",
        version="1",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        separate_input_output_schemas=False,
    )
    app.state.sessions = database.sessions(engine)
    app.state.library = Library()
    app.state.keeper = Keeper(engine, secrets)
    app.state.secrets = secrets
    app.state.telemetry = Telemetry()
    app.state.askers = Askers()
    app.state.places = asyncio.Semaphore(AT_ONCE)
    app.state.throttle = Throttle(SIGN_INS_PER_MINUTE)
    errors.install(app)
    # For bodies that do not tell their length; those that do are refused before they are read.
    app.add_middleware(RequestBodyLimitMiddleware, max_body_size=LARGEST_BODY)

    app.add_middleware(Watched, telemetry=app.state.telemetry, headers=headers)
    app.include_router(session.open_router)
    app.include_router(telemetry.router)
    closed = [Depends(signed_in)]
    for module in (
        session,
        people,
        networks,
        ground,
        names,
        schedules,
        rules,
        consequences,
        editions,
        releases,
        reviews,
        audit,
    ):
        app.include_router(module.router, dependencies=closed)
    app.include_router(audit.whole, dependencies=closed)
    _serve_page(app, page.resolve())
    return app


def headers(path: str, scheme: str) -> dict[str, str]:
    """What every answer tells the browser."""
    told = dict(HEADERS)
    if scheme == "https":
        told["Strict-Transport-Security"] = SECURE_ONLY
    if path.startswith("/api"):
        told["Cache-Control"] = "no-store"
    return told


def _serve_page(app: FastAPI, page: Path) -> None:
    """Files of the built page; every other path is the page itself, which reads it as a place."""

    @app.get("/{path:path}", include_in_schema=False)
    def serve(path: str) -> FileResponse:
        if path.startswith("api/") or path == "api":
            raise HTTPException(404, "There is no such route.")
        file = (page / path).resolve()
        if file.is_relative_to(page) and file.is_file():
            return FileResponse(file)
        if path.startswith("assets/") or not (page / "index.html").is_file():
            raise HTTPException(404, "No such file; the page is built by script/setup.")
        return FileResponse(page / "index.html", headers={"Cache-Control": "no-cache"})
