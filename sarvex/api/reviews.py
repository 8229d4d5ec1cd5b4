"""The second pair of eyes: who stands for what the draft does, who contributed to it, and what is said about it."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from sarvex.api.access import IN_PERSON, LONG, Cached, Editor, Fresh, Person, Transaction
from sarvex.api.effects import ComparisonOut, comparison_out
from sarvex.api.shapes import Moment, Strict
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.releases import releases, reviews


class SignatureOut(BaseModel):
    """Somebody stands for what the draft does. It counts `as signed` and with the `same effect`."""

    id: int
    person: str
    own: bool
    at: Moment
    remark: str
    standing: Literal["as signed", "same effect", "lapsed", "own edits", "password given"]
    lapsed: ComparisonOut | None
    """What changed since it was signed, if it lapsed."""


class ContributorOut(BaseModel):
    person: str
    edits: int
    last: Moment


class RemarkOut(BaseModel):
    id: int
    policy_id: int | None
    rule_id: int | None
    about: str
    person: str
    at: Moment
    text: str
    settled: bool


class ReviewOut(BaseModel):
    """Who stands for the draft, and who contributed to it."""

    revision: int
    needed: int
    may_not: str
    """Why you may not sign; nothing if you may."""
    signatures: list[SignatureOut]
    contributors: list[ContributorOut]


class SignDraft(Strict):
    revision: int
    remark: str = Field(default="", max_length=4000)


class MakeRemark(Strict):
    text: str = Field(max_length=4000)
    rule_id: int | None = None


class SettleRemark(Strict):
    settled: bool


def signature_out(loaded: Loaded, told: reviews.Signature, person_id: int) -> SignatureOut:
    return SignatureOut(
        id=told.id, person=told.person, own=told.person_id == person_id, at=told.at, remark=told.remark,
        standing=told.standing, lapsed=comparison_out(loaded, told.lapsed) if told.lapsed else None,
    )  # fmt: skip


router = APIRouter(prefix="/api/networks/{network_id}/review", tags=["review"])


@router.get("", dependencies=LONG)
def get_review(network_id: int, session: Transaction, cache: Cached, person: Person) -> ReviewOut:
    """Signatures and whether they stand, and contributors."""
    loaded = cache.open(session, network_id)
    signatures = reviews.signatures(session, cache, network_id)
    return ReviewOut(
        revision=loaded.stored.revision,
        needed=releases.settings(session, network_id).reviewers,
        may_not=reviews.may_sign(session, network_id, person.id, person.role),
        signatures=[signature_out(loaded, s, person.id) for s in signatures],
        contributors=[
            ContributorOut(person=c.person, edits=c.edits, last=c.last)
            for c in reviews.contributors(session, network_id)
        ],
    )


@router.post("/signatures", status_code=204, dependencies=IN_PERSON)
def sign_draft(network_id: int, body: SignDraft, session: Fresh, cache: Cached, person: Editor) -> None:
    """Stand for what the draft, as it was looked at, does to what is in force."""
    reviews.sign(session, cache, network_id, person.id, body.revision, body.remark)


@router.delete("/signatures/{signature_id}", status_code=204, dependencies=IN_PERSON)
def withdraw_signature(network_id: int, signature_id: int, session: Fresh, person: Editor) -> None:
    """Take your signature back."""
    reviews.withdraw(session, network_id, person.id, signature_id)


@router.get("/remarks")
def get_remarks(
    network_id: int, session: Transaction, cache: Cached, rule_id: int | None = None
) -> list[RemarkOut]:
    """What is said about the draft and its rules, or about one of them; open ones first, the newest first."""
    cache.open(session, network_id)
    return [RemarkOut(**vars(r)) for r in reviews.remarks(session, network_id, rule_id)]


@router.post("/remarks", status_code=204)
def make_remark(
    network_id: int, body: MakeRemark, session: Transaction, cache: Cached, person: Editor
) -> None:
    """Say something about the draft, or about one rule of it."""
    reviews.remark(session, cache, network_id, person.id, body.text, body.rule_id)


@router.put("/remarks/{remark_id}", status_code=204)
def settle_remark(
    network_id: int, remark_id: int, body: SettleRemark, session: Transaction, person: Editor
) -> None:
    """Mark a remark as settled, or open it again."""
    reviews.settle(session, network_id, person.id, remark_id, body.settled)
