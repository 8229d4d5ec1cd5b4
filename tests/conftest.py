"""Shared by all tests: the seed of the random checks, printed so that a failure can be repeated."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from sarvex.core.model import Network
from sarvex.formats import document

SEED = int(os.environ.get("SARVEX_SEED", "20261123"))
ROOT = Path(__file__).parent.parent


def pytest_report_header() -> str:
    return f"random checks: SARVEX_SEED={SEED}"


@pytest.fixture
def rng(request: pytest.FixtureRequest) -> random.Random:
    return random.Random(f"{SEED}/{request.node.nodeid}")


@pytest.fixture(scope="session")
def worked_example() -> Network:
    return document.load((ROOT / "tests/data/worked-example.yaml").read_text())


@pytest.fixture(scope="session")
def merrow() -> Network:
    return document.load((ROOT / "demo/merrow.yaml").read_text())
