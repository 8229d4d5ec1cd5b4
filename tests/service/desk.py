"""A network on the records and somebody working on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model.records import Network
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts import networks
from sarvex.service.drafts.draft import Draft
from sarvex.store.networks import RuleKey, Stored, load_network


def without_empty(stored: Stored) -> Stored:
    """The same without a word on policies that have no rules or sections."""
    rules, sections = ({i: kept for i, kept in of.items() if kept} for of in (stored.rules, stored.sections))
    return replace(stored, rules=rules, sections=sections)  # type: ignore[arg-type]


class Desk:
    """One network on the records, with the acts of one person."""

    def __init__(self, sessions: sessionmaker[Session], network: Network) -> None:
        self.sessions, self.cache = sessions, NetworkCache()
        with sessions.begin() as session:
            self.id = networks.import_network(session, network)
        self.policy_id = self.read().policy_id(network.policies[0].name)

    def read(self) -> Stored:
        with self.sessions.begin() as session:
            return self._read(session)

    def _read(self, session: Session) -> Stored:
        stored = load_network(session, self.id)
        assert stored
        return stored

    def act(self, act: Callable[[Draft], Any], person: int | None = None) -> Any:
        with self.sessions.begin() as session:
            draft = Draft(session, self.cache, self.id, person)
            result = act(draft)
            # No edit knows it otherwise than the records; read while nobody else can write.
            assert without_empty(draft.stored) == without_empty(self._read(session))
        self.cache.keep(draft.stored)
        return result

    def names(self) -> list[str]:
        return [r.name for r in self.read().network.policies[0].rules]

    def keys(self) -> tuple[RuleKey, ...]:
        return self.read().rules[self.policy_id]
