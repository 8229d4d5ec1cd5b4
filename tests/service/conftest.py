"""One network on real records, with the acts of its people."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model import Network

sys.path.insert(0, str(Path(__file__).parent))
from desk import Desk


@pytest.fixture
def desk(sessions: sessionmaker[Session], worked_example: Network) -> Desk:
    return Desk(sessions, worked_example)
