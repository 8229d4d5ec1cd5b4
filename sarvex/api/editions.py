"""Editions: snapshots that never change, their comparison with each other and with the draft, and the way back."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi.responses import Response

from sarvex.api import shapes, views
from sarvex.api.access import Editor, InLibrary, Transaction
from sarvex.api.editing import InDraft
from sarvex.formats import document
from sarvex.service import editions
from sarvex.service.drafts import Draft

router = APIRouter(prefix="/api/networks/{network_id}", tags=["editions"])
Number = Annotated[int, Path(ge=1)]
Version = Annotated[int | None, Query(ge=1, description="An edition; left out: the draft.")]


@router.get("/editions")
def get_editions(network_id: int, session: Transaction, library: InLibrary) -> shapes.EditionsOut:
    """All editions, newest first, and the revision of the draft."""
    loaded = library.open(session, network_id)
    found = editions.listing(session, network_id)
    return shapes.EditionsOut(
        revision=loaded.stored.revision, editions=[shapes.EditionOut(**vars(e)) for e in found]
    )


@router.post("/editions", status_code=201)
def make_edition(
    network_id: int, body: shapes.MakeEdition, session: Transaction, person: Editor
) -> shapes.EditionMade:
    """Keep the draft, as it is now, as the next edition."""
    return shapes.EditionMade(number=editions.make(session, network_id, person.id, body.comment))


@router.get("/editions/{number}/document")
def get_edition(network_id: int, number: Number, session: Transaction) -> Response:
    """An edition as a document."""
    network = editions.network_of(session, network_id, number)
    headers = {"Content-Disposition": f'attachment; filename="edition-{number}.yaml"'}
    return Response(document.dump(network), media_type="application/yaml", headers=headers)


@router.post("/editions/{number}/restoration")
def restore_edition(number: Number, body: shapes.RestoreEdition, edit: InDraft) -> shapes.ThingDone:
    """Make the draft what an edition says: one change, which can be taken back."""

    def act(draft: Draft) -> None:
        editions.restore(draft, number, body.revision, body.request_key)

    loaded, _ = edit(body.request_key, act)
    return shapes.ThingDone(revision=loaded.stored.revision, id=None)


@router.get("/comparison")
def compare(
    network_id: int,
    session: Transaction,
    library: InLibrary,
    before: Version = None,
    after: Version = None,
) -> shapes.ComparisonOut:
    """What differs between two versions, and exactly what that does to packets."""
    loaded = library.open(session, network_id)
    return views.comparison(loaded, editions.compare(session, library, network_id, before, after))
