"""One network on real records, with the acts of its people."""

from __future__ import annotations

import pytest
from desk import Desk
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model.records import Network


@pytest.fixture
def desk(sessions: sessionmaker[Session], worked_example: Network) -> Desk:
    return Desk(sessions, worked_example)
