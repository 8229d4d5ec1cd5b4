"""Edits of a policy's rules. Each answers with the policy as it is then."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import Response

from sarvex.api import listing, shapes, views
from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.editing import InDraft
from sarvex.core.model.edits import ChangeMember, Delete, Edit, Insert, Move, Place, Switch, Write
from sarvex.core.model.problems import Problem
from sarvex.service.analysis.questions import decide, policy_named, tidied
from sarvex.service.drafts import history, rule_edits
from sarvex.service.drafts.draft import Draft
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


def _made(
    edit: InDraft,
    policy_id: int,
    key: str | None,
    wanted: Edit,
    vers: Mapping[int, int],
    about: int | None = None,
) -> Response:
    """The policy after an edit of its rules; `about` is the one rule that it is about, if it is not a new one."""
    return _edited(
        edit, policy_id, key, lambda draft: rule_edits.make(draft, policy_id, wanted, vers, key) or about
    )


@router.post("/policies/{policy_id}/rules", status_code=201, response_model=shapes.Edited)
def add_rule(policy_id: int, body: shapes.AddRule, edit: InDraft) -> Any:
    """Add a rule between two neighbours."""
    return _made(edit, policy_id, body.request_key, Insert(rule=body.rule, place=body.place), {})


@router.put("/policies/{policy_id}/rules/{rule_id}", response_model=shapes.Edited)
def change_rule(policy_id: int, rule_id: int, body: shapes.ChangeRule, edit: InDraft) -> Any:
    """Replace a rule's content, where it stands or at another place."""
    wanted = Write(rule_key=rule_id, rule=body.rule, place=body.place)
    return _made(edit, policy_id, body.request_key, wanted, {rule_id: body.ver}, rule_id)


@router.post("/policies/{policy_id}/rules/{rule_id}/move", response_model=shapes.Edited)
def move_rule(policy_id: int, rule_id: int, body: shapes.MoveRule, edit: InDraft) -> Any:
    """Move a rule between two neighbours of its policy."""
    wanted = Move(rules=(rule_id,), place=body.place)
    return _made(edit, policy_id, body.request_key, wanted, {rule_id: body.ver}, rule_id)


@router.delete("/policies/{policy_id}/rules/{rule_id}", response_model=shapes.Edited)
def delete_rule(policy_id: int, rule_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> Any:
    """Delete a rule."""
    return _made(edit, policy_id, request_key, Delete(rules=(rule_id,)), {rule_id: ver})


@router.post("/policies/{policy_id}/rules/many", response_model=shapes.Edited)
def change_rules(policy_id: int, body: shapes.ManyRules, edit: InDraft) -> Any:
    """One act on several rules: enable, disable, delete, move together, add or remove a member."""
    vers = dict(body.rules)
    return _made(edit, policy_id, body.request_key, _of_many(body, tuple(vers)), vers)


def _of_many(body: shapes.ManyRules, ids: tuple[int, ...]) -> Edit:
    """The edit that a body asks for. Raises `Refused` for what it leaves out."""
    match body:
        case shapes.ManyRules(act="move", place=Place() as place):
            return Move(rules=ids, place=place)
        case shapes.ManyRules(act="delete"):
            return Delete(rules=ids)
        case shapes.ManyRules(act="enable" | "disable"):
            return Switch(rules=ids, enabled=body.act == "enable")
        case shapes.ManyRules(
            act="add member" | "remove member", field=str() as field, member=str() as member
        ):
            return ChangeMember(rules=ids, field=field, member=member, there=body.act == "add member")
    needed = ["place"] if body.act == "move" else ["field", "member"]
    missing = [name for name in needed if getattr(body, name) is None]
    raise Refused([Problem((name,), f"{body.act} needs a {name}") for name in missing])


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
        rule_edits.tidy(draft, policy_id, body.rules, body.into, body.merge, body.request_key)

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
        rule_edits.add_section(draft, policy_id, body.section, body.before_id, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.put("/policies/{policy_id}/sections/{section_id}", response_model=shapes.Edited)
def change_section(policy_id: int, section_id: int, body: shapes.ChangeSection, edit: InDraft) -> Any:
    """Rename or describe a section."""

    def act(draft: Draft) -> None:
        rule_edits.change_section(draft, policy_id, section_id, body.ver, body.section, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.delete("/policies/{policy_id}/sections/{section_id}", response_model=shapes.Edited)
def delete_section(
    policy_id: int, section_id: int, ver: int, edit: InDraft, request_key: str | None = None
) -> Any:
    """Take a section away; its rules stay."""

    def act(draft: Draft) -> None:
        rule_edits.delete_section(draft, policy_id, section_id, ver, request_key)

    return _edited(edit, policy_id, request_key, act)


@router.get("/rules/{rule_id}/history")
def rule_history(network_id: int, rule_id: int, session: Transaction) -> list[shapes.HistoryEntry]:
    """All changes of a rule, newest first; it keeps its identity when it moves or is edited."""
    return views.history(history.of_row(session, network_id, "rule", rule_id))
