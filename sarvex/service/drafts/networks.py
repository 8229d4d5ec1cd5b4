"""Networks as a whole: listed, imported from a document, exported to one."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.meaning.check import problems
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network, fold
from sarvex.service import audit
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.errors import NotFound, Refused
from sarvex.store import tables as t
from sarvex.store.networks import insert_network, load_network


def listing(session: Session) -> list[tuple[int, str, str, int]]:
    """Id, name, description and revision of every network, by name."""
    rows = session.execute(
        select(t.Network.id, t.Network.name, t.Network.description, t.Network.revision).order_by(
            t.Network.folded
        )
    )
    return [(r.id, r.name, r.description, r.revision) for r in rows]


def find(session: Session, name: str) -> int | None:
    """The id of the network of this name."""
    return session.scalar(select(t.Network.id).where(t.Network.folded == fold(name)))


def named_id(session: Session, name: str) -> int:
    """The same. Raises `NotFound`."""
    network_id = find(session, name)
    if network_id is None:
        raise NotFound(f"no network is called {name!r}")
    return network_id


def import_network(
    session: Session, network: Network, replace: bool = False, person_id: int | None = None
) -> int:
    """Write a network as a new one; with `replace` one of the same name becomes it, as one change that can be
    taken back. Raises `Refused`: the network has problems, or its name is taken."""
    existing = find(session, network.name)
    if existing is not None and replace:
        become(Draft(session, NetworkCache(), existing, person_id), network)
        return existing
    found = problems(network)
    if existing is not None:
        found.append(
            Problem(("name",), f"a network called {network.name!r} exists; import with --replace, or rename")
        )
    if found:
        raise Refused(found)
    network_id = insert_network(session, network)
    audit.note(session, person_id, "make network", network.name, network_id=network_id)
    return network_id


def export_network(session: Session, name: str) -> Network:
    """The network of this name. Raises `NotFound`."""
    stored = load_network(session, named_id(session, name))
    assert stored is not None
    return stored.network
