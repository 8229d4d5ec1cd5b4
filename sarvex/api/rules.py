"""Edits of a policy's rules. Each answers with the policy as it is then."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import Response

from sarvex.api import listing, shapes, views
from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.editing import InDraft
from sarvex.core.model.problems import Problem
from sarvex.service.analysis.questions import decide, policy_named, tidied
from sarvex.service.drafts import history
from sarvex.service.drafts.draft import Draft, Place
from sarvex.service.errors import Refused

REVISION, RULE = "Sarvex-Revision", "Sarvex-Rule"
router = APIRouter(prefix="/api/networks/{network_id}", tags=["rules"])


def _edited(edit: InDraft, policy_id: int, key: str | None, act: Callable[[Draft], int | None]) -> Response:
    """The policy after the edit; or, to whoever wants no more, the revision and the rule in the headers of nothing."""
    loaded, rule_id = edit(key, act)
    if edit.minimal:
        told = {"Preference-Applied": "return=minimal", REVISION: str(loaded.stored.revision)}
        return Response(status_code=204, headers=told | ({RULE: str(rule_id)} if rule_id else {}))
    policy = listing.written(loaded, policy_named(loaded, policy_id))
    body = b'{"rule_id":%b,"policy":%b}' % (json.dumps(rule_id).encode(), policy)
    return Response(body, status_code=edit.status, media_type="application/json")


def _place(place: shapes.PlaceIn) -> Place:
    return Place(place.after, place.before)


@router.post("/policies/{policy_id}/rules", status_code=201, response_model=shapes.Edited)
def add_rule(policy_id: int, body: shapes.AddRule, edit: InDraft) -> Any:
    """Add a rule between two neighbours."""
    return _edited(
        edit,
        policy_id,
        body.request_key,
        lambda draft: draft.add_rule(policy_id, body.rule, _place(body.place), body.request_key),
    )


@router.put("/policies/{policy_id}/rules/{rule_id}", response_model=shapes.Edited)
def change_rule(policy_id: int, rule_id: int, body: shapes.ChangeRule, edit: InDraft) -> Any:
    """Replace a rule's content; it stays where it is."""

    def act(draft: Draft) -> int:
        draft.change_rule(policy_id, rule_id, body.ver, body.rule, body.request_key)
        return rule_id

    return _edited(edit, policy_id, body.request_key, act)


@router.post("/policies/{policy_id}/rules/{rule_id}/move", response_model=shapes.Edited)
def move_rule(policy_id: int, rule_id: int, body: shapes.MoveRule, edit: InDraft) -> Any:
    """Move a rule between two neighbours of its policy."""

    def act(draft: Draft) -> int:
        draft.move_rule(policy_id, rule_id, body.ver, _place(body.place), body.request_key)
        return rule_id

    return _edited(edit, policy_id, body.request_key, act)


@router.delete("/policies/{policy_id}/rules/{rule_id}", response_model=shapes.Edited)
def delete_rule(policy_id: int, rule_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> Any:
    """Delete a rule."""

    def act(draft: Draft) -> None:
        draft.delete_rule(policy_id, rule_id, ver, request_key)

    return _edited(edit, policy_id, request_key, act)


@router.post("/policies/{policy_id}/rules/many", response_model=shapes.Edited)
def change_rules(policy_id: int, body: shapes.ManyRules, edit: InDraft) -> Any:
    """One act on several rules: enable, disable, delete, move together, add or remove a member."""
    missing = [
        Problem((name,), f"{body.act} needs a {name}")
        for name, needed in (
            ("place", body.act == "move"),
            ("field", "member" in body.act),
            ("member", "member" in body.act),
        )
        if needed and getattr(body, name) is None
    ]
    if missing:
        raise Refused(missing)

    def act(draft: Draft) -> None:
        draft.change_rules(
            policy_id, body.rules, body.act, body.request_key,
            place=_place(body.place) if body.place else None, field=body.field, member=body.member,
        )  # fmt: skip

    return _edited(edit, policy_id, body.request_key, act)


@router.get("/policies/{policy_id}/tidy", dependencies=LONG)
def to_tidy(
    network_id: int,
    policy_id: int,
    session: Transaction,
    cache: Cached,
    merge: bool = False,
    keep: Annotated[list[int] | None, Query(max_length=10_000)] = None,
) -> shapes.ToTidy:
    """The rules that could go without any change, from last to first, each with its reason. Changes nothing."""
    loaded = cache.open(session, network_id)
    return views.to_tidy(
        loaded, policy_named(loaded, policy_id), tidied(loaded, policy_id, merge, keep or ())
    )


@router.post("/policies/{policy_id}/tidy", response_model=shapes.Edited)
def tidy(policy_id: int, body: shapes.Tidy, edit: InDraft) -> Any:
    """Take out exactly these rules, if that is proven to change nothing as the list is now."""

    def act(draft: Draft) -> None:
        draft.tidy(policy_id, body.rules, body.into, body.merge, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.post("/policies/{policy_id}/decide", dependencies=LONG)
def decide_flows(
    network_id: int, policy_id: int, body: shapes.Flows, session: Transaction, cache: Cached
) -> shapes.DecidedFlows:
    """Verdict and deciding rule of each flow of a CSV text in one policy."""
    loaded = cache.open(session, network_id)
    return views.decided_flows(
        loaded, policy_named(loaded, policy_id), decide(loaded, policy_id, body.text, body.at)
    )


@router.post("/policies/{policy_id}/sections", status_code=201, response_model=shapes.Edited)
def add_section(policy_id: int, body: shapes.SectionIn, edit: InDraft) -> Any:
    """Begin a named section at a rule."""

    def act(draft: Draft) -> None:
        draft.add_section(policy_id, body.section, body.before_id, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.put("/policies/{policy_id}/sections/{section_id}", response_model=shapes.Edited)
def change_section(policy_id: int, section_id: int, body: shapes.ChangeSection, edit: InDraft) -> Any:
    """Rename or describe a section."""

    def act(draft: Draft) -> None:
        draft.change_section(policy_id, section_id, body.ver, body.section, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.delete("/policies/{policy_id}/sections/{section_id}", response_model=shapes.Edited)
def delete_section(
    policy_id: int, section_id: int, ver: int, edit: InDraft, request_key: str | None = None
) -> Any:
    """Take a section away; its rules stay."""

    def act(draft: Draft) -> None:
        draft.delete_section(policy_id, section_id, ver, request_key)

    return _edited(edit, policy_id, request_key, act)


@router.get("/rules/{rule_id}/history")
def rule_history(network_id: int, rule_id: int, session: Transaction) -> list[shapes.HistoryEntry]:
    """All changes of a rule, newest first; it keeps its identity when it moves or is edited."""
    return views.history(history.of_row(session, network_id, "rule", rule_id))
