"""Editions: snapshots that never change, their comparison with each other and with the draft, and the way back."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field

from sarvex.api.access import LONG, Cached, Editor, Fresh, Transaction
from sarvex.api.editing import InDraft
from sarvex.api.effects import ComparisonOut, comparison_out
from sarvex.api.shapes import Moment, Strict, ThingDone
from sarvex.formats import document
from sarvex.formats.comparisons import comparison_html, comparison_json
from sarvex.service import audit
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import comparisons, editions, versions


class MakeEdition(Strict):
    """`comment`: what it is for."""

    comment: str = Field(max_length=2000)


class EditionMade(BaseModel):
    number: int


class RestoreEdition(Strict):
    """`revision`: that of the draft when the effect was looked at."""

    revision: int
    request_key: str | None = Field(default=None, max_length=64)


class EditionOut(BaseModel):
    number: int
    comment: str
    person: str
    made_at: Moment
    revision: int
    """The draft's, when it was made."""
    root: str
    """SHA-256 over all that it holds."""


class EditionsOut(BaseModel):
    revision: int
    editions: list[EditionOut]


router = APIRouter(prefix="/api/networks/{network_id}", tags=["editions"])
Number = Annotated[int, Path(ge=1)]
Version = Annotated[
    str,
    Query(
        max_length=60,
        description="`draft`, `in force`, `edition 12`, `change 345`, or a moment in ISO 8601: the draft as it was then.",
    ),
]


@router.get("/editions")
def get_editions(network_id: int, session: Transaction, cache: Cached) -> EditionsOut:
    """All editions, newest first, and the revision of the draft."""
    loaded = cache.open(session, network_id)
    found = editions.listing(session, network_id)
    return EditionsOut(revision=loaded.stored.revision, editions=[EditionOut(**vars(e)) for e in found])


@router.post("/editions", status_code=201)
def make_edition(network_id: int, body: MakeEdition, session: Fresh, person: Editor) -> EditionMade:
    """Keep the draft, as it is now, as the next edition."""
    return EditionMade(number=editions.make(session, network_id, person.id, body.comment))


@router.get("/editions/{number}/document")
def get_edition(network_id: int, number: Number, session: Transaction) -> Response:
    """An edition as a document."""
    network = editions.network_of(session, network_id, number)
    headers = {"Content-Disposition": f'attachment; filename="edition-{number}.yaml"'}
    return Response(document.dump(network), media_type="application/yaml", headers=headers)


@router.post("/editions/{number}/restoration")
def restore_edition(number: Number, body: RestoreEdition, edit: InDraft) -> ThingDone:
    """Make the draft what an edition says: one change, which can be taken back."""

    def act(draft: Draft) -> None:
        editions.restore(draft, number, body.revision, body.request_key)

    loaded, _ = edit(body.request_key, act)
    return ThingDone(revision=loaded.stored.revision, id=None)


@router.get("/comparison", dependencies=LONG)
def compare(
    network_id: int,
    session: Transaction,
    cache: Cached,
    before: Version = "in force",
    after: Version = "draft",
    to: Annotated[str, Query(max_length=300, description="Only what changes towards these addresses.")] = "",
) -> ComparisonOut:
    """What differs between two versions, and exactly what that does to packets."""
    loaded = cache.open(session, network_id)
    old, new = (versions.version(session, cache, network_id, name) for name in (before, after))
    told = comparisons.compare(old, new)
    return comparison_out(loaded, told, comparisons.reaching(told, new, to) if to.strip() else None)


@router.get("/comparison/file", dependencies=LONG)
def take_comparison(
    network_id: int,
    session: Transaction,
    cache: Cached,
    before: Version = "in force",
    after: Version = "draft",
    form: Literal["json", "html"] = "html",
) -> Response:
    """The same to keep: a page for reading and printing, or JSON for machines."""
    name = cache.open(session, network_id).network.name
    told = comparisons.compare(
        *(versions.version(session, cache, network_id, version) for version in (before, after))
    )
    parts = (name, told.before, told.after, told.renames, told.differences, told.told, told.come, told.go)
    text = comparison_json(*parts) if form == "json" else comparison_html(*parts, made_at=audit.now())
    kind = "application/json" if form == "json" else "text/html"
    headers = {"Content-Disposition": f'attachment; filename="comparison.{form}"'}
    return Response(text, media_type=kind, headers=headers)
