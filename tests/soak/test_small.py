"""The long runs of script/soak, each as a short one: they work, and find nothing wrong."""

from __future__ import annotations

import os
import random
from collections.abc import Iterator
from pathlib import Path

import pytest

from soak import crowd, editors, fuzz, kills, load
from soak.office import Office, opened

SEED = int(os.environ.get("SARVEX_SEED", "20261123"))


@pytest.fixture(scope="module")
def office(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Office]:
    """One server for all short runs, but for the one that kills it."""
    with opened(tmp_path_factory.mktemp("office") / "own") as started:
        yield started


def test_killed_a_few_times(tmp_path: Path) -> None:
    told = kills.run(tmp_path / "own", edits=8, released=1, kills=1, seed=SEED)
    assert told.wrong == []
    assert sum(told.kills.values()) == 1 and told.edits >= 8 and told.releases >= 1


def test_a_lost_edit_would_be_noticed() -> None:
    """What judges the many editors' edits tells a lost, a doubled, and an unseen one."""
    done = [
        editors.Edit("a", "add rule", 1, None, 1),
        editors.Edit("a", "change rule", 1, 1, 2, "first"),
        editors.Edit("b", "change rule", 1, 1, 3, "second"),
    ]
    there = [{"id": 1, "rule": {"description": "second"}}]
    assert any("had not seen" in text for text in editors._replayed(done, there))
    assert any("says" in text for text in editors._replayed(done[:2], there))
    assert any("is lost" in text for text in editors._replayed(done[:1], []))
    gone = [done[0], editors.Edit("a", "delete rule", 1, 1, 2)]
    assert editors._replayed(gone, []) == []
    assert any("is there" in text for text in editors._replayed(gone, there))


def test_four_editors(office: Office) -> None:
    told = editors.on(office, clients=4, edits=16, seed=SEED)
    assert (told.wrong, told.edits) == ([], 16)


def test_some_load(office: Office) -> None:
    told = load.on(office, rules=300, per_second=20, seconds=4, seed=SEED)
    assert told.wrong == []
    assert told.sent == 80 and told.p50 > 0


def test_mangled_texts_are_other_texts() -> None:
    rng = random.Random(SEED)
    assert sum(fuzz.mangle(fuzz.CSV, rng) != fuzz.CSV for _ in range(100)) > 70


def test_two_at_work_beside_the_worst(office: Office) -> None:
    told = crowd.on(office, seconds=2, seed=SEED)
    assert told.wrong == []
    assert told.costly > 25 and told.bombs > 2 and told.dripping == 200
    assert all(len(times) > 5 for times in told.times.values()) and len(told.times) == 4


def test_a_little_of_everything_malformed(office: Office) -> None:
    told = fuzz.on(office, requests=200, documents=20, seeded=SEED)
    assert told.wrong == []
    assert told.sent > 120 and told.routes > 80 and told.answers[422] > 22
