"""Networks, their names, and the questions asked of them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from sarvex.api import shapes, views
from sarvex.api.access import InLibrary, Transaction
from sarvex.formats.questions import complete
from sarvex.service import networks
from sarvex.service.questions import ask, policy_named

router = APIRouter(prefix="/api/networks", tags=["networks"])
Text = Annotated[str, Query(max_length=500)]


@router.get("")
def list_networks(session: Transaction) -> list[shapes.NetworkLine]:
    """All networks by name."""
    return [
        shapes.NetworkLine(id=id_, name=name, description=description, revision=revision)
        for id_, name, description, revision in networks.listing(session)
    ]


@router.get("/{network_id}")
def get_network(network_id: int, session: Transaction, library: InLibrary) -> shapes.NetworkOut:
    """A network with its policies and what is wrong with it as a whole."""
    return views.network(library.open(session, network_id))


@router.get("/{network_id}/findings")
def get_findings(network_id: int, session: Transaction, library: InLibrary) -> list[shapes.PlacedFinding]:
    """Everything that is wrong or superfluous, the heaviest first, with where it is."""
    return views.all_findings(library.open(session, network_id))


@router.get("/{network_id}/policies/{policy_id}")
def get_policy(network_id: int, policy_id: int, session: Transaction, library: InLibrary) -> shapes.PolicyOut:
    """A policy: its rules in order, each with what it decides."""
    loaded = library.open(session, network_id)
    return views.policy(loaded, policy_named(loaded, policy_id))


@router.get("/{network_id}/answer")
def get_answer(network_id: int, q: Text, session: Transaction, library: InLibrary) -> shapes.AnswerOut:
    """Answer a question in words, such as `kiosk-3 to gate-server on tcp/18440`."""
    loaded = library.open(session, network_id)
    return views.answer(q, ask(loaded, q), loaded)


@router.get("/{network_id}/completions")
def get_completions(
    network_id: int, q: Text, session: Transaction, library: InLibrary
) -> list[shapes.SuggestionOut]:
    """What could stand at the end of a question."""
    return [
        shapes.SuggestionOut(insert=s.insert, kind=s.kind, detail=s.detail, start=s.start)
        for s in complete(q, library.open(session, network_id).network)
    ]
