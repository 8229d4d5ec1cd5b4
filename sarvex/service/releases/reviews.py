"""A second pair of eyes: whoever signs stands for what the draft would do to what is in force, not for its text.

A signature stands while that effect is proven to be the same: an edit that alters it makes the signature lapse by itself,
one that changes nothing (another name, another order of rules that never meet) does not. Nothing is written for that:
it is worked out whenever it is asked, so an edit taken back brings the signature back.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.service import audit
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.editions import comparisons
from sarvex.service.editions.comparisons import Comparison
from sarvex.service.editions.versions import Version, edition, in_force, of_draft, rooted
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.service.people.accounts import called
from sarvex.service.people.roles import Role
from sarvex.store import editions
from sarvex.store import tables as t
from sarvex.store.networks import load_network

Standing = Literal["as signed", "same effect", "lapsed", "own edits", "password given"]
MOST_TEXT = 4000


@dataclass(frozen=True)
class Signature:
    """Who signed, and whether it stands. `lapsed` tells what changed since, if it does not."""

    id: int
    person_id: int
    person: str
    at: datetime
    remark: str
    standing: Standing
    lapsed: Comparison | None = None

    @property
    def counts(self) -> bool:
        return self.standing in ("as signed", "same effect")


@dataclass(frozen=True)
class Contributor:
    """Somebody with edits in the draft that are not in force."""

    person_id: int | None
    person: str
    edits: int
    last: datetime


@dataclass(frozen=True)
class Remark:
    """What somebody said about the draft, or about a rule of it."""

    id: int
    policy_id: int | None
    rule_id: int | None
    about: str
    person: str
    at: datetime
    text: str
    settled: bool


def sign(
    session: Session, cache: NetworkCache, network_id: int, person_id: int, revision: int, remark: str
) -> int:
    """Sign what the draft of that revision does to what is in force.

    Raises `Conflict` if the draft was edited since, `Refused` for somebody who has edits of their own in it.
    """
    row = session.scalar(select(t.Network).where(t.Network.id == network_id).with_for_update())
    if row is None:
        raise NotFound("there is no such network")
    if row.revision != revision:
        raise Conflict("the draft was edited since you looked; look at it again", "network", network_id)
    if any(c.person_id == person_id for c in contributors(session, network_id)):
        raise Refused([Problem((), "you have edits of your own in this draft; somebody else must sign it")])
    stored = load_network(session, network_id)
    assert stored is not None
    for one in signatures(session, cache, network_id):
        if one.person_id == person_id:
            _withdraw(session, one.id)
    force = session.get(t.InForce, network_id)
    made = t.Signature(
        network_id=network_id, person_id=person_id, at=audit.now(), root=editions.write(session, stored),
        base_id=force.edition_id if force else None, remark=remark.strip()[:MOST_TEXT],
    )  # fmt: skip
    session.add(made)
    session.flush()
    told = {
        "revision": revision,
        "root": made.root.hex(),
        "against": in_force(session, network_id),
        "remark": made.remark,
    }
    audit.note(session, person_id, "sign the draft", network_id=network_id, detail=told)
    return made.id


def withdraw(session: Session, network_id: int, person_id: int, signature_id: int) -> None:
    """Take one's own signature back. Raises `NotFound`."""
    row = session.get(t.Signature, signature_id)
    if row is None or (row.network_id, row.person_id) != (network_id, person_id) or row.withdrawn_at:
        raise NotFound("there is no such signature of yours")
    _withdraw(session, signature_id)
    audit.note(session, person_id, "withdraw signature", network_id=network_id)


def _withdraw(session: Session, signature_id: int) -> None:
    session.execute(
        update(t.Signature).where(t.Signature.id == signature_id).values(withdrawn_at=audit.now())
    )


def signatures(
    session: Session, cache: NetworkCache, network_id: int, version: Version | None = None
) -> list[Signature]:
    """The signatures since the last release, newest first, and whether they stand for a version (the draft)."""
    wanted = version or of_draft(cache.open(session, network_id))
    authors = {c.person_id for c in contributors(session, network_id)}
    force = session.get(t.InForce, network_id)
    rows = session.execute(
        select(t.Signature, t.Person.name, t.Person.login)
        .join(t.Person, t.Person.id == t.Signature.person_id)
        .where(t.Signature.network_id == network_id, t.Signature.withdrawn_at.is_(None))
        .where(t.Signature.at > (force.since if force else datetime.min))
        .order_by(t.Signature.id.desc())
    )
    return [
        Signature(
            row.id,
            row.person_id,
            called(name, login),
            row.at,
            row.remark,
            *_standing(session, network_id, row, wanted, authors),
        )
        for row, name, login in rows
    ]


