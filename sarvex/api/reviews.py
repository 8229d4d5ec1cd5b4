"""The second pair of eyes: who stands for what the draft does, who contributed to it, and what is said about it."""

from __future__ import annotations

from fastapi import APIRouter

from sarvex.api import shapes, views
from sarvex.api.access import LONG, Cached, Editor, Fresh, Person, Transaction
from sarvex.service.releases import releases, reviews

router = APIRouter(prefix="/api/networks/{network_id}/review", tags=["review"])


@router.get("", dependencies=LONG)
def get_review(network_id: int, session: Transaction, cache: Cached, person: Person) -> shapes.ReviewOut:
    """Signatures and whether they stand, and contributors."""
    loaded = cache.open(session, network_id)
    signatures = reviews.signatures(session, cache, network_id)
    return shapes.ReviewOut(
        revision=loaded.stored.revision,
        needed=releases.settings(session, network_id).reviewers,
        may_not=reviews.may_sign(session, network_id, person.id, person.role),
        signatures=[views.signature(loaded, s, person.id) for s in signatures],
        contributors=[
            shapes.ContributorOut(person=c.person, edits=c.edits, last=c.last)
            for c in reviews.contributors(session, network_id)
        ],
    )


@router.post("/signatures", status_code=204)
def sign_draft(
    network_id: int, body: shapes.SignDraft, session: Fresh, cache: Cached, person: Editor
) -> None:
    """Stand for what the draft, as it was looked at, does to what is in force."""
    reviews.sign(session, cache, network_id, person.id, body.revision, body.remark)


@router.delete("/signatures/{signature_id}", status_code=204)
def withdraw_signature(network_id: int, signature_id: int, session: Fresh, person: Editor) -> None:
    """Take your signature back."""
    reviews.withdraw(session, network_id, person.id, signature_id)


@router.get("/remarks")
def get_remarks(
    network_id: int, session: Transaction, cache: Cached, rule_id: int | None = None
) -> list[shapes.RemarkOut]:
    """What is said about the draft and its rules, or about one of them; open ones first, the newest first."""
    cache.open(session, network_id)
    return [shapes.RemarkOut(**vars(r)) for r in reviews.remarks(session, network_id, rule_id)]


@router.post("/remarks", status_code=204)
def make_remark(
    network_id: int, body: shapes.MakeRemark, session: Transaction, cache: Cached, person: Editor
) -> None:
    """Say something about the draft, or about one rule of it."""
    reviews.remark(session, cache, network_id, person.id, body.text, body.rule_id)


@router.put("/remarks/{remark_id}", status_code=204)
def settle_remark(
    network_id: int, remark_id: int, body: shapes.SettleRemark, session: Transaction, person: Editor
) -> None:
    """Mark a remark as settled, or open it again."""
    reviews.settle(session, network_id, person.id, remark_id, body.settled)
