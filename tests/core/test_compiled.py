"""Plain Python and the compiled functions find the same, and what plain Python cannot end in time is begun anew."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from answers_of import answers

from sarvex import core
from sarvex.core.firstmatch import form
from sarvex.core.sets import compiled

SCRIPT = Path(__file__).parent / "answers_of.py"


@pytest.mark.parametrize(("seconds", "end"), [("1000", "plain"), ("0.3", "compiled")])
def test_plain_python_finds_what_the_compiled_functions_find(seconds: str, end: str) -> None:
    seed, lists = f"{os.environ.get('SARVEX_SEED', '20261123')}/{seconds}", 16
    line = [sys.executable, str(SCRIPT), seed, str(lists), seconds]
    told = subprocess.run(line, capture_output=True, text=True, check=True).stdout.splitlines()
    assert told.pop() == end
    assert told == answers(seed, lists)


def test_what_takes_too_long_leaves_everything_as_it_was() -> None:
    plain = compiled._Plain()
    plain.left = 0.01
    counts, rows = np.arange(3), (np.zeros(2), np.ones((2, 2), dtype=np.int8))

    def step(number: int) -> int:
        return number + 1

    def endless(*arrays: object) -> None:
        counts[0], rows[1][0, 0], number = 7, 7, 0
        while True:
            number = plain.call(step, (number,))

    with pytest.raises(compiled._TooLong):
        plain.call(endless, (counts, rows))
    assert counts.tolist() == [0, 1, 2] and rows[1].tolist() == [[1, 1], [1, 1]]
    assert plain.left <= 0 and plain.until is None


def test_a_number_too_large_for_its_kind_is_no_answer() -> None:
    plain = compiled._Plain()
    plain.left = 10
    with pytest.raises(FloatingPointError):
        plain.call(lambda a: a[0] * a[0], (np.array([2**40]),))
    assert plain.until is None


def test_every_file_with_compiled_functions_is_in_the_digest() -> None:
    kernels = {
        p for p in compiled.CORE.rglob("*.py") if "\n@compiled\n" in p.read_text() or "@njit" in p.read_text()
    }
    assert len(kernels) > 3 and kernels <= set(compiled.sources())
    assert Path(compiled.__file__) in compiled.sources()
    assert Path(form.__file__) in compiled.sources()  # what they are given


def test_the_front_door_opens_to_everything_it_names() -> None:
    assert sorted(core.__all__) == sorted(core._DOOR)
    assert all(getattr(core, name).__name__ == name for name in core.__all__)
    with pytest.raises(AttributeError):
        core.nothing  # noqa: B018
