"""Edits of a policy's rules. Each answers with the policy as it is then."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Depends, Request

from sarvex.api import shapes, views
from sarvex.api.access import Editor, InLibrary, Transaction
from sarvex.service.drafts import Draft, Place, already_done
from sarvex.service.questions import policy_named, preview

router = APIRouter(prefix="/api/networks/{network_id}", tags=["rules"])


class Editing:
    """Carries out one edit in a transaction of its own and remembers the outcome once it is committed."""

    def __init__(self, network_id: int, request: Request, person: Editor, library: InLibrary) -> None:
        self.network_id, self.person, self.library = network_id, person, library
        self._sessions = request.app.state.sessions

    def __call__(self, key: str | None, act: Callable[[Draft], int | None], policy_id: int) -> shapes.Edited:
        rule_id = None
        with self._sessions.begin() as session:
            done = already_done(session, self.network_id, key)
            loaded = self.library.open(session, self.network_id) if done else None
        if loaded is None:
            with self._sessions.begin() as session:
                draft = Draft(session, self.library, self.network_id, self.person.id)
                rule_id = act(draft)
            loaded = self.library.keep(draft.stored)
        policy = policy_named(loaded, policy_id)
        return shapes.Edited(rule_id=rule_id, policy=views.policy(loaded, policy))


InDraft = Annotated[Editing, Depends(Editing)]


def _place(place: shapes.PlaceIn) -> Place:
    return Place(place.after, place.before)


@router.post("/policies/{policy_id}/rules", status_code=201)
def add_rule(policy_id: int, body: shapes.AddRule, edit: InDraft) -> shapes.Edited:
    """Add a rule between two neighbours."""
    return edit(
        body.request_key,
        lambda draft: draft.add_rule(policy_id, body.rule, _place(body.place), body.request_key),
        policy_id,
    )


@router.put("/policies/{policy_id}/rules/{rule_id}")
def change_rule(policy_id: int, rule_id: int, body: shapes.ChangeRule, edit: InDraft) -> shapes.Edited:
    """Replace a rule's content; it stays where it is."""

    def act(draft: Draft) -> int:
        draft.change_rule(policy_id, rule_id, body.ver, body.rule, body.request_key)
        return rule_id

    return edit(body.request_key, act, policy_id)


@router.post("/policies/{policy_id}/rules/{rule_id}/move")
def move_rule(policy_id: int, rule_id: int, body: shapes.MoveRule, edit: InDraft) -> shapes.Edited:
    """Move a rule between two neighbours of its policy."""

    def act(draft: Draft) -> int:
        draft.move_rule(policy_id, rule_id, body.ver, _place(body.place), body.request_key)
        return rule_id

    return edit(body.request_key, act, policy_id)


@router.delete("/policies/{policy_id}/rules/{rule_id}")
def delete_rule(
    policy_id: int, rule_id: int, ver: int, edit: InDraft, request_key: str | None = None
) -> shapes.Edited:
    """Delete a rule."""

    def act(draft: Draft) -> None:
        draft.delete_rule(policy_id, rule_id, ver, request_key)

    return edit(request_key, act, policy_id)


@router.post("/policies/{policy_id}/preview")
def preview_rule(
    network_id: int, policy_id: int, body: shapes.Preview, session: Transaction, library: InLibrary, _: Editor
) -> shapes.Previewed:
    """What a rule would decide at a place, while it is being written. Changes nothing."""
    loaded = library.open(session, network_id)
    look = preview(loaded, policy_id, body.rule, _place(body.place), body.rule_id)
    if look.rule is None or look.report is None:
        return shapes.Previewed(
            problems=[views.problem(p) for p in look.problems],
            position=None,
            decided=None,
            advice=None,
            expands={},
        )
    policy = policy_named(loaded, policy_id)
    keys = loaded.stored.rules.get(policy_id, ())
    ids = {rule.name: key.id for rule, key in zip(policy.rules, keys, strict=True)}
    return shapes.Previewed(
        problems=[],
        position=look.rule.position,
        decided=views.decided(look.rule, look.report, ids),
        advice=shapes.AdviceOut(**vars(look.advice)) if look.advice else None,
        expands=look.expands or {},
    )
