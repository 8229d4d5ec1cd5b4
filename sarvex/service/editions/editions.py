"""Editions: made from the draft, read, and brought back into the draft. None ever changes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network
from sarvex.service import audit
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions.versions import edition_row
from sarvex.service.errors import NotFound, Refused
from sarvex.service.people.accounts import called
from sarvex.store import editions
from sarvex.store import tables as t
from sarvex.store.networks import load_network


@dataclass(frozen=True)
class Edition:
    """What is known of an edition beside its content."""

    number: int
    comment: str
    person: str
    made_at: datetime
    revision: int
    root: str


def make(
    session: Session, network_id: int, person_id: int | None, comment: str, may_be_newest: bool = False
) -> int:
    """Make the draft, as it is, the next edition. Returns its number; if it `may_be_newest`, the newest one's that says
    the same.

    Raises `Refused` if it is the same as the newest, or nothing says why, and `NotFound`.
    """
    if not comment.strip():
        raise Refused([Problem(("comment",), "say what it is for")])
    # The row's lock puts editions and edits of one network in one order.
    row = session.scalar(select(t.Network).where(t.Network.id == network_id).with_for_update())
    stored = load_network(session, network_id) if row else None
    if stored is None:
        raise NotFound("there is no such network")
    newest = session.scalars(
        select(t.Edition).where(t.Edition.network_id == network_id).order_by(t.Edition.number.desc()).limit(1)
    ).first()
    root = editions.write(session, stored)
    if newest is not None and newest.root == root:
        if may_be_newest:
            return newest.number
        raise Refused([Problem(("comment",), f"the draft is the same as edition {newest.number}")])
    made = t.Edition(
        network_id=network_id, number=newest.number + 1 if newest else 1, root=root, comment=comment.strip(),
        revision=stored.revision, person_id=person_id, made_at=datetime.now(UTC).replace(tzinfo=None),
    )  # fmt: skip
    session.add(made)
    session.flush()
    detail = {"revision": made.revision, "root": root.hex(), "comment": made.comment}
    audit.note(
        session, person_id, "make edition", f"edition {made.number}", network_id=network_id, detail=detail
    )
    return made.number


def listing(session: Session, network_id: int) -> list[Edition]:
    """All editions of a network, newest first."""
    found = session.execute(
        select(t.Edition, t.Person.name, t.Person.login)
        .outerjoin(t.Person, t.Person.id == t.Edition.person_id)
        .where(t.Edition.network_id == network_id)
        .order_by(t.Edition.number.desc())
    )
    return [
        Edition(e.number, e.comment, called(name, login), e.made_at, e.revision, e.root.hex())
        for e, name, login in found
    ]


def network_of(session: Session, network_id: int, number: int) -> Network:
    """The network of an edition. Raises `NotFound`, `editions.Damaged`."""
    return editions.read(session, edition_row(session, network_id, number).root).network


def restore(draft: Draft, number: int, expected: int, request_key: str | None = None) -> None:
    """Make the draft what an edition says, as one change that can be taken back.

    Raises `NotFound`, `Conflict` if the draft was changed since `expected`, `Refused`, `editions.Damaged`.
    """
    wanted = network_of(draft.session, draft.stored.id, number)
    wanted = replace(wanted, name=draft.stored.network.name)
    become(draft, wanted, expected, request_key, act=f"restore edition {number}")
