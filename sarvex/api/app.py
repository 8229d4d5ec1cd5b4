"""The web application: the API under /api, the page everywhere else."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import lru_cache
from mimetypes import guess_type
from pathlib import Path
from secrets import token_urlsafe

from fastapi import Depends, FastAPI, HTTPException
from fastapi.responses import FileResponse, HTMLResponse, Response

from sarvex.api import (
    audit,
    consequences,
    editions,
    errors,
    expectations,
    findings,
    first,
    ground,
    names,
    networks,
    people,
    reach,
    releases,
    reviews,
    rules,
    schedules,
    searches,
    session,
    standing,
    telemetry,
    tokens,
    trials,
    worksheets,
)
from sarvex.api.access import COOKIE, Throttle, signed_in
from sarvex.api.compressed import Compressed
from sarvex.api.intake import Intake
from sarvex.api.telemetry import Telemetry, Watched
from sarvex.api.turnstile import Turnstile
from sarvex.service.analysis import network_cache as libraries
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts.consequences import Askers
from sarvex.service.people import accounts
from sarvex.service.people import tokens as scripts
from sarvex.service.releases.drift import Drifts
from sarvex.service.releases.release_worker import ReleaseWorker
from sarvex.store import database

PAGE = Path(__file__).parent.parent.parent / "web" / "dist"
SIGN_INS_PER_MINUTE, SIGN_INS_PER_ADDRESS = 10, 60
"""Failed ones: of one name from one address, and of one address."""
POLICY = "Content-Security-Policy"
ONLY_OURS = (
    "default-src 'self'; img-src 'self' data:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; "
    "form-action 'self'"
)
NONCE = "STYLE_NONCE"
"""Stands in the built page for what its style element, into which Vuetify writes the theme, has to name."""
HEADERS = {
    POLICY: ONLY_OURS,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=(), payment=(), usb=()",
}
SECURE_ONLY = "max-age=31536000"
"""Told over HTTPS: this host is not asked in the clear again, for a year."""


FOR_GOOD = "public, max-age=31536000, immutable"
"""Files whose names tell what they hold need not be asked for again, for a year."""


CLOSED = (
    session, people, tokens, networks, searches, findings, ground, names, schedules, rules, first, consequences, reach, expectations, trials, worksheets, standing, editions, releases, reviews, audit,
)  # fmt: skip
"""Routes for whoever is signed in."""


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
            app.state.worker.start()
        yield
        app.state.worker.stop()
        app.state.drifts.stop()
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
    app.state.cache = NetworkCache()
    app.state.worker = ReleaseWorker(engine, secrets)
    app.state.drifts = Drifts(app.state.worker)
    app.state.secrets = secrets
    app.state.telemetry = Telemetry()
    app.state.askers = Askers()
    app.state.turnstile = Turnstile()
    app.state.throttle = Throttle(SIGN_INS_PER_MINUTE, SIGN_INS_PER_ADDRESS)
    errors.install(app)

    def known(token: str) -> bool:
        with app.state.sessions() as own:
            return (accounts.who(own, token) or scripts.who(own, token)) is not None

    app.add_middleware(Intake, known=known, cookie=COOKIE)
    app.add_middleware(Watched, telemetry=app.state.telemetry, headers=headers)
    app.add_middleware(Compressed)
    app.include_router(session.open_router)
    app.include_router(telemetry.router)
    for router in (*(module.router for module in CLOSED), audit.whole):
        app.include_router(router, dependencies=[Depends(signed_in)])
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
    def serve(path: str) -> Response:
        if path.startswith("api/") or path == "api":
            raise HTTPException(404, "There is no such route.")
        index = page / "index.html"
        try:
            file = (page / path).resolve()
            known = file.is_relative_to(page) and file.is_file() and file != index
        except (OSError, ValueError):  # no name of a file: too long, or with a null character
            raise HTTPException(404, "No such file.") from None
        if known and path.startswith("assets/"):
            return Response(_read(file), media_type=guess_type(path)[0], headers={"Cache-Control": FOR_GOOD})
        if known:
            return FileResponse(file)
        if path.startswith("assets/") or not index.is_file():
            raise HTTPException(404, "No such file; the page is built by script/setup.")
        return _page(index.read_text(encoding="utf-8"))


@lru_cache(maxsize=256)
def _read(file: Path) -> bytes:
    """A file that bears a digest of what it holds in its name."""
    return file.read_bytes()


def _page(text: str) -> HTMLResponse:
    """The page with a nonce of its own."""
    nonce = token_urlsafe(16)
    policy = f"{ONLY_OURS}; style-src 'self' 'nonce-{nonce}'"
    return HTMLResponse(text.replace(NONCE, nonce), headers={POLICY: policy, "Cache-Control": "no-store"})
