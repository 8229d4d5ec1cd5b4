"""Networks, their names, and the questions asked of them."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from starlette.responses import PlainTextResponse, Response

from sarvex.api import listing, shapes, views
from sarvex.api.access import LONG, Cached, Editor, Transaction
from sarvex.api.editing import InDraft
from sarvex.core.model.differences import differences
from sarvex.core.model.records import Network
from sarvex.formats import document
from sarvex.formats.questions import complete, dated
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import ask, policy_named
from sarvex.service.drafts import import_formats, networks
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import answer_history, versions
from sarvex.service.editions.answer_history import in_force_beside

router = APIRouter(prefix="/api/networks", tags=["networks"])
Text = Annotated[str, Query(max_length=500)]


@router.get("")
def list_networks(session: Transaction) -> list[shapes.NetworkLine]:
    """All networks by name."""
    return [
        shapes.NetworkLine(id=id_, name=name, description=description, revision=revision)
        for id_, name, description, revision in networks.listing(session)
    ]


@router.get("/{network_id}", response_model=shapes.NetworkOut)
def get_network(network_id: int, session: Transaction, cache: Cached) -> Response:
    """A network with its policies and what is wrong with it as a whole."""
    loaded = cache.open(session, network_id)
    final = views.all_reported(loaded)
    return _json(loaded, "network", final, lambda: views.network(loaded).model_dump_json().encode())


@router.post("", status_code=201)
def add_network(body: shapes.NewNetwork, session: Transaction, person: Editor) -> shapes.NetworkLine:
    """Make a new network of a document."""
    network = import_formats.whole(body.text)
    network_id = networks.import_network(session, network, person_id=person.id)
    return shapes.NetworkLine(id=network_id, name=network.name, description=network.description, revision=0)


@router.get("/{network_id}/document")
def get_document(
    network_id: int, session: Transaction, cache: Cached, form: Literal["yaml", "json"] = "yaml"
) -> PlainTextResponse:
    """The network as a document."""
    network = cache.open(session, network_id).network
    return PlainTextResponse(
        document.dump(network, form),
        headers={"Content-Disposition": f'attachment; filename="network-{network_id}.{form}"'},
    )


@router.post("/{network_id}/to-come", dependencies=LONG)
def what_would_come(
    network_id: int, body: shapes.BringIn, session: Transaction, cache: Cached, _: Editor
) -> shapes.ToCome:
    """What bringing something in would change. Changes nothing."""
    loaded = cache.open(session, network_id)
    wanted, notes = import_formats.wanted(loaded.network, body.form, body.text, body.device)
    return shapes.ToCome(
        differences=[views.difference(d) for d in differences(loaded.network, wanted)],
        notes=notes,
        revision=loaded.stored.revision,
    )


@router.post("/{network_id}/bring-in")
def bring_in(body: shapes.BringInAt, edit: InDraft) -> shapes.ThingDone:
    """Bring something in, as it was looked at: one change, which can be taken back."""
    # Read and checked before the network is locked: nobody else waits for that.
    with edit.before(body.request_key) as loaded:
        if loaded is not None and loaded.stored.revision == body.revision:
            wanted, _ = import_formats.wanted(loaded.network, body.form, body.text, body.device)
        else:  # done before, or changed since: which of them is told under the lock
            wanted = Network(name="")

    def act(draft: Draft) -> None:
        become(draft, wanted, body.revision, body.request_key, sound=True)

    loaded, _ = edit(body.request_key, act)
    return shapes.ThingDone(revision=loaded.stored.revision, id=None)


@router.get("/{network_id}/findings", dependencies=LONG)
def get_findings(network_id: int, session: Transaction, cache: Cached) -> list[shapes.PlacedFinding]:
    """Everything that is wrong or superfluous, the heaviest first, with where it is."""
    return views.all_findings(cache.open(session, network_id))


@router.get("/{network_id}/policies/{policy_id}", response_model=shapes.PolicyOut)
def get_policy(network_id: int, policy_id: int, session: Transaction, cache: Cached) -> Response:
    """A policy: its rules in order, each with what it decides."""
    loaded = cache.open(session, network_id)
    policy = policy_named(loaded, policy_id)
    final = views.reported(loaded, policy)
    return _json(loaded, policy_id, final, lambda: listing.written(loaded, policy))


def _json(loaded: Loaded, what: Hashable, final: bool, write: Callable[[], bytes]) -> Response:
    """What is `final` for this revision is kept."""
    return Response(loaded.text(what, write) if final else write(), media_type="application/json")


@router.get("/{network_id}/answer", dependencies=LONG)
def get_answer(network_id: int, q: Text, session: Transaction, cache: Cached) -> shapes.AnswerOut:
    """Answer a question in words, such as `kiosk-3 to gate-server on tcp/18440`.

    It may end with `as of edition 12`, `as of in force` or another version, or with `since when`.
    """
    loaded = cache.open(session, network_id)
    asked = dated(q)
    if asked.of is not None:
        version = versions.version(session, cache, network_id, asked.of)
        return views.answer(q, ask(version.loaded, asked.question), loaded, version.name)
    reply = ask(loaded, asked.question)
    if asked.since:
        return views.answer(q, reply, loaded, since=answer_history.since(session, loaded, asked.question))
    return views.answer(
        q, reply, loaded, in_force=in_force_beside(session, network_id, asked.question, reply)
    )


@router.get("/{network_id}/completions")
def get_completions(
    network_id: int, q: Text, session: Transaction, cache: Cached
) -> list[shapes.SuggestionOut]:
    """What could stand at the end of a question."""
    return [
        shapes.SuggestionOut(insert=s.insert, kind=s.kind, detail=s.detail, start=s.start)
        for s in complete(q, cache.open(session, network_id).network)
    ]
