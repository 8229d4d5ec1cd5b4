"""Networks as a whole: listed, imported from a document, exported to one."""

from __future__ import annotations

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from sarvex.core.check import problems
from sarvex.core.model import Network, fold
from sarvex.core.problem import Problem
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


def import_network(session: Session, network: Network, replace: bool = False) -> int:
    """Write a network as a new one; `replace` lets it take the place of one of the same name, history and
    all. Raises `Refused`: the network has problems, or its name is taken."""
    found = problems(network)
    existing = find(session, network.name)
    if existing is not None and not replace:
        found.append(
            Problem(("name",), f"a network called {network.name!r} exists; import with --replace, or rename")
        )
    if found:
        raise Refused(found)
    if existing is not None:
        _delete(session, existing)
    return insert_network(session, network)


def export_network(session: Session, name: str) -> Network:
    """The network of this name. Raises `NotFound`."""
    network_id = find(session, name)
    stored = load_network(session, network_id) if network_id is not None else None
    if stored is None:
        raise NotFound(f"no network is called {name!r}")
    return stored.network


def _delete(session: Session, network_id: int) -> None:
    """References between things have no cascade on purpose, so they go first."""
    things = select(t.Thing.id).where(t.Thing.network_id == network_id)
    rules = select(t.Rule.id).where(t.Rule.policy_id.in_(things))
    session.execute(delete(t.RuleMember).where(t.RuleMember.rule_id.in_(rules)))
    session.execute(delete(t.Rule).where(t.Rule.policy_id.in_(things)))
    session.execute(delete(t.Member).where(t.Member.thing_id.in_(things)))
    session.execute(update(t.Change).where(t.Change.network_id == network_id).values(undoes_id=None))
    session.execute(delete(t.Network).where(t.Network.id == network_id))
