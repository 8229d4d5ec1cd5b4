"""Each test has a file of its own for what commands write outside of the records."""

from __future__ import annotations

from pathlib import Path

import pytest

from sarvex.service import audit


@pytest.fixture(autouse=True)
def heads(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    file = tmp_path / "audit-heads"
    monkeypatch.setenv(audit.HEADS, str(file))
    return file