def _standing(
    session: Session, network_id: int, row: t.Signature, wanted: Version, authors: set[int | None]
) -> tuple[Standing, Comparison | None]:
    """What was in force when it was signed is in force still: releases end signatures."""
    if row.person_id in authors:
        return "own edits", None
    if session.get_one(t.Person, row.person_id).given:
        return "password given", None
    signed = rooted(session, network_id, row.root, "as signed")
    if signed.network == wanted.network:
        return "as signed", None
    told = comparisons.compare(signed, wanted)
    return ("same effect", None) if told.same else ("lapsed", told)


def contributors(session: Session, network_id: int) -> list[Contributor]:
    """Who made edits since the edition in force was kept, the latest first; taken back ones count as well."""
    number = in_force(session, network_id)
    since = 0
    if number is not None:
        since = (
            session.scalar(
                select(t.Edition.revision).where(
                    t.Edition.network_id == network_id, t.Edition.number == number
                )
            )
            or 0
        )
    last = func.max(t.Change.at)
    rows = session.execute(
        select(t.Change.person_id, t.Person.name, t.Person.login, func.count(), last)
        .outerjoin(t.Person, t.Person.id == t.Change.person_id)
        .where(t.Change.network_id == network_id, t.Change.revision > since)
        .group_by(t.Change.person_id, t.Person.name, t.Person.login)
        .order_by(last.desc())
    )
    return [
        Contributor(person_id, called(name, login) or "the command line", edits, at)
        for person_id, name, login, edits, at in rows
    ]


def may_sign(session: Session, network_id: int, person_id: int, role: Role) -> str:
    """Why somebody may not sign the draft; nothing if they may."""
    if role == "viewer":
        return "viewers do not sign"
    if any(c.person_id == person_id for c in contributors(session, network_id)):
        return "you have edits of your own in it; somebody else must sign"
    return ""


def effect(session: Session, cache: NetworkCache, network_id: int) -> Comparison | None:
    """What the draft would do to what is in force; None while nothing is."""
    number = in_force(session, network_id)
    if number is None:
        return None
    return comparisons.compare(
        edition(session, network_id, number), of_draft(cache.open(session, network_id))
    )


# Remarks -------------------------------------------------------------------------------------------------------------


def remark(
    session: Session,
    cache: NetworkCache,
    network_id: int,
    person_id: int,
    text: str,
    rule_id: int | None = None,
) -> int:
    """Say something about the draft, or about one rule. Raises `Refused`, `NotFound`."""
    text = text.strip()
    if not text:
        raise Refused([Problem(("text",), "say something")])
    if len(text) > MOST_TEXT:
        raise Refused([Problem(("text",), f"at most {MOST_TEXT} characters")])
    policy_id, about = None, "the draft"
    stored = cache.open(session, network_id).stored
    if rule_id is not None:
        found = next(
            ((p, i) for p, keys in stored.rules.items() for i, k in enumerate(keys) if k.id == rule_id), None
        )
        policy = stored.policy_of(found[0]) if found else None
        if found is None or policy is None:
            raise NotFound("that rule is gone")
        policy_id, about = found[0], f"{policy.name} / {policy.rules[found[1]].name}"
    made = t.Remark(
        network_id=network_id, policy_id=policy_id, rule_id=rule_id, about=about, person_id=person_id,
        at=audit.now(), text=text,
    )  # fmt: skip
    session.add(made)
    session.flush()
    audit.note(session, person_id, "remark", about, network_id=network_id, detail={"text": text})
    return made.id


def settle(session: Session, network_id: int, person_id: int, remark_id: int, settled: bool) -> None:
    """Mark a remark as settled, or as open again. Raises `NotFound`."""
    row = session.get(t.Remark, remark_id)
    if row is None or row.network_id != network_id:
        raise NotFound("there is no such remark")
    row.settled_at = audit.now() if settled else None
    session.flush()
    act = "settle remark" if settled else "open remark again"
    audit.note(session, person_id, act, row.about, network_id=network_id, detail={"text": row.text})


def remarks(session: Session, network_id: int, rule_id: int | None = None) -> list[Remark]:
    """All remarks that are open, and the latest settled ones; newest first. `rule_id`: those about one rule."""
    about = (t.Remark.rule_id == rule_id,) if rule_id is not None else ()
    rows = session.execute(
        select(t.Remark, t.Person.name, t.Person.login)
        .join(t.Person, t.Person.id == t.Remark.person_id)
        .where(t.Remark.network_id == network_id, *about)
        .order_by(t.Remark.settled_at.is_not(None), t.Remark.id.desc())
        .limit(200)
    )
    return [
        Remark(
            r.id, r.policy_id, r.rule_id, r.about, called(name, login), r.at, r.text, r.settled_at is not None
        )
        for r, name, login in rows
    ]
